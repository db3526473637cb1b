"""One planted fault of a kind at a time, gross, in a dry room: heard as that kind at its place; its near
miss, and the plain take, are not.
"""

from __future__ import annotations

import unittest
from functools import cache

import numpy as np
from scipy.signal import resample_poly

from jeweller.assessment.finding import SURE
from jeweller.assessment.settings import AssessmentSettings
from jeweller.features.extraction import extract_features
from jeweller.instruments.table import require_instrument
from jeweller.notation.performance import PerformedPart
from jeweller.simulator.noises import clicks
from jeweller.simulator.perform import Manner, Plan, perform
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis.additive import RATE as SYNTH_RATE
from jeweller.synthesis.additive import render as render_synth
from jeweller.synthesis.additive import voice
from tests.support import RATE, assess_heard, line_of, table_of

# Bars: 1 plain, 2 long notes, 3 a slur, 4 a trill, 5 dotted, 6 a run, 7 a grace note, 8 a rest, 9 long.
LINE = line_of(
    """C5/1 D5/1 E5/1 G5/1 | F5/2 D5/2 | E5/1( F5/1 G5/1 E5/1) | D5/2t C5/1 E5/1 | G5/.75 F5/.25 E5/1 D5/.75 E5/.25 F5/1 |
                  E5/.5 F5/.5 G5/.5 E5/.5 F5/.5 D5/.5 E5/.5 C5/.5 | D5/1 {G5}E5/1 C5/1 D5/1 | E5/2 r/1 D5/1 | C5/1 E5/1 D5/1 E5/1 | C5/4""",
    bpm=84,
)


# Bars: 1 a mordent of its own, 2 one whose lower note comes just before, 3 one whose upper note does, 4 and 5
# grace notes: on another pitch, on that before.
SMALL = line_of(
    "C5/1 E5/1 G5/2m | F5/1 D5/1 E5/2m | D5/1 F5/1 E5/2m | C5/2 {A5}G5/1 C5/1 | E5/2 {E5}D5/2 | C5/4", bpm=84
)


def at(bar: str, q: float, line: PerformedPart = LINE) -> int:
    return next(i for i, n in enumerate(line.main_notes) if n.bar == bar and float(n.offset) == q)


def heard(*plans: Plan, line: PerformedPart = LINE) -> set[tuple[str, str]]:
    return {(k, b) for k, b, sure in _heard(plans, line) if sure}


@cache
def _heard(
    plans: tuple[Plan, ...], line: PerformedPart, click_db: float | None = None
) -> tuple[tuple[str, str, bool], ...]:
    played = perform(
        line,
        Manner(bpm=84, drift=0.006, jitter_s=0.005, spread_cents=4.0, vibrato_cents=0.0, lead_s=0.8),
        plans,
        11,
    )
    dry = render_synth(list(played.tones), voice("trumpet", 41), played.seconds, 11)
    if click_db is not None:
        level = float(np.sqrt((dry[np.abs(dry) > 0.05 * np.abs(dry).max()] ** 2).mean())) * 10 ** (
            click_db / 20
        )
        clicks(
            dry, SYNTH_RATE, [0.8 + k * 60 / 84 for k in range(round(played.seconds * 84 / 60) - 2)], level, 0
        )
    wet = put_in_room(
        resample_poly(dry, RATE, SYNTH_RATE).astype(np.float32), RATE, Room(0.2, 0.06, 46.0, -90.0), 3
    )
    pitches = [n.sounding_midi for n in line.notes]
    features = extract_features(wet, min(pitches), max(pitches))
    table = table_of(line, features)
    findings, _ = assess_heard(table, features, require_instrument("Trumpet in B♭"), AssessmentSettings())
    return tuple((f.kind, f.bar, f.confidence >= SURE) for f in findings)


