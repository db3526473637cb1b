"""Single judges on what a player might have played: the click, the tempo asked for, dynamics, ghosts and
tries, causes, the instrument table.
"""

from __future__ import annotations

import dataclasses
import unittest
from fractions import Fraction

import numpy as np

from jeweller.alignment.note_arrays import make_note_arrays
from jeweller.assessment.click import Click, assess_click, assess_tempo
from jeweller.assessment.counting import assess_count
from jeweller.assessment.finding import SURE, Finding
from jeweller.assessment.note_starts import assess_starts
from jeweller.assessment.octaves import OctaveJudge
from jeweller.assessment.pitches import assess_tuning
from jeweller.assessment.settings import make_settings
from jeweller.assessment.sound import assess_dynamics
from jeweller.assessment.timing import assess_rhythm
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.model import Mark
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notes.note_starts import StartSound
from jeweller.notes.restarts import (
    begin_with_sound,
    drop_false_starts,
    drop_ghosts,
    find_restarts,
    ghost_odds,
)
from jeweller.notes.table import Jump, PartialContrast, PlayedNote
from tests.support import line_of, part_of
from tests.test_rules import LINE, case_of, kinds, onsets, with_evidence


class WithAClick(unittest.TestCase):
    CLICK = Click(beat_s=60 / 90, at_s=0.8)

    def test_a_constant_lag_is_told_and_unsteadiness_is_not(self) -> None:
        times = onsets(LINE)
        behind = [t + 0.3 * 60 / 90 for t in times]
        found = assess_click(case_of(LINE, behind), self.CLICK)
        self.assertEqual(
            [(f.kind, f.cause, f.detail["beats"]) for f in found], [("off_click", "behind_the_click", 0.3)]
        )
        ahead = assess_click(case_of(LINE, [t - 0.25 * 60 / 90 for t in times]), self.CLICK)
        self.assertEqual(ahead[0].cause, "ahead_of_the_click")
        self.assertEqual(assess_click(case_of(LINE, times), self.CLICK), [])
        wild = np.array(times) + np.random.default_rng(1).uniform(0.0, 0.6, len(times))
        self.assertEqual(assess_click(case_of(LINE, sorted(wild.tolist())), self.CLICK), [])

    def test_half_a_beat_is_off_whichever_way_it_is_called(self) -> None:
        found = assess_click(case_of(LINE, [t + 0.5 * 60 / 90 for t in onsets(LINE)]), self.CLICK)
        self.assertAlmostEqual(abs(found[0].detail["beats"]), 0.5, delta=0.02)

    def test_without_a_click_or_with_few_notes_nothing_is_said(self) -> None:
        short = line_of("C5/1 D5/1 E5/2")
        self.assertEqual(assess_click(case_of(LINE, [t + 0.2 for t in onsets(LINE)]), None), [])
        self.assertEqual(assess_click(case_of(short, [t + 0.2 for t in onsets(short)]), self.CLICK), [])

    def test_the_tempo_asked_for(self) -> None:
        case = case_of(LINE, onsets(LINE))
        self.assertEqual(assess_tempo(case, None), [])
        self.assertEqual(kinds(assess_tempo(case, 92.0)), [])
        found = assess_tempo(case, 120.0)
        self.assertEqual(
            (kinds(found), found[0].detail["played"], found[0].detail["asked"]),
            ([("wrong_tempo", "1")], 90, 120),
        )
        gentle = case_of(LINE, onsets(LINE), settings=make_settings(changes={"asked_share": "0.5"}))
        self.assertEqual(kinds(assess_tempo(gentle, 120.0)), [])


class Dynamics(unittest.TestCase):
    def line(self, *marks: tuple[int, str]) -> PerformedPart:
        part = part_of(" | ".join(["C5/1 D5/1 E5/1 F5/1"] * 6))
        bars = [
            dataclasses.replace(
                b,
                marks=(
                    *b.marks,
                    *(Mark(kind="dynamics", offset=Fraction(0), text=text) for at, text in marks if at == k),
                ),
            )
            for k, b in enumerate(part.bars)
        ]
        return perform_part("", dataclasses.replace(part, bars=tuple(bars)))

    def said(self, line: PerformedPart, levels: dict[str, float]) -> list[Finding]:
        case = case_of(line, onsets(line))
        events = tuple(
            dataclasses.replace(e, level_db=levels[case.notes[e.before].bar]) for e in case.table.events
        )
        return assess_dynamics(
            dataclasses.replace(case, table=dataclasses.replace(case.table, events=events))
        )

    def test_changes_that_are_played_are_not_named(self) -> None:
        line = self.line((0, "p"), (2, "f"), (4, "p"))
        played = {"1": -30.0, "2": -30.0, "3": -20.0, "4": -20.0, "5": -30.0, "6": -30.0}
        self.assertEqual(self.said(line, played), [])
        flat = dict.fromkeys(played, -25.0)
        found = self.said(line, flat)
        self.assertEqual(
            [(f.kind, f.count, f.places) for f in found if f.confidence >= SURE],
            [("dynamics_flat", 2, ("3", "5"))],
        )

    def test_one_change_alone_is_only_to_be_listened_to(self) -> None:
        found = self.said(self.line((0, "p"), (2, "f")), {str(k): -25.0 for k in range(1, 7)})
        self.assertEqual([(f.kind, f.confidence < SURE) for f in found], [("dynamics_flat", True)])

    def test_a_step_of_one_is_too_small_to_ask_for(self) -> None:
        self.assertEqual(self.said(self.line((0, "mp"), (2, "mf")), {str(k): -25.0 for k in range(1, 7)}), [])


