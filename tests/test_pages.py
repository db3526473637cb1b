"""Pages of a PDF read as music: our own engraver's pages, drawings, bad input, the command."""

from __future__ import annotations

import contextlib
import dataclasses
import io
import json
import unittest
from collections.abc import Callable
from fractions import Fraction
from typing import Any
from unittest.mock import patch

import verovio

from jeweller.cli.main import main
from jeweller.documents.page import html_to_pdf
from jeweller.documents.parts import parts_page
from jeweller.errors import PageError
from jeweller.notation.model import Part, Score
from jeweller.notation.readers.abc import read_abc
from jeweller.notation.readers.sandbox import load_score
from jeweller.omr.grammar import settle_lengths, settle_metres, settle_openings
from jeweller.omr.line import ReadBar, ReadLine, ReadNote
from jeweller.omr.page import JOINED, PagesRead, pieces_of, split_pieces
from jeweller.omr.pdf import read_drawing, render_page
from jeweller.omr.picture import read_picture
from jeweller.omr.primitives import Box, DrawnLine, Glyph
from jeweller.omr.reading import read_line
from jeweller.omr.sandbox import read_pages
from jeweller.omr.staves import find_staves
from jeweller.omr.vector import read_signs
from jeweller.omr.words import join_letters
from tests.support import TempCase

LANTERNS = """X:1
T:Two Lanterns
M:3/4
L:1/4
Q:1/4=96
K:Bb
F|:"^Gently"B>c d|(3f/e/d/ c B|!trill!A2 G|!mf!F3-|F2 z|{c}d e/f/ g|[1 !fermata!f2 e:|[2 d2 c||
!p!^c d =e|_g f e|.d .c !>!B|!tenuto!A3|Z4|(B/c/ d/e/ f/g/)|z/ a/ b/a/ g/f/|!f!e/>d/ c B|!D.C.!B2|]
"""
LOW = """X:1
T:Slow barge
M:C
L:1/8
K:D clef=bass
D,2F,2 A,4|B,,2 ^A,,2 B,,4|z4 (F,2G,2)|(3D,E,F, G,2 A,8/2|D,8|]
"""


def printed(part: Part) -> list[tuple[object, ...]]:
    """What counts of every note, in its bar."""
    return [
        (
            k,
            n.pitch.name if n.pitch is not None else "rest",
            n.grace or n.duration,
            n.tie_start,
            bool(n.slur_starts),
            bool(n.slur_stops),
            n.articulations,
            n.ornament,
            n.fermata,
            n.accidental,
        )
        for k, bar in enumerate(part.bars)
        for n in bar.notes
    ]


def built(part: Part) -> list[tuple[object, ...]]:
    """What counts of every bar."""
    return [
        (b.fifths, b.metre, b.clef, b.repeat_start, b.repeat_times, b.ending, b.ending_start, b.double_bar)
        for b in part.bars
    ]


def spaced(*kinds: str) -> ReadBar:
    """A bar whose notes stand as far apart as an engraver puts them."""
    notes: list[ReadNote] = []
    x = 0.0
    for kind in kinds:
        notes.append(
            ReadNote(box=Box(x, 0, x + 5, 1), place=4, type=kind, group=1 if kind == "eighth" else -1)
        )
        x += {"eighth": 14.0, "quarter": 20.0, "half": 26.0}[kind]
    return ReadBar(left=0.0, right=x, notes=notes)


def said(arguments: list[str]) -> tuple[int, str]:
    """(exit status, standard error) of a command."""
    out, wrong = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(wrong):
        status = main(arguments)
    return status, wrong.getvalue()


