"""What the recogniser saw in a straightened staff → its signs, stems, beams, bar lines and curves, as they
are read from a drawn page. Units are staff spaces times UNIT, from the picture's top left corner.
"""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass, field

import numpy as np
from scipy import ndimage

from jeweller.omr.flat import MARGIN
from jeweller.omr.network import CELL, LINES, PIXELS, RARE, REACH, SIGNS, Array, Seen, typical_sizes
from jeweller.omr.primitives import Box, DrawnLine, Word
from jeweller.omr.staves import Staff
from jeweller.omr.symbols import BarLine, Beam, Curve, StaffSigns, Symbol

UNIT = 8.0  # a staff space in what is answered
A_SPACE = PIXELS / CELL  # cells
LEAST = 0.3  # how likely a sign must be
SURE = 0.3  # how likely a line's cell must be
ENOUGH = 0.4  # likelier by so much than anything else: no doubt is left
MOST_STEPS, FEWEST_STEPS = 19, -11  # above the lowest line: no farther off is a note printed
OFF_MIDDLE = 0.3  # spaces: C and cut C are no farther off, what looks like them is
SURE_BEAM = 0.2  # without its beam a note is twice as long
APART = 0.42  # spaces: nearer signs are two readings of one
OPENING = 16.0  # spaces: clef, key and metre take no more
SURE_LETTER = 0.8
LETTER_APART = 0.3
WIDTH = {"thin": 0.16, "thick": 0.5, "beam": 0.5}


def signs_of(seen: Seen, staff: Staff) -> StaffSigns:
    """All that was seen on one staff."""
    found = _signs(seen.signs)
    symbols = [s for s in found if not s.kind.startswith("letter_")]
    fields = dict(zip(LINES, seen.lines, strict=True))
    bar_lines = _bar_lines(fields["thin"], fields["thick"], staff)
    stems = _upright(fields["stem"])
    beams = [
        Beam(t.xs[0], t.fit(t.xs[0]), t.xs[-1], t.fit(t.xs[-1]), WIDTH["beam"] * UNIT)
        for t in _ridges(fields["beam"], steep=1, least=SURE_BEAM)
        if t.length > 0.6 * UNIT
    ]
    curves = [
        Curve(t.xs[0], t.ys[0], t.xs[-1], t.ys[-1], t.middle)
        for t in _ridges(fields["curve"], steep=2, gap=3)
        if t.length > 0.9 * UNIT
    ]
    level = [
        DrawnLine(t.xs[0], t.level, t.xs[-1], t.level, 0.15 * UNIT)
        for t in _ridges(fields["level"], steep=1)
        if t.length > 0.8 * UNIT
    ]
    slanted = [
        DrawnLine(t.xs[0], t.fit(t.xs[0]), t.xs[-1], t.fit(t.xs[-1]), 0.15 * UNIT)
        for t in _ridges(fields["slant"], steep=1)
        if t.length > 1.5 * UNIT
    ]
    words = _words(fields["word"], [s for s in found if s.kind.startswith("letter_")])
    words, symbols = _without_speed(words, symbols, stems, beams, staff)
    symbols = [s for s in symbols if _is_where_notes_are(s, words, staff)]
    symbols = [s for s in symbols if not s.kind.startswith("clef_") or _is_clef(s, symbols, staff)]
    symbols = [s for s in symbols if s.kind not in RARE or _is_middle(s, staff)]
    return StaffSigns(
        staff=staff,
        symbols=tuple(sorted(symbols, key=lambda s: s.box.left)),
        stems=tuple(stems),
        beams=tuple(beams),
        bar_lines=tuple(bar_lines),
        curves=tuple(curves),
        level=tuple(level),
        slanted=tuple(slanted),
        words=tuple(words),
    )


def straight_staff(width: int) -> Staff:
    """The staff in a straightened picture of so many pixels."""
    lines = tuple(UNIT * (REACH + k) for k in (-2, -1, 0, 1, 2))
    return Staff(MARGIN * UNIT, (width / PIXELS - MARGIN) * UNIT, lines)


