"""Candidate boundaries: times where a note could begin or end, 5 to 15 a second."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.settings import CANDIDATES, AlignmentSettings
from jeweller.alignment.tongues import score_tongues
from jeweller.features.extraction import Features

Array = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Candidates:
    """`frame` are pitch frames, ascending; `attack` (0..1.5) and `change` (0..1) say how strongly something
    begins there.
    """

    frame: npt.NDArray[np.int64]
    attack: Array
    change: Array
    fresh: Array  # 0 or 1: an attack out of silence
    tongue: Array  # nats for a new note of the same pitch, against one that goes on


def compute_novelty(features: Features, span: int) -> Array:
    """1 - cosine of the pitch evidence before and after each pitch frame, 0..1, weighted by loudness. Shape
    (T,).

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> from jeweller.features.extraction import extract_features
    >>> features = extract_features(tone, 60, 72)
    >>> compute_novelty(features, 5).shape == features.f0.shape
    True
    """
    strength = np.maximum(features.salience - 0.5 * features.best[:, None], 0.0) ** 2
    total = np.cumsum(np.vstack([np.zeros((1, strength.shape[1]), np.float32), strength]), axis=0)
    t = np.arange(len(strength))
    before = total[t] - total[np.maximum(t - span, 0)]
    after = total[np.minimum(t + span, len(t))] - total[t]
    norm = np.sqrt((before**2).sum(1) * (after**2).sum(1)) + 1e-6
    return (1.0 - (before * after).sum(1) / norm).astype(np.float32)


def pick_peaks(curve: Array, minimum: float, gap: int) -> npt.NDArray[np.int64]:
    """Local maxima of at least `minimum`, the larger first where two are closer than `gap` frames.

    >>> import numpy as np
    >>> pick_peaks(np.array([0.0, 1.0, 0.0, 0.4, 0.0, 0.9, 0.0]), 0.5, 1).tolist()
    [1, 5]
    """
    if len(curve) < 3:
        return np.zeros(0, np.int64)
    found = (
        np.nonzero((curve[1:-1] > curve[:-2]) & (curve[1:-1] >= curve[2:]) & (curve[1:-1] >= minimum))[0] + 1
    )
    taken = np.zeros(len(curve) + 2 * gap + 1, bool)
    kept = []
    for k in found[np.argsort(-curve[found], kind="stable")]:
        if not taken[k + gap]:
            kept.append(k)
            taken[k : k + 2 * gap + 1] = True
    return np.array(sorted(kept), np.int64)


def find_candidates(features: Features, s: AlignmentSettings, *, pitched: bool = True) -> Candidates:
    """Attacks, changes of pitch, and a sparse grid where there is neither. Without `pitched`, attacks of
    sounds without pitch count as well.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> from jeweller.features.extraction import extract_features
    >>> features = extract_features(tone, 60, 72)
    >>> from jeweller.alignment.settings import DEFAULT
    >>> candidates = find_candidates(features, DEFAULT)
    >>> len(candidates.frame) >= 2
    True
    """
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    frames = len(features.best)
    ratio = round(features.step_s / features.hop_s)
    loudness = np.clip(
        (features.level[::ratio][:frames] - (features.loud_db - s.quiet_db)) / 10.0, 0.0, 1.0
    ).astype(np.float32)
    sounding = np.clip((features.level[::ratio][:frames] - features.floor_db - 3.0) / 6.0, 0.0, 1.0)
    if pitched:
        sounding = sounding * np.clip((features.best - 0.35) / 0.3, 0.0, 1.0)
    change = compute_novelty(features, s.novelty_span) * np.minimum(1.0, loudness + 0.2)
    change[: s.novelty_span] = 0
    attacks = pick_peaks(
        features.flux, s.flux_min, round((s.flux_gap_s if pitched else s.stroke_gap_s) / features.hop_s)
    )
    candidates = {int(k) // ratio for k in attacks}
    for k in pick_peaks(change, s.novelty_min, 4) if pitched else ():
        if not any(int(k) + d in candidates for d in (-3, -2, -1, 0, 1, 2, 3)):
            candidates.add(int(k))
    candidates |= {0, frames - 1}
    ordered = sorted(candidates)
    step = max(1, round(s.fill_s / features.step_s))
    filled: list[int] = []
    for left, right in zip(ordered, [*ordered[1:], ordered[-1]], strict=True):
        filled.append(left)
        pieces = (right - left) // step
        filled.extend(left + (right - left) * j // (pieces + 1) for j in range(1, pieces + 1))
    frame = np.array(sorted(set(filled)), np.int64)
    attack = np.zeros(len(frame), np.float32)
    moved = np.zeros(len(frame), np.float32)
    for d in range(-3 * ratio, 3 * ratio + 1):
        attack = np.maximum(attack, features.flux[np.clip(frame * ratio + d, 0, len(features.flux) - 1)])
    for d in range(-3, 4):
        moved = np.maximum(moved, change[np.clip(frame + d, 0, frames - 1)])
    # Nothing begins where no sound follows: noise has attacks of its own.
    reach = round(CANDIDATES.sound_reach_s / features.step_s)
    after = maximum_filter1d(sounding, 2 * reach + 1, origin=-reach, mode="nearest")[frame]
    attack = np.minimum(attack * after, 1.5)
    quiet = minimum_filter1d(
        features.level,
        round(2 * CANDIDATES.fresh_s / features.hop_s) + 1,
        origin=round(CANDIDATES.fresh_s / features.hop_s),
        mode="nearest",
    )
    loud = maximum_filter1d(
        features.level,
        round(2 * CANDIDATES.fresh_s / features.hop_s) + 1,
        origin=-round(CANDIDATES.fresh_s / features.hop_s),
        mode="nearest",
    )
    k = np.clip(frame * ratio, 0, len(features.level) - 1)
    silent = quiet[k] < max(features.loud_db - CANDIDATES.fresh_below_db, features.floor_db + 6.0)
    fresh = (
        (attack > CANDIDATES.fresh_attack) & silent & (loud[k] > quiet[k] + CANDIDATES.fresh_rise_db)
    ).astype(np.float32)
    tongue = score_tongues(features, frame) if pitched else np.zeros(len(frame), np.float32)
    return Candidates(frame, attack, np.minimum(moved * after, 1.0), fresh, tongue)
