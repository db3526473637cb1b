"""The mark by worked examples, and what stands after a teacher's decisions."""

from __future__ import annotations

import dataclasses
import json
import unittest
from typing import Any

from jeweller.assessment.finding import FACETS, Finding
from jeweller.decisions.records import Added, Decision, DecisionAct, Decisions, added_finding, load, save
from jeweller.decisions.standing import FindingState, apply_decisions
from jeweller.errors import JewellerError
from jeweller.grading.scheme import SCHEMES, add_up_mark, facet_marks, letter_of, scheme_of
from jeweller.library.audit_log import DecisionState
from jeweller.library.summary import explain_mark
from jeweller.report.build import build_report
from jeweller.report.decided import remarked
from tests.support import TempCase, checked_take

# A part of notes, alterations, rests and long notes, without slurs or ornaments.
ASKED = {"notes": 20, "accidentals": 4, "count": 3, "rhythm": 20}


def finding(kind: str, severity: float = 0.5, confidence: float = 0.9, **more: Any) -> Finding:
    return Finding(
        kind=kind,
        bar="3",
        passing=1,
        beat=2.0,
        at_s=1.0,
        until_s=2.0,
        notes=("n1",),
        score_ids=("s1",),
        confidence=confidence,
        severity=severity,
        text=f"{kind} in bar 3.",
        **more,
    )


class Worked(unittest.TestCase):
    """Each mark was added up by hand: a facet loses severity × (1 + habit share × further places) × 0.6, of
    longer takes than eight bars as much less as they are longer; the facets asked for weigh as the scheme says.
    """

    def mark(self, found: list[Finding], bars: int = 8, scheme: str = "even", **told: Any) -> float:
        chosen = scheme_of({"scheme": scheme, **told})
        return float(add_up_mark(found, chosen, bars, ASKED)["value"])

    def test_one_wrong_note(self) -> None:
        # 0.5 × 0.6 = 0.3 off the notes, a quarter of 20: 1.5 off
        self.assertEqual(self.mark([finding("wrong_note")]), 18.5)
        # a short take is not marked harder; one of 24 bars loses a third: 0.5 off
        self.assertEqual(self.mark([finding("wrong_note")], bars=4), 18.5)
        self.assertEqual(self.mark([finding("wrong_note")], bars=24), 19.5)

    def test_a_habit_of_three_places(self) -> None:
        # 0.4 × (1 + 0.25 × 2) × 0.6 = 0.36 off the accidentals, 1.8 of 20: 18.2, in halves 18
        habit = finding("missed_accidental", 0.4, count=3)
        self.assertEqual(self.mark([habit]), 18.0)
        # every further place as dear as the first: 0.72 off, 3.6 of 20: 16.4, in halves 16.5
        self.assertEqual(self.mark([habit], habit_share=1.0), 16.5)
        self.assertEqual(self.mark([habit], habit_share=0.0), 19.0)

    def test_two_findings_in_every_scheme(self) -> None:
        found = [finding("wrong_note", 1.0), finding("rest_short", 0.5)]
        # off the notes 0.6, off the count 0.3; weights of notes, accidentals, count, rhythm by scheme
        for scheme, notes, count, total in (
            ("even", 3, 3, 12),
            ("rhythm-first", 2, 5, 14),
            ("notes-first", 5, 2, 14),
            ("sound-first", 3, 3, 12),
        ):
            with self.subTest(scheme):
                exact = 20 * (1 - (0.6 * notes + 0.3 * count) / total)
                self.assertEqual(self.mark(found, scheme=scheme), round(exact * 2) / 2)
        self.assertEqual(self.mark(found), 15.5)
        self.assertEqual(self.mark(found, scheme="rhythm-first"), 16.0)

    def test_a_facet_loses_all_it_has_at_most(self) -> None:
        self.assertEqual(self.mark([finding("wrong_note", 1.0)] * 4), 15.0)

    def test_what_is_only_to_be_listened_to_and_advice_take_nothing_off(self) -> None:
        self.assertEqual(self.mark([finding("wrong_note", confidence=0.49)]), 20.0)
        self.assertEqual(self.mark([finding("tuned_high")]), 20.0)

    def test_a_sure_finding_counts_where_the_part_asks_nothing(self) -> None:
        # ornaments are not asked: they come in with their weight of 1 beside 4 × 3; 0.3 × 1/13 of 20
        mark = add_up_mark([finding("ornament_wrong")], SCHEMES["even"], 8, ASKED)
        self.assertEqual(mark["value"], 19.5)
        self.assertIn("ornaments", [p["facet"] for p in mark["parts"]])
        facets = facet_marks([finding("ornament_wrong")], 8, ASKED, {"ornaments": 1})
        self.assertEqual(facets["ornaments"], {"asked": 0, "right": 0, "mark": 0.7})
        self.assertIsNone(facets["sound"]["mark"])
        self.assertEqual(set(facets), set(FACETS))

    def test_forms(self) -> None:
        for value, letter in ((93, "A"), (92.5, "B"), (80, "B"), (60, "C"), (40, "D"), (39.5, "E")):
            self.assertEqual(letter_of(value, 100), letter, value)
        for bars, band in ((8, "nearly there"), (80, "polished")):
            loss = [finding("wrong_note", 1.0)]
            self.assertEqual(add_up_mark(loss, SCHEMES["even"], bars, ASKED)["band"], band)
        self.assertEqual(self.mark([finding("wrong_note")], out_of=100), 92.5)

    def test_the_sum_is_told_as_it_was_made(self) -> None:
        report = checked_take().report
        lines = explain_mark(report, DecisionState(), SCHEMES["even"])
        silent = [f for f, v in report["facets"].items() if v["mark"] is None]
        self.assertEqual(sum("Not asked for" in line for line in lines), bool(silent))

    def test_facets_do_not_move_at_the_first_decision_under_another_scheme(self) -> None:
        checked = checked_take()
        scheme = dataclasses.replace(SCHEMES["even"], habit_share=1.0)
        findings = [f.replace(count=4) for f in checked.findings]
        built = build_report(
            checked.case,
            findings,
            checked.recording,
            "take.wav",
            "",
            checked.report["settings"],
            scheme,
            ("1", "8"),
            {n.id for n in checked.line.notes},
        )
        self.assertEqual(remarked(built, findings, scheme)["facets"], built["facets"])
        self.assertNotEqual(remarked(built, findings, SCHEMES["even"])["facets"], built["facets"])


