"""Makes lines of printed music to learn reading from: our own made-up tunes, engraved in every font that the
engraver ships with lines of many widths, each staff as a picture with what is drawn on it and where.

python tools/page_lines.py FOLDER [--pages N] [--first SEED]
"""

from __future__ import annotations

import argparse
import dataclasses
import io
import json
import re
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest.mock import patch

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

import numpy as np

from jeweller.documents.page import html_to_pdf
from jeweller.documents.parts import SheetSettings, parts_page
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.model import Bar, Mark, Part, Score
from jeweller.notation.pitch import STEPS, Pitch, key_alter
from jeweller.omr.pdf import count_pages, read_drawing
from jeweller.omr.symbols import StaffSigns
from jeweller.omr.vector import read_signs

FONTS = ("Bravura", "Gootville", "Leipzig", "Leland", "Petaluma")
PIXELS = 12  # a staff space in the pictures
REACH = 10  # spaces above and below the middle line that a picture shows
MARGIN = 2  # spaces left and right of the staff
CLEFS = ((("G", 2, 0), 0.6, 30), (("F", 4, 0), 0.25, 18), (("C", 3, 0), 0.08, 24), (("C", 4, 0), 0.07, 22))
METRES = ((4, 4), (3, 4), (2, 4), (6, 8), (2, 2), (5, 4), (9, 8), (12, 8), (3, 8), (7, 8))
SIGNED = {("4", "4"): "common", ("2", "2"): "cut"}  # metres that have a sign of their own
TIME = re.compile(r"<time>(\s*<beats>(\d+)</beats>\s*<beat-type>(\d+)</beat-type>\s*</time>)")
F = Fraction
CELLS = {  # quarters, for beats of a quarter
    1: (((1,), 8), ((F(1, 2), F(1, 2)), 8), ((F(3, 4), F(1, 4)), 3), ((F(1, 4),) * 4, 3), ((F(1, 3),) * 3, 3),
        ((F(1, 2), F(1, 4), F(1, 4)), 2), ((F(1, 4), F(1, 4), F(1, 2)), 2), ((F(1, 4), F(1, 2), F(1, 4)), 1),
        ((F(1, 8),) * 8, 0.3)),
    2: (((2,), 4), ((F(3, 2), F(1, 2)), 4), ((F(1, 2), 1, F(1, 2)), 2), ((F(2, 3),) * 3, 0.5)),
    3: (((3,), 2),), 4: (((4,), 2),),
}  # fmt: skip
CELLS_3 = (((F(3, 2),), 4), ((F(1, 2),) * 3, 6), ((1, F(1, 2)), 5), ((F(1, 2), 1), 1),
           ((F(3, 4), F(1, 4), F(1, 2)), 2), ((F(1, 4),) * 6, 1))  # fmt: skip
MARKS = ("accent", "staccato", "tenuto", "strong-accent", "staccatissimo")
ORNAMENTS = ("trill", "mordent", "inverted_mordent", "turn")
DYNAMICS = ("p", "pp", "mp", "mf", "f", "ff", "sfz", "fp", "ppp", "fff")
WORDS = ("lively", "slowly, sung", "a little faster", "broad", "with spirit", "in time", "softer", "marked")


