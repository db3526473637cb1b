"""Single rules of table and judging: the local tempo, jumps, steps in the count, habits, joins, tone."""

from __future__ import annotations

import dataclasses
import unittest
from collections.abc import Callable
from fractions import Fraction
from typing import Any
from unittest import mock

import numpy as np

from jeweller.alignment.candidates import find_candidates, pick_peaks
from jeweller.alignment.decoder import decode_path
from jeweller.alignment.note_arrays import make_note_arrays
from jeweller.alignment.segments import SegmentTable, StepKind, gather_evidence
from jeweller.alignment.settings import DECODER, DEFAULT
from jeweller.alignment.tempo import weighted_median
from jeweller.assessment.articulation import assess_transitions
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.counting import assess_count
from jeweller.assessment.finding import SURE, Finding
from jeweller.assessment.messages import texts_of
from jeweller.assessment.ornaments import assess_ornaments
from jeweller.assessment.pitches import assess_pitches, assess_tuning, wrong_pitch
from jeweller.assessment.settings import AssessmentSettings, make_settings
from jeweller.assessment.sound import assess_clearness
from jeweller.assessment.timing import assess_rhythm
from jeweller.features.extraction import Features, extract_features
from jeweller.instruments.table import Instrument, require_instrument
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notes.ornaments import HeardOrnament
from jeweller.notes.sustain import measure_clearness
from jeweller.notes.table import NoteDoubt, NoteTable, PlayedNote
from jeweller.notes.transitions import NoteTransition
from tests.support import assess_heard, changed, line_of, part_of, sounding, straight, table_of

WALK = " | ".join(
    ["C5/1 D5/1 E5/1 D5/1", "C5/.5 D5/.5 E5/.5 F5/.5 G5/1 E5/1", "F5/2 E5/2", "D5/1 E5/1 F5/1 D5/1"] * 2
    + ["C5/4"]
)
LINE = line_of(WALK)


def case_of(
    line: PerformedPart,
    onsets: list[float],
    *,
    share: float = 0.9,
    midi: dict[int, float] | None = None,
    name: str = "Flute",
    bpm: float = 90.0,
    settings: AssessmentSettings | None = None,
    **every: float,
) -> AssessmentContext:
    """A case as if this had been heard: onsets in seconds, notes of `share` of their time, on pitch but for
    `midi` (note → MIDI).
    """
    notes = line.main_notes
    ends = [*onsets[1:], onsets[-1] + float(notes[-1].duration) * 60 / bpm]
    events = tuple(
        PlayedNote(
            index=i,
            before=i,
            on_s=on,
            off_s=on + share * min(end - on, float(n.duration) * 60 / bpm),
            next_s=end,
            midi=(midi or {}).get(i, float(n.sounding_midi)),
            spread=0.05,
            clarity=every.get("clarity", 0.99),
            expected_clarity=0.99,
            octave_up=0.1,
            twelfth_up=0.1,
            level_db=-20.0,
            attack=every.get("attack", 1.0),
            attempt=0,
        )
        for i, (n, on, end) in enumerate(zip(notes, onsets, ends, strict=True))
    )
    table = NoteTable(
        line=line,
        events=events,
        jumps=(),
        first=0,
        last=len(notes) - 1,
        last_try=tuple(range(len(notes))),
        seconds_per_quarter=tuple([60 / bpm] * len(notes)),
        take_spq=60 / bpm,
        followed=True,
        share_right=1.0,
        ended_early=False,
        room_db=-80.0,
        loud_db=-20.0,
    )
    return AssessmentContext(
        table=table, settings=settings or AssessmentSettings(), instrument=require_instrument(name)
    )


def with_evidence(case: AssessmentContext, **evidence: Any) -> AssessmentContext:
    """The same take with other evidence in its note table."""
    return dataclasses.replace(case, table=dataclasses.replace(case.table, **evidence))


def onsets(line: PerformedPart, bpm: float = 90.0) -> list[float]:
    return [0.8 + float(n.onset) * 60 / bpm for n in line.main_notes]


def kinds(found: list[Finding]) -> list[tuple[str, str]]:
    return [(f.kind, f.bar) for f in found if f.confidence >= SURE]


