"""A part read in another clef: what it sounds like, and the whole check of such a take."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from jeweller.assessment.finding import SURE
from jeweller.audio.encode import write_sound
from jeweller.notation.clefs import bottom_line, other_clefs, read_in_clef
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.pipeline.check import Checked, Options, check
from tests.support import RATE, changed, line_of, part_of, score_file, sounding, straight

MUSIC = """F4/1 A4/1 C5/.5 Bb4/.5 A4/1 | G4/1.5 A4/.5 Bb4/1 D5/1 | C5/.5 C5/.5 A4/.5 F4/.5 G4/2 | E4/1 r/1 F4/1 G4/1 |
           Bn4/.5 A4/.5 G4/.5 A4/.5 Bb4/1 D5/1 | C5/2 r/2 | D5/1 Bb4/1 G4/1 E4/1 | F4/4"""
PART = part_of(MUSIC, fifths=-1)
LINE = perform_part("A test", PART)


def names(line: PerformedPart, count: int) -> list[str]:
    return [n.written.pitch.name for n in line.main_notes[:count] if n.written.pitch is not None]


class Reading(unittest.TestCase):
    def test_the_lowest_lines(self) -> None:
        # E4, G2, F3, D3
        self.assertEqual(
            [bottom_line(*c) for c in (("G", 2), ("F", 4), ("C", 3), ("C", 4))], [30, 18, 24, 22]
        )
        self.assertEqual(other_clefs(LINE), ("bass", "alto", "tenor"))

    def test_a_place_on_the_staff_takes_the_letter_of_the_clef_and_the_signature_that_letter_has(
        self,
    ) -> None:
        # The first space in treble is F4, in bass A2; C5 reads E3; B♭4 reads D3, plain.
        self.assertEqual(names(read_in_clef(LINE, "bass"), 4), ["A2", "C3", "E3", "D3"])
        # What reads B is flat by the signature.
        self.assertEqual(names(read_in_clef(LINE, "alto"), 4), ["G3", "B♭3", "D4", "C4"])

    def test_an_accidental_keeps_its_sign(self) -> None:
        self.assertEqual(
            names(read_in_clef(line_of("F#4/1 F#4/1 G4/1 Fn4/1"), "bass"), 4), ["A♯2", "A♯2", "B2", "A2"]
        )

    def test_the_transposition_is_the_parts_own_or_another(self) -> None:
        line = perform_part("A test", part_of(MUSIC, fifths=-1, chromatic=-2))
        first = read_in_clef(line, "bass").main_notes[0], read_in_clef(line, "bass", 12).main_notes[0]
        self.assertEqual([n.sounding_midi for n in first], [45 - 2, 45 + 12])


class Checking(unittest.TestCase):
    def checked(self, events: list[tuple[float, float, float]]) -> Checked:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "take.wav"
        write_sound(path, sounding(events).astype(np.float32), RATE)
        return check(score_file(Path(folder.name), PART), path, Options(instrument="Trombone"))

    def test_read_in_the_bass_clef_is_one_finding_and_the_page_stays_as_printed(self) -> None:
        report = self.checked(straight(read_in_clef(LINE, "bass"), 90)).report
        said = [(f["kind"], f["cause"]) for f in report["findings"] if f["confidence"] >= SURE]
        self.assertEqual(said, [("wrong_transposition", "read_as_other_clef")])
        self.assertIn("bass clef", report["findings"][0]["text"])
        self.assertEqual({n["verdict"] for n in report["notes"]}, {"ok"})
        self.assertEqual([n["written"] for n in report["notes"][:2]], ["F4", "A4"])
        self.assertLess(max(abs(n["heard"]["cents"]) for n in report["notes"]), 30)
        json.dumps(report)

    def test_a_wrong_note_is_judged_as_it_was_read(self) -> None:
        read = read_in_clef(LINE, "bass")
        wrong = next(i for i, n in enumerate(read.main_notes) if n.bar == "3")
        report = self.checked(changed(straight(read, 90), wrong, by=2.0)).report
        said = [(f["kind"], f["bar"]) for f in report["findings"] if f["confidence"] >= SURE]
        self.assertEqual(sorted(said), [("wrong_note", "3"), ("wrong_transposition", "1")])


if __name__ == "__main__":
    unittest.main()
