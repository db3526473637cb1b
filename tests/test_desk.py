"""The real window, driven by mouse and keys only."""

from __future__ import annotations

import gc
import json
import sys
import threading
import time
from unittest import mock

from PySide6.QtCore import QMimeData, QObject, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QColor, QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel

from jeweller.assets import DEMO
from jeweller.audio.encode import write_sound
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.demo_band import read_band
from jeweller.documents.theme import LIGHT
from jeweller.gui.places.loupe.closeup import CloseupPicture
from jeweller.gui.places.loupe.margin import MarginNote
from jeweller.gui.places.loupe.model import OpenPair
from jeweller.gui.places.loupe.recent import recent_pairs
from jeweller.gui.services.jobs import Job, Jobs
from jeweller.gui.shell.app import open_settings
from jeweller.gui.shell.dialogs import KEYS
from jeweller.gui.shell.window import Window
from jeweller.notation.model import Score
from jeweller.notation.performance import perform_part
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import Checked, check
from jeweller.synthesis.percussion import RATE as STROKE_RATE
from jeweller.synthesis.percussion import render as render_strokes
from tests.support import (
    RATE,
    WATCHDOG,
    WindowCase,
    changed,
    part_of,
    score_file,
    slowness,
    sounding,
    straight,
)
from tests.test_ear import LINE, TUNE, index_of
from tests.test_rhythm import drum_part, onsets

DIRECT = Qt.ConnectionType.DirectConnection
KEY = Qt.Key
CONTROL = Qt.KeyboardModifier.ControlModifier


class DeskCase(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.score = score_file(self.folder, part_of(TUNE, fifths=-2))
        self.take = self.folder / "take.wav"
        events = changed(straight(LINE, 90), index_of("1", 1.0), by=4)
        events = changed(changed(events, index_of("7", 1.0), by=1), index_of("4", 2.0), shift=-60 / 90)
        write_sound(self.take, sounding(events), RATE)
        self.speaker = SimulatedSpeaker()
        self.window = self.make_window()

    def make_window(self, tray: tuple = ()) -> Window:  # type: ignore[type-arg]
        settings = open_settings(self.folder / "desk.ini")
        settings.setValue("library", str(self.folder / "library"))
        window = Window(settings, self.speaker, tray, "The tray" if tray else "")
        self.addCleanup(window.deleteLater)
        self.addCleanup(window.close)
        window.resize(1280, 800)
        window.show()
        self.app.processEvents()
        return window

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.window, key, modifier)
        self.app.processEvents()

    def open_music(self, path: object) -> None:
        """A file is opened in the pattern book and read."""
        self.window.pattern.open_file(str(path))
        self.wait(lambda: self.window.pattern.files.reading is None)

    def drop(self, *paths: object) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
        left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        enter = QDragEnterEvent(QPoint(400, 300), Qt.DropAction.CopyAction, data, left, none)
        QApplication.sendEvent(self.window, enter)
        self.assertTrue(enter.isAccepted())
        event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, left, none)
        QApplication.sendEvent(self.window, event)
        self.wait(lambda: self.window.pattern.files.reading is None)

    def checked(self) -> None:
        self.wait(
            lambda: (
                self.window.loupe_place.review is not None and self.window.loupe_place.currentIndex() == 2
            ),
            what="for the check",
        )

    prepared: Checked | None = None  # the check of the take, which is the same in every test

    def open(self, sound: bool = False) -> None:
        """The marked part as after a drop (which `Opening` tests with its check in a process of its own);
        without its sounds, which take long to make, unless they are to be played.
        """
        if not sound:
            self.window.loupe.listening.open = lambda take_path: None  # type: ignore[method-assign]
        if DeskCase.prepared is None:
            DeskCase.prepared = check(self.score, self.take)
        pair = OpenPair(score=str(self.score), take=str(self.take), part="Flute", parts=("Flute",))
        self.window.loupe_place._checked(pair, DeskCase.prepared)
        self.checked()
        loupe = self.window.loupe
        self.wait(
            lambda: not sound or (loupe.listening.ready and loupe.listening.model), what="for the sound"
        )
        self.wait(lambda: loupe.paper.engraving is not None, what="for the page")

    def note_of(self, key: str) -> MarginNote:
        return next(n for n in self.window.loupe.margin.notes if n.shown.key == key)

    def kinds(self) -> list[str]:
        assert self.window.loupe_place.review is not None
        return [s.finding["kind"] for s in self.window.loupe_place.review.shown]


