"""Many checks at once: a process that dies, and a cluster."""

from __future__ import annotations

import os
import shutil
import signal
import time
import unittest
from multiprocessing import Pipe
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from jeweller.audio.encode import write_sound
from jeweller.errors import JewellerError
from jeweller.pipeline.batch import BatchJob, _here, find_jobs, run_batch
from jeweller.pipeline.channel import LARGE, receive_message, send_message
from jeweller.pipeline.check import Options
from jeweller.pipeline.cluster import CERTIFICATES, run_on_cluster
from jeweller.pipeline.workers import Task, TaskState, WorkerPool
from tests.support import RATE, TempCase, line_of, part_of, score_file, sounding, straight
from tests.test_ear import LINE, TUNE

if TYPE_CHECKING:
    from distributed import LocalCluster


def nothing(*, progress: object) -> None:
    """A task."""


def sleep_long(*, progress: object) -> None:
    """A task that is still under way when it is given up."""
    time.sleep(60)


def deadly(job: BatchJob, options: Options, *, progress: object) -> tuple[str, str]:
    """A task that ends its process for some takes, the first time or always."""
    mark = job.report.with_suffix(".tried")
    again = mark.exists()
    mark.write_text("")
    if job.take.name == "always.wav" or (job.take.name == "once.wav" and not again):
        os.kill(os.getpid(), signal.SIGKILL)
    return "checked", "{}"


def tenfold(number: int) -> int:
    """A small task."""
    time.sleep(0.1)
    return 10 * number


def cluster_here(protocol: str = "tcp://", **more: Any) -> LocalCluster:
    """A scheduler and a worker in this process."""
    from distributed import LocalCluster

    return LocalCluster(
        n_workers=1,
        threads_per_worker=2,
        processes=False,
        protocol=protocol,
        dashboard_address=None,
        **more,
    )


