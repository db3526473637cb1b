"""Work in processes of its own: one pool for the checks of a batch, of a tray and of the window.

Each worker does one task after another and has one thread of the numeric libraries. A worker that dies takes
nobody with it: its own task is tried once more by another. The pool is polled by whoever owns it, so that a
window stays free and a command can wait; nothing happens between the polls.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import time
from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from typing import Any

from jeweller.errors import Cancelled, JewellerError
from jeweller.i18n import chosen_language, use_language
from jeweller.log import log_fault, start_log
from jeweller.pipeline.channel import receive_message, send_message

THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")
GIVING_WAY = 10  # of the system's niceness, where it knows no work that waits for all other
TRIES = 2  # of a task whose worker died
LASTED_KEPT = 20  # tasks whose duration says how long the next will take


class TaskState(StrEnum):
    """What became of a task."""

    PROGRESS = "progress"
    DONE = "done"
    FAILED = "failed"  # with a sentence
    AGAIN = "again"  # its worker died, and it is tried once more
    DIED = "died"  # its worker died each time


@dataclass(frozen=True, kw_only=True)
class Task:
    """`function(*arguments, progress=)` in a worker: a plain function that can be imported there. `key`: by
    which its owner knows it.
    """

    key: Hashable
    function: Callable[..., Any]
    arguments: tuple[Any, ...] = ()
    tries: int = TRIES
    tried: int = 0


@dataclass(frozen=True, kw_only=True)
class TaskNews:
    """Of a task: how far it is (`share`, `what`), its result, or a sentence (`what`)."""

    task: Task
    state: TaskState
    result: Any = None
    share: float = 0.0
    what: str = ""


@dataclass
class _Worker:
    process: BaseProcess
    connection: Connection
    task: Task | None = None
    began: float = 0.0


@dataclass(kw_only=True)
class WorkerPool:
    """Runs tasks in at most `workers` processes, in the order they were added. `gives_way`: whatever somebody
    waits for (a key, a verdict) goes first.
    """

    workers: int = field(default_factory=lambda: os.cpu_count() or 1)
    paused: bool = False
    gives_way: bool = False
    _queue: list[Task] = field(default_factory=list)
    _workers: list[_Worker] = field(default_factory=list)
    _lasted: list[float] = field(default_factory=list)

    def add(self, tasks: Iterable[Task], *, first: bool = False) -> None:
        """Puts tasks into the row (`first`: before the others); they begin at the next poll."""
        self._queue = [*tasks, *self._queue] if first else [*self._queue, *tasks]

    @property
    def running(self) -> list[Task]:
        return [w.task for w in self._workers if w.task is not None]

    @property
    def waiting(self) -> list[Task]:
        return list(self._queue)

    @property
    def busy(self) -> bool:
        return bool(self._queue) or any(w.task is not None for w in self._workers)

    @property
    def process_ids(self) -> list[int]:
        """Of the workers that live."""
        return [w.process.pid for w in self._workers if w.process.pid is not None]

    def seconds_left(self) -> float | None:
        """An estimate for all that runs and waits; None while there is nothing to go by."""
        if not self._lasted:
            return None
        mean = sum(self._lasted) / len(self._lasted)
        begun = (time.monotonic() - w.began for w in self._workers if w.task is not None)
        return (mean * len(self._queue) + sum(max(0.0, mean - b) for b in begun)) / max(1, self.workers)

    def start(self) -> None:
        """Starts what can be started; what happened since is kept for the next poll."""
        if not self.paused:
            while self._queue and len(self.running) < self.workers:
                self._hand_out(self._queue.pop(0))

    def poll(self, seconds: float = 0.0) -> list[TaskNews]:
        """Starts what can be started and tells what happened since; waits up to `seconds` for something to
        happen.
        """
        self.start()
        working = [w for w in self._workers if w.task is not None]
        ready = wait([w.connection for w in working], seconds) if working else []
        return [news for w in working if w.connection in ready for news in self._hear(w)]

    def cancel(self, key: Hashable) -> None:
        """Gives a task up, at once; nothing is told of it any more."""
        self._queue = [t for t in self._queue if t.key != key]
        for worker in [w for w in self._workers if w.task is not None and w.task.key == key]:
            self._dismiss(worker)

    def rest(self) -> None:
        """Lets idle workers go: they take memory."""
        for worker in [w for w in self._workers if w.task is None]:
            self._dismiss(worker)

    def stop(self) -> None:
        """Gives up what runs and what waits."""
        self._queue = []
        for worker in list(self._workers):
            self._dismiss(worker)

    def _hand_out(self, task: Task) -> None:
        worker = next((w for w in self._workers if w.task is None), None)
        if worker is None:
            worker = _start(GIVING_WAY if self.gives_way else 0)
            self._workers.append(worker)
        worker.task, worker.began = task, time.monotonic()
        with contextlib.suppress(OSError):  # it died while it had nothing to do: its end is heard of next
            worker.connection.send((task.function, task.arguments, chosen_language()))

    def _hear(self, worker: _Worker) -> list[TaskNews]:
        news: list[TaskNews] = []
        task = worker.task
        if task is None:
            return news
        try:
            while worker.connection.poll():
                kind, *told = receive_message(worker.connection)
                if kind == TaskState.PROGRESS:
                    share, what = told
                    news.append(TaskNews(task=task, state=TaskState.PROGRESS, share=share, what=what))
                    continue
                self._lasted = [*self._lasted[1 - LASTED_KEPT :], time.monotonic() - worker.began]
                worker.task = None
                if kind == TaskState.DONE:
                    return [*news, TaskNews(task=task, state=TaskState.DONE, result=told[0])]
                return [*news, TaskNews(task=task, state=TaskState.FAILED, what=told[0])]
        except (EOFError, OSError):
            self._dismiss(worker)
            task = replace(task, tried=task.tried + 1)
            if task.tried < task.tries:
                self._queue.insert(0, task)
                return [*news, TaskNews(task=task, state=TaskState.AGAIN)]
            return [*news, TaskNews(task=task, state=TaskState.DIED)]
        return news

    def _dismiss(self, worker: _Worker) -> None:
        self._workers.remove(worker)
        worker.connection.close()
        if worker.process.is_alive():
            worker.process.terminate()


def _start(niceness: int) -> _Worker:
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    before = {name: os.environ.get(name) for name in THREADS}
    os.environ.update(dict.fromkeys(THREADS, "1"))
    try:
        process = context.Process(target=serve_tasks, args=(there, niceness), daemon=True)
        process.start()
    finally:
        for name, value in before.items():
            os.environ.pop(name, None) if value is None else os.environ.update({name: value})
    there.close()
    return _Worker(process, here)


def serve_tasks(connection: Connection, niceness: int = 0) -> None:
    """In the worker: does the tasks it is sent, one after another, until nobody is there to send any."""
    os.nice(niceness)
    if niceness:
        # A nice process is not interrupted at once when a key is pressed; one that is idle is.
        with contextlib.suppress(OSError):
            os.sched_setscheduler(0, os.SCHED_IDLE, os.sched_param(0))
    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            function, arguments, language = connection.recv()
            use_language(language)
            answer = _answer(
                function,
                arguments,
                lambda share, what: send_message(connection, (str(TaskState.PROGRESS), share, what)),
            )
            send_message(connection, answer)


def _answer(
    function: Callable[..., Any], arguments: tuple[Any, ...], progress: Callable[[float, str], None]
) -> tuple[str, Any]:
    try:
        return str(TaskState.DONE), function(*arguments, progress=progress)
    except (JewellerError, Cancelled) as error:
        return str(TaskState.FAILED), str(error)
    except Exception as error:  # noqa: BLE001 -- a fault of the program: its owner is told, and work goes on
        start_log()
        return str(TaskState.FAILED), log_fault(error, "in a worker process")
