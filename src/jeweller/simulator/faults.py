"""Which faults a take gets: plausible places and combinations, in a ladder of sizes from just beyond the
tolerance to gross, and near misses.
"""

from __future__ import annotations

import numpy as np

from jeweller.instruments.table import Instrument
from jeweller.notation.performance import PerformedNote, PerformedPart
from jeweller.simulator.fault_places import Rng
from jeweller.simulator.pitch_faults import PitchFaults
from jeweller.simulator.plan import Plan
from jeweller.simulator.time_faults import TimeFaults


class Planner(PitchFaults, TimeFaults):
    """Plans faults of one take; keeps the notes already used."""

    # ---- helpers ----

    def plan(self, kind: str, near: bool = False) -> list[Plan] | None:
        """Plans for one fault (or near miss) of a kind; None where this line has no place for it."""
        maker = getattr(self, f"_{kind}", None)
        plans: list[Plan] | None = maker(near) if maker else None
        if plans:
            for p in plans:
                self.used |= set(range(p.at - 1, p.at + p.count + 1))
        return plans

    def _plainly(self, i: int, n: PerformedNote) -> bool:
        return n.written.ornament is None and not self.line.graces[i] and not n.fermata

    # ---- notes and accidentals ----

    # ---- count ----

    # ---- rhythm ----

    # ---- ornaments ----
    def _graced(self) -> int | None:
        return self.pick(lambda i, n: bool(self.line.graces[i]))

    def _grace_missed(self, near: bool) -> list[Plan] | None:
        i = self._graced()
        return None if i is None or near else [Plan(kind="grace_missed", at=i)]

    def _grace_slipped(self, near: bool) -> list[Plan] | None:
        i = self._graced()
        if i is None:
            return None
        if near:
            return [Plan(kind="grace_slipped", at=i, amount=0.13, way="long", near=True)]
        way = str(self.rng.choice(["pitch", "long", "after"]))
        length = self.seconds(float(self.notes[i].duration))
        amount = {
            "pitch": self.one_of(2, 3, -4),
            "long": min(self.one_of(0.28, 0.36), 0.6 * length),
            "after": 0.4 * length,
        }[way]
        return [Plan(kind="grace_slipped", at=i, amount=amount, way=way)]

    def _trilled(self) -> int | None:
        return self.pick(
            lambda i, n: n.written.ornament == "trill" and self.seconds(float(n.duration)) > 0.55
        )

    def _trill_missed(self, near: bool) -> list[Plan] | None:
        i = self._trilled()
        return None if i is None or near else [Plan(kind="trill_missed", at=i)]

    def _trill_start(self, near: bool) -> list[Plan] | None:
        i = self._trilled()  # against the player's own school, which is then asked for
        return (
            None
            if i is None or near
            else [Plan(kind="trill_start", at=i, amount=-1.0 if self.upper_start else 1.0)]
        )

    def _trill_thin(self, near: bool) -> list[Plan] | None:
        i = self._trilled()
        return (
            None
            if i is None or near
            else [Plan(kind="trill_thin", at=i, way=str(self.rng.choice(["thin", "short"])))]
        )

    def _ornament_wrong(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: n.written.ornament not in (None, "trill") and self.seconds(float(n.duration)) > 0.4
        )
        return (
            None
            if i is None or near
            else [Plan(kind="ornament_wrong", at=i, way=str(self.rng.choice(["none", "wrong"])))]
        )

    # ---- articulation ----
    def _in_slur(self) -> int | None:
        return self.pick(
            lambda i, n: (
                n.slurred_from_previous
                and self.notes[i - 1].sounding_midi != n.sounding_midi
                and self._plainly(i, n)
                and self._plainly(i - 1, self.notes[i - 1])
                and self.seconds(self.ioi(i - 1)) > 0.2
            )
        )

    def _tongued_in_slur(self, near: bool) -> list[Plan] | None:
        i = self._in_slur()
        return None if i is None or near else [Plan(kind="tongued_in_slur", at=i)]

    def _slurred_over_tongue(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                not n.slurred_from_previous
                and self.gap(i - 1) == 0
                and self._plainly(i, n)
                and self._plainly(i - 1, self.notes[i - 1])
                and 1 <= abs(self.notes[i - 1].sounding_midi - n.sounding_midi) <= 7
                and "staccato" not in self.notes[i - 1].written.articulations
                and not self.notes[i - 1].breath_after
            )
        )
        return None if i is None or near else [Plan(kind="slurred_over_tongue", at=i)]

    def _breath_in_slur(self, near: bool) -> list[Plan] | None:
        i = self._in_slur()
        if i is None or near or self.seconds(self.ioi(i - 1)) < 0.45:
            return None
        return [Plan(kind="breath_in_slur", at=i, amount=self.one_of(0.22, 0.3))]

    def _long_whole(self) -> bool:
        return sum(self.seconds(self.ioi(i)) > 0.5 for i in range(len(self.notes) - 1)) > 0.6 * len(
            self.notes
        )

    def _breath_every_note(self, near: bool) -> list[Plan] | None:
        return (
            None
            if near or self.used or not self._long_whole()
            else [Plan(kind="breath_every_note", at=0, amount=self.one_of(0.24, 0.3))]
        )

    def _not_joined(self, near: bool) -> list[Plan] | None:
        slurs = sum(n.slurred_to_next for n in self.notes)
        return (
            None
            if near or slurs < 5 or any(p for p in self.used)
            else [Plan(kind="not_joined", at=0, amount=self.one_of(0.6, 0.75))]
        )

    def _not_detached(self, near: bool) -> list[Plan] | None:
        short = sum("staccato" in n.written.articulations for n in self.notes)
        return None if near or short < 4 or self.used else [Plan(kind="not_detached", at=0, amount=0.95)]

    # ---- sound ----
    def _long(self, seconds: float) -> int | None:
        return self.pick(lambda i, n: self.seconds(float(n.duration)) > seconds and self._plainly(i, n))

    def _out_of_tune(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                float(n.duration) >= 0.5 * self.beat + 1e-6
                and self._plainly(i, n)
                and self.seconds(float(n.duration)) > 0.3
            )
        )
        return (
            None
            if i is None
            else [
                Plan(
                    kind="out_of_tune",
                    at=i,
                    amount=self.one_of(-1, 1) * (self.one_of(14, 20) if near else self.one_of(38, 42, 46)),
                    near=near,
                )
            ]
        )

    def _cracked(self, near: bool) -> list[Plan] | None:
        i = self.pick(
            lambda i, n: (
                self._plainly(i, n) and self.seconds(float(n.duration)) > 0.4 and not n.slurred_from_previous
            )
        )
        if i is None:
            return None
        midi = self.notes[i].sounding_midi
        ways = [
            a
            for a in ((12, 7, 5, -5) if self.instrument.family == "brass" else (12, 19))
            if midi + a <= self.instrument.high + 12
        ]
        return [
            Plan(
                kind="cracked",
                at=i,
                amount=float(self.rng.choice(ways or [12])),
                count=int(self.rng.integers(1, 3)),
                near=near,
                cause=None if near else "air",
            )
        ]

    def _sagging(self, near: bool) -> list[Plan] | None:
        i = self._long(1.1)
        return (
            None
            if i is None
            else [
                Plan(
                    kind="sagging",
                    at=i,
                    amount=self.one_of(8, 12) if near else self.one_of(45, 60),
                    near=near,
                    cause=None if near else "air",
                )
            ]
        )

    def _unsteady(self, near: bool) -> list[Plan] | None:
        i = self._long(1.1)
        return (
            None
            if i is None
            else [
                Plan(
                    kind="unsteady",
                    at=i,
                    amount=self.one_of(5, 8) if near else self.one_of(28, 40),
                    near=near,
                )
            ]
        )

    def _fuzzy(self, near: bool) -> list[Plan] | None:
        i = self._long(0.5)
        return None if i is None or near else [Plan(kind="fuzzy", at=i, amount=self.one_of(0.5, 0.7))]

    def _dynamics_flat(self, near: bool) -> list[Plan] | None:
        wedge = any(m.kind == "wedge" for b in self.line.bars for m in b.bar.marks)
        return None if near or not wedge else [Plan(kind="dynamics_flat", at=0)]

    def _off_click(self, near: bool) -> list[Plan] | None:
        if not self.click or self.used:
            return None
        return [
            Plan(
                kind="off_click",
                at=0,
                amount=self.one_of(0.04, -0.05) if near else self.one_of(0.25, 0.35, 0.5, -0.25),
                near=near,
            )
        ]

    def _tuned_high(self, near: bool) -> list[Plan] | None:
        if self.tuned:
            return None
        self.tuned = True
        return [Plan(kind="tuned_high", at=0, amount=5.0 if near else self.one_of(20, 28), near=near)]

    def _tuned_low(self, near: bool) -> list[Plan] | None:
        if self.tuned:
            return None
        self.tuned = True
        return [Plan(kind="tuned_low", at=0, amount=-5.0 if near else -self.one_of(20, 28), near=near)]


