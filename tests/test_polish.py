"""The polish list: what comes first, how the minutes are shared, what follows where nothing helped."""

from __future__ import annotations

import unittest
from typing import Any, cast

from jeweller.instruments.table import instruments, require_instrument
from jeweller.practice.polish import PolishItem, count_in_vain, make_polish_list, thing_of, ways_to_try
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
            self.assertEqual(
                made.warm_up + sum(i.minutes for i in made.items) + made.whole + made.fun, minutes
            )
            self.assertTrue(all(i.minutes >= POLISH.least_min for i in made.items), minutes)
            self.assertLessEqual(made.fun, 0.2 * minutes)  # what is left over is for the piece itself
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

    def test_nothing_is_tried_twice_in_other_words(self) -> None:
        row = cast(Any, checked_take().report["findings"][0])
        for row_of in TABLE.rows:
            for kind in row_of.kinds:
                for hands in row_of.hands:
                    instrument = next(i for i in instruments() if i.hands == hands)
                    found = {**row, "kind": kind, "cause": row_of.cause or None, "detail": {"semitones": 12}}
                    drills = [r.drill for r in ways_to_try(TABLE, found, instrument)]
                    self.assertEqual(len(set(drills)), len(drills), (kind, hands, row_of.cause))

    def listed(self, *findings: dict[str, object], instrument: str = "clarinet") -> list[PolishItem]:
        """The items of a list for these findings, each at a bar of the take's part."""
        checked = checked_take()
        rows = [{**checked.report["findings"][0], "cause": None, "places": [], **f} for f in findings]
        report = cast(TakeReport, {**checked.report, "findings": rows})
        part = checked.line.part
        return list(make_polish_list(report, part, require_instrument(instrument), 30, TABLE).items)

    def test_too_high_is_mended_otherwise_than_too_low(self) -> None:
        for apart, words in ((12, "relaxed"), (-12, "register key")):
            detail = {"written": "D5", "heard": "D6", "semitones": apart}
            (item,) = self.listed({"kind": "wrong_octave", "bar": "1", "beat": 3.0, "detail": detail})
            self.assertIn(words, item.remedy.first)

    def test_a_note_too_many_is_of_the_fingers_or_of_the_tongue(self) -> None:
        part = checked_take().line.part
        beside = next(n.pitch.name for n in part.bars[0].notes if n.pitch is not None)
        for heard, drill in (("A♭6", "switch"), (beside, "one_note")):
            (item,) = self.listed({"kind": "extra_note", "bar": "1", "beat": 2.0, "detail": {"heard": heard}})
            self.assertEqual(item.drill.kind if item.drill else "", drill)

    def test_nobody_plays_the_same_drill_for_two_reasons(self) -> None:
        detail = {"written": "E♭5", "heard": "E5", "letter": "E♭", "heard_letter": "E", "source": "printed"}
        items = self.listed(
            {
                "kind": "missed_accidental",
                "bar": "1",
                "beat": 1.0,
                "detail": detail,
                "cause": "forgot_key_signature",
            },
            {"kind": "added_accidental", "bar": "1", "beat": 1.0, "detail": detail},
        )
        bars = [i.drill.part.bars for i in items if i.drill is not None]
        self.assertEqual(len(bars), 2)
        self.assertNotEqual(bars[0], bars[1])

    def test_what_no_drill_mends_has_none(self) -> None:
        (item,) = self.listed(
            {"kind": "wrong_transposition", "bar": "1", "beat": 1.0, "detail": {"semitones": 2}}
        )
        self.assertIsNone(item.drill)

    def test_one_doubtful_thing_may_stand_last(self) -> None:
        detail = {"written": "D5", "heard": "G♭5", "semitones": 4}
        sure = {"kind": "wrong_note", "bar": "1", "beat": 3.0, "detail": detail}
        perhaps = [
            {
                "kind": kind,
                "bar": "2",
                "beat": 1.0,
                "confidence": c,
                "detail": {"heard": "A5"},
                "severity": 0.5,
            }
            for kind, c in (("extra_note", 0.45), ("fuzzy", 0.4), ("cracked", 0.1))
        ]
        items = self.listed(*perhaps, sure)
        self.assertEqual([i.finding["kind"] for i in items], ["wrong_note", "extra_note"])
        self.assertTrue(items[1].why.startswith("Perhaps, listen first: "))
        self.assertNotIn("Perhaps", items[0].why)

    def test_who_is_out_of_tune_tunes_first_and_not_for_long(self) -> None:
        wrong = {"kind": "wrong_note", "bar": "1", "beat": 3.0, "severity": 1.0, "confidence": 0.99}
        tuned = {"kind": "tuned_high", "bar": "1", "beat": 1.0, "severity": 0.1, "confidence": 0.95}
        detail = {"written": "D5", "heard": "G♭5", "semitones": 4, "cents": 24}
        items = self.listed(*({**f, "detail": detail} for f in (wrong, tuned)))
        self.assertEqual([i.finding["kind"] for i in items], ["tuned_high", "wrong_note"])
        self.assertEqual(items[0].minutes, POLISH.least_min)
        self.assertGreater(items[1].minutes, POLISH.least_min)

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
