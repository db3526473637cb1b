"""The bench's own arithmetic: what counts as found, one to one, and how calibration is told. A bench that
counts wrongly makes every figure wrong.
"""

from __future__ import annotations

import sys
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from jeweller.assessment.finding import KINDS

sys.path.insert(0, str(Path(__file__).parent.parent / "bench"))
from components import ABLATIONS, SECOND, switched_off
from ear import UNJUDGED, split, table_of
from scoring import ACCEPT, FIGURES, LISTEN_HERE, calibration, count, matches, pair, total


def finding(
    kind: str, bar: str = "3", at_s: float = 5.0, confidence: float = 0.9, **more: Any
) -> dict[str, Any]:
    return {
        "kind": kind,
        "bar": bar,
        "at_s": at_s,
        "until_s": at_s + 0.5,
        "confidence": confidence,
        "cause": None,
        "places": [],
        "detail": {},
    } | more


def fault(kind: str, bar: str = "3", at_s: float = 5.0, **more: Any) -> dict[str, Any]:
    return {"kind": kind, "bar": bar, "at_s": at_s, "until_s": at_s + 0.5, "cause": None} | more


def truth(
    *faults: dict[str, Any], verdicts: str = "oooo", near: tuple[dict[str, Any], ...] = ()
) -> dict[str, Any]:
    names = {"o": "ok", "w": "wrong", "m": "missed"}
    notes = [
        {"bar": "1", "q": float(k), "verdict": names[v], "on_s": 1.0 + k} for k, v in enumerate(verdicts)
    ]
    return {"notes": notes, "faults": list(faults), "near": list(near)}


def report(*findings: dict[str, Any], verdicts: str = "oooo", late_s: float = 0.0) -> dict[str, Any]:
    names = {"o": "ok", "w": "wrong", "m": "missed"}
    notes = [
        {
            "bar": "1",
            "offset_q": float(k),
            "grace": False,
            "verdict": names[v],
            "heard": {"on_s": 1.0 + k + late_s},
        }
        for k, v in enumerate(verdicts)
    ]
    return {"notes": notes, "findings": list(findings)}


class Matching(unittest.TestCase):
    def test_by_kind_and_by_bar_or_time(self) -> None:
        self.assertTrue(matches(finding("late", "3", 50.0), fault("late", "3")))
        self.assertTrue(matches(finding("late", "9", 5.2), fault("late", "3")))
        self.assertFalse(matches(finding("late", "9", 50.0), fault("late", "3")))
        self.assertFalse(matches(finding("early"), fault("late")))
        self.assertTrue(matches(finding("dot_lost", "1", 0.0, places=["1", "3"]), fault("dot_lost", "3")))

    def test_another_name_for_the_same_is_right_and_only_that_way_round(self) -> None:
        self.assertTrue(matches(finding("wrong_octave"), fault("wrong_note")))
        self.assertFalse(matches(finding("wrong_note"), fault("wrong_octave")))

    def test_one_finding_counts_for_one_fault(self) -> None:
        self.assertEqual(len(pair([finding("late")], [fault("late"), fault("late", at_s=5.1)])), 1)
        self.assertEqual(len(pair([finding("late"), finding("late", at_s=5.2)], [fault("late")])), 1)

    def test_as_many_pairs_as_can_be(self) -> None:
        # The first finding fits both faults, the second only the first of them.
        either, only = finding("wrong_octave", "3"), finding("wrong_note", "3")
        self.assertEqual(len(pair([either, only], [fault("wrong_note", "3"), fault("wrong_octave", "3")])), 2)
        self.assertEqual(len(pair([only, either], [fault("wrong_note", "3"), fault("wrong_octave", "3")])), 2)

    def test_every_name_is_a_kind_of_the_report(self) -> None:
        self.assertLessEqual(
            set(ACCEPT) | {k for v in ACCEPT.values() for k in v} | LISTEN_HERE | UNJUDGED, set(KINDS)
        )


