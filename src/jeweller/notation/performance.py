"""One part as it is to be played: repeats, endings, D.C., D.S., Fine and Coda played out, ties merged, cue
notes left out.

`Line` is what hearing follows. Positions are exact quarter notes from its start.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.model import Bar, Note, Part

MAX_PLAYED_BARS = 20_000
NO_PITCH = 60  # stands for the pitch of a note that has none


@dataclass(frozen=True, kw_only=True)
class PerformedNote:
    """One note to be played (ties merged). `onset` is quarters from the start of the line."""

    id: str
    score_id: str
    bar_index: int  # into Line.bars
    bar: str
    passing: int
    offset: Fraction
    onset: Fraction
    duration: Fraction
    written: Note
    sounding_midi: int
    tied_ids: tuple[str, ...]
    grace: bool
    slurred_to_next: bool
    slurred_from_previous: bool
    fermata: bool
    breath_after: bool

    @property
    def written_midi(self) -> int:
        return self.written.pitch.midi if self.written.pitch is not None else NO_PITCH

    @property
    def end(self) -> Fraction:
        return self.onset + self.duration


@dataclass(frozen=True, kw_only=True)
class PerformedRest:
    """A rest to be counted: neighbouring printed rests are one."""

    id: str
    score_id: str
    bar_index: int
    bar: str
    passing: int
    offset: Fraction
    onset: Fraction
    duration: Fraction


@dataclass(frozen=True, kw_only=True)
class PerformedBar:
    """One bar of the performance: the written bar's index, which pass it is, and where it begins."""

    index: int
    number: str
    passing: int
    onset: Fraction
    length: Fraction
    bar: Bar

    @property
    def beat(self) -> Fraction:
        """The metre's beat in quarters: a dotted quarter in 6/8, 9/8 and 12/8."""
        return self.bar.metre.beat


@dataclass(frozen=True, kw_only=True)
class PerformedPart:
    """A part played out. `notes` are in order of performance, grace notes before their main note."""

    title: str
    part: Part
    bars: tuple[PerformedBar, ...]
    notes: tuple[PerformedNote, ...]
    rests: tuple[PerformedRest, ...]
    written_bpm: float | None  # quarters per minute at the start
    tempo_marks: tuple[tuple[Fraction, float], ...]
    free_from: tuple[tuple[Fraction, Fraction], ...]  # stretches (quarters) under a rit., accel. or the like

    @property
    def beat(self) -> Fraction:
        return self.bars[0].beat if self.bars else Fraction(1)

    @cached_property
    def main_notes(self) -> tuple[PerformedNote, ...]:
        return tuple(n for n in self.notes if not n.grace)

    @cached_property
    def graces(self) -> tuple[tuple[PerformedNote, ...], ...]:
        """The grace notes before each main note, in their order."""
        out: list[tuple[PerformedNote, ...]] = []
        waiting: tuple[PerformedNote, ...] = ()
        for note in self.notes:
            if note.grace:
                waiting = (*waiting, note)
            else:
                out.append(waiting)
                waiting = ()
        return tuple(out)

    def beat_in_bar(self, bar_index: int, offset: Fraction) -> float:
        """1-based beat of an offset (quarters) in a bar; a pickup counts from the end of the full bar."""
        bar = self.bars[bar_index]
        lead = (
            bar.bar.metre.length - bar.length
            if bar.bar.implicit and bar_index == 0 and bar.length < bar.bar.metre.length
            else Fraction(0)
        )
        return float((offset + lead) / bar.beat) + 1


