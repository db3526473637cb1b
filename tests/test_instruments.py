"""The instrument table against rules: schema, names, ranges, registers, a fingering for every note, and which
fingering is proposed.
"""

from __future__ import annotations

import json
import math
import re
import unittest
from pathlib import Path

import jsonschema

from jeweller.errors import ScoreError
from jeweller.instruments import table
from jeweller.instruments.choose import choose, fingerings, trill
from jeweller.instruments.fingerings import note_midi
from jeweller.instruments.table import find_instrument, instrument_for, instruments, require_instrument

FOLDER = Path(table.__file__).parent
LEVELS = ("beginner", "intermediate", "advanced")
# Above these written notes nothing is charted: the fingerings of the highest notes differ from maker to
# maker.
CHARTED_TO = {"bassoon": "D4", "contrabassoon": "D4", "oboe": "C6", "english-horn": "C6"}


def texts(name: str, *notes: str) -> list[str]:
    chosen = choose(require_instrument(name), [note_midi(n) for n in notes])
    return [f.text if f else "" for f in chosen]


class Table(unittest.TestCase):
    def test_the_open_files_keep_their_schemas(self) -> None:
        for name in ("table", "fingerings"):
            data, schema = (
                json.loads((FOLDER / f"{name}{end}.json").read_text(encoding="utf-8"))
                for end in ("", ".schema")
            )
            jsonschema.validate(data, schema)

    def test_every_instrument_is_found_by_each_of_its_names_and_none_by_anothers(self) -> None:
        for i in instruments():
            for name in (i.id, i.name, i.uk, *i.also):
                if name:
                    self.assertEqual(require_instrument(name).id, i.id, name)
        for name, wanted in (
            ("1st Bass Clarinet", "bass-clarinet"),
            ("Tenor Horn", "alto-horn"),
            ("Trombone 2", "trombone"),
            ("Side Drum", "snare-drum"),
            ("F horn 3", "horn"),
            ("Eb Clarinet", "clarinet-eb"),
            ("Euphonium T.C.", "euphonium-tc"),
            ("Trumpet in C", "trumpet-c"),
            ("B♭ Trumpet 1", "trumpet"),
            ("Contrabass Clarinet", "contrabass-clarinet"),
            ("Soprano Cornet in Eb", "cornet-eb"),
            ("Double Bass", "string-bass"),
            ("Sousaphone", "sousaphone"),
            ("Tenor Tuba", "euphonium"),
            ("Trumpet in D", ""),  # one of another size or key is never taken for it
            ("Bass Oboe", ""),
        ):
            found = find_instrument(name)
            self.assertEqual(found.id if found else "", wanted, name)

    def test_a_part_of_another_key_keeps_its_own_transposition_and_its_fingers(self) -> None:
        high = instrument_for("Trumpet in D", 2, 60, 80)
        usual = require_instrument("trumpet")
        self.assertEqual((high.id, high.chromatic, high.name), ("trumpet", 2, "Trumpet in D"))
        for n in range(note_midi("C4"), note_midi("C5")):
            self.assertEqual(fingerings(high, n)[0].text, fingerings(usual, n)[0].text)

    def test_an_unknown_name_is_told_with_those_that_may_be_meant(self) -> None:
        for name, told in (
            ("Sax", "Is it one of these: Soprano saxophone, Alto saxophone, "),
            ("Trombon", "Is it one of these: Trombone, Trombone with F attachment, Bass trombone?"),
            ("Kazoo", "there are Piccolo, Flute, "),
        ):
            with self.assertRaisesRegex(ScoreError, re.escape(told)):
                require_instrument(name)

    def test_ranges_lie_in_one_another_and_on_the_instrument(self) -> None:
        for i in instruments():
            ranges = [i.written_range(level) for level in LEVELS]
            if i.clef == "percussion":
                self.assertEqual(ranges, [None, None, None])
                continue
            for inner, outer in zip(ranges, ranges[1:], strict=False):
                assert inner and outer
                self.assertTrue(outer[0] <= inner[0] < inner[1] <= outer[1], i.id)
            assert ranges[2]
            self.assertTrue(
                i.low <= ranges[2][0] + i.chromatic and ranges[2][1] + i.chromatic <= i.high,
                (i.id, ranges[2]),
            )
            self.assertGreaterEqual(ranges[0][1] - ranges[0][0], 7 if i.id == "timpani" else 12, i.id)

    def test_the_first_scale_of_a_band_lies_in_every_beginner_s_range(self) -> None:
        elsewhere = {"recorder", "alto-recorder", "tenor-recorder", "clarinet-a"}  # no band's first scale
        for i in instruments():
            if i.family == "percussion" or i.id in elsewhere:
                continue
            tonic = (10 - i.chromatic) % 12
            low, high = i.written_range("beginner") or (0, 0)
            self.assertTrue(
                any(low <= n and n + 12 <= high for n in range(tonic, 127, 12)), (i.id, low, high)
            )

    def test_registers_begin_at_the_bottom_and_rise(self) -> None:
        for i in instruments():
            starts = [note_midi(first) for _, first in i.registers]
            self.assertEqual(starts, sorted(set(starts)), i.id)
            lowest = i.written_range("advanced")
            if starts and lowest:
                self.assertLessEqual(starts[0], lowest[0], i.id)
                self.assertEqual(i.register(lowest[0]), i.registers[0][0])
        self.assertEqual(
            [require_instrument("clarinet").register(note_midi(n)) for n in ("F4", "G4", "B4", "D6")],
            ["chalumeau", "throat", "clarion", "altissimo"],
        )

    def test_written_and_sounding_agree_with_the_name(self) -> None:
        for i in instruments():
            letter = next((w for w in ("B♭", "E♭", "F", "A", "C") if f" in {w}" in i.name), None)
            if letter and i.clef == "G":
                self.assertEqual(
                    (i.chromatic - {"B♭": -2, "E♭": 3, "F": 5, "A": -3, "C": 0}[letter]) % 12, 0, i.id
                )


