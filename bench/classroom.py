#!/usr/bin/env python3
"""What is said of a classroom: takes of beginners' habits by family, made and scored.

    bench/classroom.py make SET FOLDER --takes N [--first N] [--bank FOLDER] [--speech FOLDER]
        [--family NAME]
    bench/classroom.py score FOLDER [FOLDER ...] [--json OUT] [--reports FOLDER] [--verbose] [--by case]
        [--off COMPONENT]

`told`: everything a teacher would say is said for sure (of a take that does not hold the whole part: which
bars it holds), and nothing where nothing is to be said; `one`: in no more findings than there are things to
say; `false`: sure findings that are none of them. A finding is one of the things to say when it has one of
its kinds and lies in one of its bars.
"""

from __future__ import annotations

import os

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

import argparse
import json
import traceback
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

SURE = 0.5


def make(job: tuple[str, int, str, str | None, str | None]) -> str:
    from jeweller.simulator.classroom import make_classroom_take
    from jeweller.simulator.truth import write_take

    kind, number, folder, bank, speech = job
    take = make_classroom_take(
        kind, number, bank=Path(bank) if bank else None, speech=Path(speech) if speech else None
    )
    return write_take(take, Path(folder)).name


def check_one(job: tuple[Path, Path | None, str]) -> dict[str, Any]:
    from components import switched_off
    from jeweller.pipeline.check import check

    case, reports, off = job
    truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
    try:
        with switched_off(off):
            report: dict[str, Any] = dict(check(case / "score.musicxml", next(case.glob("take.*"))).report)
    except Exception as error:  # noqa: BLE001 -- whatever it is, the other takes are scored
        report = {"error": f"{error!r}\n{traceback.format_exc()}", "findings": [], "followed": False}
    if reports is not None:
        (reports / f"{case.name}.json").write_text(json.dumps(report, ensure_ascii=False), encoding="utf-8")
    return judge_case(case.name, truth, report)


def belongs(finding: dict[str, Any], wanted: dict[str, Any]) -> bool:
    bars = {finding["bar"], *finding.get("places", ())}
    return finding["kind"] in wanted["kinds"] and bool(bars & set(wanted["bars"]))


def judge_case(name: str, truth: dict[str, Any], report: dict[str, Any]) -> dict[str, Any]:
    sure = [f for f in report["findings"] if f["confidence"] >= SURE]
    expected = truth["expected"]
    right = [[f for f in sure if belongs(f, wanted)] for wanted in expected]
    false = [f for f in sure if not any(belongs(f, w) for w in expected)]
    bars = (report.get("heard") or {}).get("bars")
    heard = None if truth["heard"] is None else bars == "-".join(truth["heard"])
    told = all(right) and heard is not False and report.get("followed", False)
    if not expected:
        told = told and not false
    causes = [
        any(f["cause"] == w["cause"] for f in found)
        for w, found in zip(expected, right, strict=True)
        if w["cause"] and found
    ]
    return {
        "name": name,
        "family": truth["family"],
        "case": truth["case"],
        "told": bool(told),
        "one": bool(told) and len(sure) <= len(expected),
        "false": [f"{f['kind']} {f['bar']} {f['confidence']:.2f}" for f in false],
        "sure": [f"{f['kind']} {f['bar']} x{f['count']}" for f in sure],
        "expected": [f"{'/'.join(w['kinds'])} {','.join(w['bars'])}" for w in expected],
        "heard": heard,
        "causes": causes,
        "refused": not report.get("followed", False),
        "error": report.get("error"),
    }


def tabulate(rows: list[dict[str, Any]], key: str) -> dict[str, dict[str, Any]]:
    groups: dict[str, list[dict[str, Any]]] = defaultdict(list)
    for row in rows:
        groups[row[key]].append(row)
        groups["all"].append(row)
    out = {}
    for name, some in groups.items():
        habits = [r for r in some if r["expected"]]
        causes = [c for r in some for c in r["causes"]]
        out[name] = {
            "takes": len(some),
            "told": sum(r["told"] for r in some) / len(some),
            "one": sum(r["one"] for r in habits) / len(habits) if habits else None,
            "false": sum(len(r["false"]) for r in some) / len(some),
            "cause": sum(causes) / len(causes) if causes else None,
            "refused": sum(r["refused"] for r in some),
            "crashed": sum(r["error"] is not None for r in some),
        }
    return out


def show(table: dict[str, dict[str, Any]]) -> None:
    print(f"{'':38} takes  told   one  false  cause refused crashed")
    for name, r in sorted(table.items(), key=lambda item: (item[0] == "all", item[0])):
        one, cause = ("    -" if r[k] is None else f"{r[k]:5.2f}" for k in ("one", "cause"))
        figures = f"{r['takes']:5} {r['told']:5.2f} {one} {r['false']:6.2f}  {cause}"
        print(f"{name:38} {figures} {r['refused']:7} {r['crashed']:7}")


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    commands = parser.add_subparsers(dest="command", required=True)
    making = commands.add_parser("make")
    making.add_argument("set", choices=("tune", "validation", "test"))
    making.add_argument("folder")
    making.add_argument("--takes", type=int, default=110)
    making.add_argument("--first", type=int, default=0)
    making.add_argument("--bank")
    making.add_argument("--speech")
    making.add_argument("--family", help="takes of this family alone")
    scoring = commands.add_parser("score")
    scoring.add_argument("folders", nargs="+")
    scoring.add_argument("--json")
    scoring.add_argument("--reports", help="a folder that is given every report")
    scoring.add_argument(
        "--verbose", action="store_true", help="a line for each take that is not told as one"
    )
    scoring.add_argument("--by", choices=("family", "case"), default="family")
    scoring.add_argument("--family", help="this family alone")
    scoring.add_argument("--off", default="", help="a component to switch off: see bench/components.py")
    o = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        if o.command == "make":
            from jeweller.simulator.classroom import FAMILIES

            step, place = (len(FAMILIES), FAMILIES.index(o.family)) if o.family else (1, 0)
            numbers = [o.first + place + step * k for k in range(o.takes)]
            jobs = [(o.set, n, o.folder, o.bank, o.speech) for n in numbers]
            print(len(list(pool.map(make, jobs, chunksize=4))), "takes in", o.folder)
            return
        cases = [
            c for folder in o.folders for c in sorted(Path(folder).iterdir()) if (c / "truth.json").exists()
        ]
        if o.family:
            cases = [c for c in cases if json.loads((c / "truth.json").read_text())["family"] == o.family]
        reports = Path(o.reports) if o.reports else None
        if reports is not None:
            reports.mkdir(parents=True, exist_ok=True)
        rows = list(pool.map(check_one, [(c, reports, o.off) for c in cases], chunksize=2))
    if o.verbose:
        for r in rows:
            if not r["told"] or r["false"] or (r["expected"] and not r["one"]):
                print(f"{r['name']} {r['family']}/{r['case']}{' REFUSED' if r['refused'] else ''}")
                print(
                    f"    asked {r['expected']}\n    said {r['sure']} false {r['false']} heard {r['heard']}"
                )
                if r["error"]:
                    print(r["error"])
    table = tabulate(rows, o.by)
    show(table)
    if o.json:
        Path(o.json).write_text(json.dumps({"table": table, "takes": rows}, indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
