"""Attempts of a session: what became of each, two compared, the player's own view beside the verdict, and what
is read at sight next.
"""

from __future__ import annotations

import dataclasses
import unittest
from typing import Any, cast

from jeweller.booth.attempts import BoothTake, compare
from jeweller.booth.first_sight import next_piece, step_after, step_sentence
from jeweller.booth.own_view import OwnMark, OwnView, agree, trend
from jeweller.booth.plan import TakePlan
from jeweller.notation.model import Score
from jeweller.repertoire.shelf import describe_piece
from jeweller.report_format import TakeReport
from tests.support import checked_take, part_of


def take(number: int = 1, bpm: float = 90.0, **changes: Any) -> BoothTake:
    """The take of `checked_take`, with parts of its report changed."""
    report = cast(TakeReport, {**checked_take().report, **changes})
    return BoothTake(number=number, plan=TakePlan(bpm=bpm), report=report)


def mended(*kinds: str) -> dict[str, Any]:
    """The notes and findings of a take in which these kinds are right."""
    report = checked_take().report
    gone = [f for f in report["findings"] if f["kind"] in kinds]
    notes = {n for f in gone for n in f["notes"]}
    return {
        "findings": [f for f in report["findings"] if f not in gone],
        "notes": [{**n, "verdict": "ok"} if n["id"] in notes else n for n in report["notes"]],
    }


class Compared(unittest.TestCase):
    def test_what_was_mended_is_said_first_and_by_its_note(self) -> None:
        told = compare(take(), take(2, **mended("wrong_note")))
        self.assertEqual(len(told.notes_better), 1)
        self.assertEqual((told.notes_worse, told.worse), ((), ()))
        (sentence,) = told.sentences(1)
        self.assertRegex(sentence, r"^Better than take 1: Bar \d: \S+ is right now\.$")

    def test_and_the_other_way_round_it_is_new(self) -> None:
        told = compare(take(1, **mended("wrong_note")), take(2))
        self.assertEqual((told.better, len(told.worse), len(told.notes_worse)), ((), 1, 1))
        self.assertIn("New beside take 1", told.sentences(1)[-1])

    def test_the_same_again_is_told_as_that(self) -> None:
        self.assertEqual(compare(take(), take(2)).sentences(1), ("As in take 1.",))

    def test_a_fault_of_no_single_note_is_told_as_gone(self) -> None:
        told = compare(take(), take(2, **mended("rest_short")))
        self.assertTrue(any(s.endswith("is gone.") for s in told.better), told.better)

    def test_faster_counts_only_where_it_is_no_worse(self) -> None:
        faster = compare(take(), take(2, 100.0))
        self.assertIn("played at 100 instead of 90.", faster.better)
        worse = compare(take(1, **mended("wrong_note")), take(2, 100.0))
        self.assertEqual(worse.better, ())

    def test_without_a_report_nothing_is_told(self) -> None:
        blind = BoothTake(number=1, plan=TakePlan(layer="air"))
        self.assertEqual(compare(blind, take(2)).sentences(1), ("As in take 1.",))
        self.assertEqual((blind.sentence, blind.clean, blind.stopped_at), ("done, not recorded", False, ""))

    def test_what_became_of_each(self) -> None:
        self.assertRegex(take().sentence, r"^\d things to mend$")
        self.assertEqual(take(findings=[]).sentence, "clean")
        self.assertEqual(take(followed=False).sentence, "does not follow the part")
        unsure = [{**f, "confidence": 0.3} for f in checked_take().report["findings"]]
        self.assertTrue(take(findings=unsure).clean)  # a place to listen to is no fault
        notes = [{**n} for n in checked_take().report["notes"]]
        notes[-1]["verdict"] = "not_heard"
        self.assertFalse(take(findings=[], notes=notes).clean)


class Agreeing(unittest.TestCase):
    def test_bars_of_both_of_one_and_of_the_other(self) -> None:
        bars = list(dict.fromkeys(b for f in take().findings for b in (f["places"] or [f["bar"]])))
        found = agree(OwnView((OwnMark(bars[0], "notes"), OwnMark("5", "rhythm"))), take().report)  # type: ignore[arg-type]
        self.assertEqual(found.both, (bars[0],))
        self.assertEqual(found.player_only, ("5",) if "5" not in bars else ())
        self.assertEqual(set(found.check_only), set(bars[1:]))
        self.assertIn("Listen there.", found.lines[-1])
        self.assertAlmostEqual(found.share, 2 / (2 + len(found.player_only) + len(found.check_only)))

    def test_where_neither_heard_anything_they_agree(self) -> None:
        found = agree(OwnView(), cast(TakeReport, {**checked_take().report, "findings": []}))
        self.assertEqual((found.share, len(found.lines)), (1.0, 1))

    def test_over_the_weeks(self) -> None:
        days = [f"2026-09-{d:02d}" for d in range(1, 9)]
        self.assertEqual(trend(list(zip(days[:3], [0.1, 0.5, 0.9], strict=True))), "")  # too few to tell
        more = trend(list(zip(days, [0.2, 0.3, 0.2, 0.3, 0.7, 0.8, 0.7, 0.8], strict=True)))
        self.assertIn("more than before: 75 of 100, at first 25", more)
        self.assertIn("less than before", trend(list(zip(days, [0.9] * 4 + [0.2] * 4, strict=True))))
        self.assertIn("as before: 50", trend(list(zip(days, [0.5] * 8, strict=True))))


class AtSight(unittest.TestCase):
    def piece(self, name: str, level: str) -> Any:
        made = describe_piece(Score(name, (part_of("C5/4"),), ""), name.lower())
        return dataclasses.replace(made, level=level)

    def setUp(self) -> None:
        self.easy, self.middle, self.hard = (
            self.piece(n, v) for n, v in (("E", "very easy"), ("M", "easy"), ("H", "hard"))
        )

    def test_clean_leads_up_much_wrong_or_stopped_leads_down(self) -> None:
        self.assertEqual(step_after(take(findings=[])), 1)
        many = checked_take().report["findings"] * 3
        self.assertEqual(step_after(take(findings=many)), -1)
        self.assertEqual(step_after(take(followed=False, findings=[])), -1)
        self.assertEqual(step_after(BoothTake(number=1, plan=TakePlan())), -1)

    def test_the_nearest_level_on_that_side_that_was_not_read_yet(self) -> None:
        from jeweller.booth.first_sight import NAMES

        a, b, c = (self.piece(n, NAMES[k]) for n, k in (("A", 0), ("B", 1), ("C", 2)))
        other = self.piece("D", NAMES[1])
        self.assertEqual(next_piece([a, b, c], a, (), 1), b)
        self.assertEqual(next_piece([a, b, c], a, ("b",), 1), c)
        self.assertEqual(next_piece([a, b, c], c, (), -1), b)
        self.assertEqual(next_piece([a, b, c, other], b, (), 0), other)
        self.assertIsNone(next_piece([a], a, (), 1))
        self.assertEqual(next_piece([b, other], b, (), 1), other)  # none is harder: about as hard
        self.assertIn("A little harder: “B”", step_sentence(1, b))
        self.assertIn("no other piece", step_sentence(1, None))


if __name__ == "__main__":
    unittest.main()
