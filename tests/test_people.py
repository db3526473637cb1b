"""Players and bands in the window: entered, changed, taken into a new year, deleted for good; what the bench
shows afterwards.
"""

from __future__ import annotations

import datetime
from pathlib import Path
from unittest import mock

import sqlalchemy
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QCalendarWidget,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QListView,
    QPlainTextEdit,
    QSlider,
    QWidget,
)

from jeweller.errors import LedgerError
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog
from jeweller.gui.places.ledger.model import LedgerModel
from jeweller.gui.places.ledger.people_dialogs import MarksBox, PlayerBox, YearBox
from jeweller.library.library import Library
from jeweller.library.privacy import delete_band
from jeweller.library.progress import over_time
from jeweller.library.tables import Band
from jeweller.library.years import list_held_in_band, new_year
from tests.test_class import fill
from tests.test_desk import DeskCase
from tests.test_ledger import LedgerCase

CONTROLS = (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QSlider,
)


class Years(LedgerCase):
    def test_players_go_on_with_what_was_recorded_and_an_old_year_is_deleted(self) -> None:
        tray, _, (ilse, bram) = fill(self.library, self.band.id, ("Ilse", "flute"), ("Bram", "trumpet"))
        new = new_year(self.library, "The Fernhollow Band", " 2027 ", [ilse.id])
        self.assertEqual([p.name for p in self.library.players(new.id)], ["Ilse"])
        self.assertEqual(len(over_time(self.library, ilse).attempts), 1)
        second = self.library.add_tray(new.id, "New week")
        self.library.add_take(second.id, self.recording(), player=bram.id)
        goes = list_held_in_band(self.library, self.band)
        self.assertEqual(
            goes[:3],
            [
                "1 player: Bram",
                "1 tray with 2 recordings, their reports and what was decided",
                "1 recording of these players in trays of other bands",
            ],
        )
        self.assertEqual([t.id for t in self.library.trays(self.band.id)], [tray])

    def test_a_deletion_whose_pages_cannot_be_cleared_says_so(self) -> None:
        _, take = self.a_take()
        recording = self.library.recording(take)
        with (
            mock.patch(
                "jeweller.library.unfinished.text", lambda sql: sqlalchemy.text("SELECT * FROM nothing")
            ),
            self.assertRaisesRegex(LedgerError, "traces are left in its file"),
        ):
            delete_band(self.library, self.band.id)
        self.assertEqual((self.library.bands(), recording.exists()), ([], False))
        note = self.library.folder / "deleting.json"
        self.assertTrue(note.exists())
        self.reopened()
        self.assertFalse(note.exists())

    def test_a_band_is_deleted_whole_or_not_at_all(self) -> None:
        self.a_take()
        real = sqlalchemy.delete

        def stopped(kind: type) -> object:
            if kind is Band:
                raise KeyboardInterrupt
            return real(kind)

        with mock.patch("jeweller.library.privacy.delete", stopped), self.assertRaises(KeyboardInterrupt):
            delete_band(self.library, self.band.id)
        self.assertEqual(len(self.library.trays(self.band.id)), 1)


