"""The way through a part, from made-up sounds of a second and from paths written down: what follows and what
does not, where a note gives way to the next, how far a player who was lost may go back.
"""

from __future__ import annotations

import unittest
from collections.abc import Sequence

import numpy as np

from jeweller.alignment.align import Alignment, align
from jeweller.alignment.candidates import Candidates
from jeweller.alignment.decoder import AlignmentPath, PathStep
from jeweller.alignment.note_arrays import make_note_arrays
from jeweller.alignment.segments import StepKind
from jeweller.alignment.tempo import estimate_local_tempo
from jeweller.alignment.tongues import score_tongues
from jeweller.features.extraction import Features, extract_features
from tests.support import line_of

RATE, BEAT_S = 22050, 0.5
LINE = line_of("C5/1 E5/1 D5/1 F5/1 | E5/1 G5/1 F5/1 A5/1 | G5/1 B5/1 A5/1 C6/1 | B5/2 C6/2")
PLAYED = [(n.sounding_midi, float(n.duration)) for n in LINE.main_notes]


def heard(notes: Sequence[tuple[float | None, float]]) -> Alignment:
    """The alignment of tones (MIDI or None for silence, beats) with half a second of silence around them."""
    pieces = [np.zeros(RATE // 2)]
    for midi, beats in notes:
        t = np.arange(round(beats * BEAT_S * RATE)) / RATE
        hz = 440.0 * 2 ** (((midi or 69) - 69) / 12)
        tone = sum(np.sin(2 * np.pi * k * hz * t) / k for k in range(1, 8))
        fade = np.minimum(1.0, np.minimum(t / 0.02, (t[-1] - t) / 0.05))
        pieces.append(0.2 * tone * fade * (midi is not None))
    sound = np.concatenate([*pieces, np.zeros(RATE // 2)]).astype(np.float32)
    pitches = [m for m, _beats in PLAYED]
    return align(LINE, extract_features(sound, min(pitches), max(pitches)), tempo_bpm=60 / BEAT_S)


def items(alignment: Alignment, kind: StepKind) -> list[int]:
    return [step.item for step in alignment.attempts[-1].path.steps if step.kind == kind]


class Following(unittest.TestCase):
    def test_every_note_in_its_place(self) -> None:
        found = heard(PLAYED)
        self.assertTrue(found.followed)
        self.assertEqual(items(found, StepKind.NOTE), list(range(len(PLAYED))))
        local = found.attempts[-1].seconds_per_quarter
        np.testing.assert_allclose(local, BEAT_S, rtol=0.03)

    def test_one_note_that_is_right_is_not_the_part(self) -> None:
        self.assertFalse(heard(PLAYED[:1]).followed)
        self.assertTrue(heard(PLAYED[:4]).followed)

    def test_another_tune_is_not_the_part(self) -> None:
        self.assertFalse(heard([(66.0 + (7 * k) % 5, 1.0) for k in range(14)]).followed)

    def test_a_wrong_note_and_two_left_out_move_nobody_else(self) -> None:
        wrong = [*PLAYED[:5], (PLAYED[5][0] + 1, 1.0), *PLAYED[6:]]
        found = heard(wrong)
        self.assertEqual(items(found, StepKind.WRONG), [5])
        without = heard([*PLAYED[:4], *PLAYED[6:]])
        self.assertEqual(items(without, StepKind.NOTE), [k for k in range(len(PLAYED)) if k not in (4, 5)])

    def test_who_begins_a_bar_again_goes_back_to_it(self) -> None:
        found = heard([*PLAYED[:6], (None, 1.0), *PLAYED[4:]])
        steps = found.attempts[-1].path.steps
        jumps = [k for k, step in enumerate(steps) if step.kind == StepKind.JUMP]
        self.assertEqual(len(jumps), 1)
        after = next(step for step in steps[jumps[0] + 1 :] if step.kind == StepKind.NOTE)
        self.assertEqual(after.item, 4)

    def test_two_whole_tries_are_two_attempts(self) -> None:
        found = heard([*PLAYED, (None, 3.0), *PLAYED])
        self.assertEqual([a.followed for a in found.attempts], [True, True])
        self.assertLess(found.attempts[0].until_s, 9.5)

    def test_a_whole_take_a_tone_too_high_is_one_shift(self) -> None:
        found = heard([(midi + 2, beats) for midi, beats in PLAYED])
        self.assertTrue(found.followed)
        self.assertEqual(set(found.notes.midi - make_note_arrays(LINE).midi), {2})


class Tempo(unittest.TestCase):
    def test_what_stands_between_two_notes_belongs_to_the_time_of_the_first(self) -> None:
        notes = make_note_arrays(LINE)
        frames, steps = [0], []
        for k in range(8):  # each note is followed by a sound that is not written, and by a cough
            for kind, length in ((StepKind.NOTE, 20), (StepKind.EXTRA, 10), (StepKind.JUNK, 20)):
                item = k if kind == StepKind.NOTE else k + 1
                steps.append(
                    PathStep(start=len(frames) - 1, end=len(frames), item=item, kind=kind, pitch=None)
                )
                frames.append(frames[-1] + length)
        nothing = np.zeros(len(frames), np.float32)
        candidates = Candidates(np.array(frames), nothing, nothing, nothing, nothing)
        local = estimate_local_tempo(notes, AlignmentPath(tuple(steps), 0.0), candidates, 0.01, 2.0)
        np.testing.assert_allclose(local[:7], 0.5, rtol=0.02)


class Tongues(unittest.TestCase):
    """A note struck again, and one that swells: the same growth, another dip."""

    RATE, HZ = 22050, 440.0

    def features(self, envelope: np.ndarray) -> Features:
        t = np.arange(len(envelope)) / self.RATE
        tone = sum(np.sin(2 * np.pi * k * self.HZ * t) / k for k in range(1, 8))
        hum = 0.001 * np.random.default_rng(3).standard_normal(len(t))
        return extract_features((0.2 * tone * envelope + hum).astype(np.float32), 60, 76)

    def struck(self, gap_s: float) -> Features:
        t = np.arange(4 * self.RATE) / self.RATE
        envelope = np.clip(np.minimum(t, 4.0 - t) / 0.03, 0, 1)
        return self.features(envelope * np.clip(np.abs(t - 2.0 + gap_s / 2) / gap_s * 2 - 0.8, 0, 1))

    def swelling(self) -> Features:
        t = np.arange(4 * self.RATE) / self.RATE
        edges = np.clip(np.minimum(t, 4.0 - t) / 0.03, 0, 1)
        return self.features(edges * (1.0 + 0.25 * np.sin(2 * np.pi * 5.0 * t)))

    def test_a_tongue_is_told_from_a_swelling(self) -> None:
        struck, swelling = self.struck(0.08), self.swelling()
        near = np.arange(round(1.9 / struck.step_s), round(2.1 / struck.step_s))
        self.assertGreater(float(score_tongues(struck, near).max()), 2.0)
        self.assertLess(float(score_tongues(swelling, near).max()), 0.0)

    def test_one_tongue_is_one_beginning(self) -> None:
        struck = self.struck(0.08)
        near = np.arange(round(1.95 / struck.step_s), round(2.05 / struck.step_s))
        self.assertEqual(int((score_tongues(struck, near) > 0).sum()), 1)


if __name__ == "__main__":
    unittest.main()
