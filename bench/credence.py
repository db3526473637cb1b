#!/usr/bin/env python3
"""How well findings that are right are told from those that are not by all that was measured about them, and
the regression that tells it.

    bench/credence.py FOLDER [FOLDER ...] [--against FOLDER ...] [--fit] [--rows FILE]

One logistic regression for all kinds, and for each group of kinds a deviation from it that is shrunk the
more: a group with few findings follows the pool. Each take's findings are left out of what they are told by
(five folds by take). Prints for each group what is said surely, right and false, and what is doubted, by the
rules alone and by all measures; the calibration error and the area under the curve. With --against the fit is
told on other takes too. With --fit it is written down: it is what the ear judges by. --rows keeps the
measures in a file, or takes them from it.
"""

from __future__ import annotations

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from classroom import belongs
from fitting import area
from jeweller.assessment.credence import FITTED, GROUP_OF, GROUPS, MEASURES
from jeweller.assessment.joint_limits import CREDENCE
from scoring import SURE, pair

POOL, DEVIATION, CONSTANT = 2.0, 8.0, 1.0  # ridges
FOLDS, BINS = 5, 10
RULES = "rules"


def findings_of(case: Path) -> list[dict[str, Any]]:
    """Every finding of a take: its group, measures, whether it is right, and its confidence by its rule."""
    from jeweller.assessment.finding import calibrate
    from jeweller.pipeline.check import Options, check

    truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
    checked = check(case / "score.musicxml", next(case.glob("take.*")), Options())
    told = checked.report["findings"]
    sure = [k for k, f in enumerate(told) if f["confidence"] >= SURE]
    if "expected" in truth:  # of the classroom
        right = {k for k, f in enumerate(told) if any(belongs(f, e) for e in truth["expected"])}
    else:
        right = set(pair(told, truth["faults"]).values())
        right |= {sure[k] for k in pair([told[k] for k in sure], truth["faults"]).values()}
    return [
        {
            "take": str(case),
            "kind": f.kind,
            "group": GROUP_OF[f.kind],
            "measures": f.measures,
            "right": k in right,
            "rule": calibrate(1.0 / (1.0 + np.exp(-f.measures[0]))),
        }
        for k, f in enumerate(checked.findings)
        if f.measures and f.kind in GROUP_OF
    ]


def gather(folders: list[str], workers: int) -> list[dict[str, Any]]:
    cases = [c for f in folders for c in sorted(Path(f).iterdir()) if (c / "truth.json").exists()]
    with ProcessPoolExecutor(workers) as pool:
        return [row for rows in pool.map(findings_of, cases, chunksize=4) for row in rows]


def matrix(rows: list[dict[str, Any]]) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """(R, M) measures, (R,) which group, (R,) right or not, (R,) which take."""
    names, takes = list(GROUPS), {t: k for k, t in enumerate(dict.fromkeys(r["take"] for r in rows))}
    return (
        np.array([r["measures"] for r in rows], float),
        np.array([names.index(r["group"]) for r in rows]),
        np.array([float(r["right"]) for r in rows]),
        np.array([takes[r["take"]] for r in rows]),
    )


def ranges(x: np.ndarray) -> np.ndarray:
    """(M, 2) between which each measure counts: beyond them nothing is known."""
    return np.stack([x.min(axis=0), x.max(axis=0)], axis=1)


