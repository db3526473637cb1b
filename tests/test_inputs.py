"""What anybody may hand to the program: whatever it is, a sentence says what is wrong with it, and nothing waits,
fetches or takes the memory of the machine.
"""

from __future__ import annotations

import contextlib
import io
import os
import struct
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.cli.main import main
from jeweller.errors import TakeError
from jeweller.files import shown_name
from tests.support import TempCase

RATE = 22050
NO_TEXT = os.fsdecode(b"x\xff\x1b[31m.wav")


def wave(rate: int = RATE, bits: int = 16, seconds: float = 2.0, told: float = 1.0) -> bytes:
    """A wave file whose header tells of `told` times what it holds."""
    data = bytes(2 * round(min(seconds * rate, 60_000)))
    form = struct.pack("<IHHIIHH", 16, 1, 1, rate, rate * 2, 2, bits)
    size = round(told * len(data))
    return (
        b"RIFF" + struct.pack("<I", 36 + size) + b"WAVEfmt " + form + b"data" + struct.pack("<I", size) + data
    )


class Recordings(TempCase):
    def sound(self, name: str, seconds: float = 3.0) -> Path:
        path = self.folder / name
        write_sound(path, (0.3 * np.sin(np.arange(round(seconds * 48000)) * 0.05)).astype(np.float32), 48000)
        return path

    def refused(self, path: Path, words: str) -> None:
        with self.assertRaisesRegex(TakeError, words) as caught:
            decode(path, RATE)
        str(caught.exception).encode("utf-8")  # it can be written anywhere
        self.assertNotIn("\x1b", str(caught.exception))

    def test_what_is_no_file_is_not_waited_for(self) -> None:
        os.mkfifo(self.folder / "pipe.wav")
        for path in (self.folder / "pipe.wav", Path("/dev/zero"), Path("/dev/stdin")):
            self.refused(path, "not a sound file")
        self.refused(self.folder / ("a" * 300), "There is no file")

    def test_names_that_are_no_text_and_names_like_addresses(self) -> None:
        source = self.sound("plain.wav").read_bytes()
        for name in (NO_TEXT, "12:30.wav", "http:x.wav", "concat:a.wav"):
            path = self.folder / name
            path.write_bytes(source)
            before = os.getcwd()
            os.chdir(self.folder)
            try:
                self.assertGreater(decode(name, RATE).duration, 2.9)
            finally:
                os.chdir(before)
        (self.folder / NO_TEXT).write_bytes(b"RIFF")
        self.refused(self.folder / NO_TEXT, "not a sound file")
        self.assertEqual(shown_name(NO_TEXT), "x��[31m.wav")

    def test_rates_and_sizes_that_cannot_be(self) -> None:
        path = self.folder / "odd.wav"
        for data in (wave(rate=1), wave(rate=0), wave(bits=0), wave(rate=3_000_000)):
            path.write_bytes(data)
            self.refused(path, "not a sound file")

    def test_a_recording_that_was_cut_off_says_so(self) -> None:
        for ending in (".wav", ".ogg", ".opus", ".flac", ".mp3"):
            path = self.sound(f"whole{ending}", 8.0)
            self.assertEqual(decode(path, RATE).warnings, (), ending)
            whole = path.read_bytes()
            path.write_bytes(whole[: len(whole) * 6 // 10])
            self.assertRegex(" ".join(decode(path, RATE).warnings), "cut off", ending)
        path.write_bytes(wave(told=0))  # written by a recorder that went on, or never knew
        self.assertEqual(len(decode(path, RATE).samples), 2 * RATE)

    def test_only_so_much_is_taken_into_memory(self) -> None:
        path = self.sound("long.flac", 6.0)
        with mock.patch("jeweller.audio.decode.MAX_SECONDS", 2.0):
            found = decode(path, RATE)
        self.assertLess(found.duration, 3.0)
        self.assertIn("first twenty minutes", found.warnings[0])


class CommandLine(TempCase):
    def run_command(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(list(words))
        return status, out.getvalue(), err.getvalue()

    def test_scores_that_are_none(self) -> None:
        os.mkfifo(self.folder / "pipe.abc")
        files = {
            "chords.krn": b"**kern\t**kern\n4C\n*-\t*-\n",
            "round.abc": b"X:1\nK:C\n" + b"(" * 99 + b"\n",
            "slashes.abc": b"X:1\nL:1/4\nK:C\nC" + b"/" * 1100 + b"\n",
            "staff.mei": b'<mei xmlns="http://www.music-encoding.org/ns/mei"><music><body><mdiv><score><section>'
            b'<measure><staff n="1"><layer><note pname="c" oct="4" dur="4"/></layer></staff>'
            b'<dynam tstamp="x">p</dynam></measure></section></score></mdiv></body></music></mei>',
            "flipped.mxl": b"PK\x03\x04" + bytes(range(200)),
        }
        files["ending.abc"] = b"X:1\nL:1/4\nK:C\n|: C D |[120 E F :|[121 G A |]\n"
        for name, data in files.items():
            (self.folder / name).write_bytes(data)
        for name in (*files, "pipe.abc", "no-such.abc"):
            for command in ("score", "look"):
                status, _out, err = self.run_command(command, str(self.folder / name))
                self.assertIn(status, (0, 2), (command, name, err))
                self.assertNotIn("Traceback", err, (command, name))
                self.assertNotIn("more time or memory", err, (command, name))
                self.assertNotIn("fault of the program", err, (command, name))
        status, _out, err = self.run_command("score", "/dev/zero")
        self.assertEqual(status, 2)
        self.assertIn("no regular file", err)


if __name__ == "__main__":
    unittest.main()
