#!/usr/bin/env python3
"""Makes a set of takes with their truth by the simulated player.

    bench/make_takes.py SET FOLDER --standard N --rough N [--rhythm N] [--bank FOLDER] [--kinds a,b]
    [--repeats] [--first N]

SET is tune, validation or test. The test set wants sampled sounds that do not ship (--bank: made by
tools/render_samples.py from another sound font). The same arguments make the same takes.
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from jeweller.simulator.compose import Style
from jeweller.simulator.recordings import make_rhythm_take, make_take
from jeweller.simulator.truth import write_take


def make(job: tuple[str, int, str, str, str | None, tuple[str, ...], bool]) -> str:
    kind, number, way, folder, bank, kinds, repeats = job
    rough = way == "rough"
    style = Style(repeat=1.0) if repeats else None
    take = (
        make_rhythm_take(kind, number)
        if way == "rhythm"
        else make_take(kind, number, rough=rough, bank=Path(bank) if bank else None, kinds=kinds, style=style)
    )
    return write_take(take, Path(folder)).name


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("set", choices=("tune", "validation", "test"))
    parser.add_argument("folder")
    parser.add_argument("--standard", type=int, default=60)
    parser.add_argument("--rough", type=int, default=30)
    parser.add_argument("--rhythm", type=int, default=0, help="takes of claps, taps and drums")
    parser.add_argument("--bank")
    parser.add_argument("--kinds", default="")
    parser.add_argument("--repeats", action="store_true", help="every line has a repeat")
    parser.add_argument(
        "--first", type=int, default=0, help="number of the first take: others than those made before"
    )
    parser.add_argument("--workers", type=int, default=2)
    o = parser.parse_args()
    kinds = tuple(k for k in o.kinds.split(",") if k)
    ways = (("standard", o.standard), ("rough", o.rough), ("rhythm", o.rhythm))
    jobs = [
        (o.set, o.first + k, way, o.folder, o.bank, kinds, o.repeats)
        for way, count in ways
        for k in range(count)
    ]
    with ProcessPoolExecutor(o.workers) as pool:
        print(len(list(pool.map(make, jobs, chunksize=4))), "takes in", o.folder)


if __name__ == "__main__":
    main()