class Fingered(unittest.TestCase):
    def test_every_note_of_every_range_has_one(self) -> None:
        for i in instruments():
            whole = i.written_range("advanced")
            if i.family in ("percussion", "other") or whole is None:
                continue
            none = [n for n in range(whole[0], whole[1] + 1) if not fingerings(i, n)]
            self.assertEqual(none, [], i.id)
            if i.id in CHARTED_TO:
                self.assertEqual(whole[1], note_midi(CHARTED_TO[i.id]))

    def test_brass_ways_agree_with_valves_slides_and_partials(self) -> None:
        for i in instruments():
            for n in range(i.low, i.high + 1):
                for way in i.ways(n):
                    shift = dict(i.sides)[way.side]
                    exact = (i.fundamental or 0) + shift - way.drop + 12 * math.log2(way.partial)
                    self.assertLess(abs(exact - n), 0.5, (i.id, n, way))
                    self.assertLessEqual(way.drop, 6 if i.valves < 4 else 11)
        self.assertEqual(
            texts("trumpet", "C4", "D4", "E4", "F4", "G4", "A4", "B4", "C5"),
            ["0", "1-3", "1-2", "1", "0", "1-2", "2", "0"],
        )
        self.assertEqual(
            texts("trombone", "B♭2", "C3", "D3", "E♭3", "F3", "G3", "A3", "B♭3"),
            ["1", "6", "4", "3", "1", "4", "2", "1"],
        )

    def test_the_same_valves_on_every_treble_brass(self) -> None:
        names = (
            "trumpet",
            "cornet",
            "flugelhorn",
            "mellophone",
            "alto-horn",
            "baritone-tc",
        )
        fourth = ("euphonium-tc", "bass-eb-tc", "bass-bb-tc")
        for n in range(note_midi("F♯3"), note_midi("C6") + 1):
            three = {fingerings(require_instrument(name), n)[0].text for name in names}
            four = {fingerings(require_instrument(name), n)[0].text for name in fourth}
            self.assertEqual((len(three), len(four)), (1, 1), n)
            instead = {"1-3": "4", "1-2-3": "2-4"}
            self.assertEqual({instead.get(text, text) for text in three}, four, n)

    def test_thumb_and_trigger(self) -> None:
        self.assertEqual(
            [
                fingerings(require_instrument("double-horn"), note_midi(n))[0].text
                for n in ("G4", "G♯4", "A4", "B♭4", "C5", "D5")
            ],
            ["0", "T 2-3", "T 1-2", "T 1", "T 0", "T 1-2"],
        )
        self.assertEqual(
            [f.text for f in fingerings(require_instrument("trombone-f"), note_midi("C3"))][:2], ["F 1", "6"]
        )
        self.assertEqual(fingerings(require_instrument("trombone-f"), note_midi("C2"))[0].text, "F 6")
        self.assertEqual(fingerings(require_instrument("trombone-f"), note_midi("B♭2"))[0].text, "1")

    def test_passages_are_fingered_as_a_teacher_expects(self) -> None:
        """Each line of the table: the instrument, notes, and what must be held for each of them."""
        lines = (Path(__file__).parent / "passages.txt").read_text(encoding="utf-8").splitlines()
        passages = [line for line in lines if line and not line.startswith("#")]
        self.assertGreaterEqual(len(passages), 200)
        for line in passages:
            name, notes, wanted = (part.split() for part in line.split(":"))
            instrument = require_instrument(name[0])
            fast = notes[0] == "fast"
            seconds = [0.1] * (len(notes) - fast) if fast else None
            chosen = choose(instrument, [note_midi(n) for n in notes[fast:]], seconds)
            for f, want in zip(chosen, wanted, strict=True):
                with self.subTest(line):
                    assert f is not None
                    if instrument.fundamental is not None:
                        self.assertEqual(f.text, want.replace("_", " "))
                        continue
                    for key in want.split(",") if want != "." else ():
                        if key[0] == "-":
                            self.assertNotIn(key[1:], f.keys)
                        else:
                            self.assertIn(key, f.keys)

    def test_a_trill_moves_one_finger_where_one_does_it(self) -> None:
        for name, main, upper, moves in (
            ("flute", "A4", "B4", "2"),
            ("flute", "C5", "D5", "tr1"),
            ("clarinet", "A4", "B4", "s3 s4"),
            ("alto-saxophone", "G4", "A4", "3"),
            ("trumpet", "D5", "E5", "1"),
            ("trumpet", "F4", "G4", "1"),
            ("recorder", "A4", "B4", "2"),
            ("oboe", "G4", "A4", "3"),
        ):
            with self.subTest(name, main=main):
                made = trill(require_instrument(name), note_midi(main), note_midi(upper))
                self.assertEqual(" ".join(sorted(made.moves)) if made else "", moves)
        self.assertIsNone(trill(require_instrument("trombone"), note_midi("F3"), note_midi("G3")))  # a slide
        # over the break
        self.assertIsNone(trill(require_instrument("clarinet"), note_midi("B♭4"), note_midi("C5")))
        horn = trill(require_instrument("horn"), note_midi("C5"), note_midi("D5"))
        # lips alone
        self.assertEqual(
            (horn.main.text, horn.upper.text, set(horn.moves)) if horn else None, ("0", "0", set())
        )

    def test_the_upper_notes_of_trills_are_notes_of_the_chart(self) -> None:
        data = json.loads((FOLDER / "fingerings.json").read_text(encoding="utf-8"))
        for name, notes in data["trills"].items():
            for note, ways in notes.items():
                self.assertIn(note, data["charts"][name])
                self.assertFalse(set(ways) & set(data["charts"][name][note]), (name, note))

    def test_rests_and_notes_off_the_chart_break_the_row(self) -> None:
        self.assertEqual(choose(require_instrument("bassoon"), [None, 1, None]), [None, None, None])
        self.assertEqual(choose(require_instrument("flute"), []), [])


if __name__ == "__main__":
    unittest.main()
