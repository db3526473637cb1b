"""The program as it is installed: a wheel, built and unpacked somewhere else, runs the demo with what is in it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import unittest
import zipfile
from pathlib import Path

from tests.support import TempCase

ROOT = Path(__file__).parent.parent
BUILD = "import sys; from setuptools.build_meta import build_wheel; print(build_wheel(sys.argv[1]))"


class Wheel(TempCase):
    def test_an_installed_wheel_runs_the_demo(self) -> None:
        source, out, installed = (self.folder / n for n in ("source", "out", "installed"))
        shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("__pycache__"))
        for name in ("pyproject.toml", "README.md", "LICENSE", "requirements.in"):
            shutil.copy(ROOT / name, source)
        subprocess.run([sys.executable, "-c", BUILD, str(out)], cwd=source, check=True, capture_output=True)
        with zipfile.ZipFile(next(out.glob("*.whl"))) as wheel:
            wheel.extractall(installed)
        self.assertNotIn("tests", {p.name for p in installed.iterdir()})
        environment = {**os.environ, "PYTHONPATH": str(installed), "QT_QPA_PLATFORM": "offscreen"}
        done = subprocess.run(
            [sys.executable, "-m", "jeweller", "demo", "--takes", "1", "--out", str(self.folder / "demo")],
            cwd=self.folder,
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertRegex(done.stdout, r"planned: .* found")
        where = subprocess.run(
            [sys.executable, "-c", "import jeweller; print(jeweller.__file__)"],
            cwd=self.folder,
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertTrue(where.stdout.startswith(str(installed)))


if __name__ == "__main__":
    unittest.main()
