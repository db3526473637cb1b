"""What was worked at comes back over days; what has become softer than usual is said once."""

from __future__ import annotations

import datetime
import unittest
from typing import Any

from jeweller.assessment.finding import FACET_OF
from jeweller.instruments.table import require_instrument
from jeweller.practice.drills import make_drill
from jeweller.practice.loudness import HeardLevel, levels_of, may_tell, soft_by_habit
from jeweller.practice.polish import PolishItem, make_polish_list
from jeweller.practice.remedies import load_remedies
from jeweller.practice.settings import POLISH, SOFT, SPACING
from jeweller.practice.spacing import items_due, keep_drill, kept_things, wait_days
from tests.support import part_of

FIRST = datetime.date(2024, 2, 1)
FLUTE = require_instrument("flute")
TABLE = load_remedies(None)


def day(n: int) -> str:
    return f"{FIRST + datetime.timedelta(days=n)}T17:00:00"


def finding(kind: str = "wrong_note", bar: str = "2") -> Any:
    return {
        "key": f"{kind}/{bar}",
        "kind": kind,
        "facet": FACET_OF[kind],
        "bar": bar,
        "pass": 1,
        "beat": 1.0,
        "at_s": 3.0,
        "until_s": 3.5,
        "notes": [],
        "extras": [],
        "confidence": 0.95,
        "severity": 0.6,
        "count": 1,
        "places": [],
        "detail": {"written": "E5", "heard": "F5", "semitones": 1},
        "cause": None,
        "text": "",
        "advice": "",
    }


def item(kind: str = "wrong_note") -> PolishItem:
    found = finding(kind)
    drill = make_drill("switch", part_of("C5/1 D5/1 E5/1 F5/1 | E5/2 G5/2"), found, FLUTE)
    remedy = TABLE.remedies_for(kind, FLUTE)[0]
    return PolishItem(finding=found, why="", remedy=remedy, drill=drill, bpm=54.0, minutes=5)


def worked(n: int, kind: str = "wrong_note") -> dict[str, Any]:
    return {"kind": "polish", "at": day(n), "things": [f"{kind}|"], **keep_drill(item(kind), "A march")}


def take(n: int, *things: str, title: str = "A march", **more: Any) -> dict[str, Any]:
    return {"kind": "take", "at": day(n), "title": title, "things": list(things), "mark": 18.0, **more}


