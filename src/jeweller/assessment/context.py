"""What several assessments of one take need: its note table, the settings, and what follows from them,
once.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from jeweller.assessment.finding import Finding
from jeweller.assessment.settings import AssessmentSettings
from jeweller.features.robust import median
from jeweller.instruments.table import Instrument
from jeweller.notation.performance import PerformedNote, PerformedRest
from jeweller.notes.settings import SAME_PITCH
from jeweller.notes.table import NoteTable, PlayedNote


@dataclass(frozen=True, kw_only=True)
class Interval:
    """From the onset of main note i to that of main note j, both sounded in one go. Lengths in seconds and
    quarters.
    """

    i: int
    j: int
    seconds: float
    quarters: float
    rest: PerformedRest | None  # the longest rest between them
    rest_quarters: float
    expected: float  # seconds at the local tempo

    @property
    def excess(self) -> float:
        """Seconds too long (negative: too short)."""
        return self.seconds - self.expected


@dataclass(frozen=True, kw_only=True)
class AssessmentContext:
    """One take before it is assessed."""

    table: NoteTable
    settings: AssessmentSettings
    instrument: Instrument
    left_out: frozenset[str] = (
        frozenset()
    )  # ids of notes in repeats that were not taken, where they may be left out

    @property
    def notes(self) -> tuple[PerformedNote, ...]:
        return self.table.notes

    @cached_property
    def beat_q(self) -> float:
        """Quarters to a beat of the metre."""
        return float(self.table.line.beat)

    @cached_property
    def index_of(self) -> dict[str, int]:
        """Index of each main note by its id."""
        return {n.id: i for i, n in enumerate(self.notes)}

    def event(self, i: int) -> PlayedNote | None:
        return self.table.event_of(i)

    def sounded(self, i: int) -> PlayedNote:
        """What was played for main note i, where it is known that it sounded. Raises LookupError."""
        event = self.table.event_of(i)
        if event is None:
            raise LookupError(f"main note {i} did not sound")
        return event

    def spq(self, i: int) -> float:
        return self.table.seconds_per_quarter[i]

    def beat_s(self, i: int) -> float:
        return self.spq(i) * self.beat_q

    @property
    def offset_cents(self) -> float:
        """The take's own tuning, cents."""
        return self.table.offset_cents

    def apart(self, i: int) -> float:
        """Semitones that note i sounded above the written pitch, the take's tuning taken out; NaN where it
        did not sound.
        """
        return self.table.apart(i)

    @cached_property
    def graced(self) -> frozenset[int]:
        """Main notes that have grace notes before them."""
        return frozenset(i for i, before in enumerate(self.table.line.graces) if before)

    @cached_property
    def rest_after(self) -> tuple[PerformedRest | None, ...]:
        """For each main note the first rest between it and the next main note."""
        rests = sorted(self.table.line.rests, key=lambda r: r.onset)
        onsets = [r.onset for r in rests]
        found: list[PerformedRest | None] = []
        for i, note in enumerate(self.notes):
            k = bisect_left(onsets, note.end)
            found.append(
                rests[k]
                if k < len(rests) and (i + 1 == len(self.notes) or onsets[k] < self.notes[i + 1].onset)
                else None
            )
        return tuple(found)

    @cached_property
    def intervals(self) -> tuple[Interval, ...]:
        """Consecutive soundings within one attempt, in order of the line."""
        found: list[Interval] = []
        sounded = [i for i in range(len(self.notes)) if self.event(i) is not None]
        for i, j in zip(sounded, sounded[1:], strict=False):
            a, b = self.sounded(i), self.sounded(j)
            if a.attempt != b.attempt or b.on_s <= a.on_s:
                continue
            quarters = float(self.notes[j].onset - self.notes[i].onset)
            rest = self.rest_after[i]
            rest_q = (
                float(self.notes[j].onset - self.notes[i].end) if j == i + 1 and rest is not None else 0.0
            )
            expected = quarters * 0.5 * (self.spq(i) + self.spq(j))
            found.append(
                Interval(
                    i=i,
                    j=j,
                    seconds=b.on_s - a.on_s,
                    quarters=quarters,
                    rest=rest if j == i + 1 else None,
                    rest_quarters=rest_q,
                    expected=expected,
                )
            )
        return tuple(found)

    @cached_property
    def time_spread(self) -> float:
        """The player's own spread of intervals around the local tempo: robust standard deviation in seconds,
        our listening error included.
        """
        excess = np.array(
            [v.excess for v in self.intervals if v.j == v.i + 1 and abs(v.excess) < 0.5 * v.expected]
        )
        if len(excess) < 4:
            return 0.03
        return float(max(1.4826 * median(np.abs(excess - median(excess))), self.settings.onset_error_s))

    def is_free(self, i: int) -> bool:
        """Whether the speed is the player's own there: under a rit. or the like, at a fermata, at the last
        note.
        """
        note = self.notes[i]
        return (
            note.fermata
            or i == len(self.notes) - 1
            or any(a <= note.onset < b for a, b in self.table.line.free_from)
        )

    def as_written(self, event: PlayedNote) -> bool:
        """Whether what was played for a note has its pitch, the take's own tuning aside, or none at all."""
        if event.index is None:
            return False
        meant = self.notes[event.index].sounding_midi + self.offset_cents / 100
        return not abs(event.midi - meant) >= SAME_PITCH

    def where(self, i: int) -> tuple[str, int, float]:
        """Bar, pass and beat of main note i."""
        note = self.notes[i]
        return note.bar, note.passing, self.table.line.beat_in_bar(note.bar_index, note.offset)

    def finding(
        self,
        i: int,
        kind: str,
        *,
        confidence: float,
        severity: float,
        at_s: float | None = None,
        until_s: float | None = None,
        notes: tuple[str, ...] | None = None,
        score_ids: tuple[str, ...] | None = None,
        **more: Any,
    ) -> Finding:
        """A finding at main note i: its bar, pass and beat, and, where nothing else is said, from when to
        when it sounded and its ids. `more` are other fields of a finding.
        """
        note, event = self.notes[i], self.event(i)
        bar, passing, beat = self.where(i)
        return Finding(
            kind=kind,
            bar=bar,
            passing=passing,
            beat=beat,
            at_s=event.on_s if at_s is None and event is not None else at_s or 0.0,
            until_s=event.off_s if until_s is None and event is not None else until_s or 0.0,
            notes=(note.id,) if notes is None else notes,
            score_ids=(note.score_id,) if score_ids is None else score_ids,
            confidence=confidence,
            severity=severity,
            **more,
        )
