"""Scans and photos of pages: the scanned page of the demo, whichever way it lies; pictures that are none."""

from __future__ import annotations

import io
import shutil
import unittest
from collections.abc import Callable
from typing import Any
from unittest.mock import patch

import numpy as np
import verovio
from bench.spoil import photo
from PIL import Image

from jeweller.assets import DEMO
from jeweller.documents.page import html_to_pdf
from jeweller.documents.parts import SheetSettings, parts_page
from jeweller.errors import PageError
from jeweller.notation.model import Score
from jeweller.notation.readers.abc import read_abc
from jeweller.omr import letters
from jeweller.omr.flat import find_flat_staves, ink_of, space_of, straighten
from jeweller.omr.network import LINES, PIXELS, REACH, SIGNS, look_at
from jeweller.omr.page import pieces_of, read_lines
from jeweller.omr.pdf import render_page
from jeweller.omr.picture import open_picture, read_picture
from jeweller.omr.sandbox import read_pages
from tests.support import TempCase

SECOND = "Bb4:3 C5:2 D5:1 Eb5:1 D5:1 C5:1 Bb4:3 D5:2 C5:1 Bb4:2 A4:1 G4:1 A4:1 C5:1 Bb4:3"
THIRD = (
    "C5:1 C5:1/2 D5:1/2 E5:1 rest:1 F5:1 E5:1/2 D5:1/2 C5:2 rest:1 G4:1 A4:1 B4:1 "
    "C5:1/2 D5:1/2 E5:1/2 D5:1/2 C5:2"
)


def printed(score: Score) -> str:
    """Every note and rest with its length in quarters."""
    return " ".join(
        f"{n.pitch.name.replace('♭', 'b').replace('♯', '#') if n.pitch else 'rest'}:{n.duration}"
        for bar in score.parts[0].bars
        for n in bar.notes
    )


LOCK_SONG = """X:1
T:The Lower Lock
Q:1/4=84
M:4/4
L:1/4
K:F
c d e f | g2 e2 | f e d c | "^Fine" F4 || a b c' b | a2 g2 | f g a f | "^D.C. al Fine" c4 |]
"""


@unittest.skipUnless(shutil.which(letters.PROGRAM), "Tesseract is not installed")
class WordsOnScans(unittest.TestCase):
    """A page of our own, printed and scanned."""

    def setUp(self) -> None:
        song = read_abc(LOCK_SONG)[0]
        pdf = html_to_pdf(parts_page(song, SheetSettings()))
        self.page = render_page(pdf, 0, 250.0)

    def test_title_speed_and_the_way_through_are_read(self) -> None:
        (piece,) = pieces_of(read_picture(self.page, 250.0).lines, None)
        bars = piece.score.parts[0].bars
        self.assertEqual(piece.score.title, "The Lower Lock")
        self.assertEqual([k for k, b in enumerate(bars) if b.fine], [3])
        self.assertEqual([k for k, b in enumerate(bars) if b.dacapo], [7])
        self.assertEqual([m.value for b in bars for m in b.marks if m.kind == "tempo"], [84.0])

    def test_the_name_over_the_first_staff_tells_the_instrument(self) -> None:
        page = open_picture((DEMO / "page-9.jpg").read_bytes())
        read = read_picture(page, 200.0)
        pieces = pieces_of(read.lines, None)
        self.assertEqual({p.score.parts[0].instrument for p in pieces}, {"Clarinet in B♭"})

    def test_without_the_program_the_notes_are_read_and_that_is_told(self) -> None:
        held = io.BytesIO()
        Image.fromarray(self.page).save(held, "PNG")
        with patch.object(letters.shutil, "which", return_value=None):
            read = read_lines(held.getvalue(), ())
        self.assertFalse(read.worded)
        bars = pieces_of(read.lines, None)[0].score.parts[0].bars
        self.assertEqual((len(bars), any(b.fine or b.dacapo for b in bars)), (8, False))

    def test_a_program_that_fails_is_no_fault(self) -> None:
        strip = letters.Strip(np.zeros((40, 80), np.float32), 1.0)
        with patch.object(letters.shutil, "which", return_value="/bin/false"):
            self.assertIsNone(letters.read_strips([strip]))
            self.assertFalse(read_picture(self.page, 250.0).worded)