def _place(cell: float) -> float:
    return (cell + 0.5) * UNIT / A_SPACE


def _signs(likely: Array) -> list[Symbol]:
    """The tops of what is likely, each place for the likeliest; how sure is by how much it is likelier than
    what else might be there.
    """
    tops = (likely == _around(likely)) & (likely > 0.5 * LEAST)
    kinds, rows, columns = np.nonzero(tops)
    values = likely[kinds, rows, columns]
    order = np.argsort(-values)
    taken: list[tuple[int, int]] = []
    out: list[Symbol] = []
    sizes = typical_sizes()
    for n in order:
        kind, i, j, value = int(kinds[n]), int(rows[n]), int(columns[n]), float(values[n])
        letter = SIGNS[kind].startswith("letter_")
        near = (LETTER_APART if letter else APART) * A_SPACE
        if any(abs(i - y) < near and abs(j - x) < near for y, x in taken):
            continue
        taken.append((i, j))
        if value < LEAST:
            continue
        reach = max(1, int(near))
        around = likely[:, max(i - reach, 0) : i + reach + 1, max(j - reach, 0) : j + reach + 1].max(
            axis=(1, 2)
        )
        around[kind] = 0.0
        sure = float(np.clip((value - float(around.max())) / ENOUGH, 0.0, 1.0))
        y, x = _middle(likely[kind], i, j)
        wide, high = (float(v) * UNIT for v in sizes[kind])
        cx, cy = _place(x), _place(y)
        name = {"small_head": "head_black", "rest_block": "rest_whole"}.get(SIGNS[kind], SIGNS[kind])
        out.append(Symbol(name, Box(cx - wide / 2, cy - high / 2, cx + wide / 2, cy + high / 2), sure))
    return out


def _around(likely: Array) -> Array:
    """The most of each cell and the eight around it, (K, H, W)."""
    out = likely.copy()
    np.maximum(out[:, 1:], likely[:, :-1], out=out[:, 1:])
    np.maximum(out[:, :-1], likely[:, 1:], out=out[:, :-1])
    tall = out.copy()
    np.maximum(out[:, :, 1:], tall[:, :, :-1], out=out[:, :, 1:])
    np.maximum(out[:, :, :-1], tall[:, :, 1:], out=out[:, :, :-1])
    return out


def _middle(field_: Array, i: int, j: int) -> tuple[float, float]:
    """The top of a hill between cells."""
    i0, j0 = max(i - 1, 0), max(j - 1, 0)
    part = field_[i0 : i + 2, j0 : j + 2] ** 2
    total = float(part.sum())
    ys, xs = np.mgrid[i0 : i0 + part.shape[0], j0 : j0 + part.shape[1]]
    return float((part * ys).sum() / total), float((part * xs).sum() / total)


