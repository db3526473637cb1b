"""What is drawn on a page, whatever drew it: strokes, filled outlines, signs and words.

Coordinates are points (1/72 inch) from the top left corner of the upright page, y downwards.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Bitmap = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Box:
    """A rectangle: left, top, right, bottom."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        return self.right - self.left

    @property
    def height(self) -> float:
        return self.bottom - self.top

    @property
    def x(self) -> float:
        return 0.5 * (self.left + self.right)

    @property
    def y(self) -> float:
        return 0.5 * (self.top + self.bottom)

    def joined(self, other: Box) -> Box:
        """The smallest box around both."""
        return Box(
            min(self.left, other.left),
            min(self.top, other.top),
            max(self.right, other.right),
            max(self.bottom, other.bottom),
        )


@dataclass(frozen=True)
class DrawnLine:
    """A straight line with a thickness."""

    x0: float
    y0: float
    x1: float
    y1: float
    width: float

    @property
    def box(self) -> Box:
        return Box(min(self.x0, self.x1), min(self.y0, self.y1), max(self.x0, self.x1), max(self.y0, self.y1))


@dataclass(frozen=True)
class Outline:
    """A filled area, or a curve that is drawn: its points, (n, 2), of all its contours one after another."""

    points: npt.NDArray[np.float64]
    starts: tuple[int, ...]  # where each contour begins
    curved: bool
    filled: bool
    width: float = 0.0  # of the line, where it is drawn

    @property
    def box(self) -> Box:
        (left, top), (right, bottom) = self.points.min(axis=0), self.points.max(axis=0)
        return Box(float(left), float(top), float(right), float(bottom))


@dataclass(frozen=True)
class Glyph:
    """A sign of a font: its box, and where it is anchored; `code` is what the file says it is, 0 where it
    does not.
    """

    box: Box
    code: int
    font: str
    size: float
    bitmap: Bitmap | None = None  # 0..1, of the box


@dataclass(frozen=True)
class Word:
    """Letters of one line that belong together."""

    text: str
    box: Box
    font: str
    size: float

    @property
    def italic(self) -> bool:
        return any(sign in self.font.casefold() for sign in ("ita", "oblique", "-it"))

    @property
    def bold(self) -> bool:
        return "bold" in self.font.casefold()


@dataclass(frozen=True, kw_only=True)
class PageDrawing:
    """All of one page."""

    width: float
    height: float
    strokes: tuple[DrawnLine, ...]
    outlines: tuple[Outline, ...]
    glyphs: tuple[Glyph, ...]
    pictures: bool = False  # whether there is a picture on it
