"""The languages, in the core, on the command line and through the window: said where it is shown, stored as it
was. And that nothing a user reads is left out of the catalogue.
"""

from __future__ import annotations

import ast
import contextlib
import gettext
import io
import json
import re
import subprocess
import sys
import unittest
from functools import partial
from pathlib import Path
from unittest import mock

from babel.messages.pofile import read_po
from PySide6.QtCore import QEvent
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QDialog, QLabel, QMenu, QWidget
from tools.update_catalogues import extract

from jeweller import errors, i18n
from jeweller.assessment.finding import KINDS
from jeweller.assessment.messages import KIND_NAMES, localized, texts_of
from jeweller.cli.main import main
from jeweller.documents.check_documents import render_sheets
from jeweller.documents.plain_text import summary_text
from jeweller.documents.text_lines import count_text
from jeweller.errors import SettingError
from jeweller.exercises.request import KINDS as KINDS_MADE
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog
from jeweller.gui.places.ledger.people_dialogs import MarksBox, PlayerBox, YearBox
from jeweller.gui.places.pattern_book.choices import WAYS
from jeweller.gui.shell.dialogs import show_keys
from jeweller.gui.shell.retranslation import PROPERTIES
from jeweller.gui.shell.window import Window
from jeweller.i18n import SOURCE, _, in_language, ngettext, use_language
from jeweller.instruments.table import instruments
from jeweller.library.assignments import kinds_of
from jeweller.library.library import Library
from jeweller.phrases import key_said, natural, note_name
from jeweller.report.localized import localized_report
from tests.support import WATCHDOG, checked_take, part_of
from tests.test_class import fill
from tests.test_desk import DeskCase

ROOT = Path(__file__).parent.parent
EVERY_PLACE = ("loupe", "pattern", "warmup", "booth", "practice", "bench", "ledger")
DATA = (
    "First week",
    "A test",
    "Ilse",
    "Bram",
    "The Fernhollow Band",
    "Flute",
    "Trumpet",
    "Ctrl+",
)  # said as it was entered


class Catalogues(unittest.TestCase):
    def test_they_hold_what_the_source_says(self) -> None:
        done = subprocess.run(
            [sys.executable, str(ROOT / "tools" / "update_catalogues.py"), "--check"],
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""), done.stdout)

    def test_every_kind_of_finding_has_a_name(self) -> None:
        self.assertEqual(set(KIND_NAMES), set(KINDS))

    def test_no_sentence_is_told_past_them(self) -> None:
        """What is raised for the user, written to the window or a terminal, or warned of, is looked up first."""
        told = {
            "emit",
            "setText",
            "setToolTip",
            "setPlaceholderText",
            "addItem",
            "say",
            "warn",
            "print",
            "get",
        }
        told |= {name for name in vars(errors) if name.endswith("Error")}
        for path in (ROOT / "src" / "jeweller").rglob("*.py"):
            for call in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                name = getattr(call, "func", None)
                name = getattr(name, "id", getattr(name, "attr", ""))
                if not isinstance(call, ast.Call) or name not in told:
                    continue
                for given in call.args[name == "get" :]:  # of `get` what is said where nothing is known
                    pieces = given.values if isinstance(given, ast.JoinedStr) else [given]
                    words = "".join(str(x.value) for x in pieces if isinstance(x, ast.Constant))
                    self.assertNotRegex(words, r"[a-z]{2,} [a-z]{2,}", f"{path.name}:{call.lineno}")

    def test_only_bars_and_note_values_change(self) -> None:
        with in_language("en_GB"):
            self.assertEqual(_("eighth notes"), "quavers")
            self.assertEqual(_("a quarter of a beat"), "a quarter of a beat")
            self.assertEqual(_("bar {bar}"), "bar {bar}")
        with in_language("en_US"):
            self.assertEqual(_("bar {bar}"), "measure {bar}")
            self.assertEqual(_("eighth notes"), "eighth notes")
            self.assertEqual(ngettext("{n} bar", "{n} bars", 2), "{n} measures")
        self.assertEqual(_("bar {bar}"), "bar {bar}")

    def test_german_and_spanish_are_complete(self) -> None:
        """Whatever is read in the window, a report, a slip, on a sheet; the command line may speak English."""
        terminal = ("cli/", "simulator/", "demo_band", "setting", "regression")
        for language in ("de", "es"):
            catalogue = (i18n.LOCALE / language / "LC_MESSAGES" / "jeweller.po").read_bytes()
            written = read_po(io.BytesIO(catalogue))
            for message in extract():
                seen = [place for place, _line in message.locations if not place.startswith(terminal)]
                if message.id and seen:
                    said = written[message.id].string
                    self.assertTrue(all(said) if isinstance(said, tuple) else said, (language, message.id))

    def test_notes_and_keys_have_the_names_of_the_language(self) -> None:
        for language, said in (
            ("en", ["B♭4", "B", "B flat", "F♯", "B♭ major", "1 e & a"]),
            ("de", ["B4", "H", "B", "Fis", "B-Dur", "1 e + e"]),
            ("es", ["si♭4", "si", "si♭", "fa♯", "si♭ mayor", "1 ta y ta"]),
        ):
            with in_language(language):
                counted = [
                    count_text(bar, n, "1 & 2 &")
                    for bar in part_of("C5/.25 C5/.25 C5/.25 C5/.25 C5/1 C5/2").bars
                    for n in bar.notes[:4]
                ]
                self.assertEqual(
                    [
                        note_name("B♭4"),
                        note_name("B"),
                        natural("B♭"),
                        note_name("F♯"),
                        key_said("B♭ major"),
                        " ".join(counted),
                    ],
                    said,
                )

    def test_a_desktop_speaks_its_own_language(self) -> None:
        self.assertEqual(
            [i18n.language_of(x) for x in ("de_CH", "es_MX", "en_GB", "pt_BR")], ["de", "es", "en_GB", "en"]
        )

    def test_placeholders_are_the_same_in_every_language(self) -> None:
        for language in ("en_GB", "en_US", "de", "es"):
            with in_language(language):
                for said, message in i18n.source_messages().items():
                    self.assertEqual(
                        sorted(re.findall(r"\{[^}]*\}", said)), sorted(re.findall(r"\{[^}]*\}", message))
                    )

    def test_an_unknown_language_is_named(self) -> None:
        with self.assertRaisesRegex(SettingError, "no language “xx”; there are en, en_GB, en_US, de, es"):
            use_language("xx")


