"""Written pitches, their names, and key signatures.

MIDI numbers: 60 is middle C, called C4. Names use the signs ♭ ♮ ♯ (𝄫 and 𝄪 for double ones).
"""

from __future__ import annotations

from dataclasses import dataclass

STEPS = "CDEFGAB"
STEP_SEMITONE = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
ALTER_SIGN = {-2: "𝄫", -1: "♭", 0: "", 1: "♯", 2: "𝄪"}
SHARP_ORDER = "FCGDAEB"
_SHARP_NAMES = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
_FLAT_NAMES = ("C", "D♭", "D", "E♭", "E", "F", "G♭", "G", "A♭", "A", "B♭", "B")


@dataclass(frozen=True)
class Pitch:
    """A pitch as written: letter, alteration in semitones (-2..2) and octave (C4 is middle C)."""

    step: str
    alter: int
    octave: int

    @property
    def midi(self) -> int:
        return 12 * (self.octave + 1) + STEP_SEMITONE[self.step] + self.alter

    @property
    def name(self) -> str:
        return f"{self.step}{ALTER_SIGN[self.alter]}{self.octave}"

    @property
    def letter(self) -> str:
        """The name without its octave, as a player says it: "B♭"."""
        return f"{self.step}{ALTER_SIGN[self.alter]}"

    @property
    def diatonic(self) -> int:
        """Steps of the staff above C0."""
        return 7 * self.octave + STEPS.index(self.step)


def key_alter(step: str, fifths: int) -> int:
    """The alteration that a key signature of `fifths` sharps (negative: flats) gives to a letter: -1, 0 or
    1.

    >>> key_alter("B", -2), key_alter("F", 1), key_alter("C", 0)
    (-1, 1, 0)
    """
    if fifths > 0:
        return 1 if step in SHARP_ORDER[:fifths] else 0
    return -1 if step in SHARP_ORDER[::-1][:-fifths] else 0


def key_letters(fifths: int) -> list[str]:
    """The altered letters of a key signature in their printed order: ["B♭", "E♭"].

    >>> key_letters(-2)
    ['B♭', 'E♭']
    """
    letters = SHARP_ORDER[:fifths] if fifths > 0 else SHARP_ORDER[::-1][:-fifths]
    return [f"{s}{'♯' if fifths > 0 else '♭'}" for s in letters]


def key_name(fifths: int, mode: str = "major") -> str:
    """The key's name: "E♭ major", "C minor".

    >>> key_name(-2, "major")
    'B♭ major'
    """
    majors = ("C♭", "G♭", "D♭", "A♭", "E♭", "B♭", "F", "C", "G", "D", "A", "E", "B", "F♯", "C♯")
    minors = ("A♭", "E♭", "B♭", "F", "C", "G", "D", "A", "E", "B", "F♯", "C♯", "G♯", "D♯", "A♯")
    return f"{(minors if mode == 'minor' else majors)[fifths + 7]} {'minor' if mode == 'minor' else 'major'}"


def in_key(midi: int, fifths: int) -> bool:
    """Whether a (written) pitch belongs to the scale of the key signature.

    >>> in_key(70, -1), in_key(71, -1)
    (True, False)
    """
    tonic = (7 * fifths) % 12
    return (midi - tonic) % 12 in (0, 2, 4, 5, 7, 9, 11)


def spell(midi: int, fifths: int = 0, near: Pitch | None = None) -> Pitch:
    """A sensible spelling of a written MIDI number: on the letter of `near` where it is at most a semitone
    from it, else by the key.

    >>> spell(70, -1).name, spell(66, 2).name
    ('B♭4', 'F♯4')
    """
    if near is not None and abs(midi - near.midi) <= 1 and abs(near.alter + midi - near.midi) <= 1:
        return Pitch(near.step, near.alter + midi - near.midi, near.octave)
    for step in STEPS:
        alter = key_alter(step, fifths)
        if (midi - STEP_SEMITONE[step] - alter) % 12 == 0:
            return Pitch(step, alter, (midi - STEP_SEMITONE[step] - alter) // 12 - 1)
    name = (_FLAT_NAMES if fifths < 0 else _SHARP_NAMES)[midi % 12]
    alter = {"♭": -1, "♯": 1}.get(name[1:], 0)
    return Pitch(name[0], alter, (midi - STEP_SEMITONE[name[0]] - alter) // 12 - 1)