class Closer(DeskCase):
    def test_a_key_shows_the_sound_that_a_finding_rests_on(self) -> None:
        self.open()
        loupe = self.window.loupe
        loupe.choose(None)
        self.press(Qt.Key.Key_E)
        self.assertEqual(loupe.findChildren(CloseupPicture), [])
        wrong = next(n for n in loupe.margin.notes if n.shown.finding["kind"] == "wrong_note")
        loupe.choose(wrong.shown.key)
        self.press(Qt.Key.Key_E)
        (picture,) = loupe.findChildren(CloseupPicture)
        self.assertTrue(picture.isVisible())
        image = picture.grab().toImage()
        colours = {image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)}
        for colour in (LIGHT.wash, LIGHT.brass, LIGHT.ink):  # the doubt, the beginnings, the curves
            self.assertIn(QColor(colour).rgb(), colours)
        dialog = picture.window()
        self.assertTrue(any("in its place" in x.text() for x in dialog.findChildren(QLabel)))
        QTest.keyClick(dialog, Qt.Key.Key_Escape)
        self.assertFalse(dialog.isVisible())


class Opening(DeskCase):
    def test_dropping_a_pair_shows_the_marked_part_within_seconds(self) -> None:
        self.assertEqual(self.window.next_button.text(), "Open a score…")
        begin = time.monotonic()
        self.drop(self.score, self.take)
        self.assertEqual(self.window.loupe_place.currentIndex(), 1)
        self.checked()
        self.assertLess(time.monotonic() - begin, 15)
        self.assertEqual(sorted(self.kinds()), ["missed_accidental", "rest_short", "wrong_note"])
        self.assertEqual(self.window.words["take"].text(), "take.wav")
        self.assertEqual(self.window.next_button.text(), "Next finding")

    def test_on_a_first_start_there_is_something_to_drop_on_and_what_comes_out(self) -> None:
        page = self.window.loupe_place.empty
        title, words = page.field.title, page.field.text
        self.assertFalse(page.list.isVisible())
        self.assertLess(words.geometry().top() - title.geometry().bottom(), 40)
        self.assertGreater(page.picture.pixmap().width(), 300)
        with mock.patch("jeweller.gui.shell.routes.QProcess.startDetached", return_value=(True, 1)) as start:
            page.demo.click()
        self.assertEqual(start.call_args.args[1][-1], "demo")
        with mock.patch("jeweller.gui.shell.routes.QProcess.startDetached", return_value=(False, -1)):
            page.demo.click()
        self.assertIn("could not be started", self.window.statusBar().currentMessage())
        page.guide.click()
        self.assertTrue(self.window.guide.isVisible())
        self.window.guide.close()

    def test_a_drum_part_is_opened_marked_and_decided_like_any_other(self) -> None:
        line = perform_part("Drums", drum_part(), rhythm_only=True)
        played = [n.written.stroke for n in line.main_notes]
        played[10] = "Snare drum"
        strokes = [(t, what, 0.0) for t, what in zip(onsets(line), played, strict=True)]
        score, take = self.folder / "drums.musicxml", self.folder / "drums.wav"
        score.write_bytes(write_musicxml(Score("Drums", (drum_part(),))))
        write_sound(take, render_strokes(strokes, strokes[-1][0] + 2.0, 8), STROKE_RATE)
        self.drop(score, take)
        self.checked()
        self.assertEqual(self.kinds(), ["wrong_note"])
        self.wait(lambda: self.window.loupe.listening.model is not None, what="for the model of the strokes")
        self.press(Qt.Key.Key_Down)
        self.press(Qt.Key.Key_P)  # the heard pitch: there is none, and nothing breaks
        self.press(Qt.Key.Key_Right)
        self.press(Qt.Key.Key_Down)
        self.press(Qt.Key.Key_D)
        assert self.window.loupe_place.review is not None
        self.assertEqual(self.window.loupe_place.review.report["mark"]["value"], 20)

    def test_one_after_the_other_in_either_order(self) -> None:
        self.drop(self.score)
        self.wait(lambda: self.window.next_button.text() == "Open a recording…")
        self.assertEqual(self.window.loupe_place.empty.field.title.text(), "Now the recording")
        self.drop(self.take)
        self.checked()
        second = self.make_window()
        self.window = second
        self.drop(self.take)
        self.drop(self.score)
        self.checked()

    def test_esc_stops_a_check_and_keeps_what_was_open(self) -> None:
        self.open()
        before = self.window.loupe_place.review
        self.drop(self.score, self.take)
        self.press(KEY.Key_Escape)
        self.wait(lambda: self.window.loupe_place.currentIndex() == 2)
        self.assertIs(self.window.loupe_place.review, before)
        self.assertIn("Stopped", self.window.statusBar().currentMessage())

    def test_keys_decide_on_nothing_that_is_not_seen(self) -> None:
        self.open()
        before = self.window.loupe_place.review
        assert before is not None
        self.window.loupe_place.open_score(str(self.score))
        self.wait(lambda: self.window.loupe_place.currentIndex() == 0)
        self.press(KEY.Key_D)
        self.assertFalse(before.can_undo)
        self.assertIsNone(self.window.loupe_place.review)

    def test_bad_input_is_a_sentence_and_what_was_open_stays(self) -> None:
        self.open()
        before = self.window.loupe_place.review
        bad, silent, text = (
            self.folder / "bad.musicxml",
            self.folder / "silent.wav",
            self.folder / "notes.txt",
        )
        bad.write_text("<score")
        text.write_text("x")
        write_sound(silent, sounding([(0.1, 0.1, 60)]) * 0, RATE)
        for paths, words in (
            ((bad,), "not a readable MusicXML"),
            ((silent,), "is silent"),
            ((text,), "neither a notation file nor|neither a notation file"),
        ):
            with self.subTest(words):
                self.window.last_trouble = ""
                self.drop(*paths)
                self.wait(lambda: self.window.last_trouble)
                self.assertRegex(self.window.last_trouble, words)
                self.press(KEY.Key_Escape)
                self.assertIs(self.window.loupe_place.review, before)
                self.assertEqual(self.window.loupe_place.currentIndex(), 2)

    def test_recent_pairs_and_window_are_remembered(self) -> None:
        self.open()
        self.window.resize(1111, 700)
        self.window.close()
        self.window = self.make_window()
        self.assertEqual(recent_pairs(self.window.settings), [(str(self.score), str(self.take), "Flute")])
        self.assertEqual(self.window.loupe_place.empty.list.count(), 1)
        item = self.window.loupe_place.empty.list.visualItemRect(self.window.loupe_place.empty.list.item(0))
        QTest.mouseClick(
            self.window.loupe_place.empty.list.viewport(), Qt.MouseButton.LeftButton, pos=item.center()
        )
        self.checked()

    def test_going_through_a_tray_by_keys(self) -> None:
        _, tray = read_band(DEMO)
        self.window = self.make_window(tray[11:13])
        self.press(KEY.Key_PageDown, CONTROL)
        self.checked()
        self.assertIn("Rafi", self.window.words["take"].text())
        self.window.loupe.close_review()
        self.press(KEY.Key_PageDown, CONTROL)
        self.checked()
        self.assertIn("Oda", self.window.words["take"].text())
        self.press(KEY.Key_PageDown, CONTROL)
        self.assertIn("last take", self.window.statusBar().currentMessage())