def fit(x: np.ndarray, group: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """((G, M) weights, (G,) constants) by group."""
    middle, spread = x.mean(axis=0), x.std(axis=0) + 1e-9
    z = np.c_[(x - middle) / spread, np.ones(len(x))]
    count, wide = len(GROUPS), z.shape[1]
    full = np.zeros((len(z), wide * (count + 1)))
    full[:, :wide] = z
    for g in range(count):
        full[group == g, wide * (g + 1) : wide * (g + 2)] = z[group == g]
    ridge = np.r_[
        np.full(wide - 1, POOL), 0.01, np.tile(np.r_[np.full(wide - 1, DEVIATION), CONSTANT], count)
    ]
    w = np.zeros(full.shape[1])
    for _ in range(40):
        p = 1.0 / (1.0 + np.exp(-np.clip(full @ w, -30, 30)))
        bend = (full * (p * (1 - p))[:, None]).T @ full + np.diag(ridge)
        step = np.linalg.solve(bend, full.T @ (y - p) - ridge * w)
        w += step
        if np.abs(step).max() < 1e-6:
            break
    each = w[:wide] + w[wide:].reshape(count, wide)
    weights = each[:, :-1] / spread
    return weights, each[:, -1] - weights @ middle


def told(x: np.ndarray, group: np.ndarray, fitted: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    weights, constants = fitted
    return 1.0 / (1.0 + np.exp(-np.clip((x * weights[group]).sum(axis=1) + constants[group], *CREDENCE.odds)))


def left_out(x: np.ndarray, group: np.ndarray, y: np.ndarray, take: np.ndarray) -> np.ndarray:
    out = np.zeros(len(y))
    for fold in range(FOLDS):
        mine = take % FOLDS == fold
        out[mine] = told(x[mine], group[mine], fit(x[~mine], group[~mine], y[~mine]))
    return out


def calibration(score: np.ndarray, y: np.ndarray) -> float:
    """Expected calibration error over bins of equal width."""
    which = np.minimum((score * BINS).astype(int), BINS - 1)
    return float(
        sum(abs(score[which == b].mean() - y[which == b].mean()) * (which == b).mean() for b in set(which))
    )


def show(title: str, rows: list[dict[str, Any]], ways: dict[str, np.ndarray]) -> None:
    _x, group, y, _take = matrix(rows)
    print(f"{title}: {len(y)} findings, {y.sum():.0f} right; sure right/false, doubted right/false")
    for g, name in [*enumerate(GROUPS), (-1, "all")]:
        mine = (group == g) | (g < 0)
        cells = []
        for way, score in ways.items():
            line = SURE if way == RULES else CREDENCE.sure_from
            sure, right = score[mine] >= line, y[mine] == 1
            cells.append(
                f"{(sure & right).sum():5d}{(sure & ~right).sum():4d}{(~sure & right).sum():5d}"
                f"{(~sure & ~right).sum():4d}"
            )
        print(f"  {name:10}" + "   |".join(cells))
    for name, score in ways.items():
        print(f"  {name}: area {area(score, y):.3f}, calibration error {calibration(score, y):.3f}")


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folders", nargs="*")
    parser.add_argument("--against", nargs="+", default=[])
    parser.add_argument("--fit", action="store_true", help="write it to where the ear reads it")
    parser.add_argument("--rows", help="keep the measures there, or take them from there")
    parser.add_argument("--workers", type=int, default=2)
    o = parser.parse_args()
    kept = Path(o.rows) if o.rows else None
    if kept is not None and kept.exists():
        rows = json.loads(kept.read_text(encoding="utf-8"))
    else:
        rows = gather(o.folders, o.workers)
        if kept is not None:
            kept.write_text(json.dumps(rows), encoding="utf-8")
    x, group, y, take = matrix(rows)
    rule = np.array([r["rule"] for r in rows])
    counts = ranges(x)
    x = np.clip(x, *counts.T)
    show("told by other takes", rows, {RULES: rule, "all measures": left_out(x, group, y, take)})
    fitted = fit(x, group, y)
    if o.against:
        others = gather(o.against, o.workers)
        x2, group2, _y2, _take2 = matrix(others)
        x2 = np.clip(x2, *counts.T)
        rule2 = np.array([r["rule"] for r in others])
        show("on others", others, {RULES: rule2, "all measures": told(x2, group2, fitted)})
    if o.fit:
        weights, constants = fitted
        data = {
            "about": f"Log odds that a finding is right: bench/credence.py --fit, {len(y)} findings.",
            "measures": list(MEASURES),
            "ranges": [[round(float(v), 4) for v in pair] for pair in counts],
            "groups": {
                name: {
                    "constant": round(float(constants[g]), 4),
                    "weights": [round(float(w), 4) for w in weights[g]],
                }
                for g, name in enumerate(GROUPS)
            },
        }
        FITTED.write_text(json.dumps(data, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
