"""A page that was read, looked over: corrections line by line, and in the window by keys."""

from __future__ import annotations

import unittest
from fractions import Fraction

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from jeweller.documents.page import html_to_pdf
from jeweller.documents.parts import parts_page
from jeweller.errors import ScoreError
from jeweller.gui.places.pattern_book.from_page import METRES
from jeweller.gui.places.pattern_book.page_model import PageModel, read_kept_page
from jeweller.notation.readers.abc import read_abc
from jeweller.omr import correct
from jeweller.omr.correct import Lines, Spot
from jeweller.omr.line import ReadBar, ReadLine, ReadNote
from jeweller.omr.music import make_piece
from jeweller.omr.page import PagesRead, read_lines
from jeweller.omr.primitives import Box
from tests.test_desk import DeskCase

TWO = """X:1
T:First steps
M:4/4
L:1/4
K:G
G A B c|d2 B2|A B c/d/ c|G4|]
"""


def note(place: int | None, kind: str = "quarter", *, x: float = 0.0, **more: object) -> ReadNote:
    made = ReadNote(box=Box(x, 0.0, x + 5.0, 5.0), place=place, type=kind)
    for name, value in more.items():
        setattr(made, name, value)
    return made


def lines(*bars: list[ReadNote], metre: tuple[int, int] = (4, 4), fifths: int = 0) -> Lines:
    read = [ReadBar(left=100.0 * k, right=100.0 * (k + 1), notes=notes) for k, notes in enumerate(bars)]
    read[0].metre, read[0].fifths, read[0].clef = metre, fifths, ("G", 2, 0)
    read[-1].final = True
    return (ReadLine(box=Box(0, 0, 100, 20), space=5.0, bars=read),)


def names(read: Lines) -> list[str]:
    part = make_piece(read, "", None).score.parts[0]
    return [n.pitch.name if n.pitch else "rest" for b in part.bars for n in b.notes]


class Corrections(unittest.TestCase):
    def setUp(self) -> None:
        self.lines = lines([note(4, x=k * 10.0) for k in range(4)], [note(2, "whole")], fifths=1)
        self.at = Spot(0, 0, 1)

    def test_each_leaves_what_was_before_as_it_was(self) -> None:
        higher = correct.step(self.lines, self.at, 1)
        self.assertEqual(names(self.lines)[:2], ["B4", "B4"])
        self.assertEqual(names(higher)[:2], ["B4", "C5"])
        self.assertEqual(names(correct.step(self.lines, self.at, 7))[1], "B5")

    def test_a_letter_is_the_nearest_of_its_name(self) -> None:
        for letter, found in (("A", "A4"), ("F", "F♯4"), ("E", "E5"), ("G", "G4")):
            self.assertEqual(names(correct.name(self.lines, self.at, letter))[1], found)
        rest = correct.rest(self.lines, self.at)
        self.assertEqual(names(rest)[1], "rest")
        with self.assertRaises(ScoreError):
            correct.step(rest, self.at, 1)
        self.assertEqual(names(correct.name(rest, self.at, "C"))[1], "C5")

    def test_a_semitone_is_an_accidental_and_back_in_the_key_none(self) -> None:
        flat = correct.alter(self.lines, self.at, -1)
        self.assertEqual(correct.note_at(flat, self.at).accidental, "flat")
        self.assertEqual(correct.note_at(correct.alter(flat, self.at, 1), self.at).accidental, "")
        f = correct.alter(correct.name(self.lines, self.at, "F"), self.at, -1)
        self.assertEqual((names(f)[1], correct.note_at(f, self.at).accidental), ("F4", "natural"))

    def test_lengths_dots_and_triplets_add_up(self) -> None:
        def held(read: Lines) -> Fraction:
            return sum((n.quarters for n in read[0].bars[0].notes), Fraction(0))

        self.assertEqual(held(correct.last(self.lines, self.at, Fraction(1, 2))), Fraction(7, 2))
        self.assertEqual(held(correct.dot(self.lines, self.at)), Fraction(9, 2))
        three = correct.triplet(self.lines, self.at)
        self.assertEqual(held(three), Fraction(3))
        self.assertEqual(held(correct.triplet(three, self.at)), Fraction(4))
        with self.assertRaises(ScoreError):
            correct.triplet(self.lines, Spot(0, 0, 2))
        grace = correct.toggle(self.lines, self.at, "grace")
        self.assertEqual((held(grace), correct.note_at(grace, self.at).grace), (Fraction(3), True))

    def test_notes_and_bar_lines_come_and_go(self) -> None:
        more, at = correct.add_after(self.lines, self.at)
        self.assertEqual((len(more[0].bars[0].notes), at.note), (5, 2))
        fewer, back = correct.take_away(more, at)
        self.assertEqual((len(fewer[0].bars[0].notes), back), (4, at))
        parted, _same = correct.bar_line(self.lines, self.at)
        self.assertEqual([len(b.notes) for b in parted[0].bars], [2, 2, 1])
        joined, _same = correct.bar_line(parted, self.at)
        self.assertEqual([len(b.notes) for b in joined[0].bars], [4, 1])
        self.assertTrue(joined[0].bars[-1].final)
        with self.assertRaises(ScoreError):
            correct.bar_line(self.lines, Spot(0, 1, 0))

    def test_ties_and_slurs_go_to_the_next_note(self) -> None:
        tied = correct.tie(self.lines, Spot(0, 0, 3))
        self.assertEqual(
            (tied[0].bars[0].notes[3].tie_start, tied[0].bars[1].notes[0].tie_stop), (True, True)
        )
        one = correct.slur(self.lines, self.at)
        two = correct.slur(one, Spot(0, 0, 2))  # it goes on
        self.assertEqual([n.slur_stops for n in two[0].bars[0].notes], [0, 0, 0, 1])
        none = correct.slur(two, self.at)
        self.assertEqual(sum(n.slur_starts + n.slur_stops for n in none[0].bars[0].notes), 0)

    def test_key_and_metre_hold_from_here_on(self) -> None:
        self.assertEqual(names(correct.set_key(self.lines, self.at, -2))[:2], ["B♭4", "B♭4"])
        changed = make_piece(correct.set_metre(self.lines, self.at, (3, 4)), "", None).score.parts[0]
        self.assertEqual([b.beats for b in changed.bars], [3, 3])


