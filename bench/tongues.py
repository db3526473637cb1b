"""How well a note struck again is told from a note that goes on, and the regression that tells it.

    bench/tongues.py FOLDER [FOLDER ...] --against FOLDER [FOLDER ...] [--fit TARGET]

Every written repetition of a pitch that was played is one; every peak of spectral growth inside a note, away
from its ends and from ornaments, is none. Fitted on FOLDERs of takes with their truth, told on the others.
Prints the area under the curve with more and more of the measures, and what is missed and false where neither
side is favoured. The constant is that of a log-likelihood ratio: how often the two occur in the sets is taken
out. TARGET is `src/jeweller/alignment/tongue.json`.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from fitting import area, fitted

NEAR_S, APART_S, EDGE_S = 0.06, 0.09, 0.05
LEAST_FLUX = 0.22
RIDGE = 0.01
MEASURES = {
    "growth": [0],
    "dip": [1, 2],
    "growth, dip": [0, 1, 2],
    "growth, dip, rise": [0, 1, 2, 3],
    "all": [0, 1, 2, 3, 4, 5],
}


def rows_of(case: Path) -> list[list[float]]:
    """[1 or 0, measures …] for each repetition and each peak inside a note."""
    from jeweller.alignment.candidates import find_candidates
    from jeweller.alignment.settings import DEFAULT
    from jeweller.alignment.tongues import measure_tongues
    from jeweller.audio.decode import decode
    from jeweller.features.extraction import extract_features
    from jeweller.features.settings import DEFAULT as HEAR
    from jeweller.pipeline.check import Options, open_line

    truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
    _, line, _ = open_line(case / "score.musicxml", Options())
    if truth.get("rhythm"):
        return []
    sounding = [n.sounding_midi for n in line.notes]
    recording = decode(next(case.glob("take.*")), HEAR.rate)
    features = extract_features(recording.samples, min(sounding), max(sounding), HEAR)
    frame = find_candidates(features, DEFAULT).frame
    times, measures = frame * features.step_s, measure_tongues(features, frame)
    rows: list[list[float]] = []
    notes = truth["notes"]
    onsets = np.array([n["on_s"] for n in notes if n["on_s"] is not None])
    for before, after, written in zip(notes, notes[1:], line.main_notes[1:], strict=False):
        if None in (before["on_s"], after["on_s"]) or before["midi"] != after["midi"]:
            continue
        near = np.flatnonzero(np.abs(times - after["on_s"]) < NEAR_S)
        if len(near) and not written.slurred_from_previous:
            rows.append([1.0, *measures[near[np.argmax(measures[near, 0])]].tolist()])
    for note, written in zip(notes, line.main_notes, strict=True):
        if note["on_s"] is None or written.written.ornament:
            continue
        inside = (times > note["on_s"] + APART_S) & (times < note["off_s"] - EDGE_S)
        for j in np.flatnonzero(inside & (measures[:, 0] > np.log(LEAST_FLUX))):
            if np.abs(onsets - times[j]).min() > APART_S:
                rows.append([0.0, *measures[j].tolist()])
    return rows


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folders", nargs="+")
    parser.add_argument("--against", nargs="+", required=True)
    parser.add_argument("--fit", help="write the regression there")
    o = parser.parse_args()
    tables = []
    with ProcessPoolExecutor(2) as pool:
        for folders in (o.folders, o.against):
            cases = [c for f in folders for c in sorted(Path(f).iterdir()) if (c / "truth.json").exists()]
            tables.append(np.array([r for rows in pool.map(rows_of, cases, chunksize=4) for r in rows]))
    (x, y), (x2, y2) = ((t[:, 1:], t[:, 0]) for t in tables)
    print(f"{int(y.sum())} struck again, {int((1 - y).sum())} going on;", end=" ")
    print(f"told on {int(y2.sum())}, {int((1 - y2).sum())}")
    for name, columns in MEASURES.items():
        weights, constant = fitted(x[:, columns], y, RIDGE)
        even = constant - np.log(y.mean() / (1 - y.mean()))
        score = even + x2[:, columns] @ weights
        missed, false = (score[y2 == 1] < 0).mean(), (score[y2 == 0] > 0).mean()
        print(f"{name:20} area {area(score, y2):.4f}  missed {missed:.3f}  false {false:.3f}")
    if o.fit:
        told = {"constant": round(float(even), 4), "weights": [round(float(v), 4) for v in weights]}
        Path(o.fit).write_text(json.dumps(told) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
