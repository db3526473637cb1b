"""The class at a glance, the rehearsal that follows, a player over time, and what is held on a player."""

from __future__ import annotations

import json
import zipfile
from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QMenu

from jeweller.decisions.records import Decision, Decisions
from jeweller.documents.class_lists import class_lists
from jeweller.documents.rehearsal_plan import plan_page
from jeweller.library.class_view import class_view, pieces_of, plan, section_of
from jeweller.library.library import Library
from jeweller.library.privacy import delete_band, delete_player, export_player, list_held
from jeweller.library.progress import known_notes, over_time
from jeweller.library.tables import Player
from jeweller.notation.model import Score
from tests.support import checked_take
from tests.test_desk import CONTROL, KEY, DeskCase
from tests.test_ledger import LedgerCase


def fill(library: Library, band: int, *players: tuple[str, str]) -> tuple[int, str, list[Player]]:
    """A tray in which everybody played the take of `checked_take`: (tray, piece, players)."""
    part = checked_take().line.part
    piece = library.shelf.add(Score("A test", (part,))).id
    tray = library.add_tray(band, "First week")
    rows = []
    for k, (name, instrument) in enumerate(players):
        path = library.folder / f"{name}.wav"
        path.write_bytes(bytes([k]) * 2000)
        row = library.add_player(band, name, instrument)
        take = library.add_take(tray.id, path, player=row.id, piece=piece, part="Flute")
        library.add_report(take.id, checked_take().report)
        path.unlink()
        rows.append(row)
    return tray.id, piece, rows