class Scans(unittest.TestCase):
    """The upper half of the page."""

    def setUp(self) -> None:
        whole = open_picture((DEMO / "page-9.jpg").read_bytes())
        self.page = whole[: whole.shape[0] * 3 // 10]

    def test_it_is_read_as_it_is_printed_whichever_way_it_lies(self) -> None:
        for turns in (0, 1, 2):
            with self.subTest(turns):
                read = read_picture(np.ascontiguousarray(np.rot90(self.page, turns)), 200.0)
                pieces = pieces_of(read.lines, None)
                self.assertEqual([printed(p.score) for p in pieces[1:3]], [SECOND, THIRD])
                bars = [p.score.parts[0].bars[0] for p in pieces]
                self.assertEqual([(b.beats, b.fifths) for b in bars[:3]], [(4, -1), (3, -2), (4, 0)])
                # what was read has its place on the upright page
                first = pieces[1].places[0].box
                self.assertTrue(0.1 * read.width < first.x < 0.3 * read.width, first)
                self.assertGreater(read.width, read.height)

    def test_shadow_and_bends_are_taken_out(self) -> None:
        page = self.page.astype(np.float32)
        high, wide = page.shape
        rows = np.arange(high)[:, None] + 6 * np.sin(np.arange(wide) / wide * 3.0)[None, :]
        bent = page[np.clip(rows, 0, high - 1).astype(int), np.arange(wide)[None, :]]
        shaded = (bent * np.linspace(0.45, 0.95, wide)[None, :]).astype(np.uint8)
        ink = ink_of(shaded)
        self.assertLess(float(np.median(ink)), 0.08)
        staves = find_flat_staves(ink, space_of(ink))
        self.assertEqual(len(staves), 3)
        flat = straighten(ink, staves[0])
        lines = np.median(flat[:, 40:-40], axis=1)
        middle = REACH * PIXELS
        for k in (-2, -1, 0, 1, 2):  # five lines where they belong
            at = middle + k * PIXELS
            self.assertGreater(lines[at - 1 : at + 1].max(), lines[at + PIXELS // 2] + 0.03)

    def test_a_beam_is_no_line_of_a_staff_that_bends(self) -> None:
        space, ink = 16.0, np.zeros((600, 1500), np.float32)
        x = np.arange(100, 1400)
        rise = np.where(x < 500, 0.09 * (x - 500), 0.0)
        for row in np.concatenate([np.arange(-1, 2) + k * space for k in range(5)]):
            ink[(300 + row + rise).astype(int), x] = 1.0
        left = x[(x > 160) & (x < 330)]
        for row in range(-4, 5):  # it runs a space above the staff
            ink[(300 - space + row + 0.09 * (left - 500)).astype(int), left] = 1.0
        (staff,) = find_flat_staves(ink, space)
        self.assertEqual((staff.xs[0], staff.xs[-1]), (100.0, 1400.0))

    def test_grain_and_the_edges_of_a_photo_are_no_staves_of_a_small_piece(self) -> None:
        song = read_abc("X:1\nM:4/4\nL:1/4\nK:F\nc d e f | g2 e2 | f e d c |]\n")[0]
        page = render_page(html_to_pdf(parts_page(song, SheetSettings())), 0, 250.0)
        ink = ink_of(photo(page[:1000], np.random.default_rng(12)))
        self.assertEqual(len(find_flat_staves(ink, space_of(ink))), 1)

    def test_a_staff_begins_where_its_lines_do_not_at_the_words_before_it(self) -> None:
        space, ink = 16.0, np.zeros((600, 1500), np.float32)
        for row in np.concatenate([np.arange(-1, 2) + k * space for k in range(5)]):
            ink[(300 + row).astype(int), 300:1400] = 1.0
            ink[(300 + row).astype(int), 60:290] = 0.12  # what is left of letters, and no lines
        (staff,) = find_flat_staves(ink, space)
        self.assertAlmostEqual(float(staff.xs[0]), 300.0, delta=space)
        self.assertAlmostEqual(float(staff.xs[-1]), 1400.0, delta=space)

    def test_cut_c_is_a_metre(self) -> None:
        song = read_abc("X:1\nM:2/2\nL:1/4\nK:F\nc d e f | g2 e2 | f e d c |]\n")[0]
        load: Callable[..., Any] = verovio.toolkit.loadData

        def signed(self: Any, xml: str) -> Any:
            return load(self, xml.replace("<time>", '<time symbol="cut">'))

        with patch.object(verovio.toolkit, "loadData", signed):
            pdf = html_to_pdf(parts_page(song, SheetSettings()))
        page = render_page(pdf, 0, 250.0)[:900]
        lines = read_picture(page, 250.0).lines
        self.assertEqual([line.bars[0].metre for line in lines], [(2, 2)])

    def test_every_cell_has_its_answer(self) -> None:
        seen = look_at(np.zeros((2 * REACH * PIXELS, 100), np.float32))
        self.assertEqual(seen.signs.shape, (len(SIGNS), REACH * PIXELS, 50))
        self.assertEqual(seen.lines.shape, (len(LINES), REACH * PIXELS, 50))
        self.assertLess(float(seen.signs.max()), 0.3)  # on empty paper nothing is seen


class NoScans(TempCase):
    def test_what_is_no_picture_or_no_music_is_a_sentence(self) -> None:
        grey = Image.fromarray(np.full((300, 200), 240, np.uint8))
        held = io.BytesIO()
        grey.save(held, "PNG")
        for name, data, told in (
            ("broken.png", held.getvalue()[:60], "damaged"),
            ("empty.png", held.getvalue(), "no staff with notes"),
            ("words.txt", b"Bring your own stand.", "damaged"),
        ):
            path = self.folder / name
            path.write_bytes(data)
            with self.subTest(name), self.assertRaisesRegex(PageError, told):
                read_pages(path)


if __name__ == "__main__":
    unittest.main()
