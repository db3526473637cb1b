#!/usr/bin/env python3
"""Accuracy and speed of the ear on a folder of takes with known truth, as a table and as JSON.

    .venv/bin/python bench/ear.py TAKES [--workers 2] [--json OUT]

TAKES holds one folder a case: score.musicxml, take.*, truth.json (notes with verdict and on_s; faults with kind, bar, at_s, until_s).
Accuracy is counted note by note; findings are matched to faults one to one, by kind and by bar or time. Speed is a multiple of the yardstick:
rfft of the same recording at 22.05 kHz mono, float32, one thread, Hann window, 5 ms hop, 4096 points, magnitudes kept, timed in the same run.
Intervals are bootstrapped by take. Whoever has a scorer of their own may use that; this one needs nothing beside the program.
"""

from __future__ import annotations

import argparse
import json
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from scipy import fft as sfft


def yardstick(samples: np.ndarray) -> float:
    """Seconds for the reference transform of a recording at 22.05 kHz."""
    window = np.hanning(4096).astype(np.float32)
    padded = np.pad(samples, (2048, 4096))
    begin = time.perf_counter()
    for start in range(0, len(samples) // 110, 1024):
        index = (np.arange(start, min(len(samples) // 110, start + 1024)) * 110)[:, None] + np.arange(4096)
        np.abs(sfft.rfft(padded[index] * window, axis=1, workers=1))
    return time.perf_counter() - begin


def run_case(folder: str) -> dict[str, Any]:
    """One take: what was reported, what was planted, and the times."""
    from jeweller.audio.decode import decode
    from jeweller.check import check

    case = Path(folder)
    truth = json.loads((case / "truth.json").read_text())
    take = next(p for p in sorted(case.glob("take.*")))
    check(case / "score.musicxml", take)  # warm
    begin = time.perf_counter()
    report = check(case / "score.musicxml", take).report
    seconds = time.perf_counter() - begin
    return {"truth": truth, "report": report, "seconds": seconds, "yardstick": yardstick(decode(take, 22050).samples)}


def count(result: dict[str, Any]) -> dict[str, float]:
    """The counts of one take that the figures are made of."""
    truth, report = result["truth"], result["report"]
    waiting: dict[tuple[str, float], list[dict[str, Any]]] = {}
    for n in report["notes"]:
        if not n["grace"]:
            waiting.setdefault((n["bar"], round(n["offset_q"], 2)), []).append(n)
    out = dict.fromkeys(("notes", "agree", "tp", "fp", "fn", "faults", "hits", "findings", "clean_notes", "clean_false", "clean_unsure"), 0.0)
    errors = []
    for t in truth["notes"]:
        place = waiting.get((str(t["bar"]), round(t["q"], 2)))
        got = place.pop(0) if place else {"verdict": None, "heard": None}
        bad, want = got["verdict"] in ("wrong", "missed"), t["verdict"] != "ok"
        out["notes"] += 1
        out["agree"] += got["verdict"] == t["verdict"]
        out["tp"] += bad and want
        out["fp"] += bad and not want
        out["fn"] += want and not bad
        if got["verdict"] == t["verdict"] == "ok" and got["heard"]:
            errors.append(abs(got["heard"]["on_s"] - t["on_s"]))
    sure = [f for f in report["findings"] if f["confidence"] >= 0.5 and f["kind"] not in ("tuned_high", "tuned_low")]
    left = list(sure)
    for fault in truth["faults"]:
        hit = next((f for f in left if f["kind"] == fault["kind"] and (f["bar"] == str(fault["bar"]) or
                                                                     (f["at_s"] - 1 <= fault["until_s"] and fault["at_s"] - 1 <= f["until_s"]))), None)
        out["faults"] += 1
        if hit is not None:
            out["hits"] += 1
            left.remove(hit)
    out["findings"] = len(sure)
    if not truth["faults"]:
        out["clean_notes"], out["clean_false"] = len(truth["notes"]), len(left)
        out["clean_unsure"] = sum(f["confidence"] < 0.5 for f in report["findings"])
    out["onset_ms"] = 1000 * float(np.median(errors)) if errors else float("nan")
    return out


FIGURES = {
    "verdict agrees with the truth": lambda t: t["agree"] / t["notes"],
    "F1 on wrong and missed notes": lambda t: 2 * t["tp"] / max(1, 2 * t["tp"] + t["fp"] + t["fn"]),
    "false findings per 100 clean notes": lambda t: 100 * t["clean_false"] / max(1, t["clean_notes"]),
    "unsure findings per 100 clean notes": lambda t: 100 * t["clean_unsure"] / max(1, t["clean_notes"]),
    "planted faults found": lambda t: t["hits"] / max(1, t["faults"]),
    "findings that match a fault": lambda t: t["hits"] / max(1, t["findings"]),
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("takes")
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--json")
    options = parser.parse_args()
    cases = [str(p) for p in sorted(Path(options.takes).iterdir()) if (p / "truth.json").exists()]
    with ProcessPoolExecutor(options.workers) as pool:
        results = list(pool.map(run_case, cases))
    rows = [count(r) for r in results]
    keys = [k for k in rows[0] if k != "onset_ms"]

    def total(chosen: list[dict[str, float]]) -> dict[str, float]:
        return {k: sum(r[k] for r in chosen) for k in keys}

    rng = np.random.default_rng(0)
    draws = [total([rows[i] for i in rng.integers(0, len(rows), len(rows))]) for _ in range(500)]
    table: dict[str, Any] = {"takes": len(rows), "notes": total(rows)["notes"], "faults": total(rows)["faults"], "clean notes": total(rows)["clean_notes"]}
    print(f"{len(rows)} takes, {table['notes']:.0f} notes, {table['faults']:.0f} planted faults, {table['clean notes']:.0f} notes of clean takes")
    for name, figure in FIGURES.items():
        low, high = np.percentile([figure(d) for d in draws], [2.5, 97.5])
        table[name] = {"value": round(figure(total(rows)), 4), "low": round(float(low), 4), "high": round(float(high), 4)}
        print(f"  {name:38} {figure(total(rows)):8.4f}   ({low:.4f} to {high:.4f})")
    onset = float(np.nanmedian([r["onset_ms"] for r in rows]))
    ratio = float(np.median([r["seconds"] / r["yardstick"] for r in results]))
    minute = float(np.median([60 * r["seconds"] / r["report"]["take"]["duration_s"] for r in results]))
    table |= {"median onset error ms": round(onset, 1), "check as a multiple of the yardstick": round(ratio, 2), "seconds per minute of music": round(minute, 2)}
    print(f"  {'median onset error, ms':38} {onset:8.1f}\n  {'check, multiple of the yardstick':38} {ratio:8.2f}\n  {'seconds per minute of music':38} {minute:8.2f}")
    if options.json:
        Path(options.json).write_text(json.dumps(table, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
