"""All ways through a part weighed: what leaves no doubt, what does, and what the ear makes of it."""

from __future__ import annotations

import dataclasses
import unittest
from collections.abc import Callable

import numpy as np

from jeweller.alignment.align import AlignedAttempt, align
from jeweller.alignment.posterior import NotePosteriors
from jeweller.alignment.segments import StepKind
from jeweller.assessment.credence import GROUP_OF, MEASURES, measure_credence, weigh
from jeweller.assessment.finding import KINDS, WRONG_KINDS, calibrate
from jeweller.documents.plain_text import explain_text, rival_lines
from jeweller.features.extraction import extract_features
from jeweller.notation.performance import perform_part
from jeweller.pipeline.closeup import look_closer
from tests.support import (
    RATE,
    changed,
    checked_take,
    line_of,
    part_of,
    play,
    sounding,
    straight,
    table_of,
)

TUNE = line_of("C5/1 D5/1 E5/1 E5/1 | G5/1 F5/1 E5/2 | D5/1 E5/1 F5/1 D5/1 | C5/4")


def weighed(sound: np.ndarray) -> tuple[AlignedAttempt, NotePosteriors]:
    attempt = align(TUNE, extract_features(sound, 60, 84)).attempts[-1]
    assert attempt.posteriors is not None
    return attempt, attempt.posteriors


