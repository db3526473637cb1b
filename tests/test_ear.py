"""Hearing, table and judging against hand-made sounds of a synthesis the program does not know, and their
invariants.
"""

from __future__ import annotations

import unittest

import numpy as np

from jeweller.alignment.note_arrays import make_note_arrays
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import SURE, Finding
from jeweller.assessment.settings import AssessmentSettings, make_settings
from jeweller.features.extraction import extract_features, hz_to_midi, midi_to_hz
from jeweller.instruments.table import instrument_for, require_instrument
from jeweller.notation.performance import PerformedPart
from jeweller.notes.table import NoteTable
from tests.support import RATE, assess_heard, changed, line_of, play, sounding, straight, table_of, tone

TUNE = """Bb4/1 C5/1 D5/.5 Eb5/.5 F5/1 | G5/1.5 F5/.5 Eb5/1 D5/1 | C5/.5 C5/.5 D5/.5 Eb5/.5 F5/2 | D5/1 r/1 Bb4/1 C5/1 |
          Eb5/.5 D5/.5 C5/.5 D5/.5 Eb5/1 G5/1 | F5/2 r/2 | G5/1 Eb5/1 C5/1 A4/1 | Bb4/4"""
LINE = line_of(TUNE, fifths=-2)


def check(
    line: PerformedPart, sound: np.ndarray, settings: AssessmentSettings | None = None, name: str = "Flute"
) -> tuple[list[Finding], AssessmentContext]:
    pitches = [n.sounding_midi for n in line.notes]
    features = extract_features(sound.astype(np.float32), min(pitches), max(pitches))
    table = table_of(line, features)
    if not table.followed:
        return [], AssessmentContext(
            table=table,
            settings=settings or AssessmentSettings(),
            instrument=require_instrument(name),
        )
    return assess_heard(
        table,
        features,
        instrument_for(name, 0, min(pitches), max(pitches)),
        settings or AssessmentSettings(),
    )


def kinds(findings: list[Finding]) -> list[tuple[str, str]]:
    return [(f.kind, f.bar) for f in findings if f.confidence >= SURE]


def index_of(bar: str, q: float, line: PerformedPart = LINE) -> int:
    return next(i for i, n in enumerate(line.main_notes) if n.bar == bar and float(n.offset) == q)


class Hearing(unittest.TestCase):
    def test_pitch_of_steady_tones(self) -> None:
        for midi in (34.0, 46.2, 60.0, 69.3, 84.0, 95.0):
            with self.subTest(midi):
                f = extract_features(tone(midi, 1.0), round(midi) - 2, round(midi) + 2)
                middle = f.f0[20:80]
                self.assertLess(abs(float(np.nanmedian(middle)) - midi), 0.06)
                self.assertGreater(float(np.median(f.best[20:80])), 0.98)

    def test_a_missing_fundamental_and_a_loud_octave_are_still_that_pitch(self) -> None:
        for partials in ((0.0, 1.0, 0.8, 0.6), (0.3, 1.0, 0.2, 0.5)):
            f = extract_features(tone(55, 1.0, partials=partials), 50, 60)
            self.assertAlmostEqual(float(np.nanmedian(f.f0[20:80])), 55.0, delta=0.1)

    def test_attacks_stand_out(self) -> None:
        f = extract_features(play([(0.5, 0.4, 60), (1.0, 0.4, 60)], 2.0), 58, 62)
        for at in (0.5, 1.0):
            k = round(at / f.hop_s)
            self.assertGreater(float(f.flux[k - 6 : k + 7].max()), 0.8)
        self.assertLess(float(f.flux[round(0.65 / f.hop_s) : round(0.85 / f.hop_s)].max()), 0.2)

    def test_conversion_is_its_own_inverse(self) -> None:
        self.assertAlmostEqual(float(hz_to_midi(midi_to_hz(61.7))), 61.7)
        self.assertAlmostEqual(float(midi_to_hz(69)), 440.0)


