"""Many checks at once, on all cores, taken up again where they stopped. A job is a score and a take; a report
is one JSON file.
"""

from __future__ import annotations

import functools
import hashlib
import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from jeweller.audio.decode import file_hash
from jeweller.audio.formats import is_recording
from jeweller.errors import JewellerError
from jeweller.files import json_text, parse_json, shown_name, shown_text, write_bytes
from jeweller.grading.scheme import find_scheme
from jeweller.i18n import N_, _
from jeweller.log import log_fault, start_log
from jeweller.notation.formats import ENDINGS
from jeweller.pipeline.check import Options, check
from jeweller.pipeline.cluster import run_on_cluster
from jeweller.pipeline.workers import Task, TaskState, WorkerPool
from jeweller.report.build import settings_dict
from jeweller.report.ear_version import ear_version

NAME_BYTES = 200  # of a report's name: disks take 255 bytes


@dataclass(frozen=True)
class BatchJob:
    score: Path
    take: Path
    report: Path


@dataclass(frozen=True)
class BatchResult:
    """What became of a job: `state` checked, kept (the report was there), not followed or failed; `sentence`
    says why it failed.
    """

    job: BatchJob
    state: str
    sentence: str = ""


def find_jobs(source: Path, target: Path) -> list[BatchJob]:
    """The jobs of a folder or a list. Raises JewellerError with a sentence.

    Folder: in it and below it, every folder with one notation file and any number of recordings; each
    recording is checked against that file. List: a text file with a score and a take a line, separated by a
    tab; relative paths are relative to the list.
    """
    if source.is_file():
        return _listed(source, target)
    if not source.is_dir():
        raise JewellerError(_("There is no folder or list {source}.").format(source=source))
    jobs: list[BatchJob] = []
    crowded: list[str] = []
    for folder in sorted([source, *(p for p in source.rglob("*") if p.is_dir())]):
        files = sorted(p for p in folder.iterdir() if p.is_file())
        scores = [p for p in files if p.suffix.lower() in ENDINGS]
        takes = [p for p in files if is_recording(p)]
        if takes and len(scores) > 1:
            crowded.append(folder.name)
        elif takes and scores:
            jobs += [BatchJob(scores[0], t, target / _name(t.relative_to(source))) for t in takes]
    if not jobs:
        more = (
            (
                _(
                    (
                        " More than one score lies in {crowded}; put each with its takes into a folder "
                        "of its own."
                    )
                ).format(crowded=", ".join(crowded))
            )
            if crowded
            else ""
        )
        raise JewellerError(
            _("{source} holds no folder with one notation file and recordings beside it.{more}").format(
                source=source, more=more
            )
        )
    return jobs


def _listed(source: Path, target: Path) -> list[BatchJob]:
    jobs: list[BatchJob] = []
    try:
        lines = source.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise JewellerError(
            _("{name} cannot be read as a list ({error}).").format(name=source.name, error=error)
        ) from error
    for number, line in enumerate(lines, 1):
        if not line.strip() or line.startswith("#"):
            continue
        parts = [p.strip() for p in line.split("\t")]
        if len(parts) < 2:
            raise JewellerError(
                _("{name}, line {number}: a score and a take, separated by a tab, are wanted.").format(
                    name=source.name, number=number
                )
            )
        take = source.parent / parts[1]
        jobs.append(
            BatchJob(
                source.parent / parts[0], take, target / _name(Path(f"{number:04d}") / Path(parts[1]).name)
            )
        )
    return jobs


def _name(path: Path) -> str:
    """The name of a report: its folders joined; where a name holds what joins them, told apart by a sum."""
    joined = "--".join(path.parts)
    plain = not any("--" in part or part.startswith("-") or part.endswith("-") for part in path.parts)
    told = hashlib.sha256(os.fsencode(path)).hexdigest()[:8]
    short = joined.encode("utf-8", "surrogateescape")[:NAME_BYTES].decode("utf-8", "replace")
    return f"{joined}.json" if plain and short == joined else f"{shown_text(short)}~{told}.json"


