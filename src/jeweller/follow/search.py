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
from jeweller.follow.segments import DELETED, EXTRA, JUMP, JUNK, LEAD, LONGEST_NOTE_S, MISSED, NEVER, NOTE, WRONG, SegmentTable

Array = npt.NDArray[np.float32]


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


def search(table: SegmentTable, spq: npt.NDArray[np.float64], *, carried: bool = False, stop: int | None = None, near: Way | None = None,
           cancelled: Callable[[], bool] = lambda: False) -> Way:  # fmt: skip
    """The best way over the first `stop` boundaries, for the local tempo `spq` (seconds per quarter at each note, shape (N,)).

    With `carried`, `spq` only says where to begin: every way carries its own tempo, learnt from its own intervals. With `near` only the
    neighbourhood of a way found before is looked at.
    """
    return _Search(table, spq, carried, stop or len(table.frame), near).run(cancelled)


def _along(way: Way, total: int) -> npt.NDArray[np.int64]:
    """The note that a way is at, at each of its boundaries, (total,)."""
    out = np.full(total, -1, np.int64)
    for step in way.steps:
        if step.kind not in (JUMP, DELETED):
            out[step.start : step.end + 1] = step.item
    known = np.flatnonzero(out >= 0)
    if not len(known):
        return np.zeros(total, np.int64)
    nearest = known[np.clip(np.searchsorted(known, np.arange(total), side="right") - 1, 0, len(known) - 1)]
    return np.asarray(out[nearest])


class _Search:
    def __init__(self, table: SegmentTable, spq: npt.NDArray[np.float64], carried: bool, total: int, near: Way | None = None) -> None:
        self.table, self.carried, self.total = table, carried, total
        self.along = None if near is None else _along(near, total)
        self.items, self.s, self.evidence = table.items, table.s, table.evidence
        self.time = table.time
        self.log_expected = np.log(np.maximum(self.items.ioi_q * spq, 0.02)).astype(np.float32)
        spreads = self.s.carried_spreads if carried else (self.s.ioi_spread,)
        self.narrow = (1.0 / np.array(spreads)).astype(np.float32)
        self.gain = np.array(self.s.carried_gains, np.float32)
        self.count = len(self.items.midi)
        self.starts = np.nonzero(self.items.bar_start)[0]
        self.openings = np.nonzero(self.items.opening)[0]
        longest = float(self.items.ioi_q.max()) * self.s.longest_spq + 1.5
        self.first = np.searchsorted(self.time, self.time - min(max(longest, 3.0), LONGEST_NOTE_S))
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

    def run(self, cancelled: Callable[[], bool]) -> Way:
        s, n, width = self.s, self.count, self.width
        sound = self.evidence.sound[self.table.frame]
        lead = (-s.lead_rate * sound).astype(np.float32)
        deleted_ramp = (s.deleted_cost * np.arange(width)).astype(np.float32)
        places = np.arange(width)
        centre = 0
        for b in range(self.total):
            if b % 256 == 0 and cancelled():
                raise Cancelled
            lo = int(np.clip(centre - width // 2, 0, n + 1 - width))
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
        return self._trace(sound)

    def _begin(self, b: int, lo: int, lead: np.float32) -> None:
        """Not yet begun: everything so far was no music. The take may begin at a later bar."""
        first = self.openings[(self.openings >= lo) & (self.openings < min(lo + self.width, self.s.window_notes))]
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

    def _aligned(self, rows: npt.NDArray[np.generic], a0: int, b: int, lo: int, width: int, fill: float) -> npt.NDArray[Any]:
        """Rows a0..b-1 of a table, on the `width` places from `lo` on."""
        shifts = self.low[a0:b] - lo
        if width == self.width and not shifts.any():
            return rows[a0:b]
        out = np.full((b - a0, width), fill, rows.dtype)
        for k, shift in enumerate(shifts.tolist()):
            to, at = max(0, shift), max(0, -shift)
            length = min(width - to, self.width - at)
            if length > 0:
                out[k, to : to + length] = rows[a0 + k, at : at + length]
        return out

    def _arrive(self, b: int, lo: int) -> None:
        """All segments that end at boundary b."""
        s = self.s
        a0 = int(self.first[b])
        if a0 >= b:
            return
        left, right = 0, self.width
        if self.along is not None:  # the neighbourhood of the way found before
            left, right = max(0, int(self.along[b]) - lo - s.near_notes), min(self.width, int(self.along[b]) - lo + s.near_notes + 1)
        previous = self._aligned(self.best, a0, b, lo + left, right - left, float(NEVER))
        # Only places that some way has reached not too far behind the best: the others lead nowhere.
        reached = previous.max(axis=0)
        near = np.flatnonzero(reached > reached.max() - s.beam)
        previous, places = previous[:, near], near + left
        index = places[places < min(self.count - lo, self.width - 1)] + lo
        m = len(index)
        segments = self.table.segments(b, a0, index)
        row = self.best[b]
        pace: npt.NDArray[Any] = np.zeros((0, 0), np.float32)
        age: npt.NDArray[Any] = np.zeros((0, 0), np.int8)
        if self.carried:
            pace = self._aligned(self.pace, a0, b, lo + left, right - left, 0.0)[:, near]
            age = self._aligned(self.age, a0, b, lo + left, right - left, 0)[:, near]
        if m:
            log_seconds = np.log(self.time[b] - self.time[a0:b]).astype(np.float32)
            ratio = log_seconds[:, None] - self.log_expected[index][None, :]
            if self.carried:
                ratio -= pace[:, :m]
            free = np.nonzero(self.items.last_free[index])[0]
            if len(free):
                ratio[:, free] = np.where(ratio[:, free] > 0, 0.4 * ratio[:, free], ratio[:, free])
            cost = np.abs(ratio)
            cost *= self.narrow[age[:, :m]] if self.carried else self.narrow[0]
            np.minimum(cost, np.float32(s.ioi_cap), out=cost)
            whole = segments.worth + previous[:, :m]
            total = whole - cost
            pick = total.argmax(axis=0)
            value = total[pick, np.arange(m)]
            # Broken off here to go back: its length is no matter.
            whole -= np.minimum(cost, np.float32(s.broken_cost))
            pa, pm = divmod(int(whole.argmax()), m)
            kind_ = int(segments.kind[pa, pm])
            heard = segments.top_pitch[pa] if kind_ == WRONG else self.items.midi[index[pm]]
            self.broken[b] = (float(whole[pa, pm]), a0 + pa, int(index[pm]), kind_, int(heard))
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
        # A note that is not written, or no music: the place in the line stays.
        total = previous + segments.stay[:, None]
        pick = total.argmax(axis=0)
        value = total[pick, np.arange(len(places))]
        stays = np.nonzero(value > row[places])[0]
        k, p = places[stays], pick[stays]
        row[k] = value[stays]
        self.back_at[b, k], self.back_item[b, k] = a0 + p, lo + k
        self.back_kind[b, k] = np.where(segments.is_extra[p], EXTRA, JUNK)
        self.back_pitch[b, k] = segments.top_pitch[p]
        if self.carried:
            self.pace[b, k], self.age[b, k] = pace[p, stays], age[p, stays]

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