class Perfect(unittest.TestCase):
    def test_a_perfect_performance_has_no_findings_at_any_speed(self) -> None:
        for bpm in (50, 90, 150):
            with self.subTest(bpm):
                findings, case = check(LINE, sounding(straight(LINE, bpm)))
                self.assertEqual([(f.kind, f.bar, f.confidence) for f in findings], [])
                self.assertAlmostEqual(60 / case.table.take_spq, bpm, delta=0.02 * bpm)
                for i, (on, _, _) in enumerate(straight(LINE, bpm)):
                    event = case.event(i)
                    assert event is not None
                    self.assertAlmostEqual(event.on_s, on, delta=0.03)

    def test_slurs_ties_pickup_repeat_and_compound_time(self) -> None:
        music = (
            "G4/.5 | C5/.5( D5/.5 E5/.5) G5/1_ G5/.5 | A5/.5( G5/.5 F5/.5) E5/1.5 | D5/.75( E5/.25) "
            "D5/.5 C5/1"
        )
        line = line_of(music, beats=6, beat_type=8, flags={1: {"repeat_start": True}, 2: {"repeat_times": 2}})
        events = straight(line, 100)
        for i, note in enumerate(line.main_notes):
            if note.slurred_to_next:
                events[i] = (events[i][0], float(note.duration) * 0.6 + 0.01, events[i][2])
        findings, _ = check(line, sounding(events))
        self.assertEqual(kinds(findings), [])

    def test_ornaments_played_as_written(self) -> None:
        line = line_of("C5/1 {D5}E5/1 F5/1 E5/1 | G5/2t E5/2 | {F5}E5/1 D5/1 C5/1 B4/1 | C5/2t E5/2 | C5/4")
        events = []
        waiting: list[int] = []
        for note in line.notes:
            on, length = 0.8 + float(note.onset) * 0.7, float(note.duration) * 0.7 * 0.9
            if note.grace:
                waiting.append(note.sounding_midi)
                continue
            for midi in waiting:
                on0, length0, midi0 = events[-1]
                events[-1] = (on0, min(length0, on - 0.1 - on0), midi0)
                events.append((on - 0.09, 0.085, float(midi)))
            waiting = []
            if note.written.ornament == "trill":
                steps = round(length / 0.1)
                events += [
                    (on + k * 0.1, 0.098, float(note.sounding_midi + 2 * (k % 2))) for k in range(steps)
                ]
            else:
                events.append((on, length, float(note.sounding_midi)))
        findings, case = check(line, sounding(events))
        self.assertEqual(kinds(findings), [])
        trill = case.event(4)
        assert trill is not None
        self.assertGreater(trill.off_s - trill.on_s, 1.0)
        plain = straight(line, 60 / 0.7)
        self.assertEqual(
            sorted(kinds(check(line, sounding(plain))[0])),
            [("grace_missed", "1"), ("grace_missed", "3"), ("trill_missed", "2"), ("trill_missed", "4")],
        )

    def test_shifting_in_time_changes_only_times(self) -> None:
        events = changed(straight(LINE, 90), index_of("3", 1.0), by=2)
        early, late = (check(LINE, sounding([(a + d, b, c) for a, b, c in events]))[0] for d in (0.0, 1.37))
        self.assertEqual(kinds(early), kinds(late))
        self.assertAlmostEqual(late[0].at_s - early[0].at_s, 1.37, delta=0.02)

    def test_transposing_score_and_sound_together_changes_nothing(self) -> None:
        for by in (-17, -5, 12):
            line = line_of(TUNE, fifths=-2, chromatic=by)
            events = changed(straight(line, 90), index_of("3", 1.0), by=2)
            self.assertEqual(kinds(check(line, sounding(events))[0]), [("wrong_note", "3")])


