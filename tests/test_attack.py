"""A short run of the attacking program: of any input comes an answer or a sentence, and nothing else."""

from __future__ import annotations

import random
import subprocess
import sys
import unittest
from pathlib import Path

from bench.attack import damaged

ROOT = Path(__file__).parent.parent
INPUTS = 90


class Attacked(unittest.TestCase):
    def test_of_any_input_comes_an_answer_or_a_sentence(self) -> None:
        command = [sys.executable, "-m", "bench.attack", "--inputs", str(INPUTS), "--seed", "3"]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, f"{done.stdout}\n{done.stderr}")
        self.assertIn("kills", done.stdout)

    def test_damage_is_damage(self) -> None:
        whole = bytes(range(256)) * 8
        made = [damaged(whole, random.Random(seed)) for seed in range(50)]
        self.assertGreater(sum(m != whole for m in made), 45)
        self.assertEqual(made[7], damaged(whole, random.Random(7)))


if __name__ == "__main__":
    unittest.main()