class Counting(unittest.TestCase):
    def test_verdicts_note_by_note(self) -> None:
        row = count(truth(verdicts="owom"), report(verdicts="owwo"))
        self.assertEqual((row["notes"], row["agree"], row["tp"], row["fp"], row["fn"]), (4, 2, 1, 1, 1))
        self.assertEqual(FIGURES["F1 on wrong and missed notes"](total([row])), 0.5)
        self.assertEqual([w[2:] for w in row["wrong_verdicts"]], [("ok", "wrong"), ("missed", "ok")])

    def test_a_report_without_notes_agrees_with_nothing(self) -> None:
        row = count(truth(fault("late")), {"notes": [], "findings": []})
        self.assertEqual((row["agree"], row["hits"], row["faults"]), (0, 0, 1))

    def test_unsure_findings_find_nothing_and_are_no_false_alarms(self) -> None:
        row = count(truth(fault("late")), report(finding("late", confidence=0.4)))
        self.assertEqual((row["hits"], row["findings"], row["false"]), (0, 0, []))
        self.assertEqual(row["confidences"], [(0.4, True)])

    def test_what_is_always_to_be_listened_to_is_found_where_that_is_said(self) -> None:
        row = count(truth(fault("fuzzy")), report(finding("fuzzy", confidence=0.4)))
        self.assertEqual(
            (row["hits"], row["findings"], row["missed"], row["kinds"]["fuzzy"]), (1, 1, [], [1, 1, 0])
        )
        nowhere = count(truth(fault("fuzzy")), report(finding("fuzzy", "9", 90.0, confidence=0.4)))
        self.assertEqual((nowhere["hits"], nowhere["findings"]), (0, 0))

    def test_clean_takes_count_false_and_unsure_apart(self) -> None:
        row = count(truth(), report(finding("late"), finding("early", confidence=0.3)))
        self.assertEqual((row["clean_notes"], row["clean_false"], row["clean_unsure"]), (4, 1, 1))
        self.assertEqual(count(truth(fault("late")), report(finding("early")))["clean_notes"], 0)

    def test_causes_only_where_one_is_said(self) -> None:
        said = finding("rest_short", cause="rest_miscounted")
        for cause, right in (("rest_miscounted", 1), (None, 1), ("air", 0)):
            row = count(truth(fault("rest_short", cause=cause)), report(said))
            self.assertEqual((row["causes"], row["causes_right"]), (1, right), cause)
        self.assertEqual(
            count(truth(fault("rest_short", cause="rest_miscounted")), report(finding("rest_short")))[
                "causes"
            ],
            0,
        )

    def test_near_misses_that_were_reported(self) -> None:
        row = count(truth(near=(fault("late"), fault("uneven", "8", 80.0))), report(finding("late")))
        self.assertEqual((row["near"], row["near_false"]), (2, 1))

    def test_kinds_judged_and_kinds_left_out(self) -> None:
        both = (
            truth(fault("late"), fault("sagging", "7", 70.0)),
            report(finding("late"), finding("unsteady", "9", 90.0)),
        )
        self.assertEqual(count(*both)["findings"], 2)
        self.assertEqual(count(*both, leave=frozenset({"unsteady"}))["findings"], 1)
        only = count(*both, kinds=frozenset({"late"}))
        self.assertEqual((only["faults"], only["hits"], only["findings"]), (1, 1, 1))

    def test_what_a_missed_fault_was_called(self) -> None:
        row = count(truth(fault("late"), fault("uneven", "8", 80.0)), report(finding("early")))
        self.assertEqual(row["confusion"], [("late", "early"), ("uneven", "(nothing)")])

    def test_onset_errors_of_right_notes_only(self) -> None:
        row = count(truth(verdicts="oow"), report(verdicts="oww", late_s=0.01))
        np.testing.assert_allclose(row["onset_errors"], [0.01])


class Calibrating(unittest.TestCase):
    def rows(self, *pairs: tuple[float, bool, int]) -> list[dict[str, Any]]:
        return [{"confidences": [(c, h)] * n} for c, h, n in pairs]

    def test_right_as_often_as_said_has_no_error(self) -> None:
        told = calibration(self.rows((0.8, True, 80), (0.8, False, 20), (0.3, True, 30), (0.3, False, 70)))
        self.assertAlmostEqual(told["error"], 0.0, places=3)
        self.assertGreater(told["area"], 0.7)

    def test_always_sure_and_half_right_is_half_off(self) -> None:
        told = calibration(self.rows((1.0, True, 50), (1.0, False, 50)))
        self.assertAlmostEqual(told["error"], 0.5, places=3)
        self.assertAlmostEqual(told["area"], 0.5, places=3)
        self.assertEqual([b["count"] for b in told["bins"]], [100])

    def test_the_area_is_the_chance_of_the_right_order(self) -> None:
        self.assertEqual(calibration(self.rows((0.9, True, 10), (0.2, False, 10)))["area"], 1.0)
        self.assertEqual(calibration(self.rows((0.2, True, 10), (0.9, False, 10)))["area"], 0.0)

    def test_too_few_say_nothing(self) -> None:
        self.assertIsNone(calibration(self.rows((0.9, True, 5)))["error"])


class Tables(unittest.TestCase):
    def rows(self) -> list[dict[str, Any]]:
        out = []
        for k in range(12):
            row = count(truth(fault("late")), report(*([finding("late")] if k % 3 else [finding("early")])))
            out.append(row | {"failed": 0, "truth": {"instrument": "Flute" if k % 2 else "Tuba"}})
        return out

    def test_intervals_hold_the_value_and_repeat_themselves(self) -> None:
        table = table_of(self.rows(), draws=80)
        value = table["planted faults found"]
        self.assertAlmostEqual(value["value"], 8 / 12, places=3)
        self.assertLess(value["low"], value["value"])
        self.assertGreater(value["high"], value["value"])
        self.assertEqual(table, table_of(self.rows(), draws=80))

    def test_split_by_a_key(self) -> None:
        parts = split(self.rows(), lambda r: [r["truth"]["instrument"]])
        self.assertEqual({k: v["takes"] for k, v in parts.items()}, {"Flute": 6, "Tuba": 6})

    def test_every_component_can_be_switched_off_and_comes_back(self) -> None:
        from jeweller.pipeline import check

        before = check.align
        for name in ("", *ABLATIONS, *SECOND):
            with switched_off(name):
                pass
            self.assertIs(check.align, before)
        with self.assertRaises(KeyError), switched_off("nothing of that name"):
            pass


if __name__ == "__main__":
    unittest.main()
