"""What is remembered: whatever stands in the file, the window opens and works; what a newer version wrote is
told and not lost.
"""

from __future__ import annotations

import json
import random
import re
from pathlib import Path

from PySide6.QtCore import QSettings

import jeweller.gui
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.gui.services.kept import FORMAT, check_format, kept_number, kept_path
from jeweller.gui.shell.app import open_settings
from jeweller.gui.shell.sidebar import PLACES
from jeweller.gui.shell.window import Window
from jeweller.practice.remedies import load_remedies, save_remedies
from tests.support import WATCHDOG, TempCase, WindowCase

JUNK = (
    "",
    "nan",
    "-1",
    "1e999",
    "[]",
    "{}",
    "{",
    '[["a"], 3, null, ["a", "b", "c"]]',
    '{"columns": 3, "attempts": [], "with_mark": "x", "per_page": -4, "greeting": 7, "else": 1}',
    "[" * 5000,
    "@ByteArray(no layout)",
    "@Variant(junk)",
    "/no/such/folder",
    "\x00\u202e\ud7ff",
    "x" * 10_000,
)


def known_names() -> list[str]:
    """The settings that the interface reads, by its source."""
    source = "".join(p.read_text(encoding="utf-8") for p in Path(jeweller.gui.__path__[0]).rglob("*.py"))
    names = re.findall(r'(?:settings|\b)\.?value\(\s*"([^"]+)"|kept_\w+\(\s*[\w.]+,\s*"([^"]+)"', source)
    return sorted({one or other for one, other in names})


class OddSettings(WindowCase):
    def test_every_place_opens_whatever_stands_in_the_settings(self) -> None:
        names = known_names()
        self.assertGreater(len(names), 25)
        drawn = random.Random(21)
        for turn in range(2):
            settings = QSettings(str(self.folder / f"{turn}.ini"), QSettings.Format.IniFormat)
            for name in names:
                settings.setValue(name, drawn.choice(JUNK))
            settings.setValue("library", ("/a\0b", "here/library")[turn])
            window = Window(settings, SimulatedSpeaker())
            window.show()
            for place in PLACES:
                window.go(place)
                self.turn(30)
            self.assertTrue(window.bench.model.marks_asked()[0])
            window.close()
            window.deleteLater()
        WATCHDOG.held = []  # two windows are built with all their places: that takes its time

    def test_a_folder_without_its_beginning_is_no_folder(self) -> None:
        settings = QSettings(str(self.folder / "part.ini"), QSettings.Format.IniFormat)
        settings.setValue("library", "here/library")
        self.assertEqual(kept_path(settings, "library"), "")
        settings.setValue("library", str(self.folder / "library"))
        self.assertEqual(kept_path(settings, "library"), str(self.folder / "library"))

    def test_large_text_of_an_earlier_version_stays_large(self) -> None:
        settings = open_settings(self.folder / "desk.ini")
        settings.setValue("large", "yes")
        window = Window(settings, SimulatedSpeaker())
        self.addCleanup(window.close)
        self.assertEqual(window.text_size, 125)
        WATCHDOG.held = []


class Newer(TempCase):
    def test_settings_of_a_newer_version_are_told_and_left(self) -> None:
        settings = open_settings(self.folder / "desk.ini")
        self.assertEqual(check_format(settings), "")
        settings.setValue("format", FORMAT + 1)
        self.assertIn("newer Jeweller", check_format(settings))
        self.assertEqual(kept_number(settings, "format", 0, 0, 99), FORMAT + 1)

    def test_rows_that_only_a_newer_version_knows_outlast_a_change(self) -> None:
        shipped = load_remedies(None).rows
        newer = {"kinds": ["hummed"], "hands": ["reed"], "drill": "hum", "first": "Hum it."}
        path = self.folder / "remedies.json"
        path.write_text(json.dumps({"format": 2, "rows": [newer]}))
        table = load_remedies(self.folder)
        self.assertEqual(len(table.rows), len(shipped))
        self.assertIn("newer Jeweller", table.foreign[0])
        save_remedies(self.folder, shipped)
        self.assertEqual(json.loads(path.read_text())["rows"], [newer])