class Choosing(DeskCase):
    def test_a_full_mark_above_a_finding_says_why(self) -> None:
        self.open()
        review = self.window.loupe_place.review
        assert review is not None
        mark = review.report["mark"]
        words = lambda: " ".join(x.text() for x in self.window.loupe.margin._head.findChildren(QLabel))  # noqa: E731
        self.assertNotIn("What is found", words())
        mark["value"] = mark["out_of"]
        self.window.loupe._rebuild_margin()
        self.assertIn("What is found takes off less than is counted.", words())

    def test_notes_whose_places_lie_below_the_fold_are_stacked_from_the_top(self) -> None:
        self.open()
        margin = self.window.loupe.margin
        for visible, at in ((2000.0, 900), (600.0, margin._head.height())):
            margin.place(lambda _key: 900.0, visible)
            self.assertAlmostEqual(min(n.y() for n in margin.notes), at, delta=24)

    def test_a_mark_a_note_a_margin_note_and_the_sound_choose_the_same(self) -> None:
        self.open()
        loupe = self.window.loupe
        assert self.window.loupe_place.review is not None
        key = next(s.key for s in self.window.loupe_place.review.shown if s.finding["kind"] == "wrong_note")
        place = loupe.paper.place_of(key)
        assert place is not None
        QTest.mouseClick(loupe.paper, Qt.MouseButton.LeftButton, pos=place.toPoint())
        self.assertEqual(loupe.selection.chosen, key)
        self.assertTrue(self.note_of(key).opened)
        other = next(n for n in loupe.margin.notes if n.shown.key != key)
        wanted = other.shown.key
        QTest.mouseClick(other, Qt.MouseButton.LeftButton, pos=QPoint(120, 12))
        self.assertEqual(loupe.selection.chosen, wanted)
        at = self.window.loupe_place.review.places(
            next(s.finding for s in self.window.loupe_place.review.shown if s.key == key)
        )[0][0]
        QTest.mouseClick(
            loupe.strip.wave,
            Qt.MouseButton.LeftButton,
            pos=QPoint(round(loupe.strip.wave.x_of(at + 0.1)), 40),
        )
        self.assertEqual(loupe.selection.chosen, key)
        self.assertIsNotNone(loupe.strip.wave.chosen)

    def test_keys_walk_findings_and_notes(self) -> None:
        self.open()
        loupe = self.window.loupe
        seen = {loupe.selection.chosen}
        for _ in range(2):
            self.press(KEY.Key_Down)
            seen.add(loupe.selection.chosen)
        self.assertEqual(len(seen), 3)
        self.press(KEY.Key_Escape)
        self.assertIsNone(loupe.selection.chosen)
        self.press(KEY.Key_Right)
        self.press(KEY.Key_Right)
        self.assertEqual(loupe.selection.note_id, LINE.main_notes[1].id)
        self.press(KEY.Key_Left)
        self.assertEqual(loupe.selection.note_id, LINE.main_notes[0].id)

    def test_the_facet_filter_leaves_its_kind_alone(self) -> None:
        self.open()
        button = self.window.loupe.margin._buttons["count"]
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertEqual([n.shown.finding["kind"] for n in self.window.loupe.margin.notes], ["rest_short"])
        QTest.mouseClick(self.window.loupe.margin._buttons["count"], Qt.MouseButton.LeftButton)
        self.assertEqual(len(self.window.loupe.margin.notes), 3)

    def test_zoom_and_width_reflow_the_part(self) -> None:
        self.open()
        paper = self.window.loupe.paper
        assert paper.engraving is not None
        before = len(paper.engraving.systems)
        for _ in range(4):
            self.press(KEY.Key_Plus, CONTROL)
        self.wait(lambda: paper.engraving is not None and len(paper.engraving.systems) > before)
        self.press(KEY.Key_0, CONTROL)
        self.wait(lambda: paper.engraving is not None and len(paper.engraving.systems) == before)
        self.window.resize(900, 800)
        self.wait(lambda: paper.engraving is not None and len(paper.engraving.systems) > before)

    def test_dark_large_and_pitch_line(self) -> None:
        self.open()
        self.window.set_theme("dark")
        self.window.set_text_size(125)
        self.press(KEY.Key_P)
        self.assertTrue(self.window.loupe.paper._pitch)
        self.app.processEvents()
        colour = self.window.loupe.paper.grab().toImage().pixelColor(4, 4).name().upper()
        self.assertEqual(colour, self.window.theme.paper)
        self.press(KEY.Key_F1)
        guide = self.window.guide
        titles = [guide.chapters.item(k).text() for k in range(guide.chapters.count())]
        self.assertEqual((titles[0], len(titles)), ("From a part and a recording to a slip", 7))
        before = guide.text.verticalScrollBar().value()
        guide.chapters.setCurrentRow(3)
        self.assertGreater(guide.text.verticalScrollBar().value(), before)
        guide.close()
        self.window.activateWindow()
        self.window.show_keys()
        self.assertEqual(self.window.keys_box.windowTitle(), "Keys")
        keys = [
            a.shortcut().toString()
            for a in self.window.findChildren(type(self.window.menus.undo_action))
            if not a.shortcut().isEmpty()
        ]
        self.assertTrue({"Space", "K", "D", "F1"} <= set(keys))
        self.assertGreater(len(KEYS), 15)


