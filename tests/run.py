"""What `./jeweller test` runs: ruff, mypy and the tests. Ends with a line `N passed, N failed`; exits with 1 when anything failed.

    tests/run.py            everything, the tests in two processes at once
    tests/run.py NAME ...   only these test modules
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent
SLOW = ("test_takes", "test_kinds", "test_player", "test_rhythm", "test_pattern", "test_pattern_place", "test_tray")  # about half of the time


def start(*command: str) -> subprocess.Popen[str]:
    return subprocess.Popen([sys.executable, *command], cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)


def run_tests(names: list[str]) -> int:
    """These test modules, in this process, in a home of their own."""
    os.environ["QT_QPA_PLATFORM"] = os.environ.get("JEWELLER_TEST_PLATFORM", "offscreen")
    home = tempfile.mkdtemp(prefix="jeweller-test-")
    for name in ("HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home
    sys.path.insert(0, str(ROOT))
    suite = unittest.TestLoader().loadTestsFromNames([f"tests.{n}" for n in names])
    result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = max(0, result.testsRun - failed - len(result.skipped))
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


def run_all() -> int:
    begin = time.monotonic()
    every = sorted(p.stem for p in (ROOT / "tests").glob("test_*.py"))
    halves = [[n for n in every if n in SLOW], [n for n in every if n not in SLOW]]
    tests = [start(__file__, *half) for half in halves]
    passed = failed = 0
    for half, process in zip(halves, tests, strict=True):
        out, _ = process.communicate()
        print(out)
        counted = re.findall(r"^(\d+) passed, (\d+) failed$", out, re.MULTILINE)
        if not counted:
            print(f"{', '.join(half)}: ended without a count (status {process.returncode})")
            failed += 1
            continue
        passed, failed = passed + int(counted[-1][0]), failed + int(counted[-1][1])
    for name, command in (("ruff", ("-m", "ruff", "check", "--quiet", "src", "tests", "bench", "tools")), ("mypy", ("-m", "mypy"))):
        process = start(*command)
        out, _ = process.communicate()
        print(f"{name}: {'clean' if process.returncode == 0 else 'NOT CLEAN'}")
        if process.returncode:
            print(out)
        passed, failed = passed + (process.returncode == 0), failed + (process.returncode != 0)
    print(f"{time.monotonic() - begin:.0f} seconds")
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(run_tests(sys.argv[1:]) if sys.argv[1:] else run_all())