class Read(TempCase):
    def written(self, score: Score) -> Part:
        """The part as it is read from our own page of it."""
        (self.folder / "page.pdf").write_bytes(html_to_pdf(parts_page(score)))
        (piece,) = pieces_of(read_pages(self.folder / "page.pdf").lines, None)
        self.read, self.doubts = piece, piece.doubts
        self.places = piece.places
        return piece.score.parts[0]

    def test_all_of_a_page_is_read_as_it_is_written(self) -> None:
        score = read_abc(LANTERNS)[0]
        found, wanted = self.written(score), score.parts[0]
        self.assertEqual(printed(found), printed(wanted))
        self.assertEqual(built(found), built(wanted))
        marks = [(k, m.kind, m.text) for k, b in enumerate(wanted.bars) for m in b.marks if m.text != "D.C."]
        read = [(k, m.kind, m.text) for k, b in enumerate(found.bars) for m in b.marks]
        self.assertEqual(read, marks)
        self.assertEqual(next(m.value for m in found.bars[0].marks if m.kind == "tempo"), 96.0)
        self.assertTrue(found.bars[-1].dacapo)
        self.assertTrue(found.bars[0].implicit)
        self.assertEqual(self.doubts, ())
        # every printed note has its place on the page
        last = self.places[-1]
        self.assertEqual((last.note, last.page), (found.bars[-1].notes[-1].id, 0))
        self.assertGreater(last.box.left, 400.0)

    def test_the_bass_clef_and_a_common_metre(self) -> None:
        score = read_abc(LOW)[0]
        found = self.written(score)
        self.assertEqual(printed(found), printed(score.parts[0]))
        self.assertEqual(built(found), built(score.parts[0]))

    def test_an_accent_is_no_slur_in_whatever_font(self) -> None:
        plain: Callable[..., Any] = verovio.toolkit.setOptions
        for font, note in (
            ("Bravura", "c"),
            ("Leland", "d"),
            ("Petaluma", "e"),
        ):  # no two alike: they are kept

            def varied(kit: Any, options: dict[str, object], font: str = font) -> Any:
                return plain(kit, {**options, "font": font})

            score = read_abc(f"X:1\nT:{font}\nM:3/4\nL:1/4\nK:C\n!>!{note} !tenuto!{note} {note}|]\n")[0]
            with self.subTest(font), patch.object(verovio.toolkit, "setOptions", varied):
                self.assertEqual(printed(self.written(score)), printed(score.parts[0]))

    def test_what_a_bar_lacks_is_said(self) -> None:
        score = read_abc(LOW.replace("D,2F,2 A,4", "D,2F,2 A,2"))[0]
        self.written(score)
        (doubt,) = self.doubts
        self.assertEqual((doubt.bar, doubt.note, doubt.why), ("1", "", ("bar",)))

    def test_staves_that_a_line_joins_are_a_piece_each(self) -> None:
        score = read_abc("X:1\nT:Two\nM:4/4\nL:1/4\nK:C\n" + "CDEF|GABc|" * 6 + "cBAG|F4|]\n")[0]
        data = html_to_pdf(parts_page(score))
        plain = read_drawing(data, 0)
        upper, lower, *_rest = find_staves(plain.strokes, plain.width)
        line = DrawnLine(upper.left, upper.top, upper.left, lower.bottom, 0.5)
        joined = dataclasses.replace(plain, strokes=(*plain.strokes, line))
        lines = [read_line(signs) for signs in read_signs(joined)]
        self.assertEqual([part.within for part in lines[:3]], [0, 1, 0])
        pieces = split_pieces(lines)
        self.assertEqual([label for label, _lines in pieces], ["", "Two, staff 2"])
        self.assertEqual([len(group) for _label, group in pieces], [len(lines) - 1, 1])
        self.assertEqual(PagesRead(tuple(lines), (), ()).told([]), [JOINED])
        self.assertEqual([p.within for p in map(read_line, read_signs(plain))], [0] * len(lines))
        # and on a picture of it
        dots = 200.0
        page = render_page(data, 0, dots)
        x, top, bottom = (round(v * dots / 72) for v in (upper.left, upper.top, lower.bottom))
        page[top:bottom, x - 1 : x + 2] = 0
        self.assertEqual([p.within for p in read_picture(page, dots).lines][:3], [0, 1, 0])

    def test_a_bar_that_adds_up_takes_doubts_about_lengths_back(self) -> None:
        def bar(*kinds: str, doubted: str) -> ReadBar:
            made = spaced(*kinds)
            made.notes[0].doubt(doubted, 0.6)
            return made

        def left(*bars: ReadBar, drawn: bool = False) -> list[list[str]]:
            settle_lengths(bars, [Fraction(4)] * len(bars), drawn=drawn)
            return [sorted({why for note in bar.notes for why in note.doubts}) for bar in bars]

        even, triplet = ("quarter",) * 4, ("half", "quarter", "eighth", "eighth", "eighth")
        self.assertEqual(left(bar(*even, doubted="flag"), bar(*even[1:], doubted="flag")), [[], ["flag"]])
        self.assertEqual(left(bar(*even, doubted="accidental")), [["accidental"]])
        # a triplet that only fills its bar may have been made up; where nothing is overlooked it was not
        self.assertEqual(left(bar(*triplet, doubted="flag")), [["flag", "tuplet"]])
        self.assertEqual(left(bar(*triplet, doubted="flag"), drawn=True), [[]])
        short = [bar(*even[1:], doubted="flag") for _unused in range(3)]
        self.assertIn("tuplet", left(*short, bar(*triplet, doubted="flag"), drawn=True)[-1])

    def test_the_room_of_notes_tells_which_was_misread(self) -> None:
        usual = [spaced("quarter", "eighth", "eighth", "half") for _unused in range(4)]
        odd = spaced("quarter", "eighth", "eighth", "quarter", "eighth", "eighth")
        odd.notes[4].type = "quarter"  # its flag was not seen
        settle_lengths([*usual, odd, *usual], [Fraction(4)] * 9)
        self.assertEqual([n.type for n in odd.notes][3:], ["quarter", "eighth", "eighth"])
        self.assertEqual([bool(n.doubts) for n in odd.notes][4], True)
        self.assertFalse(odd.notes[0].doubts or any(n.doubts for bar in usual for n in bar.notes))
        # three beamed notes that have the room of a triplet are one: many engravers leave the figures out
        odd = spaced("quarter", "eighth", "eighth", "quarter", "eighth", "eighth", "eighth")
        for note, left in zip(odd.notes[4:], (0.0, 10.5, 21.0), strict=True):
            note.group, note.box = 7, dataclasses.replace(note.box, left=odd.notes[4].box.left + left)
        odd.right = odd.notes[-1].box.left + 10.5
        settle_lengths([*usual, odd, *usual], [Fraction(4)] * 9)
        self.assertEqual([(n.tuplet, n.doubts) for n in odd.notes], [(0, [])] * 4 + [(3, [])] * 3)
        # a bar with a note too many stays as it is: nothing in it has the room of another length
        many = spaced("half", "half", "half")
        settle_lengths([*usual, many, *usual], [Fraction(4)] * 9)
        self.assertEqual([n.type for n in many.notes], ["half"] * 3)

    def test_a_metre_by_which_nothing_adds_up_is_another(self) -> None:
        bars = [spaced("quarter", "eighth", "quarter", "eighth") for _unused in range(6)]
        bars[0].metre = (3, 8)
        settle_metres(bars)
        self.assertEqual(bars[0].metre, (6, 8))
        self.assertEqual(bars[0].notes[0].doubts, ["metre"])
        bars[0].metre = (32, 2)
        settle_metres(bars)
        self.assertEqual(bars[0].metre, (3, 4))
        for bar in bars[::2]:
            bar.notes.pop()
        bars[0].metre = (4, 4)
        settle_metres(bars)
        self.assertEqual(bars[0].metre, (4, 4))  # they are not alike

    def test_lines_of_unlike_keys_are_doubted_where_no_double_bar_parts_them(self) -> None:
        def doubted(double: bool) -> list[list[str]]:
            lines = [
                ReadLine(box=Box(0, 0, 1, 1), space=5.0, bars=[spaced("quarter", "half")]) for _unused in "ab"
            ]
            lines[0].bars[0].fifths, lines[1].bars[0].fifths = -3, -2
            lines[0].bars[0].double = double
            settle_openings(lines)
            return [line.bars[0].notes[0].doubts for line in lines]

        self.assertEqual(doubted(False), [["key"], ["key"]])
        self.assertEqual(doubted(True), [[], []])

    def test_what_hardly_adds_up_is_told_as_a_whole(self) -> None:
        score = read_abc("X:1\nM:4/4\nL:1/4\nK:C\nCDE|FGA|Bcd|cBA|GFED|]\n")[0]
        self.written(score)
        self.assertTrue(self.read.muddled)
        self.written(read_abc(LOW)[0])
        self.assertFalse(self.read.muddled)

    def test_numbers_are_counted_on_where_they_may_be_misread(self) -> None:
        def line(number: str, *, drawn: bool) -> ReadLine:
            bar = spaced("half", "half")
            bar.metre, bar.final = (4, 4), True
            return ReadLine(box=Box(0, 0, 1, 1), space=5.0, bars=[bar], numbers=[number], drawn=drawn)

        for drawn, last in ((False, "10"), (True, "1")):
            lines = [line(number, drawn=drawn) for number in ("8", "9", "1")]
            self.assertEqual([label for label, _lines in split_pieces(lines)], ["8", "9", last])

    def test_letters_of_one_word_may_be_measured_unlike(self) -> None:
        letters = [
            Glyph(Box(12.0 * k, 20.0, 12.0 * k + 11.0, 32.0), ord(c), "Bold", 17.4 + 0.3 * (c == "d"))
            for k, c in enumerate("Hands")
        ]
        self.assertEqual([word.text for word in join_letters(letters)], ["Hands"])
        smaller = dataclasses.replace(letters[-1], size=12.0)
        self.assertEqual([word.text for word in join_letters([*letters[:-1], smaller])], ["Hand", "s"])

    def test_staves_in_pieces_and_lines_that_are_none(self) -> None:
        pieces = [
            DrawnLine(50.0 + 100 * k, 200.0 + 6 * line, 150.0 + 100 * k, 200.0 + 6 * line, 0.5)
            for k in range(4)
            for line in range(5)
        ]
        hairpin = [DrawnLine(60.0, 240.0, 160.0, 241.0, 0.5), DrawnLine(60.0, 246.0, 160.0, 245.0, 0.5)]
        beside = DrawnLine(60.0, 199.75, 75.0, 199.75, 1.5)  # the edge of a beam says not where the line is
        (staff,) = find_staves([beside, *pieces, *hairpin], 595.0)
        self.assertEqual(staff.top, 200.0)
        self.assertEqual((staff.left, staff.right, staff.space), (50.0, 450.0, 6.0))
        self.assertEqual(staff.place(224.0), 0.0)
        self.assertEqual(find_staves(pieces[:4], 595.0), [])

    def test_what_cannot_be_read_is_told(self) -> None:
        cases = {
            "nothing.pdf": (b"", "damaged"),
            "words.pdf": (html_to_pdf("<p>Bring your own stand.</p>"), "no staff with notes"),
            "scan.pdf": (
                html_to_pdf(
                    '<img style="width:15cm" src="data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAAAAAA6fptVAAAA'
                    'CklEQVR4nGNgAAAAAgABSK+kcQAAAABJRU5ErkJggg=="/>'
                ),
                "no staff with notes",
            ),
        }
        for name, (data, told) in cases.items():
            with self.subTest(name):
                (self.folder / name).write_bytes(data)
                with self.assertRaises(PageError) as caught:
                    read_pages(self.folder / name)
                self.assertIn(told, str(caught.exception))
        with self.assertRaises(PageError) as caught:
            read_pages(self.folder / "words.pdf", (4,))
        self.assertIn("no page 5", str(caught.exception))

    def test_the_command_writes_what_it_read_and_what_it_doubts(self) -> None:
        score = read_abc(LOW.replace("D,2F,2 A,4", "D,2F,2 A,2"))[0]
        (self.folder / "page.pdf").write_bytes(html_to_pdf(parts_page(score)))
        out = self.folder / "lines"
        status, wrong = said(
            [
                *f"page {self.folder}/page.pdf --pages 1 --instrument trombone --musicxml-dir {out}".split(),
                "--json",
                f"{self.folder}/read.json",
            ]
        )
        self.assertEqual((status, wrong), (0, ""))
        read = json.loads((self.folder / "read.json").read_text())
        (piece,) = read["pieces"]
        self.assertEqual((read["format"], piece["bars"], len(piece["doubts"])), ("jeweller.page/1", 5, 1))
        part = load_score(out / piece["file"]).parts[0]
        self.assertEqual(part.name, "Trombone")
        self.assertEqual(part.bars[4].notes[0].duration, Fraction(4))
        status, wrong = said(["page", str(self.folder / "page.pdf"), "--pages", "0"])
        self.assertEqual(status, 2)
        self.assertIn("Pages are named as", wrong)


if __name__ == "__main__":
    unittest.main()
