"""The simulated player plays what it is told and says truly what it played; the demo band as a floor under
the ear.
"""

from __future__ import annotations

import json
import unittest

import numpy as np

from jeweller.assets import DEMO
from jeweller.cli.demo import _compare
from jeweller.demo_band import read_band
from jeweller.instruments.table import find_instrument, instruments
from jeweller.pipeline.check import Options, check
from jeweller.simulator.perform import Manner, Plan, perform
from jeweller.synthesis.model import play_model
from jeweller.synthesis.sampler import RATE, Tone, render, sound_names
from tests.test_audio import frequency
from tests.test_ear import LINE, index_of


class Player(unittest.TestCase):
    def test_seeded_and_reproducible(self) -> None:
        plans = (Plan(kind="wrong_note", at=3, amount=2), Plan(kind="restart", at=10, count=3))
        one, two, other = (perform(LINE, Manner(bpm=90), plans, seed) for seed in (4, 4, 5))
        self.assertEqual(one, two)
        self.assertNotEqual(one.tones, other.tones)

    def test_the_truth_is_what_was_played(self) -> None:
        i = index_of("4", 0.0)
        plans = (
            Plan(kind="missed_note", at=2),
            Plan(kind="wrong_note", at=3, amount=4),
            Plan(kind="rest_short", at=i, amount=-1),
            Plan(kind="bar_skipped", at=index_of("5", 0.0), count=6),
        )
        played = perform(LINE, Manner(bpm=90, drift=0.0, jitter_s=0.0), plans, 1)
        self.assertEqual([played.notes[k].verdict for k in (1, 2, 3)], ["ok", "missed", "wrong"])
        self.assertEqual(
            [n.verdict for n in played.notes[index_of("5", 0.0) : index_of("5", 0.0) + 6]], ["missed"] * 6
        )
        a, b = played.notes[i], played.notes[i + 1]
        assert a.on_s is not None and b.on_s is not None
        # the note of one beat, nothing left of its rest
        self.assertAlmostEqual(b.on_s - a.on_s, 60 / 90, delta=0.01)
        self.assertEqual({f.kind for f in played.faults}, {p.kind for p in plans})

    def test_one_tone_at_a_time(self) -> None:
        played = perform(
            LINE, Manner(bpm=90), (Plan(kind="late", at=6, amount=0.3), Plan(kind="extra_note", at=12)), 2
        )
        for a, b in zip(played.tones, played.tones[1:], strict=False):
            self.assertLess(a.off_s - b.on_s, 0.06)

    def test_every_shipped_sound_is_in_tune(self) -> None:
        for name in sound_names():
            for midi in (
                (48.0, 60.3) if name in ("tuba", "bassoon", "trombone", "euphonium") else (67.0, 74.4)
            ):
                sound = render([Tone(on_s=0.0, off_s=4.5, midi=midi)], name, 5.0)
                # By autocorrelation over a steady second behind the sample's loop: the octave of a spectrum's
                # peak is not asked.
                x = sound[int(3.3 * RATE) : int(4.2 * RATE)]
                f = 440 * 2 ** ((midi - 69) / 12)
                lags = np.arange(int(RATE / f * 0.94), int(RATE / f * 1.06) + 2)
                score = [float(np.dot(x[:-lag], x[lag:])) for lag in lags]
                best = float(lags[int(np.argmax(score))])
                self.assertLess(abs(1200 * np.log2(RATE / best / f)), 35, name)

    def test_the_model_keeps_the_given_time(self) -> None:
        model = play_model(LINE, "flute", lambda q: 0.5 + q * 0.6)
        self.assertAlmostEqual(model.onsets[1], 1.1)
        self.assertLess(float(np.abs(model.samples[: int(0.45 * RATE)]).max()), 0.001)
        self.assertAlmostEqual(
            frequency(model.samples[int(0.7 * RATE) : int(1.0 * RATE)], RATE), 466.2, delta=4
        )

    def test_instruments_are_found_by_usual_names(self) -> None:
        for name, wanted in (
            ("2nd Clarinet in Bb", "clarinet"),
            ("Alto Sax 1", "alto-saxophone"),
            ("F Horn", "horn"),
            ("Tenor Saxophone", "tenor-saxophone"),
            ("Tuba", "tuba"),
        ):
            found = find_instrument(name)
            assert found is not None
            self.assertEqual(found.id, wanted)
        self.assertIsNone(find_instrument("harpsichord"))

    def test_brass_fingerings_agree_with_the_partials(self) -> None:
        trumpet = next(i for i in instruments() if i.id == "trumpet")
        # Written C5, G4, E4 are open (sounding two semitones lower); written D5 is 1; B4 is 2.
        self.assertEqual(
            [trumpet.fingering_name(trumpet.fingerings(m - 2)[0][0]) for m in (72, 67, 74, 71)],
            ["open", "open", "valve 1", "valve 2"],
        )
        self.assertEqual(trumpet.same_fingering(70, 65), "open")
        self.assertIsNone(trumpet.same_fingering(70, 72))


class Floor(unittest.TestCase):
    """The demo band, checked anew: a floor, far below what is measured, that catches an ear gone deaf."""

    def test_the_demo_band(self) -> None:
        _, tray = read_band(DEMO)
        found = missed = false = 0
        for take in tray:
            report = check(take.score, take.take, Options(part=take.part)).report
            self.assertTrue(report["followed"], take.take.name)
            a, b, c = _compare(take, report)
            found, missed, false = found + len(a), missed + len(b), false + len(c)
        self.assertGreaterEqual(found / (found + missed), 0.85)
        self.assertLessEqual(false, 3)

    def test_no_verdict_is_stored_with_the_band(self) -> None:
        data = json.loads((DEMO / "band.json").read_text(encoding="utf-8"))
        self.assertTrue(
            all(
                set(t) - {"tray"} == {"file", "player", "title", "score", "part", "planned"}
                for t in data["takes"]
            )
        )
        self.assertGreaterEqual(len({t["part"] for t in data["takes"]}), 7)
        self.assertGreaterEqual(len({t["score"] for t in data["takes"]}), 5)
