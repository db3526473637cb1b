#!/usr/bin/env python3
"""How well what sounds for a moment where a note begins can be told: a crack in its attack, or fingers that
did not move together, from the end of the note before, the room, and the way the instrument speaks.

    bench/make_takes.py tune FOLDER --standard 120 --rough 80 --first 4000 [--bank BANK]
    bench/make_takes.py tune DIRECTED --standard 100 --rough 60 --first 21000 --kinds cracked,extra_note
    [--bank BANK] bench/starts.py FOLDER ... --directed DIRECTED ... [--fit]

Logistic regressions on what `crack_features` and `blip_features` of `jeweller.assessment.note_starts` tell,
each take's sounds left out of what they are told by (five folds by take). In directed takes such sounds are
far likelier: they have a constant of their own, which what is written down leaves out. Prints what is said
surely of the other takes, and what would be found at so many false ones. With --fit both are written down:
they are what the ear judges by.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from fitting import fitted, left_out, write_regression
from jeweller.assessment.limits import NOTE_STARTS_LIMITS

RIDGE = 1.0
# a planted sound lies where it was planted, to so much; a crack lies in the beginning of its note
BESIDE_S, LONGEST_S = 0.06, 0.3
FALSE = (0, 2, 5, 10)
PLANTED = {"crack": "cracked", "blip": "extra_note"}  # what a sound of each sort is, if it is anything
OTHERS = {
    "cracked",
    "extra_note",
    "restart",
    "wrong_note",
    "wrong_partial",
    "wrong_octave",
    "bar_skipped",
    "grace_slipped",
}  # may sound there, too
JUDGED_BY = Path(__file__).parent.parent / "src" / "jeweller" / "assessment"


def sounds_of(folder: str) -> list[dict[str, Any]]:
    """Every such sound of a take: of which sort it would be, its features, whether it was planted, and the
    log odds the ear gives it by now.
    """
    from jeweller.assessment.note_starts import blip_features, crack_features, stands_between
    from jeweller.assessment.regression import log_odds
    from jeweller.assessment.timing import expected_onsets
    from jeweller.pipeline.check import check

    take = Path(folder)
    truth = json.loads((take / "truth.json").read_text())
    found = check(take / "score.musicxml", next(take.glob("take.*")))
    if not found.table.followed or any(f.kind == "wrong_transposition" for f in found.findings):
        return []
    case = found.case
    expected = expected_onsets(case)
    out = []
    for s in case.table.starts:
        event = case.event(s.index)
        if event is None:
            continue
        sort = "blip" if stands_between(case, s, event, expected) else "crack"
        if sort == "blip" and (s.index in case.graced or abs(s.midi - event.midi) < 0.7 + event.spread):
            continue
        if sort == "crack" and s.length_s > NOTE_STARTS_LIMITS.whole * (event.off_s - event.on_s):
            continue
        longest = LONGEST_S if sort == "crack" else np.inf
        near = {
            f["kind"]
            for f in truth["faults"]
            if f["at_s"] - BESIDE_S < s.off_s and s.on_s < min(f["until_s"], f["at_s"] + longest) + BESIDE_S
        }
        if PLANTED[sort] not in near and near & OTHERS:
            continue
        if sort == "blip":
            features = blip_features(case, s, event, expected)
        else:
            features = crack_features(case, s, event)
        out.append(
            {
                "sort": sort,
                "features": features,
                "planted": PLANTED[sort] in near,
                "now": log_odds(sort, features),
            }
        )
    return out


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("takes", nargs="+")
    parser.add_argument("--directed", nargs="+", default=[])
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument(
        "--fit", action="store_true", help="write the regressions to where the ear reads them"
    )
    options = parser.parse_args()
    rows: list[tuple[dict[str, Any], int, bool]] = []
    with ProcessPoolExecutor(options.workers) as pool:
        for folders, directed in ((options.takes, False), (options.directed, True)):
            cases = [
                str(p)
                for folder in folders
                for p in sorted(Path(folder).iterdir())
                if (p / "truth.json").exists()
            ]
            rows += [
                (x, len(rows) + k, directed)
                for k, found in enumerate(pool.map(sounds_of, cases, chunksize=4))
                for x in found
            ]
    for sort in PLANTED:
        told(
            [row for row in rows if row[0]["sort"] == sort],
            sort,
            JUDGED_BY / f"{sort}.json" if options.fit else None,
        )


def told(rows: list[tuple[dict[str, Any], int, bool]], sort: str, target: Path | None) -> None:
    """Prints how well one sort is told by (sound, take, whether directed), and writes its regression to a
    file.
    """
    x = np.array([[*r["features"], float(directed)] for r, _, directed in rows])
    y, take = np.array([float(r["planted"]) for r, _, _ in rows]), np.array([t for _, t, _ in rows])
    plain = x[:, -1] == 0
    print(
        f"{sort}: {plain.sum()} sounds in takes as they are, {y[plain].sum():.0f} planted; "
        f"{(~plain).sum()} in directed ones, {y[~plain].sum():.0f} planted"
    )
    for name, odds in (
        ("by now", np.array([r["now"] for r, _, _ in rows])),
        ("told by other takes", left_out(x, y, take, RIDGE)),
    ):
        right, odds = y[plain], odds[plain]
        false = np.sort(odds[right == 0])[::-1]
        print(
            (
                f"  {name:20} said surely {right[odds >= 0].sum():.0f} right, "
                f"{(1 - right)[odds >= 0].sum():.0f} false; found at "
            )
            + ", ".join(f"{n} false: {(right[odds > false[n]]).sum():.0f}" for n in FALSE if n < len(false))
        )
    if target is not None:
        weights, constant = fitted(x, y, RIDGE)
        about = (
            f"Log odds that a sound where a note begins is a {sort}: bench/starts.py --fit, {len(y)} "
            f"sounds, {y.sum():.0f} planted."
        )
        write_regression(target, about, weights[:-1], constant)


if __name__ == "__main__":
    main()
