"""All ways through a part weighed: what leaves no doubt, what does, and what the ear makes of it."""

from __future__ import annotations

import unittest

import numpy as np

from jeweller.alignment.align import AlignedAttempt, align
from jeweller.alignment.posterior import NotePosteriors
from jeweller.assessment.credence import GROUP_OF, MEASURES, measure_credence
from jeweller.assessment.finding import KINDS, WRONG_KINDS
from jeweller.documents.plain_text import explain_text, rival_lines
from jeweller.features.extraction import extract_features
from jeweller.pipeline.closeup import look_closer
from tests.support import changed, checked_take, line_of, play, sounding, straight

TUNE = line_of("C5/1 D5/1 E5/1 E5/1 | G5/1 F5/1 E5/2 | D5/1 E5/1 F5/1 D5/1 | C5/4")


def weighed(sound: np.ndarray) -> tuple[AlignedAttempt, NotePosteriors]:
    attempt = align(TUNE, extract_features(sound, 60, 84)).attempts[-1]
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
