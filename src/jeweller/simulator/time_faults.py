"""Faults of time: rests, lengths, the count, rhythm and tempo."""

from __future__ import annotations

import math

from jeweller.notation.performance import PerformedNote
from jeweller.simulator.fault_places import FaultPlaces
from jeweller.simulator.plan import Plan

LEAST_SOUND_S = 0.2  # from a displaced note to its neighbour


class TimeFaults(FaultPlaces):
    """Plans faults of time."""

    def _plainly(self, i: int, n: PerformedNote) -> bool:
        raise NotImplementedError

    def _rest_step(self, kind: str, sign: int, near: bool) -> list[Plan] | None:
        i = self.pick(lambda i, n: self.gap(i) >= 0.5 * self.beat and not n.fermata)
        if i is None:
            return None
        rest = self.gap(i)
        whole = (
            [b for b in (self.beat, 2 * self.beat) if b <= rest + 1e-6]
            if sign < 0
            else [self.beat, 2 * self.beat][: 1 + (rest > self.beat)]
        )
        amount = float(self.rng.choice(whole)) if whole else rest
        return [
            Plan(
                kind=kind,
                at=i,
                amount=sign * amount * (0.25 if near else 1.0),
                cause=None if near else "rest_miscounted",
                near=near,
            )
        ]

    def _rest_short(self, near: bool) -> list[Plan] | None:
        return self._rest_step("rest_short", -1, near)

    def _rest_long(self, near: bool) -> list[Plan] | None:
        return self._rest_step("rest_long", 1, near)

    def _rest_filled(self, near: bool) -> list[Plan] | None:
        i = self.pick(lambda i, n: self.seconds(self.gap(i)) >= 0.5 and not n.fermata)
        return (
            None
            if i is None
            else [
                Plan(
                    kind="rest_filled",
                    at=i,
                    amount=self.one_of(0.1, 0.2) if near else self.one_of(0.6, 0.8, 0.97),
                    near=near,
                )
            ]
        )

    def _cut_short(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: float(n.duration) >= 2 * self.beat and self._plainly(i, n) and not n.slurred_to_next
        )
        return (
            None
            if i is None
            else [
                Plan(kind="cut_short", at=i, amount=0.78 if near else self.one_of(0.3, 0.4, 0.5), near=near)
            ]
        )

    def _held_over(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: float(n.duration) >= 2 * self.beat and self._plainly(i, n) and self.gap(i) == 0
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="held_over",
                    at=i,
                    amount=(0.25 if near else self.one_of(1, 1, 2)) * self.beat,
                    cause="long_note_miscounted",
                    near=near,
                )
            ]
        )

    def _beat_dropped(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) >= 2 * self.beat
                and self._plainly(i, n)
                and self.gap(i) == 0
                and not n.slurred_to_next
            )
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="beat_dropped",
                    at=i,
                    amount=-self.beat * (0.2 if near else 1.0),
                    cause="long_note_miscounted",
                    near=near,
                )
            ]
        )

    def _beat_added(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) == self.beat
                and self._plainly(i, n)
                and self.gap(i) == 0
                and not n.slurred_to_next
            )
        )
        return (
            None
            if i is None
            else [Plan(kind="beat_added", at=i, amount=self.beat * (0.2 if near else 1.0), near=near)]
        )

    def _hesitation(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) < 1.5 * self.beat
                and self._plainly(i, n)
                and self.gap(i) == 0
                and not n.slurred_to_next
            )
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="hesitation",
                    at=i,
                    amount=self.beat * (0.25 if near else self.one_of(0.8, 1.3, 2.2)),
                    near=near,
                )
            ]
        )

    def _restart(self, near: bool) -> list[Plan] | None:
        starts = [
            i
            for i in range(4, len(self.notes) - 4)
            if self.notes[i].bar_index != self.notes[i - 1].bar_index
            and self.free(i, 4)
            and not self.notes[i].slurred_from_previous
        ]
        if not starts or near:
            return None
        at = int(self.rng.choice(starts))
        count = int(self.rng.integers(1, 5))
        if any(not self._plainly(k, self.notes[k]) for k in range(at, at + count)):
            return None
        return [Plan(kind="restart", at=at, count=count)]

    def _bar_skipped(self, near: bool) -> list[Plan] | None:
        bars: dict[int, list[int]] = {}
        for i, n in enumerate(self.notes):
            bars.setdefault(n.bar_index, []).append(i)
        whole = [
            b
            for b in bars
            if 1 < b < len(self.line.bars) - 2
            and all(self.free(i, 1) for i in bars[b])
            and not self.notes[bars[b][0]].slurred_from_previous
            and float(self.notes[bars[b][0]].offset) == 0
            and b + 1 in bars
            and float(self.notes[bars[b + 1][0]].offset) == 0
        ]
        if not whole or near:
            return None
        b = int(self.rng.choice(whole))
        return [Plan(kind="bar_skipped", at=bars[b][0], count=len(bars[b]))]

    def _repeat_skipped(self, near: bool) -> list[Plan] | None:
        again = [i for i, n in enumerate(self.notes) if n.passing == 2]
        if not again or near or any(not self.free(i, 0) for i in again):
            return None
        return [Plan(kind="repeat_skipped", at=again[0], count=len(again))]

    def _shifted(self, kind: str, sign: int, near: bool) -> list[Plan] | None:
        # The short note of a dotted figure displaced is that figure played wrong.
        i = self.pick(
            lambda i, n: (
                i >= 3
                and self.ioi(i - 1) != 3 * self.ioi(i)
                and self._plainly(i, n)
                and self.gap(i - 1) == 0
                and self.gap(i) == 0
                and not n.slurred_from_previous
                and self.ioi(i) >= 0.5
                and self.ioi(i - 1) >= 0.5
                and self._plainly(i + 1, self.notes[i + 1])
            )
        )
        if i is None:
            return None
        shorter = min(self.ioi(i), self.ioi(i - 1))
        threshold = max(min(0.16 * self.beat, 0.45 * shorter), 0.045 * self.bpm / 60)
        size = threshold * (self.one_of(0.35, 0.55) if near else self.one_of(1.5, 2.0, 2.8))
        # What is left of the shorter note still sounds: a note is no click.
        size = min(size, 0.62 * shorter, shorter - LEAST_SOUND_S * self.bpm / 60)
        return (
            [Plan(kind=kind, at=i, amount=sign * size, near=near)]
            if size > (1.3 * threshold if not near else 0.0)
            else None
        )

    def _late(self, near: bool) -> list[Plan] | None:
        return self._shifted("late", 1, near)

    def _early(self, near: bool) -> list[Plan] | None:
        return self._shifted("early", -1, near)

    def _run_of(self, least: int) -> tuple[int, int] | None:
        """(first note, how many) of a run of equal short notes."""
        runs: list[tuple[int, int]] = []
        i = 1
        while i < len(self.notes) - 2:
            m = i
            while (
                m < len(self.notes) - 2
                and self.ioi(m) == self.ioi(i)
                and self.ioi(i) <= 0.5 * self.beat
                and self.gap(m) == 0
                and self._plainly(m, self.notes[m])
            ):
                m += 1
            if m - i >= least:
                start = i if (float(self.notes[i].offset) / (2 * self.ioi(i))) % 1 < 1e-6 else i + 1
                if m - start >= least and all(self.free(k, 1) for k in range(start, m)):
                    runs.append((start, m - start))
            i = max(m, i + 1)
        return runs[int(self.rng.integers(len(runs)))] if runs else None

    def _uneven(self, near: bool) -> list[Plan] | None:
        run = self._run_of(4)
        if run is None:
            return None
        ratio = self.one_of(1.10, 1.15) if near else self.one_of(1.5, 1.8, 2.2)
        if self.rng.random() < 0.25:
            ratio = 1 / ratio
        return [Plan(kind="uneven", at=run[0], amount=ratio, count=run[1] - run[1] % 2, near=near)]

    def _dots(self) -> list[int]:
        return [
            i
            for i in range(1, len(self.notes) - 2)
            if abs(self.ioi(i) - 3 * self.ioi(i + 1)) < 1e-6
            and self.gap(i) == 0
            and self.gap(i + 1) == 0
            and self._plainly(i, self.notes[i])
            and self._plainly(i + 1, self.notes[i + 1])
            and self.free(i, 1)
            and not self.notes[i].slurred_to_next
            and not self.notes[i + 1].slurred_to_next
            and not self.line.graces[i + 2]
        ]

    def _dotted(self, kind: str, ratio: float, near: bool) -> list[Plan] | None:
        where = self._dots()
        if not where:
            return None
        if near:
            return [Plan(kind=kind, at=where[0], amount=ratio, count=2, near=True)]
        return [
            Plan(kind=kind, at=i, amount=ratio * math.exp(0.05 * self.rng.standard_normal()), count=2)
            for i in where[:6]
        ]

    def _dot_lost(self, near: bool) -> list[Plan] | None:
        return self._dotted("dot_lost", 2.5 if near else self.one_of(1.0, 1.15, 1.3), near)

    def _dot_overdone(self, near: bool) -> list[Plan] | None:
        return self._dotted("dot_overdone", 3.4 if near else self.one_of(5.0, 6.0, 7.0), near)

    def _trend(self, kind: str, near: bool) -> list[Plan] | None:
        total = float(self.notes[-1].onset)
        i = self.pick(
            lambda i, n: i >= 4 and 0.25 * total < float(n.onset) < 0.7 * total and not self.line.free_from,
            reach=3,
        )
        if i is None:
            return None
        length = float(self.rng.uniform(8, 14))
        m = i
        while m < len(self.notes) - 2 and float(self.notes[m].onset - self.notes[i].onset) < length:
            if not self.free(m, 1) or self.notes[m].fermata:
                break
            m += 1
        if float(self.notes[m].onset - self.notes[i].onset) < 6:
            return None
        size = 1.04 if near else self.one_of(1.2, 1.28, 1.38)
        return [
            Plan(
                kind=kind,
                at=i,
                amount=size if kind == "dragging" else 1 / size,
                count=m - i,
                near=near,
                cause="too_fast_for_now" if kind == "dragging" and not near else None,
            )
        ]

    def _rushing(self, near: bool) -> list[Plan] | None:
        if self.rng.random() < 0.4:
            run = self._run_of(4)
            if run is not None:
                return [
                    Plan(
                        kind="rushing",
                        at=run[0],
                        amount=0.95 if near else self.one_of(0.82, 0.76, 0.70),
                        count=run[1],
                        near=near,
                        way="figure",
                    )
                ]
        return self._trend("rushing", near)

    def _dragging(self, near: bool) -> list[Plan] | None:
        return self._trend("dragging", near)
