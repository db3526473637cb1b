"""Logistic regressions of the bench: fitted, told on takes left out, written down for the ear."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np


def fitted(x: np.ndarray, y: np.ndarray, ridge: float) -> tuple[np.ndarray, float]:
    """Weights of the plain features, and the constant, of a logistic regression on standardised ones."""
    middle, spread = x.mean(axis=0), x.std(axis=0) + 1e-9
    w = regression(np.c_[(x - middle) / spread, np.ones(len(x))], y, ridge)
    return w[:-1] / spread, float(w[-1] - (w[:-1] * middle / spread).sum())


def regression(z: np.ndarray, y: np.ndarray, ridge: float) -> np.ndarray:
    w = np.zeros(z.shape[1])
    for _ in range(30):
        p = 1.0 / (1.0 + np.exp(-np.clip(z @ w, -30, 30)))
        w += np.linalg.solve(
            (z * (p * (1 - p))[:, None]).T @ z + ridge * np.eye(len(w)), z.T @ (y - p) - ridge * w
        )
    return w


def left_out(x: np.ndarray, y: np.ndarray, take: np.ndarray, ridge: float) -> np.ndarray:
    """Log odds of each join, told by a regression without its own take's fold, (J,)."""
    z = np.c_[(x - x.mean(axis=0)) / (x.std(axis=0) + 1e-9), np.ones(len(x))]
    out = np.zeros(len(y))
    for fold in range(5):
        out[take % 5 == fold] = z[take % 5 == fold] @ regression(
            z[take % 5 != fold], y[take % 5 != fold], ridge
        )
    return out


def area(score: np.ndarray, y: np.ndarray) -> float:
    rank = np.empty(len(score))
    rank[np.argsort(score)] = np.arange(len(score))
    ones = y.sum()
    return float((rank[y == 1].sum() - ones * (ones - 1) / 2) / max(ones * (len(y) - ones), 1.0))


def write_regression(target: Path, about: str, weights: np.ndarray, constant: float) -> None:
    """As `jeweller.regression.read_regression` reads it."""
    told = {"about": about, "constant": round(constant, 4), "weights": [round(float(w), 4) for w in weights]}
    target.write_text(json.dumps(told, indent=1) + "\n", encoding="utf-8")
