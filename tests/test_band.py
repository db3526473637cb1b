"""Across the band: the same bars in every part's own letters, shared rhythms, alterations; and music written
for another instrument.
"""

from __future__ import annotations

import dataclasses
import unittest

from jeweller.difficulty.ensemble import (
    alterations,
    begin_from,
    compare_parts,
    describe_ensemble,
    rhythm_groups,
)
from jeweller.difficulty.traps import find_traps
from jeweller.exercises.parts import best_octave, to_concert_pitch, write_for_instrument
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.barring import add_accidentals
from jeweller.notation.model import Part, Score
from jeweller.notation.performance import perform_part
from tests.support import part_of

TUNE = "C5/1 D5/1 Eb5/1 D5/1 | F#5/2 G5/2 | Bb4/1 A4/1 G4/2"


def band(*names: str) -> Score:
    tune = dataclasses.replace(part_of(TUNE, fifths=-2), chromatic=0)
    tune = dataclasses.replace(tune, bars=add_accidentals(tune.bars, courtesy=False))
    return Score("Ours", tuple(write_for_instrument(tune, require_instrument(n)) for n in names))


def sounding(part: Part) -> list[int]:
    return [n.sounding_midi for n in perform_part("", part).notes]


class WrittenFor(unittest.TestCase):
    def test_every_instrument_sounds_the_same_and_reads_its_own_key_and_clef(self) -> None:
        tune = part_of(TUNE, fifths=-2)
        for instrument in instruments():
            if instrument.clef != "percussion":
                part = write_for_instrument(tune, instrument)
                self.assertEqual(sounding(part), sounding(tune), instrument.id)
                self.assertEqual(part.bars[0].clef[0], instrument.clef)
                self.assertLessEqual(abs(part.bars[0].fifths), 6)
        clarinet = write_for_instrument(tune, require_instrument("clarinet"))
        self.assertEqual([n.pitch.name for n in clarinet.bars[1].notes if n.pitch], ["G♯5", "A5"])
        self.assertEqual((clarinet.bars[0].fifths, clarinet.bars[1].notes[0].accidental), (0, "sharp"))

    def test_in_concert_pitch_everybody_reads_the_same(self) -> None:
        for part in band("flute", "clarinet", "horn", "tuba").parts:
            shown = to_concert_pitch(part)
            self.assertEqual(
                ([n.written_midi for n in perform_part("", shown).notes], shown.bars[0].fifths),
                (sounding(part), -2),
            )

    def test_nothing_is_moved_into_a_range_unasked_and_the_best_octave_is_told(self) -> None:
        tune, tuba = part_of(TUNE, fifths=-2), require_instrument("tuba")
        self.assertIn(
            "outside the range of the Tuba",
            [t.what for t in find_traps(write_for_instrument(tune, tuba), tuba)],
        )
        octaves = best_octave(tune, tuba)
        self.assertEqual(octaves, -3)
        moved = write_for_instrument(tune, tuba, octaves=octaves)
        self.assertEqual(
            [a - b for a, b in zip(sounding(moved), sounding(tune), strict=True)], [-36] * len(sounding(tune))
        )
        self.assertEqual([t.what for t in find_traps(moved, tuba) if "outside" in t.what], [])
        self.assertEqual(best_octave(tune, require_instrument("flute")), 0)


class Across(unittest.TestCase):
    def test_the_others_in_their_own_letters(self) -> None:
        lines = compare_parts(band("flute", "clarinet", "alto-saxophone", "horn"), 0, 0)
        self.assertEqual(
            [(x.part, x.own) for x in lines],
            [
                ("Flute", ("C", "D", "E♭", "D")),
                ("Clarinet in B♭", ("D", "E", "F", "E")),
                ("Alto saxophone", ("A", "B", "C", "B")),
                ("Horn in F", ("G", "A", "B♭", "A")),
            ],
        )
        self.assertEqual({x.concert for x in lines}, {("C", "D", "E♭", "D")})

    def test_alterations_are_told_for_everybody(self) -> None:
        self.assertEqual(
            alterations(band("flute", "clarinet", "alto-saxophone")),
            [("2", (("Flute", "F♯"), ("Clarinet in B♭", "G♯"), ("Alto saxophone", "D♯")))],
        )

    def test_who_shares_a_rhythm_and_where_to_begin(self) -> None:
        score = band("flute", "clarinet", "horn")
        other = dataclasses.replace(part_of("C5/2 C5/2 | F5/2 G5/2 | C5/1 C5/1 C5/2"), name="Tuba")
        score = dataclasses.replace(score, parts=(*score.parts, other))
        self.assertEqual([len(g[0]) for g in rhythm_groups(score)], [3, 4, 4])
        passage = begin_from(score)
        assert passage is not None
        self.assertEqual((passage.first, passage.last, len(passage.parts)), ("2", "3", 4))
        told = describe_ensemble(score)
        self.assertIn("Begin with bars 2 and 3: everybody has the same rhythm there.", told)
        self.assertIn("Bar 1: Tuba alone; Flute, Clarinet in B♭ and Horn in F together.", told)
        self.assertIsNone(begin_from(Score("", (other,))))


if __name__ == "__main__":
    unittest.main()
