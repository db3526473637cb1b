#!/usr/bin/env python3
"""The tables of docs/accuracy.md from what was measured.

    bench/ear.py RECORDED --shared-rules --json REC.json; bench/ear.py BANKS --shared-rules --json BANKS.json
    bench/classroom.py score FOLDER ... --json CLASS.json
    bench/tables.py REC.json BANKS.json CLASS.json

Prints Markdown: the figures beside those asked for, kinds, instruments, conditions, and the classroom.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

ASKED = {
    "verdict agrees with the truth": "0.999 / 0.996",
    "F1 on wrong and missed notes": "0.98 / 0.96",
    "false findings per 100 clean notes": "0.15 / 0.4",
    "planted faults found": "0.95 / 0.90",
    "findings that match a fault": "0.95 / 0.92",
    "findings per planted fault": "1.1",
    "near misses that were reported": "",
}


def told(figure: dict[str, float]) -> str:
    digits = 4 if figure["low"] > 0.98 else 2
    return f"{figure['value']:.{digits}f} ({figure['low']:.{digits}f} to {figure['high']:.{digits}f})"


def figures(sources: list[dict[str, Any]]) -> Iterator[str]:
    yield "| | asked | recorded, standard | recorded, rough | banks, standard | banks, rough |"
    yield "|---|---|---|---|---|---|"
    sets = [s[kind] for s in sources for kind in ("standard", "rough")]
    for name, asked in ASKED.items():
        yield f"| {name} | {asked} | " + " | ".join(told(s[name]) for s in sets) + " |"
    onsets = " | ".join(f"{s['median onset error ms']:.1f}" for s in sets)
    yield f"| onset times, median error, ms | 18; banks 12 / 14 | {onsets} |"
    cells = " | ".join(f"{s['calibration']['error']:.3f}; {s['calibration']['area']:.2f}" for s in sets)
    yield f"| expected calibration error; area | 0.04 | {cells} |"
    yield ""
    counts = (f"{s['takes']} takes, {s['notes']:.0f} notes, {s['faults']:.0f} faults" for s in sets)
    yield "; ".join(counts) + "."


def by_kind(sources: list[dict[str, Any]]) -> Iterator[str]:
    yield "| kind | found | false | | kind | found | false |"
    yield "|---|---|---|---|---|---|---|"
    kinds: dict[str, list[int]] = {}
    for source in sources:
        for kind, row in source["by kind"].items():
            sums = kinds.setdefault(kind, [0, 0, 0])
            for k, name in enumerate(("found", "planted", "false")):
                sums[k] += row[name]
    cells = [f"`{k}` | {f} of {p} | {x}" for k, (f, p, x) in sorted(kinds.items())]
    half = (len(cells) + 1) // 2
    cells += [" | | "] * (2 * half - len(cells))
    for left, right in zip(cells[:half], cells[half:], strict=True):
        yield f"| {left} | | {right} |"


def by(name: str, sources: list[dict[str, Any]]) -> Iterator[str]:
    yield f"| {name} | takes | agreement | found | match | | takes | agreement | found | match |"
    yield "|---|---|---|---|---|---|---|---|---|---|"
    for key in sorted({k for s in sources for k in s[f"by {name}"]}):
        rows = [s[f"by {name}"].get(key) for s in sources]
        cells = (
            "| | | " if r is None else f"{r['takes']} | {r['agree']:.4f} | {r['found']} | {r['precision']}"
            for r in rows
        )
        yield f"| {key} | " + " | | ".join(cells) + " |"


def classroom(table: dict[str, Any]) -> Iterator[str]:
    yield "| family | takes | told | as one | false |"
    yield "|---|---|---|---|---|"
    for family, row in sorted(table.items(), key=lambda item: (item[0] == "all", item[0])):
        one = "" if row["one"] is None else f"{row['one']:.2f}"
        yield f"| {family} | {row['takes']} | {row['told']:.2f} | {one} | {row['false']:.2f} |"


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("files", nargs=3)
    recorded, banks, lines = (json.loads(Path(f).read_text()) for f in parser.parse_args().files)
    sources = [recorded, banks]
    for part in (
        figures(sources),
        by_kind(sources),
        by("instrument", sources),
        by("condition", sources),
        classroom(lines["table"]),
    ):
        print("\n".join(part), end="\n\n")


if __name__ == "__main__":
    main()
