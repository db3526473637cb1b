"""The library on disk: what is entered is there again, decisions are only ever added to, and nothing
confirmed is lost when the program is killed.
"""

from __future__ import annotations

import contextlib
import os
import re
import resource
import shutil
import signal
import sqlite3
import tempfile
import threading
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

from sqlalchemy import update

from jeweller.decisions.records import Decision, Decisions
from jeweller.errors import JewellerError, LedgerError
from jeweller.library.exports import list_marks
from jeweller.library.library import Library
from jeweller.library.store import COPIES, HEAD, restore
from jeweller.library.summary import explain_mark, format_mark
from jeweller.library.tables import Take, Tray
from jeweller.library.tray import open_take
from jeweller.notation.model import Score
from tests.support import checked_take


class LedgerCase(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        self.library = Library(self.folder / "library")
        self.addCleanup(lambda: self.library.close())
        self.band = self.library.add_band("The Fernhollow Band")

    def recording(self, name: str = "ilse march.wav", data: bytes = b"RIFF sound") -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path

    def a_take(self, **told: Any) -> tuple[Tray, Take]:
        tray = self.library.add_tray(self.band.id, "March, first week")
        return tray, self.library.add_take(tray.id, self.recording(), **told)

    def reopened(self) -> Library:
        self.library.close()
        self.library = Library(self.library.folder)
        return self.library


class Kept(LedgerCase):
    def test_what_is_entered_is_there_again(self) -> None:
        player = self.library.add_player(
            self.band.id, " Ilse  of the weir ", "flute", "Flute 1", also=("piccolo",)
        )
        tray, take = self.a_take(player=player.id, part="Flute")
        again = self.reopened()
        self.assertEqual(
            [(p.name, p.instrument, p.also) for p in again.players(self.band.id)],
            [("Ilse of the weir", "flute", ["piccolo"])],
        )
        self.assertEqual([t.name for t in again.trays(self.band.id)], ["March, first week"])
        found = again.takes(tray.id)[0]
        self.assertEqual((found.id, found.name, found.state), (take.id, "ilse march.wav", "waiting"))
        self.assertEqual(again.recording(found).read_bytes(), b"RIFF sound")
        self.assertEqual([t.id for t in again.same_recording(self.recording("other name.wav"))], [take.id])

    def test_only_the_user_can_read_it(self) -> None:
        _, take = self.a_take()
        for path in (
            self.library.folder,
            self.library.store.database,
            self.library.store.recordings,
            self.library.recording(take),
        ):
            self.assertEqual(path.stat().st_mode & 0o077, 0, path)

    def test_names_of_any_kind_and_empty_ones(self) -> None:
        for name in ("../up.wav", "a\nb.ogg", "naïve – 東.flac", "x" * 200 + ".wav", ".hidden", "=1+1.wav"):
            path = self.folder / name.replace("/", "_").replace("\n", "\\n")
            path.write_bytes(name.encode())
            tray = self.library.add_tray(self.band.id, name)
            self.assertTrue(
                self.library.recording(self.library.add_take(tray.id, path)).is_relative_to(
                    self.library.store.recordings
                )
            )
        with self.assertRaisesRegex(LedgerError, "A player needs a name"):
            self.library.add_player(self.band.id, "  ")

    def test_a_recording_that_is_gone_and_music_that_is_not_known_are_told(self) -> None:
        _, take = self.a_take()
        with self.assertRaisesRegex(LedgerError, "not known yet"):
            self.library.score_path(take)
        self.library.recording(take).unlink()
        with self.assertRaisesRegex(LedgerError, "not in the library's folder any more"):
            self.library.recording(take)

    def test_a_take_deleted_is_gone_for_good_but_not_the_recording_of_another(self) -> None:
        tray, take = self.a_take()
        other = self.library.add_take(tray.id, self.recording())
        file = self.library.recording(take)
        self.library.remove_take(take.id)
        self.assertTrue(file.exists())
        self.library.remove_take(other.id)
        self.assertFalse(file.exists())
        self.assertEqual(self.library.takes(tray.id), [])


class Full(LedgerCase):
    def test_a_full_disk_is_a_sentence_and_loses_nothing(self) -> None:
        tray, take = self.a_take()
        large = self.recording("large.wav", b"x" * 20000)
        self.library.close()
        read, write = os.pipe()
        child = os.fork()
        if not child:
            told = ""
            try:
                signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
                library = Library(self.library.folder)
                resource.setrlimit(resource.RLIMIT_FSIZE, (8192, 8192))  # from now on nothing can grow
                for act in (
                    lambda: [library.add_player(self.band.id, f"Player {k}") for k in range(400)],
                    lambda: library.add_take(tray.id, large),
                    lambda: library.store.backup(self.folder / "all.zip"),
                ):
                    try:
                        act()
                    except LedgerError as error:
                        told += f"{error}\n"
            finally:
                os.write(write, told.encode())
                os._exit(0)
        os.close(write)
        with os.fdopen(read) as pipe:
            told = pipe.read()
        os.waitpid(child, 0)
        self.assertIn("The disk is full or cannot be written: nothing was lost", told)
        self.assertIn("large.wav cannot be kept", told)
        self.assertIn("all.zip cannot be written", told)
        again = self.reopened()
        self.assertEqual([t.id for t in again.takes(tray.id)], [take.id])
        self.assertEqual(list(self.folder.rglob("*.part*")), [])


class Opened(LedgerCase):
    def test_a_library_opened_twice_can_be_read_in_the_second_window(self) -> None:
        second = Library(self.library.folder)
        self.addCleanup(second.close)
        self.assertIn("open in another window", second.store.told)
        self.assertEqual([b.name for b in second.bands()], ["The Fernhollow Band"])
        with self.assertRaisesRegex(LedgerError, "open in another window"):
            second.add_band("Another")

    def test_it_is_let_go_of_only_when_no_thread_reads_it(self) -> None:
        self.a_take()
        inside, go_on, said = threading.Event(), threading.Event(), []

        def reading() -> None:
            with self.library.store.read() as session:
                inside.set()
                go_on.wait(5)
                said.append(session.query(Take).count())
            try:
                self.library.trays()
            except LedgerError as error:
                said.append(str(error))

        reader = threading.Thread(target=reading)
        reader.start()
        inside.wait(5)
        closing = threading.Thread(target=self.library.close)
        closing.start()
        closing.join(0.1)
        self.assertTrue(closing.is_alive())
        go_on.set()
        closing.join(5)
        reader.join(5)
        self.assertEqual(said, [1, "The library was closed meanwhile."])
        self.assertFalse(list(self.library.folder.glob("ledger.db-*")))

    def test_one_of_a_newer_program_or_another_program_is_left_alone(self) -> None:
        self.library.close()
        with contextlib.closing(sqlite3.connect(self.library.store.database)) as raw:
            raw.execute("UPDATE alembic_version SET version_num = '9999'")
            raw.commit()
        with self.assertRaisesRegex(LedgerError, "written by a newer Jeweller"):
            Library(self.library.folder)
        other = self.folder / "other"
        other.mkdir()
        with contextlib.closing(sqlite3.connect(other / "ledger.db")) as raw:
            raw.execute("CREATE TABLE something (x)")
        with self.assertRaisesRegex(LedgerError, "of another program"):
            Library(other)
        (other / "ledger.db").write_bytes(b"not a database at all, just words" * 40)
        with self.assertRaisesRegex(LedgerError, "is damaged"):
            Library(other)
        with self.assertRaisesRegex(LedgerError, "There is no library"):
            Library(self.folder / "none", read_only=True)

    def test_the_tables_are_those_the_migrations_make(self) -> None:
        from alembic.autogenerate import compare_metadata
        from alembic.migration import MigrationContext

        from jeweller.library.tables import Base

        with self.library.store.engine.connect() as connection:
            context = MigrationContext.configure(connection, opts={"compare_type": True})
            self.assertEqual(context.get_current_revision(), HEAD)
            self.assertEqual(compare_metadata(context, Base.metadata), [])

    def test_copies_by_day_are_limited(self) -> None:
        copies = self.library.store.copies
        self.assertEqual(len(list(copies.glob("*.db"))), 1)
        for day in range(10, 30):
            (copies / f"2020-01-{day}.db").write_bytes(b"")
        today = next(p for p in copies.iterdir() if p.stat().st_size)
        today.unlink()
        self.reopened()
        self.assertEqual(len(list(copies.glob("*.db"))), COPIES)

    def test_a_backup_is_restored_elsewhere_and_a_bad_one_changes_nothing(self) -> None:
        _, take = self.a_take()
        target = self.folder / "all.zip"
        self.assertEqual(self.library.store.backup(target), 2)
        restore(target, self.folder / "moved")
        moved = Library(self.folder / "moved")
        self.addCleanup(moved.close)
        self.assertEqual(moved.recording(moved.take(take.id)).read_bytes(), b"RIFF sound")
        with self.assertRaisesRegex(LedgerError, "is not empty"):
            restore(target, self.folder / "moved")
        for data in (b"nothing", target.read_bytes()[:200]):
            (self.folder / "bad.zip").write_bytes(data)
            with self.assertRaisesRegex(LedgerError, "cannot be restored|no backup"):
                restore(self.folder / "bad.zip", self.folder / "never")
            self.assertFalse((self.folder / "never").exists())


class Decided(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        self.checked = checked_take()
        self.tray, self.take = self.a_take()
        self.library.add_report(self.take.id, self.checked.report)
        self.key = next(f["key"] for f in self.checked.report["findings"] if f["confidence"] >= 0.5)

    def summary(self) -> dict[str, Any]:
        return self.library.take(self.take.id).summary

    def test_a_summary_that_lost_something_is_made_anew(self) -> None:
        whole = self.summary()
        for name in ("sound", "out_of", "places"):
            lost = {k: v for k, v in whole.items() if k != name}
            with self.library.store.write() as session:
                session.execute(update(Take).where(Take.id == self.take.id).values(summary=lost))
            self.assertEqual(self.library.takes(self.tray.id)[0].summary, whole, name)

    def test_the_summary_follows_what_is_decided_and_undone_also_after_opening_again(self) -> None:
        before = self.summary()
        self.assertEqual(before["mark"], self.checked.report["mark"]["value"])
        self.library.decide(self.take.id, Decisions((Decision(self.key, "dismiss", note="the fan"),)))
        after = self.summary()
        self.assertEqual((after["sure"], after["open"]), (before["sure"] - 1, before["open"] - 1))
        self.assertGreaterEqual(after["mark"], before["mark"])
        library = self.reopened()
        self.assertEqual(library.undo(self.tray.id), {self.take.id})
        self.assertEqual(self.summary(), before)
        self.assertEqual(library.redo(self.tray.id), {self.take.id})
        self.assertEqual(self.summary(), after)
        self.assertEqual(library.redo(self.tray.id), set())

    def test_several_at_once_are_one_step_and_a_new_one_ends_what_could_be_done_again(self) -> None:
        keys = [f["key"] for f in self.checked.report["findings"]]
        self.library.act(
            (self.take.id, "decide", {"key": k, "act": "dismiss", "kind": "", "note": ""}) for k in keys
        )
        self.assertEqual(self.summary()["sure"], 0)
        self.library.undo(self.tray.id)
        self.assertEqual(self.library.decisions_of(self.take.id).decisions, Decisions())
        self.library.act([(self.take.id, "comment", {"key": "", "text": "Well counted."})])
        self.assertEqual(self.library.redo(self.tray.id), set())
        self.assertEqual(self.library.phrases("count"), ["Well counted."])

    def test_a_new_check_never_overwrites_a_decision(self) -> None:
        self.library.decide(self.take.id, Decisions((Decision(self.key, "dismiss"),)))
        after = self.summary()
        self.library.add_report(
            self.take.id,
            {**self.checked.report, "program": {**self.checked.report["program"], "ear_version": "next"}},
        )
        self.assertEqual(self.summary(), {**after, "ear": "next"})
        self.assertEqual(
            [r["program"]["ear_version"] for r in self.library.reports(self.take.id)][-1], "next"
        )
        self.assertEqual(open_take(self.library, self.take.id).changed, "")
        gone = self.checked.report["findings"][0]
        self.library.add_report(
            self.take.id, {**self.checked.report, "findings": self.checked.report["findings"][1:]}
        )
        self.assertEqual(
            open_take(self.library, self.take.id).changed,
            f"Since the check before · no longer: {gone['text']}",
        )


class Marked(LedgerCase):
    """How a tray is marked: other weights, facets left out, habits, letters, a mark by hand, several
    attempts.
    """

    def setUp(self) -> None:
        super().setUp()
        self.piece = self.library.shelf.add(Score("A test", (checked_take().line.part,))).id
        self.tray = self.library.add_tray(self.band.id, "t")
        self.player = self.library.add_player(self.band.id, "Ilse", "flute")
        self.take = self.library.add_take(
            self.tray.id, self.recording(), player=self.player.id, piece=self.piece, part="Flute"
        )
        self.library.add_report(self.take.id, checked_take().report)

    def summary(self) -> dict[str, Any]:
        return self.library.take(self.take.id).summary

    def test_what_was_asked_for_changes_the_marks_and_not_the_decisions(self) -> None:
        even = self.summary()["mark"]
        self.library.act([(self.take.id, "comment", {"key": "", "text": "kept"})])
        self.library.assign(self.tray.id, self.piece, "A test", facets=["rhythm"], out_of=10, form="letters")
        self.assertEqual(
            (self.summary()["mark"], self.summary()["out_of"], format_mark(self.summary())), (10.0, 10, "A")
        )
        self.library.assign(
            self.tray.id, self.piece, "A test", weights={"count": 1}, out_of=100, form="bands"
        )
        self.assertEqual(format_mark(self.summary()), self.summary()["band"])
        low = self.summary()["mark"]
        self.assertLess(low / 100, even / 20)
        self.library.assign(
            self.tray.id, self.piece, "A test", weights={"accidentals": 1}, out_of=100, habit_share=1.0
        )
        dear = self.summary()["mark"]
        self.library.assign(
            self.tray.id, self.piece, "A test", weights={"accidentals": 1}, out_of=100, habit_share=0.0
        )
        self.assertGreater(self.summary()["mark"], dear)
        self.assertEqual(self.library.decisions_of(self.take.id).comments, {"": "kept"})
        for bad in (
            {"out_of": 1},
            {"form": "stars"},
            {"weights": {"notes": 0}},
            {"scheme": "none"},
            {"habit_share": 2},
        ):
            with self.assertRaises(JewellerError):
                self.library.assign(self.tray.id, self.piece, "A test", **bad)

    def test_summaries_of_an_older_program_are_made_anew(self) -> None:
        now = self.summary()
        self.library.change(self.take, summary={"facets": {}, "mark": 1.0})
        self.assertEqual(self.library.takes(self.tray.id)[0].summary, now)
        self.assertEqual(self.summary(), now)

    def test_what_another_program_locks_is_read_all_the_same(self) -> None:
        with self.library.store.write() as session:
            session.execute(update(Take).values(summary={"v": 0}))
        with mock.patch("jeweller.library.store.BUSY_S", 0.1):
            self.reopened()
        with contextlib.closing(sqlite3.connect(self.library.store.database)) as lock:
            lock.execute("BEGIN IMMEDIATE")
            self.assertIn("mark", self.library.takes(self.tray.id)[0].summary)

    def test_why_a_mark_is_what_it_is(self) -> None:
        scheme = self.library.scheme(self.take.id)
        assert scheme is not None
        lines = explain_mark(checked_take().report, self.library.decisions_of(self.take.id), scheme)
        parts = [re.match(r"(\w+): ([\d.]+) of ([\d.]+)", line) for line in lines]
        total = sum(float(m[2]) for m in parts if m)
        self.assertAlmostEqual(total, self.summary()["mark"], delta=0.4)
        self.assertAlmostEqual(sum(float(m[3]) for m in parts if m), 20, delta=0.3)
        self.assertTrue(
            any(line.startswith("Accidentals") and "E natural sounded" in line for line in lines), lines
        )

    def test_a_mark_by_hand_stands_beside_the_computed_one_and_a_helped_take_says_so(self) -> None:
        computed = self.summary()["mark"]
        self.library.act([(self.take.id, "mark", {"text": "17+"})])
        self.assertEqual((format_mark(self.summary()), self.summary()["mark"]), ("17+", computed))
        self.library.undo(self.tray.id)
        helped = {
            **checked_take().report,
            "settings": {**checked_take().report["settings"], "support": "with_model"},
        }
        self.library.add_report(self.take.id, helped)
        self.assertTrue(format_mark(self.summary()).endswith(", played with the model"))

    def test_the_best_the_last_or_the_mean_of_several_attempts(self) -> None:
        second = self.library.add_take(
            self.tray.id,
            self.recording("again.wav", b"2"),
            player=self.player.id,
            piece=self.piece,
            part="Flute",
        )
        self.library.add_report(second.id, checked_take().report)
        self.library.act([(self.take.id, "mark", {"text": "18"}), (second.id, "mark", {"text": "15"})])
        marks = {
            how: [r["mark"] for r in list_marks(self.library, self.tray.id, attempts=how)[0]]
            for how in ("all", "best", "last", "mean")
        }
        self.assertEqual(marks, {"all": [18.0, 15.0], "best": [18.0], "last": [15.0], "mean": [16.5]})
        self.assertEqual(list_marks(self.library, self.tray.id, with_consent_only=True), ([], 2))


class Killed(LedgerCase):
    """The program is killed at one point after another of an operation; what it had confirmed is there
    afterwards, and the library opens again.
    """

    def run_killed(
        self, operation: Callable[[Library, Callable[[str], None]], None], seen: Callable[[Library], set[str]]
    ) -> None:
        self.library.close()
        reached = 0
        for point in range(1, 600):
            folder = self.folder / f"at-{point}"
            shutil.copytree(self.library.folder, folder)
            read, write = os.pipe()
            child = os.fork()
            if not child:  # what happens here must not come back into the tests
                try:
                    os.environ["JEWELLER_KILL_AT"] = str(point)
                    operation(
                        Library(folder), lambda what, to=write: os.write(to, f"{what}\n".encode()) and None
                    )
                finally:
                    os._exit(0)
            os.close(write)
            with os.fdopen(read) as told:
                confirmed = set(told.read().split("\n")) - {""}
            _, status = os.waitpid(child, 0)
            again = Library(folder)
            self.assertLessEqual(confirmed, seen(again), f"killed at point {point}")
            for take in [t for tray in again.trays() for t in again.takes(tray.id)]:
                again.recording(take)  # never a row that points to nothing
                again.decisions_of(take.id)
            again.close()
            shutil.rmtree(folder)
            if not os.WIFSIGNALED(status):
                break
            self.assertEqual(os.WTERMSIG(status), signal.SIGKILL)
            reached += 1
        self.assertGreaterEqual(reached, 30)

    def test_while_takes_are_brought_in(self) -> None:
        paths = [self.recording(f"{k}.wav", b"sound" * (k + 1)) for k in range(6)]

        def operation(library: Library, confirm: Callable[[str], None]) -> None:
            tray = library.add_tray(self.band.id, "a tray")
            confirm("a tray")
            for path in paths:
                confirm(
                    library.add_take(
                        tray.id, path, player=library.add_player(self.band.id, path.stem).id
                    ).name
                )

        self.run_killed(
            operation,
            lambda library: (
                {t.name for t in library.trays()}
                | {t.name for y in library.trays() for t in library.takes(y.id)}
            ),
        )

    def test_while_checks_are_kept(self) -> None:
        tray, _ = self.a_take()
        report = checked_take().report
        for k in range(8):
            self.library.add_take(tray.id, self.recording(f"{k}.wav", bytes([k])))

        def operation(library: Library, confirm: Callable[[str], None]) -> None:
            for take in library.takes(tray.id):
                library.add_report(take.id, report)
                confirm(take.name)

        self.run_killed(
            operation,
            lambda library: {
                t.name
                for t in library.takes(tray.id)
                if t.state == "checked" and library.report(t.id) == report
            },
        )

    def test_while_decisions_are_made(self) -> None:
        _, take = self.a_take()
        self.library.add_report(take.id, checked_take().report)
        keys = [f["key"] for f in checked_take().report["findings"]]

        def operation(library: Library, confirm: Callable[[str], None]) -> None:
            for k in range(6):
                library.act([(take.id, "comment", {"key": keys[0], "text": f"comment {k}"})])
                confirm(f"comment {k}")

        def seen(library: Library) -> set[str]:
            last = int(library.decisions_of(take.id).comments.get(keys[0], "comment -1").split()[1])
            return {f"comment {k}" for k in range(last + 1)}

        self.run_killed(operation, seen)

    def test_while_a_backup_is_written(self) -> None:
        tray, _ = self.a_take()
        for k in range(24):
            self.library.add_take(tray.id, self.recording(f"{k}.wav", bytes([k])))

        def operation(library: Library, confirm: Callable[[str], None]) -> None:
            library.store.backup(library.folder / "recordings" / "all.zip")
            confirm("written")

        def seen(library: Library) -> set[str]:
            target = library.folder / "recordings" / "all.zip"
            if not target.exists():
                return set()
            restore(target, library.folder / "restored")
            restored = Library(library.folder / "restored")
            self.assertEqual(len(restored.takes(tray.id)), 25)
            restored.close()
            return {"written"}

        self.run_killed(operation, seen)


if __name__ == "__main__":
    unittest.main()
