"""Traps, what lightens a part, its reading level and path, against hand-worked parts; and what a check
answers.
"""

from __future__ import annotations

import contextlib
import io
import json
import unittest

from bench.levels import agreement, judged

from jeweller.cli.main import main
from jeweller.difficulty.analysis import analyse_part
from jeweller.difficulty.simplifications import find_simplifications
from jeweller.difficulty.trap import Trap
from jeweller.difficulty.traps import KINDS, find_traps
from jeweller.errors import ScoreError
from jeweller.exercises.make import make_exercise
from jeweller.exercises.request import ExerciseRequest
from jeweller.instruments.table import require_instrument
from jeweller.notation.model import Part
from jeweller.notation.readers.abc import read_abc
from jeweller.report.traps import answer_traps
from tests.support import TempCase, part_of, score_file

GOOD_BREATH = "no rest here for long: a good place to breathe is after this note"


def traps(music: str, **options: object) -> dict[str, Trap]:
    return {t.what: t for t in find_traps(part_of(music, **options))}  # type: ignore[arg-type]


class Traps(unittest.TestCase):
    def test_accidentals_by_where_they_come_from(self) -> None:
        found = traps("Bb4/1 B4/1 Bn4/1 Eb5/1 | Bb4/1 F#5/1 F#5/1 Fn5/1 | F5/4", fifths=-2)
        told = {
            k: (t.kind, t.bars, t.count)
            for k, t in found.items()
            if t.kind in ("altered", "printed", "carried")
        }
        self.assertEqual(
            told,
            {
                "B♭ by the key signature": ("altered", ("1", "2"), 3),
                "E♭ by the key signature": ("altered", ("1",), 1),
                "B♮ printed": ("printed", ("1",), 1),
                "F♯ printed": ("printed", ("2",), 1),
                "F♯ still, by the accidental before it in the bar": ("carried", ("2",), 1),
                "F♮ printed": ("printed", ("2",), 1),
            },
        )
        self.assertIn("B♭ major: B♭ and E♭", found)

    def test_metre_pickup_and_lengths(self) -> None:
        found = traps("C5/1 | C5/1.5 D5/.5 E5/1 | r/1 C5/.5 E5/1 D5/.5 | C5/2_ | C5/2", beats=3)
        self.assertIn("3/4", found)
        self.assertIn("begins with a quarter note before the first bar; the last bar makes it up", found)
        self.assertEqual(found["a rest to be counted"].bars, ("3",))
        self.assertEqual(found["a dotted note and the short one after it"].count, 1)
        self.assertEqual(found["syncopation: short, long, short"].bars, ("3",))
        self.assertEqual(found["tied to the next: not played again"].count, 1)

    def test_leaps_repeated_notes_and_range(self) -> None:
        found = traps("C5/1 C5/1 C5/1 D5/1 | A5/1 r/1 C5/1 D5/1")
        self.assertEqual(found["a leap of a fifth or more to this note"].bars, ("2",))
        self.assertEqual(found["after several notes alike the line moves"].bars, ("1",))
        self.assertEqual(found["the highest note is A5"].count, 1)
        part = part_of("E4/1 G4/1 B4/1 C5/1")
        self.assertEqual(
            {
                t.what: t.count
                for t in find_traps(part, require_instrument("clarinet"))
                if t.kind == "register"
            },
            {"crosses the break": 1, "another register from here": 1},
        )
        self.assertIn(
            "is new for this player",
            " ".join(t.what for t in find_traps(part, None, frozenset({64, 67, 71}))),
        )
        self.assertIn(
            "outside the range of the Trumpet",
            " ".join(t.what for t in find_traps(part_of("C3/4"), require_instrument("trumpet"))),
        )

    def test_notes_that_an_instrument_has_are_not_outside_it_though_few_play_them(self) -> None:
        for name, note, outside in (
            ("bass-clarinet", "Eb3", False),
            ("bass-clarinet", "D3", True),
            ("bassoon", "A4", False),
            ("euphonium", "Eb2", False),
            ("timpani", "D2", False),
        ):
            told = [t.kind for t in find_traps(part_of(f"{note}/4"), require_instrument(name))]
            self.assertEqual("outside" in told, outside, (name, note))

    def test_what_the_instrument_asks(self) -> None:
        for name, music, what, bars in (
            ("trombone", "Bb2/1 C3/1 Bb2/2", "a long way on the slide to this note", ("1",)),
            ("trumpet", "D4/2 E4/2", "valves 1-3 or 1-2-3, which are sharp: the third slide out", ("1",)),
            ("trumpet", "A5/2 G4/2", "high, where notes of one fingering lie close: hear it first", ("1",)),
            ("alto-saxophone", "C5/2 D5/2", "the register key and several fingers at once", ("1",)),
            ("flute", "C4/2 Eb4/2", "the same little finger goes from key to key", ("1",)),
            ("flute", "C6/2 A4/2", "two ledger lines or more", ("1",)),
            ("flute", "G#4/2 A4/1 Ab4/1", "G♯ and A♭ are the same key", ("1",)),
            ("flute", "G4/4 | A4/4 | G4/4 | A4/4 | G4/4 | A4/4", GOOD_BREATH, ("2", "5")),
        ):
            with self.subTest(what):
                found = {t.what: t for t in find_traps(part_of(music), require_instrument(name))}
                self.assertIn(what, found)
                self.assertEqual(found[what].bars, bars)
        calm = find_traps(part_of("E4/1 F4/1 G4/1 F4/1 | E4/4"), require_instrument("trumpet"))
        self.assertFalse([t for t in calm if t.kind in ("technique", "breath")])

    def test_a_mute_needs_time(self) -> None:
        text = 'M:4/4\nL:1/4\nQ:1/4=60\nK:C\nG4|z4|z4|"mute"G4|"open"A4|]'
        part = read_abc(text)[0].parts[0]
        said = [t.what for t in find_traps(part, require_instrument("trumpet")) if "mute" in t.what]
        self.assertIn("the mute goes in: 8 seconds for it", said)
        self.assertIn("the mute comes out: no rest to do it in", said)
        self.assertIn(
            "asks for a mute, which it has not",
            [t.what for t in find_traps(part, require_instrument("flute"))],
        )

    def test_what_is_no_trap(self) -> None:
        fills = traps("C5/3 | D5/3 | E5/3", beats=3)  # a dotted half note fills its bar
        self.assertNotIn("a dotted note and the short one after it", fills)
        alike = traps("C5/1 C5/1 C5/2 | C5/4")
        self.assertFalse([what for what in alike if what.startswith(("the highest", "the lowest"))])
        rests = traps("C5/4 | r/4 | r/4 | r/4 | D5/4 | r/4 | C5/4")
        self.assertEqual(
            [what for what in rests if "rest" in what],
            ["3 bars of rest, from bar 2", "1 bar of rest, from bar 6"],
        )

    def test_signs_form_and_bars_that_look_alike(self) -> None:
        found = traps(
            "C5/1( D5/1) {B4}E5/1t F5/1f | C5/1 D5/1 E5/1 G5/1 | C5/4",
            flags={1: {"repeat_times": 2, "double_bar": True}, 2: {"dacapo": True, "fine": True}},
        )
        for what in (
            "a slur begins",
            "a grace note",
            "a trill, mordent or turn",
            "held: a fermata",
            "a repeat sign: go back",
            "D.C.: from the beginning",
            "bar 2 is like bar 1, but not the same",
        ):
            self.assertIn(what, found)
        self.assertEqual(len(found["bar 2 is like bar 1, but not the same"].notes), 1)

    def test_every_kind_stands_in_the_order_and_an_easy_line_has_few(self) -> None:
        kinds = [t.kind for t in find_traps(part_of("C5/1 D5/1 E5/1 D5/1 | C5/4"))]
        self.assertEqual(kinds, ["range", "range"])
        self.assertEqual(len(KINDS), len(set(KINDS)))