class OneFault(unittest.TestCase):
    """Adding one fault adds its finding and no other."""

    def expect(
        self,
        events: list[tuple[float, float, float]],
        wanted: list[tuple[str, str]],
        line: PerformedPart = LINE,
    ) -> list[Finding]:
        findings, _ = check(line, sounding(events))
        self.assertEqual(kinds(findings), wanted)
        return findings

    def setUp(self) -> None:
        self.plain = straight(LINE, 90)
        self.beat = 60 / 90

    def test_notes_and_accidentals(self) -> None:
        cases = [
            (("1", 1.0), 4, "wrong_note"),
            (("2", 3.0), 12, "wrong_octave"),
            (("2", 3.0), -12, "wrong_octave"),
            (("2", 2.0), 1, "missed_accidental"),
            (("7", 2.0), 1, "added_accidental"),
            (("5", 2.0), -1, "wrong_note"),
        ]
        for (bar, q), by, kind in cases:
            with self.subTest(kind, by=by):
                self.expect(changed(self.plain, index_of(bar, q), by=by), [(kind, bar)])

    def test_a_key_signature_forgotten_is_one_habit_with_its_places(self) -> None:
        events = self.plain
        for bar, q in (("1", 2.5), ("2", 2.0), ("7", 1.0)):
            events = changed(events, index_of(bar, q), by=1)
        found = self.expect(events, [("missed_accidental", "1")])[0]
        self.assertEqual(
            (found.count, found.places, found.detail["of"], found.cause),
            (3, ("1", "2", "7"), 6, "forgot_key_signature"),
        )
        self.assertEqual(
            found.text, "Bars 1, 2 and 7: E natural sounded; the key signature says E flat, 3 of 6 times."
        )

    def test_left_out_and_too_many(self) -> None:
        i = index_of("2", 2.0)
        self.expect([*self.plain[:i], *self.plain[i + 1 :]], [("missed_note", "2")])
        at, length, _ = self.plain[index_of("3", 2.0)]
        cut = changed(self.plain, index_of("3", 2.0), length=0.55)
        self.expect([*cut, (at + 0.62 * length, 0.3, 81)], [("extra_note", "3")])

    def test_steps_in_the_count_are_one_finding_on_the_rest(self) -> None:
        short = self.expect(changed(self.plain, index_of("4", 2.0), shift=-self.beat), [("rest_short", "4")])[
            0
        ]
        self.assertEqual((short.detail["written_beats"], round(short.detail["heard_beats"])), (1.0, 0))
        self.expect(changed(self.plain, index_of("7", 0.0), shift=self.beat), [("rest_long", "6")])

    def test_pauses_and_long_notes(self) -> None:
        self.expect(changed(self.plain, index_of("5", 1.0), shift=1.4 * self.beat), [("hesitation", "5")])
        self.expect(changed(self.plain, index_of("3", 2.0), length=0.4), [("cut_short", "3")])
        self.expect(changed(self.plain, index_of("6", 0.0), length=2.0), [("rest_filled", "6")])
        held = changed(
            changed(self.plain, index_of("3", 2.0), length=1.55), index_of("4", 0.0), shift=self.beat
        )
        self.expect(held, [("held_over", "3")])

    def test_a_single_note_late_or_early_but_not_within_the_tolerance(self) -> None:
        i = index_of("2", 2.0)
        # one tone at a time: it ends where the next begins
        self.expect(changed(self.plain, i, later=0.36 * self.beat, length=0.6), [("late", "2")])
        self.expect(
            changed(changed(self.plain, i, later=-0.3 * self.beat), i - 1, length=0.4), [("early", "2")]
        )
        self.expect(changed(self.plain, i, later=0.12 * self.beat), [])

    def test_restart_and_skipped_bar(self) -> None:
        i = index_of("5", 0.0)
        broken = self.plain[i : i + 3]
        after = broken[-1][0] + 1.2 - self.plain[i][0] + 0.6
        again = [*self.plain[: i + 3], *[(a + after, b, c) for a, b, c in self.plain[i:]]]
        self.expect(again, [("restart", "5")])
        j = index_of("6", 0.0)
        gap = self.plain[j][0] - self.plain[i][0]
        self.expect(
            [*self.plain[:i], *[(a - gap, b, c) for a, b, c in self.plain[j:]]], [("bar_skipped", "5")]
        )

    def test_rhythm_over_several_notes(self) -> None:
        dotted = line_of(
            "C5/.75 D5/.25 E5/1 F5/.75 E5/.25 D5/1 | E5/.75 F5/.25 G5/1 A5/.75 G5/.25 F5/1 | E5/1 "
            "D5/1 C5/2 | E5/1 F5/1 G5/1 r/1 | C5/1 D5/1 E5/2"
        )
        events = straight(dotted, 80)
        for i, note in enumerate(dotted.main_notes):
            if float(note.duration) == 0.25:
                events = changed(changed(events, i, later=-0.25 * 0.75, length=1.9), i - 1, length=0.65)
        found = self.expect(events, [("dot_lost", "1")], dotted)[0]
        self.assertEqual((found.count, found.detail["of"]), (4, 4))
        running = line_of(
            "C5/.5 D5/.5 E5/.5 F5/.5 G5/.5 A5/.5 G5/.5 F5/.5 | E5/1 D5/1 C5/2 | E5/1 F5/1 G5/2 | "
            "C5/1 D5/1 E5/1 r/1 | G5/1 E5/1 C5/2"
        )
        events = straight(running, 80)
        for i in (1, 3, 5, 7):
            events = changed(events, i, later=0.17 * 0.75, length=0.6)
        self.expect(events, [("uneven", "1")], running)

    def test_rushing_and_dragging(self) -> None:
        for factor, kind in ((0.7, "rushing"), (1.42, "dragging")):
            events, now = [], 0.8
            first, last = index_of("4", 2.0), index_of("5", 3.0)
            for i, note in enumerate(LINE.main_notes):
                share = min(max((i - first) / (last - first), 0.0), 1.0) if i <= last else 0.0
                nxt = LINE.main_notes[i + 1].onset if i + 1 < len(LINE.main_notes) else note.end
                seconds = float(nxt - note.onset) * self.beat * factor**share
                events.append(
                    (now, float(note.duration) * self.beat * factor**share * 0.88, float(note.sounding_midi))
                )
                now += seconds
            with self.subTest(kind):
                self.assertEqual([k for k, _ in kinds(check(LINE, sounding(events))[0])], [kind])