def event(
    index: int | None, on_s: float, midi: float, *, before: int | None = None, **more: float
) -> PlayedNote:
    length = more.pop("length", 0.5)
    plain = PlayedNote(
        index=index,
        before=index if before is None else before,
        on_s=on_s,
        off_s=on_s + length,
        next_s=on_s + more.pop("room", 0.6),
        midi=midi,
        spread=0.05,
        clarity=0.99,
        expected_clarity=0.99,
        octave_up=0.1,
        twelfth_up=0.1,
        level_db=-20.0,
        attack=1.0,
    )  # type: ignore[arg-type]
    return dataclasses.replace(plain, **more)


class TakenAgain(unittest.TestCase):
    ITEMS = make_note_arrays(LINE)
    SPQ = np.full(len(LINE.main_notes), 60 / 90)
    MIDI = tuple(n.sounding_midi for n in LINE.main_notes)

    def test_the_tail_of_a_note_is_a_ghost_and_a_plain_note_is_none(self) -> None:
        note = event(3, 1.0, 72.0)
        self.assertLess(ghost_odds(note, event(2, 0.4, 74.0), -20.0), -1.0)
        tail = event(None, 1.6, 72.0, before=4, attack=0.05, level_db=-34.0, length=0.08, clarity=0.8)
        self.assertGreater(ghost_odds(tail, note, -20.0), 1.0)
        kept, _ = drop_ghosts([event(2, 0.4, 74.0), note, tail, event(4, 2.2, 76.0), event(5, 2.8, 74.0)], [])
        self.assertEqual([e.index for e in kept], [2, 3, 4, 5])

    def test_two_notes_played_and_taken_again_are_a_restart(self) -> None:
        events = [event(k, 0.6 * k, self.MIDI[k]) for k in range(4)]
        tried = [event(None, 2.4 + 0.6 * k, self.MIDI[4 + k], before=4) for k in range(2)]
        again = [event(4 + k, 4.4 + 0.6 * k, self.MIDI[4 + k]) for k in range(3)]
        found, jumps = find_restarts([*events, *tried, *again], [], self.ITEMS, self.SPQ)
        self.assertEqual([(j.origin, j.target) for j in jumps], [(6, 4)])
        self.assertEqual([e.index for e in found], [0, 1, 2, 3, 4, 5, 4, 5, 6])
        self.assertEqual([e.attempt for e in found], [0] * 6 + [1] * 3)

    def test_another_pitch_there_is_a_note_too_many(self) -> None:
        events = [
            event(0, 0.0, self.MIDI[0]),
            event(None, 0.6, self.MIDI[1] + 3.0, before=1),
            event(1, 1.2, self.MIDI[1]),
        ]
        found, jumps = find_restarts(events, [], self.ITEMS, self.SPQ)
        self.assertEqual((found, jumps), (events, []))

    def test_a_beginning_broken_off_is_no_part_of_the_music(self) -> None:
        events = [
            event(0, 0.0, 72.0),
            event(1, 0.6, 74.0),
            event(0, 3.0, 72.0, attempt=1),
            event(1, 3.6, 74.0, attempt=1),
        ]
        kept, jumps = drop_false_starts(events, [Jump(3.0, 2, 0)])
        self.assertEqual(([e.on_s for e in kept], [e.attempt for e in kept], jumps), ([3.0, 3.6], [0, 0], []))
        long = [event(k, 0.6 * k, self.MIDI[k]) for k in range(6)] + [event(0, 6.0, 72.0, attempt=1)]
        self.assertEqual(drop_false_starts(long, [Jump(6.0, 6, 0)]), (long, [Jump(6.0, 6, 0)]))

    def test_nobody_begins_with_a_rest(self) -> None:
        line = line_of("C5/1 C5/1 C5/1 D5/1 | E5/4")
        empty = event(0, 0.0, float("nan"), attack=0.05)
        events = [empty, *(event(k, 0.7 * k, 72.0) for k in (1, 2)), event(3, 2.1, 74.0)]
        self.assertEqual([e.index for e in begin_with_sound(events, make_note_arrays(line))], [0, 1, 3])
        sounded = [event(k, 0.7 * k, float(n.sounding_midi)) for k, n in enumerate(line.main_notes)]
        self.assertEqual(begin_with_sound(sounded, make_note_arrays(line)), sounded)


