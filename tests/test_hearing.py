"""The second hearings: what a stretch of sound is made of, octaves by their partials, several attempts in one
take, a helped take, other pitch references.
"""

from __future__ import annotations

import dataclasses
import unittest
from collections.abc import Callable
from typing import Any, ClassVar

import numpy as np
from scipy.signal import resample_poly

from jeweller.alignment.align import split_attempts
from jeweller.alignment.decoder import AlignmentPath, PathStep
from jeweller.alignment.segments import StepKind
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, calibrate
from jeweller.assessment.settings import AssessmentSettings, make_settings
from jeweller.audio.backing import find_delay, remove_backing
from jeweller.audio.encode import write_sound
from jeweller.documents.plain_text import attempts_sentence
from jeweller.errors import SettingError, TakeError
from jeweller.features.extraction import Features, extract_features
from jeweller.instruments.table import require_instrument
from jeweller.notation.performance import PerformedNote, PerformedPart, perform_part
from jeweller.notes.decomposition import SpectralDecomposition, decompose, shift_spectrum
from jeweller.notes.transitions import measure_crossing
from jeweller.pipeline.check import Options, check, choose_attempt, discount_helped
from jeweller.report.validate import find_problems
from jeweller.simulator.perform import Manner, Plan, perform
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis.additive import RATE as SYNTH_RATE
from jeweller.synthesis.additive import render, voice
from tests.support import (
    RATE,
    TempCase,
    assess_heard,
    changed,
    line_of,
    part_of,
    play,
    score_file,
    sounding,
    straight,
    table_of,
    tone,
)
from tests.test_ear import check as hear_and_judge

MUSIC = (
    "C5/1 D5/1 E5/1 F5/1 | G5/2 E5/1 D5/1 | E5/1 F5/1 D5/1 E5/1 | F5/.5 E5/.5 D5/1 E5/1 C5/1 | D5/1 "
    "E5/1 F5/1 D5/1 | C5/4"
)
LINE = line_of(MUSIC)


def kinds(findings: list[Finding]) -> list[str]:
    return [f.kind for f in findings if f.confidence >= 0.5]


def listened(line: PerformedPart, sound: np.ndarray) -> tuple[Features, SpectralDecomposition]:
    pitches = [n.sounding_midi for n in line.notes]
    features = extract_features(sound.astype(np.float32), min(pitches), max(pitches))
    return features, SpectralDecomposition(features, table_of(line, features).events, min(pitches))