class Reports(unittest.TestCase):
    def test_a_report_is_said_otherwise_and_stays_what_it_is(self) -> None:
        checked = checked_take()
        before = json.dumps(checked.report, sort_keys=True)
        with in_language("en_US"):
            text = summary_text(localized_report(checked.report))
            pages = render_sheets(checked.report, checked.line, ["html", "musicxml"])
            self.assertIn("Measure 3, beat 3", text)
            self.assertNotRegex(text, r"\b[Bb]ars? \d")
            self.assertIn(b"Measure 3, beat 3", pages["musicxml"][0])
            own = {
                **checked.report["findings"][0],
                "detail": {"by": "teacher"},
                "text": "See my word about that bar.",
            }
            self.assertEqual(localized(own)["text"], "See my word about that bar.")
        with in_language("en_GB"):
            self.assertIn(
                "crotchets a minute",
                render_sheets(checked.report, checked.line, ["html"])["html"][0].decode(),
            )
        self.assertEqual(json.dumps(checked.report, sort_keys=True), before)

    def test_a_stored_finding_says_the_same_again(self) -> None:
        checked = checked_take()
        for finding, stored in zip(checked.findings, checked.report["findings"], strict=True):
            self.assertEqual(texts_of(finding), (stored["text"], stored["advice"]))


def shown(window: QWidget) -> list[str]:
    """Every text of a window: labels, tips, names for screen readers, entries of boxes and menus."""
    out = []
    for owner in (*window.findChildren(QWidget), *window.findChildren(QAction)):
        out += [t for name in PROPERTIES if isinstance(t := owner.property(name), str) and t]
        if isinstance(owner, QComboBox):
            out += [owner.itemText(k) for k in range(owner.count())]
    return out


def past_catalogue(text: str) -> str:
    """What of a text stands outside the marks of the catalogue, less what is data; "" where no word does."""
    while re.search("⟦[^⟦⟧]*⟧", text):
        text = re.sub("⟦[^⟦⟧]*⟧", " ", text)
    text = re.sub("|".join(map(re.escape, DATA)), " ", re.sub("<[^>]*>", " ", text))
    return text.strip() if re.search("[A-Za-z]{3}", text) else ""