class Rests(unittest.TestCase):
    RESTED = line_of(" | ".join(["C5/1 D5/1 E5/1 D5/1", "E5/1 r/2 D5/1", "C5/2 E5/2"] * 2 + ["C5/4"]))

    def shifted(self, beats: float, **more: float) -> list[Finding]:
        entry = next(i for i, n in enumerate(self.RESTED.main_notes) if n.bar == "2" and n.offset == 3)
        times = [t + (beats * 60 / 90 if i >= entry else 0.0) for i, t in enumerate(onsets(self.RESTED))]
        return assess_count(case_of(self.RESTED, times, **more)).findings

    def test_the_step_stands_on_the_rest_with_its_cause(self) -> None:
        for beats, kind in ((-1.0, "rest_short"), (1.0, "rest_long")):
            found = self.shifted(beats)
            self.assertEqual(
                [(f.kind, f.bar, f.beat, f.cause) for f in found], [(kind, "2", 2.0, "rest_miscounted")]
            )
            self.assertEqual(found[0].detail["heard_beats"], 2.0 + beats)

    def test_a_little_early_is_no_step(self) -> None:
        self.assertEqual(kinds(self.shifted(-0.3)), [])

    def test_what_follows_a_step_is_judged_from_the_new_count(self) -> None:
        entry = next(i for i, n in enumerate(self.RESTED.main_notes) if n.bar == "2" and n.offset == 3)
        times = [t + (-60 / 90 if i >= entry else 0.0) for i, t in enumerate(onsets(self.RESTED))]
        case = case_of(self.RESTED, times)
        self.assertEqual(kinds(assess_rhythm(case, assess_count(case).steps)), [])


class Starts(unittest.TestCase):
    def test_a_twelfth_through_the_whole_of_a_short_note_is_the_wrong_partial_and_no_crack(self) -> None:
        case = case_of(LINE, onsets(LINE), name="Clarinet in B♭")
        event = case.event(5)
        assert event is not None
        for length, kind in ((0.9 * (event.off_s - event.on_s), "wrong_partial"), (0.09, "cracked")):
            start = StartSound(
                index=5,
                midi=event.midi + 19,
                on_s=event.on_s,
                off_s=event.on_s + length,
                clarity=0.99,
                below_db=0.0,
                spread=0.05,
                attack=1.0,
                held_s=length,
                gain=2.0,
                part=0.9,
                after=0.9,
            )
            found = assess_starts(with_evidence(case, starts=(start,)))
            self.assertEqual([(f.kind, f.detail["semitones"]) for f in found], [(kind, 19)])

    def test_fingers_let_a_neighbour_sound_and_not_the_note_before(self) -> None:
        case = case_of(LINE, onsets(LINE))
        event, before = case.event(5), case.event(4)
        assert event is not None and before is not None
        for midi, said in ((event.midi - 3.0, True), (before.midi, False)):
            start = StartSound(
                index=5,
                midi=midi,
                on_s=event.on_s - 0.09,
                off_s=event.on_s,
                clarity=0.97,
                below_db=1.0,
                spread=0.05,
                attack=0.6,
                held_s=0.08,
                gain=2.0,
                part=0.7,
                after=0.9,
            )
            found = assess_starts(with_evidence(case, starts=(start,)))
            self.assertEqual([(f.kind, f.confidence >= SURE) for f in found], [("extra_note", said)])

    def test_a_crack_that_every_note_begins_with_is_the_instruments_voice(self) -> None:
        case = case_of(LINE, onsets(LINE))
        starts = []
        for i in (4, 5, 6, 7):
            event = case.event(i)
            assert event is not None
            starts.append(
                StartSound(
                    index=i,
                    midi=91.0,
                    on_s=event.on_s,
                    off_s=event.on_s + 0.06,
                    clarity=0.96,
                    below_db=2.0,
                    spread=0.05,
                    attack=0.8,
                    held_s=0.05,
                    gain=1.0,
                    part=0.6,
                    after=0.9,
                )
            )
        starts = [
            dataclasses.replace(s, midi=e.midi + 12) for s in starts if (e := case.event(s.index)) is not None
        ]
        alone = assess_starts(with_evidence(case, starts=tuple(starts[:1])))
        alike = [dataclasses.replace(s, midi=starts[0].midi) for s in starts]
        self.assertEqual([f.kind for f in alone], ["cracked"])
        self.assertLess(
            assess_starts(with_evidence(case, starts=tuple(alike)))[0].confidence, alone[0].confidence
        )