class Repeats(TempCase):
    """Repeats that are not taken, however the search came through music that is there twice."""

    SECTION = "C5/1 D5/1 E5/1 F5/1 | G5/1 F5/1 E5/1 D5/1 | C5/2 E5/2"
    ENDED = f"{SECTION} | D5/1 B4/1 C5/2"
    ENDINGS: ClassVar[dict[int, dict[str, object]]] = {
        0: {"repeat_start": True},
        2: {"ending": (1,), "ending_start": True, "ending_stop": "stop", "repeat_times": 2},
        3: {"ending": (2,), "ending_start": True, "ending_stop": "discontinue"},
    }

    def checked(
        self,
        music: str,
        flags: dict[int, dict[str, object]],
        left_out: Callable[[PerformedNote], bool],
        **changes: str,
    ) -> dict[str, Any]:
        """The report of a take without some of the notes, nor the time for them."""
        part = part_of(music, flags=flags)
        line = perform_part("", part)
        events, at = [], 0.8
        for note in (n for n in line.main_notes if not left_out(n)):
            events.append((at, float(note.duration) * 0.6, note.sounding_midi))
            at += float(note.duration) * 60 / 90
        write_sound(self.folder / "take.wav", sounding(events), RATE)
        return check(
            score_file(self.folder, part),
            self.folder / "take.wav",
            Options(settings=make_settings(changes=changes)),
        ).report

    def told(self, report: dict[str, Any]) -> list[tuple[str, str]]:
        return [(f["kind"], f["text"]) for f in report["findings"] if f["confidence"] >= 0.5]

    def test_at_the_beginning_with_endings_and_at_the_end(self) -> None:
        first = {2: {"repeat_times": 2}}
        once = f"{self.SECTION} | D5/1 E5/1 F5/1 D5/1 | E5/1 G5/1 F5/1 E5/1 | C5/4"
        repeat = ("repeat_skipped", "The repeat from bar 1 to bar 3 was not played.")
        ending = (
            "wrong_ending",
            "The second ending was played the first time; the repeat was left out with it.",
        )
        for music, flags, left_out, said in (
            (once, first, lambda n: n.passing == 2, repeat),
            (self.ENDED, self.ENDINGS, lambda n: n.passing == 2 or n.bar == "3", ending),
            (self.SECTION, first, lambda n: n.passing == 2, repeat),
        ):
            self.assertEqual(self.told(self.checked(music, flags, left_out)), [said])
            self.assertEqual(self.told(self.checked(music, flags, lambda n: False)), [])

    def test_they_may_be_left_out_where_that_is_the_school(self) -> None:
        report = self.checked(
            self.SECTION, {2: {"repeat_times": 2}}, lambda n: n.passing == 2, repeats="free"
        )
        self.assertEqual((self.told(report), report["facets"]["notes"]["asked"]), ([], 10))
        self.assertEqual({n["verdict"] for n in report["notes"][10:]}, {"not_heard"})
        report = self.checked(
            self.ENDED, self.ENDINGS, lambda n: n.passing == 2 or n.bar == "3", repeats="free"
        )
        self.assertEqual(self.told(report), [])
        self.assertTrue(report["heard"]["whole"])

    def test_a_bar_left_out_of_the_second_time_is_a_bar(self) -> None:
        music = f"{self.SECTION} | D5/1 E5/1 F5/1 D5/1 | C5/4"
        report = self.checked(music, {2: {"repeat_times": 2}}, lambda n: (n.bar, n.passing) == ("2", 2))
        self.assertEqual(self.told(report), [("bar_skipped", "Bar 2 was left out.")])


class Explained(unittest.TestCase):
    """A mixture of two known spectra is told apart, and what is not in it is not heard in it."""

    def setUp(self) -> None:
        self.events = straight(LINE, 90)
        self.features, self.mixture = listened(LINE, sounding(self.events))

    def test_shares_of_two_tones_at_once(self) -> None:
        parts = [self.mixture.own(e) for e in self.mixture.known[:3]]
        mixed = np.array([0.7 * parts[0] + 0.3 * parts[1]])
        shares, misfit = decompose(mixed, parts, rounds=60)
        weights = np.array([0.7 * parts[0].sum(), 0.3 * parts[1].sum(), 0.0]) / mixed.sum()
        np.testing.assert_allclose(shares[0], weights, atol=0.06)
        self.assertLess(float(misfit[0]), 0.01)

    def test_what_is_missing_from_the_parts_is_left_over(self) -> None:
        parts = [self.mixture.own(e) for e in self.mixture.known[:3]]
        _, without = decompose(np.array([parts[2]]), parts[:2])
        _, with_it = decompose(np.array([parts[2]]), parts)
        self.assertGreater(float(without[0]), float(with_it[0]) + 0.2)

    def test_a_spectrum_moved_by_an_octave_has_its_partials_there(self) -> None:
        event = self.mixture.known[0]
        own = self.mixture.own(event)
        self.assertAlmostEqual(int(shift_spectrum(own, 12.0).argmax()) / int(own.argmax()), 2.0, delta=0.15)

    def test_only_even_partials_do_not_stand_out_as_the_lower_note(self) -> None:
        event = self.mixture.known[0]
        self.assertGreater(self.mixture.standing_out(event, 2), 15.0)
        octave = [(a, b, c + 12.0) for a, b, c in self.events]
        _, above = listened(LINE, sounding(octave))
        sounded = dataclasses.replace(
            above.known[0], midi=above.known[0].midi - (12.0 if above.known[0].midi > 80 else 0.0)
        )
        self.assertLess(above.standing_out(sounded, 2, 72.0), 2.5)

    def test_a_voice_is_found_near_a_pitch_only(self) -> None:
        self.assertIsNotNone(self.mixture.voice(76.5))
        self.assertIsNone(self.mixture.voice(40.0))

    def test_beyond_the_ends_of_the_recording_there_is_silence(self) -> None:
        frames, times = self.mixture.frames(-0.3, 0.05)
        self.assertEqual(len(frames), len(times))
        self.assertTrue(np.isfinite(frames).all())


