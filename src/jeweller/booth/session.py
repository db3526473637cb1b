"""Making one take: the count-in sounds, the microphone is recorded from a beat before the music on, and the
take ends by itself when the check of what was played so far says that the last note was heard, or when the
player has stopped.

Nothing here waits: whoever owns a session polls it, hands the checks out that it asks for and tells it what
they found.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.audio.encode import write_sound
from jeweller.audio.microphone import Microphone
from jeweller.audio.ports import SimulatedSpeaker, Speaker
from jeweller.audio.recorder import SNAPSHOT, Dropout, Recorded, TakeRecorder, settle
from jeweller.booth.stopping import LevelMeter, Moment, StopWatch
from jeweller.booth.track import Track
from jeweller.i18n import _
from jeweller.notation.performance import PerformedPart
from jeweller.report.heard import heard_of
from jeweller.report_format import TakeReport

Samples = npt.NDArray[np.float32]
LEAST_LEAD_S = 0.5  # before the music: whoever comes in early is recorded too
SILENT_PORT_S = 2.0  # without a block: the device is gone, whatever it says
ASLEEP_S = 2.0  # of the machine's sleep: nothing was recorded meanwhile


class SessionState(StrEnum):
    """How far a take is."""

    COUNTING = "counting"
    PLAYING = "playing"
    CHECKING = "checking"
    DONE = "done"


def seconds_asleep() -> float:
    """How long the machine slept since it was started: the one clock goes on then, the other does not."""
    return time.clock_gettime(time.CLOCK_BOOTTIME) - time.clock_gettime(time.CLOCK_MONOTONIC)


@dataclass(frozen=True)
class WantedCheck:
    """A check that is asked for: of a recording that still grows (`part`), by a copy of it (`path`); or of
    the finished one where both are the same. `downbeat_s`: when the first count falls in it; `track_from_s`:
    when the track began in it; `size`: bytes that the growing one has when all that was heard is written.
    """

    part: Path
    path: Path
    downbeat_s: float
    track_from_s: float
    size: int = 0


@dataclass
class _Playback:
    """Feeds the track to the loudspeaker and knows when it began, on the microphone's clock: a block may be
    asked for late, never early, so the least says it.
    """

    track: Track
    now: Callable[[], float]
    at: int = 0
    began_s: float = np.inf

    def pull(self, wanted: int) -> Samples:
        self.began_s = min(self.began_s, self.now() - self.at / self.track.rate)
        block = self.track.samples[self.at : self.at + wanted]
        self.at += len(block)
        return block


@dataclass
class TakeSession:
    """One take, from the first count to its verdict. `latency_s` of the devices, 0 where it is not known."""

    microphone: Microphone
    speaker: Speaker
    track: Track
    line: PerformedPart
    path: Path
    latency_s: float = 0.0
    by_time: bool = False  # it ends when the music's time is over, whatever is heard
    count_path: Path | None = None  # where the count-in, as the microphone heard it, is until the check
    asleep: Callable[[], float] = seconds_asleep
    state: SessionState = SessionState.COUNTING
    meter: LevelMeter = field(default_factory=LevelMeter)
    trouble: str = ""
    recorded: Recorded | None = None
    last_note_s: float | None = None  # when something was last heard, on the microphone's clock
    _count: list[Samples] = field(default_factory=list)  # what was heard before the take
    _recorder: TakeRecorder | None = None
    _watch: StopWatch | None = None
    _playback: _Playback | None = None
    _pending: WantedCheck | None = None
    _finisher: threading.Thread | None = None
    _asked_at_end: bool = False
    _checks: int = 0
    _last_block_s: float = 0.0  # when the last block came
    _heard_until_s: float = 0.0  # and the time it says it was there: what came later is not known yet
    _asleep_s: float = 0.0
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def begin(self) -> None:
        """Opens the devices. Raises OSError where the microphone cannot be opened."""
        self._playback = _Playback(self.track, self.microphone.now)
        self.microphone.start(self._push, self._ended)
        try:
            self.speaker.start(self.track.rate, self._playback.pull)
        except OSError:  # it is gone: counted silently
            self.speaker = SimulatedSpeaker()
            self.speaker.start(self.track.rate, self._playback.pull)
        self._last_block_s, self._asleep_s = self.microphone.now(), self.asleep()

    # ---- the clock

    @property
    def began_s(self) -> float:
        """When the track began, on the microphone's clock; infinite before it did."""
        return self._playback.began_s if self._playback is not None else np.inf

    @property
    def downbeat_s(self) -> float:
        """When the music is due, on the microphone's clock."""
        return self.began_s + self.track.downbeat_s

    @property
    def track_s(self) -> float:
        """Seconds of the track now; negative before it began."""
        began = self.began_s
        return self.microphone.now() - began if np.isfinite(began) else -1.0

    @property
    def seconds(self) -> float:
        """How much is recorded."""
        return self._recorder.seconds if self._recorder is not None else 0.0

    @property
    def recording(self) -> bool:
        return self._recorder is not None and self.recorded is None

    @property
    def strokes(self) -> list[float]:
        """When something was struck or begun: seconds after the music's first count."""
        if self._watch is None:
            return []
        return [at - self.downbeat_s - self.latency_s for at in self._watch.strokes_s]

    @property
    def dropouts(self) -> tuple[Dropout, ...]:
        return self._recorder.dropouts if self._recorder is not None else ()

    # ---- in the thread of the device

    def _push(self, block: Samples, at_s: float) -> None:
        with self._lock:
            self._last_block_s, self._heard_until_s = self.microphone.now(), at_s
            db = self.meter.push(block)
            if self.state == SessionState.COUNTING:
                lead = max(LEAST_LEAD_S, self.track.spq)
                if np.isfinite(self.downbeat_s) and at_s >= self.downbeat_s - lead:
                    try:
                        self._recorder = TakeRecorder(self.path, self.microphone.rate)
                    except OSError as error:
                        self.trouble = _("The recording could not be begun: {error}.").format(
                            error=error.strerror
                        )
                        return
                    self._watch = StopWatch(
                        self.line, self.track, self.downbeat_s, self.latency_s, self.by_time
                    )
                    self.state = SessionState.PLAYING
                elif self.count_path is not None:
                    self._count.append(block)
            if self._recorder is not None and self.state in (SessionState.PLAYING, SessionState.CHECKING):
                self._recorder.push(block, at_s)
                if self._watch is not None:
                    self._watch.push(db, at_s)

    def _ended(self, sentence: str) -> None:
        self.trouble = self.trouble or sentence or _("The microphone has nothing more to say.")

    # ---- polled

    def poll(self) -> WantedCheck | None:
        """Looks what happened; a check that is wanted now."""
        now = self.microphone.now()
        with self._lock:
            recorder, watch = self._recorder, self._watch
        if self.state == SessionState.CHECKING:
            return self._finished()
        if self.state == SessionState.DONE:
            return None
        if recorder is not None and recorder.trouble:
            self.trouble = recorder.trouble
        if not self.trouble and self.asleep() - self._asleep_s > ASLEEP_S:
            self.trouble = _("The computer was asleep while this take was recorded.")
        if not self.trouble and now - self._last_block_s > SILENT_PORT_S * self._pace:
            self.trouble = _("The microphone sends nothing any more.")
        if self.trouble:
            self._stop()
            return None
        if watch is None:
            return None
        self._keep_count()
        match watch.look(self._heard_until_s):
            case Moment.STOPPED if self._pending is not None and watch.asked_of_s == watch.heard_s:
                return None  # what was heard since the check was asked for is silence
            case Moment.STOPPED | Moment.NOBODY:
                self._stop()
            case Moment.MAY_BE_OVER:  # a check that is not done is of less than was heard by now
                return self._ask_so_far()
        return None

    def _keep_count(self) -> None:
        """The count-in on disk, once the take has begun. What a full disk refuses is not needed to record."""
        blocks, self._count = self._count, []
        if self.count_path is not None and blocks:
            with contextlib.suppress(OSError):
                write_sound(self.count_path, np.concatenate(blocks), self.microphone.rate)

    def _forget_count(self) -> None:
        """Nobody is to check the take: what was heard before it is of no use."""
        self._count = []
        if self.count_path is not None:
            self.count_path.unlink(missing_ok=True)

    @property
    def _pace(self) -> float:
        """How much faster than the world the microphone's clock runs."""
        return float(getattr(self.microphone, "speed", 1.0))

    def times(self) -> tuple[float, float]:
        """(the music's first count, the track's beginning) in the recording, as it came back from the
        room.
        """
        assert self._recorder is not None
        track_from = self.began_s + self.latency_s - self._recorder.began_s
        return track_from + self.track.downbeat_s, track_from

    def _ask_so_far(self) -> WantedCheck:
        assert self._recorder is not None and self._watch is not None
        self.last_note_s = self._watch.heard_s
        self._checks += 1
        copy = self.path.with_name(f"{self.path.stem}-{self._checks}{SNAPSHOT}")
        self._pending = WantedCheck(self._recorder.part, copy, *self.times(), self._recorder.size)
        return self._pending

    def stop(self) -> None:
        """Ends the take as it is; the check of it is asked for when it is on the disk."""
        if self.state not in (SessionState.DONE, SessionState.CHECKING):
            self._stop()

    def keep(self) -> Path | None:
        """Ends the take and waits until it is on the disk; None where nothing was recorded."""
        self.stop()
        if self._finisher is not None:
            self._finisher.join()
        self._forget_count()
        return self.recorded.path if self.recorded is not None else None

    def _stop(self) -> None:
        self._silence()
        with self._lock:
            recorder, watch = self._recorder, self._watch
            self.state = SessionState.CHECKING
        self._drop_pending()
        if recorder is None:
            self.state = SessionState.DONE
            return
        self.last_note_s = watch.heard_s if watch is not None else None
        self._finisher = threading.Thread(target=self._finish, args=(recorder,))
        self._finisher.start()

    def _finish(self, recorder: TakeRecorder) -> None:
        """The disk is waited for in a thread of its own."""
        self.recorded = recorder.finish(self.trouble)

    def _finished(self) -> WantedCheck | None:
        """The check of the whole take, once, when it is on the disk."""
        if self.recorded is None or self._asked_at_end:
            return None
        self._asked_at_end = True
        downbeat, track_from = self.times()
        if self.last_note_s is None and self.recorded.seconds < LEAST_LEAD_S * 2:
            self.state = SessionState.DONE
            self.recorded.path.unlink(missing_ok=True)
            return None
        return WantedCheck(self.recorded.path, self.recorded.path, downbeat, track_from)

    def _silence(self) -> None:
        self.microphone.stop()
        self.speaker.stop()

    def _drop_pending(self, but: WantedCheck | None = None) -> None:
        if self._pending is not None and self._pending is not but:
            self._pending.path.unlink(missing_ok=True)
        self._pending = None

    def cancel(self) -> None:
        """Gives the take up; nothing is left of it."""
        self._silence()
        with self._lock:
            self.state = SessionState.DONE
        self._drop_pending()
        self._forget_count()
        if self._recorder is not None and self.recorded is None:
            self._recorder.discard()
            self._recorder = None

    def told(self, wanted: WantedCheck, report: TakeReport | None) -> bool:
        """What a check found (None: it could not be done); whether the take is done by it."""
        if wanted.part == wanted.path:
            self.state = SessionState.DONE
            return True
        if report is None or not is_whole(report):
            if wanted is self._pending:
                self._pending = None
            with contextlib.suppress(OSError):
                wanted.path.unlink(missing_ok=True)
            return False
        self._drop_pending(but=wanted)
        assert self._recorder is not None
        gaps = self._recorder.dropouts
        self._silence()
        self.state = SessionState.DONE
        wanted.path.replace(self.path)
        self.recorded = Recorded(self.path, self._recorder.rate, self._recorder.seconds, gaps)
        threading.Thread(target=_let_go, args=(self.path, self._recorder), daemon=True).start()
        return True


def _let_go(path: Path, recorder: TakeRecorder) -> None:
    """What was recorded goes when the take that was made of it is on the disk; until then both are there."""
    try:
        settle(path)
    except OSError:  # the disk refuses it: what was recorded stays, and is found at the next start
        recorder.close()
        return
    recorder.discard()


def is_whole(report: TakeReport) -> bool:
    """Whether a take holds the part to its last note."""
    heard = heard_of(report)
    if not report["followed"] or not heard["bars"]:
        return False
    main = [n for n in report["notes"] if not n["grace"]]
    return bool(main) and main[-1]["verdict"] not in ("not_heard", "missed")