class Model(LedgerCase):
    """What the ledger knows and does, with no widget."""

    def setUp(self) -> None:
        super().setUp()
        self.tray, self.piece, _ = fill(self.library, self.band.id, ("Ilse", "flute"), ("Bram", "trumpet"))
        self.troubles: list[str] = []
        self.model = LedgerModel(lambda: self.library)
        self.model.trouble.connect(self.troubles.append)
        self.people = self.model.players
        self.people.read()

    def test_somebody_is_found_by_each_word_in_a_band(self) -> None:
        found = self.people.find("FLUTE il", None, 5)
        self.assertEqual([words for words, _number in found], ["Ilse · Flute"])
        self.assertEqual(self.people.find("flute bram", None, 5), [])
        self.assertEqual(self.people.find("", self.band.id + 1, 5), [])
        self.assertEqual(len(self.people.find("", self.band.id, 1)), 1)

    def test_who_is_deleted_is_looked_at_no_longer(self) -> None:
        (_words, bram), *_unused = self.people.find("bram", None, 5)
        self.people.choose(bram)
        self.assertFalse(self.people.change({"name": ""}))
        self.assertEqual(self.troubles, ["A player needs a name."])
        self.assertTrue(self.people.delete())
        self.people.read()
        self.assertIsNone(self.people.player)
        self.assertEqual([words for words, _number in self.people.find("", None, 5)], ["Ilse · Flute"])

    def test_the_class_of_a_piece(self) -> None:
        picture = self.model.picture
        self.assertEqual([number for _name, number in picture.trays()], [self.tray])
        ((words, piece),) = picture.pieces(self.tray)
        self.assertEqual((words[-4:], piece), (" (2)", self.piece))
        picture.choose(self.tray, piece)
        assert picture.view is not None
        self.assertEqual([row.player for row in picture.view.rows], ["Ilse", "Bram"])
        picture.choose(None, None)
        self.assertIsNone(picture.view)

    def test_consent_practice_and_what_is_held(self) -> None:
        (_words, ilse), *_unused = self.people.find("ilse", None, 5)
        self.people.choose(ilse)
        today = datetime.date(2026, 11, 29)
        assert self.people.player is not None
        before = self.people.player.consent
        self.assertTrue(self.people.toggle_consent(today))
        self.people.choose(ilse)
        self.assertEqual(self.people.player.consent, "" if before else "2026-11-29")
        self.assertTrue(self.people.add_practice(25, today))
        self.people.choose(ilse)
        assert self.people.progress is not None
        self.assertEqual((self.people.progress.minutes, self.people.progress.days), (25, 1))
        self.assertEqual(self.people.instrument_name(), "Flute")
        self.assertTrue(self.people.list_held())
        count = self.people.export(Path(self.library.store.folder) / "ilse.zip")
        self.assertGreater(count or 0, 0)

    def test_a_band_is_named_in_short_and_goes(self) -> None:
        band = self.people.band(self.band.id)
        assert band is not None
        self.assertFalse(self.people.rename_band(band, "   "))
        self.assertTrue(self.people.rename_band(band, "  The   Weir  Band " + "x" * 90))
        self.assertEqual(len(self.people.band_rows()[0].name), 80)
        self.assertTrue(self.people.delete_band(self.people.band_rows()[0]))
        self.assertEqual(self.people.bands(), [])

    def test_no_library(self) -> None:
        model = LedgerModel(lambda: None)
        self.assertEqual((model.picture.trays(), model.players.bands(), model.first_band()), ([], [], None))
        self.assertFalse(model.apply(lambda library: library.add_band("The Weir Band")))


