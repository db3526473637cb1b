"""Pages looked over and mended by the keys of the window, and how long a teacher needs for it.

python -m bench.page_walk FOLDER [--as drawn|scan|photo] [--most N] [--seed N]

FOLDER holds NAME.pdf and NAME.musicxml, as for bench/pages_read.py. Every place that is doubted is gone to by
Tab, as a teacher does who compares it with the page; what is wrong there is mended by real keys, what is
wrong elsewhere is reached by a click. The time is counted by the keystroke-level model (Card, Moran and
Newell 1980): 1.35 s to look at a place and decide, 0.28 s for a key, 1.1 s to point; and 4 s for each line,
to compare it with the page.
"""

from __future__ import annotations

import argparse
import io
import os
import tempfile
from difflib import SequenceMatcher
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pypdfium2 as pdfium
from bench.pages_read import DPI, rows_of
from bench.spoil import photo, scan
from PIL import Image
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest

from jeweller.gui.places.pattern_book.from_page import FromPage
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.shell.app import make_app
from jeweller.notation.model import Note, Part
from jeweller.notation.readers.sandbox import load_score
from jeweller.omr.correct import Spot
from jeweller.omr.sandbox import read_pages

LOOK_S, KEY_S, POINT_S, LINE_S = 1.35, 0.28, 1.1, 4.0
PAGE_LINES = 12
VALUES = {"whole": "1", "half": "2", "quarter": "4", "eighth": "8", "16th": "6"}
MOST_TURNS = 400


def keys_for(wanted: Note, read: Note) -> list[tuple[Qt.Key | str, bool]]:
    """The keys, each with or without Shift, that make of a note what is printed."""
    keys: list[tuple[Qt.Key | str, bool]] = []
    if wanted.pitch is None:
        keys += [] if read.pitch is None else [("r", False)]
    elif read.pitch is None or read.pitch.step != wanted.pitch.step:
        keys.append((wanted.pitch.step.lower(), False))
    elif read.pitch.octave != wanted.pitch.octave:
        keys.append((Qt.Key.Key_Up if wanted.pitch.octave > read.pitch.octave else Qt.Key.Key_Down, True))
    elif read.pitch.alter != wanted.pitch.alter:
        keys.append(("+" if wanted.pitch.alter > read.pitch.alter else "-", False))
    elif wanted.grace != read.grace:
        keys.append(("x", False))
    elif (wanted.type, wanted.dots) != (read.type, read.dots) and not wanted.grace and not wanted.whole_bar:
        keys += [(VALUES.get(wanted.type, "8"), False)] + [(".", False)] * wanted.dots
    elif wanted.tuplet != read.tuplet:
        keys.append(("3", False))
    elif wanted.tie_start != read.tie_start:
        keys.append(("t", False))
    return keys


