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
Index = npt.NDArray[np.int64]
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
    """The segments between two boundaries, (E,) pairs, sorted by where they end. Log weights (E, W) of the
    notes from the place before column 0 of the end on, (E,) where the place stays.
    """

    before: Index
    end: Index
    kinds: Array  # (3, E, W): written, other, missed
    all: Array
    stay: Array
    is_extra: npt.NDArray[np.bool_]


def _sum_of(weights: Array) -> Array:
    """(2, E, W) log weights of ways → (W,) those of all of them."""
    ways = weights.reshape(-1, weights.shape[2])
    top = ways.max(axis=0)
    return np.asarray(top + np.log(np.exp(ways - top).sum(axis=0)))


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

    def _make_edges(self) -> _Edges:
        table, s, time = self.table, self.table.s, self.table.time
        changes = np.flatnonzero(np.r_[True, np.diff(self.place) != 0, True])
        begins = np.arange(self.low, self.high)
        groups: list[tuple[int, int, Index]] = []  # boundaries at one place, the notes there
        for g, h in zip(changes[:-1].tolist(), changes[1:].tolist(), strict=True):
            first = int(self.base[g]) - 1  # the note that leads to column 0
            index = np.arange(max(0, first), min(self.count, first + self.width))
            if not len(index):
                continue
            longest = max(
                POSTERIOR.least_reach_s, POSTERIOR.longest * float(np.exp(self.log_expected[index]).max())
            )
            ends = np.arange(g, h) + self.low
            begin = np.maximum(np.searchsorted(time, time[ends] - longest), self.low)
            begins[g:h] = np.minimum(begin, self.origin[g:h])
            groups.append((g, h, index))
        number = np.arange(self.low, self.high) - begins
        offset = np.concatenate([[0], np.cumsum(number)])
        end = np.repeat(np.arange(self.low, self.high), number)
        before = np.arange(len(end)) - np.repeat(offset[:-1], number) + np.repeat(begins, number)
        every, _most = table.best_pitch(end, before)
        starts = table.starts(end, before, every)
        log_seconds = np.log(time[end] - time[before])
        narrow = np.array(1.0 / s.ioi_spread, np.float32)
        kinds = np.full((3, len(end), self.width), NEVER)
        for g, h, index in groups:
            rows = slice(int(offset[g]), int(offset[h]))
            if rows.start == rows.stop:
                continue
            segments = table.segments(starts.some(rows), index)
            ratio = log_seconds[rows, None] - self.log_expected[index]
            cost = cost_of_duration(ratio, table.items.last_free[index], narrow, s)
            heard = np.maximum(segments.written, segments.other)
            gone = segments.gone[:, None]
            common = segments.worth - np.where(gone > heard, gone, segments.attack + heard) - cost
            first = int(self.base[g]) - 1
            columns = slice(int(index[0]) - first, int(index[-1]) - first + 1)
            kinds[0, rows, columns] = common + segments.attack + segments.written
            kinds[1, rows, columns] = common + segments.attack + segments.other
            kinds[2, rows, columns] = common + gone
        kinds /= POSTERIOR.temper
        return _Edges(
            before=before - self.low,
            end=end - self.low,
            kinds=kinds,
            all=np.logaddexp(np.logaddexp(kinds[0], kinds[1]), kinds[2]),
            stay=starts.stay.astype(np.float64) / POSTERIOR.temper,
            is_extra=starts.is_extra,
        )

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

    def _column(self, rows: Index, columns: Index) -> Index:
        """Where the entries of `rows` (E,) at `columns` (E, W) are in a table with one more column, which is
        never come by, on each side.
        """
        return rows[:, None] * (self.width + 2) + np.clip(columns, -1, self.width) + 1

    def _forward(self) -> tuple[Array, float]:
        """((B, W + 2) log weights of all ways to a place at a boundary, that of all ways to the end)."""
        edges, own = self.edges, np.arange(self.width)
        alpha = np.full((len(self.place), self.width + 2), NEVER)
        ways, climb = alpha.reshape(-1), self._climb()
        bounds = np.searchsorted(edges.end, np.arange(len(alpha) + 1)).tolist()
        ahead = (self.base[edges.end] - self.base[edges.before])[:, None] + own
        came = np.stack([self._column(edges.before, ahead - 1), self._column(edges.before, ahead)])
        worth = np.stack([edges.all, np.broadcast_to(edges.stay[:, None], edges.all.shape)])
        for b, (p, q) in enumerate(zip(bounds[:-1], bounds[1:], strict=True)):
            row = self.begin[b]
            if q > p:
                row = np.logaddexp(row, _sum_of(ways.take(came[:, p:q]) + worth[:, p:q]))
            alpha[b, 1:-1] = np.logaddexp.accumulate(row - climb) + climb  # and notes left out
        whole = alpha[:, 1:-1] + self.final
        top = float(whole.max())
        return alpha, top + float(np.log(np.exp(whole - top).sum()))

    def _climb(self) -> Array:
        return np.arange(self.width, dtype=np.float64) * (-self.table.s.deleted_cost / POSTERIOR.temper)

    def _backward(self) -> Array:
        """(B, W + 2) log weights of all ways from a place at a boundary to the end."""
        edges, own = self.edges, np.arange(self.width)
        beta = np.full((len(self.place), self.width + 2), NEVER)
        ways, climb = beta.reshape(-1), self._climb()
        order = np.argsort(edges.before, kind="stable")
        before, end = edges.before[order], edges.end[order]
        bounds = np.searchsorted(before, np.arange(len(beta) + 1)).tolist()
        back = own - (self.base[end] - self.base[before])[:, None]
        padded = np.pad(edges.all[order], ((0, 0), (1, 1)), constant_values=NEVER)
        note = self._column(np.arange(len(order)), back + 1)
        goes = np.stack([self._column(end, back + 1), self._column(end, back)])
        worth = np.stack([padded.reshape(-1)[note], np.broadcast_to(edges.stay[order][:, None], note.shape)])
        for b in range(len(beta) - 1, -1, -1):
            p, q = bounds[b], bounds[b + 1]
            row = self.final[b]
            if q > p:
                row = np.logaddexp(row, _sum_of(ways.take(goes[:, p:q]) + worth[:, p:q]))
            beta[b, 1:-1] = (np.logaddexp.accumulate(row[::-1] - climb) + climb)[::-1]
        return beta

    def _collect(self, out: NotePosteriors, alpha: Array, beta: Array, total: float) -> None:
        edges, own, width = self.edges, np.arange(self.width), self.width
        items = sorted({x.item for x in self.run})
        mine = slice(items[0], min(items[-1] + 1, self.count))
        for values in (out.written, out.other, out.missed, out.left_out, out.extra_before):
            values[mine] = 0.0
        here = self.base[edges.end][:, None] + own
        ahead = here - self.base[edges.before][:, None]
        behind = alpha.reshape(-1).take(self._column(edges.before, ahead - 1))
        shares = np.exp(np.minimum(behind + edges.kinds + beta[edges.end, 1:-1] - total, 0.0))
        note = np.clip(here - 1, 0, self.count - 1)  # outside the part nothing has a share
        for share, values in zip(shares, (out.written, out.other, out.missed), strict=True):
            values += np.bincount(note.ravel(), share.ravel(), self.count)
        there = (ahead >= 1) & (ahead <= width)
        at_row = (edges.before[:, None] * width + ahead - 1)[there]
        begins = np.bincount(at_row, (shares[0] + shares[1])[there], len(self.place) * width)
        begins = begins.reshape(-1, width)  # that the note of a place begins at a boundary
        extra = edges.is_extra
        stays = alpha.reshape(-1).take(self._column(edges.before, ahead))[extra]
        stays = stays + edges.stay[extra][:, None] + beta[edges.end[extra], 1:-1] - total
        inside = (here >= 0) & (here < self.count) & (ahead >= 0) & (ahead < width)
        shared = np.exp(np.minimum(stays, 0.0))[inside[extra]]
        out.extra_before[:] += np.bincount(here[extra][inside[extra]], shared, self.count)
        self._collect_left_out(out, alpha[:, 1:-1], beta[:, 1:-1], total)
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