class Standing(unittest.TestCase):
    FOUND = (finding("wrong_note", confidence=0.4), finding("rest_short"))

    def test_each_act(self) -> None:
        key = self.FOUND[0].key
        for act, kind, state, stands, confidence in (
            (DecisionAct.KEEP, "", FindingState.KEPT, True, 1.0),
            (DecisionAct.DISMISS, "", FindingState.DISMISSED, False, 0.4),
            (DecisionAct.CHANGE, "wrong_octave", FindingState.CHANGED, True, 1.0),
        ):
            with self.subTest(act):
                decided = Decisions((Decision(key, act, kind),))
                row, other = apply_decisions(self.FOUND, decided)
                self.assertEqual((row.key, row.state, row.stands), (key, state, stands))
                self.assertEqual(row.finding.confidence, confidence)
                self.assertEqual(other.state, FindingState.OPEN)
                self.assertEqual(row.counts, stands)
                self.assertTrue(other.stands)
        changed = apply_decisions(self.FOUND, decided)[0].finding
        self.assertEqual(
            (changed.kind, changed.cause, changed.text),
            (
                "wrong_octave",
                None,
                "Bar 3, beat 2: wrong octave (changed by the teacher from wrong note).",
            ),
        )

    def test_what_the_teacher_added_stands_last_and_is_taken_away_again(self) -> None:
        added = Added(
            kind="fuzzy", note_id="n", score_id="s", bar="1", passing=1, beat=1.0, at_s=0.0, until_s=1.0
        )
        decided = Decisions().add(added)
        row = apply_decisions(self.FOUND, decided)[-1]
        self.assertEqual((row.state, row.finding.kind, row.counts), (FindingState.ADDED, "fuzzy", True))
        self.assertEqual(decided.restore(added_finding(added).key), Decisions())


class DecisionFiles(TempCase):
    def test_a_file_of_any_shape_is_a_sentence_and_is_left_alone(self) -> None:
        path = self.folder / "d.json"
        one = {"key": "a", "act": "dismiss", "kind": "", "note": ""}
        whole = {"schema": "jeweller.decisions/1", "decisions": [one], "added": []}
        path.write_text(json.dumps(whole))
        self.assertEqual(load(path).decisions[0], Decision("a", DecisionAct.DISMISS))
        for data in (
            [],
            "x",
            None,
            {"schema": "other"},
            {**whole, "decisions": None},
            {**whole, "decisions": [[]]},
            {**whole, "decisions": [{**one, "act": "sing"}]},
            {**whole, "decisions": [{**one, "act": "change"}]},
            {**whole, "decisions": [{**one, "kind": "sneeze"}]},
            {**whole, "decisions": [{**one, "more": 1}]},
            {**whole, "decisions": [{**one, "key": 5}]},
            {**whole, "decisions": [{**one, "note": ["x"]}]},
            {**whole, "decisions": ["one"]},
            {**whole, "added": [{"kind": "wrong_note"}]},
        ):
            text = json.dumps(data)
            with self.subTest(text):
                path.write_text(text)
                with self.assertRaisesRegex(JewellerError, "cannot be read .*; the file was left as it is"):
                    load(path)
                self.assertEqual(path.read_text(), text)

    def test_what_is_saved_is_loaded(self) -> None:
        path = self.folder / "d.json"
        decided = Decisions((Decision("a", DecisionAct.CHANGE, "late", "after all"),))
        save(decided, path)
        self.assertEqual(load(path), decided)


if __name__ == "__main__":
    unittest.main()
