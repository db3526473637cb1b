"""Text twice as large: at 1280x800 no word is cut short, and what does not fit is reached by scrolling."""

from __future__ import annotations

import unittest

from PySide6.QtWidgets import QAbstractButton, QDialogButtonBox, QLabel, QScrollArea

from jeweller.audio.ports import SimulatedSpeaker
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog
from jeweller.gui.shell.app import open_settings
from jeweller.gui.shell.dialogs import show_keys
from jeweller.gui.shell.sidebar import PLACES
from jeweller.gui.shell.window import Window
from jeweller.gui.widgets.elided import ElidedButton, ElidedLabel
from tests.support import WATCHDOG, WindowCase

WAYS = {"pattern": ("make", "type", "open", "shelf"), "ledger": ("class", "players", "assigned")}


class Twice(WindowCase):
    def test_nothing_is_lost(self) -> None:
        window = self.open_window()
        window.set_text_size(200)
        for place in PLACES:
            window.go(place)
            for way in (*WAYS.get(place, ()), *(range(4) if place == "practice" else ())):
                getattr(window, place).choose_way(way)
                self.turn(60)
                self.look(window, place)
            self.look(window, place)
        for box in (show_keys(window), CriteriaDialog(window, [("x", "A test")], None)):
            box.show()
            self.turn(30)
            buttons = box.findChild(QDialogButtonBox)
            assert buttons is not None
            self.assertTrue(
                box.screen().availableSize().expandedTo(box.size()) == box.screen().availableSize()
            )
            self.assertTrue(box.rect().contains(buttons.geometry()))
            box.close()
        window.set_text_size(100)
        window.close()
        again = Window(open_settings(self.folder / "desk.ini"), SimulatedSpeaker())
        self.addCleanup(again.close)
        self.assertEqual(again.text_size, 100)
        WATCHDOG.held = []  # all is laid out anew at another size: not what a key waits for

    def look(self, window: Window, place: str) -> None:
        self.turn(60)
        self.assertEqual((window.width(), window.height()), (1280, 800))
        for kind in (QAbstractButton, QLabel):
            for w in window.findChildren(kind):
                if not w.isVisible() or not w.text() or isinstance(w, ElidedButton | ElidedLabel):
                    continue
                what = (place, w.text())
                self.assertGreaterEqual(w.width(), w.minimumSizeHint().width(), what)
                need = w.heightForWidth(w.width()) if w.hasHeightForWidth() else w.minimumSizeHint().height()
                self.assertGreaterEqual(w.height() + 4, need, what)  # of its margins
        area = window.places.parentWidget().parentWidget()
        assert isinstance(area, QScrollArea)
        self.assertFalse(area.horizontalScrollBar().isVisible(), place)


if __name__ == "__main__":
    unittest.main()