class Octaves(unittest.TestCase):
    LINE = line_of("A3/1 B3/1 C4/1 A3/1 | C4/1 A3/1 B3/1 C4/1 | A3/4")

    def judged(self, apart: float, **partials: float) -> tuple[int, float] | None:
        """Note 3, heard so far from its pitch, with such partials: semitones and how sure they are."""
        low = {3: self.LINE.main_notes[3].sounding_midi + apart}
        case = case_of(self.LINE, onsets(self.LINE), midi=low, name="Baritone saxophone")
        clear = partials.pop("expected", 0.99)
        events = tuple(
            dataclasses.replace(e, octave_up=0.98, expected_clarity=clear) for e in case.table.events
        )
        measured = {"second_db": 30.0, "third_db": 30.0, "second_above_db": 30.0, **partials}
        table = dataclasses.replace(
            case.table, events=events, partials=(PartialContrast(**measured),) * len(case.notes)
        )
        return OctaveJudge(dataclasses.replace(case, table=table)).judge(3, events[3], apart)

    def test_the_octave_above_has_no_odd_partials(self) -> None:
        found = self.judged(0.0, odd_db=-38.0, above=1.0, second_db=0.5)
        assert found is not None
        self.assertEqual((found[0], found[1] >= SURE), (12, True))

    def test_an_instrument_of_weak_odd_partials_plays_its_own_octave(self) -> None:
        # a low saxophone: the gaps between its partials are not resolved, the odd ones are there
        self.assertIsNone(self.judged(0.0, odd_db=-12.0, above=0.0, second_db=-8.0))
        self.assertIsNone(self.judged(0.0, odd_db=-19.0, above=0.3, second_db=28.0))  # an oboe up high

    def test_a_note_with_odd_partials_an_octave_low_is_low_whatever_the_others_do(self) -> None:
        low = {"odd_db": 1.0, "above": 0.0, "second_db": 1.0}
        self.assertEqual(self.judged(-12.0, expected=0.3, **low), (-12, 0.9))
        # where the written pitch is as clear, two notes in a room have a common period
        self.assertNotEqual(self.judged(-12.0, expected=0.9, **low), (-12, 0.9))


class Tuning(unittest.TestCase):
    def test_the_whole_take_high_is_told_once_and_its_notes_are_not(self) -> None:
        sharp = {i: n.sounding_midi + 0.25 for i, n in enumerate(LINE.main_notes)}
        found = assess_tuning(case_of(LINE, onsets(LINE), midi=sharp))
        self.assertEqual([(f.kind, f.detail["cents"]) for f in found], [("tuned_high", 25)])
        one = assess_tuning(
            case_of(LINE, onsets(LINE), midi=sharp | {6: LINE.main_notes[6].sounding_midi + 0.67})
        )
        self.assertEqual(sorted(f.kind for f in one), ["out_of_tune", "tuned_high"])

    def test_a_lower_pitch_reference_is_what_is_asked_for(self) -> None:
        flat = {i: n.sounding_midi - 0.2 for i, n in enumerate(LINE.main_notes)}
        self.assertEqual(
            [f.kind for f in assess_tuning(case_of(LINE, onsets(LINE), midi=flat))], ["tuned_low"]
        )
        settings = make_settings(changes={"pitch_reference": str(round(440 * 2 ** (-20 / 1200), 2))})
        self.assertEqual(assess_tuning(case_of(LINE, onsets(LINE), midi=flat, settings=settings)), [])


class Table(unittest.TestCase):
    def test_the_same_fingering_is_mutual_and_never_with_itself(self) -> None:
        for i in instruments():
            if i.family == "woodwind":
                for m in range(i.low, i.high - 20):
                    self.assertEqual(bool(i.same_fingering(m, m + 12)), bool(i.same_fingering(m + 12, m)))
                    self.assertIsNone(i.same_fingering(m, m))
        self.assertTrue(require_instrument("clarinet").same_fingering(60, 79))
        self.assertFalse(require_instrument("clarinet").same_fingering(60, 72))


if __name__ == "__main__":
    unittest.main()
