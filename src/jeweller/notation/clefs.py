"""A part as it sounds when it is read in another clef: every note on the same line or space of the staff,
with that clef's letter.
"""

from __future__ import annotations

import dataclasses

from jeweller.notation.performance import PerformedNote, PerformedPart
from jeweller.notation.pitch import STEPS, Pitch, key_alter

# What a player may read by mistake: name → sign and line.
CLEFS: dict[str, tuple[str, int]] = {
    "treble": ("G", 2),
    "bass": ("F", 4),
    "alto": ("C", 3),
    "tenor": ("C", 4),
}
_AT_CLEF = {
    "G": Pitch("G", 0, 4),
    "F": Pitch("F", 0, 3),
    "C": Pitch("C", 0, 4),
}  # the note on the clef's own line


def bottom_line(sign: str, line: int) -> int:
    """The note on the lowest line of a staff with that clef, in steps above C0. Raises KeyError for a clef
    without pitch.

    >>> bottom_line("G", 2), bottom_line("F", 4)
    (30, 18)
    """
    return _AT_CLEF[sign].diatonic - 2 * (line - 1)


def other_clefs(line: PerformedPart) -> tuple[str, ...]:
    """The clefs that this part is not written in; none for a part without pitch.

    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> line = perform_part("A line", part)
    >>> other_clefs(line)
    ('bass', 'alto', 'tenor')
    """
    sign, at, _ = line.bars[0].bar.clef
    return tuple(name for name, clef in CLEFS.items() if clef != (sign, at)) if sign in _AT_CLEF else ()


def read_in_clef(line: PerformedPart, clef: str, chromatic: int | None = None) -> PerformedPart:
    """The line as read in `clef`. `chromatic`: semitones from what is read to what sounds (the part's own
    where None).

    A key signature alters the letters that are read; a printed accidental alters its note as printed.

    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> line = perform_part("A line", part)
    >>> [n.written.pitch.name for n in read_in_clef(line, "bass", 0).main_notes[:2]]
    ['A2', 'B♭2']
    """
    fifths = [b.bar.fifths for b in line.bars]
    add = line.part.chromatic if chromatic is None else chromatic

    def read(note: PerformedNote) -> PerformedNote:
        pitch = note.written.pitch
        sign, at, octaves = line.bars[note.bar_index].bar.clef
        if pitch is None or sign not in _AT_CLEF:
            return note
        steps = pitch.diatonic - 7 * octaves + bottom_line(*CLEFS[clef]) - bottom_line(sign, at)
        step = STEPS[steps % 7]
        key = fifths[note.bar_index]
        alter = (
            key_alter(step, key)
            if pitch.alter == key_alter(pitch.step, key) and not note.written.accidental
            else pitch.alter
        )
        new = Pitch(step, alter, steps // 7)
        return dataclasses.replace(
            note, written=dataclasses.replace(note.written, pitch=new), sounding_midi=new.midi + add
        )

    part = dataclasses.replace(line.part, chromatic=add)
    return dataclasses.replace(line, part=part, notes=tuple(read(n) for n in line.notes))