def run_batch(
    jobs: list[BatchJob],
    options: Options,
    workers: int | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    scheduler: str | None = None,
    certificates: Path | None = None,
) -> Iterator[BatchResult]:
    """Runs the jobs, each in a process with one thread of the numeric libraries, and yields what became of
    each as it is known. A job whose process died is tried once more. With `scheduler` (the address of a Dask
    cluster that sees the same folders) the same function runs there, over TLS with `certificates` (a folder).
    Raises JewellerError.
    """
    if certificates is not None and not scheduler:
        raise JewellerError(_("--certificates goes with --scheduler tls://HOST:8786."))
    waiting = []
    for job in jobs:
        if _is_current(job, options):
            yield BatchResult(job, "kept")
        else:
            waiting.append(job)
    if waiting:
        yield from (
            _on_cluster(waiting, options, scheduler, certificates, cancelled)
            if scheduler
            else _here(waiting, options, workers, cancelled)
        )


def _here(
    jobs: list[BatchJob],
    options: Options,
    workers: int | None,
    cancelled: Callable[[], bool],
    task: Callable[..., tuple[str, str]] | None = None,
) -> Iterator[BatchResult]:
    """In processes of this machine."""
    pool = WorkerPool(workers=min(workers or os.cpu_count() or 1, len(jobs)))
    pool.add(Task(key=job, function=task or report_of, arguments=(job, options)) for job in jobs)
    try:
        while pool.busy and not cancelled():
            for news in pool.poll(0.2):
                job: BatchJob = news.task.arguments[0]
                if news.state == TaskState.DONE:
                    yield _written(job, news.result)
                elif news.state == TaskState.FAILED:
                    yield BatchResult(job, "failed", f"{shown_name(job.take)}: {news.what}")
                elif news.state == TaskState.DIED:
                    yield _died(job)
    finally:
        pool.stop()


def _on_cluster(
    jobs: list[BatchJob],
    options: Options,
    scheduler: str,
    certificates: Path | None,
    cancelled: Callable[[], bool],
) -> Iterator[BatchResult]:
    task = functools.partial(report_of, options=options)
    for job, came in run_on_cluster(jobs, task, scheduler, certificates=certificates, cancelled=cancelled):
        if not isinstance(came, BaseException):
            yield _written(job, came)
        elif type(came).__name__ == "KilledWorker":
            yield _died(job)
        else:
            yield BatchResult(job, "failed", f"{shown_name(job.take)}: {came}")


def _died(job: BatchJob) -> BatchResult:
    return BatchResult(
        job,
        "failed",
        _("{name}: the system ended the check again and again, probably for want of memory.").format(
            name=shown_name(job.take)
        ),
    )


def _written(job: BatchJob, answer: tuple[str, str]) -> BatchResult:
    """Writes the report of a job whole or not at all."""
    state, text = answer
    if state == "failed":
        return BatchResult(job, state, text)
    write_bytes(job.report, text.encode("utf-8"))
    return BatchResult(job, state)


def report_of(
    job: BatchJob, options: Options, *, progress: Callable[[float, str], None] = lambda share, what: None
) -> tuple[str, str]:
    """One check as a pure function, for any pool: ("checked" or "not followed", the report's text) or
    ("failed", a sentence).
    """
    try:
        checked = check(job.score, job.take, options, progress=progress)
    except JewellerError as error:
        return "failed", str(error)
    except Exception as error:  # noqa: BLE001 -- a fault of the program ends this check, never the others
        start_log()
        log_fault(error, "in a batch")
        return "failed", _(
            "{name}: a fault of the program ended this check; the log has its details."
        ).format(name=shown_name(job.take))
    return N_("checked") if checked.report["followed"] else N_("not followed"), json_text(checked.report)


def _is_current(job: BatchJob, options: Options) -> bool:
    """Whether the report on disk is of this score, this take, this ear and these settings."""
    try:
        report = parse_json(job.report.read_text(encoding="utf-8"))
        wanted = settings_dict(
            options.settings,
            find_scheme(options.scheme),
            options.support,
            options.reading,
            options.tempo_bpm,
            options.asked,
        )["settings_hash"]
        return bool(
            report["take"]["sha256"] == file_hash(job.take)
            and report["score"]["sha256"] == file_hash(job.score)
            and report["program"]["ear_version"] == ear_version()
            and report["settings"]["settings_hash"] == wanted
        )
    except (OSError, ValueError, KeyError, TypeError):
        return False