class Shown(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(use_language, SOURCE)
        library = Library(self.window.library_folder)
        fill(library, library.add_band("The Fernhollow Band").id, ("Ilse", "flute"), ("Bram", "trumpet"))
        library.close()

    def every_place(self, window: QWidget) -> list[str]:
        out = []
        for place in EVERY_PLACE[1:]:
            self.window.go(place)
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            self.worked_out()
            out += shown(window)
        return [*out, self.window.ledger.grid.told(1, 2)]

    def worked_out(self) -> None:
        """What there is to practise is worked out in the background."""
        self.wait(lambda: _("One moment…") not in shown(self.window.practice))

    def test_every_word_of_the_window_follows_and_goes_back(self) -> None:
        self.window.go("pattern")
        self.open_music(self.score)
        self.every_place(self.window)  # everything is open then
        plain = self.every_place(self.window)
        self.window.set_language("en_US")
        other = "\n".join(t for t in self.every_place(self.window) if not t.startswith("English"))
        for words in ("Loop the measure", "Measures in a line", "Measure 3, beat 3: after the rest"):
            self.assertIn(words, other)
        self.assertNotRegex(other, r"\b[Bb]ars?\b(?! lines?)(?! Chimes)")
        again = self.make_window()
        self.assertEqual(i18n.chosen_language(), "en_US")
        again.close()
        self.window.set_language("en_GB")
        self.assertIn("crotchets", "\n".join(self.every_place(self.window)))
        self.window.set_language("de")
        german = "\n".join(self.every_place(self.window))
        for words in ("Den Takt wiederholen", "Klassenbuch", "Takt 3, Schlag 3: nach der Pause"):
            self.assertIn(words, german)
        self.window.set_language(SOURCE)
        self.assertEqual(set(self.every_place(self.window)), set(plain))

    def test_no_word_is_cut_short_in_any_language_with_large_text(self) -> None:
        self.window.resize(1280, 800)
        self.window.set_text_size(125)
        ways = {"pattern": [w for w, _said in WAYS], "ledger": ["class", "players", "assigned"]}
        ways["warmup"] = ["tuner", "tones", "air", "lists"]
        for language in (SOURCE, "de", "es"):
            self.window.set_language(language)
            for place in EVERY_PLACE:
                self.window.go(place)
                self.worked_out()
                for way in ways.get(place, ("",)):
                    if way:
                        getattr(self.window, place).choose_way(way)
                    self.turn(100)
                    cut = [
                        (language, place, way, w.text())
                        for kind in (QAbstractButton, QLabel)
                        for w in self.window.findChildren(kind)
                        if w.isVisible() and w.text() and w.width() < w.minimumSizeHint().width()
                    ]
                    self.assertEqual(cut, [])
        WATCHDOG.held = []  # all is laid out anew in another language: not what a key waits for

    def test_nothing_is_said_past_the_catalogue(self) -> None:
        asked: set[str] = set()

        def looked_up(message: str) -> str:
            asked.add(message)
            return f"⟦{message}⟧"

        marked = gettext.NullTranslations()
        marked.gettext = looked_up  # type: ignore[method-assign]
        marked.ngettext = lambda one, many, n: looked_up(one if n == 1 else many)  # type: ignore[method-assign]
        with mock.patch.object(i18n, "_catalogue", lambda language: marked):
            self.window.settings.setValue("language", "en_US")
            window = self.make_window()
            for place in EVERY_PLACE:
                window.go(place)
                self.turn(50)
            for kind in KINDS_MADE:
                window.pattern.maker.choose("kind", kind)
                for word in window.pattern.maker.words:
                    window.pattern.maker.menu(word)
            for box in self.dialogs(window):
                box.show()
                self.turn(20)
            said = shown(window)
            lists = [m.title() for m in window.findChildren(QMenu)]
            window.close()
        known = {x for m in extract() for x in ([m.id] if isinstance(m.id, str) else m.id)}
        unknown = {m for m in asked - known if re.search("[A-Za-z]{2}", m) and "⟦" not in m}
        self.assertEqual(unknown - {"PDF", "MEI", "MIDI", "MusicXML"}, set())
        own = {*i18n.LANGUAGES.values(), *(i.name for i in instruments()), "Cancel", "Close"}  # Qt's, too
        own |= {
            t for t in said if t.startswith((" ", ", ", "; ")) or t == " range.⟧"
        }  # pieces of the maker's sentence
        left = {x: outside for x in (*said, *lists) if x not in own and (outside := past_catalogue(x))}
        self.assertEqual(left, {})

    def dialogs(self, window: Window) -> list[QDialog]:
        """Those that are shown by a click or a key."""
        bench, players = window.bench, window.ledger.players
        dialogs = [
            show_keys(window),
            CriteriaDialog(
                bench, [("x", "A test")], None, kinds_of=partial(kinds_of, window.waked_library())
            ),
            YearBox(window, "The Fernhollow Band", []),
            MarksBox(window, ["player"], "all"),
            PlayerBox(window, players.people.band_rows()),
            players.ask_class(),
            window.pattern.shown.ask_words(),
        ]
        return [d for d in dialogs if d is not None]


class Asked(DeskCase):
    def test_the_command_line_says_it_too(self) -> None:
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["--language", "en_US", "look", str(self.score)]), 0)
        self.assertIn("(measure", out.getvalue())
        self.assertNotIn("bar ", out.getvalue())


if __name__ == "__main__":
    unittest.main()