class ComingBack(unittest.TestCase):
    def stage(self, *entries: dict[str, Any]) -> tuple[int, int]:
        """(how often it stayed mended, on which day it is due)."""
        (kept,) = kept_things(entries)
        return kept.stage, (kept.due - FIRST).days

    def test_the_wait_doubles_while_it_stays_mended(self) -> None:
        self.assertEqual(self.stage(worked(0)), (0, 1))
        self.assertEqual(self.stage(worked(0), take(0)), (0, 1))  # the same day shows nothing yet
        self.assertEqual(self.stage(worked(0), take(1)), (1, 3))
        self.assertEqual(self.stage(worked(0), take(1), take(2)), (1, 3))  # nor does a day before it is due
        self.assertEqual(self.stage(worked(0), take(1), take(5)), (2, 9))
        drill = take(1, title="The two notes in turn")
        self.assertEqual(self.stage(worked(0), worked(1), drill), (1, 3))  # working at it puts nothing off

    def test_it_begins_anew_where_the_fault_comes_again(self) -> None:
        again = take(5, "wrong_note|", title="Another tune", plan={"bars": "3"})
        self.assertEqual(self.stage(worked(0), take(1), again), (0, 6))

    def test_a_take_that_could_not_show_it_says_nothing(self) -> None:
        for other in (
            take(1, title="Another tune"),
            take(1, plan={"bars": "1-2"}),
            take(1, stopped_at="3"),
            take(1, mark=None),
        ):
            self.assertEqual(self.stage(worked(0), other), (0, 1), other)

    def test_after_the_longest_wait_it_is_known(self) -> None:
        entries, n = [worked(0)], 0
        for k in range(20):
            n += wait_days(k)
            if wait_days(k) > SPACING.most_days:
                break
            self.assertEqual(len(kept_things(entries)), 1)
            entries.append(take(n))
        self.assertEqual(kept_things(entries), [])

    def test_what_is_due_is_played_first_and_fits_the_minutes(self) -> None:
        kinds = ("wrong_note", "late", "uneven")
        kept = kept_things([worked(0, kind) for kind in kinds])
        today = FIRST + datetime.timedelta(days=1)
        self.assertEqual(items_due(kept, FIRST, TABLE, FLUTE), [])
        due = items_due(kept, today, TABLE, FLUTE)
        self.assertEqual(len(due), SPACING.most_things)
        drill = item().drill
        assert drill is not None and due[0].drill is not None
        self.assertEqual(due[0].drill.part, drill.part)  # the drill itself was kept
        for minutes in (5, 10, 30):
            made = make_polish_list(None, None, FLUTE, minutes, TABLE, back=due)
            used = made.warm_up + made.whole + made.fun + sum(i.minutes for i in made.items)
            self.assertEqual((used, made.items[0].back), (minutes, due[0].back))
        self.assertIn("is it mended?", due[0].sentences[0])

    def test_what_is_new_has_its_minutes_and_comes_only_once(self) -> None:
        kept = kept_things([worked(0, kind) for kind in ("wrong_note", "late")])
        due = items_due(kept, FIRST + datetime.timedelta(days=1), TABLE, FLUTE)
        report: Any = {"findings": [finding("late")], "tempo": {"played_bpm": 80.0}}
        made = make_polish_list(report, part_of("C5/1 D5/1 E5/1 F5/1 | E5/4"), FLUTE, 5, TABLE, back=due)
        self.assertEqual([i.finding["kind"] for i in made.items if not i.back], ["late"])
        self.assertGreaterEqual(made.items[-1].minutes, POLISH.least_min)
        self.assertEqual([i.finding["kind"] for i in made.items].count("late"), 1)

    def test_entries_that_cannot_be_read_are_passed_over(self) -> None:
        bad: list[dict[str, Any]] = [{}, {"kind": "polish", "at": "soon"}, {"kind": "take", "at": day(1)}]
        odd = worked(0) | {"drill": {"kind": "none"}}
        kept = kept_things([*bad, odd, worked(0) | {"finding": None}])
        self.assertEqual(items_due(kept, FIRST + datetime.timedelta(days=9), TABLE, FLUTE), [])


class Softer(unittest.TestCase):
    def levels(self, *by_day: float, setup: str = "desk") -> list[HeardLevel]:
        return [HeardLevel(FIRST + datetime.timedelta(days=k), setup, x) for k, x in enumerate(by_day)]

    def test_a_habit_is_some_days_running_in_the_same_set_up(self) -> None:
        usual = [-20.0, -21.0, -19.0, -20.0]
        found = soft_by_habit(self.levels(*usual, -28.0, -27.0, -29.0))
        assert found is not None
        self.assertEqual((found.days, found.by_db), (3, 7.0))
        for others in ([-28.0, -27.0], [-28.0, -20.0, -29.0], [-25.0, -25.0, -25.0]):
            self.assertIsNone(soft_by_habit(self.levels(*usual, *others)), others)
        self.assertIsNone(soft_by_habit(self.levels(*usual[:3], -28.0, -27.0, -29.0)))
        elsewhere = self.levels(*usual) + [
            HeardLevel(x.day + datetime.timedelta(days=9), "phone", -30.0) for x in self.levels(0, 0, 0)
        ]
        self.assertIsNone(soft_by_habit(elsewhere))

    def test_it_is_said_once(self) -> None:
        found = soft_by_habit(self.levels(-20, -20, -20, -20, -30, -30, -30))
        assert found is not None
        told = [{"setup": "desk", "day": FIRST.isoformat()}]
        self.assertTrue(may_tell([], found, FIRST))
        self.assertTrue(may_tell(told, found, FIRST))
        self.assertFalse(may_tell(told, found, FIRST + datetime.timedelta(days=1)))
        self.assertTrue(may_tell(told, found, FIRST + datetime.timedelta(days=SOFT.again_days)))

    def test_levels_are_those_of_takes_that_tell_them(self) -> None:
        told = take(0, setup="desk", level_db=-20.0, part="Flute")
        self.assertEqual([x.setup for x in levels_of([told, take(1), {"kind": "take"}])], ["desk · Flute"])
