"""The same tune made fit: what is changed, what stays, and that it stays on the instrument."""

from __future__ import annotations

import unittest
from fractions import Fraction
from typing import Any

from jeweller.errors import DrillError
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.model import Part
from jeweller.notation.performance import perform_part
from jeweller.notation.readers.abc import read_abc
from jeweller.practice.fit import WAYS, fit_tune, propose_shift, sure_notes, ways_for
from tests.support import checked_take, part_of

TUNE = "T:A line\nM:3/4\nL:1/8\nQ:1/4=90\nK:F\n(C2|F2) {G}A2 c2|Tf2 z2 F2|c'2 C2 G>F|F4|"


def tune(text: str = TUNE) -> Part:
    return read_abc(text)[0].parts[0]


def pitches(part: Part) -> list[Any]:
    return [n.pitch.name if n.pitch is not None else "-" for b in part.bars for n in b.notes if not n.grace]


class Ways(unittest.TestCase):
    flute = require_instrument("flute")

    def test_each_way_changes_what_it_says_and_nothing_else(self) -> None:
        part = tune()
        made = {way: fit_tune(way, part, self.flute).part for way in WAYS}
        lengths = [n.duration for b in part.bars for n in b.notes if not n.grace]
        for way in ("key", "slower", "slurs", "graces", "leaps", "one_note"):
            self.assertEqual(
                [n.duration for b in made[way].bars for n in b.notes if not n.grace], lengths, way
            )
        self.assertFalse(any(n.slur_starts or n.slur_stops for b in made["slurs"].bars for n in b.notes))
        self.assertFalse(any(n.grace or n.ornament for b in made["graces"].bars for n in b.notes))
        self.assertEqual(pitches(made["graces"]), pitches(part))
        self.assertEqual(len(set(pitches(made["one_note"])) - {"-"}), 1)
        heard = [n.known_pitch.midi for b in made["leaps"].bars for n in b.notes if n.pitch is not None]
        self.assertTrue(all(abs(a - b) <= 7 for a, b in zip(heard, heard[1:], strict=False)), heard)
        letters = [p[0] for p in pitches(part)]
        self.assertEqual([p[0] for p in pitches(made["leaps"])], letters)

    def test_the_skeleton_has_a_note_a_beat_the_pickup_too(self) -> None:
        part = fit_tune("skeleton", tune(), self.flute).part
        self.assertEqual([b.length for b in part.bars][:2], [Fraction(1), Fraction(3)])
        self.assertEqual(pitches(part)[:10], ["C4", "F4", "A4", "C5", "F5", "-", "F4", "C6", "C4", "G4"])
        compound = fit_tune("skeleton", tune("T:A\nM:6/8\nL:1/8\nK:C\nCDE FGA|c3 z3|"), self.flute).part
        self.assertEqual([n.duration for n in compound.bars[0].notes], [Fraction(3, 2)] * 2)

    def test_what_there_is_nothing_of_is_not_offered(self) -> None:
        plain = part_of("C5/1 D5/1 E5/1 F5/1 | G5/4")
        offered = [f.kind for f in ways_for(plain, self.flute)]
        self.assertEqual(offered, ["key", "slower", "one_note", "skeleton"])
        with self.assertRaises(DrillError):
            fit_tune("slurs", plain, self.flute)

    def test_each_stays_on_the_instrument_and_can_be_played_out(self) -> None:
        for instrument in instruments():
            if instrument.family == "percussion" or instrument.high - instrument.low < 14:
                continue
            low = instrument.low - instrument.chromatic
            part = part_of("C5/1 D5/1 E5/1 F5/1 | G5/2 E5/2 | C5/4")
            from jeweller.notation.transposition import transpose_part

            part = transpose_part(part, low + 3 - 72)
            for fitted in ways_for(part, instrument):
                perform_part("", fitted.part)
                written = [n.pitch.midi for b in fitted.part.bars for n in b.notes if n.pitch is not None]
                self.assertGreaterEqual(min(written) + part.chromatic, min(instrument.low, low), fitted.kind)


class Keys(unittest.TestCase):
    def test_it_moves_to_where_the_player_is_sure(self) -> None:
        part = part_of("C5/1 D5/1 E5/1 F5/1 | G5/4")
        flute = require_instrument("flute")
        sure = {m: (1.0 if m < 72 else 0.2) for m in range(60, 90)}
        self.assertLess(propose_shift(part, flute, sure), -3)
        sure = {m: (0.2 if m < 76 else 1.0) for m in range(60, 90)}
        self.assertGreater(propose_shift(part, flute, sure), 3)
        self.assertEqual(abs(propose_shift(part, flute, {})) in (2, 5, 7), True)  # no sign more than needed

    def test_how_sure_each_note_is_comes_from_takes(self) -> None:
        report = checked_take().report
        sure = sure_notes([report])
        self.assertEqual(sure[70], 1.0)
        self.assertLess(sure[75], 1.0)  # the altered note that was forgotten
        self.assertEqual(sure_notes([]), {})


if __name__ == "__main__":
    unittest.main()
