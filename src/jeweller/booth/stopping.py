"""Listening along while a take is recorded: how loud it is, whether somebody plays, and when the music may be
over. Whether it is over is said by the check of what was played so far, never by this alone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from jeweller.booth.settings import LEVEL, STOP
from jeweller.booth.track import Track
from jeweller.i18n import N_
from jeweller.notation.performance import PerformedPart

Samples = npt.NDArray[np.float32]


class Loudness(StrEnum):
    """How the level is."""

    SILENT = "silent"
    QUIET = "quiet"
    FINE = "fine"
    CLIPPED = "clipped"


LOUDNESS = {
    Loudness.SILENT: N_("nothing heard"),
    Loudness.QUIET: N_("too quiet: nearer to the microphone"),
    Loudness.FINE: N_("fine"),
    Loudness.CLIPPED: N_("clipped: farther from the microphone"),
}


class Moment(StrEnum):
    """What the listening makes of this moment."""

    GOES_ON = "goes_on"
    MAY_BE_OVER = "may_be_over"
    STOPPED = "stopped"
    NOBODY = "nobody"


@dataclass
class LevelMeter:
    """The level of a microphone: 0..1 of its peak as it sinks slowly, and how it is in words."""

    peak: float = 0.0
    loud_db: float = -120.0
    clipped_for: int = 0  # blocks since the last that was clipped

    def push(self, block: Samples) -> float:
        """Takes a block; its level (dB)."""
        size = float(np.abs(block).max(initial=0.0))
        self.peak = max(size, 0.9 * self.peak)
        power = float(np.mean(np.square(block, dtype=np.float64))) if len(block) else 0.0
        db = 10.0 * math.log10(power + 1e-12)
        self.loud_db = max(db, self.loud_db - 0.15)
        self.clipped_for = 50 if size >= LEVEL.clipped else max(0, self.clipped_for - 1)
        return db

    @property
    def said(self) -> Loudness:
        if self.clipped_for:
            return Loudness.CLIPPED
        if self.loud_db < STOP.silent_db:
            return Loudness.SILENT
        return Loudness.QUIET if self.loud_db < LEVEL.quiet_db else Loudness.FINE


MOST_BLOCK_S = 0.1  # a longer gap between two blocks is lost sound, and no quiet


@dataclass
class StopWatch:
    """Takes the blocks of a take and says whether it may be over.

    `downbeat_s` and all times are on the microphone's clock; `masked_s` are the clicks as they come back from
    the room.
    """

    line: PerformedPart
    track: Track
    downbeat_s: float
    latency_s: float
    by_time: bool = False  # over when its time is, whatever is heard
    strokes_s: list[float] = field(default_factory=list)  # when something was struck or begun
    first_s: float | None = None  # when something was first heard
    heard_s: float | None = None  # when something was last heard
    asked_of_s: float = -math.inf  # until when was heard what it was last said of that it may be over
    quiet_s: float = 0.0  # how long nobody plays; while a click sounds that cannot be told
    _last_s: float = -math.inf  # when the last block was there
    _floor: list[float] = field(default_factory=list)
    _loud_db: float = -120.0
    _before: list[float] = field(default_factory=list)  # the levels just before

    @property
    def due_s(self) -> float:
        """How long the music lasts at the speed that was counted."""
        return self.track.end_s - self.track.downbeat_s

    @property
    def longest_rest_s(self) -> float:
        rests = [float(r.duration) for r in self.line.rests]
        return STOP.rests_slack * max(rests, default=0.0) * self.track.spq

    def push(self, db: float, at_s: float) -> None:
        """A block's level (dB), and when its last frame was there."""
        self._floor = [*self._floor[-149:], db]
        floor = min(self._floor) if self._floor else db
        self._loud_db = max(db, self._loud_db)
        threshold = max(
            STOP.silent_db, min(floor + STOP.above_floor_db, -40.0), self._loud_db - STOP.below_loud_db
        )
        rose = bool(self._before) and db - min(self._before) > STOP.stroke_db
        self._before = [*self._before[-2:], db]
        lasted, self._last_s = min(max(0.0, at_s - self._last_s), MOST_BLOCK_S), at_s
        if self._is_click(at_s):
            return
        if db < threshold:
            self.quiet_s += lasted
            return
        self.quiet_s = 0.0
        if rose and (not self.strokes_s or at_s - self.strokes_s[-1] > STOP.stroke_apart_s):
            self.strokes_s.append(at_s)
        if at_s > self.downbeat_s - 0.5 * self.track.spq:
            self.first_s = at_s if self.first_s is None else self.first_s
            self.heard_s = at_s

    def _is_click(self, at_s: float) -> bool:
        begun = self.downbeat_s + self.latency_s - self.track.downbeat_s
        return any(-0.01 <= at_s - (begun + c) <= STOP.masked_s for c in self.track.clicks_s)

    def look(self, now_s: float) -> Moment:
        """What to do now."""
        music_s = now_s - self.downbeat_s
        if self.track.sounds_along or self.by_time:  # the room is never quiet: the music's own end is the end
            return Moment.STOPPED if music_s > self.due_s + STOP.settle_s else Moment.GOES_ON
        if self.heard_s is None or self.first_s is None:
            silent_start = float(self.line.main_notes[0].onset) * self.track.spq
            return Moment.NOBODY if music_s > silent_start + STOP.waits_s else Moment.GOES_ON
        quiet = now_s - self.heard_s
        if quiet > self.longest_rest_s + STOP.stopped_s:
            return Moment.STOPPED
        far_enough = (
            self.heard_s - self.first_s
            >= STOP.near_end * (self.due_s - float(self.line.main_notes[0].onset) * self.track.spq)
            - float(self.line.main_notes[-1].duration) * self.track.spq
        )
        if self.quiet_s >= STOP.ends_s and far_enough and self.heard_s > self.asked_of_s:
            self.asked_of_s = self.heard_s
            return Moment.MAY_BE_OVER
        return Moment.GOES_ON
