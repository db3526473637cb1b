#!/usr/bin/env python3
"""Accuracy and speed of the ear on a folder of takes with known truth, as tables and as JSON.

    .venv/bin/python bench/ear.py TAKES [TAKES ...] [--workers 2] [--json OUT] [--verbose] [--no-speed]
    [--kinds a,b] [--shared-rules] [--off COMPONENT]

TAKES holds one folder a case: score.musicxml, take.*, truth.json (notes with verdict and on_s; faults with
kind, bar, at_s, until_s and, where known, cause, amount and near misses). Accuracy is counted note by note;
findings are matched to faults one to one, by kind and by bar or time. Speed is a multiple of the yardstick:
rfft of the same recording at 22.05 kHz mono, float32, one thread, Hann window, 5 ms hop, 4096 points,
magnitudes kept, timed in the same run, one take at a time after a warm-up. Intervals are bootstrapped by
take. --off switches one component off (see components.py).
"""

from __future__ import annotations

import os

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

import argparse
import json
import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from scipy import fft as sfft

sys.path.insert(0, str(Path(__file__).parent))
from scoring import FIGURES, calibration, count, total

# Kinds that the shared truth says nothing about.
UNJUDGED = frozenset(
    {
        "sagging",
        "unsteady",
        "dynamics_flat",
        "wrong_tempo",
        "not_detached",
        "not_joined",
        "breath_every_note",
        "fuzzy",
        "tuned_high",
        "tuned_low",
        "slurred_over_tongue",
        "tongued_in_slur",
        "trill_start",
        "ornament_wrong",
        "off_click",
    }
)


