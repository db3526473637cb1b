"""What a report says of notes and findings that stand beside each other: verdicts, extras, chances, praise; and
which of two findings for one cause is said. No sound is made: everything starts from a note table.
"""

from __future__ import annotations

import dataclasses
import unittest
from typing import Any

import numpy as np

from jeweller.assessment.assess import _in_order, _parsimony
from jeweller.assessment.counting import assess_count
from jeweller.assessment.finding import Finding
from jeweller.assessment.pitches import accidental_kind, assess_tuning
from jeweller.assessment.timing import assess_rhythm
from jeweller.grading.scheme import find_scheme
from jeweller.notation.performance import PerformedPart
from jeweller.notes.table import Jump
from jeweller.report.build import asked_and_wrong, build_report, finding_dict, note_verdicts
from jeweller.report.good import good_things
from tests.support import checked_take, line_of
from tests.test_rules import case_of, kinds, onsets, with_evidence

MUSIC = "C5/1 D5/1 E5/1 F5/1 | G5/1 F5/1 E5/1 D5/1 | C5/1 D5/1 E5/1 F5/1 | G5/2 C5/2"


def finding(kind: str, case: Any, i: int, confidence: float = 0.9, **more: Any) -> Finding:
    """A finding at a main note."""
    found: Finding = case.finding(i, kind, confidence=confidence, severity=more.pop("severity", 0.5), **more)
    return found


class Verdicts(unittest.TestCase):
    def setUp(self) -> None:
        self.line: PerformedPart = line_of(MUSIC)
        self.case = case_of(self.line, onsets(self.line))
        self.ids = [n.id for n in self.case.notes]

    def test_a_sure_finding_stands_before_and_after_an_unsure_one(self) -> None:
        sure, unsure = finding("wrong_note", self.case, 2), finding("wrong_note", self.case, 2, 0.3)
        for found in ([sure, unsure], [unsure, sure]):
            self.assertEqual(note_verdicts(self.case, found)[self.ids[2]], ("wrong", False))
        self.assertEqual(note_verdicts(self.case, [unsure])[self.ids[2]], ("ok", True))
        missed = finding("missed_note", self.case, 3)
        self.assertEqual(note_verdicts(self.case, [missed])[self.ids[3]], ("missed", False))

    def test_a_missed_note_has_no_onset_whatever_sounded_there(self) -> None:
        told = checked_take()
        case, judged = told.case, {n.id for n in told.line.notes}
        given = (
            told.recording,
            "take.wav",
            "",
            told.report["settings"],
            find_scheme("even"),
            ("1", "5"),
            judged,
        )
        gone = build_report(case, [finding("missed_note", case, 1)], *given)["notes"]
        self.assertEqual((gone[1]["verdict"], gone[1]["heard"], gone[1]["timing"]), ("missed", None, None))
        self.assertIsNotNone(gone[2]["heard"])

    def test_a_repeat_that_may_be_left_out_is_no_chance(self) -> None:
        asked, _ = asked_and_wrong(self.case, [])
        free = dataclasses.replace(self.case, left_out=frozenset(self.ids[-4:]))
        self.assertEqual(asked_and_wrong(free, [])[0]["notes"], asked["notes"] - 4)

    def test_an_extra_note_is_counted_among_the_extra_ones(self) -> None:
        extra = dataclasses.replace(self.case.table.events[3], index=None, before=4)
        events = (*self.case.table.events[:4], extra, *self.case.table.events[4:])
        case = with_evidence(self.case, events=events)
        told = finding_dict(finding("extra_note", case, 3, extras=(4,)), case)
        self.assertEqual(told["extras"], [0])

    def test_played_through_is_said_without_a_jump_only(self) -> None:
        said = [g["what"] for g in good_things(self.case, [])]
        self.assertIn("played through from the first bar to the last", said)
        jumped = with_evidence(self.case, jumps=(Jump(3.0, 4, 8),))
        self.assertNotIn(
            "played through from the first bar to the last", [g["what"] for g in good_things(jumped, [])]
        )


class OneCause(unittest.TestCase):
    """Pairs of findings, and which of them is said."""

    def setUp(self) -> None:
        line = line_of(MUSIC)
        self.case = case_of(line, onsets(line))

    def left(self, *found: Finding) -> list[str]:
        return [f.kind for f in _parsimony(self.case, list(found))]

    def test_pairs(self) -> None:
        at = self.case
        wrong, crack = finding("wrong_note", at, 2), finding("cracked", at, 2, detail={"milliseconds": 80})
        self.assertEqual(self.left(finding("out_of_tune", at, 2), wrong), ["wrong_note"])
        self.assertEqual(self.left(finding("late", at, 2), wrong), ["wrong_note"])
        unsure = finding("wrong_note", at, 2, 0.3)
        self.assertEqual(self.left(finding("out_of_tune", at, 2), unsure), ["out_of_tune", "wrong_note"])
        restart = finding("restart", at, 4, at_s=2.0, until_s=5.0)
        pause = finding("hesitation", at, 5, at_s=4.5, until_s=5.5)
        self.assertEqual(self.left(pause, restart), ["restart"])
        self.assertEqual(self.left(finding("early", at, 5, at_s=3.0), restart), ["restart"])
        skipped = finding("bar_skipped", at, 4, notes=(at.notes[4].id, at.notes[5].id))
        self.assertEqual(self.left(finding("missed_note", at, 5), skipped), ["bar_skipped"])
        self.assertEqual(self.left(finding("missed_note", at, 7), skipped), ["missed_note", "bar_skipped"])
        wavers = finding("unsteady", at, 2)
        self.assertEqual(self.left(finding("cut_short", at, 2), wavers), ["unsteady"])
        short = finding("rest_short", at, 3, score_ids=("r",))
        self.assertEqual(self.left(finding("rest_filled", at, 3, score_ids=("r",)), short), ["rest_short"])
        self.assertEqual(self.left(crack, finding("late", at, 6)), ["cracked", "late"])
        inside = finding("extra_note", at, 2, at_s=crack.at_s + 0.02, until_s=crack.at_s + 0.1)
        self.assertEqual(self.left(crack, inside), ["cracked"])  # the crack's own sound
        long = dataclasses.replace(inside, until_s=crack.at_s + 0.5)
        self.assertEqual(self.left(crack, long), ["extra_note"])

    def test_the_worst_is_said_first_and_the_unsure_last(self) -> None:
        light = finding("late", self.case, 1, severity=0.2)
        bad = finding("rest_short", self.case, 6, severity=0.9, detail=REST)
        doubt = finding("late", self.case, 3, 0.3, severity=1.0)
        for found in ([light, bad, doubt], [doubt, light, bad]):
            found = [dataclasses.replace(f, detail=f.detail or {"beats": 0.3}) for f in found]
            self.assertEqual(
                [(f.kind, f.bar) for f in _in_order(self.case, found)],
                [("rest_short", "2"), ("late", "1"), ("late", "1")],
            )


