"""Drills made of the place a finding was heard in: each is music that the check can follow."""

from __future__ import annotations

import dataclasses
import unittest
from typing import Any, cast

from jeweller.documents.drill_picture import draw_drill
from jeweller.documents.engraving import engrave
from jeweller.documents.text_lines import rows_height
from jeweller.documents.theme import PRINTED
from jeweller.errors import DrillError
from jeweller.instruments.table import Instrument, instruments, require_instrument
from jeweller.notation.model import Part
from jeweller.notation.performance import perform_part
from jeweller.practice.drills import DRILLS, make_drill
from jeweller.practice.remedies import load_remedies
from jeweller.report_format import ReportFinding
from tests.support import part_of

MUSIC = (
    "Bb4/1 C5/1 D5/1 Eb5/1 | {G5}F5/2 Eb5/1.5 D5/.5 | D5/2t r/2 | Bb4/1 D5/1 F5/1 Eb5/1( | D5/1 C5/1) Bb4/2"
)


def at(bar: str, beat: float = 1.0, kind: str = "wrong_note") -> ReportFinding:
    return cast(ReportFinding, {"kind": kind, "bar": bar, "beat": beat, "pass": 1, "notes": [], "detail": {}})


SCALES = ("say_scale", "shrinking", "octaves")  # need an octave and more
FLUTE = require_instrument("flute")
PLAYED = [i for i in instruments() if i.clef != "percussion"]