class Deciding(DeskCase):
    def test_dismiss_undo_redo_restore_by_keys_and_the_mark_follows(self) -> None:
        self.open()
        review = self.window.loupe_place.review
        assert review is not None
        before = review.report["mark"]["value"]
        key = self.window.loupe.selection.chosen
        self.press(KEY.Key_D)
        self.assertGreater(review.report["mark"]["value"], before)
        self.assertEqual(next(s.state for s in review.shown if s.key == key), "dismissed")
        self.assertNotIn(key, [h.key for h in self.window.loupe.paper.hits])
        self.press(KEY.Key_U)
        self.assertIn(key, [h.key for h in self.window.loupe.paper.hits])
        self.assertEqual(review.report["mark"]["value"], before)
        self.press(KEY.Key_Z, CONTROL | Qt.KeyboardModifier.ShiftModifier)
        self.assertGreater(review.report["mark"]["value"], before)
        self.window.loupe.choose(key)
        self.press(KEY.Key_R)
        self.assertEqual(review.report["mark"]["value"], before)
        self.press(KEY.Key_K)
        self.assertEqual(next(s.state for s in review.shown if s.key == key), "kept")

    def test_decisions_are_there_again_when_the_pair_is_opened_again(self) -> None:
        self.open()
        key = self.window.loupe.selection.chosen
        self.press(KEY.Key_D)
        self.window.close()
        self.window = self.make_window()
        self.open()
        assert self.window.loupe_place.review is not None
        self.assertEqual(
            next(s.state for s in self.window.loupe_place.review.shown if s.key == key), "dismissed"
        )

    def test_changing_the_kind_and_adding_at_a_note_from_the_menu(self) -> None:
        self.open()
        review = self.window.loupe_place.review
        assert review is not None
        key = self.window.loupe.selection.chosen
        self.press(KEY.Key_C)
        self.choose_kind("Sound", "fuzzy")
        self.assertEqual(next(s.finding["kind"] for s in review.shown if s.key == key), "fuzzy")
        self.press(KEY.Key_Escape)
        self.press(KEY.Key_Right)
        self.press(KEY.Key_A)
        self.choose_kind("Rhythm", "late")
        added = [s for s in review.shown if s.state == "added"]
        self.assertEqual([s.finding["kind"] for s in added], ["late"])
        self.assertEqual(self.window.loupe.selection.chosen, added[0].key)

    def choose_kind(self, facet: str, kind: str) -> None:
        menu = self.window.kind_menu
        sub = next(a.menu() for a in menu.actions() if a.text() == facet)
        next(a for a in sub.actions() if a.text() == kind).trigger()
        menu.close()
        self.app.processEvents()

    def test_the_next_step_leads_through_the_findings_to_saving(self) -> None:
        self.open()
        for _ in range(3):
            self.press(KEY.Key_K)
            QTest.mouseClick(
                self.window.next_button, Qt.MouseButton.LeftButton
            ) if self.window.next_button.text() == "Next finding" else None
        self.assertEqual(self.window.next_button.text(), "Save the marked part…")

    def test_saving(self) -> None:
        self.open()
        for kind, name in (("pdf", "o.pdf"), ("midi", "o.mid"), ("json", "o.json")):
            self.window.loupe_place.save_as(kind, str(self.folder / name))
            self.wait(lambda n=name: (self.folder / n).exists())
        self.wait(lambda: "Saved" in self.window.statusBar().currentMessage())
        self.assertEqual(json.loads((self.folder / "o.json").read_text())["schema"], "jeweller.report/1")
        self.window.last_trouble = ""
        self.window.loupe_place.save_as("json", "/nowhere/at/all.json")
        self.assertIn("cannot be written", self.window.last_trouble)


