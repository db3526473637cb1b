"""What `./jeweller test` runs: ruff, mypy and the tests. Ends with a line `N passed, N failed`; exits with 1
when anything failed.

tests/run.py            everything, two modules at a time
tests/run.py --quick    the same without what renders sound or opens a window
tests/run.py --slow     everything, with the tests that took long
tests/run.py NAME ...   only these test modules
"""

from __future__ import annotations

import faulthandler
import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent
# The longest first, so that both processes end together; the others follow by name, some to a process: what
# they all import is imported once.
FIRST = (
    "test_bench",
    "test_desk",
    "test_classroom",
    "test_pattern_place",
    "test_kinds",
    "test_takes",
    "test_tray",
    "test_language",
    "test_pattern",
    "test_ledger",
    "test_hearing",
    "test_batch",
    "test_ear",
    "test_rhythm",
    "test_player",
    "test_structure",
    "test_start",
)
TOGETHER = 8
# Half of their time these wait for simulated microphones: they run beside the two others, one after another.
WAITING = (
    "test_booth",
    "test_practice_place",
    "test_warmup_place",
    "test_booth_menu",
    "test_wall",
    "test_log_page",
)
# What neither renders sound nor opens a window.
QUICK = (
    "test_rules",
    "test_structure",
    "test_docs",
    "test_entry",
    "test_files",
    "test_fingerings",
    "test_formats",
    "test_instruments",
    "test_judges",
    "test_marks",
    "test_mend",
    "test_scoring",
)
STATIC = {
    "format": ("-m", "ruff", "format", "--check", "--quiet", "src", "tests", "bench", "tools"),
    "ruff": ("-m", "ruff", "check", "--quiet", "src", "tests", "bench", "tools"),
    "mypy": ("-m", "mypy"),
}
PROCESSES = 2
HUNG_S = 900.0  # nothing takes so long, not on a machine that others use too
STOLEN = 0.05  # of the cores, given to other machines: a test that failed meanwhile is tried by itself


class TimedResult(unittest.TextTestResult):
    """Also says which tests took longer than `SLOW_S`."""

    SLOW_S = 4.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._since = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        if (took := time.monotonic() - self._since) > self.SLOW_S:
            print(f"slow: {took:.1f} s {test.id()}", flush=True)


def run_tests(names: list[str]) -> int:
    """These test modules, in this process, in a home of their own."""
    faulthandler.enable()  # a crash says where
    os.environ["QT_QPA_PLATFORM"] = os.environ.get("JEWELLER_TEST_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory(prefix="jeweller-test-", ignore_cleanup_errors=True) as home:
        for name in ("HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
            os.environ[name] = home
        sys.path.insert(0, str(ROOT))
        suite = unittest.TestLoader().loadTestsFromNames([f"tests.{n}" for n in names])
        result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout, resultclass=TimedResult).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = max(0, result.testsRun - failed - len(result.skipped))
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


def stolen() -> tuple[float, float]:
    """(seconds that the cores were given to other machines on the same host, seconds of all they did)."""
    with open("/proc/stat") as file:
        ticks = [int(field) / os.sysconf("SC_CLK_TCK") for field in file.readline().split()[1:9]]
    return ticks[7], sum(ticks)


def try_again(tests: list[str]) -> int:
    """How many of these pass by themselves. What the program does wrong it does wrong again."""
    print(f"once more, by themselves: {' '.join(tests)}", flush=True)
    again = subprocess.run(
        [sys.executable, __file__, *tests], cwd=ROOT, capture_output=True, text=True, check=False
    )
    counted = re.findall(r"^(\d+) passed, \d+ failed$", again.stdout, re.MULTILINE)
    if again.returncode:
        print(again.stdout)
    return int(counted[-1]) if counted else 0


def run_all(quick: bool = False, slowest: bool = False) -> int:
    """Every module, handed out to two processes at a time; ruff and mypy come last in the row."""
    begin, before = time.monotonic(), stolen()
    failing: list[str] = []
    every = sorted(
        (p.stem for p in (ROOT / "tests").glob("test_*.py")),
        key=lambda n: (FIRST.index(n) if n in FIRST else len(FIRST), n),
    )
    alone = [] if quick else [name for name in every if name in FIRST]
    patient = [] if quick else [name for name in WAITING if name in every]
    light = [n for n in every if (n in QUICK if quick else n not in alone and n not in patient)]
    groups = [[name] for name in alone] + [light[k : k + TOGETHER] for k in range(0, len(light), TOGETHER)]
    waiting: list[tuple[str, tuple[str, ...]]] = [(" ".join(group), (__file__, *group)) for group in groups]
    place = len(alone)
    waiting[place:place] = list(STATIC.items())
    beside = [(name, (__file__, name)) for name in patient]
    running: dict[subprocess.Popen[str], tuple[str, Path, float]] = {}
    passed = failed = 0
    with tempfile.TemporaryDirectory() as folder:
        while waiting or beside or running:
            while True:
                busy = [name for name, _out, _since in running.values()]
                if beside and not any(name in WAITING for name in busy):
                    name, command = beside.pop(0)
                elif waiting and sum(name not in WAITING for name in busy) < PROCESSES:
                    name, command = waiting.pop(0)
                else:
                    break
                out = Path(folder) / name.split()[0]
                with out.open("w") as file:
                    process = subprocess.Popen(
                        [sys.executable, *command],
                        cwd=ROOT,
                        stdout=file,
                        stderr=subprocess.STDOUT,
                        text=True,
                        env={
                            **os.environ,
                            "OPENBLAS_NUM_THREADS": "1",
                        },  # the other process has the other core
                    )
                running[process] = (name, out, time.monotonic())
            time.sleep(0.05)
            for process, (name, _out, since) in running.items():
                if time.monotonic() - since > HUNG_S and process.poll() is None:
                    print(f"{name}: hangs")
                    process.kill()
            for process in [p for p in running if p.poll() is not None]:
                name, out, since = running.pop(process)
                text = out.read_text(encoding="utf-8", errors="replace")
                counted = re.findall(r"^(\d+) passed, (\d+) failed$", text, re.MULTILINE)
                right = process.returncode == 0
                if not right:
                    print(text)
                    failing += re.findall(r"^(?:FAIL|ERROR): \w+ \(tests\.([\w.]+)\)", text, re.MULTILINE)
                if name in STATIC:
                    failed += not right
                    print(f"{name}: {'clean' if right else 'NOT CLEAN'}", flush=True)
                    continue
                good, bad = (int(n) for n in counted[-1]) if counted else (0, 1)
                passed, failed = passed + good, failed + (bad or (0 if right else 1))
                for line in re.findall(r"slow: .*", text) if slowest else ():
                    print("   ", line)
                print(f"{name}: {good} passed, {bad} not, {time.monotonic() - since:.0f} s", flush=True)
    away, whole = (now - then for now, then in zip(stolen(), before, strict=True))
    if failing and len(failing) == failed and away > STOLEN * whole:
        print(f"the cores were given to other machines for {100 * away / whole:.0f} % of the time")
        good = min(try_again(failing), failed)
        passed, failed = passed + good, failed - good
    print(f"{time.monotonic() - begin:.0f} seconds\n{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    asked = [a for a in sys.argv[1:] if not a.startswith("--")]
    sys.exit(run_tests(asked) if asked else run_all("--quick" in sys.argv, "--slow" in sys.argv))
