"""The simulated player's music and plans: bars that add up, notes within range, faults of every kind in a
ladder of sizes, rooms and noises as told.
"""

from __future__ import annotations

import unittest
from fractions import Fraction
from pathlib import Path
from typing import ClassVar
from unittest import mock

import numpy as np

from jeweller.assessment.finding import KINDS
from jeweller.instruments.table import Instrument, require_instrument
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.simulator import noises
from jeweller.simulator import recordings as studio
from jeweller.simulator.compose import Style, compose
from jeweller.simulator.faults import COMMON, Planner, plan_faults
from jeweller.simulator.perform import Manner, perform
from jeweller.simulator.plan import FaultTruth, Plan
from jeweller.simulator.recordings import make_take, played_instruments
from jeweller.simulator.room import Room, put_in_room
from jeweller.simulator.truth import gather_faults, write_take
from jeweller.synthesis.sampler import RATE, Tone, render
from tests.support import TempCase

WINDS = played_instruments()


def line_for(seed: int, instrument: Instrument, style: Style | None = None) -> PerformedPart:
    score = compose(seed, instrument, style)
    return perform_part(score.title, score.parts[0])


class Composed(unittest.TestCase):
    def test_bars_add_up_and_notes_are_within_range(self) -> None:
        for seed in range(60):
            instrument = WINDS[seed % len(WINDS)]
            score = compose(seed, instrument)
            for bar in score.parts[0].bars:
                counted = [n for n in bar.notes if not n.grace and not n.chord]
                at = Fraction(0)
                for n in counted:
                    self.assertEqual(n.offset, at, (seed, bar.number))
                    at += n.duration
                self.assertEqual(at, bar.length, (seed, bar.number))
                self.assertTrue(bar.implicit or bar.length == bar.metre.length, (seed, bar.number))
            for n in perform_part("", score.parts[0]).main_notes:
                self.assertTrue(
                    instrument.low - 2 <= n.sounding_midi <= instrument.high + 2,
                    (seed, instrument.id, n.sounding_midi),
                )

    def test_the_same_seed_gives_the_same_music_and_another_other(self) -> None:
        flute = require_instrument("Flute")
        self.assertEqual(compose(5, flute), compose(5, flute))
        self.assertNotEqual(compose(5, flute).parts, compose(6, flute).parts)

    def test_there_is_everything_somewhere(self) -> None:
        lines = [line_for(s, WINDS[s % len(WINDS)]) for s in range(80)]
        notes = [n for line in lines for n in line.main_notes]
        self.assertTrue(any(n.slurred_to_next for n in notes))
        self.assertTrue({"trill"} <= {n.written.ornament for n in notes})
        self.assertTrue(any(g for line in lines for g in line.graces))
        self.assertTrue(any(n.passing == 2 for n in notes))
        self.assertTrue(any(n.fermata for n in notes))
        self.assertTrue(any(b.bar.implicit for line in lines for b in line.bars[:1]))
        self.assertTrue(any(m.kind == "wedge" for line in lines for b in line.bars for m in b.bar.marks))

    def test_plain_is_plain(self) -> None:
        notes = [n for s in range(8) for n in line_for(s, WINDS[s], Style(plain=True)).main_notes]
        self.assertFalse([n for n in notes if n.slurred_to_next or n.written.ornament or n.fermata])


