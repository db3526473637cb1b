"""Rhythm without pitch: claps followed by their attacks, the lines of a drum part told apart by how this
take's own strokes sound.
"""

from __future__ import annotations

import contextlib
import dataclasses
import io
import unittest
from fractions import Fraction

import numpy as np

from jeweller.assessment.finding import SURE
from jeweller.audio.encode import write_sound
from jeweller.cli.main import main
from jeweller.documents.plain_text import explain_text
from jeweller.features.extraction import extract_features
from jeweller.notation.model import Part, Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.readers.sandbox import load_score
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import Options, check
from jeweller.report.validate import find_problems
from jeweller.simulator.recordings import make_rhythm_take
from jeweller.synthesis.percussion import KINDS, tuned
from jeweller.synthesis.percussion import RATE as STROKE_RATE
from jeweller.synthesis.percussion import render as render_strokes
from tests.support import RATE, TempCase, line_of, part_of, score_file, table_of

CLAPPED = (
    "C5/1 C5/.5 C5/.5 C5/1 C5/1 | C5/4 | C5/1.5 C5/.5 C5/1 r/1 | C5/.5 C5/.5 C5/.5 C5/.5 C5/2 | C5/1 "
    "C5/1 C5/1 C5/1 | C5/4"
)
DRUMMED = " | ".join(["C5/1 C5/1 C5/.5 C5/.5 C5/1"] * 5 + ["C5/4"])


def drum_part(names: tuple[str, str] = ("Bass drum", "Snare drum")) -> Part:
    """The first line on full beats 1 and 3, the second elsewhere."""
    part = part_of(DRUMMED, name="Drums")
    bars = []
    for bar in part.bars:
        notes = []
        for n in bar.notes:
            low = n.offset in (Fraction(0), Fraction(2))
            notes.append(
                dataclasses.replace(
                    n,
                    pitch=None,
                    unpitched=True,
                    stroke=names[0] if low else names[1],
                    display="F4" if low else "C5",
                )
            )
        bars.append(dataclasses.replace(bar, notes=tuple(notes), clef=("percussion", 2, 0)))
    return dataclasses.replace(part, bars=tuple(bars), percussion=True)


def onsets(line: PerformedPart, bpm: float = 90.0, lead: float = 0.8) -> list[float]:
    return [lead + float(n.onset) * 60 / bpm for n in line.main_notes]


class Claps(TempCase):
    LINE = line_of(CLAPPED)

    def heard(self, times: list[float], kind: str = "Clap") -> dict:
        sound = render_strokes([(t, kind, 0.0) for t in times], times[-1] + 2.0, 5)
        sound += np.random.default_rng(2).normal(0, 2e-4, len(sound)).astype(np.float32)
        path = self.folder / "take.wav"
        write_sound(path, sound, STROKE_RATE)
        return check(score_file(self.folder, part_of(CLAPPED)), path, Options(rhythm_only=True)).report

    def said(self, report: dict) -> list[tuple[str, str]]:
        return [(f["kind"], f["bar"]) for f in report["findings"] if f["confidence"] >= SURE]

    def test_a_stroke_is_where_its_attack_is_however_long_the_note(self) -> None:
        for kind in ("Clap", "Tap"):
            with self.subTest(kind):
                times = onsets(self.LINE)
                report = self.heard(times, kind)
                self.assertEqual(self.said(report), [])
                for note, t in zip(report["notes"], times, strict=True):
                    self.assertAlmostEqual(note["heard"]["on_s"], t, delta=0.02)

    def test_a_stroke_too_many_and_one_too_few(self) -> None:
        times = onsets(self.LINE)
        self.assertEqual(self.said(self.heard(sorted([*times, times[5] + 0.9]))), [("extra_note", "2")])
        self.assertEqual(
            self.said(self.heard([t for k, t in enumerate(times) if k != 15])), [("missed_note", "5")]
        )

    def test_parts_of_any_range_can_be_clapped(self) -> None:
        for step, name in (("1", "Tuba"), ("7", "Piccolo")):
            with self.subTest(name):
                part = part_of(CLAPPED.replace("C5", f"C{step}"), name=name)
                sound = render_strokes([(t, "Clap", 0.0) for t in onsets(self.LINE)], 20.0, 5)
                path = self.folder / "take.wav"
                write_sound(path, sound, STROKE_RATE)
                report = check(score_file(self.folder, part), path, Options(rhythm_only=True)).report
                self.assertTrue(report["followed"])
                self.assertEqual({n["verdict"] for n in report["notes"]}, {"ok"})

    def test_what_has_no_pitch_is_drawn_and_explained(self) -> None:
        times = onsets(self.LINE)
        report = self.heard(sorted([*times, times[5] + 0.9]))
        for finding in report["findings"]:
            self.assertIn(
                "rests on" if finding["detail"].get("rests_on") else finding["text"],
                explain_text(report, finding),
            )
        page = self.folder / "page.html"
        with contextlib.redirect_stdout(io.StringIO()):
            self.assertEqual(
                main(
                    [
                        "check",
                        str(self.folder / "score.musicxml"),
                        str(self.folder / "take.wav"),
                        "--rhythm-only",
                        "--html",
                        str(page),
                    ]
                ),
                0,
            )
        self.assertIn("a stroke was played and is not written", page.read_text(encoding="utf-8"))

    def test_a_bar_begun_twice_is_a_restart(self) -> None:
        times = onsets(self.LINE)
        first = 14  # of bar 5
        again = [t if k < first else t + 1.4 for k, t in enumerate(times)]
        self.assertEqual(self.said(self.heard(sorted([*again, times[first]]))), [("restart", "5")])

    def test_a_rest_counted_too_long(self) -> None:
        times = onsets(self.LINE)
        late = [t + (60 / 90 if k >= 9 else 0.0) for k, t in enumerate(times)]
        self.assertEqual(self.said(self.heard(late)), [("rest_long", "3")])