class OctaveSlips(unittest.TestCase):
    """An octave up is heard by the missing odd partials, even where the instrument's own are weak."""

    def heard(self, partials: tuple[float, ...], slip: int | None) -> list[str]:
        events = straight(LINE, 90)
        if slip is not None:
            events = changed(events, slip, by=12)
        sound = np.zeros(int(RATE * (events[-1][0] + events[-1][1] + 1.0)), np.float32)
        sound += np.random.default_rng(1).normal(0, 3e-4, len(sound)).astype(np.float32)
        for on, length, midi in events:
            x = tone(midi, length, partials=partials)
            begin = int(on * RATE)
            sound[begin : begin + len(x)] += x[: len(sound) - begin]
        return kinds(hear_and_judge(LINE, sound)[0])

    def test_a_full_sound(self) -> None:
        self.assertEqual(self.heard((1.0, 0.6, 0.4, 0.25, 0.15), 6), ["wrong_octave"])

    def test_weak_odd_partials_are_no_octave(self) -> None:
        self.assertEqual(self.heard((0.1, 1.0, 0.1, 0.4, 0.05), None), [])


class Attempts(TempCase):
    def test_a_way_is_cut_where_the_line_begins_again(self) -> None:
        once = [PathStep(start=k, end=k + 1, item=k, kind=StepKind.NOTE, pitch=60) for k in range(10)]
        jump = [PathStep(start=10, end=10, item=10, kind=StepKind.JUMP, pitch=None)]
        again = [PathStep(start=10 + k, end=11 + k, item=k, kind=StepKind.NOTE, pitch=60) for k in range(10)]
        self.assertEqual(len(split_attempts(AlignmentPath(tuple(once + jump + again), 0.0), 10)), 2)
        # Begun again after a few notes, or broken off soon after: a restart, no second attempt.
        short = [PathStep(start=3, end=3, item=3, kind=StepKind.JUMP, pitch=None)]
        self.assertEqual(len(split_attempts(AlignmentPath(tuple(once[:3] + short + again), 0.0), 10)), 1)
        self.assertEqual(len(split_attempts(AlignmentPath(tuple(once + jump + again[:3]), 0.0), 10)), 1)

    def test_both_are_told_and_the_better_is_judged(self) -> None:
        good = straight(LINE, 90)
        poor = changed(changed(good, 2, by=2), 9, by=-3)
        end = good[-1][0] + good[-1][1] + 1.5
        score = score_file(self.folder, part_of(MUSIC))
        for first, second, judged in ((poor, good, 1), (good, poor, 0)):
            take = self.folder / f"take{judged}.wav"
            write_sound(take, sounding([*first, *((a + end, b, c) for a, b, c in second)]), RATE)
            report = check(score, take).report
            self.assertEqual(find_problems(report), [])
            self.assertEqual([t["judged"] for t in report["attempts"]], [k == judged for k in range(2)])
            self.assertEqual([f for f in report["findings"] if f["confidence"] >= 0.5], [])
            self.assertIn("2 complete attempts", attempts_sentence(report))
            self.assertEqual(report["attempts"][1 - judged]["findings"], 2)


