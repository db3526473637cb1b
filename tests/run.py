"""What `./jeweller test` runs: ruff, mypy and the tests. Ends with a line `N passed, N failed`; exits with 1 when anything failed."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent


def main(wanted: list[str]) -> int:
    begin = time.monotonic()
    os.environ["QT_QPA_PLATFORM"] = os.environ.get("JEWELLER_TEST_PLATFORM", "offscreen")
    home = tempfile.mkdtemp(prefix="jeweller-test-")
    for name in ("HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home
    sys.path.insert(0, str(ROOT))
    failed = passed = 0
    checks = [] if wanted else [("ruff", [sys.executable, "-m", "ruff", "check", "--quiet", "src", "tests", "bench", "tools"]), ("mypy", [sys.executable, "-m", "mypy"])]
    running = [(name, subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)) for name, command in checks]
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames([f"tests.{w}" for w in wanted]) if wanted else loader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(suite)
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed += result.testsRun - bad - len(result.skipped)
    failed += bad
    for name, process in running:
        out, _ = process.communicate()
        print(f"{name}: {'clean' if process.returncode == 0 else 'NOT CLEAN'}")
        if process.returncode:
            print(out)
            failed += 1
        else:
            passed += 1
    print(f"{time.monotonic() - begin:.0f} seconds")
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
