"""The case before the judge: a `Following` with what several judges need, computed once."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from jeweller.assessment.settings import AssessmentSettings
from jeweller.instruments.table import Instrument
from jeweller.notation.performance import PerformedNote, PerformedRest
from jeweller.notes.sustain import SustainedTone
from jeweller.notes.table import NoteTable, PlayedNote


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class AssessmentContext:
    """One take before the judge."""

    following: NoteTable
    settings: AssessmentSettings
    instrument: Instrument
    room_db: float
    loud_db: float
    tones: tuple[SustainedTone, ...] = ()  # how the long notes sounded
    # ids of notes in repeats that were not taken, where they may be left out
    left_out: frozenset[str] = frozenset()
    clearness: tuple[tuple[int, float], ...] = ()  # (main note, periodicity of its clearest fifth)

    @cached_property
    def notes(self) -> tuple[PerformedNote, ...]:
        return self.following.line.main_notes

    @cached_property
    def beat_q(self) -> float:
        """Quarters to a beat of the metre."""
        return float(self.following.line.beat)

    @cached_property
    def index_of(self) -> dict[str, int]:
        """Index of each main note by its id."""
        return {n.id: i for i, n in enumerate(self.notes)}

    def event(self, i: int) -> PlayedNote | None:
        return self.following.event_of(i)

    def spq(self, i: int) -> float:
        return self.following.seconds_per_quarter[i]

    def beat_s(self, i: int) -> float:
        return self.spq(i) * self.beat_q

    @cached_property
    def offset_cents(self) -> float:
        """The take's own tuning: median deviation of the notes that sounded in their written pitch class,
        cents.
        """
        found = []
        for i, note in enumerate(self.notes):
            event = self.event(i)
            if event is not None and event.midi == event.midi:
                apart = event.midi - note.sounding_midi
                apart -= 12 * round(apart / 12)
                if abs(apart) < 0.7 and event.clarity > 0.6:
                    found.append(apart * 100)
        return float(np.median(found)) if found else 0.0

    def apart(self, i: int) -> float:
        """Semitones that note i sounded above the written pitch, the take's tuning taken out; NaN where it
        did not sound.
        """
        event = self.event(i)
        return (
            float("nan")
            if event is None
            else event.midi - self.notes[i].sounding_midi - self.offset_cents / 100
        )

    @cached_property
    def graced(self) -> frozenset[int]:
        """Main notes that have grace notes before them."""
        return frozenset(i for i, before in enumerate(self.following.line.graces) if before)

    @cached_property
    def rest_after(self) -> tuple[PerformedRest | None, ...]:
        """For each main note the first rest between it and the next main note."""
        rests = sorted(self.following.line.rests, key=lambda r: r.onset)
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
            a, b = self.event(i), self.event(j)
            assert a is not None and b is not None
            if a.attempt != b.attempt or b.on_s <= a.on_s:
                continue
            quarters = float(self.notes[j].onset - self.notes[i].onset)
            rest = self.rest_after[i]
            rest_q = (
                float(self.notes[j].onset - self.notes[i].end) if j == i + 1 and rest is not None else 0.0
            )
            expected = quarters * 0.5 * (self.spq(i) + self.spq(j))
            found.append(
                Interval(i, j, b.on_s - a.on_s, quarters, rest if j == i + 1 else None, rest_q, expected)
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
        return float(max(1.4826 * np.median(np.abs(excess - np.median(excess))), self.settings.onset_error_s))

    @cached_property
    def expected(self) -> dict[int, float]:
        """Seconds at which each sounded note was expected by the player's own local beat, the count's steps
        taken out.
        """
        from jeweller.assessment.counting import assess_count
        from jeweller.assessment.timing import measure_deviations

        off = measure_deviations(self, assess_count(self).steps)
        return {
            i: e.on_s - off.get(i, 0.0) for i in range(len(self.notes)) if (e := self.event(i)) is not None
        }

    def is_free(self, i: int) -> bool:
        """Whether the speed is the player's own there: under a rit. or the like, at a fermata, at the last
        note.
        """
        note = self.notes[i]
        return (
            note.fermata
            or i == len(self.notes) - 1
            or any(a <= note.onset < b for a, b in self.following.line.free_from)
        )

    def log_tempo(self) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64], npt.NDArray[np.int64]]:
        """Log seconds per quarter, quarters and first note of every interval, shape (K,) each."""
        usable = [v for v in self.intervals if v.quarters > 0]
        return (
            np.log([v.seconds / v.quarters for v in usable]) if usable else np.zeros(0),
            np.array([v.quarters for v in usable]),
            np.array([v.i for v in usable], np.int64),
        )

    def where(self, i: int) -> tuple[str, int, float]:
        """Bar, pass and beat of main note i."""
        note = self.notes[i]
        return note.bar, note.passing, self.following.line.beat_in_bar(note.bar_index, note.offset)
