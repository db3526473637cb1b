"""The pattern book in the real window: the sentence that makes music, the typed line, opened files, printing,
and the way to the loupe.
"""

from __future__ import annotations

import re

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from jeweller.audio.ports import SimulatedSpeaker
from jeweller.documents.engraving import Engraving
from jeweller.documents.parts import parts_page
from jeweller.exercises.request import KINDS
from jeweller.gui.places.pattern_book.sentence import SENTENCES, ExerciseSentence
from jeweller.instruments.table import require_instrument
from jeweller.notation.readers.sandbox import load_score
from tests.support import part_of
from tests.test_desk import DeskCase
from tests.test_formats import midi

KEY = Qt.Key
CONTROL = Qt.KeyboardModifier.ControlModifier


class PatternBook(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        self.press(KEY.Key_2, CONTROL)
        self.place = self.window.pattern

    def choose(self, word: str, words: str) -> None:
        """Chooses an entry of a word's menu, as with the mouse."""
        menu = self.place.maker.menu(word)
        next(a for a in menu.actions() if a.text() == words).trigger()
        self.app.processEvents()

    def engraved(self) -> Engraving:
        """The sheet, once it is engraved as it was last asked for."""
        paper = self.place.view.paper
        self.wait(lambda: paper.engraving is not None and not self.window.jobs.running("sheet engraved"))
        assert paper.engraving is not None
        return paper.engraving

    def title(self) -> str:
        assert self.place.model.score is not None
        return self.place.model.score.title

    def test_the_key_goes_there_and_back_and_the_next_step_is_the_sheet(self) -> None:
        self.assertEqual(self.window.next_button.text(), "Save the sheet…")
        self.assertEqual(self.window.place_label.text(), "Pattern book")
        self.press(KEY.Key_1, CONTROL)
        self.assertEqual(
            (self.window.place_label.text(), self.window.next_button.text()), ("Loupe", "Open a score…")
        )

    def test_another_word_makes_other_music_and_the_list_follows(self) -> None:
        self.assertEqual(self.title(), "B♭ major")
        self.choose("tonic", "E♭")
        self.choose("kind", KINDS["intervals"])
        self.choose("interval", "fourths")
        self.assertEqual(self.title(), "E♭ major in fourths")
        self.assertIn("E♭ major: B♭, E♭ and A♭", [t.what for t, _ in self.place.look.boxes])
        self.choose("metre", "6/8")
        self.assertEqual(self.place.maker.drill.rhythm, "dotted quarters")
        self.choose("metre", "4/4")
        self.assertEqual(self.place.maker.drill.rhythm, "quarters")
        self.choose("players", "the whole band")
        self.assertEqual(self.place.whom.parts.count(), 15)
        self.assertIn("Snare drum: this has no pitch", self.place.note.text())
        self.place.whom.parts.setCurrentIndex(2)
        part = self.place.part()
        self.assertEqual(part.name if part else "", "Clarinet in B♭")

    def test_every_kind_has_a_sentence_whose_words_can_be_changed(self) -> None:
        maker = ExerciseSentence()
        self.assertEqual(set(SENTENCES), set(KINDS))
        for kind in KINDS:
            maker.choose("kind", kind)
            for word in maker.words:
                self.assertTrue(maker.said(word), (kind, word))
                self.assertGreater(len(maker.menu(word).actions()), 1, (kind, word))

    def test_a_drum_takes_a_drum_pattern_and_an_instrument_takes_it_away(self) -> None:
        self.place.maker.set_players([require_instrument("snare-drum")])
        self.assertEqual(self.place.maker.drill.kind, "drums")
        self.place.maker.set_players([require_instrument("flute")])
        self.assertEqual(self.place.maker.drill.kind, "scale")

    def test_what_cannot_be_made_is_said_and_nothing_breaks(self) -> None:
        self.place.maker.set_players([require_instrument("timpani")])
        self.assertIn("does not lie within its range", self.place.note.text())
        self.assertIsNone(self.place.part())
        self.assertFalse(self.place.play_button.isEnabled())

    def test_a_line_is_typed_and_its_slips_are_told_at_their_place(self) -> None:
        self.place.way_buttons.button(1).click()
        edit = self.place.typed.edit
        edit.selectAll()
        for keys in ("M:3/4", "L:1/4", "K:F", "C D E | F2 ^G & | A3 |]"):
            QTest.keyClicks(edit, keys)
            QTest.keyClick(edit, KEY.Key_Return)
        self.wait(lambda: self.place.typed.score is not None and self.place.typed.problems)
        self.assertIn("A second voice laid over", self.place.typed.told.text())
        self.assertEqual(
            [n.pitch.name for b in self.place.part().bars for n in b.notes if n.pitch],
            ["C4", "D4", "E4", "F4", "G♯4", "A4"],
        )
        self.place.typed.go_to("0")
        self.assertEqual(edit.textCursor().blockNumber(), 3)
        # there again the next time
        self.assertIn("F2 ^G &", self.make_window().pattern.typed.edit.toPlainText())
        self.place.typed_for.setCurrentIndex(self.place.typed_for.findData("clarinet"))
        self.assertEqual(self.place.part().chromatic, -2)

    def test_notes_are_entered_by_keys_and_the_last_one_is_washed(self) -> None:
        self.place.way_buttons.button(1).click()
        typed = self.place.typed
        typed.anew.click()
        typed.keys_box.click()
        QTest.keyClicks(typed.edit, "4CE8GA2")
        self.assertIn("half notes", typed.keys.text())
        QTest.keyClicks(typed.edit, "F")
        QTest.keyClick(typed.edit, KEY.Key_Up)
        QTest.keyClicks(typed.edit, "N")
        self.assertTrue(
            typed.edit.toPlainText().endswith("K:C\nc e g/2a/2 !trill!g- | g"), typed.edit.toPlainText()
        )
        QTest.keyClick(typed.edit, KEY.Key_Backspace)
        QTest.keyClick(typed.edit, KEY.Key_Z, CONTROL)
        self.assertTrue(typed.edit.toPlainText().endswith("- | g"))
        self.wait(lambda: len(self.place.view.paper.washed) == 1)
        self.assertTrue(self.coloured(self.place.theme.wash))
        typed.keys_box.click()
        QTest.keyClicks(typed.edit, " x")  # typed again as text
        self.assertTrue(typed.edit.toPlainText().endswith("g x"))

    def coloured(self, colour: str) -> bool:
        """Whether a colour is to be seen on the paper."""
        self.engraved()
        image = self.place.view.paper.grab().toImage()
        return any(
            image.pixelColor(x, y).name().upper() == colour
            for x in range(0, image.width(), 3)
            for y in range(0, image.height(), 3)
        )

    def test_bars_in_a_line_and_drawn_valves(self) -> None:
        self.place.maker.set_players([require_instrument("trumpet")])
        self.place.shown.bars.setCurrentIndex(self.place.shown.bars.findData(2))
        self.place.shown.lines["fingerings"].setChecked(True)
        engraving = self.engraved()
        self.assertEqual(
            [sum(b.system == k for b in engraving.bars) for k in range(len(engraving.systems))], [2, 2]
        )
        page = parts_page(self.place.printed(), self.place.shown.settings({}))  # type: ignore[arg-type]
        self.assertEqual(len(set(re.findall(r"<rect [^>]*rx=[^>]*>", page))), 3 * 15)

    def test_names_of_signs_are_offered(self) -> None:
        self.place.way_buttons.button(1).click()
        edit = self.place.typed.edit
        edit.setPlainText("K:C\n")
        edit.moveCursor(edit.textCursor().MoveOperation.End)
        QTest.keyClicks(edit, "!tri")
        self.assertEqual(edit.completer.currentCompletion(), "trill")
        edit.completer.activated.emit("trill")
        self.assertEqual(edit.toPlainText(), "K:C\n!trill!")

    def test_ticked_traps_are_numbered_on_the_part_and_shown_ones_washed(self) -> None:
        trap, box = next((t, b) for t, b in self.place.look.boxes if t.kind == "altered")
        box.setChecked(True)
        self.assertEqual(self.place.view.paper.pencilled, dict.fromkeys(trap.notes, "1"))
        self.place.look.shown.emit(trap.notes)
        self.assertEqual(self.place.view.paper.washed, frozenset(trap.notes))
        self.assertTrue(self.coloured(self.place.theme.wash))

    def test_a_tunebook_is_opened_by_dropping_it_and_a_bad_file_changes_nothing(self) -> None:
        book = self.folder / "book.abc"
        book.write_text("X:1\nT:First\nK:C\nL:1/4\nCDEF|\n\nX:2\nT:Second\nK:G\nL:1/4\nGABc|\n")
        self.drop(book)
        self.assertEqual((self.place.model.way, self.title(), self.place.tunes.count()), ("open", "First", 2))
        self.place.tunes.setCurrentIndex(1)
        self.assertEqual(self.title(), "Second")
        (self.folder / "bad.abc").write_text("hello")
        self.open_music(self.folder / "bad.abc")
        self.assertIn("no notation file", self.window.last_trouble)
        self.assertEqual(self.title(), "Second")

    def test_an_opened_part_is_written_for_another_instrument_and_where_it_lies_best_is_told(self) -> None:
        self.drop(self.score)
        self.place.whom.instrument.setCurrentIndex(self.place.whom.instrument.findData("tuba"))
        self.assertIn("On the Tuba it lies best 3 octaves lower", self.place.note.text())
        self.assertTrue(self.place.view.paper.washed)  # the notes that no tuba plays
        self.place.whom.octaves.setCurrentIndex(self.place.whom.octaves.findData(-3))
        part = self.place.part()
        assert part is not None
        self.assertEqual((part.name, part.bars[0].clef[0]), ("Tuba", "F"))
        self.assertFalse(self.place.note.isVisible())
        self.assertEqual(len(self.place.printed().parts), 1)

    def test_a_midi_file_is_drawn_to_the_grid_that_is_chosen(self) -> None:
        path = self.folder / "played.mid"
        path.write_bytes(midi([(0, 0.3, 72), (0.35, 0.6, 74), (0.7, 0.95, 76), (1, 2, 77)]))
        self.drop(path)
        self.assertTrue(self.place.grid.isVisible())
        self.assertEqual(self.place.part().bars[0].notes[0].tuplet, (3, 2))
        self.place.grid.setCurrentIndex(self.place.grid.findText("sixteenths"))
        self.wait(lambda: self.place.files.reading is None)
        self.assertIsNone(self.place.part().bars[0].notes[0].tuplet)

    def test_what_was_ticked_is_answered_by_the_check(self) -> None:
        self.drop(self.score)
        for trap, box in self.place.look.boxes:
            box.setChecked(trap.kind == "altered")
        self.place.take_to_loupe()
        self.window.loupe_place.open_take(str(self.take))
        self.wait(lambda: self.window.loupe_place.currentIndex() == 2)
        self.wait(lambda: len(self.window.loupe.margin.asked) == 2)
        asked = self.window.loupe.margin.asked
        self.assertRegex(asked[0], r"^B♭ by the key signature: \d+ of \d+$")

    def test_the_sheet_is_saved_and_the_music_taken_to_the_loupe(self) -> None:
        self.place.shown.lines["counts"].setChecked(True)
        target = self.folder / "sheet.html"
        self.place.save("html", str(target))
        self.wait(target.exists)
        self.assertIn("1", target.read_text(encoding="utf-8"))
        path = self.folder / "scale.musicxml"
        self.place.take_to_loupe(str(path))
        self.assertEqual(self.window.place, "loupe")
        self.wait(lambda: self.window.next_button.text() == "Open a recording…")
        self.assertEqual(load_score(path).parts[0].note_count, 15)

    def test_the_shelf_keeps_finds_and_shows(self) -> None:
        self.place.put_on_shelf()
        self.choose("kind", KINDS["arpeggio"])
        self.place.put_on_shelf()
        self.place.put_on_shelf()  # the same music is not kept twice
        self.place.way_buttons.button(4).click()
        shelf = self.place.shelf
        self.assertEqual(
            [shelf.list.item(k).text().split("\n")[0] for k in range(shelf.list.count())],
            ["B♭ major", "B♭ major, triad"],
        )
        QTest.keyClicks(shelf.search, "triad")
        self.assertEqual((shelf.list.count(), shelf.count.text()), (1, "1 of 2 pieces"))
        shelf.search.clear()
        next(a for a in shelf.contains_menu().actions() if a.text() == "E♭").trigger()
        self.assertEqual(shelf.list.count(), 1)
        shelf.list.setCurrentRow(0)
        self.assertEqual(self.title(), "B♭ major")
        shelf.ask("background", "the first scale of the year")
        self.assertEqual(self.place.note.text(), "the first scale of the year")
        shelf.ask("folder", "Scales")
        shelf.ask("tags", "first term, from memory")
        self.assertEqual(shelf.folders.itemText(1), "Scales")
        shelf.folders.setCurrentIndex(1)
        QTest.keyClicks(shelf.search, "memory")
        self.assertEqual(shelf.list.count(), 1)
        shelf.search.clear()
        shelf.list.setCurrentRow(0)
        self.wait(lambda: not shelf.thumbs.waiting and shelf.thumbs.pictures)
        self.window.pattern.whom.octaves.setCurrentIndex(self.window.pattern.whom.octaves.findData(1))
        self.assertEqual(self.place.part().bars[0].notes[0].pitch.name, "B♭5")
        self.window.pattern.whom.octaves.setCurrentIndex(self.window.pattern.whom.octaves.findData(0))
        shelf.remove()
        self.assertEqual(shelf.list.count(), 0)
        next(a for a in shelf.piece_menu().actions() if a.text() == "Put back what was taken off").trigger()
        shelf.list.setCurrentRow(0)
        shelf.export(str(self.folder / "pieces.zip"))
        shelf.take_in(str(self.folder / "pieces.zip"))
        self.assertEqual(shelf.list.count(), 1)  # it was there already
        shelf.ask_passage("2-3")
        self.assertEqual([b.number for b in self.place.part().bars], ["2", "3"])
        shelf.ask_passage("9-12")
        self.assertIn("There are no bars 9 to 12", self.window.last_trouble)

    def test_a_folder_dropped_is_put_on_the_shelf_whole(self) -> None:
        folder = self.folder / "tunes"
        folder.mkdir()
        (folder / "a.abc").write_text("X:1\nT:First\nK:C\nL:1/4\nCDEF|\n\nX:2\nT:Second\nK:G\nL:1/4\nGBAG|\n")
        (folder / "b.mid").write_bytes(midi([(0, 1, 72), (1, 3, 67)]))
        (folder / "c.abc").write_text("hello")
        self.drop(folder)
        self.wait(lambda: self.place.model.way == "shelf")
        self.assertEqual(self.place.shelf.list.count(), 3)
        self.assertIn("c.abc: This is no notation file", self.window.last_trouble)

    def test_a_bar_clicked_says_what_the_others_have_there(self) -> None:
        self.place.maker.set_players([require_instrument(n) for n in ("flute", "clarinet", "alto-saxophone")])
        box = self.engraved().bars[1]
        system = self.engraved().systems[box.system]
        scale = self.place.view.paper.width() / self.engraved().width
        point = QPoint(int((box.left + box.right) / 2 * scale), int(system.top * scale))
        QTest.mouseClick(
            self.place.view.paper, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point
        )
        self.assertEqual(
            self.place.note.text(), "Bar 2: Flute F G A B♭; Clarinet in B♭ G A B C; Alto saxophone D E F♯ G."
        )

    def test_a_reminder_is_pencilled_above_a_note_and_printed(self) -> None:
        part = self.place.part()
        assert part is not None
        note = part.bars[0].notes[1].id
        box = self.engraved().notes[note]
        scale = self.place.view.paper.width() / self.engraved().width
        self.assertEqual(self.place.view.paper.note_at(box.x * scale, box.y * scale), note)
        self.place.remind(note, "breathe low")
        self.assertEqual(self.place.view.paper.pencilled, {note: "breathe low"})
        self.assertIn(
            "breathe low",
            parts_page(self.place.printed(), self.place.shown.settings(self.place.model.reminders)),
        )  # type: ignore[arg-type]
        self.place.remind(note, "")
        self.assertEqual(self.place.view.paper.pencilled, {})
        self.place.remind(note, "slow")
        self.choose("tonic", "F")  # other music: the reminder is not for it
        self.assertEqual(self.place.model.reminders, {})

    def test_space_plays_and_stops(self) -> None:
        self.place.view.setFocus()
        self.press(KEY.Key_Space)
        self.assertEqual(self.place.play_button.text(), "Stop")
        self.wait(lambda: self.place.listening.transport.playing)
        self.press(KEY.Key_Space)
        self.assertFalse(self.place.listening.transport.playing)
        self.assertEqual(self.place.play_button.text(), "Play")

    def test_the_button_says_play_again_when_the_sound_has_ended(self) -> None:
        self.place.listening.transport.speaker = SimulatedSpeaker(real_time=False)
        self.place.toggle_play()
        self.wait(lambda: self.place.listening.transport.playing)
        self.place.listening.transport.speaker.run(600.0)
        self.wait(lambda: self.place.play_button.text() == "Play")

    def test_two_hundred_bars_are_on_paper_within_a_second(self) -> None:
        import time

        from tests.support import score_file

        path = score_file(self.folder, part_of(" | ".join(["C5/1 D5/.5 E5/.5 F5/1 G5/1"] * 200)))
        self.open_music(path)  # starts the reader once
        self.engraved()
        begin = time.process_time()
        self.place.refresh()
        self.engraved()
        self.assertLess(time.process_time() - begin, 3.0)  # a second on a quiet machine
        self.wait(lambda: self.place.look.boxes)
        _trap, box = self.place.look.boxes[0]
        box.setChecked(True)
        self.place.refresh()  # what was ticked stays, while the list is written anew and after
        self.wait(lambda: self.place.look.boxes and self.place.look.boxes[0][1] is not box)
        self.assertEqual([t for t, b in self.place.look.boxes if b.isChecked()], self.place.look.ticks())
        self.assertEqual(len(self.place.look.ticks()), 1)
