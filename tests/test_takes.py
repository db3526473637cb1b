"""Takes of the simulated player against the whole check: a small fixed set with floors, rhythm alone, the
click, many at once, and why a finding is said.
"""

from __future__ import annotations

import contextlib
import io
import json
import re
import unittest
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np

from jeweller.assessment.finding import SURE
from jeweller.assessment.settings import make_settings
from jeweller.audio.encode import write_sound
from jeweller.cli.main import main
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import Options, check
from jeweller.simulator.perform import Manner, Plan, perform
from jeweller.simulator.recordings import make_take
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis.sampler import render
from tests.support import TempCase, changed, line_of, part_of, score_file, sounding, straight
from tests.test_ear import check as hear_and_judge

# Made by tools/make_test_takes.py; what floors may be asked of so few is loose.
TAKES, NOTES = Path(__file__).parent / "takes", 458
PLAYED = (
    "Bb4/1 C5/1 D5/1 Eb5/1 | F5/1 Eb5/1 D5/1 C5/1 | D5/1 Eb5/1 F5/1 G5/1 | F5/1 D5/1 Bb4/2 | Eb5/1 D5/1 "
    "C5/1 D5/1 | Bb4/1 D5/1 F5/1 D5/1 | Bb4/4"
)


def found(report: dict[str, Any]) -> list[tuple[str, str]]:
    return [(f["kind"], f["bar"]) for f in report["findings"] if f["confidence"] >= SURE]


class Floors(unittest.TestCase):
    def test_a_small_fixed_set(self) -> None:
        agree = notes = planted = hit = said = matched = 0
        for case in sorted(TAKES.iterdir()):
            with self.subTest(case.name):
                truth = json.loads((case / "truth.json").read_text(encoding="utf-8"))
                report = check(case / "score.musicxml", case / "take.ogg").report
                main_notes = [n for n in report["notes"] if not n["grace"]]
                agree += sum(
                    a["verdict"] == b["verdict"] for a, b in zip(main_notes, truth["notes"], strict=True)
                )
                notes += len(truth["notes"])
                open_faults = [f["bar"] for f in truth["faults"]]
                wanted = Counter(open_faults)
                sure = found(report)
                planted += len(open_faults)
                hit += sum(
                    1 for bar, n in wanted.items() for _ in range(min(n, sum(b == bar for _, b in sure)))
                )
                said += len(sure)
                matched += sum((wanted & Counter(b for _, b in sure)).values())
        self.assertEqual(notes, NOTES)
        self.assertGreaterEqual(agree / notes, 0.99)
        self.assertGreaterEqual(hit / planted, 0.75)
        self.assertGreaterEqual(matched / max(said, 1), 0.8)


