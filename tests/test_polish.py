"""The polish list: what comes first, how the minutes are shared, what follows where nothing helped."""

from __future__ import annotations

import unittest
from typing import Any, cast

from jeweller.instruments.table import require_instrument
from jeweller.practice.polish import count_in_vain, make_polish_list, thing_of
from jeweller.practice.remedies import load_remedies
from jeweller.practice.settings import POLISH
from jeweller.report_format import TakeReport
from tests.support import checked_take

TABLE = load_remedies(None)


class Lists(unittest.TestCase):
    def make(self, minutes: int = 20, instrument: str = "trumpet", **options: Any) -> Any:
        checked = checked_take()
        return make_polish_list(
            checked.report, checked.line.part, require_instrument(instrument), minutes, TABLE, **options
        )

    def test_the_minutes_are_all_given_out(self) -> None:
        for minutes in (5, 10, 30, 60):
            made = self.make(minutes)
            self.assertEqual(made.warm_up + sum(i.minutes for i in made.items) + made.fun, minutes)
            self.assertTrue(all(i.minutes >= POLISH.least_min for i in made.items), minutes)
        self.assertEqual(len(self.make(5).items), 1)

    def test_each_thing_once_with_its_drill_at_its_place(self) -> None:
        made = self.make(30)
        things = [thing_of(i.finding) for i in made.items]
        self.assertEqual(len(set(things)), len(things))
        drills = {i.finding["kind"]: i.drill.kind for i in made.items}
        self.assertEqual(drills["missed_accidental"], "say_scale")
        self.assertEqual(drills["rest_short"], "count_clap")
        self.assertTrue(all(i.sentences and i.bpm <= 90 for i in made.items))

    def test_what_did_not_help_is_replaced_by_the_next_row(self) -> None:
        first = {thing_of(i.finding): i.remedy for i in self.make(30).items}
        thing = next(t for t, r in first.items() if r.cause)
        after = self.make(30, in_vain={thing: POLISH.tries})
        second = {thing_of(i.finding): i.remedy for i in after.items}
        self.assertNotEqual(second[thing], first[thing])
        drills = []
        for sessions in range(4):
            again = self.make(30, in_vain={"missed_accidental|forgot_key_signature": sessions * POLISH.tries})
            drills += [i.remedy.drill for i in again.items if i.finding["kind"] == "missed_accidental"]
        self.assertEqual(len(set(drills[:3])), 3, drills)  # three things are tried in three sessions
        self.assertEqual(count_in_vain([([thing], [thing])] * 2), {thing: 2})
        self.assertEqual(count_in_vain([([thing], [thing]), ([thing], [])]), {})

    def test_lips_rest_and_drums_have_none(self) -> None:
        self.assertTrue(self.make(40).rests)
        self.assertEqual(self.make(40, "xylophone").rests, ())
        self.assertNotIn("Warm up: long", self.make(40, "xylophone").warm_words)

    def test_a_clean_take_leaves_the_time_for_music(self) -> None:
        checked = checked_take()
        clean = cast(TakeReport, {**checked.report, "findings": []})
        made = make_polish_list(clean, checked.line.part, require_instrument("flute"), 20, TABLE)
        self.assertEqual((made.items, made.fun), ((), 17))


if __name__ == "__main__":
    unittest.main()
