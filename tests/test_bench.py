"""The bench in the real window: takes brought in, checked, gone through by keyboard, looked at closely, and
there again after closing.
"""

from __future__ import annotations

import shutil
from typing import Any
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QLabel, QPushButton

from jeweller.assessment.finding import FACETS
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog, checks_again
from jeweller.gui.places.bench.intake_page import PART, PIECE, PLAYER
from jeweller.gui.places.bench.take_list import in_words
from jeweller.gui.places.bench.take_menu import delete_take, put_right, take_menu
from jeweller.gui.places.ledger.class_dialogs import ClassListDialog
from jeweller.gui.places.ledger.people_dialogs import MarksBox
from jeweller.library.intake import Guess, Pile
from jeweller.library.library import Library
from jeweller.notation.model import Score
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import check
from tests.support import part_of
from tests.test_desk import CONTROL, KEY, DeskCase


class Bench(DeskCase):
    report: dict[str, Any]

    def setUp(self) -> None:
        super().setUp()
        self.press(KEY.Key_2, CONTROL)
        self.open_music(self.score)
        self.window.pattern.put_on_shelf()

    def begin(self) -> None:
        self.press(KEY.Key_5, CONTROL)
        self.bench = self.window.bench

    def checked_tray(self, *players: str) -> None:
        """A tray of checked takes, as if it had been brought in before."""
        if not hasattr(Bench, "report"):
            Bench.report = check(self.score, self.take).report
        library = Library(self.window.library_folder)
        band = library.add_band("The Fernhollow Band")
        tray = library.add_tray(band.id, "A test")
        for k, name in enumerate(players):
            path = self.folder / f"{name} test.wav"
            path.write_bytes(self.take.read_bytes() + bytes([k]))
            piece = next(iter(library.shelf.pieces))
            take = library.add_take(
                tray.id, path, player=library.add_player(band.id, name, "flute").id, piece=piece, part="Flute"
            )
            library.add_report(take.id, Bench.report)
        library.close()
        self.begin()
        self.wait(
            lambda: self.bench.hand is not None and self.bench.hand.take.id in self.bench.listening.fetched
        )

    def bring(self, *names: str) -> None:
        for name in names:
            path = self.folder / "pile" / name
            path.parent.mkdir(exist_ok=True)
            shutil.copy(self.take, path)
            with path.open("ab") as file:
                file.write(name.encode())
        self.drop(self.folder / "pile")
        self.wait(lambda: self.bench.pages.currentIndex() == 1)

    def enter(self) -> None:
        self.window.next_button.click()
        if self.bench.intake.asking is not None:
            self.bench.intake.asking.accept()
            self.window.activateWindow()  # no window manager here does it
        self.wait(lambda: not self.bench.jobs.running("enter"))
        self.wait(lambda: self.bench.checking is not None and not self.bench.checking.busy, 60)
        self.wait(
            lambda: self.bench.hand is not None and self.bench.hand.take.id in self.bench.listening.fetched
        )

    def kinds(self) -> list[str]:
        assert self.bench.hand is not None
        return [s.finding["kind"] for s in self.bench.hand.shown if s.state == "open"]

    def test_from_a_folder_to_the_last_decision_by_keyboard(self) -> None:
        self.begin()
        self.assertEqual(self.window.next_button.text(), "Bring takes in…")
        self.assertIn("A tray is a pile of recordings", self.bench.tray_page.empty.text())
        self.bring("Ilse test.wav", "Bram test 2.wav")
        intake = self.bench.intake.page
        self.assertEqual([intake.box(r, PLAYER).currentText() for r in range(2)], ["Bram", "Ilse"])
        self.assertEqual({intake.box(r, PIECE).currentText() for r in range(2)}, {"A test"})
        self.assertEqual({intake.box(r, PART).currentText() for r in range(2)}, {"Flute"})
        self.assertEqual(self.window.next_button.text(), "Enter 2 takes")
        self.enter()
        self.assertEqual([line.player for line in self.bench.lines], ["Bram", "Ilse"])
        self.assertEqual(sorted(self.kinds()), ["missed_accidental", "rest_short", "wrong_note"])
        self.assertIn("to mend in notes, accidentals, count", in_words(self.bench.lines[0]))
        self.assertEqual(self.window.next_button.text(), "Next doubtful place")
        for key in (KEY.Key_D, KEY.Key_K, KEY.Key_K):  # each decides, and the next place comes and is played
            self.press(key)
        self.assertTrue(self.bench.listening.transport.playing)
        self.assertEqual(self.bench.lines[1].take.id, self.bench.hand.take.id if self.bench.hand else 0)
        summary = self.bench.lines[0].take.summary
        self.assertEqual((summary["open"], summary["sure"]), (0, 2))
        self.press(KEY.Key_Up)  # back to a doubtful place: there is none before
        self.assertEqual(self.bench.lines[1].take.id, self.bench.hand.take.id if self.bench.hand else 0)
        self.press(KEY.Key_N)
        QTest.keyClicks(self.bench.page.comment, "Well counted.")
        QTest.keyClick(self.bench.page.comment, KEY.Key_Return)
        self.press(KEY.Key_Return, CONTROL)
        self.assertEqual(self.bench.lines[1].state, "decided")
        self.window.close()

        again = self.make_window()
        again.go("bench")
        bench = again.bench
        assert bench.library is not None and bench.hand is not None
        self.assertEqual(bench.library.phrases(), ["Well counted."])
        before = {line.player: line.take.summary["sure"] for line in bench.lines}
        for _ in range(5):  # also what was done before it was closed can be undone
            again.act("undo")
        self.assertEqual(
            {line.player: line.take.summary["open"] for line in bench.lines}, {"Bram": 3, "Ilse": 3}
        )
        for _ in range(5):
            again.act("redo")
        self.assertEqual({line.player: line.take.summary["sure"] for line in bench.lines}, before)

    def test_a_card_says_what_was_decided_and_the_others_stay(self) -> None:
        self.checked_tray("Ilse")
        page, key = self.bench.page, self.bench.key or ""
        before = dict(page.cards)
        self.press(KEY.Key_K)
        told = [label.text() for label in page.cards[key].findChildren(QLabel)]
        self.assertIn("kept by the teacher", told)
        anew = {k for k, card in page.cards.items() if card is not before[k]}
        self.assertEqual((anew, len(before)), ({key, self.bench.key}, 3))
        self.assertTrue(page.cards[self.bench.key or ""].opened)

    def test_to_the_loupe_and_back_and_all_of_a_kind(self) -> None:
        self.checked_tray("Ilse", "Bram")
        self.press(KEY.Key_O)
        self.wait(
            lambda: (
                self.window.loupe_place.review is not None and self.window.loupe_place.currentIndex() == 2
            ),
            60,
        )
        self.assertEqual(self.window.loupe_place.pair.player, "Bram")
        shown = self.window.loupe_place.review.shown  # type: ignore[union-attr]
        self.window.loupe.choose(next(s.key for s in shown if s.finding["kind"] != "wrong_note"))
        self.window.loupe.listening.stop()
        self.press(KEY.Key_D)
        self.window.loupe.listening.stop()
        self.press(KEY.Key_Escape)
        self.assertEqual(self.window.place, "bench")
        self.assertEqual(self.bench.lines[0].take.summary["open"], 2)
        key = next(s.key for s in self.bench.hand.shown if s.finding["kind"] == "wrong_note")  # type: ignore[union-attr]
        self.bench.choose(key)
        self.bench.dismiss_all("the other player's note")
        self.assertEqual([line.take.summary["facets"]["notes"] for line in self.bench.lines], [1.0, 1.0])
        self.press(KEY.Key_Z, CONTROL)
        self.assertTrue(all(line.take.summary["facets"]["notes"] < 1.0 for line in self.bench.lines))

    def test_the_sound_of_a_finding_is_looked_at_under_the_loupe(self) -> None:
        self.checked_tray("Ilse", "Bram")
        words = [b.text() for b in self.bench.page.findChildren(QPushButton)]
        self.assertTrue(any("(K)" in w for w in words))
        self.assertFalse(any("(E)" in w for w in words))
        self.press(KEY.Key_E)
        self.wait(lambda: self.window.place == "loupe", 60)

    def test_what_is_here_already_is_left_out_and_a_name_can_be_corrected(self) -> None:
        self.checked_tray("Ilse of the weir")
        (self.folder / "pile").mkdir()
        shutil.copy(self.folder / "Ilse of the weir test.wav", self.folder / "pile" / "Ilse.wav")
        self.bring("Bram test.wav")
        intake = self.bench.intake.page
        row = next(r for r, g in enumerate(intake.guesses) if g.path.name.startswith("Ilse"))
        self.assertTrue(intake.guesses[row].twice)
        self.assertEqual((intake.ticked(), intake.box(row, PLAYER).currentText()), (1, "Ilse of the weir"))
        intake.cancel.click()
        self.assertEqual(
            (self.bench.tray_page.trays.count(), self.window.next_button.text()), (1, "Next doubtful place")
        )

    def test_nothing_to_bring_in_is_a_sentence(self) -> None:
        self.begin()
        (self.folder / "words.txt").write_text("no sound")
        self.drop(self.folder / "words.txt")
        self.wait(lambda: self.window.last_trouble)
        self.assertIn("words.txt is no recording", self.window.last_trouble)

    def test_a_second_window_reads_and_says_why_it_changes_nothing(self) -> None:
        self.checked_tray("Ilse")
        second = self.make_window()
        second.go("bench")
        self.assertEqual([line.player for line in second.bench.lines], ["Ilse"])
        self.wait(lambda: second.bench.hand is not None)
        for act in (
            lambda: second.act("dismiss"),
            lambda: second.act("undo"),
            second.bench.check,
            lambda: second.bench.take_in([str(self.take)]),
            lambda: second.bench.dismiss_all("no"),
            lambda: second.bench.mark_by_hand("1"),
        ):
            second.last_trouble = ""
            act()
            self.assertIn("open in another window", second.last_trouble)

    def test_the_window_is_laid_out_as_it_was_left(self) -> None:
        self.checked_tray("Ilse")
        self.bench.split.setSizes([400, 760])
        wide = self.bench.split.sizes()
        self.window.close()
        again = self.make_window()
        again.go("bench")
        self.wait(lambda: again.bench.split.isVisible())
        self.assertAlmostEqual(again.bench.split.sizes()[0], wide[0], delta=4)

    def test_large_and_dark(self) -> None:
        self.checked_tray("Ilse")
        self.window.set_theme("dark")
        self.window.set_text_size(125)
        self.assertGreater(self.bench.list.sizeHintForRow(0), 55)
        self.assertEqual(self.bench.page.snippet.theme.name, "dark")
        self.assertTrue(
            self.bench.list.item(0).data(Qt.ItemDataRole.AccessibleTextRole).startswith("Ilse, A test")
        )

    def test_slips_and_marks_leave_the_tray(self) -> None:
        self.checked_tray("Ilse", "=Bram")
        for _ in range(2):
            self.press(KEY.Key_Return, CONTROL)
        self.assertEqual(self.window.next_button.text(), "Write the slips…")
        for name, kind in (("slips.pdf", "pdf"), ("pages", "html"), ("mail", "text")):
            self.bench.model.set_slips(with_mark=kind != "text", closing="Until Thursday, {name}.")
            self.bench.exports.write_slips(kind, str(self.folder / name))
            self.wait(
                lambda name=name: (
                    "Saved" in self.window.statusBar().currentMessage() and (self.folder / name).exists()
                ),
                60,
                kind,
            )
            self.window.statusBar().clearMessage()
        self.assertTrue((self.folder / "slips.pdf").read_bytes().startswith(b"%PDF"))
        page = (self.folder / "pages" / "Ilse - A test.html").read_text(encoding="utf-8")
        self.assertEqual(page.count("<audio"), 6)  # of three bars, as they were and as they should be
        self.assertNotIn("http://", page.replace("http://www.w3.org", ""))
        mail = (self.folder / "mail" / "Ilse - A test.txt").read_text(encoding="utf-8")
        self.assertIn("this is what I heard in “A test”", " ".join(mail.split()))
        self.assertNotIn(" of 20", mail)
        self.assertIn("Until Thursday, Ilse.", mail)
        self.assertFalse(self.make_window().bench.model.slips.with_mark)  # remembered
        self.bench.exports.write_marks("csv", str(self.folder / "marks.csv"))
        rows = (self.folder / "marks.csv").read_text(encoding="utf-8-sig").splitlines()
        self.assertTrue(rows[1].startswith("'=Bram,Flute,A test,"), rows)

        def accept(box: MarksBox) -> int:
            for k in range(box.columns.count()):
                item = box.columns.item(k)
                item.setCheckState(
                    Qt.CheckState.Checked
                    if item.text() in ("Player", "Mark", "Speed")
                    else Qt.CheckState.Unchecked
                )
            box.attempts.setCurrentIndex(1)
            return int(QDialog.DialogCode.Accepted)

        with mock.patch.object(MarksBox, "exec", accept):
            self.bench.exports.ask_marks()
        self.assertEqual(self.bench.model.marks_asked(), (["player", "mark", "bpm"], "best"))
        self.bench.exports.write_marks("csv", str(self.folder / "marks.csv"))
        self.assertEqual(
            (self.folder / "marks.csv").read_text(encoding="utf-8-sig").splitlines()[0], "Player,Mark,Speed"
        )
        self.bench.exports.write_marks("xlsx", str(self.folder / "marks.xlsx"))
        self.assertTrue((self.folder / "marks.xlsx").read_bytes().startswith(b"PK"))
        self.assertEqual({line.state for line in self.bench.lines}, {"returned"})

    def test_what_was_asked_a_mark_of_ones_own_and_what_is_put_right(self) -> None:
        self.checked_tray("Ilse", "Bram")
        QTest.keyClicks(self.bench.page.mark, "15")
        QTest.keyClick(self.bench.page.mark, KEY.Key_Return)
        self.assertIn("15 · computed: ", self.bench.page.under.text())
        self.assertIn("Your own mark stands in its place: 15.", self.bench.model.explain_mark())
        library = self.bench.library
        assert library is not None and self.bench.tray is not None and self.bench.hand is not None
        dialog = CriteriaDialog(self.bench, [(self.bench.hand.take.piece, "A test")], None)
        dialog.judged["sound"].setChecked(False)
        dialog.out_of.setValue(10)
        asked = dialog.asked()
        self.assertEqual(asked["settings"]["facets"], [f for f in FACETS if f != "sound"])
        self.assertFalse(checks_again(None, asked))
        self.bench.assign(asked)
        self.assertEqual({line.take.summary["out_of"] for line in self.bench.lines}, {10})
        again = CriteriaDialog(
            self.bench, [(self.bench.hand.take.piece, "A test")], library.assignment_of(self.bench.tray)
        )
        self.assertEqual(again.asked(), asked)
        again.bars.setText("1-4")
        self.assertTrue(checks_again(library.assignment_of(self.bench.tray), again.asked()))
        take = self.bench.hand.take
        other = next(p for p in library.players() if p.id != take.player_id)
        menu = take_menu(self.bench)
        who = next(a.menu() for a in menu.actions() if a.text() == "Who played it")
        next(a for a in who.actions() if a.text() == other.name).trigger()  # type: ignore[attr-defined]
        self.assertEqual(library.take(take.id).player_id, other.id)
        put_right(self.bench, library.take(take.id), kind="stored")
        self.assertEqual(next(x.state for x in self.bench.lines if x.take.id == take.id), "for the ear")
        delete_take(self.bench, library.take(take.id), sure=True)
        self.assertEqual(len(self.bench.lines), 1)

    def test_a_pile_entered_before_its_table_is_filled_is_entered_as_after(self) -> None:
        self.begin()
        self.bring(*(f"{name} test.wav" for name in ("Ada", "Bo", "Cy", "Di", "Ed", "Flo", "Gus")))
        page, came = self.bench.intake.page, list[list[Guess]]()
        page.entered.disconnect()
        page.entered.connect(came.append)
        piece = page.pieces[0]
        guesses = [
            Guess(path=g.path, player=None, name=g.name, piece=p, part="", kind="played", twice=k == 5)
            for k, (g, p) in enumerate(zip(page.guesses, ("", piece.id) * 4, strict=False))
        ]
        found = {str(guesses[6].path): (piece.id, "Flute")}
        for wait in (False, True):
            page.show_pile(Pile(guesses=guesses, pieces=page.pieces, players=page.players))
            if wait:
                self.wait(lambda: page.table.cellWidget(6, PIECE) is not None)
            self.assertEqual((page.ticked(), page.recognised(found)), (6, 1))
            self.assertEqual(page.table.cellWidget(6, PIECE) is not None, wait)
            page.enter()
        self.assertEqual(came[0], came[1])
        self.assertEqual([(g.name, g.part) for g in came[0]][1], ("Bo", "Flute"))

    def test_music_is_opened_for_a_pile_and_told_by_its_sound(self) -> None:
        self.window.pattern.shelf.list.clear()
        shutil.rmtree(self.window.library_folder / "shelf")
        self.begin()
        self.bring("REC 0004.wav")
        self.assertIn("There is no music on the shelf yet", self.bench.intake.page.told.text())
        other = part_of("G4/1 A4/1 B4/1 G4/1 | D5/2 B4/2 | C5/1 B4/1 A4/1 F#4/1 | G4/4", fifths=1)
        (self.folder / "other.musicxml").write_bytes(write_musicxml(Score("Another tune", (other,))))
        self.drop(self.score, self.folder / "other.musicxml")  # onto the bench: to the shelf
        self.wait(lambda: self.bench.intake.page.box(0, PIECE).count() == 3)
        self.wait(
            lambda: self.bench.intake.page.box(0, PIECE).currentText() == "A test", 40, "to be recognised"
        )
        self.assertEqual(self.bench.intake.page.box(0, PART).currentText(), "Flute")

    def test_all_clean_takes_are_decided_at_once_and_taken_back_at_once(self) -> None:
        self.checked_tray("Ilse", "Bram", "Noor")
        assert self.bench.library is not None
        report = {**Bench.report, "findings": []}
        for line in list(self.bench.lines)[:2]:
            self.bench.library.add_report(line.take.id, report)
        self.bench.refresh()
        self.assertEqual(self.bench.tray_page.clean.text(), "Decide the 2 clean ones")
        self.press(KEY.Key_Return, CONTROL | Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(sorted(line.done for line in self.bench.lines), [False, True, True])
        self.assertTrue(self.bench.tray_page.clean.isHidden())
        self.press(KEY.Key_Z, CONTROL)
        self.assertFalse(any(line.done for line in self.bench.lines))

    def test_a_first_class_in_four_acts(self) -> None:
        self.window.pattern.shelf.list.clear()
        shutil.rmtree(self.window.library_folder / "shelf")
        self.begin()
        pile = self.folder / "monday"
        pile.mkdir()
        for name in ("IMG_2231 Bram.wav", "noor k final FINAL.wav", "Fenn.MOV.wav"):
            (pile / name).write_bytes(self.take.read_bytes() + name.encode())
        shutil.copy(self.score, pile / "the piece.musicxml")
        (pile / "7b.csv").write_text("Surname,First name,Section\nHolt,Bram,Flutes\nKell,Noor,Flutes\n")
        acts = 1
        self.drop(pile)
        self.wait(lambda: bool(self.window.findChildren(ClassListDialog)))
        listed = self.window.findChildren(ClassListDialog)[0]
        self.assertEqual([r.name for r in listed.chosen()], ["Bram Holt", "Noor Kell"])
        self.assertEqual({r.plays for r in listed.chosen()}, {"Flute"})
        listed.accept()
        acts += 1
        intake = self.bench.intake.page
        self.wait(lambda: intake.table.rowCount() == 3 and bool(intake.pieces), 60)
        self.wait(lambda: {intake.box(r, PIECE).currentText() for r in range(3)} == {"A test"}, 60)
        who = {intake.guesses[r].path.name: intake.box(r, PLAYER).currentText() for r in range(3)}
        self.assertEqual(who["IMG_2231 Bram.wav"], "Bram Holt")
        self.assertEqual(who["noor k final FINAL.wav"], "Noor Kell")
        self.window.next_button.click()
        acts += 1
        asking = self.bench.intake.asking
        assert asking is not None
        self.assertEqual([r.name for r in asking.chosen()], ["Fenn"])
        cell = asking.table.item(0, 0)
        assert cell is not None
        cell.setCheckState(Qt.CheckState.Unchecked)  # a name that is no player
        self.assertEqual(asking.accepting.text(), "Enter the takes without players")
        asking.accept()
        acts += 1
        self.wait(lambda: not self.bench.jobs.running("enter"))
        self.wait(lambda: self.bench.checking is not None and not self.bench.checking.busy, 60)
        assert self.bench.library is not None
        self.assertEqual(sorted(p.name for p in self.bench.library.players()), ["Bram Holt", "Noor Kell"])
        takes = self.bench.library.takes(self.bench.library.trays()[0].id)
        self.assertEqual({t.state for t in takes}, {"checked"})
        self.assertEqual(acts, 4)

    def test_a_watched_folder_offers_what_is_new(self) -> None:
        self.checked_tray("Ilse")
        watched = self.folder / "watched"
        watched.mkdir()
        shutil.copy(self.folder / "Ilse test.wav", watched / "old.wav")  # is in the library
        self.bench.intake._settle.setInterval(100)
        self.bench.intake.watch(str(watched))
        QTest.qWait(300)
        self.assertEqual(self.bench.pages.currentIndex(), 0)
        (watched / "Bram test.wav").write_bytes(self.take.read_bytes() + b"new")
        self.wait(lambda: self.bench.pages.currentIndex() == 1)
        self.assertEqual([g.path.name for g in self.bench.intake.page.guesses], ["Bram test.wav"])

    def test_a_library_is_backed_up_restored_and_another_opened(self) -> None:
        self.checked_tray("Ilse")
        self.window.back_up(str(self.folder / "all.zip"))
        self.wait(lambda: "files." in self.window.statusBar().currentMessage())
        self.window.restore_backup(str(self.folder / "all.zip"), str(self.folder / "moved"))
        self.assertEqual((self.window.library_folder, self.window.place), (self.folder / "moved", "bench"))
        self.assertEqual([line.player for line in self.bench.lines], ["Ilse"])
        self.window.restore_backup(str(self.folder / "all.zip"), str(self.folder / "moved"))
        self.assertIn("is not empty", self.window.last_trouble)