class Seen(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        self.tray, self.piece, self.players = fill(
            self.library,
            self.band.id,
            ("Ilse", "flute"),
            ("Bram", "trumpet"),
            ("Edda", "trombone"),
            ("Zoë", "flute"),
        )
        self.takes = {t.player_id: t.id for t in self.library.takes(self.tray)}

    def test_every_instrument_sits_in_a_section(self) -> None:
        for name, section in (
            ("flute", "Flutes and oboes"),
            ("bass-clarinet", "Clarinets"),
            ("baritone-saxophone", "Saxophones"),
            ("double-horn", "Horns"),
            ("alto-horn", "Horns"),
            ("english-horn", "Flutes and oboes"),
            ("bass-trombone", "Low brass"),
            ("snare-drum", "Others"),
        ):
            self.assertEqual(section_of(name), section, name)

    def test_bars_across_players_and_the_places_most_missed(self) -> None:
        self.assertEqual(pieces_of(self.library, self.tray), [(self.piece, "A test", 4)])
        view = class_view(self.library, self.tray, self.piece)
        self.assertEqual(view.bars, ("1", "2", "3", "4", "5"))
        self.assertEqual(
            [(r.player, r.section) for r in view.rows],
            [
                ("Ilse", "Flutes and oboes"),
                ("Zoë", "Flutes and oboes"),
                ("Bram", "Trumpets"),
                ("Edda", "Low brass"),
            ],
        )
        self.assertEqual(
            {b: [c.facet for c in cells] for b, cells in view.rows[0].cells.items()},
            {"1": ["accidentals", "notes"], "2": ["accidentals"], "3": ["count"]},
        )
        self.assertEqual(
            {(p.bar, p.facet, len(p.players), p.of) for p in view.places},
            {
                ("1", "accidentals", 4, 4),
                ("2", "accidentals", 4, 4),
                ("1", "notes", 4, 4),
                ("3", "count", 4, 4),
            },
        )

    def test_what_was_dismissed_is_no_place_of_the_class(self) -> None:
        for take in list(self.takes.values())[:3]:
            key = next(f["key"] for f in checked_take().report["findings"] if f["facet"] == "count")
            self.library.decide(take, Decisions((Decision(key, "dismiss"),)))
        view = class_view(self.library, self.tray, self.piece)
        self.assertNotIn("count", [p.facet for p in view.places])

    def test_what_was_dismissed_is_not_worked_at(self) -> None:
        def worked_at(section: str = "") -> dict[str, set[str]]:
            lists = class_lists(self.library, self.tray, self.piece, section, 40)
            return {one.player: {i.finding["kind"] for i in one.list.items} for one in lists}

        self.assertEqual(set(worked_at()), {"Ilse", "Bram", "Edda", "Zoë"})
        self.assertEqual(set(worked_at("Trumpets")), {"Bram"})
        kinds = worked_at()["Bram"]
        for f in checked_take().report["findings"]:
            if f["kind"] != "wrong_note":
                take = self.takes[self.players[1].id]
                self.library.decide(take, Decisions((Decision(f["key"], "dismiss"),)))
                break
        self.assertEqual(worked_at()["Bram"], kinds - {f["kind"]})
        self.assertEqual(worked_at()["Ilse"], kinds)

    def test_the_rehearsal_joins_a_habit_and_gives_more_minutes_to_what_more_miss(self) -> None:
        view = class_view(self.library, self.tray, self.piece)
        first = next(i for i in view.plan if i.what.startswith("Accidentals"))
        self.assertEqual(
            (first.bars, first.minutes, first.who),
            ("bars 1 and 2", 6, "Flutes and oboes; Trumpets; Low brass"),
        )
        few = plan([p for p in view.places if p.facet == "count"], view.bars)
        self.assertEqual(len(few), 1)
        self.assertEqual(plan((), view.bars), ())
        page = plan_page(view)
        self.assertIn("4 players heard", page)
        self.assertNotIn("<script", page)

    def test_a_player_over_time(self) -> None:
        ilse = self.players[0]
        second = self.library.add_tray(self.band.id, "Second week")
        path = self.recording("again.wav", b"again")
        take = self.library.add_take(second.id, path, player=ilse.id, piece=self.piece, part="Flute")
        self.library.add_report(take.id, checked_take().report)
        key = next(f["key"] for f in checked_take().report["findings"] if f["facet"] == "count")
        self.library.decide(take.id, Decisions((Decision(key, "dismiss"),)))
        self.library.add_practice(ilse.id, "2026-11-20", 15)
        self.library.add_practice(ilse.id, "2026-11-21", 20)
        told = over_time(self.library, ilse)
        self.assertEqual([a.title for a in told.of(self.piece)], ["A test", "A test"])
        self.assertEqual(
            (told.attempts[1].better, told.attempts[1].new, told.minutes, told.days), (("count",), (), 35, 2)
        )
        other = self.library.shelf.add(Score("Another", (checked_take().line.part,))).id
        third = self.library.add_take(second.id, path, player=ilse.id, piece=other, part="Flute")
        self.library.add_report(third.id, checked_take().report)
        self.assertIn("E♭ forgotten, in 2 pieces", over_time(self.library, ilse).habits)
        self.assertIn(70, known_notes(self.library, ilse))  # B flat, which was right
        self.assertNotIn(61, known_notes(self.library, ilse))

    def test_a_player_is_deleted_for_good(self) -> None:
        zoe, ilse = self.players[3], self.players[0]
        self.library.act([(self.takes[zoe.id], "comment", {"key": "", "text": "Zoë, a word only for you"})])
        self.library.act(
            [
                (take, "comment", {"key": "x", "text": "Said to two."})
                for take in (self.takes[zoe.id], self.takes[ilse.id])
            ]
        )
        goes = list_held(self.library, zoe)
        self.assertIn("1 recording (0.0 MB)", goes)
        self.assertIn("2 decisions and comments", goes)
        file = self.library.recording(self.library.take(self.takes[zoe.id]))
        target = self.folder / "zoe.zip"
        self.assertEqual(export_player(self.library, zoe, target), 5)
        with zipfile.ZipFile(target) as archive:
            told = json.loads(archive.read(next(n for n in archive.namelist() if n.endswith("decided.json"))))
        self.assertEqual(told["comments"], {"": "Zoë, a word only for you", "x": "Said to two."})
        delete_player(self.library, zoe)
        self.assertFalse(file.exists())
        self.assertEqual([p.name for p in self.library.players()], ["Bram", "Edda", "Ilse"])
        self.assertEqual(self.library.phrases(), ["Said to two."])
        self.library.close()
        for path in self.library.folder.rglob("*"):
            if path.is_file():
                self.assertNotIn(b"only for you", path.read_bytes(), path)
                self.assertNotIn("Zoë".encode(), path.read_bytes(), path)
        again = self.reopened()
        self.assertEqual(len(again.takes_of(ilse.id)), 1)
        delete_band(again, self.band.id)
        self.assertEqual(
            (
                again.bands(),
                again.players(),
                again.trays(),
                [p for p in again.store.recordings.rglob("*") if p.is_file()],
            ),
            ([], [], [], []),
        )


class LookedOver(DeskCase):
    def test_what_is_new_for_a_player_who_has_played_before(self) -> None:
        library = Library(self.window.library_folder)
        fill(library, library.add_band("The Fernhollow Band").id, ("Ilse", "flute"))
        library.close()
        self.press(KEY.Key_2, CONTROL)
        place = self.window.pattern
        self.open_music(self.score)
        next(a for a in place.players_menu().actions() if a.text() == "Ilse").trigger()
        said = [t.what for t, _ in place.look.boxes]
        self.assertIn("G5 is new for this player", said)
        self.assertNotIn("B♭4 is new for this player", said)
        self.assertEqual(place.look.whom.text(), "for Ilse")
        next(a for a in place.players_menu().actions() if a.text() == "any player").trigger()
        self.assertFalse([t.what for t, _ in place.look.boxes if "new for" in t.what])


class LedgerPlace(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        library = Library(self.window.library_folder)
        fill(library, library.add_band("The Fernhollow Band").id, ("Ilse", "flute"), ("Bram", "trumpet"))
        library.close()
        self.press(KEY.Key_7, CONTROL)
        self.ledger = self.window.ledger

    def test_a_place_of_the_picture_is_heard_on_the_bench(self) -> None:
        grid = self.ledger.grid
        self.assertEqual(self.window.next_button.text(), "Print the rehearsal…")
        self.assertIn(
            "Bar 3, beat 3: after the rest of two counts you came in one beat early", grid.told(1, 2)
        )
        self.assertEqual(grid.told(0, 4), "Ilse, bar 5: clean")
        head = QPoint(grid.centre(0, 2).x(), 10)
        self.assertEqual(
            (grid.bar_at(head), grid.bar_at(grid.centre(0, 2)), grid.bar_at(QPoint(10, 10))), (2, None, None)
        )
        self.assertRegex(
            grid.shown_bar(2),
            r'^<img src="data:image/png;base64,[^"]{500,}" width="\d+" height="\d+"><br>bar 3 · Flute$',
        )
        grid.setFocus()
        for key in (KEY.Key_Right, KEY.Key_Right, KEY.Key_Right, KEY.Key_Down):
            QTest.keyClick(grid, key)
        self.assertEqual(grid.at, (1, 2))
        QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=grid.centre(1, 2))
        self.assertEqual(self.window.place, "bench")
        hand = self.window.bench.hand
        self.assertEqual(
            (hand.take.player_id if hand else 0, self.window.bench.key),
            (2, grid.view.rows[1].cells["3"][0].key),
        )  # type: ignore[union-attr]

    def test_a_newer_tray_with_nothing_checked_hides_no_class(self) -> None:
        assert self.window.bench.library is not None
        self.window.bench.library.add_tray(1, "Second week")
        self.window.go("bench")
        self.window.go("ledger")
        self.assertEqual((self.ledger.trays.count(), len(self.ledger.grid.view.rows)), (2, 2))
        self.ledger.trays.setCurrentIndex(1 - self.ledger.trays.currentIndex())
        self.assertTrue(self.ledger.empty.isVisible() and self.ledger.trays.isVisible())

    def test_what_each_player_is_to_work_at_is_printed(self) -> None:
        import pypdfium2

        menu = self.ledger.lists_menu()
        self.assertEqual(
            [a.text() for a in menu.actions()], ["For everybody", "Flutes and oboes", "Trumpets"]
        )
        path = self.folder / "lists.pdf"
        inner = menu.actions()[0].menu()
        assert isinstance(inner, QMenu)
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            inner.actions()[0].trigger()
        self.wait(path.exists, what="for the lists")
        document = pypdfium2.PdfDocument(path)
        words = "\n".join(page.get_textpage().get_text_range() for page in document)
        document.close()
        self.assertIn("Ilse", words)
        self.assertIn("Bram", words)
        self.assertIn("10 minutes", words)
        self.ledger.write_lists("Horns", 10, str(self.folder / "none.pdf"))
        self.wait(lambda: "Nobody here" in self.window.last_trouble)

    def test_the_rehearsal_is_printed_and_players_are_found_and_deleted(self) -> None:
        self.ledger.write_plan(str(self.folder / "plan.pdf"))
        self.wait(lambda: (self.folder / "plan.pdf").exists())
        self.ledger.ways.button(1).click()
        page = self.ledger.players
        self.assertEqual(page.list.count(), 2)
        QTest.keyClicks(page.search, "trum")
        self.assertEqual((page.list.count(), page.title.text()), (1, "Bram"))
        page.consent.click()
        self.assertIn("consent of ", page.under.text())
        page.add_practice(25)
        self.assertIn("25 minutes on 1 day", page.under.text())
        page.export_player(str(self.folder / "bram.zip"))
        self.assertTrue((self.folder / "bram.zip").exists())
        page.delete(sure=True)
        page.search.clear()
        self.assertEqual((page.list.count(), page.title.text()), (1, "Ilse"))