class Batch(TempCase):
    def test_a_process_that_dies_takes_no_other_with_it(self) -> None:
        names = ["a.wav", "once.wav", "b.wav", "always.wav", "c.wav", "d.wav"]
        jobs = [
            BatchJob(self.folder / "s.musicxml", self.folder / n, self.folder / f"{n}.json") for n in names
        ]
        done = {d.job.take.name: d for d in _here(jobs, Options(), 2, lambda: False, deadly)}
        self.assertEqual(
            {n: d.state for n, d in done.items()}, {**dict.fromkeys(names, "checked"), "always.wav": "failed"}
        )
        self.assertIn("the system ended the check again and again", done["always.wav"].sentence)
        self.assertTrue((self.folder / "once.wav.json").exists())

    def test_a_worker_that_died_idle_is_replaced(self) -> None:
        pool = WorkerPool(workers=1)
        self.addCleanup(pool.stop)

        def finish() -> list[object]:
            end, told = time.monotonic() + 20, list[object]()
            while pool.busy and time.monotonic() < end:
                told += [n.state for n in pool.poll(0.2)]
            return told

        pool.add([Task(key=1, function=nothing)])
        self.assertEqual(finish(), [TaskState.DONE])
        os.kill(pool.process_ids[0], signal.SIGKILL)
        time.sleep(0.2)
        pool.add([Task(key=2, function=nothing)])
        self.assertEqual(finish()[-1], TaskState.DONE)

    def test_what_is_given_up_is_told_of_no_more(self) -> None:
        pool = WorkerPool(workers=1)
        self.addCleanup(pool.stop)
        pool.add([Task(key=1, function=sleep_long), Task(key=2, function=nothing)])
        pool.poll()
        pool.cancel(1)
        told = []
        end = time.monotonic() + 20
        while pool.busy and time.monotonic() < end:
            told += [(n.task.key, n.state) for n in pool.poll(0.2)]
        self.assertEqual(told, [(2, TaskState.DONE)])

    def test_what_was_checked_with_a_backing_is_not_checked_again(self) -> None:
        music = "C5/1 D5/1 E5/1 F5/1 | G5/1 F5/1 E5/1 D5/1 | C5/4"
        score = score_file(self.folder, part_of(music))
        take, backing = self.folder / "one.wav", self.folder / "backing.flac"
        write_sound(take, sounding(straight(line_of(music), 90)), RATE)
        write_sound(backing, sounding(straight(line_of(music), 60)), RATE)
        jobs = [BatchJob(score, take, self.folder / "one.json")]
        options = Options(backing=str(backing))
        self.assertEqual(options.support, "with_model")
        self.assertEqual([d.state for d in run_batch(jobs, options, 1)], ["checked"])
        self.assertEqual([d.state for d in run_batch(jobs, options, 1)], ["kept"])
        self.assertEqual([d.state for d in run_batch(jobs, Options(scheme="rhythm-first"), 1)], ["checked"])

    def test_a_cluster_runs_the_same_function_over_tls(self) -> None:
        from distributed import Security

        secured = Security.temporary()  # holds the texts of its certificates
        certificates = self.folder / "certificates"
        certificates.mkdir()
        for name, text in zip(
            CERTIFICATES, (secured.tls_ca_file, secured.tls_client_cert, secured.tls_client_key), strict=True
        ):
            (certificates / name).write_text(text)
        score_file(self.folder, part_of(TUNE, fifths=-2))
        write_sound(self.folder / "one.wav", sounding(straight(LINE, 90)), RATE)
        shutil.copy(self.folder / "one.wav", self.folder / "two.wav")
        (self.folder / "three.wav").write_bytes(b"no sound")
        reports = self.folder / "reports"
        reports.mkdir()
        jobs = find_jobs(self.folder, reports)
        with cluster_here("tls://", security=secured) as cluster:
            address = cluster.scheduler_address
            for wrong, sentence in (
                ({}, "wants certificates"),
                ({"certificates": self.folder}, r"holds no ca\.pem"),
            ):
                with self.assertRaisesRegex(JewellerError, sentence):
                    list(run_batch(jobs, Options(), scheduler=address, **wrong))
            with self.assertRaisesRegex(JewellerError, "does not"):
                list(
                    run_batch(
                        jobs,
                        Options(),
                        scheduler=address.replace("tls:", "tcp:"),
                        certificates=certificates,
                    )
                )
            done = list(run_batch(jobs, Options(), scheduler=address, certificates=certificates))
        self.assertEqual(
            sorted((d.job.take.name, d.state) for d in done),
            [("one.wav", "checked"), ("three.wav", "failed"), ("two.wav", "checked")],
        )
        here = {d.job.take.name: d.state for d in run_batch(find_jobs(self.folder, reports), Options())}
        self.assertEqual(here["one.wav"], "kept")  # what the cluster did is not done again
        self.assertEqual(len(list(Path(reports).glob("*.json"))), 2)

    def test_a_scheduler_that_is_started_anew_gets_what_was_not_done(self) -> None:
        first = cluster_here()
        self.addCleanup(first.close)
        address = first.scheduler_address
        came, second = [], None
        for item, answer in run_on_cluster(range(12), tenfold, address):
            came.append((item, answer))
            if len(came) == 4:
                first.close()
                second = cluster_here(scheduler_port=int(address.rpartition(":")[2]))
                self.addCleanup(second.close)
        self.assertIsNotNone(second)
        self.assertEqual(sorted(came), [(k, 10 * k) for k in range(12)])

    def test_a_scheduler_that_stays_away_ends_the_run_with_a_sentence(self) -> None:
        gone = cluster_here()
        self.addCleanup(gone.close)
        with self.assertRaisesRegex(JewellerError, "What is done is kept"):
            for _item in run_on_cluster(range(9), tenfold, gone.scheduler_address, away_s=0.2):
                gone.close()

    def test_no_cluster_is_a_sentence(self) -> None:
        score_file(self.folder, part_of(TUNE, fifths=-2))
        write_sound(self.folder / "one.wav", sounding(straight(LINE, 90)), RATE)
        with self.assertRaisesRegex(JewellerError, "No cluster answers at tcp://127.0.0.1:9"):
            list(run_batch(find_jobs(self.folder, self.folder), Options(), scheduler="tcp://127.0.0.1:9"))


if __name__ == "__main__":
    unittest.main()


class Messages(unittest.TestCase):
    def test_large_arrays_arrive_whole_beside_the_pipe(self) -> None:
        here, there = Pipe()
        opened = len(os.listdir("/proc/self/fd"))
        sent = {
            "large": np.arange(LARGE, dtype=np.float32),
            "small": np.arange(3),
            "turned": np.eye(30)[::2],
        }
        for _ in range(3):  # nobody reads yet: in the pipe they would not find room
            send_message(there, ("done", sent))
            kind, got = receive_message(here)
            self.assertEqual("done", kind)
            for name, values in sent.items():
                np.testing.assert_array_equal(values, got[name])
            got["large"][0] = 5.0  # who has it may change it
        self.assertEqual(opened, len(os.listdir("/proc/self/fd")))

    def test_who_is_gone_is_told(self) -> None:
        here, there = Pipe()
        there.close()
        self.assertRaises(EOFError, receive_message, here)
        self.assertRaises(OSError, send_message, here, "anybody?")
