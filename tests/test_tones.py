"""Held tones, glides and what is made up, by the sound alone: each fault is told by its name, and no other."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from jeweller.booth.made_up import look_at_made_up
from jeweller.warmup.tone import ToneCatcher, find_glides, measure_tone, tone_sentence
from jeweller.warmup.tuner import PitchReading

RATE = 22050


def held(
    seconds: float = 6.0,
    hz: float = 440.0,
    *,
    cents: Any = None,
    db: Any = None,
    rise_s: float = 0.03,
    breath: float = 0.0,
) -> np.ndarray:
    """A tone with silence around it; `cents` and `db` are functions of its time in seconds, 0 to `seconds`."""
    t = np.arange(round(seconds * RATE)) / RATE
    bent = cents(t) if cents is not None else np.zeros_like(t)
    phase = 2 * np.pi * np.cumsum(hz * 2 ** (bent / 1200)) / RATE
    wave = np.sin(phase) + 0.5 * np.sin(2 * phase) + 0.25 * np.sin(3 * phase)
    loud = 10 ** ((db(t) if db is not None else np.zeros_like(t)) / 20)
    edge = np.minimum(1.0, np.minimum(t / rise_s, (seconds - t) / 0.05))
    rng = np.random.default_rng(1)
    air = np.convolve(rng.normal(size=len(t) + 7), np.full(8, 1 / np.sqrt(8)), "valid")  # soft, as breath is
    sound = 0.2 * edge * loud * (wave + breath * air)
    quiet = 1e-4 * rng.normal(size=RATE // 2)
    return np.concatenate([quiet, sound, quiet]).astype(np.float32)


class Held(unittest.TestCase):
    def said(self, counts: int = 8, asked_s: float = 6.0, **how: Any) -> str:
        tone = measure_tone(held(**how), RATE)
        assert tone is not None
        return tone_sentence(tone, asked_s, counts)

    def test_a_good_one_is_told_so(self) -> None:
        self.assertEqual(self.said(), "full length, steady, clear, clean at both ends")
        self.assertEqual(self.said(hz=87.3), "full length, steady, clear, clean at both ends")

    def test_one_that_ends_early_says_how_many_counts_it_had(self) -> None:
        self.assertTrue(self.said(seconds=3.75).startswith("5 counts of 8"))

    def test_each_fault_is_told_and_no_other(self) -> None:
        faults: dict[str, dict[str, Any]] = {
            "the pitch wavers": {"cents": lambda t: 25 * np.sin(2 * np.pi * 2.1 * t)},
            "it sinks by": {"cents": lambda t: -8.0 * t},
            "it rises by": {"cents": lambda t: 8.0 * t},
            "it fades": {"db": lambda t: -3.0 * t},
            "it swells": {"db": lambda t: -18.0 + 3.0 * t},
            "the loudness wavers": {"db": lambda t: 6.0 * np.sin(2 * np.pi * 1.7 * t)},
            "airy or fuzzy": {"breath": 0.3},
            "it begins slowly": {"rise_s": 1.2},
            "it slides in from below": {"cents": lambda t: -110.0 * np.exp(-t / 0.15)},
            "its end sags": {"cents": lambda t: -90.0 * np.exp((t - 6.0) / 0.2)},
        }
        for words, how in faults.items():
            with self.subTest(words):
                parts = self.said(**how).split(", ")
                self.assertTrue(any(p.startswith(words) for p in parts), parts)
                others = [w for w in faults if w != words and any(p.startswith(w) for p in parts)]
                self.assertEqual(others, [], parts)

    def test_what_is_measured_is_what_was_played(self) -> None:
        tone = measure_tone(held(hz=440.0 * 2 ** (17 / 1200), cents=lambda t: -2.0 * t), RATE)
        assert tone is not None
        self.assertEqual(tone.midi, 69)
        self.assertAlmostEqual(tone.cents, 11.0, delta=2.0)
        self.assertAlmostEqual(tone.seconds, 6.0, delta=0.15)
        self.assertAlmostEqual(tone.cents_drift, -10.0, delta=3.0)

    def test_silence_holds_nothing_and_a_buzz_has_no_pitch(self) -> None:
        rng = np.random.default_rng(2)
        self.assertIsNone(measure_tone(1e-4 * rng.normal(size=3 * RATE).astype(np.float32), RATE))
        noise = np.zeros(4 * RATE, np.float32)
        noise[RATE // 2 : -RATE // 2] = 0.1 * rng.normal(size=3 * RATE)
        tone = measure_tone(noise, RATE)
        assert tone is not None
        self.assertIsNone(tone.midi)

    def test_tones_are_caught_one_by_one_in_blocks_of_any_size(self) -> None:
        sound = np.concatenate([held(2.0), held(1.5, 330.0), np.zeros(RATE, np.float32)])
        for size in (441, 882, 5000):
            catcher = ToneCatcher(RATE)
            caught = [
                tone
                for k in range(0, len(sound), size)
                if (tone := catcher.push(sound[k : k + size])) is not None
            ]
            measured = [measure_tone(tone, RATE) for tone in caught]
            self.assertEqual([m.midi if m is not None else None for m in measured], [69, 64], size)


class Glides(unittest.TestCase):
    def readings(self, *pitches: float | None) -> list[PitchReading]:
        return [
            PitchReading(k / 20, None if p is None else 440.0 * 2 ** ((p - 69) / 12), 0.9, -20.0)
            for k, p in enumerate(pitches)
        ]

    def test_three_of_them_are_three_and_each_says_from_where_to_where(self) -> None:
        one = [50 + 0.6 * k for k in range(21)]
        found = find_glides(self.readings(*one, None, *one, None, None, *one))
        self.assertEqual([(round(g.low), round(g.high)) for g in found], [(50, 62)] * 3)
        self.assertEqual(found[0].sentence(-2), "from E3 up to E4 in 1.0 s")

    def test_a_held_note_a_leap_and_a_slide_down_are_none(self) -> None:
        for pitches in ([60.0] * 20, [60.0] * 5 + [72.0] * 5, [72 - 0.6 * k for k in range(21)]):
            self.assertEqual(find_glides(self.readings(*pitches)), [])


class MadeUpOnes(unittest.TestCase):
    def line(self, *notes: tuple[int, float]) -> np.ndarray:
        """(pitch, beats) at 120 a minute, from 0.5 s on."""
        pieces = [np.zeros(RATE // 2)]
        for midi, beats in notes:
            t = np.arange(round(0.5 * beats * RATE)) / RATE
            hz = 440.0 * 2 ** ((midi - 69) / 12)
            edge = np.minimum(1.0, np.minimum(t / 0.01, (t[-1] - t) / 0.04))
            pieces.append(0.2 * edge * (np.sin(2 * np.pi * hz * t) + 0.4 * np.sin(4 * np.pi * hz * t)))
        sound = np.concatenate([*pieces, np.zeros(RATE // 2)])
        return (sound + 1e-4 * np.random.default_rng(3).normal(size=len(sound))).astype(np.float32)

    def test_only_time_and_the_chosen_notes_count(self) -> None:
        made = look_at_made_up(self.line((72, 1), (74, 1), (72, 0.5), (72, 0.5), (74, 1)), [72, 74], 120, 0.5)
        self.assertEqual((made.notes, made.in_time, made.others), (5, 5, ()))
        self.assertIn("Only the chosen notes.", made.sentence(0))

    def test_a_note_that_was_not_chosen_is_named_as_it_is_written(self) -> None:
        made = look_at_made_up(self.line((72, 1), (76, 1), (74, 1)), [72, 74], 120, 0.5)
        self.assertEqual(made.others, (76,))
        self.assertIn("Besides the chosen notes: G♭5", made.sentence(-2))

    def test_what_falls_between_the_beats_is_not_in_time(self) -> None:
        made = look_at_made_up(self.line((72, 1.25), (74, 1), (72, 1)), [72, 74], 120, 0.5)
        self.assertEqual((made.notes, made.in_time), (3, 1))

    def test_nothing(self) -> None:
        made = look_at_made_up(self.line(), [72, 74], 120, 0.5)
        self.assertEqual(made.sentence(0), "Nothing was heard.")


if __name__ == "__main__":
    unittest.main()