class Models(unittest.TestCase):
    def model(self) -> PageModel:
        model = PageModel()
        first = lines([note(4), note(5, sure=0.4, doubts=["head"]), note(4)], [note(2, "whole")])
        second = lines([note(4), note(4), note(4), note(4, sure=0.3, doubts=["accidental"])])
        second[0].numbers = ["2"]
        model.take("page.pdf", PagesRead((*first, *second), (), ()))
        return model

    def test_doubts_are_walked_through_over_all_pieces(self) -> None:
        model = self.model()
        self.assertEqual([model.title_of(p) for p in model.pieces], ["Piece 1", "2"])
        # the bar that lacks a beat, a head, an accidental
        self.assertEqual(model.count_doubts(), 3)
        self.assertEqual(model.told(), "Bar 1 lacks 1 beat.")
        self.assertTrue(model.next_doubt())
        self.assertEqual((model.index, model.spot), (0, Spot(0, 0, 1)))
        self.assertIn("Which head it has is doubtful.", model.told())
        self.assertTrue(model.next_doubt())
        self.assertEqual((model.index, model.spot), (1, Spot(0, 0, 3)))
        self.assertTrue(model.next_doubt(-1))
        self.assertEqual(model.index, 0)

    def test_what_is_typed_stays_though_a_bar_does_not_add_up(self) -> None:
        model = self.model()
        model.look_at(Spot(0, 0, 0))
        model.correct(lambda lines, spot: correct.last(lines, spot, Fraction(1, 2)))
        assert model.piece is not None
        self.assertEqual(model.piece.score.parts[0].bars[0].notes[0].type, "eighth")
        self.assertEqual(model.told(), "Bar 1 lacks 1½ beats.")

    def test_what_is_confirmed_is_doubted_no_more_and_can_be_taken_back(self) -> None:
        model = self.model()
        model.look_at(Spot(0, 0, 1))
        model.correct(correct.confirm)
        self.assertEqual(model.count_doubts(), 2)
        self.assertTrue(model.undo())
        self.assertEqual(model.count_doubts(), 3)
        self.assertTrue(model.redo())
        self.assertFalse(model.redo())
        self.assertEqual(model.count_doubts(), 2)


