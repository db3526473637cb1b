"""Pages spoilt as scanners and phones spoil them, to measure how well they are read: with another hand than
the one that spoils the lines that the reader learnt from.
"""

from __future__ import annotations

import io

import numpy as np
import numpy.typing as npt
from PIL import Image
from scipy import ndimage

Grey = npt.NDArray[np.uint8]
COPIED = 300.0  # dots an inch


def scan(page: Grey, rng: np.random.Generator, dots: float = COPIED) -> Grey:
    """A page that was copied (it is drawn with 300 dots an inch: dust, uneven ink) and laid on a scanner a
    little askew, which takes so many dots of it.
    """
    angle = float(rng.uniform(-1.2, 1.2))
    turned = ndimage.rotate(page, angle, reshape=False, order=1, cval=255).astype(np.float32)
    turned = ndimage.gaussian_filter(turned, rng.uniform(0.6, 1.3))
    high, wide = turned.shape
    toner = ndimage.zoom(rng.normal(0, 14, (high // 150 + 2, wide // 150 + 2)), 150, order=1)[:high, :wide]
    turned = 255 / (1 + np.exp(-(turned - rng.uniform(105, 160) - toner) / rng.uniform(12, 40)))
    turned = turned * rng.uniform(0.88, 0.98) + rng.normal(0, rng.uniform(1, 5), turned.shape)
    dust = rng.random(turned.shape) < 1.5e-5
    turned = np.where(ndimage.binary_dilation(dust, iterations=2), 40, turned)
    if dots != COPIED:
        size = (round(wide * dots / COPIED), round(high * dots / COPIED))
        way = Image.Resampling.BOX if dots < COPIED else Image.Resampling.BICUBIC
        turned = np.asarray(Image.fromarray(turned.astype(np.float32)).resize(size, way))
    return _squeezed(turned, int(rng.integers(55, 90)))


def photo(page: Grey, rng: np.random.Generator) -> Grey:
    """A page that lay curled on a stand: seen from a little aside, in uneven light, by a hand not quite
    still.
    """
    high, wide = page.shape
    scale = float(rng.uniform(0.72, 1.0))  # 220 to 300 dots an inch of the page
    ys, xs = np.mgrid[0 : int(high * scale), 0 : int(wide * scale)].astype(np.float32)
    u, v = xs / (wide * scale) - 0.5, ys / (high * scale) - 0.5
    # from aside and from below
    aside, below = rng.uniform(-0.08, 0.08), rng.uniform(-0.08, 0.08)
    depth = 1 + aside * u + below * v
    u, v = u / depth, v / depth
    angle = np.radians(rng.uniform(-2.5, 2.5))
    u, v = u * np.cos(angle) - v * np.sin(angle), u * np.sin(angle) + v * np.cos(angle)
    v = v + rng.uniform(-0.012, 0.012) * np.cos(np.pi * (u + rng.uniform(-0.3, 0.3)) * rng.uniform(1, 2))
    u = u + rng.uniform(-0.006, 0.006) * np.sin(np.pi * 2 * u)
    v, u = (v * 1.04 + 0.5) * high, (u * 1.04 + 0.5) * wide
    seen = ndimage.map_coordinates(page.astype(np.float32), [v, u], order=1, cval=170)
    grain = rng.uniform(0.5, 1.4)
    seen = ndimage.gaussian_filter(seen, grain)
    shake = rng.uniform(0, 2.0)
    if shake > 0.5:
        seen = ndimage.uniform_filter1d(seen, round(shake) + 1, axis=int(rng.integers(2)))
    light = 0.75 + 0.25 * np.cos((xs / xs.max() - rng.uniform(0, 1)) * 2) * np.cos(
        (ys / ys.max() - rng.uniform(0, 1)) * 1.5
    )
    edge = rng.uniform(0.2, 0.9)
    shadow = 1 - rng.uniform(0.0, 0.45) / (1 + np.exp(-((xs / xs.max()) + 0.4 * (ys / ys.max()) - edge) * 25))
    seen = (seen * rng.uniform(0.7, 0.85) + 18) * light * shadow
    seen = seen + rng.normal(0, rng.uniform(2, 6), seen.shape)
    return _squeezed(seen, int(rng.integers(60, 88)))


def _squeezed(picture: npt.NDArray[np.float32], quality: int) -> Grey:
    held = io.BytesIO()
    Image.fromarray(np.clip(picture, 0, 255).astype(np.uint8)).save(held, "JPEG", quality=quality)
    return np.asarray(Image.open(held).convert("L"), np.uint8)
