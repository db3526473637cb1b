#!/usr/bin/env python3
"""How well one note run into the next can be told from tongued notes: what the ear measures of a join, and
how the one note gives way to the other.

    bench/make_takes.py tune FOLDER --standard 50 --rough 30 --first 5000 --kinds slurred_over_tongue
    bench/make_takes.py tune OTHER --standard 50 --rough 30 --first 5200 --kinds slurred_over_tongue --bank
    BANK bench/joins.py FOLDER OTHER [--fit src/jeweller/assessment/run_on.json]
    bench/joins.py FOLDER OTHER --kind tongued_in_slur       # the other way round: tongues in slurs

Logistic regressions, each take's joins left out of what they are told by (five folds by take). Prints the
area under the curve and the share of planted joins that is found at so many false ones among the tongued.
`bands`: the energy of eight bands, every 20 ms from 80 ms before to 120 ms after the second note begins, over
the steady parts of both notes, less the median of the take's own joins. `course`:
`jeweller.notes.transitions.measure_crossing`. With --fit the regression on what is measured by now and the
course is written down: it is what the ear judges by.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from fitting import fitted, left_out, write_regression
from jeweller.assessment.articulation import plain_features, slur_features

EDGES = np.geomspace(150, 9000, 9)
FALSE = (0.0005, 0.001, 0.002, 0.005, 0.01)
LEAST = 8  # joins of a take
RIDGE = 3.0
ONE_IN = {
    "slurred_over_tongue": 1000,
    "tongued_in_slur": 100,
}  # joins, in takes as they are, of which one is so
FRAME = 512


def joins_of(job: tuple[str, str]) -> list[dict[str, Any]]:
    """Every join between plain notes of different pitch that by the score has a tongue of its own; for
    `tongued_in_slur` every one that has none.
    """
    from jeweller.alignment.align import align
    from jeweller.assessment.settings import AssessmentSettings
    from jeweller.audio.decode import decode
    from jeweller.features.extraction import extract_features
    from jeweller.features.settings import DEFAULT
    from jeweller.notes.build import build_note_tables
    from jeweller.notes.transitions import measure_crossing, measure_transitions
    from jeweller.pipeline.check import Options, open_line

    folder, kind = job
    case, slurred = Path(folder), kind == "tongued_in_slur"
    truth = json.loads((case / "truth.json").read_text())
    _, line, _ = open_line(case / "score.musicxml", Options())
    sounding = [n.sounding_midi for n in line.notes]
    features = extract_features(
        decode(next(case.glob("take.*")), DEFAULT.rate).samples, min(sounding), max(sounding)
    )
    table = build_note_tables(align(line, features), features)[-1]
    planted = {i for f in truth["faults"] if f["kind"] == kind for i in f["notes"]}
    notes, out = line.main_notes, []
    frequencies = np.fft.rfftfreq(FRAME, 1 / features.rate)
    bank = np.array(
        [(frequencies >= a) & (frequencies < b) for a, b in zip(EDGES, EDGES[1:], strict=False)], float
    )
    # then every join is another than written
    other = any(f["kind"] in ("not_joined", "not_detached") for f in truth["faults"])
    for j in (
        measure_transitions(table, features, AssessmentSettings().run_on_db)
        if table.followed and not other
        else []
    ):
        i, b = j.index, table.event_of(j.index)
        right = all(
            truth["notes"][k]["verdict"] == "ok" and not line.graces[k] and notes[k].written.ornament is None
            for k in (i - 1, i)
        )
        a = table.event_of(i - 1)
        if (
            a is None
            or b is None
            or a.midi != a.midi
            or b.midi != b.midi
            or not right
            or notes[i].slurred_from_previous != slurred
            or notes[i].sounding_midi == notes[i - 1].sounding_midi
        ):
            continue
        begin = (
            np.rint((b.on_s + np.arange(-12, 20) * 0.01) * features.rate).astype(int)[:, None]
            - FRAME // 2
            + np.arange(FRAME)
        )
        frames = np.where(
            (begin >= 0) & (begin < len(features.samples)),
            features.samples[np.clip(begin, 0, len(features.samples) - 1)],
            0.0,
        )
        energy = np.log10(
            np.abs(np.fft.rfft(frames * np.hanning(FRAME), axis=1)) ** 2 @ bank.T / bank.sum(axis=1) + 1e-9
        )
        steady = np.median(energy[2:8], axis=0), np.median(energy[20:30], axis=0)
        bands = np.clip(energy - np.where((np.arange(32) < 12)[:, None], *steady), -3, 2)
        out.append(
            {
                "planted": i in planted,
                "dip": j.dip_db,
                "attack": j.attack,
                "gap": j.gap_s,
                "ioi": j.ioi_s,
                "bands": bands,
                "louder": b.level_db - a.level_db,
                "course": measure_crossing(features, a, b),
            }
        )
    return out


def table(
    takes: list[list[dict[str, Any]]], kind: str
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """(J, 4) what the ear tells by now, (J, C) the bands, (J, 15) the course, (J,) whether planted, (J,) the
    take.
    """
    now, bands, courses, planted, take = [], [], [], [], []
    for t, joins in enumerate(x for x in takes if len(x) >= (LEAST if kind == "slurred_over_tongue" else 1)):
        usual = float(np.median([j["dip"] for j in joins]))
        middle = np.median([j["bands"] for j in joins], axis=0)
        for j in joins:
            now.append(
                plain_features(j["dip"], usual, j["gap"], j["ioi"])
                if kind == "slurred_over_tongue"
                else slur_features(j["dip"], j["attack"], j["gap"], j["ioi"], j["louder"])
            )
            bands.append([*(j["bands"] - middle)[4:24:2].ravel(), min(j["attack"], 1.5)])
            courses.append(j["course"])
            planted.append(j["planted"])
            take.append(t)
    return np.array(now), np.array(bands), np.array(courses), np.array(planted, float), np.array(take)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("takes", nargs="+")
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--fit", help="the file to write the regression to")
    parser.add_argument(
        "--kind", choices=("slurred_over_tongue", "tongued_in_slur"), default="slurred_over_tongue"
    )
    options = parser.parse_args()
    cases = [
        str(p)
        for folder in options.takes
        for p in sorted(Path(folder).iterdir())
        if (p / "truth.json").exists()
    ]
    with ProcessPoolExecutor(options.workers) as pool:
        now, bands, course, y, take = table(
            list(pool.map(joins_of, [(c, options.kind) for c in cases], chunksize=4)), options.kind
        )
    print(
        f"{len(y)} joins, {y.sum():.0f} planted; found at "
        f"{', '.join(f'{100 * f:g} %' for f in FALSE)} false of the others:"
    )
    for name, x, ridge in (
        ("dip, gap, length and the like", now, 1.0),
        ("bands", bands, 100.0),
        ("these and bands", np.c_[now, bands], 30.0),
        ("course", course, RIDGE),
        ("these and course", np.c_[now, course], RIDGE),
    ):
        odds = left_out(x, y, take, ridge)
        tongued, rank = np.sort(odds[y == 0])[::-1], np.argsort(np.argsort(odds))
        area = (rank[y > 0].sum() - y.sum() * (y.sum() - 1) / 2) / (y.sum() * (len(y) - y.sum()))
        found = [float((odds[y > 0] > tongued[int(f * len(tongued))]).mean()) for f in FALSE]
        print(f"  {name:30} area {area:.3f}   " + "  ".join(f"{f:.2f}" for f in found))
    if options.fit:
        weights, constant = fitted(np.c_[now, course], y, RIDGE)
        one_in = ONE_IN[options.kind]
        constant -= float(np.log(y.mean() / (1 - y.mean()))) + float(np.log(one_in))
        about = (
            f"Log odds of {options.kind} at a join: bench/joins.py --fit, {len(y)} joins, {y.sum():.0f} "
            f"planted; one in {one_in} is expected."
        )
        write_regression(Path(options.fit), about, weights, constant)


if __name__ == "__main__":
    main()
