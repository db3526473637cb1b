"""Assignments: given out, due, handed in, changed; the traps chosen for them answered; loudness compared
within one set-up.
"""

from __future__ import annotations

import contextlib
import datetime
import sqlite3
from unittest import mock

from PySide6.QtWidgets import QDialog

from jeweller.decisions.records import Decision, Decisions
from jeweller.documents.feedback_sheet import criteria
from jeweller.errors import LedgerError, SettingError
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog
from jeweller.gui.services.work import _slip
from jeweller.library.assignments import (
    answer_chosen_traps,
    assignment_status,
    criteria_of,
    kinds_in,
    open_for,
    reminder,
)
from jeweller.library.exports import collect_feedback
from jeweller.library.intake import Guess, enter_tray
from jeweller.library.library import Library
from jeweller.library.progress import over_time, sound_changes
from jeweller.library.tables import Assignment
from jeweller.library.tray import open_take
from jeweller.notation.model import Score
from tests.support import checked_take, part_of
from tests.test_class import fill
from tests.test_desk import DeskCase
from tests.test_ledger import LedgerCase

TODAY = datetime.date(2026, 3, 10)


def day(after: int) -> str:
    return (TODAY + datetime.timedelta(days=after)).isoformat()


class Given(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        self.tray, self.piece, self.players = fill(
            self.library, self.band.id, ("Ilse", "flute"), ("Bram", "trumpet")
        )
        self.zoe = self.library.add_player(self.band.id, "Zoë", "flute")

    def test_what_is_due_comes_first_and_who_is_missing_is_named(self) -> None:
        later = self.library.give(self.band.id, "other", "Another", due=day(30))
        never = self.library.give(self.band.id, "other", "Whenever")
        soon = self.library.give(self.band.id, self.piece, "A test", due=day(2))
        self.library.hand_in(self.tray, soon.id)
        rows = assignment_status(self.library, self.band.id)
        self.assertEqual([g.assignment.id for g in rows], [soon.id, later.id, never.id])
        self.assertEqual(
            (rows[0].handed_in, rows[0].missing, rows[0].takes, rows[0].waiting, rows[0].trays),
            (("Bram", "Ilse"), ("Zoë",), 2, 2, (self.tray,)),
        )
        self.assertEqual([g.due_words(TODAY) for g in rows], ["due in 2 days", f"due {day(30)}", ""])
        self.assertEqual(
            [rows[0].due_words(TODAY + datetime.timedelta(days=n)) for n in (1, 2, 3, 4)],
            ["due tomorrow", "due today", "due yesterday", "due 2 days ago"],
        )
        self.assertEqual([g.presses(TODAY) for g in rows], [True, False, False])
        self.assertEqual(reminder(self.library, TODAY), "A test is due in 2 days; Zoë has not handed in.")
        self.assertEqual(reminder(self.library, TODAY - datetime.timedelta(days=9)), "")

    def test_what_everybody_handed_in_and_was_decided_is_done(self) -> None:
        a = self.library.give(self.band.id, self.piece, "A test", due=day(-5))
        self.library.hand_in(self.tray, a.id)
        self.library.remove_rows(type(self.zoe), type(self.zoe).id == self.zoe.id)
        self.assertFalse(assignment_status(self.library)[0].done)
        self.library.act([(t.id, "state", {"state": "decided"}) for t in self.library.takes(self.tray)])
        self.assertTrue(assignment_status(self.library)[0].done)
        self.assertEqual(reminder(self.library, TODAY), "")
        self.assertIsNone(open_for(self.library, self.band.id, [self.piece]))

    def test_another_wording_is_for_all_its_trays_and_keeps_the_old(self) -> None:
        a = self.library.give(self.band.id, self.piece, "A test")
        second = self.library.add_tray(self.band.id, "Late ones", a.id)
        self.library.hand_in(self.tray, a.id)
        self.library.assign(self.tray, self.piece, "A test", out_of=10)
        new = self.library.assignment_of(self.library.tray(second.id))
        assert new is not None
        self.assertEqual(new.settings, {"out_of": 10})
        self.assertEqual([x.id for x in self.library.assignments(self.band.id)], [new.id])
        self.assertEqual({t.summary["out_of"] for t in self.library.takes(self.tray)}, {10})
        with self.library.store.read() as session:
            self.assertEqual(session.query(Assignment).count(), 2)
        with self.assertRaises(SettingError):
            self.library.give(self.band.id, self.piece, "A test", out_of=1)
        with self.assertRaisesRegex(LedgerError, "no assignment 99"):
            self.library.reassign(99, self.piece, "A test")

    def test_takes_that_come_in_are_handed_in_for_what_is_open(self) -> None:
        a = self.library.give(self.band.id, self.piece, "A test", traps=["rest"])
        guess = Guess(
            path=self.recording("zoe.wav", b"zoe"),
            player=self.zoe.id,
            name="Zoë",
            piece=self.piece,
            part="Flute",
            kind="played",
        )
        tray = enter_tray(self.library, self.band.id, [guess], "band room,  one microphone ")
        self.assertEqual(tray.assignment_id, a.id)
        self.assertEqual([t.setup for t in self.library.takes(tray.id)], ["band room, one microphone"])
        self.assertEqual(self.library.setups(), ["band room, one microphone"])
        mixed = enter_tray(
            self.library,
            self.band.id,
            [
                guess,
                Guess(
                    path=self.recording("b.wav", b"b"),
                    player=None,
                    name="Bo",
                    piece="other",
                    part="",
                    kind="played",
                ),
            ],
        )
        self.assertIsNone(mixed.assignment_id)

    def test_a_library_of_the_version_before_is_brought_up_to_date(self) -> None:
        self.library.assign(self.tray, self.piece, "A test", out_of=12)
        self.library.assign(self.tray, self.piece, "A test", out_of=15)
        self.library.close()
        # as the first version left it
        with contextlib.closing(sqlite3.connect(self.library.store.database)) as raw:
            for table, column in (
                ("assignment", "given_at"),
                ("assignment", "replaced_by"),
                ("take", "setup"),
            ):
                raw.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
            raw.execute("UPDATE alembic_version SET version_num = '0001'")
            raw.commit()
        self.reopened()
        self.assertTrue((self.library.store.copies / "before-0002.db").exists())
        self.assertEqual([a.settings for a in self.library.assignments()], [{"out_of": 15}])
        self.assertEqual({t.setup for t in self.library.takes(self.tray)}, {""})


class Answered(LedgerCase):
    def setUp(self) -> None:
        super().setUp()
        self.tray, self.piece, _ = fill(self.library, self.band.id, ("Ilse", "flute"))
        self.take = self.library.takes(self.tray)[0]
        self.line = checked_take().line

    def told(self, *kinds: str) -> list[str]:
        hand = open_take(self.library, self.take.id)
        assert hand.report is not None
        return answer_chosen_traps(kinds, self.line, hand.report, hand.shown)

    def test_only_the_assignment_of_its_own_piece_says_how_a_take_is_marked(self) -> None:
        plain = self.library.scheme(self.take.id)
        for piece, followed in (("other", False), (self.piece, True)):
            self.library.assign(self.tray, piece, "A test", scheme="rhythm-first")
            self.assertEqual(self.library.scheme(self.take.id) != plain, followed)

    def test_the_kinds_of_a_piece_are_those_a_check_can_answer(self) -> None:
        clean = Score("", (part_of("C4/4 | D4/4"),))
        self.assertEqual(kinds_in(clean), [])
        self.assertEqual(kinds_in(Score("", (self.line.part, *clean.parts))), ["altered", "rest"])

    def test_rests_and_altered_notes_are_answered_and_follow_the_teacher(self) -> None:
        before = self.told("rest", "altered")
        self.assertIn("a rest to be counted: 0 of 1", before)
        self.assertIn("E♭ by the key signature: 1 of 3", before)
        self.assertEqual(self.told("rest"), ["a rest to be counted: 0 of 1"])
        for facet in ("count", "accidentals"):
            key = next(f["key"] for f in checked_take().report["findings"] if f["facet"] == facet)
            self.library.decide(
                self.take.id,
                Decisions(
                    (*self.library.decisions_of(self.take.id).decisions.decisions, Decision(key, "dismiss"))
                ),
            )
        after = self.told("rest", "altered")
        self.assertIn("a rest to be counted: 1 of 1", after)
        self.assertIn("E♭ by the key signature: 3 of 3", after)

    def test_slips_answer_what_was_chosen_and_else_the_altered_notes(self) -> None:
        usual = criteria(_slip(self.library, collect_feedback(self.library, self.tray)[0], sounds=False))
        self.assertTrue(any(c.startswith("E♭: ") for c in usual))
        self.library.assign(self.tray, self.piece, "A test", traps=["rest"])
        self.assertEqual(
            criteria(_slip(self.library, collect_feedback(self.library, self.tray)[0], sounds=False)),
            ["a rest to be counted: 0 of 1"],
        )
        self.assertEqual(
            criteria_of(self.library.assignment_of(self.library.tray(self.tray)), "other piece"), ()
        )


class Sounded(LedgerCase):
    def test_loudness_and_tone_are_compared_within_one_set_up_only(self) -> None:
        tray, piece, (ilse,) = fill(self.library, self.band.id, ("Ilse", "flute"))
        for k, (setup, level) in enumerate((("room", -30.0), ("phone", -12.0), ("room", -25.5))):
            take = self.library.add_take(
                tray,
                self.recording(f"{k}.wav", bytes([k])),
                player=ilse.id,
                piece=piece,
                part="Flute",
                setup=setup,
            )
            self.library.add_report(
                take.id, {**checked_take().report, "sound": {"level_db": level, "clearness": 0.9}}
            )
        told = over_time(self.library, ilse).attempts
        self.assertEqual(
            [(a.level_db, a.sound) for a in told],
            [(None, ()), (-30.0, ()), (-12.0, ()), (-25.5, ("louder by 4 dB",))],
        )
        self.assertEqual(
            sound_changes(
                {"clearness": 0.8, "waver_cents": 3.0, "spread_db": 9.0},
                {"clearness": 0.9, "waver_cents": 9.0, "spread_db": 8.0},
            ),
            ("a clearer tone", "long notes less steady"),
        )
        self.assertEqual(
            sound_changes(
                {"level_db": -30.0, "spread_db": 2.0},
                {"level_db": -25.0, "spread_db": 12.0},
                same_piece=False,
            ),
            (),
        )

    def test_a_report_holds_how_the_take_sounded(self) -> None:
        sound = checked_take().report["sound"]
        self.assertLess(sound["level_db"], 0)
        self.assertGreater(sound["spread_db"], 0)
        self.assertGreater(sound["clearness"], 0.5)


class OnThePage(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        library = Library(self.window.library_folder)
        self.tray, self.piece, _ = fill(
            library, library.add_band("The Fernhollow Band").id, ("Ilse", "flute"), ("Bram", "trumpet")
        )
        library.close()
        self.window.go("ledger")
        self.page = self.window.ledger.assigned

    def asked(self, **settings: object) -> dict[str, object]:
        return {"piece": self.piece, "title": "A test", "bars": "", "due": "2026-01-01", "settings": settings}

    def test_given_out_handed_in_and_changed(self) -> None:
        self.window.ledger.choose_way("assigned")
        self.assertIn("Nothing was given out yet", self.page.told.text())
        self.assertEqual(self.window.next_button.text(), "Give something out…")
        self.page.give(asked=self.asked(traps=["rest"]))
        self.assertEqual(
            [self.page.table.item(0, n).text() for n in (1, 2, 3, 5)],
            ["A test", "rests", "0 of 2", "Bram, Ilse"],
        )  # type: ignore[union-attr]
        library = self.window.bench.library
        assert library is not None
        library.hand_in(self.tray, library.assignments()[0].id)
        self.window.ledger.choose_way("assigned")
        self.assertEqual([self.page.table.item(0, n).text() for n in (3, 4)], ["2 of 2", "2"])  # type: ignore[union-attr]
        self.assertEqual(self.window.next_button.text(), "Show submissions")
        self.page.change(self.asked(traps=["altered"]))
        self.assertEqual({t.state for t in library.takes(self.tray)}, {"checked"})
        self.page.change(self.asked(traps=["altered"], tolerance="gentle"))
        self.assertEqual({t.state for t in library.takes(self.tray)}, {"waiting"})
        self.window.next_button.click()
        self.assertEqual((self.window.place, self.window.next_button.text()), ("bench", "Check 2 takes"))

    def test_the_pattern_book_gives_out_what_it_shows_with_what_is_ticked(self) -> None:
        self.window.go("pattern")
        self.open_music(self.score)
        for trap, box in self.window.pattern.look.boxes:
            box.setChecked(trap.kind == "rest")
        chosen = []

        def accept(dialog: CriteriaDialog) -> int:
            chosen.append(dialog.asked())
            dialog.has_due.setChecked(True)
            return int(QDialog.DialogCode.Accepted)

        with mock.patch.object(CriteriaDialog, "exec", accept):
            self.window.pattern.give_button.click()
        self.assertEqual(chosen[0]["settings"]["traps"], ["rest"])
        library = self.window.bench.library
        assert library is not None
        (a,) = library.assignments()
        self.assertEqual((a.title, a.settings["traps"], len(a.due)), ("A test", ["rest"], 10))

    def test_the_bench_says_how_what_was_chosen_came_out(self) -> None:
        bench = self.window.bench
        assert bench.library is not None
        bench.library.assign(self.tray, self.piece, "A test", traps=["rest"])
        bench.stale = True
        self.window.go("bench")
        bench.page._tell(bench.hand, checked_take().line)  # type: ignore[arg-type] -- as when its music was loaded
        self.assertIn("a rest to be counted: 0 of 1", bench.page.under.text())

    def test_a_player_is_shown_anew_in_other_colours(self) -> None:
        self.window.ledger.ways.button(1).click()
        self.window.set_theme("dark")
        self.assertEqual(self.window.ledger.players.chart.theme.name, "dark")