# kind, a gross one, its near miss (None: there is none), the bar it belongs to
CASES: list[tuple[str, Plan, Plan | None, str]] = [
    (
        "cracked",
        Plan(kind="cracked", at=at("2", 2), amount=12.0, count=2),
        Plan(kind="cracked", at=at("2", 2), amount=12.0, near=True),
        "2",
    ),
    (
        "sagging",
        Plan(kind="sagging", at=at("2", 0), amount=60.0),
        Plan(kind="sagging", at=at("2", 0), amount=10.0, near=True),
        "2",
    ),
    (
        "unsteady",
        Plan(kind="unsteady", at=at("10", 0), amount=28.0),
        Plan(kind="unsteady", at=at("10", 0), amount=6.0, near=True),
        "10",
    ),
    ("tongued_in_slur", Plan(kind="tongued_in_slur", at=at("3", 2)), None, "3"),
    ("breath_in_slur", Plan(kind="breath_in_slur", at=at("3", 2), amount=0.3), None, "3"),
    ("trill_missed", Plan(kind="trill_missed", at=at("4", 0)), None, "4"),
    ("trill_thin", Plan(kind="trill_thin", at=at("4", 0), way="short"), None, "4"),
    (
        "dot_lost",
        Plan(kind="dot_lost", at=at("5", 0), amount=1.0, count=2),
        Plan(kind="dot_lost", at=at("5", 0), amount=2.6, count=2, near=True),
        "5",
    ),
    (
        "dot_overdone",
        Plan(kind="dot_overdone", at=at("5", 0), amount=7.0, count=2),
        Plan(kind="dot_overdone", at=at("5", 0), amount=3.3, count=2, near=True),
        "5",
    ),
    (
        "uneven",
        Plan(kind="uneven", at=at("6", 0), amount=2.0, count=8),
        Plan(kind="uneven", at=at("6", 0), amount=1.1, count=8, near=True),
        "6",
    ),
    ("grace_missed", Plan(kind="grace_missed", at=at("7", 1)), None, "7"),
    (
        "beat_added",
        Plan(kind="beat_added", at=at("9", 1), amount=1.0),
        Plan(kind="beat_added", at=at("9", 1), amount=0.2, near=True),
        "9",
    ),
    (
        "rest_short",
        Plan(kind="rest_short", at=at("8", 0), amount=-1.0),
        Plan(kind="rest_short", at=at("8", 0), amount=-0.2, near=True),
        "8",
    ),
    (
        "rest_filled",
        Plan(kind="rest_filled", at=at("8", 0), amount=0.95),
        Plan(kind="rest_filled", at=at("8", 0), amount=0.1, near=True),
        "8",
    ),
    (
        "cut_short",
        Plan(kind="cut_short", at=at("2", 0), amount=0.35),
        Plan(kind="cut_short", at=at("2", 0), amount=0.8, near=True),
        "2",
    ),
    (
        "held_over",
        Plan(kind="held_over", at=at("2", 2), amount=1.0),
        Plan(kind="held_over", at=at("2", 2), amount=0.2, near=True),
        "2",
    ),
    (
        "late",
        Plan(kind="late", at=at("9", 1), amount=0.4),
        Plan(kind="late", at=at("9", 1), amount=0.07, near=True),
        "9",
    ),
    (
        "early",
        Plan(kind="early", at=at("9", 2), amount=-0.35),
        Plan(kind="early", at=at("9", 2), amount=-0.07, near=True),
        "9",
    ),
    (
        "out_of_tune",
        Plan(kind="out_of_tune", at=at("2", 0), amount=45.0),
        Plan(kind="out_of_tune", at=at("2", 0), amount=14.0, near=True),
        "2",
    ),
    ("extra_note", Plan(kind="extra_note", at=at("9", 0), amount=5.0), None, "9"),
    ("missed_note", Plan(kind="missed_note", at=at("9", 2)), None, "9"),
    ("wrong_octave", Plan(kind="wrong_octave", at=at("2", 2), amount=12.0), None, "2"),
]


MOVING = {"beat_added", "rest_short", "held_over", "rest_filled"}


class OneOfEachKind(unittest.TestCase):
    def test_the_plain_take_has_nothing_to_say(self) -> None:
        self.assertEqual(heard(), set())

    def test_a_gross_fault_is_heard_as_its_kind_and_little_else(self) -> None:
        for kind, gross, _, bar in CASES:
            with self.subTest(kind):
                found = heard(gross)
                self.assertIn((kind, bar), found)
                self.assertLessEqual(len(found), 2, found)

    def test_a_near_miss_is_not_said(self) -> None:
        # Several in a take, each in a bar of its own, and of those that move what follows only one.
        takes: list[dict[str, tuple[str, Plan]]] = []
        for kind, _, near, bar in CASES:
            if near is not None:
                moves = kind in MOVING
                take = next(
                    (
                        t
                        for t in takes
                        if bar not in t and not (moves and MOVING & {k for k, _ in t.values()})
                    ),
                    None,
                )
                if take is None:
                    take = {}
                    takes.append(take)
                take[bar] = kind, near
        self.assertEqual(sum(len(t) for t in takes), sum(near is not None for _, _, near, _ in CASES))
        for take in takes:
            found = {k for k, _ in heard(*(plan for _, plan in take.values()))}
            for kind, _ in take.values():
                with self.subTest(kind):
                    self.assertNotIn(kind, found)


class SmallNotes(unittest.TestCase):
    def test_mordents_played_plain_or_the_other_way_also_beside_their_own_notes(self) -> None:
        self.assertEqual(heard(line=SMALL), set())
        for bar, way in (("1", "none"), ("1", "wrong"), ("3", "none"), ("3", "wrong")):
            with self.subTest(f"bar {bar}, {way}"):
                self.assertEqual(
                    heard(Plan(kind="ornament_wrong", at=at(bar, 2, SMALL), way=way), line=SMALL),
                    {("ornament_wrong", bar)},
                )

    def test_grace_notes_left_out_behind_their_note_and_on_the_pitch_before(self) -> None:
        other, same = at("4", 2, SMALL), at("5", 2, SMALL)
        self.assertEqual(heard(Plan(kind="grace_missed", at=other), line=SMALL), {("grace_missed", "4")})
        self.assertEqual(
            heard(Plan(kind="grace_slipped", at=other, amount=0.28, way="after"), line=SMALL),
            {("grace_slipped", "4")},
        )
        self.assertLessEqual(heard(Plan(kind="grace_missed", at=same), line=SMALL), {("grace_missed", "5")})


class Clicked(unittest.TestCase):
    def test_a_soft_click_in_the_recording_is_found_and_a_lag_behind_it_told(self) -> None:
        late = tuple(Plan(kind="off_click", at=0, amount=lag, count=len(LINE.main_notes)) for lag in (0.25,))
        self.assertIn(("off_click", "1", True), _heard(late, LINE, -12.0))
        self.assertFalse([k for k, _, _ in _heard((), LINE, -12.0) if k == "off_click"])
        self.assertFalse([k for k, _, _ in _heard((), LINE) if k == "off_click"])


if __name__ == "__main__":
    unittest.main()
