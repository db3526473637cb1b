"""What the window's process loads before its first paint, and what it builds afterwards."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import unittest
from pathlib import Path

from tests.support import TempCase

SOURCE = Path(__file__).parent.parent / "src"
# Packages that may be loaded before the first paint; Python's own aside.
LIGHT = {"PySide6", "cython_runtime", "jeweller", "lxml", "shiboken6"}
SHOWN = """
import json, os, sys, time
from pathlib import Path
from jeweller.audio.ports import FoundSpeaker
from jeweller.gui.shell.app import make_app, open_settings
from jeweller.gui.shell.window import Window

def loaded():
    return sorted({m.split(".")[0] for m in sys.modules} - set(sys.stdlib_module_names))

app = make_app()
window = Window(open_settings(Path(sys.argv[1]) / "desk.ini"), FoundSpeaker())
window.show()
app.processEvents()
before, built = loaded(), window._built
window.load_places()
turns = 0
while not window._built:
    app.processEvents()
    turns += 1
    time.sleep(0.01)
print(json.dumps([before, built, "sqlalchemy" in loaded(), window.places.count(), turns]))
sys.stdout.flush()
os._exit(0)
"""


class Start(TempCase):
    def test_nothing_heavy_is_loaded_before_the_first_paint(self) -> None:
        environment = {
            **os.environ,
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONPATH": str(SOURCE),
            "XDG_DATA_HOME": str(self.folder),
        }
        done = subprocess.run(
            [sys.executable, "-c", SHOWN, str(self.folder)],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
        before, built, library, places, turns = json.loads(done.stdout.splitlines()[-1])
        heavy = {m for m in before if not m.startswith("_")} - LIGHT
        self.assertEqual(heavy - {"shibokensupport", "signature_bootstrap"}, set())
        self.assertEqual((built, library, places), (False, True, 7))
        self.assertGreater(turns, places)  # somebody who clicks meanwhile is answered


if __name__ == "__main__":
    unittest.main()
