"""Logistic regressions that the bench fitted and wrote down as JSON, a constant and weights."""

from __future__ import annotations

import functools
import math
from pathlib import Path

from jeweller.files import parse_json


@functools.cache
def read_regression(path: Path) -> tuple[float, tuple[float, ...]]:
    """(constant, weights) of the regression in a file."""
    data = parse_json(path.read_text(encoding="utf-8"))
    return float(data["constant"]), tuple(float(w) for w in data["weights"])


def clip(value: float, low: float, high: float) -> float:
    """A measure within bounds: none counts for more than it was ever seen.

    >>> clip(7.0, 0.0, 3.0)
    3.0
    """
    return max(low, min(high, value))


def logit(share: float, surest: float) -> float:
    """Log odds of a share, which is taken to be no nearer to 0 or 1 than `surest`.

    >>> logit(0.5, 0.01), round(logit(1.0, 0.01), 2)
    (0.0, 4.6)
    """
    inside = clip(share, surest, 1.0 - surest)
    return math.log(inside / (1.0 - inside))