class Beside(unittest.TestCase):
    """Sounds that are not the player's, and what only seems to be a fault."""

    REST = line_of("C5/1 D5/1 r/2 | E5/1 F5/1 G5/2")

    def with_sound(self, on_s: float, midi: float) -> AssessmentContext:
        """A clear sound of a quarter of a second that is not written."""
        case = case_of(self.REST, onsets(self.REST))
        sound = dataclasses.replace(
            case.sounded(1), index=None, before=2, on_s=on_s, off_s=on_s + 0.25, next_s=on_s + 0.3, midi=midi
        )
        events = (*case.table.events[:2], sound, *case.table.events[2:])
        last = tuple(k if k < 2 else k + 1 for k in range(len(case.notes)))
        return with_evidence(
            case,
            events=events,
            last_try=last,
            doubts=tuple(NoteDoubt() for _ in case.notes),
            partials=(None,) * len(case.notes),
        )

    def test_what_sounds_by_itself_in_a_rest_may_be_anybody(self) -> None:
        case = self.with_sound(2.5, 79.0)  # the rest is from 2.1 to 3.5 s
        (found,) = [f for f in assess_pitches(case) if f.kind == "extra_note"]
        self.assertLess(found.confidence, SURE)
        self.assertTrue(found.weighed)  # nothing makes it surer

    def test_a_dotted_pair_that_takes_far_more_than_its_beat_is_no_lost_dot(self) -> None:
        line = line_of(" | ".join(["C5/.75 D5/.25 E5/.75 F5/.25 G5/2"] * 4))
        even, paused = onsets(line), onsets(line)
        for when, gap in ((even, 0.0), (paused, 0.5)):
            beat = 60 / 90
            when[1] = when[0] + 0.5 * (beat + gap)
            when[2:] = [t + gap for t in when[2:]]
        kinds_of = [
            {f.kind for f in assess_rhythm(case_of(line, when), set()) if f.confidence >= SURE}
            for when in (even, paused)
        ]
        self.assertIn("dot_lost", kinds_of[0])
        self.assertNotIn("dot_lost", kinds_of[1])

    def test_a_trill_that_the_room_blurs_is_not_called_thin(self) -> None:
        line = line_of("C5/1 D5/1 E5/2t | C5/4")
        case = case_of(line, onsets(line))
        for attacks, told in ((2, True), (9, False)):
            heard = HeardOrnament(index=2, kind="trill", heard=False, turns=1, share=0.3, attacks=attacks)
            found = assess_ornaments(with_evidence(case, ornaments=(heard,)))
            self.assertEqual([f.kind for f in found], ["trill_thin"] if told else [])


class Slide(unittest.TestCase):
    """On a slide the place comes before the letter."""

    LINE = line_of("C4/1 D4/1 E4/1 F4/1 | C4/2 C4/2", name="Trombone")

    def test_a_sharp_where_none_is_written_is_a_slide_too_far_in(self) -> None:
        case = case_of(self.LINE, onsets(self.LINE), name="Trombone")
        f = wrong_pitch(
            case_of(self.LINE, onsets(self.LINE), name="Trombone", midi={0: 61.0}),
            0,
            case.sounded(0),
            61,
            0.9,
        )
        self.assertEqual((f.kind, f.cause), ("added_accidental", "neighbour_slide_position"))
        text, advice = texts_of(f)
        self.assertIn("the slide was too far in", text)
        self.assertIn("position 3, about a hand further out", advice)

    def test_a_pitch_between_two_places_says_which_way(self) -> None:
        case = case_of(self.LINE, onsets(self.LINE), name="Trombone", midi={5: 59.55})
        (f,) = [f for f in assess_tuning(case) if f.kind == "out_of_tune"]
        self.assertIn("Position 3 is a little further in", texts_of(f)[1])

    def test_where_there_is_no_slide_nothing_is_said_of_one(self) -> None:
        case = case_of(self.LINE, onsets(self.LINE), name="Euphonium", midi={0: 61.0})
        f = wrong_pitch(case, 0, case.sounded(0), 61, 0.9)
        self.assertNotIn("slide", " ".join(texts_of(f)))
        self.assertIsNone(require_instrument("Euphonium").slide_place(60, 1.0))
        self.assertIsNone(require_instrument("Trombone").slide_place(58, 1.0))  # farther in than all the way


class Tempo(unittest.TestCase):
    def test_the_weighted_median(self) -> None:
        self.assertEqual(weighted_median(np.array([3.0, 1.0, 2.0]), np.array([1.0, 1.0, 1.0])), 2.0)
        self.assertEqual(weighted_median(np.array([1.0, 5.0]), np.array([1.0, 9.0])), 5.0)

    def test_a_note_held_too_long_is_no_slower_tempo(self) -> None:
        events = straight(LINE, 90)
        held = next(i for i, n in enumerate(LINE.main_notes) if n.bar == "3" and n.offset == 0)
        late = changed(events, held + 1, shift=2 * 60 / 90)
        late[held] = (late[held][0], late[held][1] + 2 * 60 / 90, late[held][2])
        features = listened(LINE, sounding(late))
        spq = table_of(LINE, features).seconds_per_quarter
        self.assertLess(max(spq), 1.06 * 60 / 90)
        found, _ = assess_heard(
            table_of(LINE, features), features, require_instrument("Flute"), AssessmentSettings()
        )
        self.assertEqual(kinds(found), [("held_over", "3")])

    def test_slowing_down_is_one(self) -> None:
        events, out, now = straight(LINE, 90), [], 0.8
        for k, (_, length, midi) in enumerate(events):
            slow = 1.0 + max(0.0, min(0.4, 0.04 * (k - 8)))
            out.append((now, length * slow, midi))
            now += float(LINE.main_notes[k].duration) * 60 / 90 * slow
        spq = table_of(LINE, listened(LINE, sounding(out))).seconds_per_quarter
        self.assertGreater(spq[-2], 1.25 * spq[2])


