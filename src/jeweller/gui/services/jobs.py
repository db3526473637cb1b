"""One small job service for long work: a plain function in a worker process (or a thread), with progress,
cancel, result and error on the main thread.

A superseded job's result is dropped. `InlineJobs` runs at once, for tests.
"""

from __future__ import annotations

import multiprocessing
import threading
import traceback
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.errors import JewellerError
from jeweller.gui.services.work import run_job

POLL_MS = 30


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
            target=run_job, args=(child, self._stop, function, arguments), daemon=True
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
            self.failed.emit("The work stopped unexpectedly; what was open is safe. Try it once more.")
            return
        if not self._process.is_alive() and not self._connection.poll():
            self._finish()
            self.failed.emit("The work stopped unexpectedly; what was open is safe. Try it once more.")

    def _finish(self) -> None:
        self._timer.stop()
        self._connection.close()
        self._process.join(0.2)

    def cancel(self) -> None:
        if self._timer.isActive():
            self._stop.set()
            self._timer.stop()
            self._process.terminate()
            self._connection.close()
            self.cancelled.emit()


class _ThreadJob(Job):
    _back = Signal(str, object)

    def __init__(
        self, function: Callable[..., Any], arguments: tuple[Any, ...], parent: QObject | None
    ) -> None:
        super().__init__(parent)
        self._dropped = False
        self._back.connect(self._deliver)

        def work() -> None:
            try:
                answer = ("done", function(*arguments))
            except JewellerError as error:
                answer = ("failed", str(error))
            except Exception:  # noqa: BLE001
                answer = (
                    "failed",
                    f"A fault of the program; what was open is safe.\n{traceback.format_exc(limit=-3)}",
                )
            if not self._dropped:
                self._back.emit(*answer)

        self._thread = threading.Thread(target=work, daemon=True)
        self._thread.start()

    def _deliver(self, kind: str, value: object) -> None:
        if self._dropped:
            return
        if kind == "done":
            self.done.emit(value)
        else:
            self.failed.emit(str(value))

    def cancel(self) -> None:
        self._dropped = True


class Jobs(QObject):
    """Starts jobs; at most one of each name, the newest."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._running: dict[str, Job] = {}

    def process(self, name: str, function: Callable[..., Any], *arguments: Any) -> Job:
        """`function(*arguments, progress=, cancelled=)` in a worker process."""
        self.cancel(name)
        job = _ProcessJob(function, arguments, self)
        self._running[name] = job
        return job

    def threaded(self, name: str, function: Callable[..., Any], *arguments: Any) -> Job:
        """`function(*arguments)` in a thread: for work that lets others run (decoding, rendering)."""
        self.cancel(name)
        job = _ThreadJob(function, arguments, self)
        self._running[name] = job
        return job

    def cancel(self, name: str) -> None:
        job = self._running.pop(name, None)
        if job is not None:
            job.cancel()

    def stop(self) -> None:
        for name in list(self._running):
            self.cancel(name)
