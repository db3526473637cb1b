"""How likely each note's story is, all ways through the part weighed: forward and backward over the lattice
of the search, near the way that was found.

The search says which way is best; this says by how much. A note whose beginning could as well have been
elsewhere, or that could as well be missing, is told from one that leaves no doubt.
"""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.decoder import AlignmentPath, PathStep
from jeweller.alignment.segments import SegmentTable, StepKind, cost_of_duration, expect_seconds
from jeweller.alignment.settings import POSTERIOR

Array = npt.NDArray[np.float64]
NEVER = -1e12
SOUNDED = (StepKind.NOTE, StepKind.WRONG, StepKind.MISSED)


@dataclass(frozen=True, kw_only=True)
class NotePosteriors:
    """For each of the N main notes, 0..1 each: that it sounded as written, as another pitch, that its time
    passed in silence, that it was left out with its time; how many notes that are not written are expected
    just before it. All (N,); zero where the way does not come by. `near` is the share of the ways in which it
    begins where the way found has it, `spread_s` the standard deviation of its beginning, seconds.
    """

    written: Array
    other: Array
    missed: Array
    left_out: Array
    extra_before: Array
    near: Array
    spread_s: Array

    def cut(self, count: int) -> NotePosteriors:
        """Those of the first `count` notes."""
        return NotePosteriors(**{f.name: getattr(self, f.name)[:count] for f in dataclasses.fields(self)})


def weigh_ways(table: SegmentTable, spq: Array, path: AlignmentPath) -> NotePosteriors:
    """The posteriors of every note that the way comes by, at local tempo `spq` (seconds per quarter at each
    note, (N,)). Where a note is played more than once, its last time counts.

    >>> from jeweller.alignment.align import align
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A\\nM:4/4\\nL:1/2\\nQ:1/4=60\\nK:C\\nC E|G c|")[0].parts[0]
    >>> line, t = perform_part("", part), np.arange(44100) / 22050
    >>> hz = [440.0 * 2 ** ((n.sounding_midi - 69) / 12) for n in line.main_notes]
    >>> tone = sum(np.sin(2 * np.pi * k * np.outer(hz, t)) / k for k in range(1, 8))
    >>> sound = (tone * np.minimum(0.2, 4 * (2.0 - t))).ravel().astype(np.float32)
    >>> align(line, extract_features(sound, 60, 72)).attempts[-1].posteriors.written.round().tolist()
    [1.0, 1.0, 1.0, 1.0]
    """
    out = _empty(len(table.items.midi))
    runs = _runs(path)
    for k, run in enumerate(runs):
        _Lattice(table, spq, run, first=k == 0, last=k == len(runs) - 1).weigh(out)
    return out


def _empty(count: int) -> NotePosteriors:
    return NotePosteriors(
        **{
            name: np.zeros(count)
            for name in ("written", "other", "missed", "left_out", "extra_before", "near", "spread_s")
        }
    )


def _runs(path: AlignmentPath) -> list[list[PathStep]]:
    """The steps between the jumps."""
    runs: list[list[PathStep]] = [[]]
    for step in path.steps:
        if step.kind == StepKind.JUMP:
            runs.append([])
        elif step.kind != StepKind.LEAD:
            runs[-1].append(step)
    return [run for run in runs if any(x.kind in SOUNDED for x in run)]


@dataclass(frozen=True)
class _Edges:
    """The segments that end at boundaries of one place in the line: (E,) pairs, sorted by end; log weights
    (E, M) for the notes `index`, (E,) where the place stays.
    """

    before: npt.NDArray[np.int64]
    end: npt.NDArray[np.int64]
    index: npt.NDArray[np.int64]
    kinds: tuple[Array, Array, Array]  # written, other, missed
    all: Array
    stay: Array
    is_extra: npt.NDArray[np.bool_]
    slices: tuple[tuple[int, int, int], ...]  # (boundary, first pair, behind its last)