class TheBetter(unittest.TestCase):
    def setUp(self) -> None:
        self.findings, self.case = hear_and_judge(LINE, sounding(changed(straight(LINE, 90), 2, by=2)))
        lost = dataclasses.replace(self.case, table=dataclasses.replace(self.case.table, followed=False))
        self.followed, self.lost = (self.findings, self.case), ([], lost)

    def test_what_does_not_follow_the_part_is_never_the_better(self) -> None:
        self.assertEqual(choose_attempt([self.followed, self.lost]), 0)
        self.assertEqual(choose_attempt([self.lost, self.followed]), 1)

    def test_the_last_of_equals(self) -> None:
        self.assertEqual(choose_attempt([self.followed, self.followed]), 1)

    def test_less_sure_and_the_unsure_last(self) -> None:
        first = self.findings[0]
        many = [first.replace(confidence=c) for c in (0.55, 0.9, 0.3)]
        self.assertEqual([round(f.confidence, 3) for f in discount_helped(many, 0.8)], [0.72, 0.44, 0.24])


class Helped(TempCase):
    """A model that sounds from the loudspeaker is taken out; what the player did is then heard."""

    def setUp(self) -> None:
        super().setUp()
        manner = Manner(bpm=90, lead_s=0.8)

        def played(plans: tuple[Plan, ...], seed: int, number: int) -> np.ndarray:
            p = perform(LINE, manner, plans, seed)
            return render(list(p.tones), voice("trumpet", number), p.seconds, seed, {})

        self.player = put_in_room(
            played((Plan(kind="wrong_note", at=6, amount=2.0), Plan(kind="missed_note", at=13)), 5, 41),
            SYNTH_RATE,
            Room(0.3, 0.1, 45.0, -90.0),
            1,
        )
        self.model = played((), 6, 43)
        room = put_in_room(
            np.pad(self.model, (4000, 0)).astype(np.float32), SYNTH_RATE, Room(0.4, 0.3, 60.0, -90.0), 2
        )
        size = max(len(self.player), len(room))
        self.mixed = np.zeros(size, np.float32)
        self.mixed[: len(self.player)] += self.player
        self.mixed[: len(room)] += 0.5 * room * float(np.sqrt((self.player**2).mean() / (room**2).mean()))

    def test_the_delay_is_found_and_the_sound_taken_out(self) -> None:
        delay, peak = find_delay(self.mixed, self.model)
        self.assertGreater(peak, 25.0)
        taken = remove_backing(self.mixed, self.model, SYNTH_RATE)
        self.assertTrue(taken.heard)
        self.assertAlmostEqual(taken.at_s, delay / SYNTH_RATE)
        left, before = (
            taken.samples[: len(self.player)] - self.player,
            self.mixed[: len(self.player)] - self.player,
        )
        self.assertLess(float((left**2).mean()), 0.1 * float((before**2).mean()))

    def test_another_sound_changes_nothing(self) -> None:
        taken = remove_backing(self.player, np.ascontiguousarray(self.model[::-1]), SYNTH_RATE)
        self.assertFalse(taken.heard)
        np.testing.assert_array_equal(taken.samples, self.player)

    def test_a_check_with_the_backing_hears_the_player(self) -> None:
        score = score_file(self.folder, part_of(MUSIC, name="Trumpet in B♭"))
        write_sound(self.folder / "take.wav", self.mixed, SYNTH_RATE)
        write_sound(self.folder / "model.wav", self.model, SYNTH_RATE)
        report = check(
            score, self.folder / "take.wav", Options(backing=str(self.folder / "model.wav"))
        ).report
        self.assertEqual(find_problems(report), [])
        self.assertEqual(
            sorted(f["kind"] for f in report["findings"] if f["confidence"] >= 0.5),
            ["missed_note", "wrong_note"],
        )
        self.assertTrue(report["take"]["helped"])
        self.assertEqual(report["settings"]["support"], "with_model")
        self.assertTrue(any("taken out" in w for w in report["take"]["warnings"]))
        with self.assertRaises(TakeError):
            check(score, self.folder / "take.wav", Options(backing=str(self.folder / "none.wav")))

    def test_help_that_is_not_known_lowers_confidence(self) -> None:
        score = score_file(self.folder, part_of(MUSIC, name="Trumpet in B♭"))
        write_sound(self.folder / "alone.wav", self.player, SYNTH_RATE)
        alone, with_model = (
            check(score, self.folder / "alone.wav", Options(support=s)).report["findings"]
            for s in ("alone", "with_model")
        )
        self.assertEqual([f["kind"] for f in alone], [f["kind"] for f in with_model])
        self.assertTrue(
            all(b["confidence"] < a["confidence"] for a, b in zip(alone, with_model, strict=True))
        )


