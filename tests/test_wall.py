"""The scale wall: what sets a stone and what does not, in which order, and the page in the real window."""

from __future__ import annotations

import datetime
import random
import unittest
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from jeweller.gui.places.booth.model import BoothStage
from jeweller.gui.places.practice.view import WALL_WAY
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.performance import perform_part
from jeweller.practice.settings import WALL
from jeweller.practice.wall import (
    FORMS,
    Slot,
    draw_test,
    key_before,
    keys_in_order,
    last_key,
    make_scale,
    may_set,
    signs_carried,
    stones_of,
)
from jeweller.practice.wall_words import carried_words, stone_sign, stone_words
from tests.booth_support import BoothCase
from tests.support import part_of

DAY = datetime.date(2024, 2, 29)


def entry(slot: str, bpm: float = 60, *, day: str = "2024-02-29", passed: bool = True, **more: Any) -> Any:
    return {"slot": slot, "day": day, "bpm": bpm, "passed": passed, "by": "check", **more}


class Stones(unittest.TestCase):
    def test_only_what_passed_stands_and_the_fastest_is_kept(self) -> None:
        c = Slot("C", "major")
        self.assertEqual(stones_of([entry("C|major", passed=False)]), {})
        told = [entry("C|major", 80), entry("C|major", 60, day="2024-03-09", reading="memory")]
        stone = stones_of(told)[c]
        self.assertEqual((stone.bpm, stone.day.isoformat(), stone.reading), (80.0, "2024-03-09", ""))
        faster = stones_of([*told, entry("C|major", 92, by="ear")])[c]
        self.assertEqual((faster.bpm, stone_sign(faster)), (92.0, "▣ 92"))

    def test_an_old_one_that_fails_is_loose_until_it_is_set_again(self) -> None:
        c = Slot("C", "major")
        told = [entry("C|major", 80), entry("C|major", 80, passed=False)]
        self.assertTrue(stones_of(told)[c].loose)
        self.assertIn("to be set again", stone_words(c, stones_of(told)[c]))
        self.assertFalse(stones_of([entry("C|major", 60), entry("C|major", 80, passed=False)])[c].loose)
        again = stones_of([*told, entry("C|major", 60)])[c]
        self.assertEqual((again.loose, again.bpm), (False, 60.0))

    def test_entries_that_cannot_be_read_are_passed_over(self) -> None:
        bad = [{}, entry("C"), entry("C|nothing"), entry("C|major", day="soon"), {"slot": 3}]
        self.assertEqual(stones_of(bad), {})
        self.assertEqual(last_key(bad[:3]), "")

    def test_new_ones_are_few_a_day_old_ones_and_a_testing_session_are_free(self) -> None:
        told = [entry(f"{t}|major") for t in "CDEFGAB"[: WALL.new_a_day]]
        self.assertFalse(may_set(told, Slot("B♭", "major"), DAY))
        self.assertTrue(may_set(told, Slot("C", "major"), DAY))
        self.assertTrue(may_set(told, Slot("B♭", "major"), DAY, session=True))
        self.assertTrue(may_set(told, Slot("B♭", "major"), DAY + datetime.timedelta(days=1)))
        session = [entry(f"{t}|major", session=True) for t in "CDEFGAB"]
        self.assertTrue(may_set(session, Slot("B♭", "major"), DAY))

    def test_what_is_tested_again_is_old_or_loose(self) -> None:
        draw = random.Random(1)
        new = stones_of([entry("C|major")])
        self.assertIsNone(draw_test(new.values(), DAY, draw))
        told = [entry("C|major"), entry("D|major", day="2024-01-01"), entry("E|major", day="2023-01-01")]
        drawn = [draw_test(stones_of(told).values(), DAY, draw) for _k in range(60)]
        names = [s.slot.tonic for s in drawn if s is not None]
        self.assertEqual(set(names), {"D", "E"})
        self.assertGreater(names.count("E"), names.count("D"))  # the older, the likelier
        loose = [*told, entry("C|major", passed=False)]
        found = draw_test(stones_of(loose).values(), DAY, draw)
        self.assertEqual(found.slot.tonic if found is not None else "", "C")


class TheKeyBefore(unittest.TestCase):
    def test_a_sign_of_the_key_before_is_named_as_that(self) -> None:
        told = [entry("G|major"), entry("F|five"), entry("F|major", passed=False)]
        f_major = Slot("F", "major")
        before = key_before(told, f_major)
        self.assertEqual(before, Slot("G", "major"))
        self.assertIsNone(key_before(told[1:], f_major))

        def report(kind: str, heard: str) -> Any:
            return {"findings": [{"kind": kind, "detail": {"heard_letter": heard}}]}

        self.assertEqual(signs_carried(report("added_accidental", "F♯"), f_major, before), ["F♯"])
        self.assertEqual(signs_carried(report("missed_accidental", "B"), f_major, before), ["B"])
        for kind, heard in (("added_accidental", "C♯"), ("wrong_note", "F♯"), ("added_accidental", "")):
            self.assertEqual(signs_carried(report(kind, heard), f_major, before), [])
        self.assertEqual(signs_carried(report("added_accidental", "F♯"), f_major, None), [])
        said = carried_words(["F♯", "B"], before)
        self.assertTrue(said.startswith("F♯, B belong to G major, which you practised before."), said)
        self.assertEqual(Slot("G♭", "melodic").fifths, 3)


