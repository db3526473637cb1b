"""The checks of a tray, on all cores: with progress, stop and go, and a second try where a worker died.

The checks are polled by whoever owns them (`poll`), so that a window stays free and a command can wait; the
database is written here alone, by the owner.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
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
from jeweller.library.states import TakeState
from jeweller.library.tables import Assignment, Take
from jeweller.log import log_fault, start_log
from jeweller.pipeline.check import Checked, Options, check
from jeweller.pipeline.workers import Task, TaskNews, TaskState, WorkerPool
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

AT_ONCE = 4  # takes whose jobs are made in one turn, and wait for a worker


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
    pool: WorkerPool = field(default_factory=lambda: WorkerPool(gives_way=True))
    _done: int = 0
    _later: list[Take] = field(default_factory=list)  # whose jobs are not made yet

    def add(self, takes: Sequence[Take], first: bool = False) -> list[CheckNews]:
        """Puts takes into the row (`first`: before the others); tells of those that cannot be checked, at
        once where they are among the next. The others' jobs are made as it is polled: many hold nobody up.
        """
        busy = {t.key for t in (*self.pool.running, *self.pool.waiting)} | {t.id for t in self._later}
        new = [t for t in takes if t.id not in busy and t.state != TakeState.STORED]
        if first:
            return self._prepare(new, first=True)
        self._later += new
        return self._prepare_next()

    def _prepare_next(self) -> list[CheckNews]:
        if len(self.pool.waiting) >= AT_ONCE:
            return []  # there is enough for the workers
        takes, self._later = self._later[:AT_ONCE], self._later[AT_ONCE:]
        return self._prepare(takes)

    def _prepare(self, takes: Sequence[Take], *, first: bool = False) -> list[CheckNews]:
        news: list[CheckNews] = []
        new: list[Task] = []
        for take in takes:
            try:
                job = job_of(self.library, take)
                new.append(Task(key=take.id, function=run_check_job, arguments=(job,)))
            except JewellerError as error:
                self.library.failed(take.id, str(error))
                news.append(CheckNews(take.id, TakeState.FAILED, what=str(error)))
        self.pool.add(new, first=first)
        return news

    @property
    def paused(self) -> bool:
        return self.pool.paused

    @paused.setter
    def paused(self, on: bool) -> None:
        self.pool.paused = on

    @property
    def busy(self) -> bool:
        return self.pool.busy or bool(self._later)

    def state(self) -> CheckingState:
        return CheckingState(
            done=self._done,
            running=len(self.pool.running),
            waiting=len(self.pool.waiting) + len(self._later),
            paused=self.paused,
            left_s=self.pool.seconds_left(),
        )

    def poll(self, seconds: float = 0.0) -> list[CheckNews]:
        """Starts what can be started and tells what happened since; waits up to `seconds` for something to
        happen.
        """
        unfit = self._prepare_next() if self._later else []
        return [*unfit, *(self._told(news) for news in self.pool.poll(seconds))]

    def _told(self, news: TaskNews) -> CheckNews:
        job: CheckJob = news.task.arguments[0]
        match news.state:
            case TaskState.PROGRESS:
                return CheckNews(job.take, "progress", news.share, news.what)
            case TaskState.AGAIN:
                return CheckNews(job.take, "again", what=_("its worker was ended by the system"))
            case TaskState.DIED:
                sentence = _(
                    "{name}: the system ended the check twice, probably for want of memory. Close other "
                    "programs and try again."
                ).format(name=job.name)
                return self._finished(job, "failed", sentence)
            case TaskState.FAILED:
                return self._finished(job, "failed", news.what)
            case _:
                kind, answer = news.result
                return self._finished(job, kind, answer)

    def _finished(self, work: CheckJob, kind: str, answer: Any) -> CheckNews:
        self._done += 1
        if kind == "failed":
            self.library.failed(work.take, answer)
            return CheckNews(work.take, TakeState.FAILED, 1.0, answer)
        if kind == "stored":
            self.library.store_for_the_ear(work.take, answer)
            return CheckNews(work.take, TakeState.STORED, 1.0, answer)
        if kind == "rhythm":
            self.library.change(self.library.take(work.take), kind="rhythm")
        self.library.add_report(work.take, answer)
        return CheckNews(work.take, TakeState.CHECKED if answer["followed"] else TakeState.NOT_FOLLOWED, 1.0)

    def rest(self) -> None:
        """Lets the workers go while nothing is to be done: they take memory."""
        if not self.busy:
            self.stop()
            self._done = 0

    def stop(self) -> None:
        """Gives up what runs and what waits; the takes stay as they were."""
        self._later = []
        self.pool.stop()


def job_of(library: Library, take: Take) -> CheckJob:
    """What the check of a take needs. Raises LedgerError, SettingError where that cannot be."""
    tray = library.tray(take.tray_id)
    assignment = library.assignment_of(tray)
    options = options_of(
        take, assignment if assignment is not None and assignment.piece == take.piece else None
    )
    if take.player_id is not None:
        options = replace(options, also=tuple(library.player(take.player_id).also))
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


def run_check_job(asked: CheckJob, *, progress: Callable[[float, str], None]) -> tuple[str, Any]:
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
