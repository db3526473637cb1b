"""The search: a semi-Markov way through (candidate boundary, number of notes done), in one pass over the boundaries.

Besides what a segment may hold (`jeweller.follow.segments`) notes may be left out with their time, and from any boundary the player may go
back or jump ahead to the beginning of a bar. Time and memory are linear in the length of the recording: only boundaries within the longest
possible note, and notes within a window around the best place so far, are looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.errors import Cancelled
from jeweller.follow.segments import DELETED, EXTRA, JUMP, JUNK, LEAD, LONGEST_EXTRA_S, LONGEST_NOTE_S, MISSED, NEVER, NOTE, WRONG, SegmentTable

Array = npt.NDArray[np.float32]


WINDOW_STEP = 64  # places: the window moves so many at a time, so that most rows are looked up as they lie
MANY_NOTES = 150
GROUPS = (0.85, 1.0)  # shares of the notes, by length
NOT_BROKEN = (float(NEVER), -1, -1, 0, 0)


@dataclass(frozen=True)
class Step:
    """One step of the way: boundaries `start`..`end` (indexes), kind, sounding pitch or None.

    `item` is the note it holds; for EXTRA and JUNK the note it stands before; for DELETED the first note left out (up to the next step's);
    for JUMP the note that would have been next.
    """

    start: int
    end: int
    item: int
    kind: int
    pitch: int | None


@dataclass(frozen=True)
class Way:
    steps: tuple[Step, ...]
    score: float


def search(table: SegmentTable, spq: npt.NDArray[np.float64], *, carried: bool = False, stop: int | None = None,
           cancelled: Callable[[], bool] = lambda: False) -> Way:  # fmt: skip
    """The best way over the first `stop` boundaries, for the local tempo `spq` (seconds per quarter at each note, shape (N,)).

    With `carried`, `spq` only says where to begin: every way carries its own tempo, learnt from its own intervals.
    """
    return _Search(table, spq, carried, stop or len(table.frame)).run(cancelled)


class _Search:
    def __init__(self, table: SegmentTable, spq: npt.NDArray[np.float64], carried: bool, total: int) -> None:
        self.table, self.carried, self.total = table, carried, total
        self.items, self.s, self.evidence = table.items, table.s, table.evidence
        self.time = table.time
        self.log_expected = np.log(np.maximum(self.items.ioi_q * spq, 0.02)).astype(np.float32)
        spreads = self.s.carried_spreads if carried else (self.s.ioi_spread,)
        self.narrow = (1.0 / np.array(spreads)).astype(np.float32)
        self.gain = np.array(self.s.carried_gains, np.float32)
        self.count = len(self.items.midi)
        self.starts = np.nonzero(self.items.bar_start)[0]
        self.groups, self.first = self._grouped()
        self.near = np.searchsorted(self.time, self.time - LONGEST_EXTRA_S, side="right")
        self.sound = self.evidence.sound[table.frame]
        self.top = float(NEVER)  # of all ways so far
        self.alive = np.full(self.count + 1, -1)  # the last boundary at which a way worth going on with was at each place
        # For every place the best beginning of a stretch of no music: (score, boundary).
        self.junk = (np.full(self.count + 1, NEVER, np.float32), np.zeros(self.count + 1, np.int64))
        self.pause = (np.full(self.count + 1, NEVER, np.float32), np.zeros(self.count + 1, np.int64))
        self.width = min(self.count + 1, self.s.window_notes)
        shape = (total, self.width)
        self.low = np.zeros(total, np.int64)
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

    def _grouped(self) -> tuple[list[npt.NDArray[np.int64]], list[npt.NDArray[np.int64]]]:
        """The notes in groups of like length, and for each group the first boundary at which one that ends at each boundary may have begun."""
        reach = np.clip(self.items.ioi_q * self.s.longest_spq + 1.5, 3.0, LONGEST_NOTE_S)
        shares = GROUPS if len(reach) >= MANY_NOTES else GROUPS[-1:]  # a group more costs more than it saves in a short line
        limits = [float(np.quantile(reach, share, method="higher")) for share in shares]
        number = np.searchsorted(limits, reach - 1e-9)
        groups = [(np.nonzero(number == g)[0], np.searchsorted(self.time, self.time - limit)) for g, limit in enumerate(limits)]
        return [g for g, _ in groups], [first for _, first in groups]

    def run(self, cancelled: Callable[[], bool]) -> Way:
        s, n, width = self.s, self.count, self.width
        sound = self.sound
        lead = (-s.lead_rate * sound).astype(np.float32)
        deleted_ramp = (s.deleted_cost * np.arange(width)).astype(np.float32)
        places = np.arange(width)
        centre = 0
        for b in range(self.total):
            if b % 256 == 0 and cancelled():
                raise Cancelled
            lo = int(np.clip((centre - width // 2) // WINDOW_STEP * WINDOW_STEP, 0, n + 1 - width))
            self.low[b] = lo
            row = self.best[b]
            if b < self.total - 1:
                self._begin(b, lo, lead[b])
            if b:
                self._arrive(b, lo)
            # Notes left out together with their time: the best place before each, at a cost for every note between.
            climb = row + deleted_ramp
            peak = np.maximum.accumulate(climb)
            source = np.maximum.accumulate(np.where(climb >= peak, places, 0))
            value = peak - deleted_ramp
            gone = np.nonzero((value > row) & (source < places))[0]
            row[gone] = value[gone]
            self.back_at[b, gone], self.back_kind[b, gone], self.back_item[b, gone] = b, DELETED, lo + source[gone]
            if self.carried:
                self.pace[b, gone], self.age[b, gone] = self.pace[b, source[gone]], self.age[b, source[gone]]
            top = int(row.argmax())
            centre = lo + top
            self._jump(b, lo, top)
            self._remember(b, lo)
        return self._trace(sound)

    def _begin(self, b: int, lo: int, lead: np.float32) -> None:
        """Not yet begun: everything so far was no music. The take may begin at a later bar."""
        first = self.starts[(self.starts >= lo) & (self.starts < min(lo + self.width, self.s.window_notes))]
        value = np.where(first > 0, lead - np.float32(self.s.late_start_cost), lead)
        better = value > self.best[b, first - lo]
        k = first[better] - lo
        self.best[b, k] = value[better]
        self.back_kind[b, k], self.back_at[b, k], self.back_item[b, k] = LEAD, -1, first[better]

    def _jump(self, b: int, lo: int, top: int) -> None:
        """Going on from the beginning of another bar, out of the best place so far: a note may be broken off for it."""
        s, bars = self.s, self.items.bar
        value, place = float(self.best[b, top]), lo + top
        if self.broken[b][0] > value:
            value, place = self.broken[b][0], self.broken[b][2] + 1
        else:
            self.broken[b] = NOT_BROKEN
        targets = self.starts[(self.starts >= lo) & (self.starts < lo + self.width) & (self.starts != place)]
        away = bars[targets] - bars[min(place, self.count - 1)]
        near = (np.abs(away) <= s.jump_bars) | (targets == 0)  # the whole line once more may be farther
        near &= self.table.may_begin(b, targets)
        targets, away = targets[near], away[near]
        back = (targets < place) & (away >= -s.back_bars)
        worth = np.where(back, value - s.back_cost, value - s.jump_cost).astype(np.float32)
        better = self.best[b, targets - lo] < worth
        k = targets[better] - lo
        self.best[b, k] = worth[better]
        self.back_at[b, k], self.back_kind[b, k], self.back_item[b, k] = b, JUMP, place
        if self.carried:
            self.pace[b, k], self.age[b, k] = self.pace[b, top], self.age[b, top]

    def _rows(self, rows: npt.NDArray[Any], a0: int, b: int, places: npt.NDArray[np.int64]) -> npt.NDArray[Any]:
        """Rows a0..b-1 of a table at absolute `places` (ascending), (A, M); a place outside a row's window gives its first or last entry."""
        if self.low[a0] == self.low[b]:
            at = places - self.low[b]
            if at[-1] - at[0] == len(at) - 1:
                return rows[a0:b, at[0] : at[-1] + 1]
            return rows[a0:b, at]
        return rows[np.arange(a0, b)[:, None], np.clip(places[None, :] - self.low[a0:b, None], 0, self.width - 1)]

    def _reached(self, a0: int, b: int, places: npt.NDArray[np.int64]) -> Array:
        """The score of each of `places` at boundaries a0..b-1, (A, M)."""
        found = self._rows(self.best, a0, b, places)
        if self.low[a0] == self.low[b]:
            return found
        at = places[None, :] - self.low[a0:b, None]
        return np.where((at >= 0) & (at < self.width), found, NEVER)

    def _arrive(self, b: int, lo: int) -> None:
        """All segments that end at boundary b: each note from as far back as it may have begun."""
        broken = NOT_BROKEN
        for group, far in zip(self.groups, self.first, strict=True):
            a0 = int(far[b])
            begin, end = np.searchsorted(group, [lo, min(self.count, lo + self.width - 1)])
            index = group[begin:end]
            index = index[self.alive[index] >= a0]
            if len(index):
                broken = max(broken, self._notes(b, a0, lo, index, self._reached(a0, b, index)), key=lambda x: x[0])
        self.broken[b] = broken
        self._stay(b, lo)

    def _notes(self, b: int, a0: int, lo: int, index: npt.NDArray[np.int64], previous: Array) -> tuple[float, int, int, int, int]:
        """The notes `index` that end at b and began at a0..b-1; returns the best one broken off here."""
        s, m = self.s, len(index)
        segments = self.table.segments(b, a0, index)
        row = self.best[b]
        ratio = np.log(self.time[b] - self.time[a0:b]).astype(np.float32)[:, None] - self.log_expected[index][None, :]
        pace: npt.NDArray[Any] = np.zeros((0, 0), np.float32)
        age: npt.NDArray[Any] = np.zeros((0, 0), np.int8)
        if self.carried:
            pace, age = self._rows(self.pace, a0, b, index), self._rows(self.age, a0, b, index)
            ratio -= pace
        free = np.nonzero(self.items.last_free[index])[0]
        if len(free):
            ratio[:, free] = np.where(ratio[:, free] > 0, 0.4 * ratio[:, free], ratio[:, free])
        cost = np.abs(ratio)
        cost *= self.narrow[age] if self.carried else self.narrow[0]
        np.minimum(cost, np.float32(s.ioi_cap), out=cost)
        whole = segments.worth + previous
        total = whole - cost
        pick = total.argmax(axis=0)
        value = total[pick, np.arange(m)]
        # Broken off here to go back: its length is no matter.
        whole -= np.minimum(cost, np.float32(s.broken_cost))
        pa, pm = divmod(int(whole.argmax()), m)
        kind_ = int(segments.kind[pa, pm])
        heard = segments.top_pitch[pa] if kind_ == WRONG else self.items.midi[index[pm]]
        broken = (float(whole[pa, pm]), a0 + pa, int(index[pm]), kind_, int(heard))
        better = np.nonzero(value > row[index + 1 - lo])[0]
        t, p = index[better] + 1 - lo, pick[better]
        row[t] = value[better]
        kind = segments.kind[p, better]
        self.back_at[b, t], self.back_kind[b, t], self.back_item[b, t] = a0 + p, kind, index[better]
        self.back_pitch[b, t] = np.where(kind == WRONG, segments.top_pitch[p], np.where(kind == MISSED, -1, self.items.midi[index[better]]))
        if self.carried:
            old, was = age[p, better], pace[p, better]
            learnt = (kind != MISSED) & ~self.items.last_free[index[better]]
            step = np.clip(ratio[p, better], -s.carried_step[0], s.carried_step[0])
            step = np.where(old > 1, np.clip(step, -s.carried_step[1], s.carried_step[1]), step)
            self.pace[b, t] = np.clip(was + np.where(learnt, self.gain[old] * step, 0.0), -s.pace_limits[0], s.pace_limits[1])
            self.age[b, t] = np.minimum(old + learnt, len(self.gain) - 1)
        return broken

    def _stay(self, b: int, lo: int) -> None:
        """A note that is not written, or no music: the place in the line stays."""
        s = self.s
        hi = min(lo + self.width, self.count + 1)
        sound, row = self.sound[b], self.best[b]
        # No music since whenever: the best beginning of such a stretch is kept for every place, so that its length is no matter.
        for base, rate, (score, since) in ((s.junk_cost, s.junk_rate, self.junk), (s.pause_cost, s.pause_rate, self.pause)):
            value = score[lo:hi] - np.float32(rate * sound + base)
            k = np.nonzero((value > row[: hi - lo]) & (value > self.top - s.beam - base))[0]
            if len(k):
                row[k] = value[k]
                self._back(b, k, since[lo + k], JUNK, lo, -1)
        a0 = int(self.near[b])
        extra, pitch = self.table.extra(b, a0)
        places = lo + np.nonzero(self.alive[lo:hi] >= a0)[0]
        if len(places):
            total = self._reached(a0, b, places) + extra[:, None]
            pick = total.argmax(axis=0)
            value = total[pick, np.arange(len(places))]
            better = np.nonzero(value > row[places - lo])[0]
            k, p = places[better] - lo, pick[better]
            row[k] = value[better]
            self._back(b, k, a0 + p, EXTRA, lo, pitch[p])

    def _back(self, b: int, k: npt.NDArray[np.int64], since: npt.NDArray[np.int64], kind: int, lo: int, pitch: npt.NDArray[np.int64] | int) -> None:
        self.back_at[b, k], self.back_item[b, k], self.back_kind[b, k], self.back_pitch[b, k] = since, lo + k, kind, pitch
        if self.carried:
            column = np.clip(lo + k - self.low[since], 0, self.width - 1)
            self.pace[b, k], self.age[b, k] = self.pace[since, column], self.age[since, column]

    def _remember(self, b: int, lo: int) -> None:
        """Which places a way has reached not too far behind the best (others lead nowhere), and for which a stretch of no music best begins here."""
        hi = min(lo + self.width, self.count + 1)
        row = self.best[b, : hi - lo]
        self.top = max(self.top, float(row.max()))
        self.alive[lo:hi][row > self.top - self.s.beam] = b
        for rate, (score, since) in ((self.s.junk_rate, self.junk), (self.s.pause_rate, self.pause)):
            value = row + np.float32(rate * self.sound[b])
            k = np.nonzero(value > score[lo:hi])[0]
            score[lo + k], since[lo + k] = value[k], b

    def _trace(self, sound: npt.NDArray[np.float64]) -> Way:
        n, s = self.count, self.s
        end = sound[self.total - 1]
        final = self.best - (s.lead_rate * (end - sound[: self.total]))[:, None].astype(np.float32)
        places = self.low[:, None] + np.arange(self.width)[None, :]
        final = np.where(places == n, final, final - s.early_end_cost)
        final = np.where(places == 0, NEVER, final)
        b, i = (int(v) for v in np.unravel_index(int(final.argmax()), final.shape))
        score = float(final[b, i])
        i += int(self.low[b])
        steps: list[Step] = []
        while True:
            k = i - int(self.low[b])
            kind, at, item, pitch = int(self.back_kind[b, k]), int(self.back_at[b, k]), int(self.back_item[b, k]), int(self.back_pitch[b, k])
            if kind == LEAD or at < 0:
                break
            steps.append(Step(at, b, item, kind, pitch if pitch >= 0 and kind in (NOTE, WRONG, EXTRA) else None))
            if kind not in (EXTRA, JUNK):
                i = item
            if kind == JUMP and self.broken[b] != NOT_BROKEN:
                _, at, i, kind, pitch = self.broken[b]
                steps.append(Step(at, b, i, kind, pitch if kind != MISSED else None))
            b = at
        return Way(tuple(reversed(steps)), score)