def playing_order(bars: tuple[Bar, ...]) -> list[int]:
    """Indexes of the written bars in the order they are played.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> playing_order(part.bars)
    [0, 1]
    """
    order: list[int] = []
    i = start = 0
    count = 1
    jumped = False
    while i < len(bars):
        bar = bars[i]
        if bar.repeat_start and i != start:
            start, count = i, 1
        if bar.ending_start and not _ending_now(bars, i, start, count, jumped):
            while i < len(bars) and not bars[i].ending_stop:
                i += 1
            i += 1
            continue
        order.append(i)
        if len(order) > MAX_PLAYED_BARS:
            raise ScoreError(
                _(
                    "With all its repeats this part has more than 20000 bars; the repeat signs are "
                    "probably damaged."
                )
            )
        if jumped and bar.fine:
            break
        if jumped and bar.to_coda:
            coda = next((k for k in range(len(bars)) if bars[k].coda and k > i), None)
            if coda is not None:
                i = start = coda
                count = 1
                continue
        if bar.repeat_times and not jumped and _again(bars, i, start, count):
            count += 1
            i = start
            continue
        if bar.repeat_times or (bar.ending_stop and bar.ending and max(bar.ending) >= count and count > 1):
            start, count = i + 1, 1
        if (bar.dacapo or bar.dalsegno) and not jumped:
            jumped = True
            i = start = next((k for k in range(len(bars)) if bars[k].segno), 0) if bar.dalsegno else 0
            count = 1
            continue
        i += 1
    return order


def _ending_group(bars: tuple[Bar, ...], start: int) -> list[tuple[int, ...]]:
    """The endings that belong to the section beginning at `start`, up to the first bar after them."""
    found: list[tuple[int, ...]] = []
    for bar in bars[start:]:
        if bar.ending_start:
            if found and 1 in bar.ending:
                break
            found.append(bar.ending)
        elif found and not bar.ending:
            break
    return found


def _ending_now(bars: tuple[Bar, ...], i: int, start: int, count: int, jumped: bool) -> bool:
    if jumped:
        group = _ending_group(bars, start)
        return bool(group) and bars[i].ending == group[-1]
    return count in bars[i].ending


def _again(bars: tuple[Bar, ...], i: int, start: int, count: int) -> bool:
    if bars[i].ending:
        numbers = [n for ending in _ending_group(bars, start) for n in ending]
        return (
            count + 1 in numbers
            or count < max(bars[i].ending)
            or (count == 1 and max(numbers, default=1) == 1)
        )
    return count < bars[i].repeat_times


_FREE_WORDS = (
    "rit",
    "rall",
    "allarg",
    "accel",
    "string",
    "ad lib",
    "rubato",
    "a piacere",
    "morendo",
    "calando",
)
_BACK_WORDS = ("a tempo", "tempo i", "tempo primo")
TEMPO_WORDS = (*_FREE_WORDS, *_BACK_WORDS)  # what a direction begins with that moves the speed


def perform_past_fine(line: PerformedPart) -> PerformedPart | None:
    """The same part as somebody plays it who does not see the Fine and goes on to the end; None where the
    line does not end at a Fine.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> perform_past_fine(perform_part("A line", part)) is None
    True
    """
    last = line.bars[-1]
    if not last.bar.fine or last.index + 1 >= len(line.part.bars):
        return None
    bars = tuple(dataclasses.replace(b, fine=False) for b in line.part.bars)
    longer = perform_part(line.title, dataclasses.replace(line.part, bars=bars))
    return longer if longer.main_notes[: len(line.main_notes)] == line.main_notes else None


def _unfold_bars(part: Part) -> list[PerformedBar]:
    """The bars in the order they are played, each with the pass it is played in and where it begins."""
    bars: list[PerformedBar] = []
    onset = Fraction(0)
    passes: dict[int, int] = {}
    for index in playing_order(part.bars):
        passes[index] = passes.get(index, 0) + 1
        bar = part.bars[index]
        bars.append(
            PerformedBar(
                index=index, number=bar.number, passing=passes[index], onset=onset, length=bar.length, bar=bar
            )
        )
        onset += bar.length
    return bars


def _perform_rest(
    rest: Note, played: PerformedBar, index: int, rests: list[PerformedRest], apart: bool
) -> None:
    """Adds a rest, or makes the last one longer where it follows on it and no note stands between."""
    at = played.onset + rest.offset
    if rests and rests[-1].onset + rests[-1].duration == at and not apart:
        rests[-1] = dataclasses.replace(rests[-1], duration=rests[-1].duration + rest.duration)
        return
    rests.append(
        PerformedRest(
            id=f"{rest.id}@{played.passing}",
            score_id=rest.id,
            bar_index=index,
            bar=played.number,
            passing=played.passing,
            offset=rest.offset,
            onset=at,
            duration=rest.duration,
        )
    )


