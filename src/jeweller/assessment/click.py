"""Playing with a click: a constant lag behind it, or before it, told apart from unsteadiness; and a tempo
that was asked for.
"""

from __future__ import annotations

import math

import numpy as np

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, bounded_confidence, rests_on
from jeweller.assessment.limits import CLICK_LIMITS
from jeweller.notes.table import Click


def assess_click(case: AssessmentContext, click: Click | None) -> list[Finding]:
    """`off_click`: the circular mean lag of the onsets, where it is constant."""
    if click is None:
        return []
    s = case.settings
    placed = [
        (i, float(n.onset) / case.beat_q, e.on_s)
        for i, n in enumerate(case.notes)
        if (e := case.event(i)) is not None
    ]
    if len(placed) < CLICK_LIMITS.least_notes:
        return []
    phase = np.array([(t - click.at_s) / click.beat_s - b for _, b, t in placed])
    mean = np.exp(2j * np.pi * phase).mean()
    lag = float(np.angle(mean) / (2 * np.pi))
    together = float(np.abs(mean))
    if together < CLICK_LIMITS.together or abs(lag) < 0.7 * s.click_share:
        return []
    error = (
        math.sqrt(max(-2.0 * math.log(together), 1e-6)) / (2 * math.pi) / math.sqrt(len(placed))
        + s.onset_error_s / click.beat_s
    )
    _first, last = case.sounded(placed[0][0]), case.sounded(placed[-1][0])
    return [
        case.finding(
            placed[0][0],
            "off_click",
            until_s=last.off_s,
            notes=(),
            score_ids=("whole",),
            confidence=bounded_confidence(abs(lag), s.click_share, error),
            severity=0.5,
            cause="behind_the_click" if lag > 0 else "ahead_of_the_click",
            detail={
                "beats": round(lag, 2),
                "seconds": round(lag * click.beat_s, 3),
                "rests_on": rests_on("click_share", abs(lag), s.click_share, error, "beats"),
                "click_bpm": round(60.0 / click.beat_s * case.beat_q, 1),
            },
        )
    ]


def assess_tempo(case: AssessmentContext, asked_bpm: float | None) -> list[Finding]:
    """`wrong_tempo`: the take's own tempo against the one asked for (quarters a minute)."""
    f = case.table
    sounded = [i for i in range(len(case.notes)) if case.event(i) is not None]
    if asked_bpm is None or len(sounded) < CLICK_LIMITS.least_notes:
        return []
    played = 60.0 / f.take_spq
    away = abs(math.log(played / asked_bpm))
    limit = math.log(1.0 + case.settings.asked_share)
    if away < 0.8 * limit:
        return []
    _first, last = case.sounded(sounded[0]), case.sounded(sounded[-1])
    return [
        case.finding(
            sounded[0],
            "wrong_tempo",
            until_s=last.off_s,
            notes=(),
            score_ids=("whole",),
            confidence=bounded_confidence(away, limit, 0.015),
            severity=0.4,
            detail={
                "played": round(played),
                "asked": round(asked_bpm),
                "rests_on": rests_on(
                    "asked_share", math.exp(away) - 1.0, case.settings.asked_share, 0.015, "share"
                ),
            },
        )
    ]
