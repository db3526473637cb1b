"""Logistic regressions that the bench fitted on takes of the tuning set (bench/joins.py, bench/starts.py) and
wrote beside this module.
"""

from __future__ import annotations

import functools
import json
from pathlib import Path

import numpy as np


@functools.cache
def regression(name: str) -> tuple[float, tuple[float, ...]]:
    """(constant, weights) of the regression in `name`.json."""
    data = json.loads((Path(__file__).parent / f"{name}.json").read_text(encoding="utf-8"))
    return float(data["constant"]), tuple(data["weights"])


def log_odds(name: str, features: list[float]) -> float:
    """What that regression says of something with these features."""
    constant, weights = regression(name)
    return constant + float(np.dot(weights, features))
