"""Logistic regressions that the bench fitted on takes of the tuning set (bench/joins.py, bench/starts.py) and
wrote beside this module.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from jeweller.regression import read_regression


def log_odds(name: str, features: list[float]) -> float:
    """What the regression in `name`.json says of something with these features."""
    constant, weights = read_regression(Path(__file__).parent / f"{name}.json")
    return constant + float(np.dot(weights, features))