class Confusions(unittest.TestCase):
    def test_noise_speech_like_sound_and_a_first_note_before_the_music(self) -> None:
        events = [(a + 4.0, b, c) for a, b, c in straight(LINE, 90)]
        sound = sounding(events)
        rng = np.random.default_rng(1)
        babble = np.concatenate(
            [tone(45 + 6 * rng.random(), 0.13, partials=(1, 0.2, 0.8, 0.3, 0.7)) * 0.6 for _ in range(9)]
        )
        sound[2000 : 2000 + len(babble)] += babble
        first = tone(LINE.main_notes[0].sounding_midi, 0.7)
        sound[int(2.3 * RATE) : int(2.3 * RATE) + len(first)] += first
        findings, case = check(LINE, sound)
        self.assertEqual(kinds(findings), [])
        event = case.event(0)
        assert event is not None
        self.assertAlmostEqual(event.on_s, events[0][0], delta=0.04)

    def test_another_piece_is_not_followed(self) -> None:
        other = line_of(
            (
                "F#5/.5 E5/.5 C#5/1 A4/.5 B4/.5 F#4/1 | E4/2 G#4/1 B4/.5 E5/.5 | A5/1 F#5/1 D5/.5 B4/.5 "
                "G4/1 | A4/3 r/1 | C#5/.5 F#5/.5 A5/1 G#5/2"
            ),
            fifths=3,
        )
        _, case = check(LINE, sounding(straight(other, 110)))
        self.assertFalse(case.table.followed)

    def test_a_take_that_stops_early_is_judged_as_far_as_it_went(self) -> None:
        findings, case = check(LINE, sounding(straight(LINE, 90)[:18]))
        self.assertEqual(kinds(findings), [])
        self.assertTrue(case.table.ended_early and case.table.last == 17)

    def test_the_whole_take_transposed_is_one_finding(self) -> None:
        findings, _ = check(LINE, sounding([(a, b, c - 2) for a, b, c in straight(LINE, 90)]))
        self.assertEqual(kinds(findings), [("wrong_transposition", "1")])

    def test_tuning_is_advice(self) -> None:
        findings, case = check(LINE, sounding([(a, b, c + 0.22) for a, b, c in straight(LINE, 90)]))
        self.assertEqual([f.kind for f in findings], ["tuned_high"])
        self.assertAlmostEqual(case.offset_cents, 22, delta=2)

    def test_the_way_never_runs_back_but_at_a_restart(self) -> None:
        _, case = check(LINE, sounding(changed(straight(LINE, 90), 9, shift=1.5)))
        self.assertOrdered(case.table)

    def assertOrdered(self, table: NoteTable) -> None:
        before = {}
        for event in table.events:
            if event.index is not None:
                self.assertGreater(event.index, before.get(event.attempt, -1))
                before[event.attempt] = event.index
        self.assertEqual([e.on_s for e in table.events], sorted(e.on_s for e in table.events))

    def test_items_describe_the_line(self) -> None:
        items = make_note_arrays(LINE)
        self.assertTrue(items.repeated[index_of("3", 0.5)] and not items.repeated[index_of("3", 1.0)])
        self.assertAlmostEqual(items.sound_share[index_of("4", 0.0)], 0.5)

    def test_tolerance_changes_what_is_said(self) -> None:
        events = changed(straight(LINE, 90), index_of("2", 2.0), by=0.42)
        self.assertEqual(kinds(check(LINE, sounding(events))[0]), [("out_of_tune", "2")])
        self.assertEqual(kinds(check(LINE, sounding(events), make_settings("gentle"))[0]), [])
