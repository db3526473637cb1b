#!/usr/bin/env python3
"""How well what is no note is told from a note, where the way through the part took it for one; and the
regression that tells it.

    bench/sounded.py FOLDER ... [--fit] [--rows FILE]

Every main note for which something was heard, but for ornaments, against the truth: it was left out, or it
was played (rightly or not). Each take's notes are left out of what they are told by (five folds by take).
Prints what is missed and false from several odds on, as the ear judges now and by the regression, and what
each measure is worth. With --fit it is written down: it is what the ear judges by. --rows keeps the measures
in a file, or takes them from it.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from fitting import fitted, left_out, write_regression

RIDGE = 1.0
ODDS = (-2, -1, 0, 1, 2)


def notes_of(case: Path) -> list[dict[str, Any]]:
    from jeweller.alignment.align import align
    from jeweller.audio.decode import decode
    from jeweller.features.extraction import extract_features
    from jeweller.features.settings import DEFAULT
    from jeweller.notes.build import build_note_tables
    from jeweller.notes.doubts import not_sounded
    from jeweller.notes.sounded import sounded_measures
    from jeweller.pipeline.check import Options, open_line

    truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
    _, line, _ = open_line(case / "score.musicxml", Options())
    sounding = [n.sounding_midi for n in line.notes]
    samples = decode(next(case.glob("take.*")), DEFAULT.rate).samples
    features = extract_features(samples, min(sounding), max(sounding))
    table = build_note_tables(align(line, features), features)[-1]
    if not table.followed or len(table.notes) != len(truth["notes"]):
        return []
    skipped = {k for j in table.jumps if j.target > j.origin for k in range(j.origin, j.target)}
    out = []
    for i, (note, true) in enumerate(zip(table.notes, truth["notes"], strict=True)):
        event = table.event_of(i)
        if event is None or note.written.ornament or i in skipped or true["verdict"] == "not_heard":
            continue
        out.append(
            {
                "place": f"{case}:{i}",
                "gone": true["verdict"] == "missed",
                "measures": sounded_measures(table, i, event),
                "rule": not_sounded(table, i, event),
            }
        )
    return out


def main() -> None:
    from jeweller.notes.sounded import FITTED, MEASURES

    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folders", nargs="*")
    parser.add_argument("--fit", action="store_true")
    parser.add_argument("--rows")
    parser.add_argument("--workers", type=int, default=2)
    o = parser.parse_args()
    kept = Path(o.rows) if o.rows else None
    if kept is not None and kept.exists():
        rows = json.loads(kept.read_text(encoding="utf-8"))
    else:
        cases = [c for f in o.folders for c in sorted(Path(f).iterdir()) if (c / "truth.json").exists()]
        with ProcessPoolExecutor(o.workers) as pool:
            rows = [row for found in pool.map(notes_of, cases, chunksize=4) for row in found]
        if kept is not None:
            kept.write_text(json.dumps(rows), encoding="utf-8")
    x = np.array([r["measures"] for r in rows])
    y = np.array([float(r["gone"]) for r in rows])
    names = list(dict.fromkeys(r["place"].split(":")[0] for r in rows))
    take = np.array([names.index(r["place"].split(":")[0]) for r in rows])
    rule = np.array([r["rule"] for r in rows])
    print(f"{len(y)} notes, {y.sum():.0f} not played")
    print(f"  by now: missed {((rule < 0.5) & (y == 1)).sum()}, false {((rule >= 0.5) & (y == 0)).sum()}")

    def show(name: str, odds: np.ndarray) -> None:
        cells = [
            f"{at:+d}: {((odds < at) & (y == 1)).sum()}/{((odds >= at) & (y == 0)).sum()}" for at in ODDS
        ]
        print(f"  {name:18} missed/false from odds " + "  ".join(cells))

    show("all", left_out(x, y, take, RIDGE))
    for k, name in enumerate(MEASURES):
        show(f"without {name}", left_out(np.delete(x, k, axis=1), y, take, RIDGE))
    if o.fit:
        weights, constant = fitted(x, y, RIDGE)
        about = (
            f"Log odds that a note did not sound: bench/sounded.py --fit, {len(y)} notes, {y.sum():.0f} not."
        )
        write_regression(FITTED, about, weights, constant)


if __name__ == "__main__":
    main()
