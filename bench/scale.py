#!/usr/bin/env python3
"""What very many takes need: the cost of one, and what a scheduler carries.

    .venv/bin/python bench/scale.py cost [--takes 25]                one take: processor, memory, bytes
    .venv/bin/python bench/scale.py scheduler [--tasks 1000 50000]   empty jobs through a scheduler and
        workers of this machine, the way `batch --scheduler` takes; then both are killed in the middle
    .venv/bin/python bench/ledger.py large --players 20000 --takes 200000     the library

The figures of docs/scale.md come from here.
"""

from __future__ import annotations

import argparse
import contextlib
import functools
import json
import os
import resource
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

os.environ.setdefault("OMP_NUM_THREADS", "1")

import psutil

from jeweller.assets import DEMO
from jeweller.demo_band import read_band
from jeweller.pipeline.batch import BatchJob, report_of
from jeweller.pipeline.check import Options
from jeweller.pipeline.cluster import run_on_cluster

WORKERS, THREADS = 2, 4
REPORT = "x" * 40_000  # about what a report of a minute weighs


def cost(options: argparse.Namespace) -> None:
    """Checks takes of the demo band one after the other in this process."""
    _, demo = read_band(DEMO)
    seconds, lengths, reports, recordings = [], [], [], []
    with tempfile.TemporaryDirectory() as folder:
        for n, take in enumerate(demo[: options.takes]):
            begin = time.process_time()
            job = BatchJob(take.score, take.take, Path(folder) / f"{n}.json")
            state, text = report_of(job, Options(part=take.part))
            seconds.append(time.process_time() - begin)
            if state == "failed":
                sys.exit(text)
            lengths.append(json.loads(text)["take"]["duration_s"])
            reports.append(len(text.encode()))
            recordings.append(take.take.stat().st_size)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    each = sum(seconds[1:]) / len(seconds[1:])
    print(
        f"takes                        {len(seconds)}, {statistics.mean(lengths):.0f} s of sound on average"
    )
    print(f"processor a take             {each:.2f} s (first of a process {seconds[0]:.2f} s)")
    print(f"processor a minute of sound  {60 * sum(seconds[1:]) / sum(lengths[1:]):.2f} s")
    print(f"memory of a process          {peak:.0f} MB at most")
    print(f"a report                     {statistics.mean(reports) / 1000:.0f} kB")
    print(f"a recording                  {statistics.mean(recordings) / 1000:.0f} kB (as shipped: Ogg)")
    print(f"50,000 takes                 {50_000 * each / 3600:.1f} hours of one core")


def empty(job: BatchJob, options: Options) -> tuple[str, str]:
    """A job that does nothing and answers as one that does."""
    return "checked", REPORT


@contextlib.contextmanager
def cluster(port: int) -> Iterator[list[psutil.Process]]:
    """A scheduler and workers in processes of their own."""
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parent)}
    dask = [sys.executable, "-m", "dask"]
    address = f"tcp://127.0.0.1:{port}"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "env": environment}
    started = [
        subprocess.Popen(
            [*dask, "scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"], **quiet
        )
    ]
    time.sleep(3)
    workers = ["--nworkers", str(WORKERS), "--nthreads", str(THREADS), "--no-dashboard"]
    started += [subprocess.Popen([*dask, "worker", address, *workers], **quiet)]
    try:
        yield [psutil.Process(p.pid) for p in started]
    finally:
        for process in started:
            for child in psutil.Process(process.pid).children(recursive=True):
                child.kill()
            process.kill()
            process.wait()


def free_port() -> int:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        return int(taken.getsockname()[1])


def scheduler(options: argparse.Namespace) -> None:
    print("   tasks  seconds  a second  scheduler cpu  scheduler MB  this process MB")
    for tasks in options.tasks:
        port = free_port()
        with cluster(port) as (head, _workers):
            before, peak = sum(head.cpu_times()[:2]), [0.0, 0.0]
            done = threading.Event()

            def watch(
                head: psutil.Process = head, peak: list[float] = peak, done: threading.Event = done
            ) -> None:
                while not done.wait(0.1):
                    for k, process in enumerate((head, psutil.Process())):
                        peak[k] = max(peak[k], process.memory_info().rss / 2**20)

            threading.Thread(target=watch, daemon=True).start()
            begin, count = time.perf_counter(), 0
            for _job, came in run_on_cluster(jobs(tasks), TASK, f"tcp://127.0.0.1:{port}"):
                count += came == ("checked", REPORT)
            took = time.perf_counter() - begin
            done.set()
            cpu = sum(head.cpu_times()[:2]) - before
        if count != tasks:
            sys.exit(f"{tasks - count} of {tasks} were lost")
        print(
            f"{tasks:8} {took:8.1f} {tasks / took:9.0f} {cpu:12.1f} s {peak[0]:13.0f} {peak[1]:16.0f}",
            flush=True,
        )
    killed(min(max(options.tasks), 5_000))


def killed(tasks: int) -> None:
    """The scheduler and its workers are killed half-way, and others started at the same address."""
    port = free_port()
    seen: dict[Path, int] = {}
    with contextlib.ExitStack() as second:
        with cluster(port) as processes:
            for number, (job, _came) in enumerate(
                run_on_cluster(jobs(tasks), TASK, f"tcp://127.0.0.1:{port}")
            ):
                seen[job.take] = seen.get(job.take, 0) + 1
                if number == tasks // 2:
                    for process in processes:
                        for child in process.children(recursive=True):
                            child.kill()
                        process.kill()
                    second.enter_context(cluster(port))
        again = sum(n - 1 for n in seen.values())
        print(
            f"killed after {tasks // 2} of {tasks}, scheduler and workers: "
            f"{len(seen)} done, {again} of them twice"
        )
    if len(seen) != tasks:
        sys.exit("some were lost")


def jobs(count: int) -> list[BatchJob]:
    root = Path("/srv/district/takes")
    return [
        BatchJob(root / "score.musicxml", root / f"{n:06d}.ogg", root / f"{n:06d}.json") for n in range(count)
    ]


TASK = functools.partial(empty, options=Options())


def main() -> None:
    parser = argparse.ArgumentParser()
    ways = parser.add_subparsers(dest="way", required=True)
    of_one = ways.add_parser("cost")
    of_one.add_argument("--takes", type=int, default=25)
    of_many = ways.add_parser("scheduler")
    of_many.add_argument("--tasks", type=int, nargs="+", default=[1_000, 50_000])
    options = parser.parse_args()
    {"cost": cost, "scheduler": scheduler}[options.way](options)


if __name__ == "__main__":
    import scale  # by its name: the workers import the same function

    scale.main()