def moved_to(instrument: Instrument, text: str) -> Part:
    """Music in the middle of what an instrument has."""
    part = part_of(text, chromatic=instrument.chromatic)
    middle = (instrument.low + instrument.high) // 2 - instrument.chromatic
    by = 12 * round((middle - 74) / 12)
    bars = tuple(
        dataclasses.replace(
            b,
            notes=tuple(
                n
                if n.pitch is None
                else dataclasses.replace(
                    n, pitch=dataclasses.replace(n.pitch, octave=n.pitch.octave + by // 12)
                )
                for n in b.notes
            ),
        )
        for b in part.bars
    )
    return dataclasses.replace(part, bars=bars)


class Drills(unittest.TestCase):
    def make(
        self, kind: str, bar: str = "2", beat: float = 1.0, instrument: str = "flute", **options: Any
    ) -> Part:
        part = part_of(MUSIC, fifths=-2, **options)
        drill = make_drill(kind, part, at(bar, beat), require_instrument(instrument))
        self.assertTrue(drill.title and drill.how)
        line = perform_part("", drill.part)  # a take of it can be checked
        self.assertEqual(len({n.id for n in line.notes}), len(line.notes))
        for bar_ in drill.part.bars:
            self.assertLessEqual(sum(n.duration for n in bar_.notes if not n.chord), bar_.metre.length)
        return drill.part

    def names(self, part: Part) -> list[str]:
        return [n.pitch.name for b in part.bars for n in b.notes if n.pitch is not None]

    def test_every_drill_of_the_table_can_be_made(self) -> None:
        wanted = {r.drill for r in load_remedies(None).rows} - {"none"}
        self.assertEqual(wanted, set(DRILLS))
        for kind in DRILLS:
            self.make(kind)

    def test_the_two_notes_in_turn(self) -> None:
        self.assertEqual(set(self.names(self.make("switch", "1", 4.0))), {"D5", "E♭5"})

    def test_its_rhythm_on_one_note(self) -> None:
        part = self.make("one_note", "2", 3.0)
        self.assertEqual(set(self.names(part)), {"E♭5"})
        self.assertEqual([float(n.duration) for n in part.bars[0].notes], [2.0, 1.5, 0.5])

    def test_what_spoke_too_high_is_come_to_from_above(self) -> None:
        part, flute = part_of(MUSIC, fifths=-2), FLUTE
        for apart, above in ((12, True), (-12, False), (0, False)):
            wrong = cast(ReportFinding, {**at("2", 3.0, "wrong_partial"), "detail": {"semitones": apart}})
            safe, note = [
                n.known_pitch.midi for n in make_drill("from_safe", part, wrong, flute).part.bars[0].notes
            ]
            self.assertEqual(safe > note, above, apart)

    def test_a_bar_of_one_note_is_practised_with_the_one_before(self) -> None:
        part = part_of("C5/1 D5/1 E5/1 F5/1 | G5/4 | F5/1 E5/1 D5/2")
        bars = [len(make_drill("slow_bar", part, at(n), FLUTE).part.bars) for n in ("1", "2", "3")]
        self.assertEqual(bars, [1, 2, 1])

    def test_without_the_grace_note_then_with_it(self) -> None:
        part = self.make("grace_without")
        self.assertEqual([any(n.grace for n in b.notes) for b in part.bars], [False, True])

    def test_the_trill_from_its_note_in_the_key(self) -> None:
        self.assertEqual(set(self.names(self.make("trill_slow", "3"))), {"D5", "E♭5"})

    def test_reminders_stand_before_every_altered_note(self) -> None:
        part = self.make("reminders", "1")
        signs = [n.accidental for n in part.bars[0].notes]
        self.assertEqual(signs, ["flat", None, None, "flat"])

    def test_breaths_are_marked_around_the_slur_or_behind_the_bars(self) -> None:
        slurred = part_of("C5/2 D5/2 | E5/1( F5/1 G5/1) A5/1 | C5/4")
        for part, wanted in (
            (slurred, ["D5", "G5"]),
            (part_of("C5/2 D5/2 | E5/1 F5/1 G5/1 A5/1 | C5/4"), ["D5", "C5"]),
        ):
            drill = make_drill("breaths", part, at("2", 2.0), FLUTE)
            told = [n.pitch.name for b in drill.part.bars for n in b.notes if n.breath_after and n.pitch]
            self.assertEqual(told, wanted)

    def test_fingerings_stand_once_under_each_note_to_switch_and_counts_under_what_is_counted(self) -> None:
        part = part_of(MUSIC, fifths=-2)
        for kind, instrument, words in (("switch", "trumpet", 2), ("one_note", "flute", None)):
            made = require_instrument(instrument)
            drill = make_drill(kind, part, at("1", 4.0), made)
            picture = draw_drill(drill, made, 1500.0)
            notes = [n for b in picture.told.bars for n in b.notes]
            self.assertEqual(len(notes), words or len([n for b in drill.part.bars for n in b.notes]))
            plain = engrave(drill.part, 1500.0, rails=False)
            below = picture.engraving.systems[-1].lowest + rows_height(picture.lines, made)
            self.assertLessEqual(below, picture.height)
            self.assertGreater(len(picture.svg(PRINTED)), len(plain.svg(PRINTED)) + 100)
        scale = make_drill("say_scale", part, at("1", 4.0), FLUTE)
        self.assertEqual(
            draw_drill(scale, FLUTE, 1500.0).svg(PRINTED),
            engrave(scale.part, 1500.0, rails=False).svg(PRINTED),
        )

    def test_the_scale_is_that_of_the_place(self) -> None:
        names = {n[:-1] for n in self.names(self.make("say_scale"))}
        self.assertEqual(names, {"B♭", "C", "D", "E♭", "F", "G", "A"})

    def test_octaves_stay_on_the_instrument(self) -> None:
        low = self.names(self.make("octaves", "1", 1.0))
        self.assertEqual(set(low), {"B♭4", "B♭5"})  # the flute has no B♭3

    def test_slurs_lead_up_from_a_safe_note(self) -> None:
        part = self.make("from_safe", "4", 3.0)
        notes = [n for b in part.bars for n in b.notes]
        self.assertEqual([bool(n.slur_starts) for n in notes][:2], [True, False])
        self.assertLess(cast(Any, notes[0].pitch).midi, cast(Any, notes[1].pitch).midi)

    def test_a_tie_inside_the_bar_stays_one_note(self) -> None:
        drill = make_drill("slow_bar", part_of("C5/4_ | C5/1 D5/1_ D5/1 E5/1_ | E5/4"), at("2"), FLUTE)
        line = perform_part("", drill.part)
        self.assertEqual([float(n.duration) for n in line.main_notes], [1.0, 2.0, 1.0])

    def test_each_can_be_played_on_every_instrument_wherever_it_is_asked_for(self) -> None:
        for instrument in PLAYED:
            part = moved_to(instrument, "r/4 | C5/1 r/.5 D5/1.5 E5/1 | F5/2 {E5}D5/2t | C5/4")
            top = max(n.sounding_midi for n in perform_part("", part).notes)
            for kind in DRILLS:
                for bar in ("1", "2", "3", "99"):
                    try:
                        drill = make_drill(kind, part, at(bar), instrument)
                    except DrillError as error:
                        highest = kind == "trill_slow" and top + 2 > instrument.high
                        narrow = kind in SCALES and instrument.high - instrument.low < 24
                        told = (kind, instrument.id, bar, str(error))
                        self.assertTrue(bar in ("1", "99") or highest or narrow, told)
                        continue
                    line = perform_part("", drill.part)
                    outside = [
                        n.sounding_midi
                        for n in line.notes
                        if not instrument.low <= n.sounding_midi <= instrument.high
                    ]
                    self.assertEqual(outside, [], (kind, instrument.id, bar))

    def test_in_compound_time_and_with_a_pickup(self) -> None:
        part = part_of("C5/.5 | D5/1.5 E5/1 F5/.5 | G5/3 | C5/2.5", beats=6, beat_type=8)
        for kind in DRILLS:
            for bar in [b.number for b in part.bars]:
                try:
                    drill = make_drill(kind, part, at(bar), FLUTE)
                except DrillError:
                    continue
                for made in drill.part.bars:
                    filled = sum(n.duration for n in made.notes if not n.chord and not n.grace)
                    self.assertLessEqual(filled, made.metre.length, (kind, bar))
                self.assertTrue(perform_part("", drill.part).main_notes)

    def test_what_cannot_be_made_is_said(self) -> None:
        with self.assertRaisesRegex(DrillError, "There is no drill"):
            make_drill("none", part_of(MUSIC), at("1"), require_instrument("flute"))
        with self.assertRaises(DrillError):
            make_drill("switch", part_of("C5/4 | r/4"), at("2"), require_instrument("flute"))


if __name__ == "__main__":
    unittest.main()
