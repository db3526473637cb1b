#!/usr/bin/env python3
"""How long the window takes from the command to its first paint.

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


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--runs", type=int, default=7)
    options = parser.parse_args()
    took = []
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
    took = took[1:]
    print(
        f"first paint: {statistics.median(took):.2f} s ({min(took):.2f} to {max(took):.2f}, {len(took)} runs)"
    )


if __name__ == "__main__":
    main()
