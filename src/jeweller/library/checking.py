"""The checks of a tray, on all cores: a plain function in worker processes, with progress, stop and go, and a
second try where a worker died.

The pool is polled by whoever owns it (`poll`), so that a window stays free and a command can wait. Each
worker does one take and has one thread of the numeric libraries; the database is written here alone, by the
owner.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any

from jeweller.assessment.finding import is_sure
from jeweller.assessment.settings import make_settings
from jeweller.audio.decode import file_hash
from jeweller.errors import JewellerError, LedgerError
from jeweller.features.settings import SPEECH
from jeweller.features.speech import measure_held_and_voiced
from jeweller.i18n import N_, _
from jeweller.library.library import Library
from jeweller.library.tables import Assignment, Take
from jeweller.log import log_fault, start_log
from jeweller.pipeline.check import Checked, Options, check
from jeweller.report_format import TakeReport

WORDS = N_("It sounds like speech and does not follow this part: saved for you to listen to.")
HARDLY = 0.5  # share of the notes that are right: with less it is asked whether there are tones at all
# of a take that follows its part after a fashion, tones are held for less than this share: else it is a bad
# one, and its report stays
HARDLY_TONES = 0.4
# share of the notes that must be there in time, and most findings to a note, for words to be the rhythm of a
# part
MOSTLY, WRONG = (
    0.85,
    0.125,
)
TRIES = 2  # of a take whose worker died
THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")


@dataclass(frozen=True, kw_only=True)
class CheckJob:
    """One take to be checked."""

    take: int
    name: str
    score: Path
    recording: Path
    sha256: str  # of the recording when it was entered
    options: Options


@dataclass(frozen=True)
class CheckNews:
    """What became of a take: state progress, checked, not followed, stored, failed or again (its worker died,
    and it is tried once more).
    """

    take: int
    state: str
    share: float = 0.0
    what: str = ""


@dataclass(frozen=True)
class _Waiting:
    work: CheckJob
    tries: int = 0


@dataclass
class _Worker:
    """A process that checks one take after another; `now` is the one in hand."""

    process: BaseProcess
    connection: Connection
    now: _Waiting | None = None
    began: float = 0.0


@dataclass(frozen=True, kw_only=True)
class CheckingState:
    """How far the checking is. `left_s` is an estimate; None while there is nothing to go by."""

    done: int
    running: int
    waiting: int
    paused: bool
    left_s: float | None


@dataclass(kw_only=True)
class Checking:
    """Checks takes of a library. Call `poll` often: it starts workers, writes their reports, and tells what
    happened.
    """

    library: Library
    workers: int = field(default_factory=lambda: os.cpu_count() or 1)
    paused: bool = False
    _queue: list[_Waiting] = field(default_factory=list)
    _workers: list[_Worker] = field(default_factory=list)
    _lasted: list[float] = field(default_factory=list)
    _done: int = 0

    def add(self, takes: Sequence[Take], first: bool = False) -> list[CheckNews]:
        """Puts takes into the row (`first`: before the others); tells at once of those that cannot be
        checked.
        """
        news: list[CheckNews] = []
        new: list[_Waiting] = []
        busy = {w.work.take for w in (*self._in_hand, *self._queue)}
        for take in takes:
            if take.id in busy or take.state == "stored":
                continue
            try:
                new.append(_Waiting(job_of(self.library, take)))
            except JewellerError as error:
                self.library.failed(take.id, str(error))
                news.append(CheckNews(take.id, "failed", what=str(error)))
        self._queue = [*new, *self._queue] if first else [*self._queue, *new]
        return news

    @property
    def _in_hand(self) -> list[_Waiting]:
        return [w.now for w in self._workers if w.now is not None]

    @property
    def busy(self) -> bool:
        return bool(self._in_hand or self._queue)

    def state(self) -> CheckingState:
        left = None
        if self._lasted:
            mean = sum(self._lasted) / len(self._lasted)
            under_way = sum(
                max(0.0, mean - (time.monotonic() - w.began)) for w in self._workers if w.now is not None
            )
            left = (mean * len(self._queue) + under_way) / max(1, self.workers)
        return CheckingState(
            done=self._done,
            running=len(self._in_hand),
            waiting=len(self._queue),
            paused=self.paused,
            left_s=left,
        )

    def poll(self, seconds: float = 0.0) -> list[CheckNews]:
        """Starts what can be started and tells what happened since; waits up to `seconds` for something to
        happen.
        """
        if not self.paused:
            while self._queue and len(self._in_hand) < self.workers:
                self._hand_out(self._queue.pop(0))
        news: list[CheckNews] = []
        working = [w for w in self._workers if w.now is not None]
        ready = wait([w.connection for w in working], seconds) if working else []
        for worker in [w for w in working if w.connection in ready]:
            news += self._hear(worker)
        return news

    def _hand_out(self, waiting: _Waiting) -> None:
        worker = next((w for w in self._workers if w.now is None), None)
        if worker is None:
            worker = _start()
            self._workers.append(worker)
        worker.now, worker.began = waiting, time.monotonic()
        with contextlib.suppress(OSError):  # it died while it had nothing to do: its end is heard of next
            worker.connection.send(waiting.work)

    def _hear(self, worker: _Worker) -> list[CheckNews]:
        news: list[CheckNews] = []
        doing = worker.now
        if doing is None:
            return news
        try:
            while worker.connection.poll():
                kind, *rest = worker.connection.recv()
                if kind == "progress":
                    news.append(CheckNews(doing.work.take, "progress", *rest))
                    continue
                self._lasted = [*self._lasted[-19:], time.monotonic() - worker.began]
                worker.now = None
                return [*news, self._finished(doing.work, kind, rest[0])]
        except (EOFError, OSError):
            self._dismiss(worker)
            if doing.tries + 1 < TRIES:
                self._queue.insert(0, replace(doing, tries=doing.tries + 1))
                return [
                    *news,
                    CheckNews(doing.work.take, "again", what=_("its worker was ended by the system")),
                ]
            sentence = _(
                "{name}: the system ended the check twice, probably for want of memory. Close other "
                "programs and try again."
            ).format(name=doing.work.name)
            return [*news, self._finished(doing.work, "failed", sentence)]
        return news

    def _finished(self, work: CheckJob, kind: str, answer: Any) -> CheckNews:
        self._done += 1
        if kind == "failed":
            self.library.failed(work.take, answer)
            return CheckNews(work.take, "failed", 1.0, answer)
        if kind == "stored":
            self.library.store_for_the_ear(work.take, answer)
            return CheckNews(work.take, "stored", 1.0, answer)
        if kind == "rhythm":
            self.library.change(self.library.take(work.take), kind="rhythm")
        self.library.add_report(work.take, answer)
        return CheckNews(work.take, "checked" if answer["followed"] else "not followed", 1.0)

    def _dismiss(self, worker: _Worker) -> None:
        self._workers.remove(worker)
        worker.connection.close()
        if worker.process.is_alive():
            worker.process.terminate()
        worker.process.join(1.0)

    def rest(self) -> None:
        """Lets the workers go while nothing is to be done: they take memory."""
        if not self.busy:
            self.stop()
            self._done = 0

    def stop(self) -> None:
        """Gives up what runs and what waits; the takes stay as they were."""
        self._queue = []
        for worker in list(self._workers):
            self._dismiss(worker)


def job_of(library: Library, take: Take) -> CheckJob:
    """What the check of a take needs. Raises LedgerError, SettingError where that cannot be."""
    tray = library.tray(take.tray_id)
    assignment = library.assignment_of(tray)
    options = options_of(
        take, assignment if assignment is not None and assignment.piece == take.piece else None
    )
    players = {p.id: p for p in library.players(tray.band_id)}
    player = players.get(take.player_id or 0)
    if player is not None:
        options = replace(options, also=tuple(player.also))
    if not take.piece:
        raise LedgerError(_("{name}: it is not known yet which piece this is.").format(name=take.name))
    return CheckJob(
        take=take.id,
        name=take.name,
        score=library.score_path(take),
        recording=library.recording(take),
        sha256=take.sha256,
        options=options,
    )


def options_of(take: Take, assignment: Assignment | None) -> Options:
    """The options of a check: what was assigned, and how the take was made. Raises SettingError."""
    told = dict(assignment.settings) if assignment is not None else {}
    changes = {str(k): str(v) for k, v in told.get("judging", {}).items()}
    settings = make_settings(told.get("tolerance", "standard"), told.get("articulation", "printed"), changes)
    return Options(
        part=take.part or None,
        bars=(assignment.bars or None) if assignment is not None else None,
        tempo_bpm=told.get("tempo_bpm"),
        click=told.get("click"),
        scheme=told.get("scheme", "even"),
        settings=settings,
        rhythm_only=take.kind == "rhythm",
        support=take.support,
        reading=take.reading,
    )


def _start() -> _Worker:
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    before = {name: os.environ.get(name) for name in THREADS}
    os.environ.update(dict.fromkeys(THREADS, "1"))
    try:
        process = context.Process(target=serve_jobs, args=(there,), daemon=True)
        process.start()
    finally:
        for name, value in before.items():
            os.environ.pop(name, None) if value is None else os.environ.update({name: value})
    there.close()
    return _Worker(process, here)


def serve_jobs(connection: Connection) -> None:
    """In the worker: checks the takes it is sent, one after another, until nobody is there to send any."""
    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            asked: CheckJob = connection.recv()
            connection.send(
                run_check_job(asked, lambda share, what: connection.send(("progress", share, what)))
            )


def run_check_job(asked: CheckJob, progress: Callable[[float, str], None]) -> tuple[str, Any]:
    """("checked" or "rhythm", the report), ("stored" or "failed", a sentence): a pure function of the take,
    for any pool.
    """
    try:
        if file_hash(asked.recording) != asked.sha256:
            return (
                "failed",
                (
                    _(
                        "{name}: the recording was changed outside of Jeweller ({recording}); bring "
                        "it in anew. What was decided is kept."
                    ).format(name=asked.name, recording=asked.recording)
                ),
            )
        found = check(asked.score, asked.recording, asked.options, progress=progress)
    except JewellerError as error:
        return "failed", str(error)
    except Exception as error:  # noqa: BLE001 -- a fault of the program: it is told, and the other takes go on
        start_log()
        log_fault(error, _("in a check"))
        return "failed", _(
            "{name}: a fault of the program; the take is safe. The log has its details."
        ).format(name=asked.name)
    kind = "checked"
    if _right(found.report) < HARDLY and not (asked.options.rhythm_only or found.line.part.percussion):
        kind, found = _without_tones(asked, found)
    if kind == "stored":
        return kind, WORDS
    found.report["take"]["file"] = asked.name
    return kind, found.report


def _without_tones(asked: CheckJob, found: Checked) -> tuple[str, Checked]:
    """What hardly follows a part as it was played may be clapped, counted or spoken: its timing is checked
    where it is that of the part, else it is kept for the teacher's ear.
    """
    held, voiced = measure_held_and_voiced(found.recording.samples)
    if held >= (HARDLY_TONES if found.report["followed"] else SPEECH.tones):
        return "checked", found
    with contextlib.suppress(JewellerError):
        timed = check(asked.score, asked.recording, replace(asked.options, rhythm_only=True))
        wrong = sum(is_sure(f["confidence"]) for f in timed.report["findings"])
        if _right(timed.report) >= MOSTLY and wrong <= len(timed.report["notes"]) * WRONG:
            return "rhythm", timed
    return ("stored" if voiced > SPEECH.voiced else "checked"), found


def _right(report: TakeReport) -> float:
    """Which share of the notes asked for was heard and is right."""
    notes = (
        [n for n in report["notes"] if n["verdict"] != "not_heard"]
        if report["settings"]["bars_asked"]
        else report["notes"]
    )
    return sum(n["verdict"] == "ok" for n in notes) / len(notes) if report["followed"] and notes else 0.0
