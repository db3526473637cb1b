"""How exactly pages are read: notes right in pitch, length and bar, lines without a fault, and what was
doubted, for pairs of a PDF and the MusicXML file that it was engraved from; by the pages' font, by how they
were spoilt, and by what is printed at a note.

python -m bench.pages_read FOLDER... [--as drawn scan150 scan scan600 photo] [--seed N] [--verbose]

Each FOLDER holds NAME.pdf and NAME.musicxml of one font; any engraver may have made the pages. Scans (of 300
dots an inch, or as many as are named) and photos are made of the pages by bench/spoil.py.
"""

from __future__ import annotations

import argparse
import time
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from pathlib import Path

import numpy as np
import pypdfium2 as pdfium
from bench.spoil import COPIED, photo, scan

from jeweller.errors import PageError
from jeweller.notation.model import Note, Part
from jeweller.notation.readers.sandbox import load_score
from jeweller.omr.music import ReadPiece
from jeweller.omr.page import pieces_of, read_lines
from jeweller.omr.picture import made_small, read_picture

Row = tuple[str, ...]
DPI = COPIED


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
    printed: Counter[str] = field(default_factory=Counter)  # notes at which a sign is printed
    hit: Counter[str] = field(default_factory=Counter)  # of them: right

    def add(self, other: Tally) -> None:
        """Counts another's pages in."""
        for name, value in vars(other).items():
            if isinstance(value, Counter):
                getattr(self, name).update(value)
            else:
                setattr(self, name, getattr(self, name) + value)

    @property
    def row(self) -> tuple[str, ...]:
        """What a table says of it."""
        return (
            str(self.pieces),
            str(self.notes),
            f"{100 * self.right / max(1, self.notes):.2f} %",
            f"{100 * self.whole_lines / max(1, self.lines):.1f} % of {self.lines}",
            f"{100 * self.wrong_doubted / max(1, self.wrong):.0f} % of {self.wrong}",
            f"{100 * self.right_doubted / max(1, self.right):.1f} %",
            f"{np.median(self.seconds):.1f}" if self.seconds else "",
        )


HEAD = ("pages", "notes", "right", "lines without a fault", "wrong doubted", "right doubted", "s a page")


def rows_of(part: Part) -> list[tuple[str, Row, str]]:
    """(bar, what counts of a note, its id) of every note and rest, from left to right."""
    out = []
    for k, bar in enumerate(part.bars):
        for note in bar.notes:
            if note.chord or note.cue:
                continue
            out.append((str(k), _counts(note), note.id))
    return out


def signs_of(note: Note) -> list[str]:
    """What is printed at a note, as the table names it."""
    kind = "rest" if note.is_rest else "grace" if note.grace else "note"
    signs = ["rest for a bar"] if note.whole_bar else [f"{kind}, {note.type}"]
    signs += ["dot"] * bool(note.dots) + ["tuplet"] * bool(note.tuplet) + ["fermata"] * note.fermata
    signs += [f"accidental, {note.accidental}"] if note.accidental else []
    signs += ["tie"] * (note.tie_start or note.tie_stop)
    signs += ["slur"] * bool(note.slur_starts or note.slur_stops)
    signs += [f"ornament, {note.ornament}"] if note.ornament else []
    return signs + ["articulation"] * bool(note.articulations)


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
    printed = [signs_of(n) for bar in wanted.bars for n in bar.notes if not n.chord and not n.cue]
    tally.printed.update(sign for signs in printed for sign in signs)
    matcher = SequenceMatcher(None, [r[:2] for r in a], [r[:2] for r in b], autojunk=False)
    faulty: set[int] = set()
    told = []
    lines = [line_of.get(row[2], 0) for row in b]
    for tag, i1, i2, j1, j2 in matcher.get_opcodes():
        if tag == "equal":
            tally.right += i2 - i1
            tally.hit.update(sign for signs in printed[i1:i2] for sign in signs)
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


def read_as(pdf: bytes, way: str, rng: np.random.Generator) -> tuple[list[ReadPiece], float]:
    """What is read of a page that was spoilt in a way, and the seconds that it took."""
    if way == "drawn":
        began = time.monotonic()
        return pieces_of(read_lines(pdf, []).lines, None), time.monotonic() - began
    pictures = []
    with pdfium.PdfDocument(pdf) as document:
        for page in document:
            drawn = np.array(page.render(scale=DPI / 72.0, grayscale=True).to_numpy(), np.uint8)
            drawn = drawn.reshape(drawn.shape[:2])
            dots = float(way.removeprefix("scan") or DPI) if way.startswith("scan") else DPI
            pictures.append(photo(drawn, rng) if way == "photo" else scan(drawn, rng, dots))
    began = time.monotonic()
    lines = [line for grey in pictures for line in read_picture(made_small(grey), DPI).lines]
    return pieces_of(lines, None), time.monotonic() - began


def print_table(head: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    print("| " + " | ".join(head) + " |", "|" + "---|" * len(head), sep="\n")
    for row in rows:
        print("| " + " | ".join(row) + " |")
    print(flush=True)


def read_folder(folder: Path, way: str, options: argparse.Namespace) -> Tally:
    """All pages of one font, spoilt in one way."""
    tally = Tally()
    for number, pdf in enumerate(sorted(folder.glob("*.pdf"))[: options.most]):
        truth = load_score(pdf.with_suffix(".musicxml")).parts[0]
        try:
            read, took = read_as(pdf.read_bytes(), way, np.random.default_rng([options.seed, number]))
            tally.seconds.append(took)
        except PageError as error:
            print(f"{pdf.name}: {error}")
            read = []
        told = compare(truth, read, tally)
        if told and options.verbose:
            print(f"{pdf.name}, {way}", *told[:12], sep="\n    ", flush=True)
    return tally


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folders", type=Path, nargs="+", metavar="FOLDER")
    parser.add_argument("--as", dest="ways", nargs="+", default=["drawn"])
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--most", type=int, default=10_000, help="pages of each folder")
    parser.add_argument("--verbose", action="store_true")
    options = parser.parse_args()
    by_font = {(f.name, way): read_folder(f, way, options) for way in options.ways for f in options.folders}
    by_way: dict[str, Tally] = {way: Tally() for way in options.ways}
    for (_font, way), tally in by_font.items():
        by_way[way].add(tally)
    if len(options.folders) > 1:
        print_table(("font", "read as", *HEAD), [(*key, *tally.row) for key, tally in by_font.items()])
    print_table(("read as", *HEAD), [(way, *tally.row) for way, tally in by_way.items()])
    signs = sorted({sign for tally in by_way.values() for sign in tally.printed})
    print_table(
        ("printed at a note", "notes", *by_way),
        [
            (
                sign,
                str(max(t.printed[sign] for t in by_way.values())),
                *(f"{100 * t.hit[sign] / max(1, t.printed[sign]):.1f} %" for t in by_way.values()),
            )
            for sign in signs
        ],
    )
    for way, tally in by_way.items():
        wrong = ", ".join(f"{what} {n}" for what, n in tally.kinds.most_common())
        print(f"{way}, wrong in: {wrong or 'nothing'}")


if __name__ == "__main__":
    main()