class Asked(TempCase):
    """Takes of one line, played by the sampler."""

    def take(self, plans: tuple[Plan, ...] = (), *, bpm: float = 90.0, clap: bool = False) -> Path:
        line = line_of(PLAYED, fifths=-2)
        played = perform(line, Manner(bpm=bpm, drift=0.006, jitter_s=0.006, lead_s=1.0), plans, 4)
        if clap:
            x = np.zeros(int(played.seconds * 22050), np.float32)
            noise = np.random.default_rng(0)
            for tone in played.tones:
                k, n = int(tone.on_s * 22050), 900
                x[k : k + n] += (0.3 * noise.standard_normal(n) * np.exp(-np.arange(n) / 260)).astype(
                    np.float32
                )
            samples, rate = put_in_room(x, 22050, Room(0.3, 0.15, 36.0, -90.0), 1), 22050
        else:
            samples, rate = (
                put_in_room(
                    render(list(played.tones), "clarinet", played.seconds),
                    48000,
                    Room(0.25, 0.1, 40.0, -90.0),
                    1,
                ),
                48000,
            )
        path = self.folder / "take.wav"
        write_sound(path, samples, rate)
        return path

    def score(self) -> Path:
        return score_file(self.folder, part_of(PLAYED, fifths=-2, name="Clarinet"))

    def test_the_rhythm_alone(self) -> None:
        clapped = check(
            self.score(),
            self.take((Plan(kind="hesitation", at=9, amount=1.6),), clap=True),
            Options(rhythm_only=True),
        ).report
        self.assertTrue(clapped["followed"])
        self.assertIn(("hesitation", "3"), found(clapped))
        self.assertFalse(
            [
                f
                for f in clapped["findings"]
                if f["facet"] in ("notes", "accidentals", "sound") and f["confidence"] >= SURE
            ]
        )

    def test_a_click_and_a_tempo_asked_for(self) -> None:
        take = self.take()
        first = check(self.score(), take).report["take"]["first_note_s"]
        beside = check(self.score(), take, Options(click=f"90@{first - 0.3:.3f}", tempo_bpm=120.0)).report
        self.assertIn("off_click", {k for k, _ in found(beside)})
        self.assertIn("wrong_tempo", {k for k, _ in found(beside)})
        lag = next(f for f in beside["findings"] if f["kind"] == "off_click")
        self.assertAlmostEqual(lag["detail"]["beats"], 0.45, delta=0.07)
        self.assertEqual(lag["cause"], "behind_the_click")
        on_it = check(self.score(), take, Options(click=f"90@{first:.3f}", tempo_bpm=92.0)).report
        self.assertFalse({"off_click", "wrong_tempo"} & {k for k, _ in found(on_it)})

    def test_moving_the_named_threshold_past_the_shown_value_turns_the_verdict(self) -> None:
        cases = [
            ("late", Plan(kind="late", at=10, amount=0.4), "early_beats", 0.0),
            ("hesitation", Plan(kind="hesitation", at=9, amount=0.8), "step_beats", 0.0),
            ("out_of_tune", Plan(kind="out_of_tune", at=6, amount=45.0), "tune_cents", 0.0),
            ("dragging", Plan(kind="dragging", at=16, amount=1.3, count=8), "tempo_share", 0.0),
        ]
        for kind, plan, setting, _ in cases:
            with self.subTest(kind):
                take = self.take((plan,))
                before = check(self.score(), take).report
                finding = next(f for f in before["findings"] if f["kind"] == kind and f["confidence"] >= SURE)
                rest = finding["detail"]["rests_on"]
                self.assertEqual(rest["setting"], setting)
                past = (
                    min(rest["measured"] * 1.15, 59.0) if setting == "tune_cents" else rest["measured"] * 1.15
                )
                changed = make_settings(
                    changes={setting: str(past), **({"early_share": "5"} if kind == "late" else {})}
                )
                after = check(self.score(), take, Options(settings=changed)).report
                self.assertNotIn(kind, {k for k, _ in found(after)})

    def test_explain_names_the_threshold(self) -> None:
        report = self.folder / "r.json"
        report.write_text(
            json.dumps(check(self.score(), self.take((Plan(kind="late", at=10, amount=0.4),))).report),
            encoding="utf-8",
        )
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["explain", str(report), "1"]), 0)
        self.assertIn("threshold", out.getvalue())
        self.assertIn("early_beats", out.getvalue())

    def test_many_at_once_and_taken_up_again(self) -> None:
        source, target = self.folder / "in", self.folder / "out"
        for name in ("a", "b"):
            (source / name).mkdir(parents=True)
            (source / name / "score.musicxml").write_bytes(self.score().read_bytes())
            (source / name / "take.wav").write_bytes(self.take().read_bytes())
        (source / "b" / "broken.wav").write_bytes(b"no sound")
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
            self.assertEqual(main(["batch", str(source), "--json-dir", str(target)]), 2)
        self.assertIn("broken.wav", said.getvalue())
        single = (
            json.dumps(
                check(source / "a" / "score.musicxml", source / "a" / "take.wav").report,
                ensure_ascii=False,
                indent=1,
            )
            + "\n"
        )
        self.assertEqual((target / "a--take.wav.json").read_text(encoding="utf-8"), single)
        (source / "b" / "broken.wav").unlink()
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
            self.assertEqual(main(["batch", str(source), "--json-dir", str(target)]), 0)
        self.assertEqual(said.getvalue().count("kept"), 2)
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
            main(["batch", str(source), "--json-dir", str(target), "--bars", "1-4"])
        self.assertEqual(said.getvalue().count("checked"), 2, "asked for other bars, a report is not kept")


class Long(unittest.TestCase):
    def test_more_notes_than_the_window_of_the_search(self) -> None:
        """500 notes with one wrong in the last bar: found there, and nothing else."""
        bars = [
            "C5/.5 D5/.5 E5/.5 F5/.5 G5/.5 E5/.5 D5/.5 F5/.5",
            "E5/.5 G5/.5 F5/.5 D5/.5 E5/.5 C5/.5 D5/.5 E5/.5",
        ]
        line = line_of(" | ".join(bars * 31 + ["C5/1 E5/1 G5/1 C5/1"]), bpm=200)
        events = changed(straight(line, 200), len(line.main_notes) - 2, by=3)
        findings, _ = hear_and_judge(line, sounding(events))
        self.assertEqual(
            [(f.kind, f.bar) for f in findings if f.confidence >= SURE and f.facet == "notes"],
            [("wrong_note", "63")],
        )


class Percussion(TempCase):
    def test_a_part_without_pitch_is_judged_by_its_rhythm(self) -> None:
        take = make_take("tune", 3)
        xml = write_musicxml(take.score).decode("utf-8")
        drum = re.sub(
            r"<pitch>.*?</pitch>",
            "<unpitched><display-step>E</display-step><display-octave>4</display-octave></unpitched>",
            xml,
            flags=re.S,
        )
        path = self.folder / "drum.musicxml"
        path.write_text(drum, encoding="utf-8")
        x = np.zeros(int(take.performance.seconds * 22050), np.float32)
        noise = np.random.default_rng(0)
        for note in take.performance.notes:
            if note.on_s is not None:
                k, n = int(note.on_s * 22050), 900
                x[k : k + n] += (0.3 * noise.standard_normal(n) * np.exp(-np.arange(n) / 200)).astype(
                    np.float32
                )
        write_sound(self.folder / "drum.wav", put_in_room(x, 22050, Room(0.3, 0.15, 36.0, -90.0), 1), 22050)
        report = check(path, self.folder / "drum.wav").report
        self.assertTrue(report["followed"])
        self.assertTrue(all(n["sounding_midi"] is None for n in report["notes"]))
