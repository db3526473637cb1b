"""The commands as a user types them: exit statuses, sentences, no tracebacks."""

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np

from jeweller.audio.encode import write_sound
from jeweller.cli.main import main
from jeweller.report.validate import find_problems
from tests.support import RATE, TempCase, line_of, part_of, score_file, sounding, straight
from tests.test_ear import LINE, TUNE


class Commands(TempCase):
    def setUp(self) -> None:
        super().setUp()
        self.score = score_file(self.folder, part_of(TUNE, fifths=-2))
        self.take = self.folder / "take.wav"

    def run_jeweller(self, *words: object) -> subprocess.CompletedProcess[str]:
        environment = {
            **os.environ,
            "PYTHONPATH": str(Path(__file__).parent.parent / "src"),
            "QT_QPA_PLATFORM": "offscreen",
        }
        environment.pop("DISPLAY", None)
        return subprocess.run(
            [sys.executable, "-m", "jeweller", *map(str, words)],
            capture_output=True,
            text=True,
            env=environment,
            timeout=120,
            check=False,
        )

    def run_here(self, *words: object) -> tuple[int, str, str]:
        """The same in this process: (status, standard output, standard error)."""
        out, told = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(told):
            try:
                status = main([*map(str, words)])
            except SystemExit as ended:
                status = int(ended.code or 0)
        return status, out.getvalue(), told.getvalue()

    def test_check_writes_what_it_is_asked_for(self) -> None:
        write_sound(self.take, sounding(straight(LINE, 90)), RATE)
        out = {k: self.folder / f"o.{k}" for k in ("json", "html", "pdf", "png", "midi", "musicxml")}
        done = self.run_jeweller(
            "check", self.score, self.take, *[w for k, p in out.items() for w in (f"--{k}", p)]
        )
        self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "", ""))
        self.assertTrue(all(p.stat().st_size > 200 for p in out.values()))
        self.assertEqual(find_problems(json.loads(out["json"].read_text())), [])
        self.assertEqual([p.name for p in self.folder.iterdir() if "part" in p.name], [])
        plain = self.run_jeweller("check", self.score, self.take, "--bars", "1-4", "--tolerance", "strict")
        self.assertEqual(plain.returncode, 0)
        self.assertIn("A test · Flute · take.wav", plain.stdout)

    def test_what_does_not_follow_is_told_with_status_3_and_a_report(self) -> None:
        other = line_of(
            (
                "F#5/.5 E5/.5 C#5/1 A4/.5 B4/.5 F#4/1 | E4/2 G#4/1 B4/.5 E5/.5 | A5/1 F#5/1 D5/.5 B4/.5 "
                "G4/1 | A4/3 r/1"
            ),
            fifths=3,
        )
        write_sound(self.take, sounding(straight(other, 110)), RATE)
        done = self.run_jeweller("check", self.score, self.take, "--json", self.folder / "r.json")
        self.assertEqual(done.returncode, 3)
        self.assertIn("does not match this part", done.stderr)
        self.assertIs(json.loads((self.folder / "r.json").read_text())["followed"], False)

    def test_unusable_input_is_one_line_and_status_2(self) -> None:
        write_sound(self.take, np.zeros(RATE, np.float32), RATE)
        (self.folder / "bad.musicxml").write_text("<score")
        (self.folder / "words.json").write_text("[]")
        cases = {
            "silent": ("check", self.score, self.take),
            "no file": ("check", self.score, self.folder / "none.wav"),
            "bad score": ("check", self.folder / "bad.musicxml", self.take),
            "score as take": ("check", self.score, self.score),
            "part": ("check", self.score, self.take, "--part", "Gong"),
            "instrument": ("check", self.score, self.take, "--instrument", "gong"),
            "setting": ("check", self.score, self.take, "--set", "x"),
            "scheme": ("check", self.score, self.take, "--scheme", "x"),
            "report": ("explain", self.folder / "words.json", "1"),
            "usage": ("check", self.score),
            "word": ("polish",),
        }
        for name, words in cases.items():
            with self.subTest(name):
                status, out, told = self.run_here(*words)
                self.assertEqual((status, out), (2, ""))
                self.assertEqual(len(told.strip().splitlines()), 1, told)
                self.assertTrue(told.startswith("jeweller: "))
        self.assertEqual(self.run_jeweller("polish").returncode, 2)

    def test_score_and_explain(self) -> None:
        done = self.run_jeweller("score", self.score, "--json", "-")
        summary = json.loads(done.stdout)
        self.assertEqual(
            (summary["schema"], summary["parts"][0]["bars"], len(summary["parts"][0]["notes"])),
            ("jeweller.score/1", 8, len(LINE.notes)),
        )
        events = straight(LINE, 90)
        events[3] = (*events[3][:2], events[3][2] + 4)
        write_sound(self.take, sounding(events), RATE)
        self.run_here("check", self.score, self.take, "--json", self.folder / "r.json")
        self.assertIn("confidence: ", self.run_here("explain", self.folder / "r.json", 1)[1])
        self.assertEqual(self.run_here("explain", self.folder / "r.json", 9)[0], 2)