class Scales(unittest.TestCase):
    def test_orders(self) -> None:
        self.assertEqual(keys_in_order("flats")[:3], ["C", "F", "B♭"])
        self.assertEqual(keys_in_order("circle")[:3], ["C", "G", "D"])
        part = part_of("Bb4/4 | C5/4", fifths=-2)
        self.assertEqual(keys_in_order("music", [part])[:2], ["B♭", "C"])
        for order in ("flats", "circle", "music", "own"):
            self.assertEqual(len(set(keys_in_order(order, [part], "D D Ab"))), 12)

    def test_each_can_be_made_for_each_instrument_that_has_it(self) -> None:
        for instrument in instruments():
            if instrument.family == "percussion":
                continue
            for form in ("five", "major", "chord", "melodic"):
                score = make_scale(Slot("B♭", form), instrument, 60.0)
                line = perform_part(score.title, score.parts[0])
                self.assertGreater(len(line.main_notes), 4, (instrument.id, form))
        flute = make_scale(Slot("D", "major"), require_instrument("flute"), 60.0)
        self.assertEqual((flute.title, flute.parts[0].bars[0].fifths), ("D major", 2))


class Page(BoothCase):
    def setUp(self) -> None:
        super().setUp()
        self.place, self.wall = self.window.practice, self.window.practice.wall
        self.window.go("practice")
        self.place.choose_way(WALL_WAY)
        self.page = self.place.wall_page
        self.wall.today = lambda: DAY
        self.wall.choose(None)
        self.wall.bpm, self.wall.reading = 80.0, "memory"
        self.page.refresh()

    def choose(self, row: int, form: str) -> Slot:
        self.page.table.setCurrentCell(row, list(FORMS).index(form))
        slot = self.page.place()
        assert slot is not None
        return slot

    def test_a_check_that_passes_sets_the_stone_and_one_that_fails_does_not(self) -> None:
        slot = self.choose(0, "five")
        for slips, sign in (({"wrong": (2,)}, ""), ({}, "■ 80")):
            self.window.go("practice")
            self.choose(0, "five")
            QTest.keyClick(self.page.table, Qt.Key.Key_Return)
            self.assertEqual(self.window.place, "booth")
            self.wait(lambda: self.model.music is not None and self.model.music.title == slot.said)
            self.take(**slips)
            self.assertEqual(self.model.stage, BoothStage.OWN_VIEW)  # the player says first
            self.assertEqual(self.wall.stones, {})
            self.booth.own_view.say()
            self.assertEqual(stone_sign(self.wall.stones.get(slot)), sign)
        self.assertEqual(self.wall.stones[slot].reading, "memory")
        self.booth.open_piece(self.piece.id, "Flute")
        self.wait(lambda: self.model.music is not None and self.model.music.title == "A test")
        self.assertFalse(self.model.own_first)  # other music is played as it was before
        self.window.go("practice")
        self.choose(0, "five")
        self.assertIn("by a check", self.page.told.text())
        self.assertIn("Practised last: C major.", self.page.told.text())

    def test_the_teachers_ear_is_marked_so_and_the_wall_is_printed(self) -> None:
        slot = self.choose(2, "major")
        self.page.ear.click()
        self.assertEqual(stone_sign(self.wall.stones[slot]), "▣ 80")
        self.assertIn("by the teacher's ear", self.page.told.text())
        paper = self.folder / "wall.pdf"
        self.place.print_wall(str(paper))
        self.wait(paper.exists, what="for the page")
        self.assertEqual(paper.read_bytes()[:4], b"%PDF")

    def test_too_many_new_ones_a_day_and_nothing_old_are_said(self) -> None:
        self.page.test.click()
        self.assertIn("nothing to test", self.window.statusBar().currentMessage())
        for row in range(WALL.new_a_day):
            self.choose(row, "major")
            self.page.ear.click()
        self.choose(8, "major")
        self.page.go.click()
        self.assertEqual(self.window.place, "practice")
        self.assertIn("are enough", self.window.statusBar().currentMessage())
        self.wall.today = lambda: DAY + datetime.timedelta(days=30)
        self.page.test.click()
        self.assertEqual(self.window.place, "booth")

    def test_the_class_at_a_glance_leads_to_each_wall(self) -> None:
        library = self.window.waked_library()
        assert library is not None
        self.page.at_a_glance.setChecked(True)
        self.assertIn("no class yet", self.page.told.text())
        self.page.at_a_glance.setChecked(False)
        band = library.add_band("Band", "2026")
        players = [library.add_player(band.id, name, "flute") for name in ("Ada Reed", "Bo Horn")]
        self.wall.choose(library.player(players[1].id))
        self.choose(2, "major")
        self.page.ear.click()
        self.page.at_a_glance.setChecked(True)
        table = self.page.table
        self.assertEqual((table.rowCount(), table.columnCount()), (2, 12))
        signs = [[item.text() for c in range(12) if (item := table.item(r, c))] for r in (0, 1)]
        self.assertEqual((set(signs[0]), signs[1][2]), ({""}, "▣ 80"))
        table.setCurrentCell(1, 2)
        self.assertIn("Bo Horn: 1 of 12 keys stands in the form “major”.", self.page.told.text())
        self.assertEqual(self.place.next_step()[0], "Look at this wall")
        paper = self.folder / "class.pdf"
        self.place.print_wall(str(paper))
        self.wait(paper.exists, what="for the page")
        table.setCurrentCell(0, 0)
        self.place.next_step()[1]()
        assert self.wall.player is not None
        self.assertEqual((self.wall.player.name, self.page.whole_class), ("Ada Reed", False))
        self.assertEqual(self.window.place, "practice")

    def test_another_order_keeps_what_stands(self) -> None:
        slot = self.choose(0, "major")
        self.page.ear.click()
        self.wall.set_order("circle")
        self.addCleanup(self.wall.set_order, "flats")
        header = self.page.table.verticalHeaderItem(1)
        self.assertEqual(header.text() if header is not None else "", "G")
        self.assertIn(slot, self.wall.stones)


if __name__ == "__main__":
    unittest.main()
