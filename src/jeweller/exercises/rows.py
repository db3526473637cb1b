"""The notes of each kind of exercise, as rows for `jeweller.notation.barring`: which degrees in which order,
how long, how joined.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from jeweller.errors import DrillError
from jeweller.exercises.harmony import broken_chords, chord_members
from jeweller.exercises.request import CHANGES, CHORDS, INTERVALS, ExerciseRequest
from jeweller.exercises.rhythms import ROWS, draw_in
from jeweller.i18n import _
from jeweller.notation.barring import UnbarredNote
from jeweller.notation.metre import Metre
from jeweller.notation.model import Mark
from jeweller.notation.pitch import Pitch

SLUR_GROUPS = {
    "slurred": (-1,),
    "two and two": (2,),
    "slur two tongue two": (2, 1, 1),
    "tongue two slur two": (1, 1, 2),
    "slur three tongue one": (3, 1),
}
NOTE_MARKS = {"staccato": "staccato", "tenuto": "tenuto", "accents": "accent"}


@dataclass(frozen=True)
class ScaleLadder:
    """The notes an exercise is made of, lowest first: going up, and going down where that is spelled or
    altered otherwise. `octave`: notes to the octave.
    """

    up: tuple[Pitch, ...]
    down: tuple[Pitch, ...]
    octave: int
    tonic: int = 0  # the index of the tonic that it begins on


@dataclass(frozen=True)
class NoteRow:
    """An exercise as a row of sounds, with directions at places in quarters."""

    sounds: tuple[UnbarredNote, ...]
    marks: tuple[tuple[Fraction, Mark], ...] = ()
    metres: tuple[tuple[int, int], ...] = ()  # bar for bar, where they change


def make_row(drill: ExerciseRequest, ladder: ScaleLadder, *, leads: bool = False) -> NoteRow:
    """The row of a drill on a ladder; of a call and its answers the caller's where this player `leads`."""
    make: Callable[[ExerciseRequest, ScaleLadder], NoteRow] = _SPECIAL.get(drill.kind, _melodic)
    row = _call(drill, ladder, leads) if drill.kind == "call" else make(drill, ladder)
    return dataclasses.replace(row, marks=(*row.marks, *_dynamics(drill, row.sounds)))


def highest_index(drill: ExerciseRequest, octave: int) -> int:
    """How many steps above its first note the ladder of a drill of one octave reaches."""
    if drill.kind == "chords":
        return octave
    steps = {"five notes": 4, "tetrachord": 3, "two octaves": 2 * octave}.get(drill.span, octave)
    if drill.kind == "inversions":  # the last of them ends above the octave
        steps += octave - 1 if drill.named_chord else CHORDS[drill.chord][-1]
    return steps


