"""Notes that were not found: a neighbour in their place, bars with no time for them, sounds that are no
notes, notes too short to be heard in tune.
"""

from __future__ import annotations

import dataclasses
import math
import unittest

import numpy as np

from jeweller.alignment.note_arrays import make_note_arrays
from jeweller.notation.performance import PerformedPart
from jeweller.notes.note_starts import StartSound, move_short_notes
from jeweller.notes.repair import repair_alignment
from jeweller.notes.table import Jump, NoteTable, PlayedNote, shifted_down
from tests.support import line_of

BEAT = 0.6  # seconds a quarter


def heard(
    line: PerformedPart, leave: tuple[int, ...] = (), moved: float = 0.0, behind: int = 99
) -> list[PlayedNote]:
    """What was heard of a line played straight, without the notes `leave`, and `moved` seconds later from
    note `behind` on.
    """
    notes = line.main_notes
    on = [1.0 + float(n.onset) * BEAT + (moved if i >= behind else 0.0) for i, n in enumerate(notes)]
    ends = [*on[1:], on[-1] + float(notes[-1].duration) * BEAT]
    return [
        PlayedNote(
            index=i,
            before=i,
            on_s=on[i],
            off_s=on[i] + 0.9 * (ends[i] - on[i]),
            next_s=ends[i],
            midi=float(n.sounding_midi),
            spread=0.05,
            clarity=0.99,
            expected_clarity=0.99,
            octave_up=0.1,
            twelfth_up=0.1,
            level_db=-20.0,
            attack=1.0,
        )
        for i, n in enumerate(notes)
        if i not in leave
    ]


def mended(
    line: PerformedPart, events: list[PlayedNote], jumps: tuple[Jump, ...] = ()
) -> tuple[list[PlayedNote], list[Jump]]:
    return repair_alignment(events, list(jumps), make_note_arrays(line), np.full(len(line.main_notes), BEAT))


