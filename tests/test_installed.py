"""The program among others: a second start hands its files to the first, the desktop knows what it opens, and no
file of the folder one stands in is taken for a part of it.
"""

from __future__ import annotations

import configparser
import mimetypes
import os
import socket
import subprocess
import sys
import threading
import time
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

from PySide6.QtCore import QObject

import jeweller
from jeweller.audio.formats import RECORDING_ENDINGS
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.gui.shell.app import open_settings
from jeweller.gui.shell.handing import MOST_BYTES, Meeting, read_message
from jeweller.gui.shell.one_window import OneWindow
from jeweller.gui.shell.window import Window
from jeweller.notation.formats import ENDINGS as SCORES
from jeweller.student.slip import ENDING
from tests.support import TempCase, WindowCase

ROOT = Path(__file__).parent.parent
PACKAGING = ROOT / "packaging"
HOLD = """
import sys
from pathlib import Path
from jeweller.gui.shell.handing import Meeting
meeting = Meeting("desk", Path(sys.argv[1]))
print(meeting.come_first(), flush=True)
sys.stdin.read()
"""


class SecondStart(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.place = self.folder / "run"
        self.came: list[list[str]] = []

    def first(self) -> OneWindow:
        meeting = Meeting("desk", self.place)
        self.assertTrue(meeting.come_first())
        self.owner = QObject()
        window = OneWindow(meeting, self.owner)
        window.came.connect(self.came.append)
        self.addCleanup(window.close)
        return window

    def hold(self) -> subprocess.Popen[str]:
        child = subprocess.Popen(
            [sys.executable, "-c", HOLD, str(self.place)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        )
        self.addCleanup(child.communicate)
        self.addCleanup(child.kill)
        return child

    def send(self, data: bytes) -> bytes:
        """What the first window answers to bytes that anybody of this user may send."""
        answer: list[bytes] = []

        def ask() -> None:
            with socket.socket(socket.AF_UNIX) as asked:
                asked.settimeout(5)
                asked.connect(str(self.place / "desk.socket"))
                try:
                    asked.sendall(data)
                    asked.shutdown(socket.SHUT_WR)
                    answer.append(asked.recv(100))
                except OSError:
                    answer.append(b"")

        thread = threading.Thread(target=ask)
        thread.start()
        self.wait(lambda: bool(answer))
        thread.join()
        return answer[0]

    def test_the_window_that_is_open_gets_the_files_with_their_whole_paths(self) -> None:
        self.first()
        handed: list[bool] = []
        second = Meeting("desk", self.place)
        thread = threading.Thread(target=lambda: handed.append(second.hand_over(["air.abc", "/x/té.ogg"])))
        thread.start()
        self.wait(lambda: bool(handed))
        thread.join()
        self.assertEqual(handed, [True])
        self.assertEqual(self.came, [[os.path.abspath("air.abc"), "/x/té.ogg"]])
        self.assertEqual((self.place / "desk.socket").stat().st_mode & 0o077, 0)

    def test_one_is_first_until_it_ends_however_that_is(self) -> None:
        holding = self.hold()
        assert holding.stdout is not None
        self.assertEqual(holding.stdout.readline(), "True\n")
        second = Meeting("desk", self.place)
        self.assertFalse(second.come_first())
        begin = time.monotonic()
        self.assertFalse(second.hand_over([], 0.3))  # it holds the place and answers nobody
        self.assertLess(time.monotonic() - begin, 2)
        holding.kill()
        holding.wait()
        (self.place / "desk.socket").touch()  # as a killed window leaves it
        window = self.first()
        self.assertTrue(window.server.isListening())

    def test_what_is_no_message_opens_nothing_and_hinders_nothing(self) -> None:
        self.first()
        for data in (
            b"",
            b"\n",
            b"[]\n",
            b'{"files": [1], "token": ""}\n',
            b"{" * 50_000 + b"\n",
            b"\xff\0\n",
        ):
            self.assertEqual(self.send(data), b"", data[:20])
        self.assertEqual(self.send(b"x" * (MOST_BYTES + 10)), b"")
        self.assertEqual(self.came, [])
        self.assertIsNone(read_message(b'{"files": ["a\\u0000b"], "token": ""}'))
        self.assertEqual(self.send(b'{"files": [], "token": 3}\n'), b"handed\n")
        self.assertEqual(self.came, [[]])

    def test_what_is_handed_opens_in_the_window(self) -> None:
        score = self.folder / "air.abc"
        score.write_text("X:1\nT:Air\nM:4/4\nL:1/4\nK:F\nF G A B|c4|\n", encoding="utf-8")
        window = Window(open_settings(self.folder / "desk.ini"), SimulatedSpeaker())
        self.addCleanup(window.close)
        window.showMinimized()
        window.handed([str(score)])
        self.assertFalse(window.isMinimized())
        self.wait(lambda: window.loupe_place.pair.score == str(score))


class Desktop(TempCase):
    def test_all_that_can_be_opened_is_offered_to_the_program(self) -> None:
        entry = configparser.ConfigParser(interpolation=None)
        entry.read(PACKAGING / "org.jeweller.Jeweller.desktop", encoding="utf-8")
        offered = set(entry["Desktop Entry"]["MimeType"].strip(";").split(";"))
        types = {e: kind for e, kind in mimetypes.MimeTypes().types_map[True].items() if e != ".xml"}
        for kind in ET.parse(PACKAGING / "org.jeweller.Jeweller.mime.xml").getroot():
            for glob in kind.iter("{*}glob"):
                types[glob.attrib["pattern"][1:]] = kind.attrib["type"]
        known = [e for e in (*SCORES, *RECORDING_ENDINGS, ENDING) if e in types]
        self.assertGreater(len(known), 9)
        self.assertEqual([e for e in known if types[e] not in offered], [])

    def test_the_version_is_one(self) -> None:
        self.assertIn(f"## {jeweller.__version__}", (ROOT / "CHANGELOG.md").read_text(encoding="utf-8"))

    def test_modules_of_the_folder_one_stands_in_are_not_run(self) -> None:
        for name in ("json", "jeweller", "numpy"):
            (self.folder / f"{name}.py").write_text("open('ran', 'w')\n")
        (self.folder / "air.abc").write_text("X:1\nM:4/4\nL:1/4\nK:F\nF G A B|c4|\n")
        run = subprocess.run(
            [ROOT / "jeweller", "score", "air.abc"],
            cwd=self.folder,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(run.returncode, 0, run.stderr)
        self.assertFalse((self.folder / "ran").exists())


if __name__ == "__main__":
    unittest.main()