def _perform_events(
    bars: Sequence[PerformedBar], chromatic: int, *, rhythm_only: bool
) -> tuple[list[PerformedNote], list[PerformedRest]]:
    """Notes and rests of the bars; tied notes are one."""
    notes: list[PerformedNote] = []
    rests: list[PerformedRest] = []
    slurs: set[str] = set()
    tie_open = False
    for index, played in enumerate(bars):
        for note in played.bar.notes:
            if note.cue or note.chord or (note.unpitched and not rhythm_only):
                continue
            at = played.onset + note.offset
            if note.is_rest:
                _perform_rest(note, played, index, rests, bool(notes) and notes[-1].onset >= at)
                tie_open = False
                continue
            before = bool(slurs)
            slurs -= set(note.slur_stops)
            slurs |= set(note.slur_starts)
            last = notes[-1] if notes else None
            tied = tie_open and note.tie_stop and last is not None
            if tied and last is not None and last.end == at and last.written.pitch == note.pitch:
                notes[-1] = dataclasses.replace(
                    last,
                    duration=last.duration + note.duration,
                    tied_ids=(*last.tied_ids, note.id),
                    slurred_to_next=bool(slurs),
                    fermata=last.fermata or note.fermata,
                    breath_after=note.breath_after,
                )
            else:
                sounding = note.pitch.midi + chromatic if note.pitch is not None else NO_PITCH
                notes.append(
                    PerformedNote(
                        id=f"{note.id}@{played.passing}",
                        score_id=note.id,
                        bar_index=index,
                        bar=played.number,
                        passing=played.passing,
                        offset=note.offset,
                        onset=at,
                        duration=note.duration,
                        written=note,
                        sounding_midi=sounding,
                        tied_ids=(note.id,),
                        grace=note.grace,
                        slurred_to_next=bool(slurs),
                        slurred_from_previous=before,
                        fermata=note.fermata,
                        breath_after=note.breath_after,
                    )
                )
            tie_open = note.tie_start
    return notes, rests


def _free_stretches(
    bars: Sequence[PerformedBar], tempi: Sequence[Fraction]
) -> tuple[tuple[Fraction, Fraction], ...]:
    """(begin, end) of each stretch whose speed is the player's: from "rit." and the like to the next speed,
    "a tempo" or the end.
    """
    end = bars[-1].onset + bars[-1].length
    words = [(b.onset + m.offset, m.text.casefold()) for b in bars for m in b.bar.marks if m.kind == "words"]
    backs = sorted(
        [at for at, text in words if text.startswith(_BACK_WORDS)] + [at for at in tempi if at > 0]
    )
    return tuple(
        (at, next((b for b in backs if b > at), end)) for at, text in words if text.startswith(_FREE_WORDS)
    )


def perform_part(title: str, part: Part, *, rhythm_only: bool = False) -> PerformedPart:
    """Plays a part out; with `rhythm_only` notes without pitch too, and of a chord its first. Raises
    ScoreError where nothing is left to play.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> line = perform_part("A line", part)
    >>> [(n.written.pitch.name, float(n.onset)) for n in line.main_notes[:3]]
    [('F4', 0.0), ('G4', 1.0), ('A4', 2.0)]
    """
    bars = _unfold_bars(part)
    notes, rests = _perform_events(bars, part.chromatic, rhythm_only=rhythm_only)
    if not any(not n.grace for n in notes):
        raise ScoreError(_("The part “{name}” has no notes to play.").format(name=part.name))
    notes[-1] = dataclasses.replace(notes[-1], slurred_to_next=False)
    tempo = [
        (b.onset + m.offset, m.value) for b in bars for m in b.bar.marks if m.kind == "tempo" and m.value
    ]
    return PerformedPart(
        title=title or part.name,
        part=part,
        bars=tuple(bars),
        notes=tuple(notes),
        rests=tuple(rests),
        written_bpm=tempo[0][1] if tempo and tempo[0][0] == 0 else None,
        tempo_marks=tuple(tempo),
        free_from=_free_stretches(bars, [at for at, _bpm in tempo]),
    )
