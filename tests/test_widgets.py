"""Rows that wrap, tables of words, pages that stand alone: by themselves, without the window."""

from __future__ import annotations

import datetime
import io
import re
import unittest
from typing import Any

import pypdfium2
from PySide6.QtWidgets import QComboBox, QLabel, QStyleOptionViewItem, QWidget

from jeweller.documents.care_sheet import care_page
from jeweller.documents.page import html_to_pdf, join_pdfs
from jeweller.documents.polish_sheet import polish_page
from jeweller.documents.wall_sheet import wall_page
from jeweller.documents.week_sheet import week_page
from jeweller.gui.shell.app import make_app
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.row_table import Column, RowTable
from jeweller.i18n import in_language
from jeweller.instruments.care import load_care
from jeweller.instruments.table import require_instrument
from jeweller.practice.log import Practised, Rule, week_of
from jeweller.practice.polish import make_polish_list
from jeweller.practice.remedies import load_remedies
from jeweller.practice.wall import stones_of
from tests.support import checked_take

HOSTILE = '<img src="file:///etc/passwd"> & {{ 7*7 }} <script>x</script>'


class Rows(unittest.TestCase):
    def setUp(self) -> None:
        make_app()
        self.page = QWidget()
        self.row = FlowRow(self.page, spacing=10)
        self.labels = [QLabel(c) for c in "abcd"]
        for label in self.labels:
            label.setMinimumSize(100, 20)
            self.row.addWidget(label)
        self.page.show()
        self.addCleanup(self.page.deleteLater)

    def test_it_goes_on_in_the_next_line_where_the_width_ends(self) -> None:
        heights = [self.row.heightForWidth(w) for w in (430, 420, 210, 100)]
        self.assertEqual(heights, [20, 50, 50, 110])
        self.assertEqual(self.row.sizeHint().width(), 430)

    def test_what_is_known_of_it_follows_every_change(self) -> None:
        self.assertEqual(self.row.heightForWidth(210), 50)
        self.labels[0].hide()
        self.labels[1].hide()
        self.assertEqual(self.row.heightForWidth(210), 20)
        self.labels[0].show()
        self.assertEqual(self.row.heightForWidth(210), 50)
        self.labels[2].setMinimumSize(100, 60)
        self.assertEqual(self.row.heightForWidth(430), 60)
        taken = self.row.takeAt(2)
        assert taken is not None
        self.assertEqual(self.row.heightForWidth(430), 20)
        wide = QLabel("e")
        wide.setMinimumSize(300, 20)
        self.row.insertWidget(0, wide)
        wide.show()
        self.assertEqual(self.row.heightForWidth(310), 50)
        self.assertIs(self.row.itemAt(0).widget(), wide)  # type: ignore[union-attr]


class Tables(unittest.TestCase):
    def setUp(self) -> None:
        make_app()
        self.parent = QWidget()
        self.kept: list[Any] = []
        columns = (
            Column(head="For", width=80, choices={"a": "Anna", "b": "Bert"}, fixed=True),
            Column(head="Words", width=200),
        )
        rows = [["a", "one"], ["b", "two"], ["z", "three"]]
        self.table = RowTable(self.parent, "A table", "Told.", columns, rows, lambda: ["a", ""], files=True)
        self.table.kept.connect(self.kept.append)
        self.addCleanup(self.parent.deleteLater)

    def test_values_go_in_and_out_whatever_their_words_are(self) -> None:
        self.assertEqual(self.table.rows(), [["a", "one"], ["b", "two"], ["z", "three"]])
        cell = self.table.table.item(0, 0)
        self.assertEqual(cell.text() if cell is not None else "", "Anna")
        self.table.buttons["keep"].click()
        self.assertEqual(self.kept, [[["a", "one"], ["b", "two"], ["z", "three"]]])

    def test_what_a_row_is_for_is_said_of_a_new_one_only(self) -> None:
        from PySide6.QtCore import Qt

        self.table.add()
        editable = [
            bool(item.flags() & Qt.ItemFlag.ItemIsEditable)
            for r in (0, 3)
            if (item := self.table.table.item(r, 0)) is not None
        ]
        self.assertEqual(editable, [False, True])

    def test_a_choice_is_made_from_what_may_stand_there(self) -> None:
        self.table.add()
        view = self.table.table
        index, delegate = view.model().index(3, 0), view.itemDelegate()
        box = delegate.createEditor(view, QStyleOptionViewItem(), index)
        assert isinstance(box, QComboBox)
        delegate.setEditorData(box, index)
        self.assertEqual(box.currentData(), "a")
        box.setCurrentIndex(1)
        delegate.setModelData(box, view.model(), index)
        self.assertEqual(self.table.rows()[3][0], "b")

    def test_rows_are_found_and_taken_out(self) -> None:
        self.table.sought.setText("TWO")
        hidden = [self.table.table.isRowHidden(r) for r in range(3)]
        self.assertEqual(hidden, [True, False, True])
        self.table.table.selectRow(1)
        self.table.buttons["remove"].click()
        self.assertEqual([r[1] for r in self.table.rows()], ["one", "three"])
        self.table.add()  # a new row is always seen
        self.assertFalse(self.table.table.isRowHidden(2))
        self.table.buttons["leave"].click()
        self.assertEqual(self.kept, [])


class Pages(unittest.TestCase):
    def pages(self) -> dict[str, str]:
        checked = checked_take()
        made = make_polish_list(
            checked.report, checked.line.part, require_instrument("trumpet"), 30, load_remedies(None)
        )
        day = datetime.date(2024, 2, 26)
        week = week_of([Practised(day="2024-02-26", minutes=20, note=HOSTILE)], day, Rule(15, 5))
        stones = stones_of([{"slot": "C|major", "day": "2024-02-26", "bpm": 72, "passed": True}])
        return {
            "polish": polish_page(made, HOSTILE, HOSTILE),
            "week": week_page(week, HOSTILE),
            "wall": wall_page(["C", "F"], stones, HOSTILE),
            "care": care_page(load_care(None), require_instrument("trumpet")),
        }

    def test_words_of_a_person_are_words_and_nothing_is_loaded(self) -> None:
        for name, html in self.pages().items():
            with self.subTest(name):
                self.assertNotIn("<script", html)
                self.assertNotIn('<img src="file', html)
                if name != "care":
                    self.assertIn("{{ 7*7 }}", html)
                sources = re.findall(r'(?:src|href)="([^"#]*)|url\(([^)]*)\)', html)
                self.assertTrue(all((a or b).startswith("data:") for a, b in sources if a or b), name)

    def test_they_speak_the_language_that_is_chosen(self) -> None:
        with in_language("de"):
            pages = self.pages()
        for name, words in (("week", "Unterschrift"), ("wall", "Tonleiterwand"), ("polish", "Minuten")):
            self.assertIn(words, pages[name])
            self.assertIn('lang="de"', pages[name])

    def test_several_are_joined_in_their_order(self) -> None:
        pages = self.pages()
        whole = join_pdfs([html_to_pdf(pages[n]) for n in ("wall", "week")])
        document = pypdfium2.PdfDocument(io.BytesIO(whole))
        words = [page.get_textpage().get_text_range() for page in document]
        document.close()
        self.assertIn("The scale wall", words[0])
        self.assertIn("Signature", words[-1])


if __name__ == "__main__":
    unittest.main()
