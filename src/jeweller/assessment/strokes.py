"""The lines of a drum part: which was struck, told by sound where the strokes of this take can be told apart,
else by time alone.
"""

from __future__ import annotations

import math

import numpy as np

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, rests_on
from jeweller.assessment.limits import STROKES_LIMITS
from jeweller.i18n import N_


def assess_strokes(case: AssessmentContext) -> list[Finding]:
    """`wrong_note` where another line of the part was struck than is written."""
    strokes = [s for s in case.table.strokes if case.event(s.index) is not None]
    names = [case.notes[s.index].written.stroke for s in strokes]
    lines = [n for n in dict.fromkeys(names) if n and names.count(n) >= STROKES_LIMITS.least_strokes]
    known = [(s, n) for s, n in zip(strokes, names, strict=True) if n in lines]
    if len(lines) < 2:
        return []
    shapes = np.array([s.shape for s, _ in known])
    label = np.array([lines.index(n) for _, n in known])
    distance = _distances(shapes, label, len(lines))
    nearest = distance.argmin(axis=1)
    if float((nearest == label).mean()) < STROKES_LIMITS.apart:
        return []
    found = []
    for (s, name), own, near, row in zip(known, label, nearest, distance, strict=True):
        event = case.event(s.index)
        if own == near or event is None:
            continue
        odds = float(row[own] - row[near])
        setting = case.settings.stroke_odds
        found.append(
            case.finding(
                s.index,
                "wrong_note",
                confidence=1.0 / (1.0 + math.exp(-max(-20.0, min(20.0, 0.5 * (odds - setting))))),
                severity=0.8,
                detail={
                    "written": name,
                    "heard": lines[int(near)],
                    "stroke": True,
                    "rests_on": rests_on("stroke_odds", odds, setting, 1.0, N_("log odds")),
                },
            )
        )
    return found


def _distances(shapes: np.ndarray, label: np.ndarray, lines: int) -> np.ndarray:  # type: ignore[type-arg]
    """Half the squared distance of each stroke to the median sound of each line, itself left out, in spreads
    of the strokes of one line, (S, lines).
    """
    middle = np.array([np.median(shapes[label == k], axis=0) for k in range(lines)])
    spread = np.maximum(
        1.4826 * np.median(np.abs(shapes - middle[label]), axis=0), STROKES_LIMITS.spread_floor
    )
    out = np.empty((len(shapes), lines))
    for i in range(len(shapes)):
        others = np.arange(len(shapes)) != i
        for k in range(lines):
            centre = np.median(shapes[others & (label == k)], axis=0)
            out[i, k] = 0.5 * float(np.minimum(((shapes[i] - centre) / spread) ** 2, 9.0).sum())
    return out
