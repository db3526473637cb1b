"""The log of practice: the rule of a week, the timer, and the page in the real window."""

from __future__ import annotations

import datetime
import unittest
from unittest import mock

import numpy as np
from PySide6.QtWidgets import QPushButton

from jeweller.gui.places.practice.view import LOG_WAY
from jeweller.practice.log import HeardTimer, Practised, Rule, total, week_of
from jeweller.practice.log_words import week_words
from jeweller.practice.settings import LOG
from tests.booth_support import BoothCase

DAY = datetime.date(2024, 2, 29)  # a Thursday


class Weeks(unittest.TestCase):
    def entries(self, **minutes: int) -> list[Practised]:
        return [Practised(day=f"2024-02-{d[1:]}", minutes=m) for d, m in minutes.items()]

    def test_a_day_counts_from_the_least_on_and_a_shorter_one_is_kept_apart(self) -> None:
        week = week_of(self.entries(d26=14, d27=15, d28=30, d25=60), DAY, Rule(15, 2))
        self.assertEqual([d.date.day for d in week.counted], [27, 28])
        self.assertEqual([d.date.day for d in week.apart], [26])
        self.assertEqual((week.minutes, week.kept), (59, True))  # Sunday is of the week before
        self.assertIn("Shorter, and kept apart: Monday", week_words(week))
        self.assertFalse(week_of(self.entries(d26=14, d27=15), DAY, Rule(15, 2)).kept)

    def test_two_entries_of_a_day_are_one_day(self) -> None:
        told = [*self.entries(d26=8), *self.entries(d26=8)]
        self.assertEqual(len(week_of(told, DAY, Rule(15, 5)).counted), 1)
        self.assertEqual(total(told, Rule(15, 5)), (16, 1))

    def test_words_scold_nobody(self) -> None:
        self.assertEqual(
            week_words(week_of([], DAY, Rule(15, 5))), "Nothing is written down for this week yet."
        )
        one = week_words(week_of(self.entries(d26=20), DAY, Rule(15, 2)))
        self.assertEqual(one, "20 minutes in all, 1 day that counts; 1 day more was agreed on.")

    def test_the_timer_runs_while_playing_is_heard(self) -> None:
        timer = HeardTimer()
        for k in range(100):
            timer.push(0.1 * k, sounds=True)
        timer.push(15.0, sounds=False)
        timer.push(9.9 + LOG.pause_s - 1, sounds=True)  # a rest, a page turned
        self.assertAlmostEqual(timer.seconds, 9.9 + LOG.pause_s - 1, places=3)
        timer.push(500.0, sounds=True)  # a break is none of it
        self.assertAlmostEqual(timer.seconds, 9.9 + LOG.pause_s - 1, places=3)
        self.assertTrue(timer.running(501.0))
        self.assertFalse(timer.running(530.0))


class Page(BoothCase):
    def test_softer_than_usual_is_said_once(self) -> None:
        levels = (-20, -20, -21, -20, -30, -29, -28)
        for k, level in enumerate(levels):
            with mock.patch("jeweller.library.journal._now", return_value=f"2024-02-{20 + k}T17:00:00"):
                self.log.journal.add("take", {"setup": "desk", "part": "Flute", "level_db": level})
        self.log.today = lambda: DAY
        self.log.reread()
        self.assertIn("about 8 dB softer than usual", self.place.log_page.soft.text())
        self.log.reread()
        self.assertTrue(self.place.log_page.soft.isVisibleTo(self.place))
        self.log.today = lambda: DAY + datetime.timedelta(days=1)
        self.log.reread()
        self.assertFalse(self.place.log_page.soft.isVisibleTo(self.place))

    def test_a_take_tells_how_loud_it_was_and_with_what(self) -> None:
        self.window.go("booth")
        self.take()
        entry = self.model.journal.entries("take")[-1]
        self.assertTrue(entry["setup"])
        self.assertLess(entry["level_db"], 0.0)

    def setUp(self) -> None:
        super().setUp()
        self.place, self.log = self.window.practice, self.window.practice.log
        self.window.go("practice")
        self.place.choose_way(LOG_WAY)
        self.log.today = lambda: DAY
        self.log.choose(None)
        self.page = self.place.log_page

    def test_what_is_written_down_stands_in_its_week(self) -> None:
        self.page.minutes.setValue(25)
        self.page.fields["note"].setText("Long tones, the first line")
        self.page.fields["well"].setText("The low notes spoke")
        self.page.keep.click()
        self.assertEqual((self.page.minutes.value(), self.page.fields["note"].text()), (0, ""))
        (day,) = self.log.week.counted
        self.assertEqual((day.date, day.minutes, day.entries[0].well), (DAY, 25, "The low notes spoke"))
        self.assertIn("25 minutes in all", self.page.told.text())
        self.assertIn("Thursday 25", self.page.bars.accessibleName())
        self.page.earlier.click()
        self.assertEqual(self.log.week.minutes, 0)
        self.assertTrue(self.page.later.isEnabled())
        self.page.later.click()
        self.assertFalse(self.page.later.isEnabled())  # nothing is written ahead
        self.page.keep.click()  # nothing in the fields
        self.assertEqual(len(self.log.entries), 1)
        self.page.least.setValue(30)
        self.addCleanup(self.log.set_rule, LOG.minutes, LOG.days)
        self.assertEqual(len(self.log.week.apart), 1)
        sheet = self.folder / "week.pdf"
        self.place.print_week(str(sheet))
        self.wait(sheet.exists, what="for the sheet")
        self.assertEqual(sheet.read_bytes()[:4], b"%PDF")

    def test_a_player_of_the_class_has_one_count_with_the_ledger(self) -> None:
        library = self.window.bench.library
        assert library is not None
        player = library.add_player(library.add_band("The Fernhollow Band").id, "Ilse", "flute")
        library.add_practice(player.id, "2024-02-26", 20, "told by the teacher")
        self.log.choose(player)
        self.log.write(DAY, 30, "the second line", "counted", "slower")
        self.assertEqual([d.minutes for d in self.log.week.days][:4], [20, 0, 0, 30])
        self.assertEqual([p.minutes for p in library.practice(player.id)], [20, 30])
        self.assertIn("slower", [e.did for e in self.log.entries])
        self.log.choose(None)
        self.assertEqual(self.log.week.minutes, 0)

    def test_the_timer_listens_only_when_asked_and_stops_when_one_leaves(self) -> None:
        self.assertFalse(self.microphones)
        self.page.listen.click()
        self.assertIn("■ Listening", self.page.clock.text())
        t = np.arange(44100 * 40) / 44100
        self.microphones[-1].play((0.2 * np.sin(2 * np.pi * 440 * t)).astype(np.float32), 0.0)
        self.wait(lambda: self.log.timer.seconds > 1.0, what="for a second")
        self.window.go("booth")
        self.assertFalse(self.log.listening)
        heard = self.log.timer.seconds
        self.turn(200)
        self.assertEqual(self.log.timer.seconds, heard)

    def test_each_button_is_named(self) -> None:
        for button in self.page.findChildren(QPushButton):
            self.assertTrue(button.text() or button.accessibleName())


if __name__ == "__main__":
    unittest.main()
