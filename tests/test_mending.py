"""A library that was cut short, changed, damaged or brought from elsewhere: what was begun is finished, what is
missing is told and can be put back, what is foreign is not believed.
"""

from __future__ import annotations

import contextlib
import csv
import io
import os
import shutil
import sqlite3
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from sqlalchemy import update

from jeweller.errors import LedgerError
from jeweller.files import shown_text
from jeweller.library.intake import look_at
from jeweller.library.journal import PlayerJournal
from jeweller.library.library import Library
from jeweller.library.pile import recordings
from jeweller.library.privacy import delete_player, export_player
from jeweller.library.store import COPIES, restore
from jeweller.library.tables import Take
from jeweller.library.unfinished import NOTE
from jeweller.library.verify import find_missing
from jeweller.pipeline.batch import find_jobs
from jeweller.scratch import scratch_folder, scratch_home, sweep_scratch
from tests.test_class import fill
from tests.test_ledger import LedgerCase

NAME = "Ilse Fernhollow"


def traces(folder: Path) -> list[str]:
    """The files of a folder in which the name stands."""
    return [
        str(p.relative_to(folder))
        for p in folder.rglob("*")
        if p.is_file() and NAME.encode() in p.read_bytes()
    ]


class Deleted(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        fill(self.library, self.band.id, (NAME, "flute"), ("Bram Lockhart", "trumpet"))
        self.player = next(p for p in self.library.players() if p.name == NAME)
        self.take = self.library.takes_of(self.player.id)[0]
        PlayerJournal(self.library.folder, self.player.id).add("log", {"note": NAME})

    def test_cut_short_anywhere_it_is_finished_at_the_next_start_or_never_began(self) -> None:
        self.library.close()
        begun = 0
        for point in range(1, 200):
            folder = self.folder / f"at-{point}"
            shutil.copytree(self.library.folder, folder)
            child = os.fork()
            if not child:
                try:
                    os.environ["JEWELLER_KILL_AT"] = str(point)
                    library = Library(folder)
                    delete_player(library, library.player(self.player.id))
                finally:
                    os._exit(0)
            _pid, status = os.waitpid(child, 0)
            again = Library(folder)
            there = [p.name for p in again.players()]
            recording = again.store.recordings / self.take.file
            self.assertFalse((folder / NOTE).exists(), point)
            if NAME not in there:
                begun += 1
                self.assertEqual(
                    (there, traces(folder), recording.exists()), (["Bram Lockhart"], [], False), point
                )
            else:  # not begun: all of it is there
                self.assertTrue(recording.exists(), point)
            again.close()
            shutil.rmtree(folder)
            if not os.WIFSIGNALED(status):
                break
        self.assertGreater(begun, 3)

    def test_while_another_program_reads_it_says_that_traces_are_left_and_finishes_later(self) -> None:
        with mock.patch("jeweller.library.store.BUSY_S", 0.3):
            self.reopened()
        reader = sqlite3.connect(self.library.store.database)
        reader.execute("BEGIN")
        reader.execute("SELECT count(*) FROM player").fetchone()
        with self.assertRaisesRegex(LedgerError, "traces are left"):
            delete_player(self.library, self.player)
        reader.rollback()
        reader.close()
        again = self.reopened()
        self.assertEqual((len(again.players()), traces(again.folder)), (1, []))

    def test_what_is_given_out_holds_no_formula(self) -> None:
        self.library.add_practice(self.player.id, "2026-11-02", 10, "=cmd|' /C calc'!A0")
        target = self.folder / "out.zip"
        export_player(self.library, self.player, target)
        with zipfile.ZipFile(target) as archive:
            rows = list(csv.reader(io.StringIO(archive.read("practice.csv").decode())))
        self.assertEqual(rows[1][2][:2], "'=")


class Whole(LedgerCase):
    def test_a_recording_that_is_missing_or_changed_is_told_and_brought_in_anew(self) -> None:
        _tray, take = self.a_take()
        path = self.library.store.recordings / take.file
        source = self.recording("ilse again.wav")
        self.assertEqual(find_missing(self.library), [])
        for harm, words in ((lambda: path.write_bytes(b"other"), "changed"), (path.unlink, "missing")):
            harm()  # type: ignore[operator]
            (told,) = find_missing(self.library)
            self.assertIn(f"ilse march.wav was {words}" if words == "changed" else "is missing", told)
            pile = look_at(self.library, [source], self.folder / "u", None)
            self.assertTrue(pile.guesses[0].twice)
            self.assertIn("is whole again", pile.told[0])
            self.assertEqual(path.read_bytes(), b"RIFF sound")
            self.assertEqual(find_missing(self.library), [])
        path.unlink()
        self.a_take()  # another take of the same sound puts it back too
        self.assertTrue(path.exists())

    def test_a_path_out_of_the_folder_is_never_believed(self) -> None:
        victim = self.folder / "victim"
        victim.write_text("mine")
        tray, take = self.a_take()
        with self.library.store.write() as session:
            session.execute(update(Take).where(Take.id == take.id).values(file="../../victim"))
        self.assertIn("a name that the library never gives", find_missing(self.library)[0])
        found = self.library.takes(tray.id)[0]
        with self.assertRaisesRegex(LedgerError, "never gives"):
            self.library.recording(found)
        backup = self.folder / "all.zip"
        self.library.store.backup(backup)
        with self.assertRaisesRegex(LedgerError, "no backup of a library"):
            restore(backup, self.folder / "new")
        self.library.remove_take(take.id)
        self.assertEqual(victim.read_text(), "mine")
        self.assertFalse((self.folder / "new").exists())

    def test_what_is_restored_is_for_the_user_alone(self) -> None:
        self.a_take()
        backup = self.folder / "all.zip"
        self.library.store.backup(backup)
        restore(backup, self.folder / "new")
        open_to_all = [p for p in (self.folder / "new").rglob("*") if p.stat().st_mode & 0o077]
        self.assertEqual(open_to_all, [])

    def test_what_a_killed_backup_left_beside_its_target_is_swept(self) -> None:
        self.a_take()
        self.library.close()
        target = self.folder / "stick" / "all[1].zip"
        target.parent.mkdir()
        seen = 0
        for point in range(1, 60):
            child = os.fork()
            if not child:
                try:
                    os.environ["JEWELLER_KILL_AT"] = str(point)
                    Library(self.library.folder).store.backup(target)
                finally:
                    os._exit(0)
            _pid, status = os.waitpid(child, 0)
            left = [p for p in target.parent.iterdir() if p != target]
            seen += bool(left)
            self.assertTrue(all(p.stat().st_mode & 0o077 == 0 for p in left), point)
            others = target.with_name("all[1].zip.part1")  # of a process that runs
            others.touch()
            Library(self.library.folder).close()
            self.assertEqual([p for p in target.parent.iterdir() if p != target], [others], point)
            others.unlink()
            if not os.WIFSIGNALED(status):
                break
        self.assertGreater(seen, 1)

    def test_damaged_bytes_end_in_a_sentence(self) -> None:
        tray, take = self.a_take()
        self.library.close()
        whole = self.library.store.database.read_bytes()
        told = 0
        for at in range(0, len(whole), max(1, len(whole) // 40)):
            damaged = bytearray(whole)
            damaged[at : at + 400] = bytes(b ^ 0x5A for b in damaged[at : at + 400])
            self.library.store.database.write_bytes(damaged)
            for name in ("ledger.db-wal", "ledger.db-shm"):
                (self.library.folder / name).unlink(missing_ok=True)
            try:
                library = Library(self.library.folder)
            except LedgerError:
                told += 1
                continue
            try:
                library.takes(tray.id), library.players(), library.report(take.id), find_missing(library)
            except LedgerError:
                told += 1
            finally:
                library.close()
        self.assertGreater(told, 3)
        self.library.store.database.write_bytes(whole)

    def test_zips_of_any_kind_end_in_a_sentence(self) -> None:
        good = self.folder / "good.zip"
        with zipfile.ZipFile(good, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a/take.wav", bytes(5000))
            archive.writestr(f"b/{'名' * 84}.wav", b"x")
        found, told = recordings([good], self.folder / "out")
        self.assertEqual((len(found), told), (2, []))
        data = good.read_bytes()
        for at in range(0, len(data), 7):
            bad = bytearray(data)
            bad[at] ^= 0xFF
            path = self.folder / "bad.zip"
            path.write_bytes(bad)
            recordings([path], self.folder / f"out{at}")
            with self.assertRaises(LedgerError):
                restore(path, self.folder / "never")

    def test_a_clock_that_was_wrong_loses_no_copy(self) -> None:
        copies = self.library.store.copies
        for day in range(1, COPIES + 1):
            (copies / f"2099-01-{day:02d}.db").write_bytes(b"of a clock that was ahead")
        for old in copies.glob("2026-*.db"):
            old.unlink()
        self.reopened()
        names = sorted(p.name for p in copies.glob("*.db"))
        self.assertEqual(len(names), COPIES)
        self.assertFalse(names[0].startswith("2099"))

    def test_a_library_of_the_first_version_is_brought_up_to_date(self) -> None:
        folder = self.folder / "first"
        folder.mkdir(mode=0o700)
        script = (Path(__file__).parent / "libraries" / "0001.sql").read_text(encoding="utf-8")
        with contextlib.closing(sqlite3.connect(folder / "ledger.db")) as old:
            old.executescript(script)
        library = Library(folder)
        self.addCleanup(library.close)
        self.assertEqual([p.name for p in library.players()], ["Ilse Fernhollow"])
        (take,) = library.takes(library.trays()[0].id)
        self.assertEqual((take.name, take.setup), ("march.wav", ""))
        self.assertEqual(library.decisions_of(take.id).comments, {"": "Well counted."})
        self.assertEqual([p.minutes for p in library.practice(1)], [20])
        self.assertTrue((folder / "copies" / "before-0002.db").exists())


class Around(LedgerCase):
    def test_two_takes_never_write_one_report(self) -> None:
        source = self.folder / "batch"
        (source / "a").mkdir(parents=True)
        for name in ("line.abc", "a/line.abc"):
            (source / name).write_text("X:1\nK:C\nC|")
        for name in ("a/b.ogg", "a--b.ogg", os.fsdecode(b"x\xff.ogg"), f"{'n' * 230}.ogg"):
            (source / name).write_bytes(b"x")
        reports = [job.report for job in find_jobs(source, self.folder / "out")]
        self.assertEqual(len(set(reports)), 4)
        for report in reports:
            self.assertLess(len(os.fsencode(report.name)), 256)
            shown_text(report.name).encode("utf-8")

    def test_what_a_program_left_that_is_no_more_is_swept(self) -> None:
        with scratch_folder() as mine:
            left = scratch_home() / "999999999-gone"
            left.mkdir(exist_ok=True)
            (left / "ilse.wav").write_bytes(b"x")
            self.assertEqual(Path(mine).stat().st_mode & 0o077, 0)
            self.assertGreaterEqual(sweep_scratch(), 1)
            self.assertEqual((left.exists(), Path(mine).exists()), (False, True))


if __name__ == "__main__":
    unittest.main()