def yardstick(samples: np.ndarray) -> float:
    """Seconds for the reference transform of a recording at 22.05 kHz."""
    window = np.hanning(4096).astype(np.float32)
    padded = np.pad(samples, (2048, 4096))
    begin = time.perf_counter()
    for start in range(0, len(samples) // 110, 1024):
        index = (np.arange(start, min(len(samples) // 110, start + 1024)) * 110)[:, None] + np.arange(4096)
        np.abs(sfft.rfft(padded[index] * window, axis=1, workers=1))
    return time.perf_counter() - begin


def run_case(job: tuple[str, str]) -> dict[str, Any]:
    """One take: what was reported and what was planted."""
    from components import switched_off
    from jeweller.assessment.settings import make_settings
    from jeweller.pipeline.check import Options, check

    folder, off = job
    case = Path(folder)
    truth = json.loads((case / "truth.json").read_text())
    asked = Options(
        settings=make_settings(changes=truth.get("asked", {})), rhythm_only=truth.get("rhythm", False)
    )
    take = next(p for p in sorted(case.glob("take.*")))
    begin = time.perf_counter()
    try:
        with switched_off(off):
            report = check(case / "score.musicxml", take, asked).report
    except Exception as error:  # noqa: BLE001 a take that fails is counted as all wrong, and named
        report = {"notes": [], "findings": [], "failed": repr(error)}
    return {"name": str(case), "truth": truth, "report": report, "seconds": time.perf_counter() - begin}


def speed(cases: list[str]) -> dict[str, float]:
    """The whole check, opening of score and recording included, as a multiple of the yardstick: one thread,
    one take at a time.
    """
    from jeweller.audio.decode import decode
    from jeweller.pipeline.check import check

    ratios, minutes = [], []
    for folder in cases:
        case = Path(folder)
        take = next(p for p in sorted(case.glob("take.*")))
        check(case / "score.musicxml", take)
        begin = time.perf_counter()
        report = check(case / "score.musicxml", take).report
        seconds = time.perf_counter() - begin
        samples = decode(take, 22050).samples
        ratios.append(seconds / min(yardstick(samples), yardstick(samples)))
        minutes.append(60 * seconds / report["take"]["duration_s"])
    return {
        "check as a multiple of the yardstick": round(float(np.median(ratios)), 2),
        "seconds per minute of music": round(float(np.median(minutes)), 2),
    }


def table_of(rows: list[dict[str, Any]], draws: int = 500) -> dict[str, Any]:
    """Every figure with its 95 % interval."""
    rng = np.random.default_rng(0)
    whole = total(rows)
    sampled = [total([rows[i] for i in rng.integers(0, len(rows), len(rows))]) for _ in range(draws)]
    out: dict[str, Any] = {
        "takes": len(rows),
        "notes": whole["notes"],
        "faults": whole["faults"],
        "clean notes": whole["clean_notes"],
        "failed": sum(r["failed"] for r in rows),
    }
    for name, figure in FIGURES.items():
        low, high = np.percentile([figure(d) for d in sampled], [2.5, 97.5])
        out[name] = {
            "value": round(figure(whole), 4),
            "low": round(float(low), 4),
            "high": round(float(high), 4),
        }
    errors = np.array([e for r in rows for e in r["onset_errors"]])
    out["median onset error ms"] = round(1000 * float(np.median(np.abs(errors))), 1) if len(errors) else None
    out["onset bias ms"] = round(1000 * float(np.median(errors)), 1) if len(errors) else None
    out["calibration"] = calibration(rows)
    return out


def by_threshold(
    results: list[dict[str, Any]], kinds: frozenset[str], leave: frozenset[str]
) -> dict[str, dict[str, dict[str, float]]]:
    """What the figures would be if findings were said surely from other confidences on: what is heard, and
    what saying it would cost.
    """
    out: dict[str, dict[str, dict[str, float]]] = {}
    for sure in (0.9, 0.7, 0.5, 0.3, 0.2, 0.1, 0.0):
        for title, rough in (("standard", False), ("rough", True)):
            chosen = [
                count(r["truth"], r["report"], kinds, leave, sure)
                for r in results
                if r["truth"].get("rough", "rough" in r["name"]) == rough
            ]
            if chosen:
                t = total(chosen)
                out.setdefault(f"{sure:g}", {})[title] = {
                    "found": round(FIGURES["planted faults found"](t), 4),
                    "match": round(FIGURES["findings that match a fault"](t), 4),
                    "false": round(FIGURES["false findings per 100 clean notes"](t), 3),
                }
    return out


def split(rows: list[dict[str, Any]], key: Any) -> dict[str, dict[str, float]]:
    groups: dict[str, list[dict[str, Any]]] = {}
    for r in rows:
        for name in key(r):
            groups.setdefault(name, []).append(r)
    out = {}
    for name, chosen in sorted(groups.items()):
        t = total(chosen)
        out[name] = {
            "takes": len(chosen),
            "agree": round(FIGURES["verdict agrees with the truth"](t), 4),
            "found": round(FIGURES["planted faults found"](t), 3),
            "precision": round(FIGURES["findings that match a fault"](t), 3),
        }
    return out


def show(title: str, table: dict[str, Any]) -> None:
    print(
        f"\n{title}: {table['takes']} takes ({table['failed']} failed), {table['notes']:.0f} notes, "
        f"{table['faults']:.0f} planted faults, "
        f"{table['clean notes']:.0f} notes of clean takes"
    )
    for name in FIGURES:
        v = table[name]
        print(f"  {name:38} {v['value']:8.4f}   ({v['low']:.4f} to {v['high']:.4f})")
    c = table["calibration"]
    print(
        f"  {'median onset error, ms':38} {table['median onset error ms']}   (bias {table['onset bias ms']})"
    )
    print(
        f"  {'expected calibration error; area':38} {c['error']}; {c['area']}   "
        + " ".join(f"{b['from']}:{b['right']}({b['count']})" for b in c["bins"])
    )


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("takes", nargs="+")
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--json")
    parser.add_argument("--verbose", action="store_true")
    parser.add_argument("--no-speed", action="store_true")
    parser.add_argument(
        "--shared-rules",
        action="store_true",
        help="leave out the kinds that the shared truth says nothing about, planted ones too",
    )
    parser.add_argument("--kinds", default="")
    parser.add_argument("--off", default="", help="a component to switch off: see bench/components.py")
    options = parser.parse_args()
    cases = [
        str(p)
        for folder in options.takes
        for p in sorted(Path(folder).iterdir())
        if (p / "truth.json").exists()
    ]
    with ProcessPoolExecutor(options.workers) as pool:
        results = list(pool.map(run_case, [(c, options.off) for c in cases], chunksize=2))
    kinds, leave = (
        frozenset(k for k in options.kinds.split(",") if k),
        UNJUDGED if options.shared_rules else frozenset(),
    )
    rows = []
    for r in results:
        row = count(r["truth"], r["report"], kinds, leave)
        row |= {
            "failed": int("failed" in r["report"]),
            "name": r["name"],
            "rough": r["truth"].get("rough", "rough" in r["name"]),
            "truth": r["truth"],
        }
        rows.append(row)
        if options.verbose:
            name = "/".join(Path(r["name"]).parts[-2:])
            if "failed" in r["report"]:
                print(name, "failed:", r["report"]["failed"])
            elif not r["report"]["followed"]:
                print(
                    name,
                    "NOT FOLLOWED",
                    r["truth"]["instrument"],
                    r["truth"].get("sound"),
                    r["truth"].get("conditions"),
                )
            for f in row["missed"]:
                print(
                    name,
                    "not found:",
                    f["kind"],
                    f.get("way", ""),
                    "bar",
                    f["bar"],
                    f"{f['at_s']:.2f}",
                    f.get("amount"),
                    "|",
                    [
                        (g["kind"], g["bar"], round(g["confidence"], 2))
                        for g in r["report"]["findings"]
                        if abs((g["at_s"] or 0) - f["at_s"]) < 4
                    ],
                )
            for f in row["false"]:
                print(
                    name,
                    "false:",
                    f["kind"],
                    "bar",
                    f["bar"],
                    f"{f['at_s']:.2f}",
                    f["confidence"],
                    json.dumps(f["detail"], ensure_ascii=False),
                    "(clean)" if not r["truth"]["faults"] else "",
                )
            if row["wrong_verdicts"]:
                print(
                    name,
                    "verdicts (bar, q, truth, said):",
                    row["wrong_verdicts"][:8],
                    len(row["wrong_verdicts"]),
                )
    tables: dict[str, Any] = {}
    for title, chosen in (
        ("standard", [r for r in rows if not r["rough"] and not r["truth"].get("rhythm")]),
        ("rough", [r for r in rows if r["rough"]]),
        ("rhythm", [r for r in rows if r["truth"].get("rhythm")]),
    ):
        if chosen:
            tables[title] = table_of(chosen)
            show(title, tables[title])
    by_kind: dict[str, list[int]] = {}
    for r in rows:
        for k, v in r["kinds"].items():
            by_kind[k] = [a + b for a, b in zip(by_kind.get(k, [0, 0, 0]), v, strict=True)]
    print("\nkind: found of planted, false")
    for k, (hit, planted, false) in sorted(by_kind.items()):
        print(f"  {k:22} {hit:4}/{planted:<4} {false:4}")
    tables["by kind"] = {
        k: {"found": v[0], "planted": v[1], "false": v[2]} for k, v in sorted(by_kind.items())
    }
    tables["by instrument"] = split(rows, lambda r: [r["truth"]["instrument"]])
    tables["by condition"] = split(
        rows, lambda r: [*r["truth"].get("conditions", []), str(r["truth"].get("sound", "")).split(" ")[0]]
    )
    for title in ("by instrument", "by condition"):
        print(f"\n{title}: takes, agreement, found, precision")
        for name, v in tables[title].items():
            print(f"  {name:28} {v['takes']:4} {v['agree']:.4f} {v['found']:.3f} {v['precision']:.3f}")
    tables["by threshold"] = by_threshold(results, kinds, leave)
    print(
        "\nif a finding were said surely from another confidence on: found, findings that match, "
        "false per 100 clean notes (standard; rough)"
    )
    for sure, group in tables["by threshold"].items():
        print(
            f"  {sure}  "
            + ";  ".join(f"{g['found']:.3f} {g['match']:.3f} {g['false']:.2f}" for g in group.values())
        )
    confused = Counter((a, b) for r in rows for a, b in r["confusion"] if a != b)
    tables["confusion"] = [{"planted": a, "said": b, "times": n} for (a, b), n in confused.most_common()]
    if not options.no_speed:
        tables["speed"] = speed(cases[:: max(1, len(cases) // 12)][:12])
        print("\n" + "\n".join(f"{k}: {v}" for k, v in tables["speed"].items()))
    if options.json:
        Path(options.json).write_text(
            json.dumps(tables, indent=1, ensure_ascii=False) + "\n", encoding="utf-8"
        )


if __name__ == "__main__":
    main()
