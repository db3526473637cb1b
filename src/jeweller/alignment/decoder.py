"""The search: a semi-Markov way through (candidate boundary, number of notes done), in one pass over the
boundaries.

Besides what a segment may hold (`jeweller.alignment.segments`) notes may be left out with their time, and
from any boundary the player may go back or jump ahead to the beginning of a bar. Time and memory are linear
in the length of the recording: only boundaries within the longest possible note, and notes within a window
around the best place so far, are looked at.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.alignment.segments import (
    NEVER,
    SegmentStarts,
    SegmentTable,
    StepKind,
    cost_of_duration,
    expect_seconds,
)
from jeweller.alignment.settings import DECODER, SEGMENTS
from jeweller.errors import Cancelled

Array = npt.NDArray[np.float32]


NOT_BROKEN = (float(NEVER), -1, -1, 0, 0)
ASKED_EVERY = 16  # boundaries: whether to go on
WINDOW_STEP = 32  # notes by which the window moves: rows of one window need no shifting


@dataclass(frozen=True, kw_only=True)
class PathStep:
    """One step of the way: boundaries `start`..`end` (indexes), kind, sounding pitch or None.

    `item` is the note it holds; for StepKind.EXTRA and StepKind.JUNK the note it stands before; for
    StepKind.DELETED the first note left out (up to the next step's); for StepKind.JUMP the note that would
    have been next.
    """

    start: int
    end: int
    item: int
    kind: int
    pitch: int | None


@dataclass(frozen=True)
class AlignmentPath:
    steps: tuple[PathStep, ...]
    score: float


@dataclass(frozen=True)
class Neighbourhood:
    """The first and the last note that a way is at, at each boundary, (B,) each: where it jumps it is at
    two.
    """

    first: npt.NDArray[np.int64]
    last: npt.NDArray[np.int64]


def decode_path(
    table: SegmentTable,
    spq: npt.NDArray[np.float64],
    *,
    carried: bool = False,
    stop: int | None = None,
    near: AlignmentPath | None = None,
    closed: Sequence[tuple[int, int]] = (),
    known: tuple[PathStep, ...] = (),
    cancelled: Callable[[], bool] = lambda: False,
) -> AlignmentPath:
    """The best way over the first `stop` boundaries, for the local tempo `spq` (seconds per quarter at each
    note, shape (N,)).

    With `carried`, `spq` only says where to begin: every way carries its own tempo, learnt from its own
    intervals. With `near` only the neighbourhood of a way found before is looked at. No way jumps within the
    stretches of boundaries `closed`. It begins with the steps `known`, the last of which is a note; its score
    is then that of the others.

    >>> from jeweller.alignment.candidates import find_candidates
    >>> from jeweller.alignment.note_arrays import make_note_arrays
    >>> from jeweller.alignment.segments import gather_evidence
    >>> from jeweller.alignment.settings import DEFAULT
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> notes = make_note_arrays(perform_part("", read_abc("T:A\\nM:2/4\\nL:1/4\\nK:C\\nA c|")[0].parts[0]))
    >>> t = np.arange(22050) / 22050
    >>> tones = sum(np.sin(2 * np.pi * k * np.outer([440.0, 523.25], t)) / k for k in range(1, 8))
    >>> sound = (tones * np.minimum(0.2, 4 * (1.0 - t))).ravel().astype(np.float32)
    >>> features = extract_features(sound, 60, 76)
    >>> evidence, candidates = gather_evidence(features, DEFAULT), find_candidates(features, DEFAULT)
    >>> table = SegmentTable(notes, evidence, candidates, features.step_s, DEFAULT)
    >>> path = decode_path(table, np.array([1.0, 1.0]))
    >>> [(StepKind(s.kind).name, s.item) for s in path.steps]
    [('NOTE', 0), ('NOTE', 1)]
    """
    return _Search(table, spq, carried, stop or len(table.frame), near, closed, known).run(cancelled)


def neighbourhood(way: AlignmentPath, total: int) -> Neighbourhood:
    """Where a way is at each of `total` boundaries.

    >>> step = PathStep(start=0, end=2, item=5, kind=StepKind.NOTE, pitch=None)
    >>> neighbourhood(AlignmentPath((step,), 0.0), 4).last.tolist()
    [5, 5, 5, 5]
    """
    first, last = np.full(total, np.iinfo(np.int64).max), np.full(total, -1, np.int64)
    for step in way.steps:
        if step.kind not in (StepKind.JUMP, StepKind.DELETED):
            here = slice(step.start, step.end + 1)
            first[here] = np.minimum(first[here], step.item)
            last[here] = np.maximum(last[here], step.item)
    known = np.flatnonzero(last >= 0)
    if not len(known):
        return Neighbourhood(np.zeros(total, np.int64), np.zeros(total, np.int64))
    nearest = known[np.clip(np.searchsorted(known, np.arange(total), side="right") - 1, 0, len(known) - 1)]
    return Neighbourhood(first[nearest], last[nearest])


class _Search:
    def __init__(
        self,
        table: SegmentTable,
        spq: npt.NDArray[np.float64],
        carried: bool,
        total: int,
        near: AlignmentPath | None = None,
        closed: Sequence[tuple[int, int]] = (),
        known: tuple[PathStep, ...] = (),
    ) -> None:
        self.table, self.carried, self.total, self.known = table, carried, total, known
        self.along = neighbourhood(near, total) if near is not None else None
        self.may_jump = np.ones(total, np.bool_)
        for first, last in closed:
            self.may_jump[first : last + 1] = False
        self.items, self.s, self.evidence = table.items, table.s, table.evidence
        self.time = table.time
        self.log_expected = expect_seconds(self.items, spq).astype(np.float32)
        spreads = self.s.carried_spreads if carried else (self.s.ioi_spread,)
        self.narrow = (1.0 / np.array(spreads)).astype(np.float32)
        self.gain = np.array(self.s.carried_gains, np.float32)
        self.count = len(self.items.midi)
        # The pitches of the next few notes from each note on, (N, phrase); behind the end none is alike.
        phrase = self.s.phrase_notes
        pitches = np.concatenate([self.items.midi, -1 - np.arange(phrase)])
        self.phrases = np.lib.stride_tricks.sliding_window_view(pitches, phrase)[: self.count]
        second = self.items.first_time < np.arange(self.count)
        self.again = np.concatenate([[0], np.cumsum(second)])  # how many before each note come again
        self.starts = np.nonzero(self.items.bar_start)[0]
        self.openings = np.nonzero(self.items.opening)[0]
        longest = float(self.items.ioi_q.max()) * self.s.longest_spq + 1.5
        self.first = np.searchsorted(self.time, self.time - min(max(longest, 3.0), SEGMENTS.longest_note_s))
        self.width = min(self.count + 1, self.s.window_notes)
        shape = (total, self.width)
        self.low = np.zeros(total, np.int64)
        self.top = np.full(total, NEVER, np.float32)  # the best of each row
        self.alive = np.zeros(0, np.int64)  # boundaries from which a segment may still come
        self.most = np.zeros(total, np.float32)  # the most nats that any pitch had from each of them on
        self.best = np.full(shape, NEVER, np.float32)
        self.back_at = np.full(shape, -1, np.int32)
        self.back_kind = np.zeros(shape, np.int8)
        self.back_pitch = np.full(shape, -1, np.int16)
        self.back_item = np.full(shape, -1, np.int32)
        # At each boundary the best note broken off there: (score, start, item, kind, pitch).
        self.broken: list[tuple[float, int, int, int, int]] = [NOT_BROKEN] * total
        # Log ratio of each way's own tempo to the one given, and how many intervals it has learnt it from.
        self.pace = np.zeros(shape if carried else (0, 0), np.float32)
        self.age = np.zeros(shape if carried else (0, 0), np.int8)

    def run(self, cancelled: Callable[[], bool]) -> AlignmentPath:
        s, n, width = self.s, self.count, self.width
        sound = self.evidence.sound[self.table.frame]
        lead = (-s.lead_rate * sound).astype(np.float32)
        deleted_ramp = (s.deleted_cost * np.arange(width)).astype(np.float32)
        places = np.arange(width)
        begin, centre = (self.known[-1].end, self.known[-1].item + 1) if self.known else (0, 0)
        for b in range(begin, self.total):
            if b % ASKED_EVERY == 0 and cancelled():
                raise Cancelled
            lo = max(0, min((centre - width // 2) // WINDOW_STEP * WINDOW_STEP, n + 1 - width))
            self.low[b] = lo
            row = self.best[b]
            if self.known and b == begin:
                row[centre - lo] = 0.0
                if self.carried:  # the tempo given is the one that was learnt
                    self.age[b] = len(self.gain) - 1
            elif not self.known and b < self.total - 1 and (b == 0 or lead[b] > self.top[b - 1] - s.beam):
                self._begin(b, lo, lead[b])
            if b > begin:
                self._arrive(b, lo)
            # Notes left out together with their time: the best place before each, at a cost for every note
            # between.
            climb = row + deleted_ramp
            peak = np.maximum.accumulate(climb)
            source = np.maximum.accumulate(np.where(climb >= peak, places, 0))
            value = peak - deleted_ramp
            gone = np.nonzero((value > row) & (source < places))[0]
            row[gone] = value[gone]
            self.back_at[b, gone], self.back_kind[b, gone], self.back_item[b, gone] = (
                b,
                StepKind.DELETED,
                lo + source[gone],
            )
            if self.carried:
                self.pace[b, gone], self.age[b, gone] = self.pace[b, source[gone]], self.age[b, source[gone]]
            top = int(row.argmax())
            centre = lo + top
            self.top[b] = row[top]
            if self.may_jump[b]:
                self._jump(b, lo, top)
            else:
                self.broken[b] = NOT_BROKEN
        return self._trace(sound)

    def _begin(self, b: int, lo: int, lead: np.float32) -> None:
        """Not yet begun: everything so far was no music. The take may begin at a later bar."""
        first = self.openings[
            np.searchsorted(self.openings, lo) : np.searchsorted(
                self.openings, min(lo + self.width, self.s.window_notes)
            )
        ]
        value = np.where(first > 0, lead - np.float32(self.s.late_start_cost), lead)
        better = value > self.best[b, first - lo]
        k = first[better] - lo
        self.best[b, k] = value[better]
        self.back_kind[b, k], self.back_at[b, k], self.back_item[b, k] = StepKind.LEAD, -1, first[better]

    def _jump(self, b: int, lo: int, top: int) -> None:
        """Going on from the beginning of another bar, out of the best place so far: a note may be broken off
        for it.
        """
        s, bars = self.s, self.items.bar
        value, place = float(self.best[b, top]), lo + top
        broke = self.broken[b][0] > value
        if broke:
            value, place = self.broken[b][0], self.broken[b][2] + 1
        else:
            self.broken[b] = NOT_BROKEN
        targets = self.starts[
            np.searchsorted(self.starts, lo) : np.searchsorted(self.starts, lo + self.width)
        ]
        targets = targets[targets != place]
        away = bars[targets] - bars[min(place, self.count - 1)]
        near = (np.abs(away) <= s.jump_bars) | (targets == 0)  # the whole line once more may be farther
        back = (targets < place) & (away >= -s.back_bars)
        cost = np.where(back, s.back_cost, s.jump_cost)
        # Few of them would be any better off, even if the pitches told them well apart.
        near &= self.best[b, targets - lo] < value - cost
        if not near.any():
            return
        targets, cost = targets[near], cost[near]
        cost = cost + s.alike_cost * self._untold(place, targets)
        if broke:  # a blink of the note before is not what tells the places apart
            again = np.where(targets == place - 1, 0.0, self._untold(place - 1, targets))
            cost = np.maximum(cost, np.where(back[near], s.back_cost, s.jump_cost) + s.alike_cost * again)
        worth = (value - cost).astype(np.float32)
        better = (self.best[b, targets - lo] < worth) & self.table.may_begin(b, targets)
        k = targets[better] - lo
        self.best[b, k] = worth[better]
        self.back_at[b, k], self.back_kind[b, k], self.back_item[b, k] = b, StepKind.JUMP, place
        if self.carried:
            self.pace[b, k], self.age[b, k] = self.pace[b, top], self.age[b, top]

    def _leaves_out_a_repeat(self, place: int, targets: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
        """Whether what is left out on the way to each of `targets`, (T,), is nothing but a second time: no
        pitches could tell that.
        """
        first = self.items.first_time
        same = first[targets] == first[min(place, self.count - 1)]
        return (targets > place) & (same | (self.again[targets] - self.again[place] == targets - place))

    def _untold(self, place: int, targets: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
        """0..1, (T,): how far a jump from `place` rests on the count alone."""
        return np.where(self._leaves_out_a_repeat(place, targets), 0.0, self._alike(place, targets))

    def _alike(self, place: int, targets: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
        """0..1, (T,): how little the pitches that follow tell whether one went on at `place` or from one of
        `targets`. Where they tell nothing a jump rests on the count alone, and a beginner's count is no
        evidence.
        """
        here = self.phrases[min(place, self.count - 1)]
        same = (self.phrases[targets] == here).mean(axis=1)
        return np.asarray(np.clip((same - self.s.alike_from) / (1.0 - self.s.alike_from), 0.0, 1.0))

    def _aligned(
        self,
        rows: npt.NDArray[Any],
        before: npt.NDArray[np.int64],
        places: npt.NDArray[np.int64],
        fill: float,
    ) -> npt.NDArray[Any]:
        """(A, M) the entries of boundaries `before` in a table, at some places in the line; `fill` where a
        row's window does not hold them.
        """
        at = places - self.low[before][:, None]
        inside = (at >= 0) & (at < self.width)
        return np.where(inside, rows[before[:, None], np.where(inside, at, 0)], np.asarray(fill, rows.dtype))

    def _reaching(self, b: int) -> SegmentStarts | None:
        """The boundaries from which a segment to b may lead anywhere: not those so far behind that even their
        likeliest pitch would not make it good.
        """
        alive = np.append(self.alive[np.searchsorted(self.alive, self.first[b]) :], b - 1)
        every, most = self.table.best_pitch(b, alive)
        # A written rest may follow the note: its evidence is that of any shorter segment.
        self.most[alive] = np.maximum(self.most[alive], most)
        value = self.top[alive]
        behind = (
            float((value - self.s.junk_cost).max()) - self.s.beam - (value + self.most[alive] + DECODER.slack)
        )
        self.alive = alive[behind < self.s.beam]
        near = np.flatnonzero(behind < 0.0)
        return self.table.starts(b, alive[near], every[near]) if len(near) else None

    def _arrive(self, b: int, lo: int) -> None:
        """All segments that end at boundary b."""
        s = self.s
        starts = self._reaching(b)
        if starts is None:
            return
        before = starts.before
        left, right = lo, lo + self.width
        if self.along is not None:  # the neighbourhood of the way found before
            left, right = (
                max(left, int(self.along.first[b]) - s.near_notes),
                min(right, int(self.along.last[b]) + s.near_notes + 1),
            )
        one = bool((self.low[before] == lo).all())  # window for all
        if one:
            previous = self.best[before, left - lo : right - lo]
        else:
            previous = self._aligned(self.best, before, np.arange(left, right), float(NEVER))
        # Only places that some way has reached not too far behind the best: the others lead nowhere.
        reached = previous.max(axis=0)
        near = np.flatnonzero(reached > reached.max() - s.beam)
        previous, places = previous[:, near], near + left
        index = places[: np.searchsorted(places, min(self.count, lo + self.width - 1))]
        m = len(index)
        row = self.best[b]
        pace: npt.NDArray[Any] = np.zeros((0, 0), np.float32)
        age: npt.NDArray[Any] = np.zeros((0, 0), np.int8)
        if self.carried and one:
            pace, age = self.pace[before[:, None], places - lo], self.age[before[:, None], places - lo]
        elif self.carried:
            pace, age = (
                self._aligned(self.pace, before, places, 0.0),
                self._aligned(self.age, before, places, 0),
            )
        if m:
            segments = self.table.segments(starts, index)
            log_seconds = np.log(self.time[b] - self.time[before]).astype(np.float32)
            ratio = log_seconds[:, None] - self.log_expected[index]
            if self.carried:
                ratio -= pace[:, :m]
            narrow = self.narrow[age[:, :m]] if self.carried else self.narrow[0]
            cost = cost_of_duration(ratio, self.items.last_free[index], narrow, s)
            whole = segments.worth
            whole += previous[:, :m]
            total = whole - cost
            pick = total.argmax(axis=0)
            value = total[pick, np.arange(m)]
            # Broken off here to go back: its length is no matter.
            whole -= np.minimum(cost, np.float32(s.broken_cost), out=cost)
            pa, pm = divmod(int(whole.argmax()), m)
            kind_ = int(segments.kind(np.array([pa]), np.array([pm]))[0])
            heard = starts.top_pitch[pa] if kind_ == StepKind.WRONG else self.items.midi[index[pm]]
            self.broken[b] = (float(whole[pa, pm]), int(before[pa]), int(index[pm]), kind_, int(heard))
            better = np.flatnonzero(value > row[index + 1 - lo])
            t, p = index[better] + 1 - lo, pick[better]
            row[t] = value[better]
            kind = segments.kind(p, better)
            self.back_at[b, t], self.back_kind[b, t], self.back_item[b, t] = before[p], kind, index[better]
            self.back_pitch[b, t] = np.where(
                kind == StepKind.WRONG,
                starts.top_pitch[p],
                np.where(kind == StepKind.MISSED, -1, self.items.midi[index[better]]),
            )
            if self.carried:
                old, was = age[p, better], pace[p, better]
                learnt = (kind != StepKind.MISSED) & ~self.items.last_free[index[better]]
                step = np.clip(ratio[p, better], -s.carried_step[0], s.carried_step[0])
                step = np.where(old > 1, np.clip(step, -s.carried_step[1], s.carried_step[1]), step)
                self.pace[b, t] = np.clip(
                    was + np.where(learnt, self.gain[old] * step, 0.0), -s.pace_limits[0], s.pace_limits[1]
                )
                self.age[b, t] = np.minimum(old + learnt, len(self.gain) - 1)
        # A note that is not written, or no music: the place in the line stays.
        total = previous + starts.stay[:, None]
        pick = total.argmax(axis=0)
        value = total[pick, np.arange(len(places))]
        stays = np.flatnonzero(value > row[places - lo])
        k, p = places[stays] - lo, pick[stays]
        row[k] = value[stays]
        self.back_at[b, k], self.back_item[b, k] = before[p], places[stays]
        self.back_kind[b, k] = np.where(starts.is_extra[p], StepKind.EXTRA, StepKind.JUNK)
        self.back_pitch[b, k] = starts.top_pitch[p]
        if self.carried:
            self.pace[b, k], self.age[b, k] = pace[p, stays], age[p, stays]

    def _trace(self, sound: npt.NDArray[np.float64]) -> AlignmentPath:
        n, s = self.count, self.s
        end = sound[self.total - 1]
        final = self.best - (s.lead_rate * (end - sound[: self.total]))[:, None].astype(np.float32)
        places = self.low[:, None] + np.arange(self.width)[None, :]
        final = np.where(places == n, final, final - s.early_end_cost)
        final = np.where(places == 0, NEVER, final)
        b, i = (int(v) for v in np.unravel_index(int(final.argmax()), final.shape))
        score = float(final[b, i])
        i += int(self.low[b])
        steps: list[PathStep] = []
        while True:
            k = i - int(self.low[b])
            kind, at, item, pitch = (
                int(self.back_kind[b, k]),
                int(self.back_at[b, k]),
                int(self.back_item[b, k]),
                int(self.back_pitch[b, k]),
            )
            if kind == StepKind.LEAD or at < 0:
                break
            steps.append(
                PathStep(
                    start=at,
                    end=b,
                    item=item,
                    kind=kind,
                    pitch=pitch
                    if pitch >= 0 and kind in (StepKind.NOTE, StepKind.WRONG, StepKind.EXTRA)
                    else None,
                )
            )
            if kind not in (StepKind.EXTRA, StepKind.JUNK):
                i = item
            if kind == StepKind.JUMP and self.broken[b] != NOT_BROKEN:
                _, at, i, kind, pitch = self.broken[b]
                steps.append(
                    PathStep(
                        start=at, end=b, item=i, kind=kind, pitch=pitch if kind != StepKind.MISSED else None
                    )
                )
            b = at
        return AlignmentPath((*self.known, *reversed(steps)), score)