class Ways(unittest.TestCase):
    def test_a_plain_take_leaves_no_doubt(self) -> None:
        _attempt, p = weighed(sounding(straight(TUNE, 90)))
        self.assertGreater(p.written.min(), 0.95)
        self.assertGreater(p.near.min(), 0.8)
        self.assertLess(max(p.missed.max(), p.left_out.max(), p.other.max()), 0.05)

    def test_every_story_of_a_note_together_is_one(self) -> None:
        _attempt, p = weighed(sounding(changed(straight(TUNE, 90), 5, by=1)))
        np.testing.assert_allclose(p.written + p.other + p.missed + p.left_out, 1.0, atol=0.02)

    def test_another_pitch_is_told_as_one(self) -> None:
        _attempt, p = weighed(sounding(changed(straight(TUNE, 90), 5, by=2)))
        self.assertGreater(p.other[5], 0.95)
        self.assertLess(np.delete(p.other, 5).max(), 0.05)

    def test_a_note_that_is_not_there_has_no_one_story(self) -> None:
        events = straight(TUNE, 90)
        del events[8]
        _attempt, p = weighed(sounding(events))
        self.assertLess(p.written[8], 0.8)
        self.assertGreater(np.delete(p.written, 8).min(), 0.9)

    def test_a_note_too_many_is_expected_where_it_is(self) -> None:
        events = changed(straight(TUNE, 90), 6, length=0.4)
        on, length, _midi = events[6]
        _attempt, p = weighed(play([*events, (on + length + 0.05, 0.35, 81)], 13.0))
        self.assertEqual(int(p.extra_before.argmax()), 7)
        self.assertGreater(p.extra_before[7], 0.5)

    def test_two_long_notes_run_together_may_change_anywhere(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 F5/1 | G5/4 | G5/4 | F5/1 E5/1 D5/1 C5/1")
        events = straight(line, 90)
        (on, _length, midi), (later, length, _same) = events[4], events[5]
        joined = [*events[:4], (on, later - on + length, midi), *events[6:]]
        spread = [
            align(line, extract_features(sounding(e), 60, 84)).attempts[-1].posteriors.spread_s[5]
            for e in (joined, events)
        ]
        self.assertGreater(spread[0], 2 * spread[1] + 0.05)

    def test_before_and_after_a_restart_the_last_time_counts(self) -> None:
        events = straight(TUNE, 90)
        again = events[4][0]  # bar 2 is begun, and begun again
        moved = [(on + 3 * 60 / 90, length, midi) for on, length, midi in events[4:]]
        attempt, p = weighed(sounding([*events[:4], *events[4:7], *moved]))
        self.assertGreater(len(attempt.path.steps), len(TUNE.main_notes))
        self.assertGreater(p.written[4], 0.9)
        self.assertGreater(again, 0)


class Credence(unittest.TestCase):
    def test_each_measure_of_a_finding_is_a_number(self) -> None:
        checked = checked_take()
        for f in checked.findings:
            with self.subTest(f.kind):
                measures = measure_credence(checked.case, f)
                if f.notes:
                    assert measures is not None
                    self.assertEqual(len(measures), len(MEASURES))
                    self.assertTrue(np.isfinite(measures).all())

    def test_groups_name_kinds_there_are(self) -> None:
        self.assertLessEqual(set(GROUP_OF), set(KINDS))

    def test_what_the_ways_say_against_a_rule_makes_a_doubt(self) -> None:
        checked = checked_take()
        f = next(f for f in checked.findings if f.kind in WRONG_KINDS)
        story = MEASURES.index("story")
        i = checked.case.index_of[f.notes[0]]
        posteriors = checked.case.table.posteriors
        assert posteriors is not None
        before = measure_credence(checked.case, f)
        self.addCleanup(posteriors.written.__setitem__, i, float(posteriors.written[i]))
        posteriors.written[i] = 0.97
        after = measure_credence(checked.case, f)
        assert before is not None and after is not None
        self.assertLess(after[story], before[story] - 2.0)


class Weighed(unittest.TestCase):
    """What all measures make of a finding, and when they are not asked."""

    def setUp(self) -> None:
        self.checked = checked_take()
        self.found = next(f for f in self.checked.findings if f.kind == "wrong_note")
        self.found = self.found.replace(confidence=0.9, weighed=False)

    def test_a_place_to_listen_to_stays_one(self) -> None:
        doubt = self.found.replace(confidence=0.4, weighed=True)
        self.assertEqual(weigh(self.checked.case, [doubt]), [doubt])

    def test_what_is_left_of_a_backing_is_not_asked(self) -> None:
        case = self.checked.case
        backed = dataclasses.replace(case, table=dataclasses.replace(case.table, backed=True))
        (told,) = weigh(backed, [self.found])
        self.assertEqual(told.confidence, calibrate(0.9))

    def test_what_most_ways_have_as_written_is_no_longer_sure(self) -> None:
        case = self.checked.case
        i = case.index_of[self.found.notes[0]]
        ways = case.table.posteriors
        assert ways is not None
        (before,) = weigh(case, [self.found])
        for values, share in ((ways.written, 0.999), (ways.other, 0.001), (ways.near, 0.2)):
            self.addCleanup(values.__setitem__, i, float(values[i]))
            values[i] = share
        (after,) = weigh(case, [self.found])
        self.assertGreater(before.confidence, 0.9)
        self.assertLess(after.confidence, before.confidence - 0.15)
        stories = {r["story"]: r["share"] for r in after.detail["rivals"]}
        self.assertEqual((stories["as_written"], stories["begins_elsewhere"]), (1.0, 0.8))

    def test_nothing_hardly_likelier_than_not_is_said_surely(self) -> None:
        for f in weigh(self.checked.case, list(self.checked.findings)):
            self.assertFalse(0.5 <= f.confidence < 0.6, (f.kind, f.confidence))


class Ends(unittest.TestCase):
    """A tone is heard to its end: it may fade, and a noise may cover it."""

    LINE = line_of("C5/4 | D5/2 E5/2")

    def length(self, change: Callable[[np.ndarray], None]) -> float:
        """Share of its time for which the first note is heard, its sound changed."""
        sound = sounding(straight(self.LINE, 90))
        change(sound)
        table = table_of(self.LINE, extract_features(sound, 60, 84))
        event = table.event_of(0)
        assert event is not None
        return (event.off_s - event.on_s) / (4 * 60 / 90)

    def test_one_that_fades_and_swells_again_goes_on(self) -> None:
        def fade(sound: np.ndarray) -> None:
            a, b = round(1.3 * RATE), round(2.3 * RATE)
            sound[a:b] *= 10 ** (-15 * np.sin(np.linspace(0, np.pi, b - a)) / 20)

        self.assertGreater(self.length(fade), 0.8)

    def test_one_behind_a_noise_goes_on(self) -> None:
        def cover(sound: np.ndarray) -> None:
            a = round(1.5 * RATE)
            noise = np.random.default_rng(2).standard_normal(round(0.09 * RATE))
            sound[a : a + len(noise)] = 0.3 * noise

        self.assertGreater(self.length(cover), 0.8)

    def test_one_behind_a_long_noise_goes_on_if_the_noise_covers_all(self) -> None:
        def covered_by(below: float) -> Callable[[np.ndarray], None]:
            def cover(sound: np.ndarray) -> None:
                a = round(1.5 * RATE)
                noise = np.random.default_rng(2).standard_normal(round(0.4 * RATE))
                sound[a : a + len(noise)] = below * noise

            return cover

        self.assertGreater(self.length(covered_by(0.3)), 0.8)
        self.assertLess(self.length(covered_by(0.01)), 0.5)  # so soft a noise would let the tone be heard

    def test_one_that_stops_has_stopped(self) -> None:
        def stop(sound: np.ndarray) -> None:
            sound[round(1.8 * RATE) : round(3.4 * RATE)] *= 0.001

        self.assertLess(self.length(stop), 0.5)


class Repeats(unittest.TestCase):
    def test_a_repeat_left_out_is_one_jump_though_no_pitch_tells_it(self) -> None:
        part = part_of("C5/1 D5/1 E5/1 F5/1 | G5/1 E5/1 D5/1 C5/1 | C5/1 D5/1 E5/1 F5/1 | C5/4")
        bars = list(part.bars)
        bars[1] = dataclasses.replace(bars[1], repeat_times=2)
        line = perform_part("", dataclasses.replace(part, bars=tuple(bars)))
        once = [n for n in line.main_notes if n.passing == 1]
        begin, events = 0.8, []
        for n in once:
            events.append((begin, float(n.duration) * 0.6, float(n.sounding_midi)))
            begin += float(n.duration) * 60 / 90
        attempt = align(line, extract_features(sounding(events), 60, 84)).attempts[-1]
        self.assertEqual(sum(x.kind == StepKind.JUMP for x in attempt.path.steps), 1)
        self.assertEqual(attempt.share_right, 1.0)


class Closer(unittest.TestCase):
    def test_rivals_are_told_in_percent(self) -> None:
        checked = checked_take()
        finding = next(f for f in checked.report["findings"] if f["kind"] in WRONG_KINDS)
        (line, *_more) = rival_lines(finding)
        self.assertIn("have another pitch in its place", line)
        self.assertIn(line, explain_text(checked.report, finding))
        finding = {**finding, "detail": {**finding["detail"], "rivals": []}}
        self.assertEqual(rival_lines(finding), [])

    def test_the_picture_holds_what_is_written_and_heard_there(self) -> None:
        checked = checked_take()
        finding = next(f for f in checked.report["findings"] if f["kind"] == "wrong_note")
        closeup = look_closer(checked, finding)
        self.assertEqual(closeup.doubt[0], finding["at_s"])
        self.assertLess(closeup.from_s, finding["at_s"])
        self.assertGreater(closeup.to_s, finding["until_s"])
        note = next(b for b in closeup.written if b.name == finding["detail"]["written"])
        self.assertAlmostEqual(note.from_s, finding["at_s"], delta=0.1)
        self.assertTrue(closeup.above(note))  # it was played four semitones too high
        inside = (closeup.pitch_s > finding["at_s"] + 0.05) & (closeup.pitch_s < finding["until_s"] - 0.05)
        self.assertAlmostEqual(float(np.nanmedian(closeup.pitch[inside])), note.midi + 4, delta=0.2)

    def test_of_several_places_the_first_is_shown(self) -> None:
        checked = checked_take()
        finding = next(f for f in checked.report["findings"] if f["kind"] == "missed_accidental")
        self.assertEqual(finding["count"], 2)
        self.assertLess(look_closer(checked, finding).doubt[1], finding["until_s"] - 0.3)


if __name__ == "__main__":
    unittest.main()