class DrumLines(TempCase):
    PART = drum_part()

    def heard(self, played: list[str], part: Part | None = None, kinds: dict[str, str] | None = None) -> dict:
        line = perform_part("Drums", part or self.PART, rhythm_only=True)
        strokes = [(t, (kinds or {}).get(k, k), 0.0) for t, k in zip(onsets(line), played, strict=True)]
        sound = render_strokes(strokes, strokes[-1][0] + 2.0, 8)
        sound += np.random.default_rng(2).normal(0, 2e-4, len(sound)).astype(np.float32)
        path = self.folder / "take.wav"
        write_sound(path, sound, STROKE_RATE)
        report = check(score_file(self.folder, part or self.PART), path).report
        self.assertEqual(find_problems(report), [])
        return report

    def written(self) -> list[str]:
        return [n.written.stroke for n in perform_part("Drums", self.PART, rhythm_only=True).main_notes]

    def test_strokes_survive_the_file(self) -> None:
        path = self.folder / "drums.musicxml"
        path.write_bytes(write_musicxml(Score("Drums", (self.PART,))))
        back = load_score(path).parts[0]
        self.assertTrue(back.percussion)
        mine = [(n.stroke, n.display) for b in self.PART.bars for n in b.notes]
        self.assertEqual([(n.stroke, n.display) for b in back.bars for n in b.notes], mine)

    def test_a_line_without_a_name_is_called_by_its_place(self) -> None:
        plain = dataclasses.replace(
            self.PART,
            bars=tuple(
                dataclasses.replace(b, notes=tuple(dataclasses.replace(n, stroke="") for n in b.notes))
                for b in self.PART.bars
            ),
        )
        path = self.folder / "drums.musicxml"
        path.write_bytes(write_musicxml(Score("Drums", (plain,))))
        self.assertEqual(load_score(path).parts[0].bars[0].notes[0].stroke, "line F4")

    def test_the_wrong_drum_is_named_and_the_right_ones_are_not(self) -> None:
        played = self.written()
        self.assertEqual([f for f in self.heard(played)["findings"] if f["confidence"] >= SURE], [])
        self.assertEqual(played[10], "Bass drum")
        played[10] = "Snare drum"
        report = self.heard(played)
        found = [f for f in report["findings"] if f["confidence"] >= SURE]
        self.assertIn("written F4; sounded", explain_text(report, found[0]))
        self.assertEqual([(f["kind"], f["bar"]) for f in found], [("wrong_note", "3")])
        self.assertIn("the snare drum was struck where the bass drum is written", found[0]["text"])

    def test_lines_that_sound_alike_are_told_by_time_alone(self) -> None:
        played = self.written()
        played[10] = "Snare drum"
        alike = {"Bass drum": "Tap", "Snare drum": "Tap"}
        self.assertEqual(
            [f["kind"] for f in self.heard(played, kinds=alike)["findings"] if f["confidence"] >= SURE], []
        )


class Struck(unittest.TestCase):
    def test_every_player_has_other_drums(self) -> None:
        for kind in KINDS:
            self.assertEqual(tuned(kind, 3), tuned(kind, 3))
            self.assertNotEqual(tuned(kind, 3), tuned(kind, 4))

    def test_takes_of_rhythm_are_reproducible_and_tell_the_truth(self) -> None:
        seen = set()
        for number in range(12):
            take = make_rhythm_take("tune", number)
            if number < 2:
                np.testing.assert_array_equal(take.samples, make_rhythm_take("tune", number).samples)
            self.assertEqual(len(take.truth["notes"]), len(take.line.main_notes))
            seen.add("drums" if take.truth["instrument"] == "drums" else "claps")
            struck = [i for f in take.truth["faults"] if f["way"] == "stroke" for i in f["notes"]]
            for i in struck:
                self.assertEqual(take.truth["notes"][i]["verdict"], "wrong")
        self.assertEqual(seen, {"drums", "claps"})

    def test_followed_by_attacks_alone(self) -> None:
        line = line_of(CLAPPED)
        sound = render_strokes([(t, "Clap", 0.0) for t in onsets(line)], 20.0, 4)[:: STROKE_RATE // 24000]
        features = extract_features(
            np.interp(np.arange(int(20.0 * RATE)) / RATE, np.arange(len(sound)) / 24000, sound).astype(
                np.float32
            ),
            60,
            72,
        )
        table = table_of(line, features, rhythm_only=True)
        self.assertTrue(table.followed)
        self.assertEqual([e.index for e in table.events], list(range(len(line.main_notes))))


if __name__ == "__main__":
    unittest.main()
