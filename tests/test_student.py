"""A player at home: the slip holds this player alone, opens on these places alone, and what was done comes back,
looked over, once.
"""

from __future__ import annotations

import datetime
import json
import unittest
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from PySide6.QtWidgets import QLabel

from jeweller.audio.microphone import SimulatedMicrophone
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.errors import SlipError
from jeweller.gui.shell.app import students_settings
from jeweller.gui.shell.window import Window
from jeweller.library.journal import PlayerJournal
from jeweller.library.library import Library
from jeweller.library.privacy import delete_player
from jeweller.practice.wall import Slot
from jeweller.student.home import open_slip, read_home
from jeweller.student.make import save_slip, save_slips
from jeweller.student.progress import look_over, news_lines, read_progress, save_progress, take_in
from jeweller.student.slip import read_slip
from tests.support import WindowCase, checked_take
from tests.test_class import fill
from tests.test_desk import CONTROL, KEY, DeskCase
from tests.test_ledger import LedgerCase

SETTINGS = {"practice/log/minutes": "20", "practice/wall/order": "circle", "practice/school/foot": "tap"}
OTHERS = ("Bram Lockhart", "Edda Weir")


def changed(path: Path, **told: Any) -> Path:
    """The same file with other entries in its `jeweller.json`."""
    made = path.with_name(f"{'-'.join(map(str, told.values()))[:20].replace('/', '')}-{path.name}")
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(made, "w") as new:
        for name in old.namelist():
            data = old.read(name)
            if name == "jeweller.json":
                data = json.dumps(json.loads(data) | told).encode()
            new.writestr(name, data)
    return made


