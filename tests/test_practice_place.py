"""Practice through the real window: from a take of the booth to a list, its drills, and back to the booth."""

from __future__ import annotations

import base64
import datetime
import json
import re
import unittest
from pathlib import Path

from PySide6.QtWidgets import QLabel, QMenu

from jeweller.audio.decode import decode
from jeweller.practice.remedies import load_remedies
from jeweller.practice.settings import POLISH
from tests.booth_support import BoothCase


class Practising(BoothCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.practice.model.source = self.window.practice.model.made = None
        self.place, self.work = self.window.practice, self.window.practice.model

    def list_of(self, **slips: object) -> None:
        """A list of a take with slips."""
        self.window.go("booth")
        self.take(**slips)
        self.window.go("practice")
        self.wait(lambda: self.work.made is not None, what="for the list")

    def said(self) -> str:
        return "\n".join(label.text() for label in self.place.scroller.findChildren(QLabel))

    def test_with_no_take_it_says_where_one_comes_from(self) -> None:
        self.window.go("practice")
        self.wait(lambda: "Make a take in the booth" in self.said(), what="for what to do")
        self.assertIn("comes back after 1 day, then after 2, 4", self.said())  # the rule

    def test_what_was_worked_at_comes_back_on_another_day(self) -> None:
        self.list_of(wrong=(2,))
        self.place.cards[0].button.click()
        self.window.go("practice")
        self.assertIn("1 thing was worked at; 0 come back today", self.said())
        tomorrow = datetime.date.today() + datetime.timedelta(days=1)
        self.work.today = lambda: tomorrow
        self.addCleanup(setattr, self.work, "today", datetime.date.today)
        self.model.log.takes.clear()  # as after a start
        self.window.go("booth")
        self.window.go("practice")
        self.wait(lambda: self.work.made is not None and bool(self.place.cards), what="for the list")
        self.assertIn("Comes back from “A test”", self.said())
        before = self.work.kept()[0]
        self.place.cards[0].button.click()
        assert self.model.music is not None
        self.assertEqual(self.model.music.title, "The two notes in turn")
        self.take()
        assert self.model.take is not None
        self.assertTrue(self.model.take.clean)
        self.assertEqual((before.stage, self.work.kept()[0].stage), (0, 0))  # by the clock it is still today

    def test_each_thing_is_a_card_with_its_drill_and_leads_to_the_booth(self) -> None:
        self.list_of(wrong=(2, 6))
        (card,) = self.place.cards  # twice the same thing is one thing
        said = self.said()
        for words in ("sounded where", "Say the two notes, finger them silently", "The two notes in turn."):
            self.assertIn(words, said)
        card.button.click()
        self.assertEqual(self.window.place, "booth")
        assert self.model.music is not None
        self.assertEqual(self.model.music.title, "The two notes in turn")
        self.assertLess(self.model.plan.bpm, 90.0)
        self.take()  # a drill is checked like any take
        assert self.model.take is not None
        self.assertTrue(self.model.take.clean, self.model.take.findings)

    def test_what_comes_again_is_tried_otherwise(self) -> None:
        for _k in range(POLISH.tries):
            self.list_of(wrong=(2,))
            self.work.worked_at(0)
        self.list_of(wrong=(2,))
        self.assertEqual(list(self.work.in_vain().values()), [POLISH.tries])

    def test_another_number_of_minutes_and_a_clean_take(self) -> None:
        self.list_of()
        self.assertEqual(self.place.cards, [])
        self.assertIn("Nothing is to be mended in this take.", self.said())
        self.work.set_minutes(10)
        self.wait(lambda: self.work.made is not None and self.work.made.list.minutes == 10)

    def test_the_list_on_paper(self) -> None:
        self.list_of(wrong=(2,))
        page = Path(self.folder) / "list.pdf"
        self.place.print_list(str(page))
        self.wait(page.exists, what="for the page")
        self.assertEqual(page.read_bytes()[:4], b"%PDF")
        heard = Path(self.folder) / "list.html"
        self.place.print_list(str(heard), sounds=True)
        self.wait(heard.exists, what="for the page with its sound")
        sounds = re.findall('src="data:audio/mp4;base64,([^"]+)"', heard.read_text())
        self.assertEqual(len(sounds), len(self.place.cards))
        clip = self.folder / "drill.m4a"
        clip.write_bytes(base64.b64decode(sounds[0]))
        self.assertGreater(len(decode(clip, 22050).samples) / 22050, 10.0)  # eight bars, slowly

    def test_the_same_tune_made_fit_leads_to_the_booth(self) -> None:
        self.list_of(wrong=(2,))
        self.assertEqual(list(self.place.fits), ["key", "slower", "one_note", "skeleton"])
        self.place.fits["one_note"].click()
        self.assertEqual(self.window.place, "booth")
        assert self.model.music is not None
        self.assertIn("its rhythm on one note", self.model.music.title)
        notes = [n for b in self.model.music.part.bars for n in b.notes]
        self.assertEqual(len({n.pitch for n in notes if n.pitch is not None}), 1)

    def test_schools_that_disagree_are_chosen_and_said(self) -> None:
        self.list_of(wrong=(2,))
        quiet = self.said()
        self.assertNotIn("foot", quiet)
        self.work.choose_school("memory", "memory")
        self.addCleanup(self.work.choose_school, "memory", "")
        self.work.made = None
        self.wait(lambda: self.work.made is not None)
        self.assertIn("Play it by heart as soon as it goes.", self.said())
        menus = [a.menu() for a in self.place.schools_menu().actions()]
        ticked = [a.text() for m in menus if isinstance(m, QMenu) for a in m.actions() if a.isChecked()]
        self.assertEqual(ticked.count("nothing is said"), 4)
        self.assertIn("Play it by heart as soon as it goes.", ticked)

    def test_the_table_is_changed_given_away_and_brought_in(self) -> None:
        self.list_of(wrong=(2,))
        editor = self.place.edit_remedies()
        table = editor.table
        shipped = load_remedies(None).rows
        self.assertEqual(editor.remedies(), list(shipped))
        row = next(k for k, r in enumerate(shipped) if "wrong_note" in r.kinds and "flute" in r.hands)
        cell = table.table.item(row, 4)
        assert cell is not None
        cell.setText("Sing the two notes.")
        table.buttons["add"].click()
        new = table.table.item(len(shipped), 4)
        assert new is not None
        new.setText("A row of one's own.")
        path = self.folder / "given.json"
        editor.give(str(path))
        table.buttons["keep"].click()
        self.work.made = None
        self.wait(lambda: self.work.made is not None)
        self.assertIn("Sing the two notes.", self.said())
        kept = load_remedies(self.folder / "library")
        self.assertEqual((len(kept.rows), kept.foreign), (len(shipped) + 1, ()))
        (self.folder / "library" / "remedies.json").unlink()
        data = json.loads(path.read_text())
        data["rows"][0]["kinds"] = ["no_such_kind"]
        path.write_text(json.dumps(data))
        editor = self.place.edit_remedies()
        editor.bring(str(path))
        self.assertIn("row 1: no_such_kind is not known", self.window.last_trouble)
        self.assertIn("Sing the two notes.", [r.first for r in editor.remedies()])
        self.assertEqual(load_remedies(self.folder / "library").rows, shipped)  # nothing is kept unasked
        for bad in ("{", "[1]"):
            path.write_text(bad)
            editor.bring(str(path))
            self.assertIn("no table of remedies", self.window.last_trouble)
        editor.bring(str(self.folder / "gone.json"))
        self.assertIn("gone.json cannot be read", self.window.last_trouble)
        editor.table.sought.setText("Sing the two")
        hidden = [editor.table.table.isRowHidden(k) for k in range(editor.table.table.rowCount())]
        self.assertEqual(hidden.count(False), 1)
        editor.table.buttons["leave"].click()


if __name__ == "__main__":
    unittest.main()
