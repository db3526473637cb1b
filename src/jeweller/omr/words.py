"""Letters of a page as words, and what the words around a staff say."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from jeweller.instruments.table import find_instrument
from jeweller.omr.line import ReadBar, ReadMark
from jeweller.omr.primitives import Glyph, Word
from jeweller.omr.staves import Staff
from jeweller.omr.symbols import StaffSigns

GAP = 0.28  # of the letters' size: a wider one parts two words
NEIGHBOURS = 3  # letters that a letter may be level with
FAR = 7.0  # spaces above a staff: words farther up are no part of its music
TITLE, LARGE_TITLE = 2.0, 3.0  # spaces: words so large are a title, well above a staff or near it
SAME_SIZE = 0.04  # of a size by which letters of one word may differ
SAME_LINE = 0.35  # of the letters' size
REPEATS = (
    (re.compile(r"\bd\.?\s*c\.?\s+al\s+fine", re.I), ("dacapo",)),
    (re.compile(r"\bd\.?\s*s\.?\s+al\s+fine", re.I), ("dalsegno",)),
    (re.compile(r"\b(d\.?\s*c\.?|da\s+capo)\b", re.I), ("dacapo",)),
    (re.compile(r"\b(d\.?\s*s\.?|dal\s+segno)\b", re.I), ("dalsegno",)),
    (re.compile(r"\bto\s+coda\b", re.I), ("to_coda",)),
    (re.compile(r"^\s*fine\s*$", re.I), ("fine",)),
)
DYNAMIC = re.compile(r"(p{1,4}|f{1,4}|m[pf]|sf|sfz|fz|rfz|fp)")
SPEED = re.compile(r"=\s*(?:c(?:a|irca)?\.?\s*)?(\d{2,3})")


IN_KEY = re.compile(r"\s+in\s+([A-G])(?:\W|\s*(?:flat|sharp|b)\b)*$", re.I)


def names_player(text: str) -> str:
    """What of some words names an instrument; "" where they do not. Its key may be written in several ways.

    >>> names_player("Clarinet in B flat"), names_player("Flute"), names_player("Walking")
    ('Clarinet', 'Flute', '')
    """
    text = text.strip()
    if find_instrument(text) is not None:
        return text
    key = IN_KEY.search(text)
    found = find_instrument(text[: key.start()]) if key is not None else None
    same = key is not None and found is not None and f" in {key[1].upper()}" in found.name
    return text[: key.start()] if key is not None and same else ""


def join_letters(letters: Iterable[Glyph]) -> list[Word]:
    """Words of the letters of a page, whole lines of one font and size.

    >>> from jeweller.omr.primitives import Box
    >>> text = [Glyph(Box(6.0 * k, 0.0, 6.0 * k + 5.0, 8.0), ord(c), "A", 10.0) for k, c in enumerate("Fine")]
    >>> [word.text for word in join_letters(text)]
    ['Fine']
    """
    words: list[list[Glyph]] = []
    for glyph in letters:
        if words:
            last = words[-1][-1]
            size = max(last.size, 1.0)
            gap = glyph.box.left - last.box.right
            # an apostrophe is high, a comma low: it is level with any letter before it
            level = any(
                abs(glyph.box.bottom - x.box.bottom) < SAME_LINE * size
                or x.box.top - 0.2 * size < glyph.box.y < x.box.bottom + 0.2 * size
                for x in words[-1][-NEIGHBOURS:]
            )
            if (
                glyph.font == last.font
                and abs(glyph.size - last.size) < SAME_SIZE * size
                and level
                and -size < gap < 1.2 * size
            ):
                words[-1].append(glyph)
                continue
        words.append([glyph])
    return [_word(group) for group in words]


def _word(group: Sequence[Glyph]) -> Word:
    text, box = "", group[0].box
    for k, glyph in enumerate(group):
        if k and glyph.box.left - group[k - 1].box.right > GAP * glyph.size:
            text += " "
        text += chr(glyph.code) if glyph.code else ""
        box = box.joined(glyph.box)
    return Word(" ".join(text.split()), box, group[0].font, group[0].size)


def is_title(word: Word, staff: Staff) -> bool:
    """Whether words stand above a staff, so large, or so far above it, that they are no direction in it.

    >>> from jeweller.omr.primitives import Box
    >>> staff = Staff(0.0, 100.0, (50.0, 55.0, 60.0, 65.0, 70.0))
    >>> [is_title(Word("Air", Box(0, 40 - size, 9, 40), "", size), staff) for size in (12.0, 18.0)]
    [False, True]
    """
    high = staff.top - word.box.bottom
    return (high > 3.0 * staff.space and word.size > TITLE * staff.space) or (
        high > 0.5 * staff.space and word.size > LARGE_TITLE * staff.space
    )


def read_words(signs: StaffSigns, bars: Sequence[ReadBar], used: set[int]) -> None:
    """Dynamics, hairpins, words and signs of repetition, put into their bars."""
    if not bars:
        return
    staff, space = signs.staff, signs.staff.space
    letters = sorted(
        (k for k, s in enumerate(signs.symbols) if s.kind.startswith("dynamic_") and k not in used),
        key=lambda k: signs.symbols[k].box.left,
    )
    runs: list[list[int]] = []
    for k in letters:
        box = signs.symbols[k].box
        before = signs.symbols[runs[-1][-1]].box if runs else None
        if (
            before is not None
            and box.left - before.right < 0.6 * space
            and abs(box.y - before.y) < 1.2 * space
        ):
            runs[-1].append(k)
        else:
            runs.append([k])
    for run in runs:
        text = "".join(signs.symbols[k].kind.removeprefix("dynamic_") for k in run)
        box = signs.symbols[run[0]].box
        if DYNAMIC.fullmatch(text):
            _bar_at(bars, box.left).marks.append(
                ReadMark(kind="dynamics", x=box.left, text=text, above=box.y < staff.top)
            )
            used.update(run)
    for k, symbol in enumerate(signs.symbols):
        if symbol.kind in ("segno", "coda") and k not in used:
            _sign(bars, symbol.box.x, symbol.kind)
            used.add(k)
        elif symbol.kind == "repeat_bar":
            _bar_at(bars, symbol.box.x).repeats_before = True
            used.add(k)
    for word in signs.words:
        _say(signs, bars, word)
    for opens, left, right in _hairpins(signs):
        kind = "crescendo" if opens else "diminuendo"
        _bar_at(bars, left).marks.append(ReadMark(kind="wedge", x=left, text=kind, above=False))
        _bar_at(bars, right - 0.01).marks.append(ReadMark(kind="wedge", x=right, text="stop", above=False))
    for bar in bars:
        bar.marks.sort(key=lambda mark: mark.x)


def _say(signs: StaffSigns, bars: Sequence[ReadBar], word: Word) -> None:
    staff = signs.staff
    text = word.text.strip()
    above = word.box.y < staff.top
    if not text or word.box.bottom < staff.top - FAR * staff.space or names_player(text):
        return
    if is_title(word, staff):
        return
    if re.fullmatch(r"[\d\W]+", text) and not SPEED.search(text):
        return
    if re.fullmatch(r"tr\.?", text):  # a trill
        return
    for pattern, kinds in REPEATS:
        if pattern.search(text):
            for kind in kinds:
                x = word.box.right if kind in ("dacapo", "dalsegno", "fine", "to_coda") else word.box.x
                _sign(bars, x, kind)
            return
    kind = "dynamics" if DYNAMIC.fullmatch(text) and word.italic else "words"
    _bar_at(bars, word.box.left).marks.append(ReadMark(kind=kind, x=word.box.left, text=text, above=above))


def _sign(bars: Sequence[ReadBar], x: float, kind: str) -> None:
    bar = _bar_at(bars, x - 0.01)
    if kind == "segno" or kind == "coda":
        # at the beginning of the bar that it stands over
        bar = min(bars, key=lambda b: abs(b.left - x)) if x - bar.left > 0.6 * (bar.right - bar.left) else bar
    if kind not in bar.signs:
        bar.signs.append(kind)


def _bar_at(bars: Sequence[ReadBar], x: float) -> ReadBar:
    for bar in bars:
        if x < bar.right:
            return bar
    return bars[-1]


def _hairpins(signs: StaffSigns) -> list[tuple[bool, float, float]]:
    """(whether it opens, its left and its right end) of every pair of lines that meet."""
    lines = sorted(signs.slanted, key=lambda s: s.box.left)
    space = signs.staff.space
    out, taken = [], set[int]()
    for k, a in enumerate(lines):
        for j in range(k + 1, len(lines)):
            b = lines[j]
            if k in taken or j in taken or abs(a.box.left - b.box.left) > 0.6 * space:
                continue
            if abs(a.box.right - b.box.right) > 0.6 * space:
                continue
            ends = [(s.y0, s.y1) if s.x0 < s.x1 else (s.y1, s.y0) for s in (a, b)]
            left, right = abs(ends[0][0] - ends[1][0]), abs(ends[0][1] - ends[1][1])
            if min(left, right) < 0.6 * space and max(left, right) < 3.5 * space:
                out.append((left < right, a.box.left, a.box.right))
                taken.update((k, j))
    return out