@dataclass
class _Ridge:
    """A line that runs to the right, in units."""

    cells: list[tuple[int, float]] = field(default_factory=list)  # (column, row)

    @property
    def xs(self) -> list[float]:
        return [_place(c) for c, _r in self.cells]

    @property
    def ys(self) -> list[float]:
        return [_place(r) for _c, r in self.cells]

    @property
    def length(self) -> float:
        return self.xs[-1] - self.xs[0]

    @property
    def level(self) -> float:
        return float(np.median(self.ys))

    @property
    def middle(self) -> float:
        """The height of a curve's middle."""
        n = len(self.cells)
        return float(np.mean(self.ys[n // 3 : max(2 * n // 3, n // 3 + 1)]))

    def fit(self, x: float) -> float:
        """The height of the straight line through it."""
        if len(self.cells) < 3:
            return float(np.mean(self.ys))
        slope, at = np.polyfit(self.xs, self.ys, 1)
        return float(slope * x + at)


def _ridges(likely: Array, *, steep: int, gap: int = 2, least: float = SURE) -> list[_Ridge]:
    """Lines that run to the right, each followed from column to column."""
    padded = np.pad(likely, ((1, 1), (0, 0)))
    tops = (likely > least) & (likely >= padded[:-2]) & (likely > padded[2:])
    rows: dict[int, set[int]] = {}
    for j, i in np.argwhere(tops.T).tolist():
        rows.setdefault(j, set()).add(i)
    done: list[_Ridge] = []
    running: list[_Ridge] = []
    for j in range(likely.shape[1]):
        free = rows.get(j, set())
        for track in sorted(running, key=lambda t: -len(t.cells)):
            last, row = track.cells[-1]
            before = track.cells[-4] if len(track.cells) > 3 else track.cells[0]
            slope = (row - before[1]) / (last - before[0]) if last > before[0] else 0.0
            wanted = row + slope * (j - last)
            near = [i for i in free if abs(i - wanted) <= steep + 0.5 or abs(i - row) <= steep]
            if near:
                i = min(near, key=lambda i: abs(i - wanted))
                free.remove(i)
                track.cells.append((j, _between(likely[:, j], i)))
        stopped = [t for t in running if j - t.cells[-1][0] > gap]
        done += stopped
        running = [t for t in running if j - t.cells[-1][0] <= gap]
        running += [_Ridge([(j, _between(likely[:, j], i))]) for i in free]
    return done + running


def _between(column: Array, i: int) -> float:
    low, high = max(i - 1, 0), min(i + 2, len(column))
    part = column[low:high]
    return float((part * np.arange(low, high)).sum() / part.sum())


def _upright(likely: Array) -> list[DrawnLine]:
    """Lines that run down: stems, and the hooks of brackets."""
    return [
        DrawnLine(
            float(np.mean(t.ys)),
            t.xs[0] - 0.12 * UNIT,
            float(np.mean(t.ys)),
            t.xs[-1] + 0.12 * UNIT,
            0.12 * UNIT,
        )
        for t in _ridges(np.ascontiguousarray(likely.T), steep=1)
        if t.length > 0.7 * UNIT
    ]


def _bar_lines(thin: Array, thick: Array, staff: Staff) -> list[BarLine]:
    top, bottom = int((REACH - 2) * A_SPACE), int((REACH + 2) * A_SPACE)
    out: list[BarLine] = []
    for kind, likely in (("thick", thick), ("thin", thin)):
        wide = ndimage.maximum_filter1d(likely[top:bottom], 3, axis=1)
        share = (wide > SURE).mean(axis=0)
        strength = likely[top:bottom].mean(axis=0)
        good = (share > 0.7) & (strength == ndimage.maximum_filter1d(strength, 3))
        for j in np.flatnonzero(good):
            x = _place(float(j))
            if not any(abs(x - b.x) < 0.3 * UNIT for b in out):
                out.append(BarLine(x, WIDTH[kind] * UNIT))
    return sorted(out, key=lambda b: b.x)


def _words(likely: Array, letters: list[Symbol]) -> list[Word]:
    """Where words stand; of their letters figures alone are read."""
    lines = [
        Box(t.xs[0] - 0.3 * UNIT, t.level - 0.9 * UNIT, t.xs[-1] + 0.3 * UNIT, t.level + 0.9 * UNIT)
        for t in _ridges(likely, steep=1, gap=4)
    ]
    words = []
    used: set[int] = set()
    for box in lines:
        own = [
            k
            for k, s in enumerate(letters)
            if k not in used and box.left <= s.box.x <= box.right and box.top <= s.box.y <= box.bottom
        ]
        used.update(own)
        # half a number is worse than none
        surely = all(letters[k].sure > SURE_LETTER for k in own)
        text = "".join(letters[k].kind[-1] for k in sorted(own, key=lambda k: letters[k].box.x) if surely)
        words.append(Word(text, box, "", 2.0 * UNIT))
    return words


def _is_clef(sign: Symbol, symbols: list[Symbol], staff: Staff) -> bool:
    """Whether a clef is one: at the beginning, or so sure and so alone that the clef really changes. A wrong
    one would move every note behind it.
    """
    if sign.box.left < staff.left + 4.0 * UNIT:
        return True
    alone = not any(
        s is not sign
        and s.kind.startswith(("head_", "clef_", "rest_"))
        and abs(s.box.x - sign.box.x) < 1.6 * UNIT
        for s in symbols
    )
    return sign.sure >= 1.0 and alone and abs(sign.box.y - 0.5 * (staff.top + staff.bottom)) < 1.5 * UNIT


def _is_middle(sign: Symbol, staff: Staff) -> bool:
    """Whether a sign stands in the middle of the staff, as C and cut C do."""
    return abs(sign.box.y - 0.5 * (staff.top + staff.bottom)) < OFF_MIDDLE * UNIT


def _is_where_notes_are(sign: Symbol, words: list[Word], staff: Staff) -> bool:
    """Whether a head or a rest may be one by where it is: round letters are no heads, a block above the staff
    is no rest.
    """
    y = sign.box.y
    if sign.kind.startswith("rest_"):
        return staff.top - UNIT < y < staff.bottom + UNIT
    if not sign.kind.startswith("head_"):
        return True
    place = staff.place(y)
    off = max(staff.top - y, y - staff.bottom)
    if not FEWEST_STEPS <= place <= MOST_STEPS:
        return False
    inside = any(w.box.left <= sign.box.x <= w.box.right and abs(w.box.y - y) < 0.9 * UNIT for w in words)
    return not (inside and off > UNIT)


def _has_free_stem_up(head: Symbol, stems: list[DrawnLine], beams: list[Beam]) -> bool:
    """Whether a head has a stem up and no beam: above the staff no note of a single line is printed so."""
    for stem in stems:
        top, bottom = sorted((stem.y0, stem.y1))
        if abs(stem.x0 - head.box.right) < 0.4 * UNIT and abs(bottom - head.box.y) < 0.9 * UNIT:
            held = any(
                b.x0 - UNIT < stem.x0 < b.x1 + UNIT and abs(b.height_at(stem.x0) - top) < UNIT for b in beams
            )
            return not held
    return False


def _without_speed(
    words: list[Word], symbols: list[Symbol], stems: list[DrawnLine], beams: list[Beam], staff: Staff
) -> tuple[list[Word], list[Symbol]]:
    """The words and signs without heads and rests over and among clef, key and metre, where no note can be,
    and without the unit of a speed: a head above the staff with its stem up, or that a word follows. The word
    says the speed, where its figures were read.
    """
    begins = [
        s.box.right
        for s in symbols
        if s.kind.startswith(("clef_", "metre_"))
        and staff.top - UNIT < s.box.y < staff.bottom + UNIT
        and s.box.left < staff.left + OPENING * UNIT
    ]
    opening = max(begins, default=staff.left)
    told, units = list(words), []
    for symbol in symbols:
        head = symbol.kind.startswith("head_")
        among = symbol.box.x < opening and (head or symbol.kind.startswith("rest_"))
        above = head and symbol.box.bottom <= staff.top
        beside = [k for k, word in enumerate(told) if _follows(word, symbol)] if above else []
        speed = (
            above
            and symbol.box.x < staff.left + OPENING * UNIT
            and (
                bool(beside) or (_has_free_stem_up(symbol, stems, beams) and not _is_flagged(symbol, symbols))
            )
        )
        if among or speed:
            units.append(symbol)
        if beside and (among or speed):
            told[beside[0]] = dataclasses.replace(told[beside[0]], text=f"= {told[beside[0]].text}")
    return told, [s for s in symbols if s not in units]


def _follows(word: Word, head: Symbol) -> bool:
    """Whether a word stands behind a head, at its height."""
    near = -0.3 * UNIT < word.box.left - head.box.right < 3.5 * UNIT
    return near and abs(word.box.y - head.box.y) < 1.6 * UNIT


def _is_flagged(head: Symbol, symbols: list[Symbol]) -> bool:
    """Whether a head has a flag over it: a grace note has, a speed's quarter has not."""
    return any(
        s.kind.startswith("flag_") and 0 < s.box.right - head.box.x < 2.5 * UNIT and s.box.y < head.box.y
        for s in symbols
    )
