"""How each stroke sounds: its spectrum in broad bands, whatever is struck."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from jeweller.features.extraction import Features
from jeweller.notes.table import NoteTable, Stroke

FROM_S, LENGTH_S = -0.01, 0.10  # what is looked at of a stroke, from its onset
BEFORE_S = 0.03  # what sounded just before is taken off
BANDS_HZ = (
    40.0,
    80.0,
    120.0,
    180.0,
    260.0,
    380.0,
    560.0,
    820.0,
    1200.0,
    1800.0,
    2600.0,
    3800.0,
    5600.0,
    8200.0,
)
FLOOR = 1e-3  # of a stroke's own strength: softer bands tell nothing


def measure_strokes(following: NoteTable, features: Features) -> list[Stroke]:
    """The strokes of all notes that sounded."""
    from scipy import fft as sfft

    out: list[Stroke] = []
    samples, rate = features.samples, features.rate
    length, quiet = round(LENGTH_S * rate), round(BEFORE_S * rate)
    bands = np.searchsorted(np.array(BANDS_HZ), sfft.rfftfreq(length, 1.0 / rate)) - 1
    inside = (bands >= 0) & (bands < len(BANDS_HZ) - 1)
    window = np.hanning(2 * length)[length:]  # the beginning counts most

    def energy(part: npt.NDArray[np.floating]) -> npt.NDArray[np.float64]:
        power = np.abs(sfft.rfft(part, length)) ** 2
        return np.asarray(np.bincount(bands[inside], power[inside], len(BANDS_HZ) - 1), np.float64)

    for i in range(len(following.line.main_notes)):
        event = following.event_of(i)
        if event is None:
            continue
        k = max(0, round((event.on_s + FROM_S) * rate))
        here = samples[k : k + length]
        before = samples[max(0, k - quiet) : k]
        if len(here) < length:
            continue
        strong = energy(here * window)
        if len(before) == quiet:
            strong = np.maximum(strong - energy(before) * length / quiet * 0.4, 0.0)
        level = np.log(strong + FLOOR * strong.max() + 1e-12)
        out.append(Stroke(index=i, shape=level - level.mean()))
    return out