REST = {"written_beats": 2.0, "heard_beats": 1.0, "beats": -1.0}


class Accidentals(unittest.TestCase):
    def kind_of(self, music: str, index: int, heard: int, **options: Any) -> tuple[str, str]:
        line = line_of(music, **options)
        case = case_of(line, onsets(line))
        note = case.notes[index].written
        bar = line.bars[case.notes[index].bar_index].bar
        return accidental_kind(note, note.known_pitch, heard, bar.fifths, case, index)

    def test_where_a_forgotten_alteration_comes_from(self) -> None:
        for music, index, heard, fifths, said in (
            ("Bb4/1 C5/1 D5/2", 0, 71, -2, ("missed_accidental", "key_signature")),
            ("C5/1 F#5/1 G5/2", 1, 77, 0, ("missed_accidental", "printed")),
            ("C5/1 F#5/1 G5/1 F#5/1", 3, 77, 0, ("missed_accidental", "carried")),
            ("C5/1 F5/1 G5/2", 1, 78, 0, ("added_accidental", "")),
            ("C5/1 E5/1 G5/2", 1, 77, 0, ("wrong_note", "")),
            ("Bn4/1 C5/1 D5/2", 0, 70, -2, ("missed_accidental", "printed")),
        ):
            self.assertEqual(self.kind_of(music, index, heard, fifths=fifths), said, music)


class Players(unittest.TestCase):
    def test_a_pitch_that_is_always_so_is_said_less_surely(self) -> None:
        line = line_of("C5/1 E5/1 G5/1 E5/1 | C5/1 E5/1 G5/1 E5/1 | C5/1 E5/1 G5/1 E5/1")
        high = {i: n.sounding_midi + 0.45 for i, n in enumerate(line.main_notes)}
        always = {i: high[i] for i in (0, 4, 8)}  # every C
        once = {i: high[i] for i in (0, 1, 2)}  # one C, and as many notes in all
        told = [
            {f.notes[0]: f.confidence for f in assess_tuning(case_of(line, onsets(line), midi=midi))}
            for midi in (always, once)
        ]
        first = line.main_notes[0].id
        self.assertAlmostEqual(told[0][first], 0.5 * told[1][first])

    def test_an_unsteady_player_is_not_said_to_be_late(self) -> None:
        line = line_of(" | ".join(["C5/1 D5/1 E5/1 F5/1"] * 6))
        rng = np.random.default_rng(5)
        when = onsets(line)
        rough = [t + float(d) for t, d in zip(when, rng.normal(0, 0.06, len(when)), strict=True)]
        rough[10] += 0.16
        steady = list(when)
        steady[10] += 0.16
        self.assertIn(("late", "3"), kinds(assess_rhythm(case_of(line, steady), set())))
        self.assertNotIn(("late", "3"), kinds(assess_rhythm(case_of(line, rough), set())))

    def test_who_moves_on_from_there_is_not_late(self) -> None:
        line = line_of(" | ".join(["C5/1 D5/1 E5/1 F5/1"] * 4))
        when = onsets(line)
        moved = [t + (0.25 if k >= 9 else 0.0) for k, t in enumerate(when)]
        self.assertEqual([k for k in kinds(assess_rhythm(case_of(line, moved), set())) if k[0] == "late"], [])

    def test_a_breath_mark_excuses_a_note_cut_short(self) -> None:
        line = line_of("C5/1 D5/1 E5/2 | F5/4 | G5/1 F5/1 E5/2 | C5/4")
        bars = [
            dataclasses.replace(
                bar, notes=tuple(dataclasses.replace(n, breath_after=n.duration == 4) for n in bar.notes)
            )
            for bar in line.part.bars
        ]
        from jeweller.notation.performance import perform_part

        marked = perform_part("A test", dataclasses.replace(line.part, bars=tuple(bars)))
        for music, said in ((line, True), (marked, False)):
            case = case_of(music, onsets(music), share=0.4)
            found = [k for k in kinds(assess_count(case).findings) if k == ("cut_short", "2")]
            self.assertEqual(bool(found), said)


if __name__ == "__main__":
    unittest.main()
