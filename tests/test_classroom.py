"""What beginners do, told as a teacher would: a take of each family, and the arithmetic of habits."""

from __future__ import annotations

import dataclasses
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from jeweller.alignment.align import leave_others_out
from jeweller.alignment.decoder import AlignmentPath, PathStep
from jeweller.alignment.segments import StepKind
from jeweller.assessment.habits import habit_odds
from jeweller.documents.plain_text import summary_text
from jeweller.errors import SettingError
from jeweller.features.extraction import extract_features
from jeweller.grading.scheme import add_up_mark, find_scheme, scheme_of
from jeweller.library.summary import format_mark, heard_bars
from jeweller.pipeline.check import check
from jeweller.report.advice import praise
from jeweller.report.heard import heard_sentence, measure_heard
from jeweller.report_format import TakeReport
from jeweller.simulator import noises
from jeweller.simulator.classroom import FAMILIES, make_classroom_take, name_classroom_case
from jeweller.simulator.truth import write_take


def told(report: TakeReport) -> list[tuple[str, str | None, int]]:
    """Kind, cause and count of what is said for sure."""
    return [(f["kind"], f["cause"], f["count"]) for f in report["findings"] if f["confidence"] >= 0.5]


class Noises(unittest.TestCase):
    """What else sounds in a classroom: none of it is a tone that could be taken for a note."""

    RATE = 22050

    def heard(self, add: Any, seconds: float = 2.0) -> np.ndarray:
        out = np.zeros(round(seconds * self.RATE), np.float32)
        add(out, self.RATE, 0.5, 0.1, np.random.default_rng(3))
        return out

    def test_a_cough_and_a_chair_sound_where_they_are_put_and_end(self) -> None:
        for add in (noises.cough, noises.chair):
            with self.subTest(add.__name__):
                out = self.heard(add)
                self.assertEqual(float(np.abs(out[: self.RATE // 2]).max()), 0.0)
                self.assertGreater(float(np.abs(out[self.RATE // 2 : self.RATE]).max()), 0.05)
                self.assertEqual(float(np.abs(out[round(1.9 * self.RATE) :]).max()), 0.0)

    def test_a_cough_has_no_pitch(self) -> None:
        features = extract_features(self.heard(noises.cough), 60, 84)
        self.assertLess(float(np.median(features.best[50:80])), 0.8)

    def test_automatic_gain_raises_what_is_soft_and_no_more_than_it_may(self) -> None:
        t = np.arange(6 * self.RATE) / self.RATE
        sound = (0.5 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)
        sound[3 * self.RATE :] *= 0.1  # 20 dB softer
        out = noises.automatic_gain(sound, self.RATE, 14.0)
        loud, soft = (float(np.abs(out[round(a * self.RATE) :][: self.RATE]).max()) for a in (1.0, 4.5))
        self.assertAlmostEqual(20 * np.log10(loud / soft), 6.0, delta=0.5)


class Families(unittest.TestCase):
    """Takes of the tuning range whose case is known by its number."""

    def check(self, family: str, case: str) -> tuple[TakeReport, dict[str, Any]]:
        first = FAMILIES.index(family)
        for number in range(first, first + 60 * len(FAMILIES), len(FAMILIES)):
            if name_classroom_case("tune", number)[0].startswith(case):
                take = make_classroom_take("tune", number)
                break
        else:
            self.fail(f"no case {case} of {family}")
        with tempfile.TemporaryDirectory() as folder:
            out = write_take(dataclasses.replace(take, ending=".flac"), Path(folder))
            return check(out / "score.musicxml", next(out.glob("take.*"))).report, take.truth

    def test_lines_of_few_pitches_are_accused_of_nothing(self) -> None:
        for number in (0, 11, 22, 33):
            take = make_classroom_take("tune", number)
            with tempfile.TemporaryDirectory() as folder:
                out = write_take(dataclasses.replace(take, ending=".flac"), Path(folder))
                report = check(out / "score.musicxml", next(out.glob("take.*"))).report
            self.assertEqual(told(report), [], number)

    def test_half_a_piece_says_which_half_and_is_not_done(self) -> None:
        report, truth = self.check("incomplete", "first half")
        self.assertEqual(report["heard"]["bars"], "-".join(truth["heard"]))
        self.assertEqual((report["heard"]["of"], report["heard"]["whole"]), (16, False))
        self.assertIn("play all of it", praise(report))
        self.assertIn(heard_sentence(report["heard"]), summary_text(report))
        self.assertFalse(any("played through" in g["what"] for g in report["good"]))
        verdicts = [n["verdict"] for n in report["notes"]]
        self.assertEqual(verdicts.count("not_heard"), len(verdicts) - report["heard"]["notes"])

    def test_each_habit_is_one_finding(self) -> None:
        for family, case, kind, cause in (
            ("metre and lengths", "four in three", "metre", "counts_in_another_metre"),
            ("metre and lengths", "rests left out", "rest_short", "rests_not_counted"),
            ("dying tone", "half", "cut_short", "air"),
            ("fingering", "key before", "added_accidental", "previous_key"),
            ("octave", "register", "wrong_octave", "register_lost"),
            ("articulation", "all slurred", "slurred_over_tongue", None),
        ):
            with self.subTest(case):
                said = told(self.check(family, case)[0])
                self.assertEqual([(k, c) for k, c, _count in said], [(kind, cause)])
                self.assertGreater(said[0][2], 2)

    def test_the_road_through_a_part(self) -> None:
        for case, kind in (
            ("past fine", "past_fine"),
            ("no da capo", "jump_skipped"),
            ("ties struck", "tie_struck"),
        ):
            with self.subTest(case):
                self.assertEqual([k for k, _cause, _count in told(self.check("road", case)[0])], [kind])

    def test_what_others_play_and_say_is_nobodys_fault(self) -> None:
        for case in ("student after", "student before", "talk after"):
            with self.subTest(case):
                self.assertEqual(told(self.check("beside", case)[0]), [])


class Odds(unittest.TestCase):
    def test_a_habit_needs_nearly_all_places_or_many(self) -> None:
        self.assertGreater(habit_odds(2, 2), 0)
        self.assertLess(habit_odds(1, 1), 0)
        self.assertLess(habit_odds(3, 10), 0)
        self.assertGreater(habit_odds(8, 10), 0)


class Others(unittest.TestCase):
    def steps(self, *kinds: tuple[StepKind, int]) -> list[PathStep]:
        return [
            PathStep(start=k, end=k + 1, kind=kind, item=item, pitch=None)
            for k, (kind, item) in enumerate(kinds)
        ]

    def test_a_try_that_goes_as_written_stays(self) -> None:
        again = self.steps(
            *[(StepKind.NOTE, k) for k in range(4)],
            (StepKind.JUMP, 4),
            *[(StepKind.NOTE, k) for k in range(3)],
        )
        self.assertEqual(len(leave_others_out(AlignmentPath(tuple(again), 0.0), 4).steps), len(again))

    def test_what_comes_before_the_beginning_and_is_not_written_goes(self) -> None:
        other = self.steps(
            (StepKind.WRONG, 2),
            (StepKind.EXTRA, 3),
            (StepKind.JUMP, 3),
            *[(StepKind.NOTE, k) for k in range(4)],
        )
        kept = leave_others_out(AlignmentPath(tuple(other), 0.0), 4).steps
        self.assertEqual([s.item for s in kept], [0, 1, 2, 3])


class Unheard(unittest.TestCase):
    def test_the_teacher_chooses_whether_the_rest_counts(self) -> None:
        asked = {"notes": 24}
        scheme = find_scheme("even")
        self.assertEqual(add_up_mark([], scheme, 8, asked, 0.5)["value"], 20.0)
        strict = dataclasses.replace(scheme, unheard="not_played")
        mark = add_up_mark([], strict, 8, asked, 0.5)
        self.assertEqual(
            (mark["value"], mark["not_played"], mark["band"]), (10.0, 10.0, "still in the rough")
        )
        self.assertNotIn("not_played", add_up_mark([], strict, 8, asked, 1.0))

    def test_the_tray_and_the_mark_say_which_bars(self) -> None:
        part = {"bars": "1-8", "of": 16, "notes": 24, "notes_of": 48, "gaps": [], "whole": False}
        summary = {"mark": 20.0, "out_of": 20, "band": "polished", "part_heard": part}
        self.assertEqual(heard_bars(summary), "bars 1 to 8 of 16")
        self.assertEqual(format_mark(summary), "polished, 20 of 20, bars 1 to 8 of 16")
        for changes, told in (
            ({"gaps": ["5"]}, "bars 1 to 8 of 16, without bar 5"),
            ({"gaps": ["5"], "of": 8}, "without bar 5"),
            ({"bars": "0-8"}, "the pickup to bar 8 of 16"),
        ):
            self.assertEqual(heard_bars({**summary, "part_heard": {**part, **changes}}), told)
        whole = {**summary, "part_heard": {**part, "whole": True}}
        self.assertEqual((heard_bars(whole), format_mark(whole)), ("", "polished, 20 of 20"))
        self.assertEqual(heard_bars({"mark": 20.0}), "")  # of an earlier version

    def test_another_choice_than_these_two_is_refused(self) -> None:
        self.assertEqual(scheme_of({"unheard": "not_played"}).unheard, "not_played")
        with self.assertRaises(SettingError):
            scheme_of({"unheard": "forgiven"})

    def test_gaps_are_bars_that_were_left_out_whole(self) -> None:
        notes: list[Any] = [
            {"id": f"n{k}", "bar": str(k // 2 + 1), "pass": 1, "grace": False, "verdict": "ok"}
            for k in range(12)
        ]
        for k in (4, 5, 6, 7):
            notes[k]["verdict"] = "missed"
        skipped: Any = {"kind": "bar_skipped", "confidence": 0.9, "notes": ["n4", "n5", "n6", "n7"]}
        heard = measure_heard(notes, [skipped])
        self.assertEqual(
            (heard["bars"], heard["gaps"], heard["notes"], heard["whole"]), ("1-6", ["3-4"], 8, False)
        )
        self.assertEqual(heard_sentence(heard), "Heard: all but bars 3–4.")
        self.assertTrue(np.isfinite(heard["notes_of"]))


if __name__ == "__main__":
    unittest.main()