# How often a teacher meets each kind; used as weights.
COMMON = {
    "missed_accidental": 3,
    "wrong_note": 3,
    "added_accidental": 1,
    "wrong_octave": 1,
    "wrong_partial": 1.2,
    "missed_note": 1.5,
    "extra_note": 1.5,
    "rest_short": 1.5,
    "rest_long": 1.5,
    "rest_filled": 1,
    "cut_short": 1.2,
    "held_over": 1,
    "beat_dropped": 0.8,
    "beat_added": 0.7,
    "hesitation": 1.5,
    "restart": 1.5,
    "bar_skipped": 1,
    "repeat_skipped": 1.5,
    "late": 1,
    "early": 0.8,
    "uneven": 1.2,
    "dot_lost": 1.5,
    "dot_overdone": 0.8,
    "rushing": 1.2,
    "dragging": 1.2,
    "grace_missed": 1.2,
    "grace_slipped": 0.8,
    "trill_missed": 1,
    "trill_thin": 0.8,
    "trill_start": 0.5,
    "ornament_wrong": 0.6,
    "tongued_in_slur": 1,
    "slurred_over_tongue": 0.8,
    "breath_in_slur": 0.7,
    "breath_every_note": 0.3,
    "not_joined": 0.3,
    "not_detached": 0.3,
    "out_of_tune": 1,
    "cracked": 1.3,
    "off_click": 1.5,
    "sagging": 0.6,
    "unsteady": 0.6,
    "fuzzy": 0.4,
    "dynamics_flat": 0.7,
    "tuned_high": 0.4,
    "tuned_low": 0.4,
    "wrong_transposition": 0.25,
}
GATHERED = {"missed_accidental", "dot_lost", "dot_overdone"}  # a habit: one fault in the truth


