"""How each stroke sounds: its spectrum in broad bands, whatever is struck."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from jeweller.features.extraction import Features
from jeweller.notes.settings import STROKES
from jeweller.notes.table import NoteTable, Stroke


def measure_strokes(following: NoteTable, features: Features) -> list[Stroke]:
    """The strokes of all notes that sounded."""
    from scipy import fft as sfft

    out: list[Stroke] = []
    samples, rate = features.samples, features.rate
    length, quiet = round(STROKES.length_s * rate), round(STROKES.before_s * rate)
    bands = np.searchsorted(np.array(STROKES.bands_hz), sfft.rfftfreq(length, 1.0 / rate)) - 1
    inside = (bands >= 0) & (bands < len(STROKES.bands_hz) - 1)
    window = np.hanning(2 * length)[length:]  # the beginning counts most

    def energy(part: npt.NDArray[np.floating]) -> npt.NDArray[np.float64]:
        power = np.abs(sfft.rfft(part, length)) ** 2
        return np.asarray(np.bincount(bands[inside], power[inside], len(STROKES.bands_hz) - 1), np.float64)

    for i in range(len(following.line.main_notes)):
        event = following.event_of(i)
        if event is None:
            continue
        k = max(0, round((event.on_s + STROKES.from_s) * rate))
        here = samples[k : k + length]
        before = samples[max(0, k - quiet) : k]
        if len(here) < length:
            continue
        strong = energy(here * window)
        if len(before) == quiet:
            strong = np.maximum(strong - energy(before) * length / quiet * 0.4, 0.0)
        level = np.log(strong + STROKES.floor * strong.max() + 1e-12)
        out.append(Stroke(index=i, shape=level - level.mean()))
    return out