def listened(line: PerformedPart, sound: np.ndarray) -> Features:
    pitches = [n.sounding_midi for n in line.notes]
    return extract_features(sound.astype(np.float32), min(pitches), max(pitches))


class Searching(unittest.TestCase):
    def test_a_jump_goes_only_where_its_note_may_sound(self) -> None:
        events = straight(LINE, 90)
        features = listened(LINE, sounding(events))
        table = SegmentTable(
            make_note_arrays(LINE),
            gather_evidence(features, DEFAULT),
            find_candidates(features, DEFAULT),
            features.step_s,
            DEFAULT,
        )
        at = int(np.abs(table.time - events[4][0]).argmin())  # C5 sounds from here
        index = np.array([i for i, n in enumerate(LINE.main_notes) if n.sounding_midi in (72, 79)])
        allowed = table.may_begin(at, index)
        self.assertEqual(
            [LINE.main_notes[i].sounding_midi for i in index[allowed]],
            [72] * int((np.array([LINE.main_notes[i].sounding_midi for i in index]) == 72).sum()),
        )

    def test_starts_left_out_would_have_led_nowhere(self) -> None:
        events = [
            (on, off, midi + (3 if k == 6 else 0)) for k, (on, off, midi) in enumerate(straight(LINE, 70))
        ]
        features = listened(
            LINE, sounding(events[:8] + [(on + 0.9, off + 0.9, midi) for on, off, midi in events[4:]])
        )
        items = make_note_arrays(LINE)
        table = SegmentTable(
            items,
            gather_evidence(features, DEFAULT),
            find_candidates(features, DEFAULT),
            features.step_s,
            DEFAULT,
        )
        spq, every = np.full(len(items.midi), 60 / 90), []
        for slack in (DECODER.slack, 1e6):
            with mock.patch("jeweller.alignment.decoder.DECODER", dataclasses.replace(DECODER, slack=slack)):
                every.append(decode_path(table, spq, carried=True))
        self.assertEqual(every[0], every[1])
        self.assertGreater(len(every[0].steps), len(events))

    def test_the_second_search_goes_along_a_jump_farther_than_it_looks(self) -> None:
        rng = np.random.default_rng(4)
        names = [
            f"{'CDEFGAB'[int(k)]}{o}/1" for k, o in zip(rng.integers(0, 7, 48), [4, 5] * 24, strict=True)
        ]
        line = line_of(" | ".join(" ".join(names[k : k + 4]) for k in range(0, 48, 4)))
        played = straight(line, 90, share=1.0)
        left_out = played[36][0] - played[4][0]
        sound = sounding(played[:4] + [(on - left_out, length, midi) for on, length, midi in played[36:]])
        features = listened(line, sound)
        table = SegmentTable(
            make_note_arrays(line),
            gather_evidence(features, DEFAULT),
            find_candidates(features, DEFAULT),
            features.step_s,
            DEFAULT,
        )
        spq = np.full(48, 60 / 90)
        first = decode_path(table, spq, carried=True)
        for way in (first, decode_path(table, spq, near=first)):
            said = [s.item for s in way.steps if s.kind == StepKind.NOTE]
            self.assertEqual(said, [*range(4), *range(36, 48)])

    def test_peaks_keep_their_distance(self) -> None:
        curve = np.zeros(60, np.float32)
        curve[[10, 13, 30]] = (0.5, 0.9, 0.4)
        self.assertEqual(pick_peaks(curve, 0.3, 5).tolist(), [13, 30])
        self.assertEqual(pick_peaks(curve, 0.45, 5).tolist(), [13])
        self.assertEqual(pick_peaks(np.zeros(2, np.float32), 0.1, 5).tolist(), [])