class InPlace(unittest.TestCase):
    def test_the_sound_of_the_note_left_out_is_that_note(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/4")
        events = heard(line, leave=(1,))
        # What the way took for E was D, at the time of D.
        events[1] = dataclasses.replace(events[1], midi=62.0, on_s=1.0 + BEAT)
        self.assertEqual([e.index for e in mended(line, events)[0]], [0, 1, 3, 4])

    def test_a_wrong_note_at_its_own_time_stays(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/4")
        events = heard(line, leave=(1,))
        events[1] = dataclasses.replace(events[1], midi=62.0)
        self.assertEqual([e.index for e in mended(line, events)[0]], [0, 2, 3, 4])

    def test_of_two_repeated_notes_joined_the_first_sounded(self) -> None:
        line = line_of("C4/1 D4/1 D4/1 E4/1 | G4/4")
        events = heard(line, leave=(1,))
        events[1] = dataclasses.replace(events[1], on_s=1.0 + BEAT, off_s=1.0 + 2.9 * BEAT)
        self.assertEqual([e.index for e in mended(line, events)[0]], [0, 1, 3, 4])

    def test_a_blink_is_no_note(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/4")
        events = heard(line)
        events[2] = dataclasses.replace(events[2], off_s=events[2].on_s + 0.02, next_s=events[2].on_s + 0.02)
        self.assertNotIn(2, [e.index for e in mended(line, events)[0]])


class Skips(unittest.TestCase):
    LINE = line_of("C4/1 D4/1 E4/1 F4/1 | G4/2 A4/2 | B4/1 C5/1 B4/1 A4/1 | G4/4")

    def test_a_whole_bar_with_no_time_for_it_was_skipped(self) -> None:
        events = heard(self.LINE, leave=(4, 5), moved=-4 * BEAT, behind=6)
        events[3] = dataclasses.replace(events[3], next_s=events[4].on_s)
        found, jumps = mended(self.LINE, events)
        self.assertEqual([(j.origin, j.target) for j in jumps], [(4, 6)])
        self.assertEqual([e.attempt for e in found], [0] * 4 + [1] * 5)

    def test_what_was_skipped_does_not_take_the_first_sound_after_it(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/2 B4/2 | B4/1 C5/1 B4/1 A4/1 | G4/4")
        events = heard(line, leave=(4, 5), moved=-4 * BEAT, behind=6)
        events = [dataclasses.replace(e, attempt=int(e.index is not None and e.index > 5)) for e in events]
        found, jumps = mended(line, events, (Jump(events[4].on_s, 4, 6),))
        self.assertEqual(
            ([e.index for e in found], [(j.origin, j.target) for j in jumps]),
            ([0, 1, 2, 3, 6, 7, 8, 9, 10], [(4, 6)]),
        )

    def test_of_two_bars_that_begin_alike_the_first_was_skipped(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/2 B4/2 | G4/1 C5/1 B4/1 A4/1 | F4/4")
        events = heard(line, leave=(4, 5), moved=-4 * BEAT, behind=6)
        events = [dataclasses.replace(e, index=4, before=4) if e.index == 6 else e for e in events]
        found, jumps = mended(line, events)
        self.assertEqual(
            ([e.index for e in found], [(j.origin, j.target) for j in jumps]),
            ([0, 1, 2, 3, 6, 7, 8, 9, 10], [(4, 6)]),
        )

    def test_the_end_of_a_skipped_bar_that_is_the_beginning_of_the_next(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/2 B4/1 A4/1 | C5/2 E4/2 | F4/4")
        played = heard(line, leave=(4, 5, 6), moved=-4 * BEAT, behind=7)
        # C in the third bar was heard an octave low, and taken for the A before it.
        k = next(k for k, e in enumerate(played) if e.index == 7)
        played[k] = dataclasses.replace(played[k], index=6, before=6, midi=60.0)
        found, jumps = mended(line, played)
        self.assertEqual(
            ([e.index for e in found], [(j.origin, j.target) for j in jumps]),
            ([0, 1, 2, 3, 7, 8, 9], [(4, 7)]),
        )

    def test_of_notes_of_one_pitch_the_long_one_in_a_bar_of_its_own_was_skipped(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/4 | G4/1 G4/1 A4/2 | C4/4")
        played = heard(line, leave=(4,), moved=-4 * BEAT, behind=5)
        taken = [
            dataclasses.replace(e, index=e.index - 1, before=e.index - 1) if e.index in (5, 6) else e
            for e in played
        ]
        found, jumps = mended(line, taken)
        self.assertEqual(
            ([e.index for e in found], [(j.origin, j.target) for j in jumps]),
            ([0, 1, 2, 3, 5, 6, 7, 8], [(4, 5)]),
        )

    def test_a_whole_bar_left_out_in_its_time_was_not(self) -> None:
        self.assertEqual(mended(self.LINE, heard(self.LINE, leave=(4, 5)))[1], [])

    def test_a_skip_takes_in_what_was_not_found_of_its_bar(self) -> None:
        events = heard(self.LINE, leave=(4, 5), moved=-4 * BEAT, behind=6)
        events = [dataclasses.replace(e, attempt=int(e.index is not None and e.index > 5)) for e in events]
        self.assertEqual(
            [(j.origin, j.target) for j in mended(self.LINE, events, (Jump(events[4].on_s, 5, 6),))[1]],
            [(4, 6)],
        )


class Tries(unittest.TestCase):
    def test_a_note_of_the_same_pitch_and_something_after_it_is_no_restart(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 E4/.5 D4/.5 | G4/4")
        events = heard(line)
        at = events[2].on_s
        broken = [
            dataclasses.replace(events[3], on_s=at, off_s=at + 0.4, next_s=at + 0.4, attempt=0),
            dataclasses.replace(events[4], on_s=at + 0.4, off_s=at + 0.55, next_s=at + BEAT, attempt=0),
        ]
        tried = [*events[:2], *broken, *(dataclasses.replace(e, attempt=1) for e in events[3:])]
        found, jumps = mended(line, tried, (Jump(at + BEAT, 5, 3),))
        self.assertEqual([e.index for e in found], [0, 1, 2, None, 3, 4, 5])
        self.assertEqual((jumps, {e.attempt for e in found}), ([], {0}))

    def test_a_place_gone_back_to_where_nothing_was_played_again_is_no_restart(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/4")
        events = [dataclasses.replace(e, attempt=int(k > 2)) for k, e in enumerate(heard(line))]
        found, jumps = mended(line, events, (Jump(events[3].on_s - 0.1, 3, 2),))
        self.assertEqual((jumps, {e.attempt for e in found}, len(found)), ([], {0}, 5))
        again = [
            *events[:3],
            dataclasses.replace(events[2], on_s=events[2].on_s + 0.4, attempt=1),
            *events[3:],
        ]
        self.assertEqual(len(mended(line, again, (Jump(again[3].on_s, 3, 2),))[1]), 1)  # played again: one


class BeforeItsRest(unittest.TestCase):
    LINE = line_of("C4/1 D4/1 E4/1 r/1 | F4/1 G4/1 A4/2")

    def spoken(self, sound: float, then: float, **more: float) -> list[PlayedNote]:
        """E sounds as `sound` in its time, and in its rest something else, which the way took for it."""
        events = heard(self.LINE)
        own = dataclasses.replace(
            events[2], index=None, midi=sound, off_s=events[2].on_s + 0.4, next_s=events[2].on_s + 0.6, **more
        )
        late = dataclasses.replace(
            events[2], midi=then, on_s=events[2].on_s + 0.6, off_s=events[2].on_s + 0.9
        )
        return mended(self.LINE, [*events[:2], own, late, *events[3:]])[0]

    def test_a_sound_in_the_rest_is_not_the_note_that_came_in_its_time(self) -> None:
        found = self.spoken(64.0, 52.3)
        self.assertEqual(
            [(e.index, e.midi) for e in found],
            [(0, 60.0), (1, 62.0), (2, 64.0), (3, 65.0), (4, 67.0), (5, 69.0)],
        )
        # the note was wrong by a semitone
        self.assertEqual([e.index for e in self.spoken(63.0, 52.3)], [0, 1, 2, 3, 4, 5])

    def test_a_note_too_many_before_the_right_one_stays_one(self) -> None:
        self.assertEqual([e.index for e in self.spoken(67.0, 64.0)], [0, 1, None, 2, 3, 4, 5])
        # the note before, sounding on
        self.assertEqual([e.index for e in self.spoken(64.0, 52.3, attack=0.1)], [0, 1, None, 2, 3, 4, 5])


class Blurred(unittest.TestCase):
    def test_a_tone_first_heard_an_octave_low_in_the_room_is_one_note(self) -> None:
        line = line_of("G4/1 C4/1 E4/1 F4/1 | G4/4")
        events = heard(line)
        on = events[1].on_s
        low = dataclasses.replace(
            events[1], index=None, midi=events[1].midi - 12, off_s=on + 0.15, next_s=on + 0.15
        )
        events[1:2] = [low, dataclasses.replace(events[1], on_s=on + 0.15, attack=0.3)]
        found = mended(line, events)[0]
        self.assertEqual([(e.index, e.on_s) for e in found][1], (1, on))


class Short(unittest.TestCase):
    def test_a_note_too_short_to_be_heard_in_tune_is_found_in_the_start_of_the_next(self) -> None:
        line = line_of("C4/1 D4/.75 E4/.25 F4/2 | G4/4")
        events = heard(line, leave=(2,))
        on = events[2].on_s
        table = NoteTable(
            line=line,
            events=tuple(events),
            jumps=(),
            first=0,
            last=4,
            last_try=(0, 1, None, 2, 3),
            seconds_per_quarter=(BEAT,) * 5,
            take_spq=BEAT,
            followed=True,
            share_right=1.0,
            ended_early=False,
        )
        start = StartSound(
            index=3,
            midi=64.9,
            on_s=on - 0.06,
            off_s=on + 0.01,
            clarity=0.95,
            below_db=2.0,
            spread=0.2,
            attack=0.8,
        )
        after, left = move_short_notes(table, [start])
        self.assertEqual((left, after.last_try), ([], (0, 1, 2, 3, 4)))
        self.assertEqual([e.midi for e in after.events], [60.0, 62.0, 64.0, 65.0, 67.0])
        other = dataclasses.replace(start, midi=71.0)
        self.assertEqual(move_short_notes(table, [other]), (table, [other]))


class Shifted(unittest.TestCase):
    def test_most_notes_an_octave_low(self) -> None:
        line = line_of("C4/1 D4/1 E4/1 F4/1 | G4/1 A4/1 B4/1 C5/1")
        low = [dataclasses.replace(e, midi=e.midi - 12 if e.midi > 62 else math.nan) for e in heard(line)]
        follow = NoteTable(
            line=line,
            events=tuple(low),
            jumps=(),
            first=0,
            last=7,
            last_try=tuple(range(8)),
            seconds_per_quarter=(BEAT,) * 8,
            take_spq=BEAT,
            followed=True,
            share_right=1.0,
            ended_early=False,
        )
        self.assertEqual(shifted_down(follow), -12)
        self.assertEqual(shifted_down(dataclasses.replace(follow, events=tuple(heard(line)))), 0)


if __name__ == "__main__":
    unittest.main()
