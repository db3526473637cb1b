#!/usr/bin/env python3
"""How well a note that sounded an octave above the written one is told from one that sounded as written,
where the period of both is the written one's.

    bench/make_takes.py tune FOLDER --standard 60 --rough 30 --first 24000 --kinds wrong_octave [--bank BANK]
    bench/octaves.py FOLDER ... [--fit]

A logistic regression on `jeweller.assessment.octaves.octave_measures`, each take's notes left out of what
they are told by (five folds by take). Prints what is missed and false with each of the measures more; with
--fit it is written down: it is what the ear judges by.
"""

from __future__ import annotations

import argparse
import json
import math
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from fitting import fitted, left_out, write_regression

RIDGE = 0.3
NEAR = 0.6  # semitones from the written pitch
TARGET = Path(__file__).parent.parent / "src" / "jeweller" / "assessment" / "octave.json"


def notes_of(case: Path) -> list[tuple[bool, list[float]]]:
    """(whether it was played an octave above, measures) of every plain note heard at its written pitch."""
    from jeweller.assessment.octaves import octave_measures
    from jeweller.notes.decomposition import SpectralDecomposition
    from jeweller.notes.doubts import measure_partials
    from jeweller.pipeline.check import Options, check

    truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
    checked = check(case / "score.musicxml", next(case.glob("take.*")), Options())
    table = checked.table
    if not table.followed or table.shift:
        return []
    above = {
        i for f in truth["faults"] if f["kind"] == "wrong_octave" and f["amount"] == 12 for i in f["notes"]
    }
    lowest = min(n.sounding_midi for n in table.notes)
    # every note is asked, not only those whose octave is in question
    partials = measure_partials(table, SpectralDecomposition(checked.features, table.events, lowest, 0), 0.0)
    out = []
    for i, (note, found, true) in enumerate(zip(table.notes, partials, truth["notes"], strict=False)):
        plain = note.written.ornament is None and not math.isnan(table.apart(i))
        if found is None or not plain or abs(table.apart(i)) > NEAR:
            continue
        if i in above or true["verdict"] == "ok":
            out.append((i in above, octave_measures(found)))
    return out


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folders", nargs="+")
    parser.add_argument("--fit", action="store_true")
    parser.add_argument("--workers", type=int, default=2)
    o = parser.parse_args()
    cases = [c for f in o.folders for c in sorted(Path(f).iterdir()) if (c / "truth.json").exists()]
    with ProcessPoolExecutor(o.workers) as pool:
        found = list(pool.map(notes_of, cases, chunksize=4))
    x = np.array([m for rows in found for _, m in rows])
    y = np.array([float(is_above) for rows in found for is_above, _ in rows])
    take = np.array([k for k, rows in enumerate(found) for _ in rows])
    print(f"{len(y)} notes, {y.sum():.0f} an octave above")
    for count, name in enumerate(("odd partials", "and the pitch line", "and what stands out"), 1):
        odds = left_out(x[:, :count], y, take, RIDGE)
        cells = [
            f"from {at}: missed {((odds < at) & (y == 1)).sum()}, false {((odds >= at) & (y == 0)).sum()}"
            for at in (0, 1, 2)
        ]
        print(f"  {name:22}" + "; ".join(cells))
    if o.fit:
        weights, constant = fitted(x, y, RIDGE)
        about = f"Log odds that the octave above sounded: bench/octaves.py --fit, {len(y)} notes."
        write_regression(TARGET, about, weights, constant)


if __name__ == "__main__":
    main()
