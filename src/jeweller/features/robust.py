"""Medians and percentiles of short rows of numbers: to the last bit what NumPy says, in a tenth of its time.
A check asks for thousands of them, one note at a time.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

Row = npt.NDArray[Any] | Sequence[float]


def median(values: Row) -> float:
    """The middle of `values`; not a number where one of them is none, or where there are none.

    >>> median([3.0, 1.0, 2.0]), median(np.array([4.0, 1.0, 2.0, 3.0]))
    (2.0, 2.5)
    """
    row = np.sort(values, axis=None)
    n = len(row)
    if not n or row[-1] != row[-1]:
        return math.nan
    half = n // 2
    return float(row[half]) if n % 2 else float((row[half - 1] + row[half]) / 2)


def percentile(values: Row, percent: float) -> float:
    """The value below which `percent` of `values` lie, between two of them in proportion. Raises
    IndexError where there are none.

    >>> percentile([10.0, 20.0, 30.0], 75)
    25.0
    """
    row = np.sort(values, axis=None)
    if row[-1] != row[-1]:
        return math.nan
    at = (len(row) - 1) * (percent / 100)
    first = int(at)
    share = at - first
    low, high = row[first], row[min(first + 1, len(row) - 1)]
    apart = high - low
    return float(high - apart * (1 - share)) if share >= 0.5 else float(low + apart * share)