def _melodic(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """Scales, intervals, figures, chords, leaps: one line of notes in a rhythm that goes round."""
    pitches = _pitches(drill, ladder)
    values = ROWS[drill.rhythm]
    sounds: list[UnbarredNote] = []
    now, k = Fraction(0), 0
    for index, pitch in enumerate(pitches):
        while values[k % len(values)] < 0:
            sounds.append(UnbarredNote(-values[k % len(values)]))
            now -= values[k % len(values)]
            k += 1
        value = values[k % len(values)]
        if index == len(pitches) - 1:
            value = _to_bar_end(now, drill)
        sounds.append(UnbarredNote(value, (pitch,)))
        now += value
        k += 1
    return NoteRow(tuple(_articulated(sounds, drill)))


def _to_bar_end(now: Fraction, drill: ExerciseRequest) -> Fraction:
    """What is left of the bar; of less than a beat a whole bar more."""
    left = drill.bar_length - now % drill.bar_length
    return left if left >= 1 else left + drill.bar_length


def _pitches(drill: ExerciseRequest, ladder: ScaleLadder) -> list[Pitch]:
    if drill.kind == "scale" and drill.span == "full range":
        tonic, highest, lowest = ladder.tonic, ladder.up[-1].midi, ladder.down[0].midi
        back = [p for p in reversed(ladder.down) if p.midi < highest]
        return [*ladder.up[tonic:], *back, *[p for p in ladder.up[: tonic + 1] if p.midi > lowest]]
    top = len(ladder.up) - 1
    if drill.kind == "leaps":
        return _leaps(drill, ladder)
    if drill.kind == "inversions":
        ladder = _of_chord(drill, ladder)
        top = len(ladder.up) - 1
    groups = _groups(drill, ladder)
    up = [ladder.up[i] for g in groups for i in g]
    last_down = len(ladder.down) - 1
    down = [ladder.down[last_down - i] for g in groups for i in g if i <= last_down]
    if drill.kind in ("scale", "arpeggio"):
        back = [ladder.down[i] for g in reversed(groups) for i in g if i <= last_down]
        return up if drill.direction == "up" else back if drill.direction == "down" else [*up, *back[1:]]
    if drill.kind == "inversions":  # whole chords: the turning note belongs to both
        return up if drill.direction == "up" else down if drill.direction == "down" else [*up, *down]
    first, last = ladder.up[0], ladder.up[top]
    rising, falling = [*up, last] if up[-1] != last else up, [*down, first] if down[-1] != first else down
    if drill.direction == "both":
        return [*rising, *falling[1 if falling[0] == last else 0 :]]
    return rising if drill.direction == "up" else falling


def _of_chord(drill: ExerciseRequest, ladder: ScaleLadder) -> ScaleLadder:
    """Of a ladder the notes of the chord alone."""
    up, down = (
        tuple(chord_members(drill, notes, ladder.octave, ladder.tonic)) for notes in (ladder.up, ladder.down)
    )
    return ScaleLadder(up, down, ladder.octave if drill.named_chord else len(CHORDS[drill.chord]))


def _groups(drill: ExerciseRequest, ladder: ScaleLadder) -> list[tuple[int, ...]]:
    """The indexes of the ladder in order, going up, by figures."""
    top = len(ladder.up) - 1
    if drill.kind == "intervals":
        step = INTERVALS[drill.interval]
        pairs: list[tuple[int, ...]] = [(i, i + step) for i in range(top - step + 1)]
        if not pairs:
            message = _("{interval} do not fit into {span}: choose a wider span.")
            raise DrillError(message.format(interval=_(drill.interval).capitalize(), span=_(drill.span)))
        return pairs
    if drill.kind == "pattern":
        steps = drill.figure_steps
        figures = [tuple(i + s for s in steps) for i in range(top - max(steps) + 1)]
        if not figures:
            message = _("The figure {figure} does not fit into {span}: choose a wider span.")
            raise DrillError(message.format(figure=drill.figure, span=_(drill.span)))
        return figures
    if drill.kind == "inversions":
        size = ladder.octave
        inversions = [tuple(range(i, i + size)) for i in range(top - size + 2)]
        if not inversions:
            message = _("The inversions of a chord do not fit into {span}: choose a wider span.")
            raise DrillError(message.format(span=_(drill.span)))
        return inversions
    if drill.kind == "arpeggio" and not drill.named_chord:
        degrees = CHORDS[drill.chord]
        return [(i,) for i in range(top + 1) if (i - ladder.tonic) % ladder.octave in degrees]
    return [(i,) for i in range(top + 1)]


def _leaps(drill: ExerciseRequest, ladder: ScaleLadder) -> list[Pitch]:
    """To and fro between one degree and ever farther notes, above it or below it."""
    top = len(ladder.up) - 1
    base = min(drill.degree - 1, top)
    above = list(range(base + 1, top + 1))
    below = list(range(base - 1, -1, -1))
    others = below if drill.direction == "down" else above if drill.direction == "up" else [*above, *below]
    if drill.leaps == "inward":
        others = list(reversed(others))
    out = [base]
    for i in others or [base]:
        out += [i, base]
    return [ladder.up[i] for i in out]


def _long_tones(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """Each note of the ladder held for so many counts, then so many counts of rest."""
    beat = Fraction(4, drill.beats[1])
    sounds: list[UnbarredNote] = []
    way = _turn(drill, ladder)
    for pitch in way:
        sounds.append(UnbarredNote(drill.counts * beat, (pitch,)))
        if drill.rest:
            sounds.append(UnbarredNote(drill.rest * beat))
    return NoteRow(tuple(sounds[:-1] if drill.rest else sounds))


def _turn(drill: ExerciseRequest, ladder: ScaleLadder) -> list[Pitch]:
    if drill.direction == "up":
        return list(ladder.up)
    down = list(reversed(ladder.down))
    return down if drill.direction == "down" else [*ladder.up, *down[1:]]


def _switch(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """Two notes to and fro: halves, quarters, eighths, two bars each, and one to end on."""
    low, high = ladder.up[ladder.tonic], ladder.up[1 - ladder.tonic]
    sounds: list[UnbarredNote] = []
    for value in (Fraction(2), Fraction(1), Fraction(1, 2)):
        count = max(2, int(2 * drill.bar_length / value) // 2 * 2)
        sounds += [UnbarredNote(value, (low if k % 2 == 0 else high,)) for k in range(count)]
    sounds.append(UnbarredNote(drill.bar_length, (low,)))
    return NoteRow(tuple(_articulated(sounds, drill)))


def _two_notes(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """The two notes, and empty bars to make something of them."""
    both = [UnbarredNote(drill.bar_length, (ladder.up[k],)) for k in (ladder.tonic, 1 - ladder.tonic)]
    sounds = [*both, *[UnbarredNote(drill.bar_length)] * max(1, drill.bars - 2)]
    return NoteRow(
        tuple(sounds),
        (
            (
                2 * drill.bar_length,
                Mark(kind="words", offset=Fraction(0), text=_("make your own rhythms of these two notes")),
            ),
        ),
    )


def _rhythm(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """A rhythm drawn by seed, on one note or walking along the scale."""
    rng = np.random.default_rng(drill.seed)
    uses = frozenset(drill.uses)
    beat = Metre(*drill.beats).beat
    values: list[Fraction] = []
    if drill.pickup:
        values.append(beat if beat.numerator == 1 else Fraction(1, 2))
    full = drill.bars - 1 if not drill.pickup else drill.bars - 2
    metre, metres = drill.beats, [drill.beats] if drill.pickup else []
    for k in range(max(1, full)):
        if "changes of metre" in uses and k and k % 2 == 0:
            others = [m for m in (drill.metre, *CHANGES[drill.metre]) if m != f"{metre[0]}/{metre[1]}"]
            chosen = others[int(rng.integers(len(others)))]
            metre = (int(chosen.partition("/")[0]), int(chosen.partition("/")[2]))
        length = Metre(*metre).length
        if "long rests" in uses and k and k % 3 == 0:
            bars = int(rng.integers(2, 5))
            values.append(-bars * length)
            metres += [metre] * bars
        values += draw_in(rng, Metre(*metre), uses)
        metres.append(metre)
    values.append(drill.bar_length - values[0] if drill.pickup else drill.bar_length)
    metres.append(drill.beats)
    if "ties" in uses and "changes of metre" not in uses:
        values = _tied(values, drill, rng)
    way = (
        _turn(dataclasses.replace(drill, direction="both"), ladder)
        if drill.on == "the scale"
        else [ladder.up[0]]
    )
    sounds, k = [], 0
    for value in values:
        if value < 0:
            sounds.append(UnbarredNote(-value))
        else:
            sounds.append(UnbarredNote(value, (way[k % max(1, len(way) - (len(way) > 1))],)))
            k += 1
    if drill.on == "the scale" and sounds:
        sounds[-1] = UnbarredNote(sounds[-1].duration, (ladder.up[0],))
    return NoteRow(tuple(_articulated(sounds, drill)), metres=tuple(metres))


def _tied(values: Sequence[Fraction], drill: ExerciseRequest, rng: np.random.Generator) -> list[Fraction]:
    """Some notes held over a bar line: the last of a bar and the first of the next are one."""
    out: list[Fraction] = []
    now = values[0] - drill.bar_length if drill.pickup else Fraction(0)
    for k, value in enumerate(values):
        over = (
            now % drill.bar_length == 0
            and 1 < k < len(values) - 1
            and out
            and out[-1] > 0
            and value > 0
            and out[-1] + value <= 4
        )
        if over and rng.random() < 0.5:
            out[-1] += value
        else:
            out.append(value)
        now += abs(value)
    return out


def _shrinking(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """One note after another: a whole bar, halves of it, single clicks, with a silent bar after each."""
    sounds: list[UnbarredNote] = []
    beat = Fraction(4, drill.beats[1])
    for pitch in _turn(dataclasses.replace(drill, direction="up"), ladder):
        count = drill.beats[0]
        while count >= 1:
            sounds += [UnbarredNote(count * beat, (pitch,))] * (drill.beats[0] // count)
            if left := drill.beats[0] % count:
                sounds.append(UnbarredNote(left * beat))
            sounds.append(UnbarredNote(drill.bar_length))
            count //= 2
    return NoteRow(tuple(sounds[:-1]))


def _drawn_calls(drill: ExerciseRequest, ladder: ScaleLadder) -> list[list[UnbarredNote]]:
    """Bars of a few notes of the scale, drawn by seed: the same degrees on every ladder."""
    rng = np.random.default_rng(drill.seed)
    at, calls = ladder.tonic, []
    for _unused in range(max(1, drill.bars // 2)):
        call = []
        for value in draw_in(rng, Metre(*drill.beats), frozenset(drill.uses)):
            at = int(np.clip(at + rng.integers(-2, 3), ladder.tonic, len(ladder.up) - 1))
            call.append(UnbarredNote(abs(value), (ladder.up[at],) if value > 0 else ()))
        calls.append(call)
    return calls


def _echo(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """Bars that the program plays, small, each with a bar to answer in."""
    sounds: list[UnbarredNote] = []
    for call in _drawn_calls(drill, ladder):
        sounds += [dataclasses.replace(s, marks={"cue": True}) if s.pitches else s for s in call]
        sounds += call
    return NoteRow(tuple(sounds), (_said(_("small notes: listen; then answer")),))


def _call(drill: ExerciseRequest, ladder: ScaleLadder, leads: bool) -> NoteRow:
    """Bars that one player calls, each answered by all the others in the next."""
    silent = UnbarredNote(drill.bar_length)
    sounds: list[UnbarredNote] = []
    for call in _drawn_calls(drill, ladder):
        sounds += [*call, silent] if leads else [silent, *call]
    words = _("you call, the others answer") if leads else _("listen to the call, then answer")
    return NoteRow(tuple(sounds), (_said(words),))


def _said(words: str) -> tuple[Fraction, Mark]:
    """Words at the beginning."""
    return Fraction(0), Mark(kind="words", offset=Fraction(0), text=words)


def _chords(drill: ExerciseRequest, ladder: ScaleLadder) -> NoteRow:
    """A bar of each chord of the key that is asked for, broken."""
    sounds = [UnbarredNote(v, (ladder.up[s],)) for s, v in broken_chords(drill, ROWS[drill.rhythm])]
    return NoteRow(tuple(_articulated(sounds, drill)))


_SPECIAL: dict[str, Callable[[ExerciseRequest, ScaleLadder], NoteRow]] = {
    "long tones": _long_tones,
    "switch": _switch,
    "two notes": _two_notes,
    "rhythm": _rhythm,
    "shrinking": _shrinking,
    "echo": _echo,
    "chords": _chords,
}


def _articulated(sounds: list[UnbarredNote], drill: ExerciseRequest) -> list[UnbarredNote]:
    """The sounds with slurs or marks of the articulation asked for; notes of one pitch are not slurred."""
    out = list(sounds)
    if drill.articulation in NOTE_MARKS:
        return [
            dataclasses.replace(s, marks={**s.marks, "articulations": (NOTE_MARKS[drill.articulation],)})
            if s.pitches
            else s
            for s in out
        ]
    groups = SLUR_GROUPS.get(drill.articulation)
    if groups is None:
        return out
    k = g = 0
    while k < len(out):
        size = groups[g % len(groups)] if groups[0] > 0 else len(out)
        end = k
        while (
            end + 1 < len(out)
            and end + 1 < k + size
            and out[end + 1].pitches
            and out[end].pitches
            and out[end + 1].pitches != out[end].pitches
        ):
            end += 1
        if end > k:
            out[k] = dataclasses.replace(out[k], marks={**out[k].marks, "slur_starts": ("1",)})
            out[end] = dataclasses.replace(out[end], marks={**out[end].marks, "slur_stops": ("1",)})
        k, g = end + 1, g + 1
    return out


def _dynamics(drill: ExerciseRequest, sounds: Sequence[UnbarredNote]) -> list[tuple[Fraction, Mark]]:
    total = sum((s.duration for s in sounds), Fraction(0))
    begins, now = [], Fraction(0)
    for s in sounds:
        begins.append(now)
        now += s.duration

    def level(at: Fraction, name: str) -> tuple[Fraction, Mark]:
        return at, Mark(kind="dynamics", offset=Fraction(0), text=name, above=False)

    def wedge(a: Fraction, b: Fraction, kind: str) -> list[tuple[Fraction, Mark]]:
        return [
            (a, Mark(kind="wedge", offset=Fraction(0), text=kind, above=False)),
            (b, Mark(kind="wedge", offset=Fraction(0), text="stop", above=False)),
        ]

    middle = max((b for b in begins if b <= total / 2), default=Fraction(0))
    last = begins[-1]
    match drill.dynamics:
        case "crescendo":
            return [level(Fraction(0), "p"), *wedge(Fraction(0), last, "crescendo"), level(last, "f")]
        case "diminuendo":
            return [level(Fraction(0), "f"), *wedge(Fraction(0), last, "diminuendo"), level(last, "p")]
        case "swell":
            return [
                level(Fraction(0), "p"),
                *wedge(Fraction(0), middle, "crescendo"),
                level(middle, "f"),
                *wedge(middle, last, "diminuendo"),
                level(last, "p"),
            ]
        case "terraces":
            bars = [
                drill.bar_length * k
                for k in range(int(total / drill.bar_length) + 1)
                if drill.bar_length * k < total
            ]
            return [level(at, ("p", "mf", "f", "mf")[k % 4]) for k, at in enumerate(bars)]
        case _:
            return []
