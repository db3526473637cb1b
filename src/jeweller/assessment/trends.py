"""Rushing and dragging: stretches in which the local tempo leaves the take's own."""

from __future__ import annotations

import math

import numpy as np

from jeweller.alignment.tempo import weighted_median
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, bounded_confidence, rests_on
from jeweller.assessment.limits import TIMING_LIMITS
from jeweller.report_format import FindingDetail


def find_trends(case: AssessmentContext, steps: set[int]) -> list[Finding]:
    """Stretches where the local tempo leaves the take's own, with a trend: rushing or dragging."""
    s = case.settings
    rows = [
        v
        for v in case.intervals
        if v.i not in steps and not case.is_free(v.i) and v.quarters > 0 and v.rest_quarters == 0
    ]
    if len(rows) < 2 * TIMING_LIMITS.min_trend_intervals:
        return []
    logs = np.array([math.log(v.seconds / v.quarters) for v in rows])
    quarters = np.array([v.quarters for v in rows])
    take = weighted_median(logs, quarters)
    away = logs - take
    weight = np.minimum(quarters, 2.0)
    noise = max(1.4826 * float(np.median(np.abs(np.diff(away)))) / math.sqrt(2.0), 0.035)
    best: tuple[float, int, int, float, float] | None = None
    ends = np.cumsum(quarters)
    starts = ends - quarters
    for a in range(len(rows)):
        for b in range(a + TIMING_LIMITS.min_trend_intervals, len(rows) + 1):
            length = ends[b - 1] - starts[a]
            if length > TIMING_LIMITS.longest_trend:
                break
            if length < max(s.tempo_quarters, 2.0 * case.beat_q):
                continue
            if rows[b - 1].j - rows[a].i > (b - a) + 2:
                break
            w = weight[a:b]
            part = np.clip(away[a:b], -0.45, 0.45)
            mean = float((w * part).sum() / w.sum())
            error = math.hypot(
                noise / math.sqrt(b - a),
                TIMING_LIMITS.wander * math.sqrt(TIMING_LIMITS.wander_quarters / length),
            )
            z = (abs(mean) - s.tempo_share) / error
            if z < TIMING_LIMITS.trend_z * 0.6 or length > TIMING_LIMITS.trend_most * float(quarters.sum()):
                continue
            if not _has_trend(part, np.sign(mean)):
                continue
            if not _by_more_than_one(w, part, np.sign(mean), s.tempo_share):
                continue
            if best is None or z * math.sqrt(length) > best[0]:
                best = (z * math.sqrt(length), a, b, mean, error)
    if best is None:
        return []
    _, a, b, mean, error = best
    # Back to where the leaving began.
    while a > 0 and away[a - 1] * np.sign(mean) > 0.03 and rows[a - 1].j == rows[a].i:
        a -= 1
    first, last = rows[a], rows[b - 1]
    _on, end = case.sounded(first.i), case.sounded(last.j)
    notes = [case.notes[k] for k in range(first.i, last.j)]
    extreme = float(np.median(away[max(a, b - 4) : b]))
    detail: FindingDetail = {
        "from_bpm": round(60 / math.exp(take)),
        "to_bpm": round(60 / math.exp(take + extreme)),
        "percent": round(100 * (math.exp(-mean) - 1)),
        "quarters": round(float(ends[b - 1] - starts[a]), 1),
        "rests_on": rests_on(
            "tempo_share", abs(mean), s.tempo_share, error, "share", sure_at=TIMING_LIMITS.trend_z
        ),
    }
    return [
        case.finding(
            first.i,
            "dragging" if mean > 0 else "rushing",
            until_s=end.on_s,
            notes=tuple(n.id for n in notes),
            score_ids=tuple(n.score_id for n in notes),
            confidence=bounded_confidence(abs(mean), s.tempo_share, error, sure_at=TIMING_LIMITS.trend_z),
            severity=0.6,
            detail=detail,
        )
    ]


def _by_more_than_one(weight: np.ndarray, part: np.ndarray, sign: float, share: float) -> bool:  # type: ignore[type-arg]
    """Whether the stretch is away from the take's tempo without the interval that is farthest away, too: one
    note out of place moves no tempo.
    """
    rest = np.arange(len(part)) != int((sign * weight * part).argmax())
    return bool(sign * (weight[rest] * part[rest]).sum() > share * weight[rest].sum())


def _has_trend(part: np.ndarray, sign: float) -> bool:  # type: ignore[type-arg]
    """The stretch moves away from the take's tempo: its last third is farther off than its first."""
    third = max(1, len(part) // 3)
    return bool(sign * (np.median(part[-third:]) - np.median(part[:third])) > 0.02)
