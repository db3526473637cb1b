"""Playing with a click: a constant lag behind it, or before it, told apart from unsteadiness; and a tempo that was asked for."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jeweller.hear.features import Features
from jeweller.judge.case import Case
from jeweller.judge.finding import Finding, bounded_confidence, rests_on

LEAST_NOTES = 8
TOGETHER = 0.85  # length of the mean phase: the lag is constant
HEARD_SHARE = 0.6  # of the beats in which a click must be heard
HEARD_WIDTH = 0.045  # beats (one standard deviation) within which heard clicks lie
AWAY_S = 0.06  # an attack so near a note's own is the note
PEAK = 0.25  # strength of an attack that may be a click


@dataclass(frozen=True)
class Click:
    """A click: seconds a beat, and the moment of one of its strokes."""

    beat_s: float
    at_s: float


def find_click(case: Case, features: Features) -> Click | None:
    """The click in the recording, if one sounds apart from the notes through most of the take; None where none can be told from the notes."""
    f = case.following
    onsets = np.array([e.on_s for e in f.events])
    placed = [(float(n.onset), e.on_s) for i, n in enumerate(case.notes) if (e := case.event(i)) is not None]
    if len(placed) < LEAST_NOTES:
        return None
    q, t = np.array(placed).T
    slope, _ = np.polyfit(q, t, 1)
    beat_s = float(slope) * case.beat_q
    flux = features.flux
    peaks = np.flatnonzero((flux[1:-1] > flux[:-2]) & (flux[1:-1] >= flux[2:]) & (flux[1:-1] > PEAK)) + 1
    at = peaks * features.hop_s
    inside = at[(at > onsets.min() + AWAY_S) & (at < onsets.max())]
    alone = inside[np.abs(inside[:, None] - onsets[None, :]).min(axis=1) > AWAY_S] if len(inside) else inside
    beats = (onsets.max() - onsets.min()) / beat_s
    if len(alone) < HEARD_SHARE * beats or beats < LEAST_NOTES:
        return None
    best: tuple[float, Click] | None = None
    for period in beat_s * np.linspace(0.985, 1.015, 31):
        phase = (alone / period) % 1.0
        grid = np.linspace(0, 1, 40, endpoint=False)
        away = np.abs((phase[None, :] - grid[:, None] + 0.5) % 1.0 - 0.5)
        near = (away < 2 * HEARD_WIDTH).sum(axis=1)
        k = int(near.argmax())
        if best is None or near[k] > best[0]:
            chosen = alone[away[k] < 2 * HEARD_WIDTH]
            middle = np.angle(np.exp(2j * np.pi * chosen / period).mean()) / (2 * np.pi)
            best = float(near[k]), Click(float(period), float(middle * period))
    if best is None or best[0] < HEARD_SHARE * beats:
        return None
    # By chance so many would lie together too, if there are many.
    expected = len(alone) * 4 * HEARD_WIDTH
    return best[1] if best[0] > expected + 6.0 * math.sqrt(expected) else None


def judge_click(case: Case, click: Click | None) -> list[Finding]:
    """`off_click`: the circular mean lag of the onsets, where it is constant."""
    if click is None:
        return []
    s = case.settings
    placed = [(i, float(n.onset) / case.beat_q, e.on_s) for i, n in enumerate(case.notes) if (e := case.event(i)) is not None]
    if len(placed) < LEAST_NOTES:
        return []
    phase = np.array([(t - click.at_s) / click.beat_s - b for _, b, t in placed])
    mean = np.exp(2j * np.pi * phase).mean()
    lag = float(np.angle(mean) / (2 * np.pi))
    together = float(np.abs(mean))
    if together < TOGETHER or abs(lag) < 0.7 * s.click_share:
        return []
    error = math.sqrt(max(-2.0 * math.log(together), 1e-6)) / (2 * math.pi) / math.sqrt(len(placed)) + s.onset_error_s / click.beat_s
    first, last = case.event(placed[0][0]), case.event(placed[-1][0])
    assert first is not None and last is not None
    bar, passing, beat = case.where(placed[0][0])
    return [Finding("off_click", bar, passing, beat, first.on_s, last.off_s, (), ("whole",), bounded_confidence(abs(lag), s.click_share, error), 0.5,
                    cause="behind_the_click" if lag > 0 else "ahead_of_the_click",
                    detail={"beats": round(lag, 2), "seconds": round(lag * click.beat_s, 3),
                            "rests_on": rests_on("click_share", abs(lag), s.click_share, error, "beats"),
                            "click_bpm": round(60.0 / click.beat_s * case.beat_q, 1)})]  # fmt: skip


def judge_tempo(case: Case, asked_bpm: float | None) -> list[Finding]:
    """`wrong_tempo`: the take's own tempo against the one asked for (quarters a minute)."""
    f = case.following
    sounded = [i for i in range(len(case.notes)) if case.event(i) is not None]
    if asked_bpm is None or len(sounded) < LEAST_NOTES:
        return []
    played = 60.0 / f.take_spq
    away = abs(math.log(played / asked_bpm))
    limit = math.log(1.0 + case.settings.asked_share)
    if away < 0.8 * limit:
        return []
    bar, passing, beat = case.where(sounded[0])
    first, last = case.event(sounded[0]), case.event(sounded[-1])
    assert first is not None and last is not None
    return [Finding("wrong_tempo", bar, passing, beat, first.on_s, last.off_s, (), ("whole",), bounded_confidence(away, limit, 0.015), 0.4,
                    detail={"played": round(played), "asked": round(asked_bpm),
                            "rests_on": rests_on("asked_share", math.exp(away) - 1.0, case.settings.asked_share, 0.015, "share")})]  # fmt: skip
