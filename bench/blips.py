#!/usr/bin/env python3
"""How well a short sound between two notes (fingers that did not move together) can be told from the end of the one and the beginning of the other.

    bench/make_takes.py tune FOLDER --standard 120 --rough 80 --first 4000 [--bank BANK]
    bench/make_takes.py tune DIRECTED --standard 100 --rough 60 --first 21000 --kinds cracked,extra_note [--bank BANK]
    bench/blips.py FOLDER ... --directed DIRECTED ... [--fit src/jeweller/judge/blip.json]

A logistic regression on what `jeweller.judge.starts.blip_features` tells, each take's sounds left out of what they are told by (five folds by take). In
directed takes such sounds are far likelier: they have a constant of their own, which what is written down leaves out. Prints what is said surely of the
other takes, and what would be found at so many false ones.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from joins import fitted, left_out

RIDGE = 1.0
BESIDE_S = 0.06  # a planted sound lies where it was planted, to so much
FALSE = (0, 2, 5, 10)


def sounds_of(folder: str) -> list[dict[str, Any]]:
    """Every sound between two notes of a take: its features, whether it was planted, and the raw confidence the ear gives it by now."""
    from jeweller.check import check
    from jeweller.follow.mixture import Mixture
    from jeweller.follow.starts import hear_starts
    from jeweller.judge.regression import log_odds
    from jeweller.judge.starts import blip_features, stands_between

    take = Path(folder)
    truth = json.loads((take / "truth.json").read_text())
    found = check(take / "score.musicxml", next(take.glob("take.*")))
    if not found.following.followed or any(f.kind == "wrong_transposition" for f in found.findings):
        return []
    case, events = found.case, found.following.events
    mixture = Mixture(found.features, events, min(n.sounding_midi for n in found.line.main_notes))
    starts = hear_starts(found.following, found.features, mixture, brass=found.instrument.family == "brass")
    out = []
    for s in starts:
        event = case.event(s.index)
        if event is None or s.index in case.graced or not stands_between(case, s, event, 0) or abs(s.midi - event.midi) < 0.7 + event.spread:
            continue
        near = {f["kind"] for f in truth["faults"] if f["at_s"] - BESIDE_S < s.off_s and s.on_s < f["until_s"] + BESIDE_S}
        if "extra_note" not in near and near & {"cracked", "restart", "wrong_note", "wrong_partial", "wrong_octave", "bar_skipped", "grace_slipped"}:
            continue  # something else may sound there
        features = blip_features(case, s, event, starts, 0)
        out.append({"features": features, "planted": "extra_note" in near, "now": log_odds("blip", features)})
    return out


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("takes", nargs="+")
    parser.add_argument("--directed", nargs="+", default=[])
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--fit", help="the file to write the regression to")
    options = parser.parse_args()
    rows: list[tuple[dict[str, Any], int, bool]] = []
    with ProcessPoolExecutor(options.workers) as pool:
        for folders, directed in ((options.takes, False), (options.directed, True)):
            cases = [str(p) for folder in folders for p in sorted(Path(folder).iterdir()) if (p / "truth.json").exists()]
            rows += [(x, len(rows) + k, directed) for k, found in enumerate(pool.map(sounds_of, cases, chunksize=4)) for x in found]
    x = np.array([[*r["features"], float(directed)] for r, _, directed in rows])
    y, take = np.array([float(r["planted"]) for r, _, _ in rows]), np.array([t for _, t, _ in rows])
    plain = x[:, -1] == 0
    print(f"{plain.sum()} sounds in takes as they are, {y[plain].sum():.0f} planted; {(~plain).sum()} in directed ones, {y[~plain].sum():.0f} planted")
    for name, odds in (("by now", np.array([r["now"] for r, _, _ in rows])), ("told by other takes", left_out(x, y, take, RIDGE))):
        right, odds = y[plain], odds[plain]
        false = np.sort(odds[right == 0])[::-1]
        print(f"  {name:20} said surely {right[odds >= 0].sum():.0f} right, {(1 - right)[odds >= 0].sum():.0f} false; found at "
              + ", ".join(f"{n} false: {(right[odds > false[n]]).sum():.0f}" for n in FALSE if n < len(false)))  # fmt: skip
    if options.fit:
        weights, constant = fitted(x, y, RIDGE)
        about = f"Log odds that a sound between two notes is none of them: bench/blips.py --fit, {len(y)} sounds, {y.sum():.0f} planted."
        Path(options.fit).write_text(json.dumps({"about": about, "constant": round(constant, 4), "weights": [round(float(w), 4) for w in weights[:-1]]}, indent=1) + "\n",
                                     encoding="utf-8")  # fmt: skip


if __name__ == "__main__":
    main()
