"""One small job service for long work: a plain function in a worker process (or a thread), with progress,
cancel, result and error on the main thread.

A superseded job's result is dropped; a job that is over is forgotten and freed.
"""

from __future__ import annotations

import contextvars
import itertools
import queue
import threading
import time
from collections.abc import Callable, Hashable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.errors import JewellerError
from jeweller.i18n import _
from jeweller.log import log_fault
from jeweller.pipeline.workers import Task, TaskNews, TaskState, WorkerPool

POLL_MS = 30
THREAD_POLL_MS = 10
AT_ONCE = 8  # work that a user asked for does not wait for other work
IDLE_S = 60.0  # a worker that knows everything already answers sooner: it is kept for so long
Answers = queue.SimpleQueue[tuple[str, Any]]


class Job(QObject):
    """One running piece of work. `failed` carries a sentence for the user."""

    progress = Signal(float, str)
    done = Signal(object)
    failed = Signal(str)
    cancelled = Signal()
    again = Signal()  # whoever did it died: it is done from the beginning

    def cancel(self) -> None:
        raise NotImplementedError


class _ProcessJob(Job):
    """A task of the pool; the service tells it what it hears."""

    def __init__(self, pool: WorkerPool, task: Task, parent: QObject | None) -> None:
        super().__init__(parent)
        self._pool, self._task = pool, task
        self._over = False
        pool.add([task])

    def tell(self, news: TaskNews) -> None:
        match news.state:
            case TaskState.PROGRESS:
                self.progress.emit(news.share, news.what)
            case TaskState.DONE:
                self._over = True
                self.done.emit(news.result)
            case TaskState.AGAIN:
                self.again.emit()
            case TaskState.FAILED:
                self._over = True
                self.failed.emit(news.what)
            case TaskState.DIED:
                self._over = True
                self.failed.emit(_("The work stopped unexpectedly; what was open is safe. Try it once more."))

    def cancel(self) -> None:
        if not self._over:
            self._over = True
            self._pool.cancel(self._task.key)
            self.cancelled.emit()


def _answer(function: Callable[..., Any], arguments: tuple[Any, ...], answers: Answers) -> None:
    """What a thread runs. It holds no object of Qt: the last hold on one would free it in this thread."""
    try:
        answers.put(("done", function(*arguments)))
    except JewellerError as error:
        answers.put(("failed", str(error)))
    except Exception as error:  # noqa: BLE001 -- a fault of the program: the window shows it and stays usable
        answers.put(("failed", log_fault(error, "in a thread")))


class _ThreadJob(Job):
    def __init__(
        self, function: Callable[..., Any], arguments: tuple[Any, ...], parent: QObject | None
    ) -> None:
        super().__init__(parent)
        self._answers: Answers = queue.SimpleQueue()
        run = contextvars.copy_context().run  # a thread of its own begins with no language
        threading.Thread(target=run, args=(_answer, function, arguments, self._answers), daemon=True).start()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._poll)
        self._timer.start(THREAD_POLL_MS)

    def _poll(self) -> None:
        try:
            kind, value = self._answers.get_nowait()
        except queue.Empty:
            return
        self._timer.stop()
        if kind == "done":
            self.done.emit(value)
        else:
            self.failed.emit(str(value))

    def cancel(self) -> None:
        if self._timer.isActive():
            self._timer.stop()
            self.cancelled.emit()


class Jobs(QObject):
    """Starts jobs; at most one of each name, the newest."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._running: dict[str, Job] = {}
        self._pool = WorkerPool(workers=AT_ONCE)
        self._tasks: dict[Hashable, _ProcessJob] = {}
        self._numbers = itertools.count()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._poll)
        self._idle_since = time.monotonic()

    def process(self, name: str, function: Callable[..., Any], *arguments: Any, tries: int = 1) -> Job:
        """`function(*arguments, progress=)` in a worker process; begun anew where one dies, up to `tries`."""
        task = Task(key=next(self._numbers), function=function, arguments=arguments, tries=tries)
        job = _ProcessJob(self._pool, task, self)
        self._tasks[task.key] = job
        self._pool.start()
        self._timer.start(POLL_MS)
        return self._start(name, job)

    def _poll(self) -> None:
        for news in self._pool.poll():
            job = self._tasks.get(news.task.key)
            if job is not None:
                job.tell(news)
            if news.state not in (TaskState.PROGRESS, TaskState.AGAIN):
                self._tasks.pop(news.task.key, None)
        if self._pool.busy:
            self._idle_since = time.monotonic()
        elif time.monotonic() - self._idle_since > IDLE_S:
            self._pool.rest()
            self._timer.stop()

    def threaded(self, name: str, function: Callable[..., Any], *arguments: Any) -> Job:
        """`function(*arguments)` in a thread: for work that lets others run (decoding, rendering)."""
        return self._start(name, _ThreadJob(function, arguments, self))

    def _start(self, name: str, job: Job) -> Job:
        self.cancel(name)
        self._running[name] = job
        for over in (job.done, job.failed, job.cancelled):
            over.connect(lambda *_unused: self._forget(name, job))
        return job

    def _forget(self, name: str, job: Job) -> None:
        """Lets go of a job that is over; what listens to it has heard by then, or hears in this same turn."""
        if self._running.get(name) is job:
            del self._running[name]
        job.deleteLater()

    def running(self, name: str) -> bool:
        """Whether a job of that name is not over."""
        return name in self._running

    def cancel(self, name: str) -> None:
        job = self._running.pop(name, None)
        if job is not None:
            job.cancel()

    def stop(self) -> None:
        for name in list(self._running):
            self.cancel(name)
        self._timer.stop()
        self._pool.stop()