class Walk:
    """One page in the window, and what it took."""

    def __init__(self, page: FromPage, wanted: Part) -> None:
        self.page, self.model, self.wanted = page, page.model, wanted
        self.keys, self.looks, self.points = 0, 0, 0

    def press(self, key: Qt.Key | str, shift: bool = False) -> None:
        how = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
        if isinstance(key, str):
            QTest.keyClicks(self.page.view.paper, key)
        else:
            QTest.keyClick(self.page.view.paper, key, how)
        self.keys += 1

    def differences(self) -> list[tuple[str, list[str], list[tuple[int, Spot]]]]:
        """(how, ids of the wanted notes, those read, by their piece) of every stretch that is not alike."""
        wanted = rows_of(self.wanted)
        read, where = [], []
        for number, piece in enumerate(self.model.read):
            spots = {p.note: Spot(*p.spot) for p in piece.places}
            for row in rows_of(piece.score.parts[0]):
                if row[2] in spots:
                    read.append(row)
                    where.append((number, spots[row[2]]))
        matcher = SequenceMatcher(None, [r[1] for r in wanted], [r[1] for r in read], autojunk=False)
        self.right, self.all = sum(b.size for b in matcher.get_matching_blocks()), len(wanted)
        self.where = where
        return [
            (tag, [w[2] for w in wanted[i1:i2]], where[j1:j2] or where[max(j1 - 1, 0) : max(j1, 1)])
            for tag, i1, i2, j1, j2 in matcher.get_opcodes()
            if tag != "equal"
        ]

    def go(self) -> None:
        """Through all doubts, then through what was not doubted and is wrong."""
        pieces = enumerate(self.model.pieces)
        every = {(k, spot) for k, looked in pieces for spot, _doubt in self.model.doubted(looked)}
        self.looks += len(every)
        self.keys += len(every)  # Tab to each
        bars = {(k, s.line, s.bar) for k, s in every}
        for _turn in range(MOST_TURNS):
            found = self.differences()
            if not found:
                break
            tag, ids, places = found[0]
            number, spot = places[0]
            if (number, spot.line, spot.bar) not in bars:
                self.points += 1  # seen by who compares line by line
                bars.add((number, spot.line, spot.bar))
            self.looks += 1
            self.model.choose(number)
            self.model.look_at(spot)
            pressed = self.keys
            self._mend(tag, ids, places)
            if self.keys == pressed:
                break  # no key does it
        self.differences()

    def _mend(self, tag: str, ids: list[str], places: list[tuple[int, Spot]]) -> None:
        if tag == "delete":  # it was not read: one more, which the next turn makes right
            self.press(Qt.Key.Key_Insert)
        elif tag == "insert":
            self.press(Qt.Key.Key_Delete)
        else:
            keys = []
            # a triplet is made of notes that are as long as they are printed
            for last in (False, True):
                for wanted_id, (number, spot) in zip(ids, places, strict=False):
                    found = keys_for(self._wanted(wanted_id), self._read(number, spot))
                    if not keys and found and (found[0][0] == "3") == last:
                        keys = found
                        self.model.choose(number)
                        self.model.look_at(spot)
            if not keys and len(ids) > len(places):
                keys = [(Qt.Key.Key_Insert, False)]
            elif not keys and len(places) > len(ids):
                keys = [(Qt.Key.Key_Delete, False)]
            for key, shift in keys:
                self.press(key, shift)

    def _wanted(self, note_id: str) -> Note:
        return next(n for bar in self.wanted.bars for n in bar.notes if n.id == note_id)

    def _read(self, number: int, spot: Spot) -> Note:
        piece = self.model.read[number]
        note_id = next(p.note for p in piece.places if Spot(*p.spot) == spot)
        return next(n for bar in piece.score.parts[0].bars for n in bar.notes if n.id == note_id)

    @property
    def seconds(self) -> float:
        own = self.looks * LOOK_S + self.keys * KEY_S + self.points * POINT_S
        return own + LINE_S * self.lines

    @property
    def lines(self) -> int:
        return sum(len(looked.lines) for looked in self.model.pieces)


def spoilt(pdf: Path, way: str, rng: np.random.Generator, folder: Path) -> Path:
    """The page as a file to be opened."""
    if way == "drawn":
        return pdf
    with pdfium.PdfDocument(pdf.read_bytes()) as document:
        drawn = np.array(document[0].render(scale=DPI / 72.0, grayscale=True).to_numpy(), np.uint8)
    picture = (photo if way == "photo" else scan)(drawn.reshape(drawn.shape[:2]), rng)
    held = io.BytesIO()
    Image.fromarray(picture).save(held, "PNG")
    path = folder / f"{pdf.stem}.png"
    path.write_bytes(held.getvalue())
    return path


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument("--as", dest="way", choices=("drawn", "scan", "photo"), default="scan")
    parser.add_argument("--most", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    make_app()
    seconds, lines = 0.0, 0
    print("| page | lines | notes | doubted | keys | looks | clicks | seconds | right after |")
    print("|---|---|---|---|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as name:
        settings = QSettings(str(Path(name) / "desk.ini"), QSettings.Format.IniFormat)
        for number, pdf in enumerate(sorted(options.folder.glob("*.pdf"))[: options.most]):
            path = spoilt(pdf, options.way, np.random.default_rng([options.seed, number]), Path(name))
            page = FromPage(Jobs(), settings)
            page.model.take(str(path), read_pages(path, ()))
            wanted = load_score(pdf.with_suffix(".musicxml")).parts[0]
            page._changed()
            walk = Walk(page, wanted)
            doubted = page.model.count_doubts()
            walk.go()
            seconds, lines = seconds + walk.seconds, lines + walk.lines
            counted = (walk.lines, walk.all, doubted, walk.keys, walk.looks, walk.points, round(walk.seconds))
            right = f"{100 * walk.right / max(1, walk.all):.1f} %"
            print(f"| {pdf.stem} | {' | '.join(map(str, counted))} | {right} |", flush=True)
    print(f"a page of {PAGE_LINES} such lines: {PAGE_LINES * seconds / max(1, lines):.0f} s")


if __name__ == "__main__":
    main()
