"""The sounds of the loupe: the model in the time of the take."""

from __future__ import annotations

import numpy as np

from jeweller.pipeline.review import Review
from jeweller.synthesis.model import Model, play_model


def make_model(review: Review, written_speed: bool) -> Model:
    """The model in the take's own time (so that one clock serves both), or at the written speed."""
    line = review.checked.line
    if written_speed and line.written_bpm:
        spq = 60.0 / line.written_bpm
        return play_model(line, review.checked.instrument.sound, lambda q: q * spq)
    points = review.score_clock()
    seconds, quarters = np.array([p[0] for p in points]), np.array([p[1] for p in points])
    order = np.argsort(quarters, kind="stable")
    quarters, index = np.unique(quarters[order], return_index=True)
    seconds = np.maximum.accumulate(seconds[order][index])
    spq = review.checked.table.take_spq

    def when(q: float) -> float:
        if q >= quarters[-1]:
            return float(seconds[-1] + (q - quarters[-1]) * spq)
        if q < quarters[0]:
            return float(max(0.0, seconds[0] - (quarters[0] - q) * spq))
        return float(np.interp(q, quarters, seconds))

    return play_model(line, review.checked.instrument.sound, when)
