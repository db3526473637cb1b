"""The program as a screen reader has it, over the desktop's accessibility bus: every place is gone to by what
stands there, everything that takes a key has a name, and the part is read note by note with its verdicts.
"""

from __future__ import annotations

import contextlib
import shutil
import subprocess
import sys
import unittest
from collections.abc import Iterator

from tests.atspi import BUS_LAUNCHER, Node, Reader, desktop

PLACES = ("Warm up", "Pattern book", "Booth", "Bench", "Practice", "Ledger", "Loupe")
THERE = all(shutil.which(p) for p in ("Xvfb", "dbus-daemon")) and BUS_LAUNCHER.exists()


@contextlib.contextmanager
def demo() -> Iterator[tuple[Reader, tuple[str, str]]]:
    """The demo in a process of its own: (a reader, the program)."""
    with desktop() as (environment, readers):
        command = [sys.executable, "-P", "-m", "jeweller", "demo"]
        program = subprocess.Popen(
            command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        try:
            reader = readers()
            yield reader, reader.wait(reader.applications)[0]
        finally:
            program.terminate()
            _out, told = program.communicate(timeout=20)
    if program.returncode != 143 or "Traceback" in told:
        raise AssertionError(f"{program.returncode}: {told}")


def shown(window: Node) -> list[Node]:
    return [n for n in window.every() if "showing" in n.states]


@unittest.skipUnless(THERE, "no accessibility bus here: dbus-daemon and at-spi2-core")
class Read(unittest.TestCase):
    def test_the_part_is_read_note_by_note_and_every_place_can_be_read(self) -> None:
        with demo() as (reader, program):
            notes = reader.wait(lambda: [n for n in shown(reader.look(program)) if n.role == "list item"], 60)
            words = [n.name for n in notes]
            self.assertEqual(words[0], "Bar 1, beat 1: F4, a quarter note. As written.")
            told = next(w for w in words if "trill" in w)
            self.assertEqual(
                told,
                "Bar 12, beat 1: C5, a half note. Bar 12, beat 1: the trill on C5 was played as a plain note.",
            )
            self.assertTrue(any("Listen here: " in w for w in words))
            findings = [n.name for n in shown(reader.look(program)) if n.role == "panel" and n.name]
            step = next(n for n in shown(reader.look(program)) if n.name == "Next finding")
            with reader.hearing() as heard:
                step.press()
            said = [words for event, _detail, words in heard if event == "Announcement"]
            self.assertEqual(said, findings[1:2])
            for place in PLACES:
                with self.subTest(place):
                    self.go(reader, program, place)
                    window = reader.look(program)
                    bare = [
                        (n.role, n.description)
                        for n in shown(window)
                        if "focusable" in n.states and not n.name
                    ]
                    self.assertEqual(bare, [])
                    pictures = [
                        n.role for n in shown(window) if n.role in ("graphic", "table", "list") and not n.name
                    ]
                    self.assertEqual(pictures, [])

    def go(self, reader: Reader, program: tuple[str, str], place: str) -> None:
        def button() -> Node:
            return next(
                n for n in shown(reader.look(program)) if n.role == "radio button" and n.name == place
            )

        reader.wait(lambda: button()).press()
        reader.wait(lambda: "checked" in button().states)
        # the place itself has its name, and something in it can be reached by keys
        room = reader.wait(
            lambda: next((n for n in shown(reader.look(program)) if n.name == place and n.children), None)
        )
        self.assertTrue(any("focusable" in n.states for n in room.every()))


if __name__ == "__main__":
    unittest.main()