class _Lattice:
    """A stretch of boundaries by the places around a run of the way."""

    def __init__(
        self, table: SegmentTable, spq: Array, run: list[PathStep], *, first: bool, last: bool
    ) -> None:
        self.table, self.run = table, run
        self.count = len(table.items.midi)
        self.log_expected = expect_seconds(table.items, spq)
        time = table.time
        self.reach = POSTERIOR.places
        self.width = 2 * self.reach + 2
        start, end = run[0].start, run[-1].end
        self.low = int(np.searchsorted(time, time[start] - POSTERIOR.around_s)) if first else start
        self.high = int(np.searchsorted(time, time[end] + POSTERIOR.around_s)) if last else end + 1
        self.high = min(max(self.high, end + 1), len(time))
        size = self.high - self.low
        place = np.full(size, run[0].item)
        origin = np.arange(self.low, self.high)
        for step in run:
            after = step.item + (step.kind in SOUNDED)
            place[step.start - self.low : step.end - self.low] = step.item
            place[step.end - self.low :] = after
            origin[step.end - self.low] = min(step.start, origin[step.end - self.low])
        self.place, self.origin = place, origin
        self.base = place - self.reach  # the place of column 0, by boundary
        self.first, self.last = first, last
        columns = self.base[:, None] + np.arange(self.width)
        self.inside = (columns >= 0) & (columns <= self.count)
        self.edges = self._make_edges()
        self.begin, self.final = self._ends()

    def weigh(self, out: NotePosteriors) -> None:
        """Writes the posteriors of the notes of this run."""
        forward, total = self._forward()
        backward = self._backward()
        if not np.isfinite(total) or total <= NEVER / 2:
            return
        self._collect(out, forward, backward, total)

    def _make_edges(self) -> list[_Edges]:
        table, s, time = self.table, self.table.s, self.table.time
        groups = np.flatnonzero(np.r_[True, np.diff(self.place) != 0, True])
        out = []
        for g, h in zip(groups[:-1], groups[1:], strict=True):
            ends = np.arange(g, h) + self.low
            place = int(self.place[g])
            index = np.arange(max(0, place - self.reach - 1), min(self.count, place + self.reach + 1))
            if not len(index):
                continue
            longest = max(
                POSTERIOR.least_reach_s, POSTERIOR.longest * float(np.exp(self.log_expected[index]).max())
            )
            begin = np.maximum(np.searchsorted(time, time[ends] - longest), self.low)
            begin = np.minimum(begin, self.origin[ends - self.low])
            number = ends - begin
            if not number.sum():
                continue
            end = np.repeat(ends, number)
            offset = np.concatenate([[0], np.cumsum(number)])
            before = np.arange(len(end)) - np.repeat(offset[:-1], number) + np.repeat(begin, number)
            every, _most = table.best_pitch(end, before)
            starts = table.starts(end, before, every)
            segments = table.segments(starts, index)
            ratio = np.log(time[end] - time[before])[:, None] - self.log_expected[index]
            narrow = np.array(1.0 / s.ioi_spread, np.float32)
            cost = cost_of_duration(ratio, table.items.last_free[index], narrow, s)
            heard = np.maximum(segments.written, segments.other)
            gone = segments.gone[:, None]
            common = segments.worth - np.where(gone > heard, gone, segments.attack + heard) - cost
            kinds = tuple(
                (w / POSTERIOR.temper).astype(np.float64)
                for w in (
                    common + segments.attack + segments.written,
                    common + segments.attack + segments.other,
                    common + gone,
                )
            )
            out.append(
                _Edges(
                    before=before - self.low,
                    end=end - self.low,
                    index=index,
                    kinds=(kinds[0], kinds[1], kinds[2]),
                    all=np.logaddexp(np.logaddexp(kinds[0], kinds[1]), kinds[2]),
                    stay=starts.stay.astype(np.float64) / POSTERIOR.temper,
                    is_extra=starts.is_extra,
                    slices=tuple(
                        (int(b) - self.low, int(offset[k]), int(offset[k + 1]))
                        for k, b in enumerate(ends)
                        if number[k]
                    ),
                )
            )
        return out

    def _at(self, table: Array, rows: npt.NDArray[np.int64], places: npt.NDArray[np.int64]) -> Array:
        """(A, M) the entries of `table` at boundaries `rows` and places (M,)."""
        column = places - self.base[rows][:, None]
        there = (column >= 0) & (column < self.width)
        return np.where(there, table[rows[:, None], np.where(there, column, 0)], NEVER)

    def _ends(self) -> tuple[Array, Array]:
        """Log weights with which a way may begin, and end, at each boundary and place."""
        s, sound = self.table.s, self.table.evidence.sound[self.table.frame]
        begin = np.full((len(self.place), self.width), NEVER)
        final = np.full((len(self.place), self.width), NEVER)
        start, end = self.run[0].start - self.low, self.run[-1].end - self.low
        heard = np.concatenate([[0.0], np.cumsum(np.diff(sound[self.low : self.high]))])
        places = self.base[:, None] + np.arange(self.width)
        if self.first:
            item = self.run[0].item
            opening = self.table.items.opening[np.clip(places, 0, self.count - 1)]
            dear = np.where(places > 0, s.late_start_cost, 0.0)
            begin = np.where(
                self.inside & (places < self.count) & opening,
                (-s.lead_rate * heard[:, None] - dear) / POSTERIOR.temper,
                NEVER,
            )
            begin[start, item - self.base[start]] = max(begin[start, item - self.base[start]], 0.0)
        else:
            begin[start, self.run[0].item - self.base[start]] = 0.0
        goal = self.run[-1].item + (self.run[-1].kind in SOUNDED)
        if self.last:
            left = heard[-1] - heard
            early = np.where(places == self.count, 0.0, s.early_end_cost)
            final = np.where(
                self.inside & (places > 0), (-s.lead_rate * left[:, None] - early) / POSTERIOR.temper, NEVER
            )
        else:
            final[end, goal - self.base[end]] = 0.0
        return begin, final

    def _forward(self) -> tuple[Array, float]:
        alpha = self.begin.copy()
        left_out = -self.table.s.deleted_cost / POSTERIOR.temper
        done = 0
        for group in self.edges:
            for b, p, q in group.slices:
                self._leave_out(alpha, done, b, left_out)
                done = b
                before = group.before[p:q]
                self._add(alpha, b, group.index + 1, self._at(alpha, before, group.index) + group.all[p:q])
                here = self.base[b] + np.arange(self.width)
                self._add(alpha, b, here, self._at(alpha, before, here) + group.stay[p:q, None])
        self._leave_out(alpha, done, len(alpha), left_out)
        whole = alpha + self.final
        top = float(whole.max())
        return alpha, top + float(np.log(np.exp(whole - top).sum()))

    def _leave_out(self, alpha: Array, b: int, until: int, cost: float) -> None:
        """Notes left out at boundaries b..until-1: their row is complete."""
        climb = cost * np.arange(self.width)
        alpha[b:until] = np.logaddexp.accumulate(alpha[b:until] - climb, axis=1) + climb

    def _add(self, alpha: Array, b: int, places: npt.NDArray[np.int64], values: Array) -> None:
        top = values.max(axis=0)
        summed = top + np.log(np.exp(values - np.maximum(top, NEVER / 2)).sum(axis=0) + 1e-300)
        column = places - self.base[b]
        there = (column >= 0) & (column < self.width) & (places <= self.count) & (top > NEVER / 2)
        alpha[b, column[there]] = np.logaddexp(alpha[b, column[there]], summed[there])

    def _backward(self) -> Array:
        beta = self.final.copy()
        cost = -self.table.s.deleted_cost / POSTERIOR.temper
        done = len(beta)
        for group in reversed(self.edges):
            for b, p, q in reversed(group.slices):
                self._left_out_back(beta, b, done, cost)
                done = b
                before = group.before[p:q]
                ahead = self._at(beta, np.array([b]), group.index + 1) + group.all[p:q]
                self._add_back(beta, before, group.index, ahead)
                here = self.base[b] + np.arange(self.width)
                self._add_back(beta, before, here, beta[b] + group.stay[p:q, None])
        self._left_out_back(beta, 0, done, cost)
        return beta

    def _left_out_back(self, beta: Array, b: int, until: int, cost: float) -> None:
        climb = cost * np.arange(self.width)
        from_end = beta[b:until, ::-1] - climb
        beta[b:until] = (np.logaddexp.accumulate(from_end, axis=1) + climb)[:, ::-1]

    def _add_back(
        self, beta: Array, rows: npt.NDArray[np.int64], places: npt.NDArray[np.int64], values: Array
    ) -> None:
        column = places - self.base[rows][:, None]
        there = (column >= 0) & (column < self.width) & (values > NEVER / 2)
        r, c = np.nonzero(there)
        k = column[r, c]
        beta[rows[r], k] = np.logaddexp(beta[rows[r], k], values[r, c])

    def _collect(self, out: NotePosteriors, alpha: Array, beta: Array, total: float) -> None:
        items = sorted({x.item for x in self.run})
        mine = slice(items[0], min(items[-1] + 1, self.count))
        for values in (out.written, out.other, out.missed, out.left_out, out.extra_before):
            values[mine] = 0.0
        begins = np.zeros((len(self.place), self.width))  # that the note of a place begins at a boundary
        for group in self.edges:
            ahead = self._at(beta, group.end, group.index + 1)
            behind = self._at(alpha, group.before, group.index)
            for kind, values in zip(group.kinds, (out.written, out.other, out.missed), strict=True):
                share = np.exp(np.minimum(behind + kind + ahead - total, 0.0))
                np.add.at(values, group.index, share.sum(axis=0))
                if kind is not group.kinds[2]:
                    column = group.index - self.base[group.before][:, None]
                    there = (column >= 0) & (column < self.width)
                    r, c = np.nonzero(there)
                    np.add.at(begins, (group.before[r], column[r, c]), share[r, c])
            extra = np.flatnonzero(group.is_extra)
            if len(extra):
                here = self.base[group.end[extra]][:, None] + np.arange(self.width)
                column = here - self.base[group.before[extra]][:, None]
                there = (column >= 0) & (column < self.width) & (here >= 0) & (here < self.count)
                r, c = np.nonzero(there)
                share = np.exp(
                    np.minimum(
                        alpha[group.before[extra][r], column[r, c]]
                        + group.stay[extra][r]
                        + beta[group.end[extra][r], c]
                        - total,
                        0.0,
                    )
                )
                np.add.at(out.extra_before, here[r, c], share)
        self._collect_left_out(out, alpha, beta, total)
        time = self.table.time[self.low : self.high]
        for step in self.run:
            if step.kind not in (StepKind.NOTE, StepKind.WRONG):
                continue
            column = step.item - self.base
            rows = np.flatnonzero((column >= 0) & (column < self.width))
            share = begins[rows, column[rows]]
            mass = float(share.sum())
            if mass <= 0.0:
                continue
            at = time[rows]
            found = float(time[step.start - self.low])
            out.near[step.item] = float(share[np.abs(at - found) <= POSTERIOR.same_s].sum()) / mass
            mean = float((share * at).sum()) / mass
            out.spread_s[step.item] = float(np.sqrt((share * (at - mean) ** 2).sum() / mass))

    def _collect_left_out(self, out: NotePosteriors, alpha: Array, beta: Array, total: float) -> None:
        cost = -self.table.s.deleted_cost / POSTERIOR.temper
        share = np.exp(np.minimum(alpha[:, :-1] + cost + beta[:, 1:] - total, 0.0))
        places = self.base[:, None] + np.arange(self.width - 1)
        there = (places >= 0) & (places < self.count)
        np.add.at(out.left_out, places[there], share[there])
