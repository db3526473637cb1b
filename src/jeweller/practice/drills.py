"""A drill for a finding, made of the very place it was heard in: the two notes in turn, the bar on one note,
without its graces, with reminders, its long notes, its scale.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.errors import DrillError
from jeweller.exercises.make import make_exercise
from jeweller.exercises.request import ExerciseRequest
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.excerpt import stand_alone
from jeweller.notation.model import Bar, Note, Part
from jeweller.notation.pitch import Pitch, key_alter, key_name
from jeweller.report_format import ReportFinding

F = Fraction
SHRINKING_BARS = 18  # three notes of the scale: wholes, halves, quarters each
TURNS = 4  # bars of two notes in turn
LEAST_NOTES = 3  # of a bar that is practised by itself; else with the one before
STEPS = "CDEFGAB"
# What a drill is called, how it is practised, and at which share of the speed it begins.
DRILLS = {
    "switch": (
        N_("The two notes in turn"),
        N_("Slowly and evenly; faster only when both come at once."),
        0.6,
    ),
    "slow_bar": (N_("The bar, slowly"), N_("Three times right running, then a little faster."), 0.6),
    "from_safe": (N_("From a safe note"), N_("Slur it; then tongue the second note."), 0.6),
    "octaves": (N_("Octaves, slurred"), N_("The fingers stay as near as they can; the air does it."), 0.6),
    "one_note": (N_("Its rhythm on one note"), N_("Count the parts of the beat aloud, then play."), 0.7),
    "say_scale": (N_("Its scale"), N_("Say each altered note before you play it."), 0.7),
    "reminders": (N_("The bar with reminders"), N_("Play it with the signs, then from your own part."), 0.7),
    "count_clap": (N_("The bars, counted"), N_("Count aloud and clap, then play."), 0.7),
    "breaths": (N_("The bars in one breath"), N_("Breathe deep before, and only there."), 0.8),
    "far_slow_click": (N_("The bars with a click"), N_("Far slower than needed; then let it fade."), 0.5),
    "bars_joined": (
        N_("The bars around it"),
        N_("Point along first; then play on through them."),
        0.7,
    ),
    "point_way": (N_("The bars around the sign"), N_("Point the way through, then play it."), 0.8),
    "shrinking": (N_("Shrinking notes"), N_("With the click: be there when it is."), 0.8),
    "grace_without": (N_("The bar without its grace notes"), N_("First so, then with them."), 0.6),
    "trill_slow": (N_("The trill, counted"), N_("From the note it begins with; faster step by step."), 0.7),
    "long_tones": (N_("Long tones"), N_("Even from the beginning to the end."), 0.8),
}


@dataclass(frozen=True, kw_only=True)
class Drill:
    """What is practised: its music, how, and at which share of the speed that was asked for it begins."""

    kind: str
    title: str
    how: str
    share: float
    part: Part


def drill_name(kind: str) -> str:
    """What a drill is called.

    >>> drill_name("none")
    'no drill'
    """
    return _(DRILLS[kind][0]) if kind in DRILLS else _("no drill")


def within(part: Part, bars: Sequence[Bar], instrument: Instrument) -> bool:
    """Whether bars made of a part stay where the instrument, or the part itself, has notes."""
    pitches = [n.pitch.midi for b in bars for n in b.notes if n.pitch is not None]
    own = [n.pitch.midi for b in part.bars for n in b.notes if n.pitch is not None]
    low, high = instrument.low - part.chromatic, instrument.high - part.chromatic
    return not pitches or (min(pitches) >= min(low, *own) and max(pitches) <= max(high, *own))


def on_one_note(bars: Iterable[Bar], pitch: Pitch) -> list[Bar]:
    """The rhythm of bars on one note, without graces, ornaments and slurs."""

    def flat(n: Note) -> Note:
        if n.pitch is None:
            return n
        return dataclasses.replace(
            n, pitch=pitch, accidental=None, ornament=None, slur_starts=(), slur_stops=()
        )

    return [
        dataclasses.replace(b, notes=tuple(flat(n) for n in b.notes if not n.grace and not n.chord))
        for b in bars
    ]


def make_drill(kind: str, part: Part, finding: ReportFinding, instrument: Instrument) -> Drill:
    """A drill of a kind for a finding in a part. Raises DrillError where none can be made of this place."""
    if kind not in DRILLS:
        raise DrillError(_("There is no drill to be made for this."))
    title, how, share = DRILLS[kind]
    place = _Place.of(part, finding)
    bars = _MADE[kind](place, instrument)
    if not bars or not any(not n.is_rest for b in bars for n in b.notes):
        raise DrillError(_("There is nothing to practise in this bar."))
    if not within(part, bars, instrument):  # as a trill on the highest note
        raise DrillError(_("There is nothing to practise in this bar."))
    numbered = tuple(
        dataclasses.replace(
            b,
            number=str(k),
            marks=(),  # its speed is told with the drill
            notes=tuple(dataclasses.replace(n, id=f"d{k}-{i}") for i, n in enumerate(b.notes)),
        )
        for k, b in enumerate(bars, 1)
    )
    made = dataclasses.replace(part, bars=numbered)
    return Drill(kind=kind, title=_(title), how=_(how), share=share, part=made)


@dataclass(frozen=True)
class _Place:
    """Where a finding lies: its bar in the part, its note in it, the note before."""

    part: Part
    index: int
    note: Note | None
    before: Note | None
    too_high: bool = False  # what came out was above the note

    @classmethod
    def of(cls, part: Part, finding: ReportFinding) -> _Place:
        numbers = [b.number for b in part.bars]
        index = numbers.index(finding["bar"]) if finding["bar"] in numbers else 0
        sounding = [
            (k, n)
            for k, b in enumerate(part.bars)
            for n in b.notes
            if n.pitch is not None and not n.grace and not n.cue and not n.chord
        ]
        too_high = (finding["detail"].get("semitones") or 0) > 0
        bar = part.bars[index]
        beat = float(bar.metre.beat)
        inside = [(i, n) for i, (k, n) in enumerate(sounding) if k == index]
        if not inside:
            return cls(part, index, None, None)
        at, note = min(inside, key=lambda x: abs(float(x[1].offset) / beat + 1.0 - finding["beat"]))
        before = sounding[at - 1][1] if at else (sounding[at + 1][1] if at + 1 < len(sounding) else None)
        return cls(part, index, note, before, too_high)

    @property
    def bar(self) -> Bar:
        return self.part.bars[self.index]

    @property
    def full(self) -> bool:
        """Whether there is enough in the bar to be practised by itself."""
        return sum(n.pitch is not None and not n.grace and not n.chord for n in self.bar.notes) >= LEAST_NOTES

    def pitch(self) -> Pitch:
        """Raises DrillError where the place has none."""
        if self.note is None or self.note.pitch is None:
            raise DrillError(_("There is no note at this place."))
        return self.note.pitch

    def around(self, before: int = 0, after: int = 0) -> list[Bar]:
        """Bars around the place, as if they stood alone."""
        some = self.part.bars[max(0, self.index - before) : self.index + after + 1]
        return [dataclasses.replace(b, marks=()) for b in stand_alone(some)]

    def row(self, notes: Sequence[tuple[Pitch, Fraction]], *, slurred: int = 0) -> list[Bar]:
        """Notes laid out in the key and clef of the place, in 4/4; each `slurred` of them under one slur."""
        bar = self.bar
        attributes = BarAttributes(fifths=bar.fifths, mode=bar.mode, clef=bar.clef)
        unbarred = []
        for k, (pitch, length) in enumerate(notes):
            marks: dict[str, object] = {}
            if slurred and k % slurred == 0:
                marks["slur_starts"] = ("1",)
            if slurred and k % slurred == slurred - 1:
                marks["slur_stops"] = ("1",)
            unbarred.append(UnbarredNote(length, (pitch,), marks))
        return list(lay_out_bars(unbarred, [attributes]))


def names_beside(part: Part, finding: ReportFinding) -> list[str]:
    """The written notes at the place of a finding and before it, by name."""
    place = _Place.of(part, finding)
    return [n.pitch.name for n in (place.before, place.note) if n is not None and n.pitch is not None]


def _neighbour(place: _Place, up: bool = True) -> Pitch:
    """The next note of the key above (below) the place's."""
    pitch = place.pitch()
    at = STEPS.index(pitch.step) + (1 if up else -1)
    step, octave = STEPS[at % len(STEPS)], pitch.octave + (at // len(STEPS))
    return Pitch(step, key_alter(step, place.bar.fifths), octave)


def _switch(place: _Place, _instrument: Instrument) -> list[Bar]:
    other = place.before.pitch if place.before is not None and place.before.pitch is not None else None
    if other is None or other == place.pitch():
        other = _neighbour(place)
    pair = [(other, F(2)), (place.pitch(), F(2))] * (TURNS // 2)
    return place.row(pair + [(other, F(1)), (place.pitch(), F(1))] * TURNS)


def _from_safe(place: _Place, instrument: Instrument) -> list[Bar]:
    low = [n.pitch for b in place.part.bars for n in b.notes if n.pitch is not None and not n.cue]
    # what spoke too high is come to from above, else it is come to from below
    here, way = place.pitch().midi, 1 if place.too_high else -1
    near = sorted({p for p in low if way * (p.midi - here) > 0}, key=lambda p: abs(p.midi - here))
    safe = near[min(2, len(near) - 1)] if near else _neighbour(place, up=place.too_high)
    return place.row([(safe, F(2)), (place.pitch(), F(2))] * TURNS, slurred=2)


def _octaves(place: _Place, instrument: Instrument) -> list[Bar]:
    pitch = place.pitch()
    low, high = instrument.low - instrument.chromatic, instrument.high - instrument.chromatic
    down = dataclasses.replace(pitch, octave=pitch.octave - 1)
    up = dataclasses.replace(pitch, octave=pitch.octave + 1)
    pair = (down, pitch) if down.midi >= low else (pitch, up)
    if pair[1].midi > high or pair[0].midi < low:
        return _from_safe(place, instrument)
    return place.row([(pair[0], F(2)), (pair[1], F(2))] * TURNS, slurred=2)


def _on_one_note(place: _Place, _instrument: Instrument) -> list[Bar]:
    return on_one_note(place.around(), place.pitch()) * 2


def _reminders(place: _Place, _instrument: Instrument) -> list[Bar]:
    signs = {-2: "flat-flat", -1: "flat", 0: "natural", 1: "sharp", 2: "double-sharp"}

    def signed(n: Note) -> Note:
        if n.pitch is None or (not n.pitch.alter and n.accidental is None):
            return n
        return dataclasses.replace(n, accidental=signs.get(n.pitch.alter), cautionary=n.accidental is None)

    return [dataclasses.replace(b, notes=tuple(signed(n) for n in b.notes)) for b in place.around(0, 1)]


def _breaths(place: _Place, _instrument: Instrument) -> list[Bar]:
    """The bars with their breaths marked: before the slur and behind it; where there is none, at the end of
    the bars before and after.
    """
    bars = place.around(1, 1)
    sounding = [n for b in bars for n in b.notes if n.pitch is not None and not n.grace and not n.chord]
    ids = [n.id for n in sounding]
    at = ids.index(place.note.id) if place.note is not None and place.note.id in ids else -1
    first = next((k for k in range(at, -1, -1) if sounding[k].slur_starts), -1)
    last = next((k for k in range(max(at, 0), len(sounding)) if sounding[k].slur_stops), -1)
    if at >= 0 and first >= 0 and last >= 0:
        marked = {ids[k] for k in (first - 1, last) if k >= 0}
    else:
        by_bar = [[n.id for n in b.notes if n.id in ids] for b in bars]
        marked = {own[-1] for k, own in enumerate(by_bar) if own and k != 1}

    def breathed(n: Note) -> Note:
        return dataclasses.replace(n, breath_after=n.id in marked)

    return [dataclasses.replace(b, notes=tuple(breathed(n) for n in b.notes)) for b in bars]


def _without_graces(place: _Place, _instrument: Instrument) -> list[Bar]:
    bars = place.around()
    plain = [dataclasses.replace(b, notes=tuple(n for n in b.notes if not n.grace)) for b in bars]
    return [*plain, *bars]


def _trill(place: _Place, _instrument: Instrument) -> list[Bar]:
    pitch, upper = place.pitch(), _neighbour(place)
    row = [(pitch, F(1)), (upper, F(1))] * 2 + [(pitch, F(1, 2)), (upper, F(1, 2))] * 4
    return place.row([*row, (pitch, F(4))])


def _long_tones(place: _Place, _instrument: Instrument) -> list[Bar]:
    pitch = place.pitch()
    return place.row([(pitch, F(4)), (_neighbour(place, up=False), F(4)), (pitch, F(4))])


def _scale(place: _Place, instrument: Instrument) -> list[Bar]:
    return _made(place, instrument, "scale")


def _shrinking(place: _Place, instrument: Instrument) -> list[Bar]:
    return _made(place, instrument, "shrinking")[:SHRINKING_BARS]


def _made(place: _Place, instrument: Instrument, kind: str) -> list[Bar]:
    """An exercise of the pattern book in the key of the place."""
    tonic, mode = key_name(place.bar.fifths, place.bar.mode).rsplit(" ", 1)
    scale = "major" if mode != "minor" else "melodic minor"
    request = ExerciseRequest(kind=kind, tonic=tonic, scale=scale, concert=False, rhythm="quarters")
    return list(make_exercise(request, [instrument]).score.parts[0].bars)


_MADE: dict[str, Callable[[_Place, Instrument], list[Bar]]] = {
    "switch": _switch,
    "slow_bar": lambda place, _i: place.around(0 if place.full else 1),
    "from_safe": _from_safe,
    "octaves": _octaves,
    "one_note": _on_one_note,
    "say_scale": _scale,
    "reminders": _reminders,
    "count_clap": lambda place, _i: place.around(1, 1),
    "breaths": _breaths,
    "far_slow_click": lambda place, _i: place.around(1, 1),
    "bars_joined": lambda place, _i: place.around(1, 1),
    "point_way": lambda place, _i: place.around(2, 2),
    "shrinking": _shrinking,
    "grace_without": _without_graces,
    "trill_slow": _trill,
    "long_tones": _long_tones,
}
