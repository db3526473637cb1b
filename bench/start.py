#!/usr/bin/env python3
"""How long the window takes from the command to its first paint, and until all of its places stand; and how
long it is held meanwhile.

    .venv/bin/python bench/start.py [--runs 7]

A whole process a run (Python's own start included), offscreen, in a home of its own; the first run, which
fills the disk cache, is not counted. Prints the median, the least and the most, in seconds.
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src"
PAINTED = """
import os, sys
from PySide6.QtCore import QEvent, QObject
from jeweller.gui.shell import app as shell

class Painted(QObject):
    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint and watched.isWidgetType() and watched.window().isVisible():
            os._exit(0)
        return False

shell.has_display = lambda: True
application = shell.make_app()
painted = Painted()
application.installEventFilter(painted)
sys.exit(shell.run_window())
"""
STANDS = """
import os, sys, time
from PySide6.QtCore import QTimer
from jeweller.gui.shell import app as shell
from jeweller.gui.shell.window import Window

shell.has_display = lambda: True
application = shell.make_app()
begin, beats = time.perf_counter(), []

def beat():
    beats.append(time.perf_counter())
    window = next((w for w in application.topLevelWidgets() if isinstance(w, Window)), None)
    if window is not None and window._built:
        held = max(b - a for a, b in zip(beats, beats[1:]))
        print(beats[-1] - begin, held, flush=True)
        os._exit(0)

heart = QTimer()
heart.timeout.connect(beat)
QTimer.singleShot(0, lambda: heart.start(5))  # the first paint is measured apart
sys.exit(shell.run_window())
"""


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--runs", type=int, default=7)
    options = parser.parse_args()
    took, stood, held = list[float](), list[float](), list[float]()
    with tempfile.TemporaryDirectory() as home:
        names = ("HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME")
        environment = {
            **os.environ,
            **dict.fromkeys(names, home),
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONPATH": str(SOURCE),
        }
        for _ in range(options.runs + 1):
            begin = time.perf_counter()
            subprocess.run([sys.executable, "-c", PAINTED], env=environment, check=True)
            took.append(time.perf_counter() - begin)
            told = subprocess.run(
                [sys.executable, "-c", STANDS], env=environment, check=True, capture_output=True, text=True
            ).stdout.split()
            stood.append(float(told[-2]))
            held.append(float(told[-1]))
    took, stood, held = took[1:], stood[1:], held[1:]
    print(
        f"first paint: {statistics.median(took):.2f} s ({min(took):.2f} to {max(took):.2f}, {len(took)} runs)"
    )
    print(
        f"all places stand {statistics.median(stood):.2f} s after it; until then the window is held at most"
    )
    print(f"{statistics.median(held):.3f} s ({min(held):.3f} to {max(held):.3f})")


if __name__ == "__main__":
    main()