class Lighter(unittest.TestCase):
    def told(self, music: str) -> list[str]:
        return [x.what for x in find_simplifications(part_of(music))]

    def test_bars_that_come_again_sequences_and_runs(self) -> None:
        self.assertEqual(
            self.told("C5/1 E5/1 G5/2 | E5/2 C5/2 | C5/1 E5/1 G5/2 | E5/2 C5/2"),
            ["bars 3 to 4 are bars 1 to 2 again"],
        )
        self.assertIn("bar 2 is bar 1 a step higher", self.told("C5/1 E5/1 C5/2 | D5/1 F5/1 D5/2"))
        self.assertEqual(self.told("C5/1 D5/1 E5/1 F5/1 | G5/4"), ["a scale from C5 up to G5"])
        self.assertEqual(self.told("C5/.5 C#5/.5 D5/.5 D#5/.5 E5/2"), ["by semitones from C5 up to E5"])
        self.assertEqual(self.told("C5/1 E5/1 D5/1 r/1"), [])


class Over(TempCase):
    HARD = (
        "Ab4/.25 Bn4/.25 F#5/.5 C5/.5 Db5/1 Bb5/.5 r/.5 Gb5/.5 | F5/.5 E5/1 Eb5/.5 A4/1.5 C6/.5 | Bb4/1 "
        "Bb5/1 B4/1 F#5/1"
    )

    def test_a_hard_part_reads_harder_and_says_why(self) -> None:
        easy, hard = (
            analyse_part(part_of("C5/1 D5/1 E5/1 D5/1 | C5/4")),
            analyse_part(part_of(self.HARD, fifths=-3)),
        )
        self.assertEqual(easy.level, "first notes")
        self.assertIn(hard.level, ("hard", "very hard"))
        self.assertIn("accidentals", hard.reasons)
        self.assertLess(hard.begin_bpm, hard.bpm)
        self.assertEqual(hard.warm_up[0], "A♭4")
        self.assertIn("F♯", hard.outside_scale)
        self.assertTrue(hard.path[0].startswith("Begin with"))

    def test_every_exercise_can_be_looked_over(self) -> None:
        for kind in ("scale", "rhythm", "shrinking", "two notes"):
            for part in make_exercise(ExerciseRequest(kind=kind), [require_instrument("horn")]).score.parts:
                self.assertTrue(analyse_part(part, require_instrument("horn")).path)
        with self.assertRaisesRegex(ScoreError, "no notes"):
            analyse_part(part_of("r/4"))

    def test_a_report_answers_the_traps(self) -> None:
        part: Part = part_of("Bb4/1 Eb5/1 Bb4/2", fifths=-2)
        ids = [n.id for n in part.bars[0].notes]
        report = {
            "notes": [
                {"id": f"{i}@1", "score_id": i, "verdict": "wrong" if k == 2 else "ok"}
                for k, i in enumerate(ids)
            ],
            "findings": [{"notes": [f"{ids[1]}@1"], "confidence": 0.9}],
        }
        told = {t.what: (right, of) for t, right, of in answer_traps(analyse_part(part).traps, report)}
        self.assertEqual(told["B♭ by the key signature"], (1, 2))
        self.assertEqual(told["E♭ by the key signature"], (0, 1))

    def test_the_command(self) -> None:
        path = score_file(self.folder, part_of(self.HARD, fifths=-3))
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["look", str(path), "--instrument", "clarinet"]), 0)
            self.assertEqual(main(["look", str(path), "--json", "-"]), 0)
        text, _, data = out.getvalue().partition("{")
        self.assertIn("A path", text)
        self.assertEqual(json.loads("{" + data)["schema"], "jeweller.look/1")
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["look", str(path), "--band"]), 0)
            self.assertEqual(
                main(["sheet", str(path), "--for", "tuba", "--musicxml", str(self.folder / "tuba.musicxml")]),
                0,
            )
        self.assertIn("Bar 1: Flute", out.getvalue())
        typed = self.folder / "typed.abc"
        typed.write_text("X:1\nM:4/4\nL:1/4\nK:F\nC# D E F|c4|\n")
        for command in (["look", str(typed)], ["sheet", str(typed), "--midi", str(self.folder / "t.mid")]):
            told = io.StringIO()
            with contextlib.redirect_stderr(told), contextlib.redirect_stdout(io.StringIO()):
                self.assertEqual(main(command), 0)
            self.assertIn("as in ^C for C sharp", told.getvalue())
        self.assertIn("3 octaves lower than it sounded", out.getvalue())


if __name__ == "__main__":
    unittest.main()


class Levels(unittest.TestCase):
    def test_levels_agree_with_pieces_judged_by_hand(self) -> None:
        rows = judged()
        same, near = agreement(rows)
        self.assertEqual((len(rows), near), (40, 40))
        self.assertGreaterEqual(same, 33)
