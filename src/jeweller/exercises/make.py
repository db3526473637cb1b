"""From a `Drill` to printed parts: each instrument in its own key and clef, within its range, in the octave
that suits it.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.errors import DrillError
from jeweller.exercises.drums import drum_bars
from jeweller.exercises.harmony import place_line, voice_line, voice_of
from jeweller.exercises.request import LEVELS, ExerciseRequest, check_request
from jeweller.exercises.rows import NoteRow, ScaleLadder, highest_index, make_row
from jeweller.exercises.scales import (
    Scale,
    key_of,
    notes_of,
    printable_tonic,
    read_tonic,
    require_tonic,
)
from jeweller.i18n import _
from jeweller.instruments.fingerings import note_midi
from jeweller.instruments.table import Instrument
from jeweller.notation.barring import BarAttributes, add_marks, lay_out_bars
from jeweller.notation.drums import DRUM_SET
from jeweller.notation.model import Mark, Part, Score
from jeweller.notation.pitch import Pitch
from jeweller.notation.transposition import diatonic_of, transpose_pitch
from jeweller.phrases import key_said, note_name

DRUM_PARTS = {
    "snare-drum": ("Snare drum",),
    "bass-drum": ("Bass drum",),
    "cymbals": ("Cymbals",),
    "percussion": ("Bass drum", "Snare drum"),
    "drum-set": tuple(DRUM_SET),
}

# A band as it usually is: of instruments that read alike, one.
BAND = (
    "flute",
    "oboe",
    "clarinet",
    "bass-clarinet",
    "alto-saxophone",
    "tenor-saxophone",
    "baritone-saxophone",
    "bassoon",
    "trumpet",
    "horn",
    "trombone",
    "euphonium",
    "euphonium-tc",
    "tuba",
    "glockenspiel",
    "snare-drum",
    "bass-drum",
    "cymbals",
)


@dataclass(frozen=True)
class MadeExercise:
    """An exercise for one or more instruments, and in sentences what could not be as asked."""

    score: Score
    told: tuple[str, ...]


def make_exercise(drill: ExerciseRequest, players: Sequence[Instrument]) -> MadeExercise:
    """The exercise for each instrument. Raises DrillError where nobody can play it."""
    check_request(drill)
    parts: list[Part] = []
    told: list[str] = []
    for k, instrument in enumerate(players):
        drums = instrument.clef == "percussion"
        if drums != (drill.kind == "drums"):
            told.append(
                _("{name}: this has no pitch; make a drum pattern for it.").format(name=instrument.said)
                if drums
                else _("{name}: a drum pattern is for drums.").format(name=instrument.said)
            )
            continue
        try:
            part, note = _part(drill, instrument, k)
        except DrillError as error:
            told.append(f"{instrument.said}: {error}")
            continue
        parts.append(part)
        if note:
            told.append(f"{instrument.said}: {note}")
    if not parts:
        raise DrillError(" ".join(told) or _("Choose an instrument to make the exercise for."))
    return MadeExercise(Score(title_of(drill, players), tuple(parts)), tuple(told))


def written_tonic(drill: ExerciseRequest, instrument: Instrument) -> Pitch:
    """The tonic as this instrument reads it: as it was asked for, where that is the written one and can be
    printed; else spelled for the fewest signs.
    """
    tonic = require_tonic(drill.tonic)
    if not drill.concert and key_of(drill.notes_of, tonic) is not None:
        return tonic
    moved = (
        transpose_pitch(tonic, -instrument.chromatic, -diatonic_of(instrument.chromatic))
        if drill.concert
        else tonic
    )
    return printable_tonic(drill.notes_of, moved)


def _part(drill: ExerciseRequest, instrument: Instrument, index: int) -> tuple[Part, str]:
    prefix = f"p{index + 1}"
    if drill.kind == "drums":
        bars = drum_bars(drill, DRUM_PARTS.get(instrument.id, (instrument.name,)), prefix)
        note = ""
    else:
        scale, tonic = drill.notes_of, written_tonic(drill, instrument)
        fifths = key_of(scale, tonic)
        if fifths is None:
            raise DrillError(
                _("The {scale} scale on {letter} would need more than seven signs.").format(
                    scale=_(scale.name), letter=note_name(tonic.letter)
                )
            )
        row, level = (
            _shared(drill, instrument, scale, tonic)
            if drill.kind in ("chorale", "tuning chord")
            else _placed(drill, instrument, scale, tonic, leads=index == 0)
        )
        notes = [] if level == drill.level else [_("it needs the {level} range.").format(level=_(level))]
        asked = require_tonic(drill.tonic)
        if drill.concert and not instrument.chromatic % 12 and tonic.letter != asked.letter:
            notes.append(
                _("{asked} is written as {letter}, with fewer signs.").format(
                    asked=note_name(asked.letter), letter=note_name(tonic.letter)
                )
            )
        note = " ".join(notes)
        pickup = row.sounds[0].duration if drill.kind == "rhythm" and drill.pickup else Fraction(0)
        signatures = [
            BarAttributes(
                beats=beats, beat_type=beat_type, fifths=fifths, mode=scale.mode, clef=instrument.clef_sign
            )
            for beats, beat_type in row.metres or [drill.beats]
        ]
        bars = add_marks(lay_out_bars(row.sounds, signatures, pickup=pickup, prefix=prefix), row.marks)
        if drill.kind == "two notes":  # bars to make something of
            bars = tuple(dataclasses.replace(b, to_fill=k > 1) for k, b in enumerate(bars))
    thirds = drill.beats[1] == 8 and drill.beats[0] % 3 == 0
    beat_unit = "half" if drill.beats[1] == 2 else "quarter." if thirds else "quarter"
    quarters = {"half": 2.0, "quarter.": 1.5}.get(beat_unit, 1.0) * drill.bpm
    head = [
        Mark(kind="tempo", offset=Fraction(0), value=quarters, beat_unit=beat_unit, per_minute=str(drill.bpm))
    ]
    if drill.feel == "swing":
        head.append(Mark(kind="words", offset=Fraction(0), text=_("swing the eighths")))
    bars = add_marks(bars, [(Fraction(0), mark) for mark in head])
    diatonic = diatonic_of(instrument.chromatic)
    return Part(
        id=f"P{index + 1}",
        name=instrument.name,
        instrument=instrument.name,
        diatonic=diatonic,
        chromatic=instrument.chromatic,
        bars=bars,
        percussion=drill.kind == "drums",
    ), note


def _ranges(drill: ExerciseRequest, instrument: Instrument) -> Iterator[tuple[str, tuple[int, int]]]:
    """The level that is asked for and those above it, with the range that each has."""
    for level in LEVELS[LEVELS.index(drill.level) :]:
        limits = instrument.written_range(level)
        if limits is not None:
            yield level, limits


def _shared(
    drill: ExerciseRequest, instrument: Instrument, scale: Scale, tonic: Pitch
) -> tuple[NoteRow, str]:
    """What this instrument has of chords that the band shares, and the level whose range holds it."""
    line = voice_line(drill, voice_of(instrument))
    for level, (low, high) in _ranges(drill, instrument):
        sounds = place_line(line, notes_of(scale, tonic, low, high), tonic, _middle(instrument))
        if sounds is not None:
            words = [(at, Mark(kind="words", offset=Fraction(0), text=said)) for at, said in line.words]
            return NoteRow(tuple(sounds), tuple(words)), level
    raise DrillError(_("its range holds too few notes for this."))


def _placed(
    drill: ExerciseRequest, instrument: Instrument, scale: Scale, tonic: Pitch, *, leads: bool
) -> tuple[NoteRow, str]:
    """The notes of the drill on this instrument, and the level whose range holds them: the one asked for, or
    the next that does.
    """
    for level, limits in _ranges(drill, instrument):
        ladder = _ladder(drill, instrument, scale, tonic, limits)
        if ladder is not None:
            return make_row(drill, ladder, leads=leads), level
    if drill.span.startswith("register "):
        raise DrillError(_("{letter} is not among its notes there.").format(letter=note_name(tonic.letter)))
    raise DrillError(
        _("{span} from {letter} does not lie within its range.").format(
            span=drill.span, letter=note_name(tonic.letter)
        )
    )


def _ladder(
    drill: ExerciseRequest, instrument: Instrument, scale: Scale, tonic: Pitch, limits: tuple[int, int]
) -> ScaleLadder | None:
    low, high = limits
    octave = len(scale.degrees)
    if drill.span.startswith("register "):
        low, high = _register(instrument, drill.span.partition(" ")[2], limits)
    if drill.span == "full range" or drill.span.startswith("register "):
        up, down = notes_of(scale, tonic, low, high), notes_of(scale, tonic, low, high, down=True)
        tonics = [k for k, p in enumerate(up) if (p.midi - tonic.midi) % 12 == 0]
        if len(up) < 2 or len(down) < 2 or not tonics:
            return None
        return ScaleLadder(tuple(up), tuple(down), octave, tonics[0] if drill.span == "full range" else 0)
    if drill.kind in ("switch", "two notes"):
        return _pair(drill, instrument, scale, tonic, limits)
    middle = _middle(instrument)
    steps = highest_index(drill, octave)
    found: list[tuple[float, ScaleLadder]] = []
    for o in range(-1, 10):
        first = Pitch(tonic.step, tonic.alter, o)
        if not low <= first.midi <= high:
            continue
        up = notes_of(scale, first, first.midi, high)[: steps + 1]
        if len(up) == steps + 1:
            down = notes_of(scale, first, first.midi, up[-1].midi, down=True)
            if len(down) == len(up):
                found.append(
                    (
                        abs((up[0].midi + up[-1].midi) / 2 - middle),
                        ScaleLadder(tuple(up), tuple(down), octave),
                    )
                )
    return min(found, key=lambda f: f[0])[1] if found else None


def _pair(
    drill: ExerciseRequest, instrument: Instrument, scale: Scale, tonic: Pitch, limits: tuple[int, int]
) -> ScaleLadder | None:
    """Two notes: the tonic and the note asked for, or the next of the scale, where they lie best."""
    other = read_tonic(drill.other)
    if other is not None and drill.concert:
        other = transpose_pitch(other, -instrument.chromatic, -diatonic_of(instrument.chromatic))
    found = []
    for o in range(-1, 10):
        first = Pitch(tonic.step, tonic.alter, o)
        if other is None:
            second = notes_of(scale, first, first.midi + 1, first.midi + 12)[0]
        else:
            second = min(
                (Pitch(other.step, other.alter, q) for q in range(-1, 10)),
                key=lambda p: (abs(p.midi - first.midi), p.midi),
            )
        pair = tuple(sorted((first, second), key=lambda p: p.midi))
        if limits[0] <= pair[0].midi and pair[1].midi <= limits[1] and pair[0].midi != pair[1].midi:
            found.append(
                (
                    abs(sum(p.midi for p in pair) / 2 - _middle(instrument)),
                    ScaleLadder(pair, pair, 2, pair.index(first)),
                )
            )
    return min(found, key=lambda f: f[0])[1] if found else None


def _middle(instrument: Instrument) -> float:
    """Where the instrument speaks most easily: the middle of what beginners play."""
    easy = instrument.written_range("beginner")
    return sum(easy) / 2 if easy else (instrument.low + instrument.high) / 2 - instrument.chromatic


def _register(instrument: Instrument, name: str, limits: tuple[int, int]) -> tuple[int, int]:
    """The notes of a register within the range. Raises DrillError, naming the registers there are."""
    names = [n for n, _unused in instrument.registers]
    if name not in names:
        raise DrillError(
            (
                _("it has no register “{name}”; it has {names}.")
                if names
                else _("it has no register “{name}”.")
            ).format(name=name, names=", ".join(names))
        )
    k = names.index(name)
    end = note_midi(instrument.registers[k + 1][1]) - 1 if k + 1 < len(names) else limits[1]
    return max(limits[0], note_midi(instrument.registers[k][1])), min(limits[1], end)


def title_of(drill: ExerciseRequest, players: Sequence[Instrument]) -> str:
    """What the exercise is called: in the player's own key where it is for one instrument, else in the key
    that was asked for.
    """
    if drill.kind == "drums":
        return _("Drum pattern {seed} in {metre}").format(seed=drill.seed, metre=drill.metre)
    if len(players) == 1:
        key = note_name(written_tonic(drill, players[0]).letter)
    else:
        tonic = read_tonic(drill.tonic)
        key = (_("Concert {key}") if drill.concert else _("Written {key}")).format(
            key=note_name(printable_tonic(drill.notes_of, tonic).letter if tonic else drill.tonic)
        )
    what = {
        "scale": "",
        "intervals": _(" in {interval}").format(interval=drill.interval),
        "pattern": _(", figure {figure}").format(figure=drill.figure),
        "arpeggio": _(", {chord}").format(chord=_(drill.chord)),
        "inversions": _(", {chord} and its inversions").format(chord=_(drill.chord)),
        "chords": _(", chords {progression}").format(progression=drill.progression),
        "leaps": _(", leaps {leaps} from {degree}").format(leaps=drill.leaps, degree=drill.degree),
        "long tones": _(", long tones"),
        "switch": _(", two notes to and fro"),
        "two notes": _(", two notes"),
        "rhythm": _(", rhythm {seed}").format(seed=drill.seed),
        "shrinking": _(", shrinking notes"),
        "echo": _(", echo {seed}").format(seed=drill.seed),
        "call": _(", call and answer {seed}").format(seed=drill.seed),
        "tuning chord": _(", chords to tune"),
        "chorale": _(", chorale {progression}").format(progression=drill.progression),
    }[drill.kind]
    if drill.kind in ("switch", "two notes", "rhythm") or drill.named_chord:
        return f"{key}{what}"
    if drill.scale == "major" and len(players) == 1:
        return key_said(f"{written_tonic(drill, players[0]).letter} major") + what
    return f"{key} {_(drill.scale)}{what}"