class Slips(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        players = (("Ilse Fernhollow", "flute"), *((name, "trumpet") for name in OTHERS))
        self.tray, self.piece, self.players = fill(self.library, self.band.id, *players)
        self.player = self.players[0]
        self.journal = PlayerJournal(self.library.folder, self.player.id)
        self.slip = self.folder / "ilse.jeweller"
        self.base = self.folder / "homes"

    def made(self, *, sounds: bool = False) -> Path:
        """A slip; how it sounds takes long to make, and most tests do without."""
        if sounds:
            return save_slip(self.library, self.player, SETTINGS, self.slip)
        with mock.patch.multiple(
            "jeweller.student.make", part_clip=lambda *_u: b"sound", polish_page=lambda *_u, **_v: "page"
        ):
            return save_slip(self.library, self.player, SETTINGS, self.slip)

    def test_it_is_open_and_holds_nothing_of_anybody_else(self) -> None:
        for other in self.players[1:]:
            PlayerJournal(self.library.folder, other.id).add("log", {"note": f"secret of {other.name}"})
            self.library.add_practice(other.id, "2026-11-02", 33, f"with {other.name}")
        self.library.add_practice(self.player.id, "2026-11-03", 12, "scales")
        self.made(sounds=True)
        self.assertEqual(self.slip.stat().st_mode & 0o077, 0)
        with zipfile.ZipFile(self.slip) as archive:
            files = {n: archive.read(n) for n in archive.namelist()}
        endings = {Path(n).suffix for n in files}
        self.assertEqual(endings, {".json", ".jsonl", ".musicxml", ".m4a", ".html"})
        for name, data in files.items():
            text = data.decode("utf-8", errors="replace")
            for word in (*OTHERS, "Bram", "Edda", "secret", str(self.library.folder), str(Path.home())):
                self.assertNotIn(word, text, name)
        slip = read_slip(self.slip)
        self.assertEqual((slip.name, slip.instrument), ("Ilse Fernhollow", "flute"))
        self.assertEqual([(p.title, p.part) for p in slip.pieces], [("A test", "Flute")])
        report = slip.pieces[0].report
        assert report is not None
        self.assertEqual(len(report["findings"]), len(checked_take().report["findings"]))
        self.assertIn("scales", slip.journal[0])
        self.assertIn("<audio", files["list.html"].decode())

    def test_what_was_dismissed_is_not_told_at_home(self) -> None:
        from jeweller.decisions.records import Decision, Decisions

        take = self.library.takes_of(self.player.id)[0]
        report = self.library.report(take.id)
        assert report is not None
        gone = report["findings"][0]["key"]
        self.library.decide(take.id, Decisions((Decision(gone, "dismiss"),)))
        self.library.act([(take.id, "comment", {"key": "", "text": "Well counted."})])
        self.made()
        self.assertEqual(read_slip(self.slip).pieces[0].comment, "Well counted.")
        told = read_slip(self.slip).pieces[0].report
        assert told is not None
        self.assertNotIn(gone, [f["key"] for f in told["findings"]])

    def test_opened_twice_or_older_it_changes_nothing_and_newer_it_joins(self) -> None:
        self.journal.add(
            "stone", {"slot": "C|five", "day": "2026-11-02", "bpm": 60, "passed": True, "by": "ear"}
        )
        self.made()
        home, told = open_slip(self.slip, self.base)
        self.assertIn("Hello Ilse Fernhollow", told)
        self.assertEqual(len(home.journal.entries("stone")), 1)
        self.assertEqual(home.fresh_lines(), [])
        self.assertEqual([p.stat().st_mode & 0o077 for p in (self.base, home.folder)], [0, 0])
        home.journal.add("log", {"day": "2026-11-05", "minutes": 25, "note": "the march"})
        again, told = open_slip(self.slip, self.base)
        self.assertIn("opened before", told)
        self.assertEqual((again.folder, len(again.fresh_lines())), (home.folder, 1))
        older = changed(self.slip, id="other", made_at="2020-01-01T10:00:00")
        self.assertIn("older", open_slip(older, self.base)[1])
        later = (datetime.datetime.now() + datetime.timedelta(days=1)).isoformat()
        newer, told = open_slip(changed(self.slip, id="third", made_at=later), self.base)
        self.assertIn("Hello", told)
        self.assertEqual([len(newer.journal.entries(k)) for k in ("log", "stone")], [1, 1])
        self.assertEqual(len(newer.pieces), 1)
        self.assertEqual(len(list((newer.folder / "shelf").glob("*.musicxml"))), 1)  # the same music once

    def test_progress_is_looked_over_entered_once_and_overwrites_nothing(self) -> None:
        self.library.add_practice(self.player.id, "2026-11-05", 10, "at school")
        home, _told = open_slip(self.made(), self.base)
        home.journal.add(
            "log", {"day": "2026-11-05", "minutes": 25, "note": "the march", "well": "", "did": ""}
        )
        for by, slot in (("check", "F|major"), ("ear", "G|major")):
            home.journal.add(
                "stone", {"slot": slot, "day": "2026-11-05", "bpm": 72, "passed": True, "by": by}
            )
        home.journal.add("window", {"what": "no entry of a player"})
        home.journal.add("log", {"day": "2026-11-06", "minutes": 90_000, "note": ""})
        back = self.folder / "back.jeweller"
        save_progress(home, back)
        news = look_over(self.library, read_progress(back))
        self.assertEqual([e["kind"] for e in news.entries], ["log", "stone"])
        said = "\n".join(news_lines(news, self.library))
        for words in (
            "25 minutes on 1 day",
            "already: 2026-11-05 (10)",
            "the march",
            "check at home: F major",
        ):
            self.assertIn(words, said)
        self.assertEqual(len(self.library.practice(self.player.id)), 1)  # nothing is entered by looking
        self.assertEqual(take_in(self.library, news), 2)
        rows = [(p.day, p.minutes, p.note) for p in self.library.practice(self.player.id)]
        self.assertEqual(rows, [("2026-11-05", 10, "at school"), ("2026-11-05", 25, "the march")])
        self.assertEqual([e["slot"] for e in self.journal.entries("stone")], ["F|major"])
        twice = look_over(self.library, read_progress(back))
        self.assertEqual((twice.entries, twice.known), ((), 2))
        self.assertIn("here already", news_lines(twice, self.library)[0])
        self.assertEqual(self.library.practice(self.players[1].id), [])
        # the next slip knows it, and at home it stands once
        self.slip.unlink()
        newer, _told = open_slip(self.made(), self.base)
        logged = [(e["day"], e["minutes"]) for e in newer.journal.entries("log") if e["minutes"] < 600]
        self.assertEqual(sorted(logged), [("2026-11-05", 10), ("2026-11-05", 25)])

    def test_bad_files_are_told_and_nothing_is_taken(self) -> None:
        home, _told = open_slip(self.made(), self.base)
        back = self.folder / "back.jeweller"
        save_progress(home, back)
        whole = self.slip.read_bytes()
        for cut in (0, 10, len(whole) // 2, len(whole) - 5):
            damaged = self.folder / "damaged.jeweller"
            damaged.write_bytes(whole[:cut])
            with self.assertRaisesRegex(SlipError, "damaged"):
                open_slip(damaged, self.base)
        for path, read, words in (
            (changed(self.slip, version=9), read_slip, "later version"),
            (changed(back, version=9), read_progress, "later version"),
            (self.slip, read_progress, "slip to take home"),
            (back, read_slip, "player's progress"),
            (changed(self.slip, pieces=[{"title": 3}]), read_slip, "damaged"),
            (changed(self.slip, key="../../etc"), read_slip, "damaged"),
            (changed(self.slip, format="zip"), read_slip, "damaged"),
            (self.folder / "gone.jeweller", read_slip, "There is no file"),
        ):
            with self.assertRaisesRegex(SlipError, words):
                read(path)  # type: ignore[operator]
        bomb = self.folder / "bomb.jeweller"
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("jeweller.json", "{}")
            for k in range(4):
                archive.writestr(f"sounds/{k}.m4a", bytes(20_000_000))
        with self.assertRaisesRegex(SlipError, "larger than"):
            read_slip(bomb)
        delete_player(self.library, self.player)
        with self.assertRaisesRegex(SlipError, "Ilse Fernhollow, who is not known"):
            look_over(self.library, read_progress(back))

    def test_a_slip_cut_short_while_it_is_brought_is_brought_again(self) -> None:
        self.made()
        with (
            mock.patch("jeweller.student.home._merge_journal", side_effect=OSError("full")),
            self.assertRaisesRegex(SlipError, "cannot be written"),
        ):
            open_slip(self.slip, self.base)
        self.assertIsNone(read_home(next(self.base.iterdir())))
        self.assertIn("Hello", open_slip(self.slip, self.base)[1])

    def test_everybody_of_a_band_gets_one(self) -> None:
        numbers = [p.id for p in self.players]
        self.library.close()
        paths = save_slips(self.library.folder, numbers, {}, str(self.folder / "all"), lambda *_u: None)
        self.assertEqual([read_slip(p).name for p in paths], ["Ilse Fernhollow", *OTHERS])


class AtHome(WindowCase):
    """The real window on one player."""

    def setUp(self) -> None:
        super().setUp()
        library = Library(self.folder / "library")
        band = library.add_band("Band", "2026")
        _tray, _piece, players = fill(
            library, band.id, ("Ilse Fernhollow", "flute"), ("Bram Lockhart", "horn")
        )
        slip = save_slip(library, players[0], SETTINGS, self.folder / "ilse.jeweller")
        library.close()
        self.home, _told = open_slip(slip, self.folder / "homes")
        settings = students_settings(self.home)
        self.window = Window(
            settings, SimulatedSpeaker(), (), "", lambda _n: SimulatedMicrophone(), student=self.home
        )
        self.window.show()
        self.window.go("practice")
        self.addCleanup(self.window.deleteLater)
        self.addCleanup(self.window.close)

    def test_only_this_players_places_and_no_way_to_others(self) -> None:
        window = self.window
        self.assertEqual(list(window.spine.buttons), ["warmup", "booth", "practice"])
        menus = [a.text() for a in window.menuBar().actions()]
        self.assertEqual(menus, ["&File", "&View", "&Play", "&Go", "&Help"])
        self.assertIn("Ilse Fernhollow", window.windowTitle())
        self.assertFalse((self.home.folder / "library.db").exists())
        for place in ("warmup", "booth", "practice"):
            window.go(place)
            self.assertIsNone(window.bench.library)
        window.open_files([str(self.folder / "library" / "library.db")])
        self.assertEqual(window.place, "practice")
        for page in (window.practice.wall_page, window.practice.log_page, window.practice.ear_page):
            self.assertFalse(page.players.isVisibleTo(page))
        self.assertFalse(window.practice.wall_page.ear.isVisibleTo(window.practice))
        self.its_list_is_of_the_teachers_findings()
        self.what_is_done_goes_back_as_one_file()

    def its_list_is_of_the_teachers_findings(self) -> None:
        place = self.window.practice
        self.assertEqual(
            [s.words for s in place.offered],
            [
                "From your teacher: “A test”",
                "No take: what comes back today",
            ],
        )
        self.wait(lambda: bool(place.cards), what="for the list")
        self.assertEqual((place.log.rule.minutes, place.wall.order), (20, "circle"))
        self.assertEqual(place.wall.instrument.id, "flute")
        said = "\n".join(label.text() for label in place.scroller.findChildren(QLabel))
        self.assertIn("Tap the beat with the foot.", said)
        self.window.go("booth")
        titles = [self.window.booth.pieces.itemText(k) for k in range(self.window.booth.pieces.count())]
        self.assertEqual(titles, ["Choose a piece…", "A test"])
        self.wait(lambda: self.window.booth.model.music is not None, what="for the first piece")
        music = self.window.booth.model.music
        self.assertEqual(music.part.name if music is not None else "", "Flute")

    def what_is_done_goes_back_as_one_file(self) -> None:
        place = self.window.practice
        place.log.write(datetime.date.today(), 22, "the march", "", "")
        place.wall.set_by_ear(Slot("C", "five"))  # no button does it here
        target = self.folder / "back.jeweller"
        self.window.save_progress(str(target))
        self.assertIn("2 things", self.window.statusBar().currentMessage())
        self.assertEqual([e["kind"] for e in read_progress(target).entries], ["log"])


class InTheLedger(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        library = Library(self.window.library_folder)
        band = library.add_band("The Fernhollow Band")
        fill(library, band.id, ("Ilse", "flute"), ("Bram", "trumpet"))
        library.close()
        self.press(KEY.Key_7, CONTROL)
        self.window.ledger.choose_way("players")
        self.page = self.window.ledger.players
        self.page.show_player(1)

    def test_a_slip_goes_out_and_progress_comes_in(self) -> None:
        slip = self.folder / "ilse.jeweller"
        self.window.practice.model.choose_school("foot", "tap")
        self.addCleanup(self.window.practice.model.choose_school, "foot", "")
        self.page.give_slip(str(slip))
        self.wait(slip.exists, what="for the slip")
        self.assertEqual(read_slip(slip).settings["practice/school/foot"], "tap")
        home, _told = open_slip(slip, self.folder / "homes")
        home.journal.add("log", {"day": "2026-11-05", "minutes": 25, "note": "", "well": "", "did": ""})
        back = self.folder / "back.jeweller"
        save_progress(home, back)
        self.window.go("bench")
        self.window.open_files([str(back)])  # dropped anywhere
        dialog = self.page.home.dialog
        assert dialog is not None
        said = "\n".join(label.text() for label in dialog.findChildren(QLabel))
        self.assertIn("25 minutes on 1 day", said)
        dialog.reject()
        library = self.window.bench.library
        assert library is not None
        self.assertEqual(library.practice(1), [])
        dialog = self.page.bring_progress(str(back))
        assert dialog is not None
        dialog.enter.click()
        self.assertEqual([p.minutes for p in library.practice(1)], [25])
        self.assertIn("25 minutes on 1 day", self.page.under.text())
        dialog = self.page.bring_progress(str(back))
        assert dialog is not None
        self.assertFalse(dialog.enter.isEnabled())
        dialog.reject()
        back.write_bytes(b"no file of ours")
        self.assertIsNone(self.page.bring_progress(str(back)))
        self.assertIn("is damaged", self.window.last_trouble)


if __name__ == "__main__":
    unittest.main()
