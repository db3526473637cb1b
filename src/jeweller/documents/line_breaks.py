"""Where the lines of a part begin, so that no last line is a widow."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

WIDOW = 0.5  # of a full line: a last line with less is a widow


def even_lines(lines: Sequence[Sequence[float]]) -> list[int]:
    """The bars at which lines should begin, the first line apart, by how wide the bars were in lines that
    were filled one after the other; empty where they are well as they are.

    >>> even_lines([[4.0, 4.0, 4.0], [4.0]]), even_lines([[4.0, 4.0], [4.0]])
    ([2], [])
    """
    filled = [sum(line) for line in lines]
    if len(lines) < 2 or filled[-1] >= WIDOW * max(filled):
        return []
    return _evenly([width for line in lines for width in line], len(lines))


def _evenly(widths: Sequence[float], rows: int) -> list[int]:
    """The indexes at which a row of widths is broken into so many lines, as even as can be."""
    sums = [0.0, *itertools.accumulate(widths)]
    best = {(0, 0): (0.0, 0)}
    for row in range(1, rows + 1):
        for end in range(row, len(widths) + 1):
            found = [
                (best[row - 1, k][0] + (sums[end] - sums[k]) ** 2, k)
                for k in range(row - 1, end)
                if (row - 1, k) in best
            ]
            best[row, end] = min(found)
    breaks, end = [], len(widths)
    for row in range(rows, 1, -1):
        end = best[row, end][1]
        breaks.append(end)
    return breaks
