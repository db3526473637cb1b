"""Both English usages, in the core, on the command line and through the window: said where it is shown,
stored as it was.
"""

from __future__ import annotations

import contextlib
import io
import json
import unittest

from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QMenu

from jeweller.cli.main import main
from jeweller.documents.check_documents import render_sheets
from jeweller.documents.plain_text import summary_text
from jeweller.documents.theme import LIGHT
from jeweller.errors import SettingError
from jeweller.library.library import Library
from jeweller.usage import Usage, usage_of
from tests.support import checked_take
from tests.test_class import fill
from tests.test_desk import DeskCase

OTHER = Usage("measure", "crotchet")


class Said(unittest.TestCase):
    def test_only_bars_and_note_values_change(self) -> None:
        for text, said in (
            ("Bars 4 and 5: 2 of 3.", "Measures 4 and 5: 2 of 3."),
            ("An accidental holds to the bar line.", "An accidental holds to the bar line."),
            ("a quarter of a beat late", "a quarter of a beat late"),
            ("three quarters of a beat", "three quarters of a beat"),
            ("one and a quarter beats late", "one and a quarter beats late"),
            ("one and three quarter beats", "one and three quarter beats"),
            ("at half speed, the whole line", "at half speed, the whole line"),
            ("half and quarters", "minim and crotchets"),
            ("halves", "minims"),
            ("An eighth, an eighth note", "A quaver, a quaver"),
            ("dotted quarters", "dotted crotchets"),
            ("whole notes", "semibreves"),
            ("96 quarters a minute", "96 crotchets a minute"),
            ("even sixteenths", "even semiquavers"),
            ("quarter tones", "quarter tones"),
            ("“A Quarter Past the Bar”, bar 3", "“A Quarter Past the Bar”, measure 3"),
        ):
            self.assertEqual(OTHER.said(text), said)
            self.assertEqual(Usage().said(text), text)
        self.assertEqual(Usage(values="crotchet").said("bar 3, an eighth"), "bar 3, a quaver")

    def test_usages_are_named(self) -> None:
        self.assertEqual(usage_of(" measure, crotchet"), OTHER)
        self.assertEqual(usage_of(""), Usage())
        with self.assertRaisesRegex(
            SettingError, "no usage “takt”; there are bar, measure, quarter, crotchet"
        ):
            usage_of("takt")

    def test_a_report_is_said_otherwise_and_stays_what_it_is(self) -> None:
        checked = checked_take()
        before = json.dumps(checked.report, sort_keys=True)
        text = summary_text(OTHER.report(checked.report))
        self.assertIn("Measure 3, beat 3", text)
        self.assertNotRegex(text, r"\b[Bb]ars? \d")
        pages = render_sheets(
            checked.report,
            checked.line,
            ["html", "musicxml"],
            theme=LIGHT.__class__(**{**vars(LIGHT), "usage": OTHER}),
        )
        self.assertIn("crotchets a minute", pages["html"][0].decode())
        self.assertIn(b"Measure 3, beat 3", pages["musicxml"][0])
        self.assertEqual(json.dumps(checked.report, sort_keys=True), before)
        own = {
            **checked.report["findings"][0],
            "detail": {"by": "teacher"},
            "text": "See my word about that bar.",
        }
        self.assertEqual(OTHER.finding(own)["text"], "See my word about that bar.")


class Shown(DeskCase):
    def test_every_word_of_the_window_follows_and_goes_back(self) -> None:
        library = Library(self.window.library_folder)
        fill(library, library.add_band("The Fernhollow Band").id, ("Ilse", "flute"), ("Bram", "trumpet"))
        library.close()

        def all_said() -> str:
            out = []
            for place in ("pattern", "bench", "ledger"):
                self.window.go(place)
                QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
                for kind in (QLabel, QAbstractButton):
                    for w in self.window.findChildren(kind):
                        out += [w.text(), w.toolTip(), w.accessibleName()]
                out += [
                    box.itemText(k) for box in self.window.findChildren(QComboBox) for k in range(box.count())
                ]
            actions = [
                a for m in self.window.findChildren(QMenu) if m.title() != "Words" for a in m.actions()
            ]
            return "\n".join(
                [
                    *out,
                    *(a.text() for a in actions if not a.property("as written")),
                    self.window.ledger.grid.told(1, 2),
                ]
            )

        self.window.go("pattern")
        self.window.pattern.open_file(str(self.score))
        plain = all_said()
        self.window.set_usage(bar="measure")
        self.window.set_usage(values="crotchet")
        other = all_said()
        for words in (
            "Loop the measure",
            "Measures in a line",
            "crotchets",
            "Measure 3, beat 3: the rest",
            "Every measure adds up",
        ):
            self.assertIn(words, other)
        self.assertNotRegex(other, r"\b[Bb]ars?\b(?! lines?)(?! Chimes)")
        again = self.make_window()
        self.assertEqual(again.theme.usage, OTHER)
        again.close()
        self.window.set_usage(bar="bar", values="quarter")
        self.assertEqual(set(all_said().splitlines()), set(plain.splitlines()))


class Asked(DeskCase):
    def test_the_command_line_says_it_too(self) -> None:
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["look", str(self.score), "--words", "measure"]), 0)
        self.assertIn("(measure", out.getvalue())
        self.assertNotIn("bar ", out.getvalue())


if __name__ == "__main__":
    unittest.main()
