"""The recogniser: a small convolutional network of our own that sees, in the straightened picture of a staff,
where each sign has its middle and where lines run. Plain NumPy; its weights ship with the program and were
made by tools/train_pages.py.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float32]
WEIGHTS = Path(__file__).parents[1] / "assets" / "omr" / "reader.npz"
PIXELS = 8  # of a staff space in the picture that the network reads
CELL = 2  # pixels of the picture in one cell of what it answers
AT_ONCE = 1_000_000  # numbers laid side by side: they fit the processor's own memory
REACH = 9  # spaces above and below the middle line that it reads
DIGITS = "0123456789"
# What it tells apart by where the middle of a sign is…
SIGNS: tuple[str, ...] = (
    *("head_black", "head_half", "head_whole", "head_breve", "head_x", "small_head"),
    *(f"flag_{n}_{way}" for n in (8, 16, 32) for way in ("up", "down")),
    *("rest_block", "rest_quarter", "rest_8", "rest_16", "rest_32"),
    *("flat", "natural", "sharp", "double_sharp", "double_flat"),
    *("clef_g", "clef_g_8", "clef_c", "clef_f", "clef_drum", "metre_common", "metre_cut"),
    *(f"metre_{k}" for k in DIGITS),
    *(f"tuplet_{k}" for k in DIGITS[2:]),
    *(f"letter_{k}" for k in DIGITS),
    *("dot", "accent", "tenuto", "staccatissimo_above", "staccatissimo_below"),
    *("marcato_above", "marcato_below", "fermata_above", "fermata_below", "breath", "caesura"),
    *("trill", "turn", "short_trill", "mordent", "segno", "coda", "repeat_bar"),
    *(f"dynamic_{letter}" for letter in "pmfrsz"),
)
# … and by where its middle line runs.
LINES: tuple[str, ...] = ("stem", "beam", "thin", "thick", "curve", "level", "slant", "word")
WIDTHS = (16, 32, 64, 96)  # of the layers at 1/2, 1/4, 1/8, 1/16 of the picture
# Signs too rare to be learnt beside the others have two layers of their own behind what the others see.
RARE = ("metre_common", "metre_cut")
RARE_AT = [SIGNS.index(kind) for kind in RARE]
RARE_WIDTH = 24


@dataclass(frozen=True)
class Seen:
    """How likely each cell holds the middle of a sign, (len(SIGNS), H, W), or a line, (len(LINES), H, W)."""

    signs: Array
    lines: Array


@functools.cache
def _weights() -> dict[str, Array]:
    with np.load(WEIGHTS, allow_pickle=False) as held:
        return {name: held[name].astype(np.float32) for name in held.files}


def typical_sizes() -> Array:
    """Width and height of each of SIGNS in staff spaces, (len(SIGNS), 2)."""
    return _weights()["sizes"]


def _convolved(x: Array, name: str, *, stride: int = 1, active: bool = True) -> Array:
    """A 3x3 (or 1x1, 5x5) convolution of (C, H, W) with what was learnt, then the rectifier: a few rows at a
    time, what each cell sees laid side by side, is one product of matrices.
    """
    weight, bias = _weights()[f"{name}.weight"], _weights()[f"{name}.bias"]
    count, depth, size, _size = weight.shape
    pad = size // 2
    padded = np.pad(x, ((0, 0), (pad, pad), (pad, pad)))
    high, wide = -(-x.shape[1] // stride), -(-x.shape[2] // stride)
    out = np.empty((count, high, wide), np.float32)
    plane, row, cell = padded.strides
    learnt = weight.reshape(count, -1)
    at_once = max(1, AT_ONCE // (depth * size * size * wide))
    for top in range(0, high, at_once):
        rows = min(at_once, high - top)
        sees = np.lib.stride_tricks.as_strided(
            padded[:, top * stride :],
            (depth, size, size, rows, wide),
            (plane, row, cell, row * stride, cell * stride),
            writeable=False,
        )
        made = learnt @ sees.reshape(depth * size * size, rows * wide)
        made += bias[:, None]
        if active:
            np.maximum(made, 0.0, out=made)
        out[:, top : top + rows] = made.reshape(count, rows, wide)
    return out


def _doubled(x: Array, like: Array) -> Array:
    return x.repeat(2, axis=1).repeat(2, axis=2)[:, : like.shape[1], : like.shape[2]]


def look_at(picture: Array) -> Seen:
    """What is seen in a straightened staff, (H, W) with ink 1 and paper 0, PIXELS a space."""
    x = picture[None]
    a = _convolved(_convolved(x, "a1", stride=2), "a2")
    b = _convolved(_convolved(a, "b1", stride=2), "b2")
    c = _convolved(_convolved(b, "c1", stride=2), "c2")
    d = _convolved(_convolved(_convolved(c, "d1", stride=2), "d2"), "d3")
    c = _convolved(np.concatenate([c, _doubled(d, c)]), "c3")
    b = _convolved(np.concatenate([b, _doubled(c, b)]), "b3")
    a = _convolved(np.concatenate([a, _doubled(b, a)]), "a3")
    out = _convolved(a, "out", active=False)
    out[RARE_AT] = _convolved(_convolved(a, "rare1"), "rare2", active=False)
    likely = np.asarray(1.0 / (1.0 + np.exp(-out)), np.float32)
    return Seen(likely[: len(SIGNS)], likely[len(SIGNS) :])
