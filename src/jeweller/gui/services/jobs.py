"""One small job service for long work: a plain function in a worker process (or a thread), with progress,
cancel, result and error on the main thread.

A superseded job's result is dropped; a job that is over is forgotten and freed.
"""

from __future__ import annotations

import contextvars
import multiprocessing
import queue
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.errors import JewellerError
from jeweller.gui.services.worker import run_job
from jeweller.i18n import _, chosen_language
from jeweller.log import log_fault

POLL_MS = 30
THREAD_POLL_MS = 10
Answers = queue.SimpleQueue[tuple[str, Any]]


class Job(QObject):
    """One running piece of work. `failed` carries a sentence for the user."""

    progress = Signal(float, str)
    done = Signal(object)
    failed = Signal(str)
    cancelled = Signal()

    def cancel(self) -> None:
        raise NotImplementedError


class _ProcessJob(Job):
    def __init__(
        self, function: Callable[..., Any], arguments: tuple[Any, ...], parent: QObject | None
    ) -> None:
        super().__init__(parent)
        context = multiprocessing.get_context("spawn")
        self._connection, child = context.Pipe(duplex=False)
        self._stop = context.Event()
        self._process = context.Process(
            target=run_job, args=(child, self._stop, function, arguments, chosen_language()), daemon=True
        )
        self._process.start()
        child.close()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._poll)
        self._timer.start(POLL_MS)

    def _poll(self) -> None:
        try:
            while self._connection.poll():
                message = self._connection.recv()
                if message[0] == "progress":
                    self.progress.emit(message[1], message[2])
                    continue
                self._finish()
                {"done": self.done.emit, "failed": self.failed.emit, "cancelled": self.cancelled.emit}[
                    message[0]
                ](*message[1:])
                return
        except (EOFError, OSError):
            self._finish()
            self.failed.emit(_("The work stopped unexpectedly; what was open is safe. Try it once more."))
            return
        if not self._process.is_alive() and not self._connection.poll():
            self._finish()
            self.failed.emit(_("The work stopped unexpectedly; what was open is safe. Try it once more."))

    def _finish(self) -> None:
        self._timer.stop()
        self._connection.close()  # the child has answered and ends by itself

    def cancel(self) -> None:
        if self._timer.isActive():
            self._stop.set()
            self._timer.stop()
            self._process.terminate()
            self._connection.close()
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

    def process(self, name: str, function: Callable[..., Any], *arguments: Any) -> Job:
        """`function(*arguments, progress=, cancelled=)` in a worker process."""
        return self._start(name, _ProcessJob(function, arguments, self))

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
