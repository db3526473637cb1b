#!/usr/bin/env python3
"""Where the time of a check goes, and how it grows with the length of the take. One thread.

    .venv/bin/python bench/speed.py [--minutes 1,5,10,30]

Takes are composed and played by the simulated player. Prints the share of each stage, seconds and the peak of
memory by length, and the multiple of the yardstick (see bench/ear.py).
"""

from __future__ import annotations

import os

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

import argparse
import cProfile
import pstats
import resource
import sys
import tempfile
import time
from multiprocessing import get_context
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))
from ear import yardstick

STAGES = (
    ("audio/decode.py", "decode", "decoding"),
    ("features/extraction.py", "extract_features", "features"),
    ("alignment/segments.py", "segments", "worth of segments"),
    ("alignment/decoder.py", "run", "decoding (with the worth)"),
    ("notes/build.py", "_build", "exact times, repairs"),
    ("notes/evidence.py", "add_evidence", "evidence"),
    ("assessment/assess.py", "assess", "assessment"),
    ("report/build.py", "build_report", "report"),
)


def make(job: tuple[float, str]) -> str:
    minutes, folder = job
    from jeweller.simulator.compose import Style
    from jeweller.simulator.recordings import make_take
    from jeweller.simulator.truth import write_take

    take = make_take(
        "tune", 700, style=Style(bars=(round(minutes * 24), round(minutes * 24)), repeat=0.0), faults=3
    )
    return str(write_take(take, Path(folder)))


def measure(job: tuple[str, bool]) -> dict[str, Any]:
    from jeweller.audio.decode import decode
    from jeweller.pipeline.check import check

    case, profiled = Path(job[0]), job[1]
    sound = next(case.glob("take.*"))
    if profiled:
        check(case / "score.musicxml", sound)
    begin = time.perf_counter()
    report = check(case / "score.musicxml", sound).report
    seconds = time.perf_counter() - begin
    out: dict[str, Any] = {
        "minutes": report["take"]["duration_s"] / 60,
        "seconds": seconds,
        "followed": report["followed"],
        "megabytes": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
    }
    samples = decode(sound, 22050).samples
    out["yardsticks"] = seconds / min(yardstick(samples) for _ in range(2))
    if profiled:
        profile = cProfile.Profile()
        profile.enable()
        check(case / "score.musicxml", sound)
        profile.disable()
        stats = pstats.Stats(profile).stats  # type: ignore[attr-defined]
        total = sum(v[2] for v in stats.values())
        out["stages"] = {
            title: next((v[3] for k, v in stats.items() if k[0].endswith(file) and k[2] == name), 0.0) / total
            for file, name, title in STAGES
        }
    return out


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--minutes", default="1,5,10,30")
    lengths = [float(m) for m in parser.parse_args().minutes.split(",")]
    print("minutes  seconds  s a minute  yardsticks  peak MB")
    for k, minutes in enumerate(lengths):
        with tempfile.TemporaryDirectory() as folder:  # a process each: its peak of memory is its own
            with get_context("spawn").Pool(1) as pool:
                case = pool.map(make, [(minutes, folder)])[0]
            with get_context("spawn").Pool(1) as pool:
                r = pool.map(measure, [(case, k == 0)])[0]
        print(
            f"{r['minutes']:7.1f} {r['seconds']:8.1f} {r['seconds'] / r['minutes']:11.2f} "
            f"{r['yardsticks']:11.2f} "
            f"{r['megabytes']:8.0f}{'' if r['followed'] else '   not followed'}"
        )
        for title, share in r.get("stages", {}).items():
            print(f"    {title:32} {100 * share:5.1f} %")


if __name__ == "__main__":
    main()
