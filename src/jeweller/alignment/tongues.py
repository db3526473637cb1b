"""Whether a note of the same pitch begins at a moment: growth of the spectrum says it, but so does the crest
of a vibrato; the dip of the loudness before it and of the periodicity in it tell the two apart.

A logistic regression that `bench/tongues.py` fitted on simulated and recorded notes gives the log-likelihood
ratio.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.alignment.settings import TONGUES
from jeweller.features.extraction import Features
from jeweller.regression import read_regression

Array = npt.NDArray[np.float32]
FITTED = Path(__file__).parent / "tongue.json"


def measure_tongues(features: Features, frame: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
    """What tells a tongue at each of some pitch frames, (N, 6): spectral growth, the dip of the loudness
    (log, dB / 10), its rise (dB / 10), the loss of periodicity (plain, log).

    >>> from jeweller.features.extraction import extract_features
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> measure_tongues(extract_features(tone, 60, 72), np.array([20, 40])).shape
    (2, 6)
    """
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    t, ratio = TONGUES, round(features.step_s / features.hop_s)
    level = features.level.astype(np.float64)
    at = np.clip(frame * ratio, 0, len(level) - 1)

    def over(
        values: npt.NDArray[np.float64], begin_s: float, end_s: float, step_s: float, least: bool
    ) -> Array:
        """The least or most of `values` in a stretch around every place."""
        a, b = round(begin_s / step_s), round(end_s / step_s)
        size = b - a + 1
        # scipy's window of `size` at k spans k - size // 2 - origin ...; this one is to span k + a ... k + b
        origin = -(a + size // 2)
        pad = size + abs(origin)
        padded = np.pad(values, pad, mode="edge")
        found = (minimum_filter1d if least else maximum_filter1d)(padded, size)
        return np.asarray(np.roll(found, origin)[pad:-pad])

    least = over(level, -t.dip_before_s, t.dip_after_s, features.hop_s, True)[at]
    after = over(level, 0.0, t.after_s, features.hop_s, False)[at]
    before = over(level, -t.before_s, -t.apart_s, features.hop_s, False)[at]
    flux = over(features.flux.astype(np.float64), -t.near_s, t.near_s, features.hop_s, False)[at]
    clear = over(features.best.astype(np.float64), -t.dip_before_s, t.dip_after_s, features.step_s, True)
    lost = 1.0 - clear[np.clip(frame, 0, len(clear) - 1)]
    dip = np.clip(np.minimum(before, after) - least, 0.0, t.dip_most_db)
    return np.stack(
        [
            np.log(np.clip(flux, *t.growth)),
            np.log1p(dip),
            dip / 10.0,
            np.clip(after - least, 0.0, t.rise_most_db) / 10.0,
            np.clip(lost, 0.0, 1.0),
            np.log(np.clip(lost, t.lost_least, 1.0)),
        ],
        axis=1,
    )


def score_tongues(features: Features, frame: npt.NDArray[np.int64]) -> Array:
    """Nats, (N,), that speak for a new note of the same pitch at some pitch frames, against one that goes on.

    >>> from jeweller.features.extraction import extract_features
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> bool((score_tongues(extract_features(tone, 60, 72), np.array([40, 60])) < 0).all())
    True
    """
    constant, weights = read_regression(FITTED)
    nats = constant + measure_tongues(features, frame) @ weights
    nats = np.clip(nats, -TONGUES.least, TONGUES.most)
    # One tongue has one dip and one growth: of candidates around it only the strongest is a beginning.
    reach = round(TONGUES.one_s / features.step_s)
    growth = features.flux[
        np.clip(frame * round(features.step_s / features.hop_s), 0, len(features.flux) - 1)
    ]
    first, stop = np.searchsorted(frame, frame - reach), np.searchsorted(frame, frame + reach + 1)
    for k, (a, b) in enumerate(zip(first.tolist(), stop.tolist(), strict=True)):
        if growth[k] < growth[a:b].max():
            nats[k] = min(nats[k], -TONGUES.beside)
    return nats.astype(np.float32)