class InTheWindow(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        library = Library(self.window.library_folder)
        band = library.add_band("The Fernhollow Band", "2026")
        self.tray, self.piece, _ = fill(library, band.id, ("Ilse", "flute"), ("Bram", "trumpet"))
        library.close()
        self.window.go("ledger")
        self.window.ledger.choose_way("players")
        self.page = self.window.ledger.players

    def names(self) -> list[str]:
        return [self.page.list.item(k).text() for k in range(self.page.list.count())]

    def test_somebody_new_and_somebody_changed(self) -> None:
        def accept(box: PlayerBox) -> int:
            box.name.setText("  Oda   of the mill ")
            box.instrument.setCurrentIndex(box.instrument.findText("Clarinet in B♭"))
            box.also.item(0).setCheckState(Qt.CheckState.Checked)
            return int(QDialog.DialogCode.Accepted)

        with mock.patch.object(PlayerBox, "exec", accept):
            self.page.new.click()
        self.assertIn("Oda of the mill · Clarinet in B♭", self.names())
        assert self.page.player is not None
        self.assertEqual(
            (self.page.player.name, len(self.page.player.also), self.page.title.text()),
            ("Oda of the mill", 1, "Oda of the mill"),
        )
        self.assertEqual(
            PlayerBox(self.page, self.window.bench.library.bands(), self.page.player).values(),  # type: ignore[union-attr]
            {
                "name": "Oda of the mill",
                "instrument": "clarinet",
                "also": self.page.player.also,
                "part": "",
                "band_id": 1,
            },
        )
        self.page.change({"name": "", "instrument": "", "also": [], "part": "", "band_id": 1})
        self.assertIn("needs a name", self.window.last_trouble)
        self.page.change(
            {"name": "Oda", "instrument": "bass-clarinet", "also": [], "part": "2nd", "band_id": 1}
        )
        self.assertIn("Oda · Bass clarinet in B♭", self.names())

    def test_a_new_year_is_looked_at_by_itself_and_the_old_one_deleted(self) -> None:
        library = self.window.bench.library
        assert library is not None
        self.window.go("bench")
        self.assertEqual(len(self.window.bench.lines), 2)
        self.window.go("ledger")
        box = YearBox(self.page, "The Fernhollow Band", library.players())
        box.year.setText("2027")
        box.players.item(0).setCheckState(Qt.CheckState.Unchecked)  # Bram
        self.page.add_year(box)
        self.assertEqual(
            (self.page.bands.currentText(), self.names()), ("The Fernhollow Band, 2027", ["Ilse · Flute"])
        )
        self.page.rename_band("The Weir Band")
        self.assertEqual(self.page.bands.currentText(), "The Weir Band, 2027")
        self.page.bands.setCurrentIndex(self.page.bands.findText("The Fernhollow Band, 2026"))
        self.assertEqual(self.names(), ["Bram · Trumpet in B♭"])
        self.page.delete_band(sure=True)
        self.assertEqual(
            ([b.name for b in library.bands()], [p.name for p in library.players()], library.trays()),
            (["The Weir Band"], ["Ilse"], []),
        )
        self.window.go("bench")  # what it had in hand is gone
        self.assertEqual((self.window.bench.hand, self.window.bench.lines), (None, []))
        self.assertEqual(self.window.next_button.text(), "Bring takes in…")

    def test_every_control_of_the_window_and_its_boxes_has_a_name_for_a_screen_reader(self) -> None:
        library = self.window.bench.library
        assert library is not None
        self.window.go("pattern")
        self.open_music(self.score)
        asked = CriteriaDialog(self.window, [(self.piece, "A test")], None, kinds_of=lambda piece: ["rest"])
        boxes = (
            asked,
            PlayerBox(self.window, library.bands()),
            YearBox(self.window, "", library.players()),
            MarksBox(self.window, ["player"], "all"),
        )
        named = set(self.window.findChildren(QLabel))
        for root in (self.window, *boxes):
            nameless = []
            for widget in root.findChildren(QWidget):
                said = (
                    widget.accessibleName() or getattr(widget, "text", lambda: "")()
                    if isinstance(widget, QAbstractButton)
                    else widget.accessibleName()
                )
                buddy = any(label.buddy() is widget for label in (*named, *root.findChildren(QLabel)))
                # What Qt makes itself of a control: the list of a choice, the button that clears a line.
                inside = (
                    type(widget) is QListView
                    or widget.objectName().startswith("qt_")
                    or isinstance(
                        widget.parent(), QAbstractSpinBox | QLineEdit | QCalendarWidget | QAbstractItemView
                    )
                )
                if isinstance(widget, CONTROLS) and not said and not buddy and not inside:
                    nameless.append(
                        (type(widget).__name__, type(widget.parent()).__name__, widget.objectName())
                    )
            self.assertEqual(nameless, [], f"{type(root).__name__}: {nameless}")

    def test_nobody_of_that_name(self) -> None:
        self.page.search.setText("nobody like this")
        self.assertEqual(
            (self.page.under.text(), self.page.edit.isVisible()),
            ("Nobody of that name or instrument.", False),
        )
        self.page.search.clear()
        self.assertTrue(self.page.edit.isVisible())
