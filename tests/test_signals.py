"""A log-off, a closed terminal, Ctrl+C: the window ends by itself within two seconds, and nothing of it is left."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import unittest
from pathlib import Path

from tests.support import TempCase

ROOT = Path(__file__).parent.parent
# The window with a take unpacked for it, in a process of its own: it says when it stands.
WINDOW = """
import sys
from PySide6.QtCore import QTimer
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.gui.shell.app import make_app, open_settings
from jeweller.gui.shell.signals import SignalGuard
from jeweller.gui.shell.window import Window
from jeweller.pipeline.workers import WorkerPool
if __name__ == "__main__":
    app = make_app()
    window = Window(open_settings(), SimulatedSpeaker())
    window.show()
    window.build_places()
    window.jobs.process("work", sorted, list(range(10)))
    guard = SignalGuard(app, window)
    from pathlib import Path
    Path(window.bench.intake._unpacked.name, "ilse.wav").write_bytes(b"x")
    QTimer.singleShot(300, lambda: print(window.bench.intake._unpacked.name, flush=True))
    sys.exit(app.exec())
"""


def of_session(leader: int) -> list[str]:
    """The command lines of the processes that a window began and that still run."""
    found = []
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            if int((folder / "stat").read_text().rpartition(")")[2].split()[3]) == leader:
                found.append((folder / "cmdline").read_text().replace("\0", " "))
        except (OSError, ValueError, IndexError):
            continue
    return [line for line in found if line]  # one that ended and is not waited for yet has none


class Signals(TempCase):
    def test_the_window_ends_tidily_on_every_one_of_them(self) -> None:
        script = self.folder / "window.py"
        script.write_text(WINDOW)
        environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "QT_QPA_PLATFORM": "offscreen",
            **{f"XDG_{name}_HOME": str(self.folder) for name in ("CONFIG", "DATA", "STATE")},
        }
        for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
            child = subprocess.Popen(
                [sys.executable, str(script)],
                env=environment,
                stdout=subprocess.PIPE,
                text=True,
                start_new_session=True,
            )
            assert child.stdout is not None
            unpacked = Path(child.stdout.readline().strip())
            self.assertTrue((unpacked / "ilse.wav").exists())
            begin = time.monotonic()
            child.send_signal(number)
            self.assertEqual(child.wait(timeout=20), 128 + number)
            self.assertLess(time.monotonic() - begin, 2.5, number)
            child.stdout.close()
            self.assertFalse(unpacked.exists(), number)
            while (left := of_session(child.pid)) and time.monotonic() - begin < 2.0:
                time.sleep(0.05)
            self.assertEqual(left, [], number)


if __name__ == "__main__":
    unittest.main()
