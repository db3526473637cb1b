"""Warming up through the real window: tuning, the walk, tones, the siren, breathing, the lists."""

from __future__ import annotations

import unittest
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from jeweller.instruments.care import load_care
from jeweller.instruments.table import instruments, require_instrument
from tests.booth_support import BoothCase

RATE = 44100


def tone(midi: float, seconds: float, *, waver: float = 2.0, fade: float = 0.0) -> np.ndarray:
    """A tone with partials; `waver` cents up and down, `fade` 0..1 of its loudness lost by its end."""
    t = np.arange(int(seconds * RATE)) / RATE
    cents = 100.0 * (midi - 69) + waver * np.sin(2 * np.pi * 1.3 * t)
    phase = 2 * np.pi * np.cumsum(440.0 * 2 ** (cents / 1200)) / RATE
    sound = np.sin(phase) + 0.5 * np.sin(2 * phase) + 0.3 * np.sin(3 * phase)
    edge = np.minimum(1.0, np.minimum(t / 0.04, (seconds - t) / 0.04)) * (1.0 - fade * t / seconds)
    return (0.15 * edge * sound).astype(np.float32)


class WarmUpCase(BoothCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.go("warmup")
        self.place = self.window.warmup
        self.warm = self.place.model
        self.warm.set_instrument(require_instrument("trumpet"))

    def sound(self, *tones: np.ndarray, gap: float = 0.6) -> None:
        """Plays one tone after the other, and waits until they are over."""
        microphone = self.microphones[-1]
        at = microphone.now() + 2.0  # it runs faster than the world: nothing may begin in its past
        for each in tones:
            microphone.play(each, at)
            at += len(each) / RATE + gap
        self.wait(lambda: microphone.now() > at + 0.3 and not self.warm.hearing.behind, 60, "for the tones")


class Tuning(WarmUpCase):
    def test_a_high_instrument_is_told_what_to_move_and_measured_again(self) -> None:
        QTest.keyClick(self.place, Qt.Key.Key_Return)
        self.sound(*(tone(m + 0.2, 1.4) for m in (58, 62, 65)))
        self.assertEqual([self.place.table.item(k, 0).text() for k in range(3)], ["C4", "E4", "G4"])
        for k in range(3):
            self.assertAlmostEqual(int(self.place.table.item(k, 1).text()), 20, delta=1)
        told = self.place.advice.text()
        for words in (
            "Still cold",
            "20 cents high as a whole: pull the tuning slide out by about",
            "compromise",
        ):
            self.assertIn(words, told)
        self.place.moved.click()
        self.assertEqual(self.place.table.rowCount(), 0)
        self.sound(*(tone(m + 0.02, 1.4) for m in (58, 62, 65)))
        self.assertIn("After the last move: +2 cents as a whole, before +20.", self.place.advice.text())
        self.assertEqual(len(self.warm.journal.entries("move")), 1)

    def test_the_display_shows_the_note_and_where_it_lies(self) -> None:
        self.place.enter()
        microphone = self.microphones[-1]
        microphone.play(tone(58.1, 6.0), microphone.now() + 0.2)
        self.wait(lambda: self.place.ruler.held is not None)
        self.assertEqual(self.place.ruler.note, "C4")
        self.assertAlmostEqual(self.place.ruler.held or 0.0, 10.0, delta=1.0)
        self.assertGreater(len(self.place.ruler.recent), 3)
        self.window.escape()
        self.assertFalse(self.warm.listening)

    def test_another_pitch_of_a(self) -> None:
        self.addCleanup(self.place.reference.setValue, 440.0)  # it is remembered
        self.place.reference.setValue(442.0)
        self.place.enter()
        self.sound(tone(69.0 + 1200 * np.log2(442 / 440) / 100, 1.5))
        self.assertAlmostEqual(self.warm.session.notes[0].cents, 0.0, delta=1.0)

    def test_a_walk_waits_for_each_note_and_is_sung_first_where_asked(self) -> None:
        self.warm.walk_through([58, 60])
        self.place.sung.setChecked(True)
        self.place.enter()
        walk = self.warm.walk
        assert walk is not None
        self.assertEqual(walk.sentence, "Sing C4, in any octave.")
        self.sound(tone(59, 1.4), tone(46, 1.4))  # another note, then the note two octaves lower
        self.assertEqual(walk.sentence, "Play C4 and hold it.")
        self.sound(tone(58, 1.4), tone(60, 1.4), tone(60, 1.4))
        self.assertTrue(walk.over)

    def test_the_notes_of_the_piece_to_come_in_one_step(self) -> None:
        self.window.go("booth")
        self.booth.warmed_up = False
        words, act = self.booth.next_step()
        self.assertEqual(words, "Warm up first")
        act()
        self.assertEqual(self.window.place, "warmup")
        assert self.warm.walk is not None
        self.assertEqual(set(self.warm.walk.targets), {72, 74, 76, 77, 79})
        self.assertEqual(self.warm.instrument.id, "flute")


class Tones(WarmUpCase):
    def test_long_tones_are_told_one_a_line_and_kept(self) -> None:
        self.warm.set_way("tones")
        self.warm.set_counts(4)
        self.place.enter()
        self.sound(tone(58, 4.0), tone(60, 2.1), tone(58, 4.0, waver=20), tone(62, 4.0, fade=0.8))
        self.wait(lambda: len(self.warm.tones) == 4)
        said = self.place.tone_lines.text()
        for line in (
            "C4: full length, steady, clear, clean at both ends",
            "D4: 2 counts of 4",
            "C4: full length, the pitch wavers",
            "E4: full length, it fades",
            "Longest steady tone today: 4.0 s.",
        ):
            self.assertIn(line, said)
        self.assertEqual([e["steady"] for e in self.warm.journal.entries("tone")], [True, True, False, False])

    def test_a_siren_is_told_and_not_marked(self) -> None:
        self.warm.set_way("air")
        self.warm.set_air("siren")
        self.place.enter()
        t = np.clip(np.arange(round(2.6 * RATE)) / RATE - 0.3, 0.0, 2.0)  # both ends are held a moment
        glide = 0.2 * np.sin(2 * np.pi * np.cumsum(200.0 * 2 ** (t / 2)) / RATE)
        self.sound(glide.astype(np.float32), glide[::-1].astype(np.float32))
        self.assertEqual(len(self.warm.glides), 1)
        self.assertIn("from A3 up to A4", self.place.air_lines.text())

    def test_breathing_by_the_clock_with_its_caution(self) -> None:
        self.warm.set_way("air")
        self.warm.set_air("long out")
        self.assertIn("Stop when you feel dizzy", self.place.caution.text())
        self.place.enter()
        self.wait(lambda: self.place.air_now.note.startswith("in"))
        assert self.warm._breath_from is not None
        self.warm._breath_from -= 5.0
        self.wait(lambda: self.place.air_now.note.startswith("out"))
        self.warm._breath_from -= 60.0
        self.wait(lambda: not self.warm.listening)
        self.assertEqual(len(self.warm.journal.entries("breath")), 1)


class Care(WarmUpCase):
    def test_a_list_is_changed_kept_and_printed(self) -> None:
        self.warm.set_way("lists")
        self.assertIn("Water out of every slide.", self.place.lists.edits["away"].toPlainText())
        self.assertFalse(self.place.lists.edits["reed"].isVisible())
        self.place.lists.edits["away"].setPlainText("Water out.\nValve caps tight.")
        self.place.lists.keep.click()
        table = load_care(self.folder / "library")
        self.assertEqual(table.list_for(self.warm.instrument, "away"), ["Water out.", "Valve caps tight."])
        self.assertEqual(table.list_for(require_instrument("flute"), "away")[0][:4], "Swab")
        page = Path(self.folder) / "care.pdf"
        self.place.print_lists(str(page))
        self.wait(page.exists, what="for the page")
        self.assertEqual(page.read_bytes()[:4], b"%PDF")

    def test_a_caution_is_changed_and_another_put_in(self) -> None:
        self.warm.set_way("lists")
        table = self.place.lists.ask_cautions()
        rows = table.rows()
        self.assertEqual(rows[-1][:2], ["lists", "all"])
        table.buttons["add"].click()
        words = table.table.item(len(rows), 2)
        assert words is not None
        words.setText("  Wash your hands first. ")
        changed = table.table.item(0, 2)
        assert changed is not None
        changed.setText("Rest the lips.")
        table.buttons["keep"].click()
        care = load_care(self.folder / "library")
        self.assertEqual(care.cautions[0], ("tone", ["brass"], "Rest the lips."))
        self.assertEqual(care.cautions[1:-1], load_care(None).cautions[1:])
        self.assertIn("Wash your hands first.", self.place.lists.cautions.text())
        table = self.place.lists.ask_cautions()
        table.buttons["shipped"].click()
        table.buttons["keep"].click()
        self.assertEqual(load_care(self.folder / "library").cautions, load_care(None).cautions)

    def test_every_instrument_has_lists_and_none_of_what_it_has_not(self) -> None:
        care = load_care(None)
        for instrument in instruments():
            lists = {name: care.list_for(instrument, name) for name in ("together", "ready", "away", "reed")}
            for name in ("together", "ready", "away"):
                self.assertTrue(1 <= len(lists[name]) <= 5, (instrument.id, name))
            self.assertEqual(bool(lists["reed"]), instrument.hands == "reed", instrument.id)
            words = " ".join(row for rows in lists.values() for row in rows).lower()
            self.assertEqual("reed" in words, instrument.hands == "reed", instrument.id)
            self.assertEqual("slide locked" in words, instrument.hands == "slide", instrument.id)
            buzz = " ".join(care.cautions_for(instrument, "buzz"))
            self.assertEqual(bool(buzz), instrument.family == "brass" or instrument.hands == "reed")


if __name__ == "__main__":
    unittest.main()
