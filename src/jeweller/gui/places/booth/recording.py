"""Running one take: the track is rendered, a worker listens along, the session is polled, its checks are
handed on.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.audio.microphone import Microphone
from jeweller.audio.recorder import PART, SNAPSHOT
from jeweller.booth.plan import Music, TakePlan
from jeweller.booth.session import SessionState, TakeSession, WantedCheck
from jeweller.booth.track import Prepared, Track, prepare
from jeweller.booth.verdict import Terms, ask, give_up, listen_along
from jeweller.gui.services.devices import Devices, no_microphone
from jeweller.gui.services.jobs import Job, Jobs
from jeweller.pipeline.check import Checked
from jeweller.pipeline.workers import TRIES

LOOK_MS = 20
LISTENING = "listening along"


class TakeRunner(QObject):
    """`began` when the count-in sounds, `ticked` each moment, `ended` with (session, Checked or None, a
    sentence where it could not be checked).
    """

    began = Signal()
    ticked = Signal()
    ended = Signal(object, object, str)
    trouble = Signal(str)

    def __init__(self, jobs: Jobs, devices: Devices, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs, self.devices = jobs, devices
        self.session: TakeSession | None = None
        self.prepared: Prepared | None = None
        self.microphone: Microphone | None = None
        self.heard_with = ""  # the name of the microphone of the last take
        self._wanted: WantedCheck | None = None  # the newest check that was asked for
        self._asked: dict[str, WantedCheck] = {}  # all of this take, by the name of the file
        self._asking: Path | None = None
        self._listener: Job | None = None
        self._checked = True
        self._sentence = ""  # why it could not be checked while it was recorded
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)

    @property
    def running(self) -> bool:
        return self.session is not None

    @property
    def busy(self) -> bool:
        """Whether a take is being prepared or made."""
        return self.running or self.jobs.running("track")

    def start(
        self,
        music: Music,
        plan: TakePlan,
        microphone: Microphone,
        path: Path,
        folder: Path,
        *,
        instrument: str = "",
        checked: bool = True,
        by_time: bool = False,
        track: Callable[[], Track] | None = None,
    ) -> None:
        """Makes a take to `path`. `checked`: a worker listens along and says what it finds; else the take
        ends without. `track` makes another track than that of the plan.
        """
        self.microphone, self.heard_with = microphone, microphone.name
        self._checked, self._sentence = checked, ""
        job = self.jobs.threaded("track", prepare, music, plan, folder, track)
        job.done.connect(
            lambda prepared: self._begin(prepared, music, plan, path, instrument=instrument, by_time=by_time)
        )
        job.failed.connect(self.trouble)

    def _begin(
        self, prepared: Prepared, music: Music, plan: TakePlan, path: Path, *, instrument: str, by_time: bool
    ) -> None:
        microphone = self.microphone
        if microphone is None:
            return
        latency = self.devices.latency(microphone)
        clicks = prepared.track.click_track(path.with_name(f"{path.stem}-count{SNAPSHOT}"))
        terms = Terms(
            plan=plan,
            track=prepared.track_path if prepared.track.sounds_along else None,
            clicks=clicks if self._checked else None,
            timed=latency is not None,
            instrument=instrument,
        )
        self.prepared = prepared
        session = TakeSession(
            microphone,
            self.devices.speaker,
            prepared.track,
            music.line(plan),
            path,
            latency_s=latency.seconds if latency is not None else 0.0,
            by_time=by_time,
            count_path=Path(terms.clicks.before) if terms.clicks is not None else None,
        )
        try:
            session.begin()
        except OSError as error:
            self.trouble.emit(no_microphone(error))
            return
        self.session = session
        if self._checked:
            self._asking = path.with_suffix(".ask")
            part = path.with_name(path.name.removesuffix(".wav") + PART)
            self._listener = self.jobs.process(
                LISTENING, listen_along, str(prepared.score), part, self._asking, terms, tries=TRIES
            )
            self._listener.again.connect(self._ask_again)
            self._listener.progress.connect(self._progress)
            self._listener.done.connect(self._told)
            self._listener.failed.connect(self._failed)
        self._timer.start(LOOK_MS)
        self.began.emit()

    def _look(self) -> None:
        session = self.session
        if session is None:
            return
        wanted = session.poll()
        if wanted is not None:
            self._ask(wanted)
            return
        if self.session is session and session.state == SessionState.DONE:  # nothing was recorded
            self._end(None, "")
            return
        self.ticked.emit()

    def _ask(self, wanted: WantedCheck) -> None:
        session = self.session
        if session is None:
            return
        self._wanted = self._asked[wanted.path.name] = wanted
        if self._asking is None:
            if wanted.part == wanted.path:
                session.told(wanted, None)
                self._end(None, self._sentence)
            return
        try:
            ask(self._asking, wanted, session.dropouts)
        except OSError as error:
            self._failed(str(error))

    def _ask_again(self) -> None:
        """Whoever listened along died, and another began: it is to hear what the first was asked."""
        if self._wanted is not None:
            self._ask(self._wanted)

    def _progress(self, share: float, name: str) -> None:
        session, wanted = self.session, self._asked.get(name)
        if share < 0.0 and session is not None and wanted is not None and wanted.part != wanted.path:
            session.told(wanted, None)

    def _told(self, told: tuple[Checked, str] | None) -> None:
        session = self.session
        if session is None or told is None:
            return
        checked, name = told
        # The whole music was heard in an earlier part of a take that has ended meanwhile: it is its verdict.
        wanted = self._wanted if session.state == SessionState.CHECKING else self._asked.get(name)
        if wanted is not None and session.told(wanted, checked.report):
            self._end(checked, "")

    def _failed(self, sentence: str) -> None:
        """The take could not be checked: it is kept all the same."""
        session = self.session
        if session is None:
            return
        if self._wanted is None or self._wanted.part != self._wanted.path:  # it is still recorded
            self._sentence, self._asking = sentence, None
            session.stop()
            return
        session.told(self._wanted, None)
        self._end(None, sentence)

    def stop(self) -> None:
        """Ends the take as it is, to be checked."""
        if self.session is not None:
            self.session.stop()

    def cancel(self) -> None:
        """Gives the take up; nothing is left of it."""
        self.jobs.cancel("track")
        session, self.session = self.session, None
        self._timer.stop()
        if session is not None:
            session.cancel()
        self._let_go()

    def keep(self) -> Path | None:
        """Ends the take at once and keeps what was recorded, unchecked: the program is left."""
        session, self.session = self.session, None
        self._timer.stop()
        if session is None:
            return None
        kept = session.keep()
        self._let_go()
        return kept

    def _end(self, checked: Any, sentence: str) -> None:
        session, self.session = self.session, None
        self._timer.stop()
        if checked is None:
            self._let_go()
        self._forget()
        self.ended.emit(session, checked, sentence)

    def _let_go(self) -> None:
        """Nobody waits for the listener any more."""
        if self._asking is not None and self.jobs.running(LISTENING):
            with contextlib.suppress(OSError):
                give_up(self._asking)
        self._forget()

    def _forget(self) -> None:
        self._asking = self._wanted = self._listener = None
        self._asked = {}