class Planned(unittest.TestCase):
    LINES: ClassVar = [
        (line_for(s, WINDS[s % len(WINDS)], Style(bars=(16, 20))), WINDS[s % len(WINDS)]) for s in range(40)
    ]

    def plans_of(self, kind: str, near: bool = False) -> list[tuple[PerformedPart, Planner, list[Plan]]]:
        out = []
        for k, (line, instrument) in enumerate(self.LINES):
            planner = Planner(line, instrument, np.random.default_rng(k), 80.0, click=True)
            plans = planner.plan(kind, near)
            if plans:
                out.append((line, planner, plans))
        return out

    def test_every_kind_finds_places_and_is_played_as_told(self) -> None:
        for kind in [*COMMON, "wrong_fingering"]:
            with self.subTest(kind):
                found = self.plans_of(kind)
                self.assertTrue(found)
                line, _, plans = found[0]
                played = perform(
                    line, Manner(bpm=80.0, click_bpm=80.0 if kind == "off_click" else 0.0), tuple(plans), 3
                )
                self.assertIn(
                    "wrong_note" if kind == "wrong_fingering" else kind, {f.kind for f in played.faults}
                )
                self.assertTrue(all(t.off_s > t.on_s >= 0 for t in played.tones))
                for f in played.faults:
                    self.assertTrue(0 <= f.at_s <= f.until_s <= played.seconds + 1.0)

    def test_the_kinds_planned_are_kinds_of_the_report(self) -> None:
        self.assertLessEqual(set(COMMON), set(KINDS))

    def test_near_misses_are_no_faults(self) -> None:
        line, instrument = self.LINES[5]
        played = perform(
            line, Manner(bpm=90.0), plan_faults(line, instrument, 90.0, np.random.default_rng(1), 0, 2), 1
        )
        self.assertEqual(played.faults, ())
        self.assertTrue(played.near)

    def test_near_misses_stay_below_the_tolerance(self) -> None:
        limits = {
            "cut_short": lambda p: p.amount > 0.6,
            "out_of_tune": lambda p: abs(p.amount) < 30,
            "uneven": lambda p: 1 / 1.25 < p.amount < 1.25,
            "held_over": lambda p: p.amount < 0.6 * 1.5,
            "sagging": lambda p: p.amount < 22,
            "unsteady": lambda p: p.amount < 10,
        }
        for kind, below in limits.items():
            with self.subTest(kind):
                found = [p for _, _, plans in self.plans_of(kind, near=True) for p in plans]
                self.assertTrue(found)
                self.assertTrue(all(p.near and below(p) for p in found))

    def test_gross_ones_are_beyond_it_in_a_ladder(self) -> None:
        sizes = {abs(p.amount) for _, _, plans in self.plans_of("out_of_tune") for p in plans}
        self.assertGreater(min(sizes), 30)
        self.assertGreaterEqual(len(sizes), 3)
        self.assertTrue(all(p.amount <= 0.5 for _, _, plans in self.plans_of("cut_short") for p in plans))

    def test_a_forgotten_key_signature_is_forgotten_often(self) -> None:
        counts = [
            len(plans)
            for _, _, plans in self.plans_of("missed_accidental")
            if plans[0].cause == "forgot_key_signature"
        ]
        self.assertGreater(max(counts), 2)

    def test_faults_do_not_lie_on_top_of_each_other(self) -> None:
        for k, (line, instrument) in enumerate(self.LINES[:20]):
            plans = plan_faults(line, instrument, 80.0, np.random.default_rng(k), 4, 2)
            singles = [
                p
                for p in plans
                if p.count <= 2
                and p.kind
                not in (
                    "missed_accidental",
                    "dot_lost",
                    "dot_overdone",
                    "tuned_high",
                    "tuned_low",
                    "dynamics_flat",
                    "wrong_transposition",
                    "breath_every_note",
                    "not_joined",
                    "not_detached",
                    "off_click",
                )
            ]
            at = sorted(p.at for p in singles)
            self.assertTrue(all(b - a >= 2 for a, b in zip(at, at[1:], strict=False)), plans)

    def test_a_wrong_fingering_is_one_valve_away_everywhere(self) -> None:
        for line, planner, plans in self.plans_of("wrong_fingering"):
            pitches = {line.main_notes[p.at].sounding_midi for p in plans}
            self.assertEqual(len(pitches), 1)
            midi = pitches.pop()
            self.assertTrue(planner.instrument.one_finger_apart(midi, midi + int(plans[0].amount)))
            self.assertEqual(len(plans), sum(n.sounding_midi == midi for n in line.main_notes))


