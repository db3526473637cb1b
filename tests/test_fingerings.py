"""The woodwind fingerings against rules that hold whatever the chart says, and what is told from them."""

from __future__ import annotations

import unittest

from jeweller.instruments.fingerings import REGISTER, Keys, by_habit, chart, one_finger_apart
from jeweller.instruments.table import require_instrument

CHARTS = ("flute", "recorder", "oboe", "clarinet", "alto-saxophone", "bassoon")
# Where each instrument's registers begin (written MIDI): within one, no two notes share a first fingering.
REGISTERS = {
    "flute": (60, 74, 86),
    "recorder": (60, 75),
    "oboe": (58, 73),
    "clarinet": (52, 71, 85),
    "alto-saxophone": (58, 74, 86),
    "bassoon": (34, 54, 57),
}
# Pairs of neighbours whose fingers differ by more than five keys: the crossing of a break, and the notes of
# the high register that belong to another partial.
BREAKS = {
    ("flute", 73),
    ("flute", 85),
    ("flute", 86),
    ("flute", 95),
    ("recorder", 74),
    ("oboe", 72),
    ("clarinet", 70),
    ("alto-saxophone", 73),
    ("flute", 88),
    ("flute", 92),
    ("flute", 94),
    ("bassoon", 53),
    ("bassoon", 56),  # the vents
}


def fingers(keys: Keys) -> Keys:
    return keys - REGISTER


class Charts(unittest.TestCase):
    def test_every_note_of_the_range_has_one(self) -> None:
        for name in CHARTS:
            notes = sorted(chart(name))
            self.assertEqual(notes, list(range(notes[0], notes[-1] + 1)), name)

    def test_no_two_notes_of_a_register_share_a_first_fingering(self) -> None:
        for name in CHARTS:
            edges = (*REGISTERS[name], 128)
            for low, high in zip(edges, edges[1:], strict=False):
                ways = [w[0] for n, w in chart(name).items() if low <= n < high]
                self.assertEqual(len(ways), len(set(ways)), f"{name} from {low}")

    def test_neighbours_differ_by_few_fingers_but_where_a_register_breaks(self) -> None:
        for name in CHARTS:
            notes = chart(name)
            far = {
                (name, n)
                for n in notes
                if n + 1 in notes and min(len(a ^ b) for a in notes[n] for b in notes[n + 1]) > 5
            }
            self.assertLessEqual(far, BREAKS)

    def test_saxophones_and_flutes_overblow_the_octave_the_clarinet_the_twelfth(self) -> None:
        sax, clarinet = chart("alto-saxophone"), chart("clarinet")
        self.assertTrue(
            all(
                fingers(sax[n][0]) == fingers(sax[n + 12][0]) and "8va" in sax[n + 12][0]
                for n in range(62, 74)
            )
        )
        self.assertTrue(all(clarinet[n][0] | {"R"} == clarinet[n + 19][0] for n in range(52, 66)))
        flute = chart("flute")
        self.assertTrue(all(flute[n][0] == flute[n + 12][0] for n in range(64, 74)))

    def test_going_down_a_register_never_lifts_a_main_finger_but_in_forks(self) -> None:
        for name, low, high in (
            ("flute", 62, 72),
            ("clarinet", 55, 65),
            ("alto-saxophone", 62, 71),
            ("oboe", 62, 71),
        ):
            notes = chart(name)
            count = [len(notes[n][0] & set("123456")) for n in range(low, high + 1)]
            self.assertTrue(all(b <= a + 1 for a, b in zip(count, count[1:], strict=False)), name)
            self.assertGreater(count[0], count[-1])


class Told(unittest.TestCase):
    def test_one_finger_apart(self) -> None:
        self.assertTrue(one_finger_apart("alto-saxophone", 64, 65))  # E and F
        self.assertTrue(one_finger_apart("alto-saxophone", 67, 68))  # G and A♭: the little finger
        self.assertFalse(one_finger_apart("alto-saxophone", 65, 66))  # F and F♯ change over
        self.assertTrue(one_finger_apart("clarinet", 64, 65))  # the first finger
        self.assertFalse(one_finger_apart("clarinet", 69, 70))  # A and B♭: the register key
        self.assertFalse(one_finger_apart("trumpet", 50, 52))  # no chart

    def test_the_fingers_of_another_instrument(self) -> None:
        # The open G of a clarinet is a saxophone's C♯, in one octave or the other.
        self.assertEqual(by_habit("alto-saxophone", "clarinet", 67), frozenset({73, 85}))
        # A saxophone's B, one finger, is an E on the clarinet, or the B above it.
        self.assertEqual(by_habit("clarinet", "alto-saxophone", 71), frozenset({64, 83}))
        self.assertEqual(by_habit("alto-saxophone", "flute", 67), frozenset())  # the same fingers
        self.assertEqual(by_habit("flute", "trumpet", 67), frozenset())

    def test_sounding_pitches_and_who_knows_what(self) -> None:
        sax = require_instrument("Alto saxophone")
        self.assertTrue(sax.one_finger_apart(64 - 9, 65 - 9))
        self.assertIsNone(sax.habit_of(67 - 9, 73 - 9))


if __name__ == "__main__":
    unittest.main()
