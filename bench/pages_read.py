"""How exactly pages are read: notes right in pitch, length and bar, lines without a fault, and what was
doubted, for pairs of a PDF and the MusicXML file that it was engraved from.

python -m bench.pages_read FOLDER [--as drawn|scan|photo] [--seed N] [--verbose]

FOLDER holds NAME.pdf and NAME.musicxml; any engraver may have made the page. A scan and a photo are made of
the page by bench/spoil.py.
"""

from __future__ import annotations

import argparse
import time
from collections import Counter
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from pathlib import Path

import numpy as np
from bench.spoil import photo, scan

from jeweller.errors import PageError
from jeweller.notation.model import Note, Part
from jeweller.notation.readers.sandbox import load_score
from jeweller.omr.music import ReadPiece
from jeweller.omr.page import pieces_of, read_lines
from jeweller.omr.pdf import count_pages, render_page
from jeweller.omr.picture import read_picture

Row = tuple[str, ...]
DPI = 300.0


@dataclass
class Tally:
    """What was counted."""

    notes: int = 0
    right: int = 0
    lines: int = 0
    whole_lines: int = 0
    pieces: int = 0
    whole_pieces: int = 0
    wrong_doubted: int = 0
    wrong: int = 0
    right_doubted: int = 0
    seconds: list[float] = field(default_factory=list)
    kinds: Counter[str] = field(default_factory=Counter)


def rows_of(part: Part) -> list[tuple[str, Row, str]]:
    """(bar, what counts of a note, its id) of every note and rest, from left to right."""
    out = []
    for k, bar in enumerate(part.bars):
        for note in bar.notes:
            if note.chord or note.cue:
                continue
            out.append((str(k), _counts(note), note.id))
    return out


def _counts(note: Note) -> Row:
    pitch = note.pitch.name if note.pitch is not None else "rest"
    length = "grace" if note.grace else "bar" if note.whole_bar else str(note.duration)
    return pitch, length, "tie" if note.tie_start else ""


def compare(wanted: Part, pieces: list[ReadPiece], tally: Tally) -> list[str]:
    """Counts one page; what is wrong."""
    a = rows_of(wanted)
    b: list[tuple[str, Row, str]] = []
    line_of: dict[str, int] = {}
    doubted: set[str] = set()
    first = bars = 0
    for number, piece in enumerate(pieces):
        part = piece.score.parts[0]
        b += [(str(int(bar) + bars), row, f"{number}/{note}") for bar, row, note in rows_of(part)]
        line_of |= {f"{number}/{p.note}": first + p.spot[0] for p in piece.places}
        doubted |= {f"{number}/{d.note}" for d in piece.doubts if d.note}
        # of a bar that does not add up every note is asked about
        bad = {d.bar for d in piece.doubts if not d.note}
        doubted |= {f"{number}/{n.id}" for bar in part.bars if bar.number in bad for n in bar.notes}
        first += 1 + max((p.spot[0] for p in piece.places), default=0)
        bars += len(part.bars)
    matcher = SequenceMatcher(None, [r[:2] for r in a], [r[:2] for r in b], autojunk=False)
    faulty: set[int] = set()
    told = []
    lines = [line_of.get(row[2], 0) for row in b]
    for tag, i1, i2, j1, j2 in matcher.get_opcodes():
        if tag == "equal":
            tally.right += i2 - i1
            tally.right_doubted += sum(row[2] in doubted for row in b[j1:j2])
            continue
        near = b[max(j1 - 1, 0) : j2 + 1]
        tally.wrong += max(i2 - i1, j2 - j1)
        tally.wrong_doubted += max(i2 - i1, j2 - j1) if any(r[2] in doubted for r in near) else 0
        faulty.update(lines[max(j1 - 1, 0) : j2 + 1] or [0])
        told.append(f"bar {a[i1][0] if i1 < len(a) else '-'}: {a[i1:i2]} read as {b[j1:j2]}")
        for x, y in zip(a[i1:i2], b[j1:j2], strict=False):
            tally.kinds.update(
                [
                    f"{what}"
                    for what, p, q in zip(("pitch", "length", "tie"), x[1], y[1], strict=True)
                    if p != q
                ]
                or ["bar"]
            )
        tally.kinds["missed"] += max(0, (i2 - i1) - (j2 - j1))
        tally.kinds["too many"] += max(0, (j2 - j1) - (i2 - i1))
    count = max(first, 1)
    tally.notes += len(a)
    tally.lines += count
    tally.whole_lines += max(0, count - len(faulty)) if b else 0
    tally.pieces += 1
    tally.whole_pieces += not told
    return told


def read_as(pdf: bytes, way: str, rng: np.random.Generator) -> list[ReadPiece]:
    if way == "drawn":
        return pieces_of(read_lines(pdf, []).lines, None)
    lines = []
    for page in range(count_pages(pdf)):
        spoil = scan if way == "scan" else photo
        lines += read_picture(spoil(render_page(pdf, page, DPI), rng), DPI).lines
    return pieces_of(lines, None)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument("--as", dest="way", choices=("drawn", "scan", "photo"), default="drawn")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--most", type=int, default=10_000)
    parser.add_argument("--verbose", action="store_true")
    options = parser.parse_args()
    tally = Tally()
    for number, pdf in enumerate(sorted(options.folder.glob("*.pdf"))[: options.most]):
        truth = load_score(pdf.with_suffix(".musicxml")).parts[0]
        began = time.monotonic()
        try:
            read = read_as(pdf.read_bytes(), options.way, np.random.default_rng([options.seed, number]))
        except PageError as error:
            print(f"{pdf.name}: {error}")
            read = []
        tally.seconds.append(time.monotonic() - began)
        told = compare(truth, read, tally)
        if told and options.verbose:
            print(pdf.name, *told[:12], sep="\n    ")
    t = tally
    right, whole = 100 * t.right / max(1, t.notes), 100 * t.whole_lines / max(1, t.lines)
    print(f"{t.pieces} pages, {np.median(t.seconds):.1f} s a page: {right:.2f} % of {t.notes} notes right")
    print(f"without a fault: {whole:.1f} % of {t.lines} lines, {t.whole_pieces} pages")
    wrong, sure = 100 * t.wrong_doubted / max(1, t.wrong), 100 * t.right_doubted / max(1, t.right)
    print(f"doubted: {wrong:.0f} % of {t.wrong} wrong notes, {sure:.1f} % of the right ones")
    print("wrong in:", ", ".join(f"{what} {n}" for what, n in t.kinds.most_common()) or "nothing")


if __name__ == "__main__":
    main()
