"""Marking schemes: what each facet weighs, and how a mark is added up.

What a finding takes off its facet: its severity, more for a habit (a quarter of it for every further place), spread over the length played
(per eight bars). A facet can lose no more than all of its weight. Unsure findings and tuning advice take nothing off.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from jeweller.errors import SettingError
from jeweller.judge.finding import FACETS, SURE, UNMARKED, Finding

OUT_OF = 20
BARS_UNIT = 8.0  # a slip weighs fully in eight bars, half in sixteen
HABIT_SHARE = 0.25


@dataclass(frozen=True)
class Scheme:
    name: str
    title: str
    weights: dict[str, float]  # by facet, summing to 1


def _weights(**heavy: float) -> dict[str, float]:
    base = {"notes": 3.0, "accidentals": 3.0, "count": 3.0, "rhythm": 3.0, "ornaments": 1.0, "articulation": 1.0, "sound": 1.0} | heavy
    total = sum(base.values())
    return {facet: base[facet] / total for facet in FACETS}


SCHEMES = {
    s.name: s
    for s in (
        Scheme("even", "Even weights", _weights()),
        Scheme("rhythm-first", "Rhythm first", _weights(count=5.0, rhythm=5.0, notes=2.0, accidentals=2.0)),
        Scheme("notes-first", "Notes first", _weights(notes=5.0, accidentals=5.0, count=2.0, rhythm=2.0)),
        Scheme("sound-first", "Sound first", _weights(sound=5.0, articulation=3.0)),
    )
}
BANDS = ((0.93, "polished"), (0.80, "nearly there"), (0.60, "taking shape"), (0.0, "still in the rough"))


def find_scheme(name: str) -> Scheme:
    """By name. Raises SettingError, naming what there is."""
    if name not in SCHEMES:
        raise SettingError(f"There is no marking scheme “{name}”; choose {', '.join(SCHEMES)}.")
    return SCHEMES[name]


def taken_off(finding: Finding, bars: int) -> float:
    """What a finding takes off its facet, 0..1."""
    if finding.confidence < SURE or finding.kind in UNMARKED:
        return 0.0
    return finding.severity * (1.0 + HABIT_SHARE * (finding.count - 1)) * min(1.0, BARS_UNIT / max(bars, 1)) * 0.6


def add_up(findings: Sequence[Finding], scheme: Scheme, bars: int, asked: dict[str, int]) -> dict[str, Any]:
    """The report's `mark`: value, out_of, band, scheme, and its parts with the reason for each."""
    parts: list[dict[str, Any]] = []
    share = 0.0
    counted = {f: w for f, w in scheme.weights.items() if asked.get(f, 0)}
    total = sum(counted.values()) or 1.0
    for facet, weight in counted.items():
        mine = [f for f in findings if f.facet == facet]
        losses = [(f, taken_off(f, bars)) for f in mine]
        loss = min(1.0, sum(v for _, v in losses))
        worst = [f.text for f, v in sorted(losses, key=lambda p: -p[1]) if v > 0]
        points = OUT_OF * weight / total
        share += weight / total * (1.0 - loss)
        parts.append({"facet": facet, "weight": round(points, 2), "taken_off": round(points * loss, 2), "why": worst[0] if worst else "clean"})
    value = round(OUT_OF * share * 2) / 2
    return {"value": value, "out_of": OUT_OF, "band": next(b for limit, b in BANDS if value / OUT_OF >= limit), "scheme": scheme.name, "bars": bars,
            "parts": parts}  # fmt: skip


def facet_marks(findings: Sequence[Finding], bars: int, asked: dict[str, int], wrong: dict[str, int]) -> dict[str, dict[str, Any]]:
    """The report's `facets`: asked, right, mark (None where nothing was asked)."""
    out: dict[str, dict[str, Any]] = {}
    for facet in FACETS:
        loss = min(1.0, sum(taken_off(f, bars) for f in findings if f.facet == facet))
        n = asked.get(facet, 0)
        out[facet] = {"asked": n, "right": max(0, n - wrong.get(facet, 0)), "mark": round(1.0 - loss, 3) if n else None}
    return out