class LineMaker:
    """One made-up part, its signs spread more evenly than in tunes."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self.busy = float(self.rng.choice([0.3, 1.0, 2.0]))  # how many signs beside the notes
        self.short = float(self.rng.choice([0.5, 1.0, 2.0]))  # how many short notes

    def often(self, share: float) -> bool:
        return bool(self.rng.random() < share * self.busy)

    def one_of(self, things: Any) -> Any:
        return things[int(self.rng.integers(len(things)))]

    def weighed(self, rows: Any) -> Any:
        weights = np.array([r[1] for r in rows], float)
        return rows[int(self.rng.choice(len(rows), p=weights / weights.sum()))][0]

    def part(self, bars: int) -> Part:
        k = int(self.rng.choice(len(CLEFS), p=[c[1] for c in CLEFS]))
        clef, _share, middle = CLEFS[k]
        here = BarAttributes(clef=clef, fifths=int(self.rng.integers(-6, 7)), **self._metre())
        every, row = [], []
        self.place = middle + 4.0
        self.middle = middle + 4
        left_to_slur = 0
        for _ in range(bars):
            if self.rng.random() < 0.05:
                here = dataclasses.replace(here, fifths=int(self.rng.integers(-5, 6)))
            if self.rng.random() < 0.04:
                here = dataclasses.replace(here, **self._metre())
            every.append(here)
            if self.often(0.05):
                row.append(UnbarredNote(here.metre.length))
                continue
            for length in self._rhythm(here):
                if self.rng.random() < 0.1:
                    row.append(UnbarredNote(F(length)))
                    if left_to_slur:
                        self._stop(row)
                        left_to_slur = 0
                    continue
                note = self._note(F(length), here)
                if left_to_slur:
                    left_to_slur -= 1
                    if not left_to_slur:
                        note.marks["slur_stops"] = ("1",)
                elif self.often(0.1):
                    left_to_slur = int(self.rng.integers(1, 8))
                    note.marks["slur_starts"] = ("1",)
                row.append(note)
        if left_to_slur:
            self._stop(row)
        row = [r for r in row if "drop" not in r.marks]
        laid = list(lay_out_bars(row, every, courtesy=self.often(0.5)))
        laid = [self._dressed(b) for b in laid]
        self._rests(laid)
        self._repeats(laid)
        return Part(id="P1", name="Part", instrument="", diatonic=0, chromatic=0, bars=tuple(laid))

    @staticmethod
    def _stop(row: list[UnbarredNote]) -> None:
        """Ends the slur at the last note; takes it away where it would be on one note."""
        for note in reversed(row):
            if not note.pitches:
                continue
            if "slur_starts" in note.marks:
                del note.marks["slur_starts"]
            else:
                note.marks["slur_stops"] = ("1",)
            return

    def _metre(self) -> dict[str, int]:
        k = int(self.rng.choice(len(METRES), p=[0.3, 0.15, 0.1, 0.1, 0.15, 0.04, 0.05, 0.04, 0.04, 0.03]))
        return dict(zip(("beats", "beat_type"), METRES[k], strict=True))

    def _rhythm(self, here: BarAttributes) -> list[F]:
        left, out = here.metre.length, []
        while left > 0:
            if here.beat_type == 8 and left >= F(3, 2):
                cell = self.weighed([(c, w * (self.short if len(c) > 2 else 1)) for c, w in CELLS_3])
            elif left < 1:
                cell = (left,)
            else:
                size = self.weighed([(s, w) for s, w in ((1, 6), (2, 2.5), (3, 0.3), (4, 0.5)) if s <= left])
                cell = self.weighed([(c, w * (self.short if len(c) > 2 else 1)) for c, w in CELLS[size]])
            out += [F(v) for v in cell]
            left -= sum(cell)
        return out

    def _note(self, length: F, here: BarAttributes) -> UnbarredNote:
        pull = (self.middle - self.place) * 0.08
        step = self.rng.normal(pull, 1.6 if self.rng.random() < 0.8 else 5.0)
        self.place = float(np.clip(round(self.place + step), self.middle - 11, self.middle + 11))
        marks: dict[str, object] = {}
        if self.often(0.12):
            marks["articulations"] = (self.one_of(MARKS),)
        if self.often(0.02) and length >= 1:
            marks["ornament"] = self.one_of(ORNAMENTS)
        if self.often(0.015):
            marks["fermata"] = True
        if self.often(0.02):
            marks["breath_after"] = True
        if self.often(0.04):
            beside = [self._pitch(self.place + d, here) for d in (1, -1, 2)]
            marks["graces"] = tuple(beside[: 1 if self.rng.random() < 0.75 else 2])
        if self.often(0.004):
            marks["head"] = "x"
        return UnbarredNote(length, (self._pitch(self.place, here),), marks)

    def _pitch(self, place: float, here: BarAttributes) -> Pitch:
        octave, at = divmod(int(place), 7)
        alter = key_alter(STEPS[at], here.fifths)
        if self.rng.random() < 0.08:
            alter = int(np.clip(alter + self.one_of((-1, 1)), -2 if self.rng.random() < 0.2 else -1, 1))
            if self.rng.random() < 0.05:
                alter = 2
        return Pitch(STEPS[at], alter, octave)

    def _dressed(self, bar: Bar) -> Bar:
        marks = []
        starts = [n.offset for n in bar.notes if not n.grace]
        if self.often(0.12):
            marks.append(
                Mark(kind="dynamics", offset=self.one_of(starts), text=self.one_of(DYNAMICS), above=False)
            )
        if self.often(0.06) and len(starts) > 1:
            marks.append(
                Mark(
                    kind="wedge", offset=starts[0], text=self.one_of(("crescendo", "diminuendo")), above=False
                )
            )
            marks.append(Mark(kind="wedge", offset=starts[-1], text="stop", above=False))
        if self.often(0.05):
            marks.append(
                Mark(kind="words", offset=F(0), text=self.one_of(WORDS), above=self.rng.random() < 0.7)
            )
        changes: dict[str, bool] = {}
        for sign in ("segno", "coda", "fine", "to_coda", "dacapo", "dalsegno"):
            if self.often(0.006):
                changes[sign] = True
        if self.often(0.03):
            changes["double_bar"] = True
        return dataclasses.replace(bar, marks=tuple(marks), **changes)

    def _rests(self, bars: list[Bar]) -> None:
        """Now and then several bars of rest."""
        k = 0
        while k < len(bars):
            if len(bars[k].notes) == 1 and bars[k].notes[0].whole_bar and self.rng.random() < 0.5:
                more = [dataclasses.replace(bars[k], marks=(), double_bar=False)] * int(
                    self.rng.integers(1, 30)
                )
                bars[k + 1 : k + 1] = [
                    dataclasses.replace(
                        b, notes=tuple(dataclasses.replace(n, id=f"{n.id}-{j}") for n in b.notes)
                    )
                    for j, b in enumerate(more)
                ]
                k += len(more)
            k += 1

    def _repeats(self, bars: list[Bar]) -> None:
        k = 1
        while k + 6 < len(bars):
            if self.often(0.06):
                n = int(self.rng.integers(2, 5))
                bars[k] = dataclasses.replace(bars[k], repeat_start=True)
                if self.rng.random() < 0.5:
                    bars[k + n] = dataclasses.replace(
                        bars[k + n], ending=(1,), ending_start=True, ending_stop="stop", repeat_times=2
                    )
                    bars[k + n + 1] = dataclasses.replace(
                        bars[k + n + 1], ending=(2,), ending_start=True, ending_stop="discontinue"
                    )
                    n += 1
                else:
                    bars[k + n] = dataclasses.replace(bars[k + n], repeat_times=2)
                k += n
            k += 1


def engraver_options(rng: np.random.Generator, font: str) -> dict[str, object]:
    """Another hand at every page: its font, how thick its lines are, how close its notes."""
    between = lambda a, b: float(round(rng.uniform(a, b), 2))  # noqa: E731
    return {
        "font": font,
        "staffLineWidth": between(0.1, 0.25),
        "stemWidth": between(0.14, 0.32),
        "barLineWidth": between(0.2, 0.5),
        "thickBarlineThickness": between(0.7, 1.4),
        "ledgerLineThickness": between(0.15, 0.4),
        "slurMidThickness": between(0.3, 0.9),
        "tieMidThickness": between(0.3, 0.7),
        "hairpinThickness": between(0.15, 0.35),
        "hairpinSize": between(2.0, 4.0),
        "tupletBracketThickness": between(0.1, 0.35),
        "beamMaxSlope": int(rng.integers(0, 18)),
        "graceFactor": between(0.6, 0.75),
        "spacingLinear": between(0.2, 0.5),
        "spacingNonLinear": between(0.45, 0.65),
        "tupletNumHead": bool(rng.random() < 0.3),
        "multiRestThickness": between(1.0, 3.0),
        "multiRestStyle": "block" if rng.random() < 0.8 else "auto",
    }


def engraved(score: Score, options: dict[str, object], bars_per_line: int, *, signed: bool) -> bytes:
    """The score as a PDF, with other options than the program's own; metres as figures, or `signed` with
    their C and cut C.
    """
    import verovio

    plain: Callable[..., Any] = verovio.toolkit.setOptions

    def varied(self: Any, own: dict[str, object]) -> Any:
        return plain(self, {**own, **options})

    load: Callable[..., Any] = verovio.toolkit.loadData

    def sign(found: re.Match[str]) -> str:
        symbol = SIGNED.get((found[2], found[3]))
        return f'<time symbol="{symbol}">{found[1]}' if symbol else found[0]

    def loaded(self: Any, xml: str) -> Any:
        return load(self, TIME.sub(sign, xml) if signed else xml)

    with (
        patch.object(verovio.toolkit, "setOptions", varied),
        patch.object(verovio.toolkit, "loadData", loaded),
    ):
        return html_to_pdf(parts_page(score, SheetSettings(bars_per_line=bars_per_line)))


def strips_of(pdf: bytes) -> list[tuple[np.ndarray, dict[str, Any]]]:
    """(picture, what is on it) of every staff."""
    import pypdfium2

    out = []
    document = pypdfium2.PdfDocument(pdf)
    for page in range(count_pages(pdf)):
        drawing = read_drawing(pdf, page)
        staves = read_signs(drawing)
        for signs in staves:
            space, middle = signs.staff.space, 0.5 * (signs.staff.top + signs.staff.bottom)
            scale = PIXELS / space
            left = signs.staff.left - MARGIN * space
            right = signs.staff.right + MARGIN * space
            top, bottom = middle - REACH * space, middle + REACH * space
            held = document[page]
            picture = held.render(
                scale=scale,
                grayscale=True,
                crop=(
                    max(left, 0),
                    max(drawing.height - bottom, 0),
                    max(drawing.width - right, 0),
                    max(top, 0),
                ),
            ).to_numpy()
            picture = picture.reshape(picture.shape[0], picture.shape[1])
            full = np.full((2 * REACH * PIXELS, round((right - left) * scale)), 255, np.uint8)
            y0, x0 = round(max(0, -top) * scale), round(max(0, -left) * scale)
            rows, columns = (
                min(picture.shape[0], full.shape[0] - y0),
                min(picture.shape[1], full.shape[1] - x0),
            )
            full[y0 : y0 + rows, x0 : x0 + columns] = picture[:rows, :columns]
            out.append((full, _labels(staves, left, middle, space)))
    return out


def _labels(staves: list[StaffSigns], left: float, middle: float, space: float) -> dict[str, Any]:
    """What is on a picture, of every staff of the page, in spaces from its left edge and its middle line."""

    def x(v: float) -> float:
        return round((v - left) / space, 3)

    def y(v: float) -> float:
        return round((v - middle) / space, 3)

    out: dict[str, list[Any]] = {"symbols": [], "lines": [], "curves": [], "words": []}
    for signs in staves:
        if abs(0.5 * (signs.staff.top + signs.staff.bottom) - middle) > 30 * space:
            continue
        out["symbols"] += [
            [s.kind, x(s.box.left), y(s.box.top), x(s.box.right), y(s.box.bottom)] for s in signs.symbols
        ]
        for kind, lines in (("stem", signs.stems), ("level", signs.level), ("slant", signs.slanted)):
            out["lines"] += [[kind, x(s.x0), y(s.y0), x(s.x1), y(s.y1)] for s in lines]
        out["lines"] += [["beam", x(b.x0), y(b.y0), x(b.x1), y(b.y1)] for b in signs.beams]
        for bar in signs.bar_lines:
            kind = "thick" if bar.width > 0.28 * space else "thin"
            out["lines"].append([kind, x(bar.x), y(signs.staff.top), x(bar.x), y(signs.staff.bottom)])
        out["curves"] += [[x(c.x0), y(c.y0), x(c.x1), y(c.y1), y(c.middle)] for c in signs.curves]
        out["words"] += [
            [w.text, x(w.box.left), y(w.box.top), x(w.box.right), y(w.box.bottom)] for w in signs.words
        ]
    return out


def make_page(job: tuple[int, Path]) -> int:
    """One page, kept as FOLDER/SEED.npz; how many staves it has."""
    from PIL import Image

    seed, folder = job
    rng = np.random.default_rng([seed, 1])
    part = LineMaker(seed).part(int(rng.integers(24, 40)))
    options = engraver_options(rng, FONTS[seed % len(FONTS)])
    width, signed = int(rng.choice([0, 0, 3, 4])), bool(rng.random() < 0.7)
    try:
        made = strips_of(engraved(Score(f"Line {seed}", (part,)), options, width, signed=signed))
    except (ValueError, LookupError) as error:
        print(seed, repr(error)[:200], flush=True)
        return 0
    kept: dict[str, Any] = {}
    for k, (picture, labels) in enumerate(made):
        held = io.BytesIO()
        Image.fromarray(picture).save(held, "PNG")
        kept[f"picture{k}"] = np.frombuffer(held.getvalue(), np.uint8)
        kept[f"labels{k}"] = np.frombuffer(json.dumps(labels).encode(), np.uint8)
    np.savez(folder / f"{seed}.npz", **kept)
    return len(made)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument("--pages", type=int, default=200)
    parser.add_argument("--first", type=int, default=0)
    options = parser.parse_args()
    options.folder.mkdir(parents=True, exist_ok=True)
    jobs = [(options.first + k, options.folder) for k in range(options.pages)]
    with ProcessPoolExecutor(2) as pool:
        print(sum(pool.map(make_page, jobs)), "staves")


if __name__ == "__main__":
    main()
