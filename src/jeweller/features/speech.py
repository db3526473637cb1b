"""Whether a recording holds tones or words: tones stay where they are for a while, the pitch of a voice that
speaks moves all the time.
"""

from __future__ import annotations

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from jeweller.features.extraction import Array, extract_features
from jeweller.features.settings import DEFAULT, SPEECH, FeatureSettings


def measure_held_and_voiced(samples: Array, settings: FeatureSettings = DEFAULT) -> tuple[float, float]:
    """(share of the sounding time in which a tone is held, share that has a pitch), of the first half minute;
    (0, 0) for silence.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> held, voiced = measure_held_and_voiced(tone)
    >>> held > 0.9, voiced > 0.9
    (True, True)
    """
    features = extract_features(
        samples[: round(SPEECH.heard_s * settings.rate)], SPEECH.low, SPEECH.high, settings
    )
    level = features.level[:: round(features.step_s / features.hop_s)]
    n = min(len(level), len(features.f0))
    loud = level[:n] > features.loud_db - SPEECH.near_db
    voiced = loud & (features.best[:n] > SPEECH.clear) & np.isfinite(features.f0[:n])
    width = max(2, round(SPEECH.hold_s / features.step_s))
    if n < width or not loud.any():
        return 0.0, 0.0
    pitch = sliding_window_view(np.where(voiced, features.f0[:n], np.nan), width)
    whole = sliding_window_view(voiced, width).all(axis=1)
    apart = np.abs((pitch[whole] - np.median(pitch[whole], axis=1, keepdims=True) + 6.0) % 12.0 - 6.0).max(
        axis=1, initial=0.0
    )
    held = np.zeros(n, dtype=bool)
    for start in np.flatnonzero(whole)[apart < SPEECH.hold]:
        held[start : start + width] = True
    return float(held.sum() / loud.sum()), float(voiced.sum() / loud.sum())