def plan_faults(
    line: PerformedPart,
    instrument: Instrument,
    bpm: float,
    rng: Rng,
    faults: int,
    near: int,
    kinds: tuple[str, ...] = (),
    *,
    click: bool = False,
    upper_start: bool = False,
) -> tuple[Plan, ...]:
    """So many faults and near misses, where the line has places for them; a habit counts as one.

    `click`: a click sounds in the recording; `upper_start`: this player's trills begin on the upper note.
    """
    planner = Planner(line, instrument, rng, bpm, click, upper_start)
    names = list(kinds or COMMON)
    weights = np.array([COMMON.get(k, 1.0) for k in names], float)
    out: list[Plan] = []
    done = 0
    for _ in range(40):
        if done >= faults:
            break
        kind = str(rng.choice(names, p=weights / weights.sum()))
        plans = planner.plan(kind)
        if plans:
            out.extend(plans)
            done += 1
            if kind in (
                "wrong_transposition",
                "breath_every_note",
                "not_joined",
                "not_detached",
                "repeat_skipped",
                "off_click",
            ):
                break
    whole = any(
        p.kind in ("wrong_transposition", "breath_every_note", "not_joined", "not_detached", "off_click")
        for p in out
    )
    for _ in range(20):
        if near <= 0 or whole:
            break
        plans = planner.plan(str(rng.choice(list(COMMON))), near=True)
        if plans and plans[0].near:
            out.extend(plans)
            near -= 1
    return tuple(out)
