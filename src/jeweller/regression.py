"""Logistic regressions that the bench fitted and wrote down as JSON, a constant and weights."""

from __future__ import annotations

import functools
import json
from pathlib import Path


@functools.cache
def read_regression(path: Path) -> tuple[float, tuple[float, ...]]:
    """(constant, weights) of the regression in a file."""
    data = json.loads(path.read_text(encoding="utf-8"))
    return float(data["constant"]), tuple(float(w) for w in data["weights"])