class Counting(unittest.TestCase):
    def test_in_time_there_is_nothing(self) -> None:
        case = case_of(LINE, onsets(LINE))
        counted = assess_count(case)
        self.assertEqual((counted.findings, counted.steps, assess_rhythm(case, set())), ([], set(), []))

    def test_a_squeezed_figure_that_waits_for_the_beat_is_rushing_and_no_step(self) -> None:
        line = line_of(
            " | ".join(
                [
                    "C5/1 D5/1 E5/1 D5/1",
                    "C5/.5 D5/.5 E5/.5 F5/.5 G5/2",
                    "E5/1 D5/1 C5/1 E5/1",
                    "D5/1 C5/1 D5/1 E5/1",
                    "C5/4",
                ]
            )
        )
        times = onsets(line)
        first = next(i for i, n in enumerate(line.main_notes) if n.bar == "2")
        for k in range(3):  # three of the four come too soon, the long note is on its beat
            times[first + k + 1] -= 0.085 * (k + 1)
        case = case_of(line, times)
        counted = assess_count(case)
        self.assertEqual((kinds(counted.findings), counted.steps), ([], set()))
        said = assess_rhythm(case, counted.steps)
        self.assertEqual(kinds(said), [("rushing", "2")])
        self.assertEqual(said[0].detail["scope"], "figure")

    def test_a_pause_is_still_one_and_stands_before_the_note_it_delays(self) -> None:
        times = [t + (0.8 if i >= 6 else 0.0) for i, t in enumerate(onsets(LINE))]
        case = case_of(LINE, times)
        (pause,) = assess_count(case).findings
        self.assertEqual((pause.kind, pause.notes), ("hesitation", (case.notes[6].id,)))
        self.assertEqual((pause.bar, pause.passing, pause.beat), case.where(6))

    def test_a_rest_that_nobody_counts_so_long_is_a_stop(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 F5/1 | G5/1 r/1 E5/1 D5/1 | C5/1 D5/1 E5/1 F5/1 | G5/4")
        for beats, kind in ((1.0, "rest_long"), (6.0, "hesitation")):
            times = [t + (beats * 60 / 90 if k >= 5 else 0.0) for k, t in enumerate(onsets(line))]
            self.assertEqual([f.kind for f in assess_count(case_of(line, times)).findings], [kind])

    def test_a_note_beside_a_step_is_not_late_as_well(self) -> None:
        i = next(k for k, n in enumerate(LINE.main_notes) if n.bar == "3" and n.offset == 2)
        times = [t + (60 / 90 if k >= i else 0.0) for k, t in enumerate(onsets(LINE))]
        case = case_of(LINE, times)
        counted = assess_count(case)
        self.assertEqual(counted.steps, {i - 1})
        self.assertEqual(kinds(assess_rhythm(case, counted.steps)), [])

    def test_a_note_that_hardly_begins_is_not_surely_late(self) -> None:
        times = onsets(LINE)
        times[2] += 0.2
        self.assertEqual(kinds(assess_rhythm(case_of(LINE, times, attack=0.2), set())), [])
        # a soft clap
        self.assertEqual(
            kinds(assess_rhythm(case_of(LINE, times, attack=0.2), set(), pitched=False)), [("late", "1")]
        )

    def test_one_late_note_is_late(self) -> None:
        times = onsets(LINE)
        times[2] += 0.2
        self.assertEqual(kinds(assess_rhythm(case_of(LINE, times), set())), [("late", "1")])


class OnePlace(unittest.TestCase):
    """One note out of place is that, and not a habit, a trend or a step as well."""

    RUN = line_of(
        " | ".join(["C5/1 D5/1 E5/1 D5/1", "C5/.5 D5/.5 E5/.5 F5/.5 G5/1 E5/1", "C5/2 E5/2"] * 2 + ["C5/4"])
    )

    def first_of(self, bar: str, line: PerformedPart | None = None) -> int:
        return next(i for i, n in enumerate((line or self.RUN).main_notes) if n.bar == bar)

    def test_one_eighth_too_early_in_a_run_is_early_and_the_run_is_even(self) -> None:
        times = onsets(self.RUN)
        times[self.first_of("2") + 2] -= 0.15
        self.assertEqual(kinds(assess_rhythm(case_of(self.RUN, times), set())), [("early", "2")])

    def test_long_and_short_in_turn_is_uneven(self) -> None:
        times = onsets(self.RUN)
        for k in (1, 3):
            times[self.first_of("2") + k] += 0.09
        self.assertEqual(kinds(assess_rhythm(case_of(self.RUN, times), set())), [("uneven", "2")])

    def dotted(self, bars: tuple[str, ...], later: float, school: str = "written") -> list[tuple[str, str]]:
        line = line_of(" | ".join(["C5/.75 D5/.25 E5/1 D5/1 E5/1", "E5/1 D5/1 C5/1 D5/1"] * 5 + ["C5/4"]))
        times = onsets(line, 60.0)
        for bar in bars:
            times[self.first_of(bar, line) + 1] += later
        settings = make_settings(changes={"dots": school})
        return kinds(assess_rhythm(case_of(line, times, bpm=60.0, settings=settings), set()))

    def test_dots_by_the_school_that_is_asked_for(self) -> None:
        bars = ("1", "3", "5", "7", "9")
        for later, school, said in (
            (0.125, "written", [("dot_overdone", "1")]),
            (0.125, "either", []),
            (0.125, "double", []),
            (0.0, "either", []),
            (0.0, "double", [("dot_lost", "1")]),
            (-0.25, "either", [("dot_lost", "1")]),
        ):
            self.assertEqual(self.dotted(bars, later, school), said, (later, school))

    def test_a_few_sharp_dotted_pairs_of_many_are_no_habit(self) -> None:
        self.assertEqual(self.dotted(("1", "5"), 0.06), [])
        self.assertEqual(self.dotted(("1", "3", "5", "7", "9"), 0.08), [("dot_overdone", "1")])

    def test_a_dotted_pair_evened_out_so_far_that_its_short_note_seems_a_step_is_dot_lost(self) -> None:
        line = line_of(" | ".join(["C5/1.5 D5/.5 E5/2", "E5/1 D5/1 C5/1 D5/1"] * 3 + ["C5/4"]))
        times = onsets(line)
        i = self.first_of("3", line) + 1
        times[i] -= 0.45 * 60 / 90
        case = case_of(line, times)
        counted = assess_count(case)
        self.assertEqual(kinds(counted.findings + assess_rhythm(case, counted.steps)), [("dot_lost", "3")])

    def test_one_interval_makes_no_trend(self) -> None:
        line = line_of(" | ".join(["C5/1 D5/1 E5/1 D5/1"] * 6 + ["C5/4"]))
        times = [t + (0.3 if k >= 10 else 0.0) for k, t in enumerate(onsets(line))]
        self.assertEqual(
            [f.kind for f in assess_rhythm(case_of(line, times), set()) if f.kind in ("dragging", "rushing")],
            [],
        )
        slower = [
            t + 0.035 * max(0, k - 8) * (max(0, k - 8) + 1) / 2 for k, t in enumerate(onsets(line)[:17])
        ]
        slower += [slower[-1] + 60 / 90 * (k + 1) for k in range(len(line.main_notes) - 17)]
        self.assertEqual(
            [
                f.kind
                for f in assess_rhythm(case_of(line, slower), set())
                if f.kind in ("dragging", "rushing")
            ],
            ["dragging"],
        )

    def test_a_fermata_makes_no_lost_beat_good(self) -> None:
        part = part_of(" | ".join(["C5/1 D5/1 E5/2", "F5/2 E5/2", "D5/1 C5/1 D5/1 E5/1", "C5/4"]))
        held = dataclasses.replace(part.bars[0].notes[2], fermata=True)
        part = dataclasses.replace(
            part,
            bars=(dataclasses.replace(part.bars[0], notes=(*part.bars[0].notes[:2], held)), *part.bars[1:]),
        )
        line = perform_part("", part)
        beat = 60 / 90
        times = [t + (beat if k > 2 else 0.0) - (beat if k > 3 else 0.0) for k, t in enumerate(onsets(line))]
        self.assertEqual(kinds(assess_count(case_of(line, times)).findings), [("beat_dropped", "2")])

    def test_who_comes_in_early_by_less_than_a_step_and_goes_on_from_there_is_not_early(self) -> None:
        times = [t - (0.4 * 60 / 90 if k >= 8 else 0.0) for k, t in enumerate(onsets(self.RUN))]
        self.assertEqual(kinds(assess_rhythm(case_of(self.RUN, times), set())), [])

    def test_back_in_the_own_tempo_after_rushing_no_long_note_is_held_over(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 D5/1 | C5/2 D5/2 | E5/4 | C5/1 D5/1 E5/1 D5/1 | C5/4")
        case = case_of(line, onsets(line))
        fast = tuple(
            0.6 * v if n.bar == "2" else v
            for v, n in zip(case.table.seconds_per_quarter, line.main_notes, strict=True)
        )
        case = dataclasses.replace(case, table=dataclasses.replace(case.table, seconds_per_quarter=fast))
        self.assertEqual(kinds(assess_count(case).findings), [])


class Habits(unittest.TestCase):
    def said(
        self,
        midi: dict[int, float],
        instrument: str | Instrument = "Trumpet in B♭",
        line: PerformedPart = LINE,
    ) -> list[Finding]:
        events = straight(line, 90)
        for i, to in midi.items():
            events[i] = (events[i][0], events[i][1], to)
        features = listened(line, sounding(events))
        chosen = require_instrument(instrument) if isinstance(instrument, str) else instrument
        found, _ = assess_heard(table_of(line, features), features, chosen, AssessmentSettings())
        return [f for f in found if f.confidence >= SURE]

    def places(self, pitch: int) -> list[int]:
        return [i for i, n in enumerate(LINE.main_notes) if n.sounding_midi == pitch]

    def test_octaves_that_slip_again_and_again_are_one_finding(self) -> None:
        slips = dict.fromkeys(self.places(72)[:-1], 72 + 12.0)
        self.assertGreaterEqual(len(slips), 4)
        found = self.said(slips, "Flute")
        self.assertEqual([(f.kind, f.count) for f in found], [("wrong_octave", len(slips))])
        self.assertIn(f"{len(slips)} of 5 times", found[0].text)

    def test_two_octave_slips_are_two(self) -> None:
        where = self.places(72)
        self.assertEqual(
            [f.kind for f in self.said({where[1]: 84.0, where[2]: 84.0}, "Flute")], ["wrong_octave"] * 2
        )

    def test_the_same_wrong_note_a_valve_away_every_time_is_a_fingering_not_known(self) -> None:
        trumpet = require_instrument("Trumpet in B♭")
        line = line_of(WALK, chromatic=-2)
        pitch, wrong = next(
            (m, m + d)
            for m in sorted({n.sounding_midi for n in line.main_notes})
            for d in (-2, 2)
            if trumpet.one_finger_apart(m, m + d)
        )
        where = [i for i, n in enumerate(line.main_notes) if n.sounding_midi == pitch]
        found = self.said({i: float(wrong) for i in where}, line=line)
        self.assertEqual(
            [(f.kind, f.cause, f.count) for f in found], [("wrong_note", "neighbour_fingering", len(where))]
        )
        once = self.said({where[0]: float(wrong)}, line=line)
        self.assertEqual([(f.kind, f.cause) for f in once], [("wrong_note", None)])

    def test_the_fingers_of_an_instrument_the_player_knows(self) -> None:
        line = line_of(WALK, chromatic=-9)
        where = [
            i for i, n in enumerate(line.main_notes) if n.written_midi == 72
        ]  # a flute's C, one finger, is a saxophone's B
        sax = require_instrument("Alto saxophone")
        for knows, cause in ((("flute",), "other_instrument_habit"), ((), None)):
            found = self.said(dict.fromkeys(where, 71.0 - 9), dataclasses.replace(sax, knows=knows), line)
            self.assertEqual({(f.kind, f.cause) for f in found}, {("wrong_note", cause)})

    def test_valves_apart(self) -> None:
        trumpet, trombone, flute = (require_instrument(n) for n in ("Trumpet in B♭", "Trombone", "Flute"))
        self.assertTrue(trumpet.one_finger_apart(70, 68))  # open and first valve on the fourth partial
        self.assertFalse(trumpet.one_finger_apart(70, 70))
        self.assertFalse(trumpet.one_finger_apart(70, 67))  # first and second
        self.assertFalse(trombone.one_finger_apart(58, 56))
        self.assertFalse(flute.one_finger_apart(72, 71))


class Folded(unittest.TestCase):
    def wrong(self, midi: float, by: float = 0.0, name: str = "Trumpet in B♭") -> list[tuple[str, int]]:
        """What is said of a note played `by` semitones off and heard as `midi`."""
        events = changed(straight(LINE, 90), 6, by=by)
        features = listened(LINE, sounding(events))
        table = table_of(LINE, features)
        k = table.last_try[6]
        assert k is not None
        event = dataclasses.replace(table.events[k], midi=midi)
        table = dataclasses.replace(table, events=(*table.events[:k], event, *table.events[k + 1 :]))
        found, _ = assess_heard(table, features, require_instrument(name), AssessmentSettings())
        return [(f.kind, f.detail["semitones"]) for f in found if f.confidence >= SURE]

    def test_what_lies_below_the_instrument_is_a_tone_heard_at_a_multiple_of_its_period(self) -> None:
        written = LINE.main_notes[6].sounding_midi
        self.assertEqual(self.wrong(written - 24.0), [])
        self.assertEqual(self.wrong(written - 25.0, -1.0), [("added_accidental", -1)])
        self.assertEqual(self.wrong(written - 4.0, -4.0), [("wrong_note", -4)])


class Ornamented(unittest.TestCase):
    def test_few_turns_that_go_on_to_the_end_are_turns_that_the_room_hides(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 F5/1 | G5/4t | C5/4")
        case = case_of(line, onsets(line))
        for share, certain, wanted in (
            (0.3, False, [("trill_thin", "2")]),
            (0.85, False, []),
            (0.85, True, [("trill_thin", "2")]),
            (0.02, False, []),
        ):
            with self.subTest(share=share, certain=certain):
                heard = HeardOrnament(
                    index=4, kind="trill", heard=False, turns=2, share=share, certain=certain
                )
                found = assess_ornaments(with_evidence(case, ornaments=(heard,)))
                self.assertEqual(kinds(found), wanted)

    def test_a_trill_has_no_tuning(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 F5/1 | G5/2t E5/2 | C5/4")
        i = next(k for k, n in enumerate(line.main_notes) if n.written.ornament)
        self.assertEqual(assess_tuning(case_of(line, onsets(line), midi={i: 79.45})), [])
        self.assertEqual(
            kinds(assess_tuning(case_of(line, onsets(line), midi={i + 1: 76.45}))), [("out_of_tune", "2")]
        )


# How the first note gives way to the second, in dB: where they cross, the first, the second.
SLURRED = (-1.0, 0.0, 0.0, 0.0, 0.0, -1.0, -12.0, -20.0, -20.0, -20.0, -16.0, -8.0, -1.0, 0.0, 0.0)
TONGUED = (-12.0, 0.0, -1.0, -4.0, -8.0, -12.0, -20.0, -20.0, -20.0, -20.0, -20.0, -18.0, -12.0, -2.0, 0.0)


def joined(
    case: AssessmentContext,
    joins: list[NoteTransition],
    course: Callable[[NoteTransition], tuple[float, ...] | None] = lambda j: (
        SLURRED if j.dip_db < 2 else TONGUED
    ),
) -> list[Finding]:
    """What is said of these joins; `course` is how the notes of each give way."""
    joins = [dataclasses.replace(j, crossing=course(j)) for j in joins]
    return assess_transitions(with_evidence(case, transitions=tuple(joins)))


class Joined(unittest.TestCase):
    LONG = line_of(" | ".join(["C5/2 D5/2", "E5/2 F5/2"] * 5))

    def joins(self, **other: float) -> list[NoteTransition]:
        """Joins of a player who tongues plainly; the fifth is as told."""
        plain = NoteTransition(index=0, dip_db=9.0, gap_s=0.05, attack=1.2, ioi_s=1.3, share=0.93)
        return [
            dataclasses.replace(plain, index=i, **(other if i == 5 else {}))
            for i in range(1, len(self.LONG.main_notes))
        ]

    def test_long_notes_run_together_are_said_short_ones_are_not(self) -> None:
        case = case_of(self.LONG, onsets(self.LONG))
        self.assertEqual(joined(case, self.joins()), [])
        self.assertEqual(
            kinds(joined(case, self.joins(dip_db=0.3, gap_s=0.0, attack=0.5))),
            [("slurred_over_tongue", "3")],
        )
        short = [dataclasses.replace(j, ioi_s=0.25) for j in self.joins(dip_db=0.3, gap_s=0.0, attack=0.5)]
        self.assertEqual(kinds(joined(case, short)), [])

    def test_moving_the_threshold_flips_it(self) -> None:
        joins = self.joins(dip_db=0.8, gap_s=0.0, attack=0.5)
        loose = make_settings(changes={"run_on_db": "3"})
        strict = make_settings(changes={"run_on_db": "0.05"})
        self.assertEqual(
            kinds(joined(case_of(self.LONG, onsets(self.LONG), settings=loose), joins)),
            [("slurred_over_tongue", "3")],
        )
        self.assertEqual(
            kinds(joined(case_of(self.LONG, onsets(self.LONG), settings=strict), joins)),
            [],
        )

    def test_how_the_notes_give_way_decides(self) -> None:
        case = case_of(self.LONG, onsets(self.LONG))
        joins = self.joins(dip_db=0.3, gap_s=0.0, attack=0.5)
        self.assertEqual(joined(case, joins, lambda j: TONGUED), [])
        self.assertEqual(joined(case, joins, lambda j: None), [])

    SLUR = line_of("C5/1 D5/1 E5/1 F5/1 | G5/1 F5/1 E5/1 D5/1 | C5/4")

    def slurred(self, settings: AssessmentSettings | None = None, **join: float) -> list[tuple[str, str]]:
        """All notes under slurs, the join to the fifth as told."""
        notes = [dataclasses.replace(n, slurred_from_previous=i > 0) for i, n in enumerate(self.SLUR.notes)]
        line = dataclasses.replace(self.SLUR, notes=tuple(notes))
        joins = [
            dataclasses.replace(
                NoteTransition(index=i, dip_db=1.0, gap_s=0.0, attack=0.4, ioi_s=0.66, share=1.0),
                **(join if i == 4 else {}),
            )
            for i in range(1, len(notes))
        ]
        return kinds(
            joined(
                case_of(line, onsets(line), settings=settings),
                joins,
                lambda j: TONGUED if j.dip_db > 2 else SLURRED,
            )
        )

    def test_a_tongue_in_a_slur_is_told_by_its_dip_and_by_how_the_notes_give_way(self) -> None:
        self.assertEqual(self.slurred(), [])
        tongue = {"dip_db": 20.0, "gap_s": 0.08, "attack": 1.3}
        self.assertEqual(self.slurred(**tongue), [("tongued_in_slur", "2")])
        self.assertEqual(self.slurred(make_settings(changes={"tongue_dip_db": "40"}), **tongue), [])

    def test_a_breath_between_all_notes_is_longer_than_a_slow_player_s_gaps(self) -> None:
        def said(ioi_s: float, gap_s: float, drop_db: float) -> list[tuple[str, str]]:
            joins = [
                NoteTransition(
                    index=i,
                    dip_db=3.0,
                    gap_s=gap_s,
                    attack=1.2,
                    ioi_s=ioi_s,
                    share=1.0 - gap_s / ioi_s,
                    drop_db=drop_db,
                )
                for i in range(1, len(self.LONG.main_notes))
            ]
            return kinds(joined(case_of(self.LONG, onsets(self.LONG)), joins, lambda j: TONGUED))

        self.assertEqual(said(0.9, 0.3, 20.0), [("breath_every_note", "1")])
        self.assertEqual(said(0.9, 0.22, 20.0), [])  # detached, as one may play
        self.assertEqual(said(2.2, 0.5, 20.0), [])  # slow, and tongued as one does
        self.assertEqual(said(0.9, 0.3, 3.0), [])  # it did not get softer

    def test_free_articulation_asks_for_nothing(self) -> None:
        case = case_of(self.LONG, onsets(self.LONG), settings=make_settings(articulation="free"))
        self.assertEqual(joined(case, self.joins(dip_db=0.3, gap_s=0.0)), [])


class Clear(unittest.TestCase):
    def test_one_fuzzy_note_is_to_be_listened_to_and_never_sure(self) -> None:
        events = straight(LINE, 60)
        sound = sounding(events)
        rate = 22050
        on, length, _ = events[8]
        self.assertGreater(length, 0.8)
        a, b = int((on + 0.02) * rate), int((on + length) * rate)
        breath = np.random.default_rng(4).standard_normal(b - a).astype(np.float32)
        sound[a:b] = 0.7 * sound[a:b] + 0.6 * float(sound[a:b].std()) * breath
        features = listened(LINE, sound)
        table = table_of(LINE, features)
        table = dataclasses.replace(table, clearness=tuple(measure_clearness(table, features)))
        case = AssessmentContext(
            table=table, settings=AssessmentSettings(), instrument=require_instrument("Flute")
        )
        found = assess_clearness(case)
        self.assertEqual([(f.kind, f.notes) for f in found], [("fuzzy", (LINE.main_notes[8].id,))])
        self.assertTrue(0.3 < found[0].confidence < SURE)

    def test_breath_with_every_tone_is_one_place_to_listen_to_and_a_noisy_room_is_none(self) -> None:
        tones = sounding(straight(LINE, 60))
        tones *= 0.1 / float(tones.std())
        noise = 0.03 * np.random.default_rng(4).standard_normal(len(tones)).astype(np.float32)
        with_them = np.abs(tones) > 0.001  # the breath is there while a tone is
        with_them = np.convolve(with_them, np.ones(200), "same") > 0
        found = {}
        for name, sound in {
            "breath": tones + noise * with_them,
            "room": tones + noise,
            "clear": tones,
        }.items():
            table = table_of(LINE, listened(LINE, sound.astype(np.float32)))
            case = AssessmentContext(
                table=table, settings=AssessmentSettings(), instrument=require_instrument("Flute")
            )
            found[name] = assess_clearness(case)
        (breath,) = found.pop("breath")
        self.assertEqual((breath.kind, breath.detail["scope"]), ("fuzzy", "throughout"))
        self.assertTrue(0.2 < breath.confidence < SURE)
        self.assertEqual(found, {"room": [], "clear": []})

    def test_where_every_note_differs_none_is_fuzzy(self) -> None:
        case = case_of(LINE, onsets(LINE))
        rough = [(i, c) for i, c in enumerate([0.95, 0.8, 0.9, 0.78, 0.97, 0.85, 0.99, 0.82])]
        self.assertEqual(assess_clearness(with_evidence(case, clearness=tuple(rough))), [])
        self.assertEqual(assess_clearness(with_evidence(case, clearness=tuple(rough[:3]))), [])


class Graced(unittest.TestCase):
    def test_before_the_beat_or_on_it_by_the_school_that_is_asked_for(self) -> None:
        line = line_of("C5/1 D5/1 E5/1 D5/1 | E5/1 {F5}E5/1 C5/1 D5/1 | C5/1 D5/1 E5/1 D5/1 | C5/4")
        graced = next(i for i, before in enumerate(line.graces) if before)
        for later, school, said in (
            (0.16, "either", []),
            (0.16, "on", []),
            (0.16, "before", ["late"]),
            (-0.16, "on", ["early"]),
            (-0.16, "either", []),
        ):
            when = onsets(line)
            when[graced] += later
            case = case_of(line, when, settings=make_settings(changes={"graces": school}))
            self.assertEqual(
                [f.kind for f in assess_rhythm(case, set()) if f.confidence >= SURE], said, (later, school)
            )


class Lengths(unittest.TestCase):
    def test_rests_behind_notes(self) -> None:
        line = line_of("C5/1 r/1 D5/1 r/.5 r/.5 | E5/4 | F5/2 r/2")
        case = case_of(line, onsets(line))
        self.assertEqual(
            [None if r is None else r.duration for r in case.rest_after],
            [Fraction(1), Fraction(1), None, Fraction(2)],
        )


if __name__ == "__main__":
    unittest.main()