class InTheWindow(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.go("pattern")
        self.place = self.window.pattern
        score = read_abc(TWO)[0]
        self.path = self.folder / "steps.pdf"
        self.path.write_bytes(html_to_pdf(parts_page(score)))
        self.window.open_files([str(self.path)])
        self.page = self.place.page
        self.wait(lambda: self.page.score is not None)

    def names(self) -> list[str]:
        score = self.place.model.score
        assert score is not None
        return [n.known_pitch.name for b in score.parts[0].bars for n in b.notes]

    def type(self, *keys: Qt.Key | str) -> None:
        for key in keys:
            if isinstance(key, str):
                QTest.keyClicks(self.page.view.paper, key)
            else:
                QTest.keyClick(self.page.view.paper, key)

    def test_a_page_is_read_corrected_by_keys_and_put_on_the_shelf(self) -> None:
        self.assertEqual((self.place.model.way, self.names()[:4]), ("page", ["G4", "A4", "B4", "C5"]))
        self.assertFalse(self.page.try_button.isVisible())
        self.assertIn("Nothing is doubted", self.page.doubts.text())
        self.type(Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Right, "d", "8")
        self.assertEqual(self.names()[:4], ["G4", "B4", "D5", "C5"])
        self.assertIn("Bar 1 lacks ½ beat.", self.page.told.text())
        self.assertIn("1 doubt left", self.page.doubts.text())
        QTest.keyClick(self.page.view.paper, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertNotIn("lacks", self.page.told.text())
        self.page.player.setCurrentIndex(self.page.player.findData("clarinet"))
        self.page.player.activated.emit(self.page.player.currentIndex())
        part = self.place.part()
        assert part is not None
        self.assertEqual(part.chromatic, -2)
        self.place.put_on_shelf()
        shelf = self.place.shelf.open()
        assert shelf is not None
        (piece,) = shelf.pieces.values()
        self.assertEqual(piece.title, "First steps")
        kept = read_kept_page(shelf.page(piece.id) or b"")  # the page is kept beside it
        self.assertEqual((len(kept.pictures), len(kept.places)), (1, 12))
        self.place.choose_way("shelf")
        self.place.shelf.list.setCurrentRow(0)
        self.assertIn(
            "The page it was read from…", [a.text() for a in self.place.shelf.piece_menu().actions()]
        )
        files = shelf.remove(piece.id)
        self.assertIn(f"{piece.id}.page", files)

    def test_key_and_metre_have_keys_of_their_own(self) -> None:
        def now() -> tuple[int, int, int]:
            part = self.place.part()
            assert part is not None
            return part.bars[0].fifths, part.bars[0].beats, part.bars[0].beat_type

        fifths, beats, unit = now()
        self.type("k")
        self.assertEqual(now()[0], fifths + 1)
        for _twice in range(2):
            QTest.keyClick(self.page.view.paper, Qt.Key.Key_K, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(now()[0], fifths - 1)
        after = METRES[METRES.index((beats, unit)) + 1]
        self.type("/")
        self.assertEqual(now()[1:], after)

    def test_the_page_and_what_was_read_lead_to_one_another(self) -> None:
        part = self.place.part()
        assert part is not None
        self.page.look_at_note(part.bars[2].notes[0].id)
        self.assertEqual(self.page.model.spot, Spot(0, 2, 0))
        _page, box = self.page.model.box(Spot(0, 1, 1))
        self.page.view.paper.pointed.emit(box.x, box.y)
        self.assertEqual(self.page.model.spot, Spot(0, 1, 1))
        self.assertIn(self.page.looked_note(), self.page.marked_notes())

    def test_what_is_no_page_is_a_sentence_and_what_was_read_stays(self) -> None:
        wrong = self.folder / "words.pdf"
        wrong.write_bytes(html_to_pdf("<p>Bring your own stand.</p>"))
        self.window.open_files([str(wrong)])
        self.wait(lambda: bool(self.window.last_trouble))
        self.assertIn("no staff with notes", self.window.last_trouble)
        self.assertEqual(self.names()[0], "G4")


class Lined(unittest.TestCase):
    def test_the_lines_of_a_page_come_with_its_picture(self) -> None:
        read = read_lines(html_to_pdf(parts_page(read_abc(TWO)[0])), [])
        (picture,) = read.pictures
        self.assertTrue(picture.data.startswith(b"\x89PNG"))
        self.assertEqual((round(picture.width), picture.scanned, read.left), (595, False, ()))


if __name__ == "__main__":
    unittest.main()
