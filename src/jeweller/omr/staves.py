"""The staves of a page: five lines at the same distance, however they were drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from jeweller.omr.primitives import DrawnLine

LEVEL = 0.02  # rise of a line by its length, up to which it is level
LEAST_SHARE = 0.08  # of the page's width: nothing shorter is a staff's line
SAME_Y = 0.15  # of the distance to the next line: pieces of one line
UNEVEN = 0.15  # by which the distances within a staff may differ
SPACES = (2.5, 14.0)  # points between two lines, of printed music


@dataclass(frozen=True)
class Staff:
    """Five lines from `left` to `right`, by their heights from the top one down, (5,)."""

    left: float
    right: float
    lines: tuple[float, ...]

    @property
    def space(self) -> float:
        """The distance of two lines."""
        return (self.lines[-1] - self.lines[0]) / 4.0

    @property
    def top(self) -> float:
        return self.lines[0]

    @property
    def bottom(self) -> float:
        return self.lines[-1]

    def place(self, y: float) -> float:
        """Steps above the bottom line, a line and a space being one each: 0 on the lowest line, 8 on the
        highest.

        >>> Staff(0.0, 100.0, (10.0, 15.0, 20.0, 25.0, 30.0)).place(27.5)
        1.0
        """
        return (self.bottom - y) / (0.5 * self.space)

    def height_of(self, place: float) -> float:
        """The height of a place on the page."""
        return self.bottom - 0.5 * self.space * place


@dataclass(frozen=True)
class _Line:
    left: float
    right: float
    y: float
    width: float


def find_staves(strokes: Sequence[DrawnLine], page_width: float) -> list[Staff]:
    """The staves among the strokes of a page, from the top down.

    >>> lines = [DrawnLine(20.0, 100.0 + 5 * k, 300.0, 100.0 + 5 * k, 0.4) for k in range(5)]
    >>> [staff.space for staff in find_staves(lines, 595.0)]
    [5.0]
    """
    level = [
        _Line(min(s.x0, s.x1), max(s.x0, s.x1), 0.5 * (s.y0 + s.y1), s.width)
        for s in strokes
        if abs(s.y1 - s.y0) <= LEVEL * abs(s.x1 - s.x0) and s.width < 2.0
    ]
    merged = _merged(level)
    long = sorted(
        (line for line in merged if line.right - line.left >= LEAST_SHARE * page_width), key=lambda v: v.y
    )
    found: list[Staff] = []
    used: set[int] = set()
    for k in range(len(long)):
        if k in used:
            continue
        chosen = _five(long, k, used)
        if chosen is not None:
            used.update(chosen)
            lines = [long[j] for j in chosen]
            found.append(
                Staff(
                    float(np.median([v.left for v in lines])),
                    float(np.median([v.right for v in lines])),
                    tuple(v.y for v in lines),
                )
            )
    return sorted(found, key=lambda s: (s.top, s.left))


def place_in_systems(
    staves: Sequence[tuple[float, float, float]], joined: Callable[[int, int], bool]
) -> list[int]:
    """Which each staff is of those that sound together, from the top. `staves`: (left, right, height) of
    each; `joined`: whether a line joins one to another that is the next below it.

    >>> place_in_systems([(0, 9, 1), (0, 9, 2), (0, 9, 3)], lambda a, b: (a, b) == (0, 1))
    [0, 1, 0]
    """
    out = [0] * len(staves)
    for k in sorted(range(len(staves)), key=lambda k: staves[k][2]):
        left, right, height = staves[k]
        above = [j for j, (a, b, y) in enumerate(staves) if y < height and min(b, right) - max(a, left) > 0]
        nearest = max(above, key=lambda j: staves[j][2], default=None)
        if nearest is not None and joined(nearest, k):
            out[k] = out[nearest] + 1
    return out


def _merged(level: list[_Line]) -> list[_Line]:
    """Pieces that go on from one another as one line."""
    out: list[_Line] = []
    for piece in sorted(level, key=lambda v: (round(v.y, 1), v.left)):
        for k in range(len(out) - 1, max(-1, len(out) - 12), -1):
            line = out[k]
            if (
                abs(line.y - piece.y) < 0.3
                and piece.left <= line.right + 1.0
                and piece.right >= line.left - 1.0
            ):
                # what lies beside a long line is short: a beam, a ledger line; the long one says where it is
                long = line if line.right - line.left >= piece.right - piece.left else piece
                out[k] = _Line(min(line.left, piece.left), max(line.right, piece.right), long.y, long.width)
                break
        else:
            out.append(piece)
    return out


def _five(lines: list[_Line], first: int, used: set[int]) -> list[int] | None:
    """Five lines at one distance, of which `first` is the highest."""
    top = lines[first]

    def beside(k: int) -> bool:
        line = lines[k]
        both = min(line.right, top.right) - max(line.left, top.left)
        return k not in used and both > 0.9 * max(line.right - line.left, top.right - top.left)

    for second in range(first + 1, min(first + 8, len(lines))):
        space = lines[second].y - top.y
        if not SPACES[0] <= space <= SPACES[1] or not beside(second):
            continue
        chosen = [first, second]
        for n in (2, 3, 4):
            near = [
                k
                for k in range(second + 1, min(second + 24, len(lines)))
                if abs(lines[k].y - top.y - n * space) < UNEVEN * space and beside(k)
            ]
            if not near:
                break
            chosen.append(min(near, key=lambda k: abs(lines[k].y - top.y - n * space)))
        else:
            return chosen
    return None