class Playing(DeskCase):
    def test_space_plays_from_two_beats_before_and_the_cursor_moves(self) -> None:
        self.open(sound=True)
        loupe = self.window.loupe
        assert self.window.loupe_place.review is not None
        key = next(s.key for s in self.window.loupe_place.review.shown if s.finding["kind"] == "rest_short")
        loupe.choose(key)
        at = next(s.finding["at_s"] for s in self.window.loupe_place.review.shown if s.key == key)
        self.press(KEY.Key_Space)
        self.wait(lambda: loupe.listening.playing and loupe.strip.wave.playhead is not None)
        assert loupe.strip.wave.playhead is not None
        self.assertAlmostEqual(loupe.strip.wave.playhead, at - 2 * 60 / 90, delta=0.4)
        first = loupe.paper._cursor
        self.wait(lambda: loupe.paper._cursor not in (None, first), 5)
        self.press(KEY.Key_Space)
        self.assertFalse(loupe.listening.playing)
        self.assertIsNone(loupe.paper._cursor)
        self.assertIn("No sound device", self.window.statusBar().currentMessage())

    def test_model_both_slower_and_loop(self) -> None:
        self.open(sound=True)
        loupe = self.window.loupe
        self.press(KEY.Key_M)
        self.press(KEY.Key_BracketLeft)
        self.assertEqual((loupe.listening.source, loupe.listening.speed), ("model", 0.85))
        self.press(KEY.Key_L)
        self.press(KEY.Key_Space)
        self.wait(lambda: loupe.listening.playing)
        note = loupe.selection.note_id
        assert note is not None and self.window.loupe_place.review is not None
        self.assertEqual(
            loupe.selection.stretch(loupe.listening.loop), self.window.loupe_place.review.bar_span(note)
        )
        length = loupe.listening.transport._queue[0]
        start, end = self.window.loupe_place.review.bar_span(note)
        self.assertAlmostEqual(len(length.samples) / length.rate, (end - start) / 0.85, delta=0.05)
        self.assertEqual(length.label, "model")
        self.press(KEY.Key_B)
        self.wait(lambda: [s.label for s in loupe.listening.transport._queue] == ["take", "model"])
        self.press(KEY.Key_Escape)
        self.assertFalse(loupe.listening.playing)

    def test_dragging_over_the_sound_loops_that_stretch(self) -> None:
        self.open(sound=True)
        wave = self.window.loupe.strip.wave
        a, b = QPoint(round(wave.x_of(3.0)), 40), QPoint(round(wave.x_of(4.0)), 40)
        QTest.mousePress(wave, Qt.MouseButton.LeftButton, pos=a)
        QTest.mouseMove(wave, QPoint((a.x() + b.x()) // 2, 40))
        QTest.mouseMove(wave, b)
        QTest.mouseRelease(wave, Qt.MouseButton.LeftButton, pos=b)
        self.wait(lambda: self.window.loupe.listening.playing)
        span = self.window.loupe.selection.stretch(False)
        assert span is not None
        self.assertAlmostEqual(span[0], 3.0, delta=0.1)
        self.assertAlmostEqual(span[1], 4.0, delta=0.1)


def _fail(*, progress: object) -> None:
    raise ZeroDivisionError("planned")


class Working(WindowCase):
    def test_a_fault_in_a_worker_is_told_and_nothing_else_breaks(self) -> None:
        jobs = Jobs()
        told: list[str] = []
        jobs.process("x", _fail).failed.connect(told.append)
        self.wait(lambda: told)
        self.assertIn("what was open is safe", told[0])
        jobs.stop()

    def test_a_superseded_result_is_dropped(self) -> None:
        jobs = Jobs()
        told: list[object] = []
        jobs.threaded("x", lambda: (time.sleep(0.2), "old")[1]).done.connect(told.append)
        jobs.threaded("x", lambda: "new").done.connect(told.append)
        self.wait(lambda: told)
        time.sleep(0.3)
        self.app.processEvents()
        self.assertEqual(told, ["new"])

    def test_jobs_that_are_over_are_forgotten_and_freed(self) -> None:
        jobs = Jobs()
        over: list[object] = []
        for k in range(4):
            jobs.threaded(f"take {k}", lambda: "done").done.connect(over.append)
        jobs.process("x", _fail).failed.connect(over.append)
        self.wait(lambda: len(over) == 5 and not jobs.findChildren(Job))
        self.assertFalse(any(jobs.running(f"take {k}") for k in range(4)))

    def test_what_is_over_when_another_begins_is_told_too(self) -> None:
        jobs = Jobs()
        over: list[object] = []
        jobs.process("first", _fail).failed.connect(over.append)
        worker = jobs._pool._workers[0].connection
        self.assertTrue(worker.poll(60.0))  # its answer is there, and nobody has asked for it yet
        jobs.process("second", _fail).failed.connect(over.append)
        self.wait(lambda: len(over) == 2)
        jobs.stop()

    def test_a_thread_that_is_given_up_says_so_once(self) -> None:
        jobs = Jobs()
        told: list[str] = []
        job = jobs.threaded("x", time.sleep, 0.05)
        job.cancelled.connect(lambda: told.append("cancelled"))
        job.done.connect(lambda _: told.append("done"))
        jobs.cancel("x")
        self.wait(lambda: not jobs.findChildren(Job))
        time.sleep(0.1)
        self.app.processEvents()
        self.assertEqual(told, ["cancelled"])


class Watched(WindowCase):
    def test_what_holds_the_window_is_noticed_at_work_and_asleep(self) -> None:
        def hold() -> None:
            until = time.thread_time() + 10 * WATCHDOG.HELD_S * slowness()
            while time.thread_time() < until and not WATCHDOG.held:
                pass

        def doze() -> None:  # until it is noticed: how soon a look comes is the machine's to say
            until = time.monotonic() + 20 * WATCHDOG.BLOCKED_S
            while time.monotonic() < until and not WATCHDOG.held:
                time.sleep(WATCHDOG.QUIET_S)

        for act in (hold, doze):
            QTimer.singleShot(0, self.app, act)
            self.turn(300)
            held, WATCHDOG.held = WATCHDOG.held, []
            self.assertIn(act.__name__, "".join(held))


class Garbage(WindowCase):
    def test_windows_that_are_garbage_are_never_freed_in_another_thread(self) -> None:
        self.assertFalse(gc.isenabled())
        freed: list[threading.Thread] = []
        owner = QObject()
        owner.destroyed.connect(lambda: freed.append(threading.current_thread()), DIRECT)
        cycle: list[object] = [owner]
        cycle.append(cycle)
        del owner, cycle
        thread = threading.Thread(target=lambda: [[] for _ in range(100_000)])
        thread.start()
        thread.join()
        self.assertEqual(freed, [])
        gc.collect()  # as the timer does
        self.assertEqual(freed, [threading.main_thread()])


class Binding(WindowCase):
    def test_calls_into_qt_take_no_references_away(self) -> None:
        """A binding that loses a reference to None with every call ends the program after some hundred
        clicks.
        """
        timer = QTimer()
        before = sys.getrefcount(None), sys.getrefcount(True), sys.getrefcount(False)
        for _ in range(400):
            timer.start(1000)
            timer.stop()
            timer.isActive()
        after = sys.getrefcount(None), sys.getrefcount(True), sys.getrefcount(False)
        self.assertTrue(all(b > a - 100 for a, b in zip(before, after, strict=True)), (before, after))