class Reference(unittest.TestCase):
    def heard(self, hz: float, reference: str | None) -> list[str]:
        cents = 1200.0 * float(np.log2(hz / 440.0))
        sound = sounding([(a, b, c + cents / 100.0) for a, b, c in straight(LINE, 90)])
        settings = make_settings(changes={"pitch_reference": reference} if reference else {})
        pitches = [n.sounding_midi for n in LINE.notes]
        features = extract_features(sound.astype(np.float32), min(pitches), max(pitches))
        table = table_of(LINE, features, reference_shift=settings.reference_shift)
        self.assertTrue(table.followed)
        return kinds(assess_heard(table, features, require_instrument("Flute"), settings)[0])

    def test_from_415_to_446(self) -> None:
        for hz in (415.0, 430.0, 442.0, 446.0):
            with self.subTest(hz):
                self.assertEqual(self.heard(hz, f"{hz:g}"), [])

    def test_without_being_told_it_is_said(self) -> None:
        self.assertEqual(self.heard(415.0, None), ["wrong_transposition"])
        self.assertEqual(self.heard(446.0, None), ["tuned_high"])

    def test_no_band_tunes_to_that(self) -> None:
        with self.assertRaises(SettingError):
            make_settings(changes={"pitch_reference": "300"})


class Chosen(unittest.TestCase):
    def test_settings_by_name(self) -> None:
        self.assertEqual(make_settings(changes={"trill_first": "upper"}).trill_first, "upper")
        self.assertEqual(make_settings(changes={"tolerance": "gentle"}).early_beats, 0.24)
        for name, value in (
            ("trill_first", "lower"),
            ("tolerance", "harsh"),
            ("articulation", "loud"),
            ("wrong_cents", "many"),
            ("nothing", "1"),
        ):
            with self.subTest(name), self.assertRaises(SettingError):
                make_settings(changes={name: value})

    def test_confidence_rises_with_the_raw_one_and_keeps_the_line(self) -> None:
        values = [calibrate(v) for v in np.linspace(0.0, 1.0, 101)]
        self.assertEqual(values, sorted(values))
        self.assertLess(calibrate(0.499), 0.5)
        self.assertGreaterEqual(calibrate(0.5), 0.5)

    def test_where_a_trill_begins_by_school(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 F5/1 | G5/2t E5/2 | F5/1 D5/1 E5/1 D5/1 | C5/4", bpm=84)
        plans = {"main": (), "upper": (Plan(kind="trill_start", at=4, amount=1.0),)}
        for begins, plan in plans.items():
            played = perform(line, Manner(bpm=84, lead_s=0.8, vibrato_cents=0.0), plan, 3)
            dry = render(list(played.tones), voice("trumpet", 41), played.seconds, 3)
            pitches = [n.sounding_midi for n in line.notes]
            features = extract_features(
                resample_poly(dry, RATE, SYNTH_RATE).astype(np.float32), min(pitches), max(pitches)
            )
            table = table_of(line, features)
            for school in ("either", "main", "upper"):
                with self.subTest(f"{begins} heard, {school} asked"):
                    said = kinds(
                        assess_heard(
                            table,
                            features,
                            require_instrument("Trumpet in B♭"),
                            AssessmentSettings(trill_first=school),
                        )[0]
                    )
                    self.assertEqual(said, ["trill_start"] if school not in ("either", begins) else [])


class Causes(unittest.TestCase):
    def test_an_accidental_of_the_key_before(self) -> None:
        before = part_of("F4/1 G4/1 A4/1 Bb4/1 | C5/1 Bb4/1 A4/1 G4/1", fifths=-1)
        after = part_of("C5/1 B4/1 A4/1 G4/1 | A4/1 B4/1 C5/1 G4/1 | F4/1 G4/1 A4/1 G4/1 | C5/4", fifths=0)
        bars = (
            *before.bars,
            *(dataclasses.replace(b, number=str(k)) for k, b in enumerate(after.bars, len(before.bars) + 1)),
        )
        line = perform_part("", dataclasses.replace(before, bars=bars))
        wrong = next(i for i, n in enumerate(line.main_notes) if n.bar == "3" and n.written_midi == 71)
        findings, _ = hear_and_judge(line, sounding(changed(straight(line, 90), wrong, by=-1)))
        self.assertEqual(
            [(f.kind, f.cause) for f in findings if f.confidence >= 0.5],
            [("added_accidental", "previous_key")],
        )


class NoPause(unittest.TestCase):
    """A take cut tight at both ends, played in one breath: its quietest moments are music too."""

    def test_it_is_heard_and_a_wrong_note_is_found(self) -> None:
        for events, kinds in (
            (straight(LINE, 90, share=1.0), []),
            (changed(straight(LINE, 90, share=1.0), 2, by=2), ["wrong_note"]),
        ):
            a, b = events[0][0] + 0.02, sum(events[-1][:2]) - 0.1
            sound = sounding(events)[round(a * RATE) : round(b * RATE)]
            findings, case = hear_and_judge(LINE, sound)
            self.assertTrue(case.table.followed)
            self.assertEqual([x.kind for x in findings], kinds)


class Empty(unittest.TestCase):
    def test_an_empty_first_note_is_a_later_one_left_out(self) -> None:
        line = line_of("C5/1 C5/1 C5/1 C5/1 | E5/1 F5/1 G5/1 E5/1 | D5/1 E5/1 F5/1 D5/1 | C5/4")
        events = straight(line, 90)
        findings, case = hear_and_judge(line, sounding([*events[:2], *events[3:]]))
        self.assertIsInstance(case, AssessmentContext)
        self.assertEqual([(f.kind, f.bar) for f in findings if f.confidence >= 0.5], [("missed_note", "1")])

    def test_a_sound_of_nothing_is_no_take_apart(self) -> None:
        _, mixture = listened(LINE, play([(0.5, 0.2, 60.0)], 3.0))
        self.assertIsNone(mixture.voice(72.0))


class Joins(unittest.TestCase):
    def crossing(self, on_s: float) -> float:
        """Where two notes cross, dB, of which the first ends at one second and the second begins at
        `on_s`.
        """
        line = line_of("C5/2 E5/2")
        features = extract_features(play([(0.2, 0.8, 72), (on_s, 0.9, 76)], 2.5), 72, 76)
        event = table_of(line, features, tempo_bpm=150).events[0]
        first, second = (dataclasses.replace(event, on_s=at, midi=m) for at, m in ((0.2, 72.0), (on_s, 76.0)))
        return measure_crossing(features, first, second)[0]

    def test_a_slur_crosses_high_and_a_tongued_join_low(self) -> None:
        self.assertGreater(self.crossing(0.97), -6.0)
        self.assertLess(self.crossing(1.05), -15.0)


class SpokenRest(TempCase):
    def test_words_in_a_rest_are_no_fault_of_the_count(self) -> None:
        line = line_of("C5/1 D5/1 r/2 | E5/1 F5/1 r/2 | G5/1 F5/1 E5/1 D5/1 | C5/4")
        notes = straight(line, 90)
        x = sounding(notes)
        rng = np.random.default_rng(4)
        for on, length, _ in (notes[1], notes[3]):
            for k in range(3):
                at = int((on + length + 0.25 + 0.3 * k) * RATE)
                x[at : at + 2200] += (0.05 * rng.standard_normal(2200) * np.hanning(2200)).astype(np.float32)
        findings, _ = hear_and_judge(line, x)
        self.assertEqual([f.kind for f in findings if f.confidence >= 0.5], [])


if __name__ == "__main__":
    unittest.main()
