"""The keys reach everything, and where they go is seen: on every kind of control and in every theme."""

from __future__ import annotations

import unittest

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from jeweller.documents.theme import THEMES
from jeweller.gui.shell.sidebar import PLACES
from jeweller.gui.shell.style import apply_theme
from jeweller.gui.shell.window import Window
from jeweller.gui.widgets.readable import StayingButton
from tests.support import WATCHDOG, WindowCase

WAYS = {
    "pattern": ("make", "type", "open", "shelf"),
    "practice": range(4),
    "warmup": ("tuner", "tones", "air", "lists"),
    "ledger": ("class", "players", "assigned"),
}
LEAST = 60  # pixels that differ clearly
CLEARLY = 40  # of 255


def changed(a: QImage, b: QImage) -> int:
    return sum(
        abs(a.pixelColor(x, y).lightness() - b.pixelColor(x, y).lightness()) > CLEARLY
        for x in range(a.width())
        for y in range(a.height())
    )


class Focus(WindowCase):
    def test_it_is_seen(self) -> None:
        page = QWidget()
        page.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.addCleanup(page.deleteLater)
        column = QVBoxLayout(page)
        controls: dict[str, QWidget] = {
            name: QPushButton("A word") for name in ("plain", "next", "word", "inline")
        }
        controls |= {
            "checked": StayingButton("A word"),
            "box": QComboBox(),
            "line": QLineEdit(),
            "list": QListWidget(),
        }
        controls["tick"] = QCheckBox("A word")
        for name, control in controls.items():
            control.setObjectName(name)
            column.addWidget(control)
        controls["checked"].setChecked(True)  # type: ignore[attr-defined]
        page.show()
        page.activateWindow()
        self.wait(page.isActiveWindow)
        for theme in THEMES.values():
            apply_theme(self.app, theme)
            for name, control in controls.items():
                page.setFocus()
                self.turn(5)
                before, size = page.grab(control.geometry()).toImage(), control.size()
                control.setFocus()
                self.wait(control.hasFocus)
                self.turn(20)
                self.assertEqual(control.size(), size, name)
                self.assertGreater(
                    changed(before, page.grab(control.geometry()).toImage()), LEAST, (theme.name, name)
                )


class Reached(WindowCase):
    def test_everything_that_takes_keys_is_reached_by_tab(self) -> None:
        window = self.open_window()
        window.activateWindow()
        for place in PLACES:
            window.go(place)
            for way in WAYS.get(place, (None,)):
                if way is not None:
                    getattr(window, place).choose_way(way)
                self.turn(60)
                reached, wanted = self.tabbed(window), self.takers(window)
                missed = [(type(w).__name__, w.accessibleName() or w.objectName()) for w in wanted - reached]
                self.assertEqual(missed, [], (place, way))
                self.assertGreater(len(wanted), len(PLACES), (place, way))
        WATCHDOG.held = []

    def takers(self, window: Window) -> set[QWidget]:
        """What Tab should reach; of several of which one is chosen that one, the others by the arrows."""
        found = set()
        for w in window.findChildren(QWidget):
            if not w.isVisible() or not w.isEnabled() or not w.focusPolicy() & Qt.FocusPolicy.TabFocus:
                continue
            one_of = isinstance(w, QAbstractButton) and (
                w.autoExclusive() or (w.group() is not None and w.group().exclusive())
            )
            if not (one_of and not w.isChecked()) and w.focusProxy() is None:
                found.add(w)
        return found

    def tabbed(self, window: Window) -> set[QWidget]:
        """What has the keys, one after another."""
        seen: list[QWidget] = []
        for _unused in range(400):
            QTest.keyClick(window.focusWidget() or window, Qt.Key.Key_Tab)
            now = window.focusWidget()
            if now is None or seen.count(now) > 2:
                break
            seen.append(now)
        return set(seen)


if __name__ == "__main__":
    unittest.main()
