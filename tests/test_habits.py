"""Findings explained together, and changes of tempo against a player's own wander: cases made by hand."""

from __future__ import annotations

import dataclasses
import unittest
from typing import Any

import numpy as np

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.counting import assess_count
from jeweller.assessment.finding import SKIPPED_KINDS, Finding
from jeweller.assessment.habits import explain_habits
from jeweller.assessment.messages import texts_of
from jeweller.assessment.trends import find_trends
from jeweller.notation.performance import PerformedPart, perform_past_fine
from jeweller.notes.table import Jump, StruckTie
from tests.test_rules import case_of, line_of, onsets

TUNE = line_of(" | ".join(["C5/1 D5/1 E5/1 F5/1"] * 16))
LONG = line_of(" | ".join(["C5/3 D5/1", "E5/1 F5/1 G5/1 F5/1"] * 6))


def said(found: list[Finding]) -> list[tuple[str, str | None, int]]:
    return [(f.kind, f.cause, f.count) for f in found]


def slip(case: AssessmentContext, i: int, kind: str, **more: Any) -> Finding:
    return case.finding(i, kind, confidence=0.9, severity=0.5, **more)


class Tempo(unittest.TestCase):
    """Each take has a wander of its own, seeded."""

    def case(
        self, wander: float, change: float, begin: int = 24, end: int = 56, *, grows: bool = False
    ) -> AssessmentContext:
        rng = np.random.default_rng(5)
        state, at, when = 0.0, 0.8, []
        for k in range(len(TUNE.main_notes)):
            when.append(at)
            state = 0.9 * state + wander * np.sqrt(1 - 0.81) * rng.standard_normal()
            share = (k - begin + 1) / (end - begin) if grows else 1.0
            at += 60 / 90 * np.exp(state) * ((1 + change * share) if begin <= k < end else 1.0)
        return case_of(TUNE, when)

    def test_a_steady_player_who_slows_by_an_eighth_is_dragging(self) -> None:
        (found,) = find_trends(self.case(0.008, 0.125), set())
        self.assertEqual(found.kind, "dragging")
        self.assertIn(found.bar, ("6", "7", "8"))
        self.assertAlmostEqual(found.detail["from_bpm"], 90, delta=2)
        self.assertAlmostEqual(found.detail["to_bpm"], 80, delta=2)
        self.assertGreater(found.confidence, 0.5)

    def test_one_who_gets_faster_is_rushing(self) -> None:
        self.assertEqual([f.kind for f in find_trends(self.case(0.008, -0.15), set())], ["rushing"])

    def test_what_a_player_wanders_anyway_is_no_change(self) -> None:
        self.assertEqual([f for f in find_trends(self.case(0.008, 0.0), set()) if f.confidence >= 0.5], [])
        self.assertEqual([f for f in find_trends(self.case(0.035, 0.04), set()) if f.confidence >= 0.5], [])

    def test_a_slowing_at_the_very_end_is_an_ending(self) -> None:
        case = self.case(0.008, 0.25, 58, 64, grows=True)
        self.assertEqual([f for f in find_trends(case, set()) if f.confidence >= 0.5], [])

    def test_a_second_change_is_told_too(self) -> None:
        rng, at, when = np.random.default_rng(7), 0.8, []
        for k in range(len(TUNE.main_notes)):
            when.append(at)
            change = 1.25 if 12 <= k < 24 else 0.78 if 36 <= k < 48 else 1.0
            at += 60 / 90 * change * float(np.exp(0.008 * rng.standard_normal()))
        found = [f for f in find_trends(case_of(TUNE, when), set()) if f.confidence >= 0.5]
        self.assertEqual(sorted(f.kind for f in found), ["dragging", "rushing"])
        self.assertEqual({f.kind: f.bar for f in found}, {"dragging": "4", "rushing": "10"})

    def test_one_note_out_of_place_moves_no_tempo(self) -> None:
        when = onsets(TUNE)
        when[30:] = [t + 0.5 for t in when[30:]]
        self.assertEqual([f for f in find_trends(case_of(TUNE, when), set()) if f.confidence >= 0.5], [])

    def test_one_late_note_hides_no_change(self) -> None:
        rng, at, when = np.random.default_rng(3), 0.8, []
        for k in range(len(TUNE.main_notes)):
            when.append(at + 0.25 * (k == 58))
            at += 60 / 90 * (1.22 if 24 <= k < 44 else 1.0) * float(np.exp(0.008 * rng.standard_normal()))
        (found,) = [f for f in find_trends(case_of(TUNE, when), set()) if f.confidence >= 0.5]
        self.assertEqual(found.kind, "dragging")
        self.assertIn(found.bar, ("6", "7"))

    def test_slower_over_more_bars_than_an_ending_takes_is_dragging(self) -> None:
        (found,) = find_trends(self.case(0.008, 0.3, 36, 64, grows=True), set())
        self.assertEqual(found.kind, "dragging")
        self.assertGreater(found.confidence, 0.5)

    def test_a_few_notes_have_no_tempo(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 F5/1")
        self.assertEqual(find_trends(case_of(line, onsets(line)), set()), [])


class Metre(unittest.TestCase):
    """Bars measured by the pace inside them, where no step in the count was told."""

    LINE = line_of(" | ".join(["C5/1 D5/1 E5/1"] * 10), beats=3)

    def case(self, over: float) -> AssessmentContext:
        when, at = [], 0.8
        for n in self.LINE.main_notes:
            when.append(at)
            at += 60 / 90 * (1 + over * (n.offset == 2))
        return case_of(self.LINE, when)

    def test_a_beat_more_in_every_bar_is_another_metre(self) -> None:
        (found,) = explain_habits(self.case(1.0), [])
        self.assertEqual((found.kind, found.cause, found.count), ("metre", "counts_in_another_metre", 9))
        self.assertEqual((found.detail["played"], found.detail["asked"]), (4, 3))

    def test_bars_as_written_or_lengthened_a_little_are_not(self) -> None:
        for over in (0.0, 0.3):
            self.assertEqual(explain_habits(self.case(over), []), [])


class Short(unittest.TestCase):
    """Long notes and rests a count too short by the pace of the others, where few steps were told or none."""

    RESTED = line_of(" | ".join(["C5/1 D5/1 E5/1 r/1"] * 8))

    @staticmethod
    def case(line: PerformedPart, short: frozenset[int]) -> AssessmentContext:
        """A case in which the notes `short`, or the rests behind them, get a count too few."""
        when, at, notes = [], 0.8, line.main_notes
        for i, (n, after) in enumerate(zip(notes, [*notes[1:], None], strict=True)):
            when.append(at)
            beats = float(after.onset - n.onset) if after is not None else 0.0
            at += (beats - (i in short)) * 60 / 90
        return case_of(line, when)

    def test_long_notes_nearly_all_short_are_a_habit_though_two_were_told(self) -> None:
        long = [i for i, n in enumerate(LONG.main_notes) if n.duration == 3]
        case = self.case(LONG, frozenset(long[1:]))
        told = [slip(case, i, "beat_dropped", detail={"written_beats": 3.0}) for i in long[2:4]]
        (found,) = explain_habits(case, [*told, slip(case, 2, "late")])
        self.assertEqual((found.kind, found.cause), ("beat_dropped", "long_notes_short"))
        self.assertEqual((found.count, found.detail["of"], found.detail["heard_beats"]), (5, 6, 2.0))

    def test_two_short_ones_of_six_are_none(self) -> None:
        long = [i for i, n in enumerate(LONG.main_notes) if n.duration == 3]
        self.assertEqual(explain_habits(self.case(LONG, frozenset(long[:2])), []), [])

    def test_rests_left_out_are_a_habit_and_playing_into_them_is_of_it(self) -> None:
        rests = [i for i, n in enumerate(self.RESTED.main_notes) if n.offset == 2]
        case = self.case(self.RESTED, frozenset(rests))
        (found,) = explain_habits(case, [slip(case, rests[2], "rest_filled")])
        self.assertEqual((found.kind, found.cause, found.count), ("rest_short", "rests_not_counted", 7))


class OneCause(unittest.TestCase):
    """What belongs together is told once."""

    def setUp(self) -> None:
        self.case = case_of(LONG, onsets(LONG))

    def test_who_detaches_everything_takes_no_breaths_in_slurs(self) -> None:
        found = [slip(self.case, 1, "not_joined", count=6), slip(self.case, 3, "breath_in_slur")]
        self.assertEqual(said(explain_habits(self.case, found)), [("not_joined", None, 6)])

    def test_gaps_so_long_that_they_seem_breaths_are_of_it_too(self) -> None:
        found = [
            slip(self.case, 1, "tongued_in_slur", count=2),
            slip(self.case, 3, "breath_in_slur", count=5),
        ]
        self.assertEqual(said(explain_habits(self.case, found)), [("tongued_in_slur", None, 7)])

    def test_breath_between_all_notes_is_told_as_that_where_slurs_are_broken_by_it(self) -> None:
        found = [
            slip(self.case, 1, "breath_every_note", count=20),
            slip(self.case, 2, "not_joined", count=4),
            slip(self.case, 3, "breath_in_slur", count=5),
        ]
        self.assertEqual(said(explain_habits(self.case, found)), [("breath_every_note", None, 20)])

    def test_a_breath_beside_one_tongue_is_still_told(self) -> None:
        found = [slip(self.case, 1, "tongued_in_slur"), slip(self.case, 3, "breath_in_slur")]
        self.assertEqual(len(explain_habits(self.case, found)), 2)

    def test_breath_after_every_note_and_notes_that_stop_early_are_air(self) -> None:
        found = [slip(self.case, i, "cut_short") for i in (0, 10, 20)]
        every = slip(self.case, 1, "breath_every_note", count=20)
        self.assertEqual(said(explain_habits(self.case, [*found, every])), [("cut_short", "air", 3)])

    def test_runs_that_always_hurry_are_one_habit_and_two_of_six_are_two_slips(self) -> None:
        def hurried(bar: int) -> Finding:
            run = {"scope": "figure", "notes": 8, "percent": 14, "of": 6}
            return slip(self.case, 4 * bar, "rushing", detail=run)

        (found,) = explain_habits(self.case, [hurried(bar) for bar in range(5)])
        self.assertEqual((found.cause, found.count, len(found.places)), ("runs_squeezed", 5, 5))
        text, _advice = texts_of(found)
        self.assertEqual(text, "Your runs of short notes hurry and then wait for the beat, 5 of 6 times.")
        self.assertEqual(len(explain_habits(self.case, [hurried(0), hurried(3)])), 2)
        text, _advice = texts_of(hurried(0))
        self.assertEqual(
            text, "Bar 1, beat 1: the run of 8 notes hurries, 14 % too fast, and waits for the beat."
        )

    def test_where_long_notes_are_a_count_short_no_tempo_is_told(self) -> None:
        long = [i for i, n in enumerate(LONG.main_notes) if n.duration == 3]
        found = [slip(self.case, i, "beat_dropped", detail={"written_beats": 3.0}) for i in long]
        found.append(slip(self.case, 2, "rushing"))
        self.assertEqual([f.kind for f in explain_habits(self.case, found)], ["beat_dropped"])


class Habits(unittest.TestCase):
    def setUp(self) -> None:
        self.case = case_of(LONG, onsets(LONG))
        self.long = [i for i, n in enumerate(LONG.main_notes) if n.duration == 3]

    def dropped(self, i: int) -> Finding:
        return slip(
            self.case, i, "beat_dropped", detail={"beats": -1.0, "written_beats": 3.0, "heard_beats": 2.0}
        )

    def test_long_notes_that_get_a_count_too_few_are_one_finding(self) -> None:
        found = explain_habits(self.case, [self.dropped(i) for i in self.long])
        self.assertEqual(said(found), [("beat_dropped", "long_notes_short", len(self.long))])
        text, _advice = texts_of(found[0])
        self.assertEqual(text, "Your notes of three counts get two counts, 6 of 6 times.")

    def test_two_of_six_are_two_slips(self) -> None:
        found = explain_habits(self.case, [self.dropped(i) for i in self.long[:2]])
        self.assertEqual([f.count for f in found], [1, 1])

    def test_what_is_not_sure_makes_no_habit(self) -> None:
        doubts = [self.dropped(i).replace(confidence=0.4) for i in self.long]
        self.assertEqual([f.count for f in explain_habits(self.case, doubts)], [1] * len(self.long))

    def test_a_beat_more_in_every_bar_is_another_metre_and_no_tempo(self) -> None:
        line = line_of(" | ".join(["C5/1 D5/1 E5/1"] * 9))
        case = case_of(line, onsets(line))
        ends = [i for i, n in enumerate(line.main_notes) if n.offset == 2]
        found = [slip(case, i, "beat_added", detail={"beats": 1.0}) for i in ends[:-1]]
        found.append(slip(case, 6, "dragging", detail={}))
        (metre,) = explain_habits(case, found)
        self.assertEqual((metre.kind, metre.cause), ("metre", "counts_in_another_metre"))
        self.assertEqual(metre.detail["played"], metre.detail["asked"] + 1)

    def test_long_notes_without_air_swallow_the_breaths_between(self) -> None:
        detail = {"written_beats": 3.0, "heard_beats": 1.4}
        found = [slip(self.case, i, "cut_short", detail=detail) for i in self.long]
        found.append(slip(self.case, 3, "breath_every_note"))
        self.assertEqual(said(explain_habits(self.case, found)), [("cut_short", "air", len(self.long))])

    def octave(self, i: int, down: int = -12) -> Finding:
        detail = {"semitones": down, "written": LONG.main_notes[i].written.known_pitch.name}
        return slip(self.case, i, "wrong_octave", detail=detail)

    def test_a_register_is_lost_from_its_lowest_note_up(self) -> None:
        high = [i for i, n in enumerate(LONG.main_notes) if n.sounding_midi >= 76]
        (found,) = explain_habits(self.case, [self.octave(i) for i in high])
        self.assertEqual(
            (found.cause, found.count, found.detail["of"]), ("register_lost", len(high), len(high))
        )
        self.assertIn("From E5 up every note came out an octave too low", texts_of(found)[0])
        twelfth = explain_habits(self.case, [self.octave(i, -19) for i in high])
        self.assertIn("a twelfth too low", texts_of(twelfth[0])[0])

    def test_one_pitch_low_is_no_register(self) -> None:
        notes = [i for i, n in enumerate(LONG.main_notes) if n.sounding_midi == 76]
        (found,) = explain_habits(self.case, [self.octave(i) for i in notes])
        self.assertEqual((found.cause, found.count, found.detail["of"]), (None, len(notes), len(notes)))

    def accidental(
        self, i: int, kind: str, letter: str, heard: str, source: str, cause: str | None
    ) -> Finding:
        detail = {"letter": letter, "heard_letter": heard, "source": source, "semitones": -1}
        return slip(self.case, i, kind, cause=cause, detail=detail)

    def test_two_signs_forgotten_now_and_then_are_no_other_key(self) -> None:
        # of the notes on E and F some were right: what is in the fingers is there every time
        some = [self.accidental(i, "missed_accidental", "E", "E♭", "key_signature", None) for i in (2, 8)]
        some += [self.accidental(i, "added_accidental", "F", "F♭", "", None) for i in (3, 9)]
        self.assertNotIn("previous_key", [f.cause for f in explain_habits(self.case, some)])

    def test_two_causes_that_sound_alike_stay_two(self) -> None:
        ends = [i for i, n in enumerate(LONG.main_notes) if n.sounding_midi == 76]
        some = [
            self.accidental(ends[0], "missed_accidental", "E", "E♭", "key_signature", "forgot_key_signature"),
            *(
                self.accidental(i, "missed_accidental", "E", "E♭", "printed", "forgot_printed_accidental")
                for i in ends[1:]
            ),
        ]
        causes = {f.cause for f in explain_habits(self.case, some)}
        self.assertEqual(causes, {"forgot_key_signature", "forgot_printed_accidental"})


class Ties(unittest.TestCase):
    def case(self, *nats: float) -> AssessmentContext:
        case = case_of(LONG, onsets(LONG))
        long = [i for i, n in enumerate(LONG.main_notes) if n.duration == 3]
        ties = tuple(
            StruckTie(index=i, at_s=case.sounded(i).on_s + 1.0, nats=v)
            for i, v in zip(long, nats, strict=False)
        )
        return dataclasses.replace(case, table=dataclasses.replace(case.table, ties=ties))

    def test_a_tongue_at_a_tie_is_told_and_its_lack_is_not(self) -> None:
        case = self.case(4.0, -1.5)
        found = [f for f in assess_count(case).findings if f.kind == "tie_struck"]
        self.assertEqual([f.bar for f in found], ["1"])
        self.assertGreater(found[0].confidence, 0.5)

    def test_several_are_one_and_what_they_did_to_the_note_goes(self) -> None:
        case = self.case(4.0, 4.0, 4.0)
        found = [f for f in assess_count(case).findings if f.kind == "tie_struck"]
        short = slip(case, case.index_of[found[0].notes[0]], "cut_short", detail={})
        extra = slip(case, 1, "extra_note", at_s=found[1].at_s + 0.2)
        elsewhere = slip(case, 4, "extra_note", at_s=found[0].at_s + 3.0)
        told = explain_habits(case, [*found, short, extra, elsewhere])
        self.assertEqual(sorted(said(told)), [("extra_note", None, 1), ("tie_struck", None, 3)])
        self.assertIn("3 of 3 times", texts_of(next(f for f in told if f.kind == "tie_struck"))[0])


class Road(unittest.TestCase):
    """Jumps are called by the sign that was passed."""

    def jumped(self, origin_bar: int, target_bar: int, **flags: Any) -> list[tuple[str, str]]:
        bars = list(TUNE.part.bars[:8])
        for index, changes in flags.items():
            k = int(index[1:])
            bars[k] = dataclasses.replace(bars[k], **changes)
        from jeweller.notation.performance import perform_part

        line = perform_part("", dataclasses.replace(TUNE.part, bars=tuple(bars)))
        first = {
            k: next(i for i, n in enumerate(line.main_notes) if n.bar_index == k)
            for k in range(len(line.bars))
        }
        case = case_of(line, onsets(line))
        jump = Jump(9.0, first[origin_bar], first[target_bar])
        case = dataclasses.replace(case, table=dataclasses.replace(case.table, jumps=(jump,)))
        return [
            (f.kind, f.detail.get("how", "")) for f in assess_count(case).findings if f.kind in SKIPPED_KINDS
        ]

    def test_bars_left_out(self) -> None:
        self.assertEqual(self.jumped(2, 4), [("bar_skipped", "")])

    def test_a_repeat(self) -> None:
        self.assertEqual(self.jumped(4, 8, b3={"repeat_times": 2}), [("repeat_skipped", "")])

    def test_an_ending(self) -> None:
        first = {"ending": (1,), "ending_start": True, "ending_stop": "stop", "repeat_times": 2}
        second = {"ending": (2,), "ending_start": True, "ending_stop": "discontinue"}
        # bars 1 2 3 [4] 1 2 3 [5] 6 7 8: from the first ending to the second
        self.assertEqual(self.jumped(3, 7, b3=first, b4=second), [("wrong_ending", "")])

    def test_what_lies_behind_a_fine(self) -> None:
        self.assertIsNone(perform_past_fine(TUNE))
        bars = list(TUNE.part.bars[:6])
        bars[2] = dataclasses.replace(bars[2], fine=True)
        bars[5] = dataclasses.replace(bars[5], dacapo=True)
        from jeweller.notation.performance import perform_part

        line = perform_part("", dataclasses.replace(TUNE.part, bars=tuple(bars)))
        longer = perform_past_fine(line)
        assert longer is not None
        self.assertEqual(len(longer.main_notes) - len(line.main_notes), 12)
        self.assertEqual(longer.main_notes[: len(line.main_notes)], line.main_notes)


if __name__ == "__main__":
    unittest.main()
