"""What a sign is, by its shape: the nearest of the small pictures that the program ships, of every sign in
several fonts (made by tools/make_shapes.py).
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

Picture = npt.NDArray[np.float32]
SHAPES = Path(__file__).parents[1] / "assets" / "omr" / "shapes.npz"
EDGE = 20  # pixels of a shape's picture, up and across
SIZE_WEIGHT = 1.2  # of the log of a size against the pictures' difference
SIZE_LOG = 0.55  # a sign that is so much larger or smaller (log) is another one
FAR = 0.42  # root mean square of the difference to the nearest shape: it is none of them


@dataclass(frozen=True)
class Shape:
    """What a sign looks most like: how far off it is (0: the same), and how much nearer than any other kind,
    as `sure` 0..1.
    """

    kind: str
    distance: float
    sure: float


def fit_picture(picture: Picture, edge: int) -> Picture:
    """A picture drawn into a square of so many pixels, its proportions given up: the mean of what falls into
    each.

    >>> fit_picture(np.array([[0, 1], [0, 1]], np.float32), 4)[0].tolist()
    [0.0, 0.0, 1.0, 1.0]
    """
    return np.asarray(_shrink(_shrink(picture, edge).T, edge).T, np.float32)


def _shrink(picture: Picture, edge: int) -> Picture:
    """(edge, W) from (H, W): the mean over equal shares of the rows."""
    total = np.concatenate([np.zeros((1, picture.shape[1])), np.cumsum(picture, axis=0, dtype=np.float64)])
    at = np.linspace(0.0, len(picture), edge + 1)
    whole = np.minimum(at.astype(np.int64), len(picture) - 1)
    sums = total[whole] + (at - whole)[:, None] * picture[whole]
    return np.asarray(np.diff(sums, axis=0) / (len(picture) / edge), np.float32)


@dataclass(frozen=True)
class _Library:
    kinds: npt.NDArray[np.str_]
    log_sizes: npt.NDArray[np.float64]  # (N, 2)
    pictures: Picture  # (N, EDGE * EDGE)


@functools.cache
def _library() -> _Library:
    with np.load(SHAPES, allow_pickle=False) as held:
        pictures = held["pictures"].astype(np.float32) / 255.0
        return _Library(
            held["kinds"], np.log(held["sizes"].astype(np.float64)), pictures.reshape(len(pictures), -1)
        )


def _family(kind: str) -> str:
    """What is drawn alike and told apart by its place alone is one."""
    return {"staccato": "dot", "rest_half": "rest_whole"}.get(kind, kind)


def name_shape(picture: Picture, width: float, height: float, scale: float = 1.0) -> Shape | None:
    """What a sign of so many staff spaces is; None where it is like none. `scale`: of a small sign, as a
    grace note's. A size counts, as the same block is a rest or a line.
    """
    held = _library()
    own = np.log([max(width, 1e-3) / scale, max(height, 1e-3) / scale])
    away = np.abs(held.log_sizes - own).max(axis=1)
    near = np.flatnonzero(away < SIZE_LOG)
    if not len(near):
        return None
    fitted = fit_picture(picture, EDGE).ravel()
    shape = np.sqrt(np.mean((held.pictures[near] - fitted) ** 2, axis=1))
    off = np.hypot(shape, SIZE_WEIGHT * 0.2 * away[near])
    order = np.argsort(off)
    best = near[order[0]]
    if shape[order[0]] > FAR:
        return None
    kind = str(held.kinds[best])
    others = [float(off[k]) for k in order if _family(str(held.kinds[near[k]])) != _family(kind)]
    distance = float(off[order[0]])
    second = others[0] if others else 1.0
    return Shape(kind, distance, float(np.clip((second - distance) / max(second, 1e-6) * 2.5, 0.0, 1.0)))