class Truth(TempCase):
    def test_habits_are_gathered_and_slips_are_not(self) -> None:
        slips = tuple(
            FaultTruth(
                kind=kind, bar=str(k), at_s=float(k), until_s=k + 0.5, cause=cause, notes=(k,), amount=1.0
            )
            for k, (kind, cause) in enumerate(
                [
                    ("dot_lost", None),
                    ("wrong_note", None),
                    ("dot_lost", None),
                    ("wrong_note", None),
                    ("missed_accidental", "forgot_key_signature"),
                    ("missed_accidental", "forgot_key_signature"),
                    ("missed_accidental", "forgot_printed_accidental"),
                    ("missed_accidental", "forgot_printed_accidental"),
                ]
            )
        )
        told = gather_faults(slips)
        self.assertEqual([f["kind"] for f in told].count("dot_lost"), 1)
        self.assertEqual([f["kind"] for f in told].count("wrong_note"), 2)
        self.assertEqual(
            [(f["cause"], len(f["notes"])) for f in told if f["kind"] == "missed_accidental"],
            [("forgot_key_signature", 2), ("forgot_printed_accidental", 1), ("forgot_printed_accidental", 1)],
        )

    def test_a_take_is_reproducible_and_its_sets_share_nothing(self) -> None:
        one, two, other = make_take("tune", 3), make_take("tune", 3), make_take("validation", 3)
        np.testing.assert_array_equal(one.samples, two.samples)
        self.assertEqual(one.truth, two.truth)
        self.assertNotEqual(one.score.parts, other.score.parts)
        self.assertNotEqual(
            (one.truth["seed"], one.truth["sound"]), (other.truth["seed"], other.truth["sound"])
        )
        self.assertFalse(set(studio.VOICES["tune"]) & set(studio.VOICES["test"]))
        self.assertFalse(studio.SAMPLED["tune"] & studio.SAMPLED["validation"])

    def test_written_to_a_folder(self) -> None:
        take = make_take("tune", 4, faults=1)
        folder = write_take(take, self.folder)
        self.assertEqual({p.name.split(".")[0] for p in Path(folder).iterdir()}, {"score", "truth", "take"})

    def test_a_missed_note_makes_no_sound(self) -> None:
        line = line_for(2, require_instrument("Flute"), Style(plain=True))
        whole, without = (
            perform(line, Manner(bpm=90), (), 1),
            perform(line, Manner(bpm=90), (Plan(kind="missed_note", at=3),), 1),
        )
        self.assertEqual(len(whole.tones) - 1, len(without.tones))


class Surroundings(unittest.TestCase):
    def test_a_room_rings_as_long_as_it_says(self) -> None:
        click = np.zeros(3 * RATE, np.float32)
        click[1000] = 1.0
        tails = []
        for seconds in (0.3, 1.2):
            wet = put_in_room(click, RATE, Room(seconds, 0.4, 90.0, -90.0), 1)
            energy = np.cumsum(wet[::-1].astype(float) ** 2)[::-1]
            tails.append(float(np.argmax(energy < 1e-4 * energy[1000])) / RATE)
        self.assertLess(2.0 * tails[0], tails[1])

    def test_noise_is_as_loud_as_told(self) -> None:
        sound = (0.2 * np.sin(np.arange(2 * RATE) * 0.1)).astype(np.float32)
        sound[RATE:] = 0
        loud, soft = (
            put_in_room(sound, RATE, Room(0.2, 0.05, snr, -90.0), 1)[int(1.6 * RATE) :].std()
            for snr in (20.0, 40.0)
        )
        self.assertAlmostEqual(20 * np.log10(loud / soft), 20.0, delta=2.0)

    def test_clicks_words_and_clipping(self) -> None:
        out = np.zeros(3 * RATE, np.float32)
        noises.clicks(out, RATE, [0.5, 1.5], 0.2, 0)
        for at in (0.5, 1.5):
            self.assertGreater(float(np.abs(out[int(at * RATE) : int((at + 0.03) * RATE)]).max()), 0.05)
        self.assertEqual(float(np.abs(out[int(0.8 * RATE) : int(1.4 * RATE)]).max()), 0.0)
        spoken = np.zeros(RATE, np.float32)
        noises.say(spoken, RATE, [0.2], 0.25, 0.1, np.random.default_rng(0))
        self.assertGreater(
            float(spoken[int(0.25 * RATE) : int(0.4 * RATE)].std()),
            10 * float(spoken[: int(0.15 * RATE)].std() + 1e-6),
        )
        wave = np.sin(np.arange(RATE) * 0.05).astype(np.float32)
        clipped = noises.clip(wave, 0.5)
        self.assertGreater(float((np.abs(clipped) >= np.abs(clipped).max() * 0.999).mean()), 0.3)

    def test_a_slurred_tone_has_no_attack_of_its_own(self) -> None:
        def growth(slurred: bool) -> float:
            x = render(
                [Tone(on_s=0.2, off_s=0.8, midi=69), Tone(on_s=0.8, off_s=1.4, midi=71, slurred=slurred)],
                "clarinet",
                2.0,
            )
            level = np.array(
                [x[int(t * RATE) : int((t + 0.02) * RATE)].std() for t in np.arange(0.76, 0.9, 0.01)]
            )
            return float(level.min() / level.max())

        self.assertGreater(growth(True), growth(False))

    def test_the_bank_is_looked_for_where_it_is(self) -> None:
        with (
            mock.patch.object(
                studio.sampler, "render", side_effect=FileNotFoundError("no such bank")
            ) as asked,
            self.assertRaises(FileNotFoundError),
        ):
            for number in range(20):
                make_take("tune", number, bank=Path("/nowhere"))
        self.assertEqual(asked.call_args.kwargs["folder"], Path("/nowhere"))


if __name__ == "__main__":
    unittest.main()
