"""Files written whole or not at all; endings of recordings."""

from __future__ import annotations

import os
import re
import unittest
from pathlib import Path
from unittest import mock

from jeweller.audio.formats import RECORDING_ENDINGS, is_recording
from jeweller.errors import JewellerError
from jeweller.files import replacing, write_bytes
from jeweller.library.pile import recordings
from jeweller.pipeline.batch import find_jobs
from tests.support import TempCase

README = Path(__file__).parent.parent / "README.md"


class Replacing(TempCase):
    def setUp(self) -> None:
        super().setUp()
        self.target = self.folder / "report.json"
        self.target.write_bytes(b"old")

    def test_the_new_file_takes_the_place_of_the_old_one(self) -> None:
        write_bytes(self.target, b"new")
        self.assertEqual(self.target.read_bytes(), b"new")
        self.assertEqual(os.listdir(self.folder), ["report.json"])

    def test_whatever_fails_leaves_the_old_file_and_nothing_beside_it(self) -> None:
        for what in ("jeweller.files.os.fsync", "jeweller.files.os.replace"):
            with (
                self.subTest(what),
                mock.patch(what, side_effect=OSError(28, "No space left on device")),
                self.assertRaisesRegex(JewellerError, "report.json cannot be written: No space left"),
            ):
                write_bytes(self.target, b"new")
            self.assertEqual(self.target.read_bytes(), b"old")
            self.assertEqual(os.listdir(self.folder), ["report.json"])

    def test_the_file_is_on_the_disk_before_its_name_and_the_folder_after(self) -> None:
        done: list[str] = []
        fsync, replace = os.fsync, os.replace
        with (
            mock.patch("jeweller.files.os.fsync", lambda f: done.append("sync") or fsync(f)),
            mock.patch("jeweller.files.os.replace", lambda a, b: done.append("name") or replace(a, b)),
        ):
            write_bytes(self.target, b"new")
        self.assertEqual(done, ["sync", "name", "sync"])

    def test_a_private_file_is_private_from_its_first_byte(self) -> None:
        with replacing(self.target, private=True) as path:
            self.assertEqual(path.stat().st_mode & 0o077, 0)
            path.write_bytes(b"new")
        self.assertEqual(self.target.stat().st_mode & 0o077, 0)


class Endings(TempCase):
    def test_every_ending_that_the_readme_promises(self) -> None:
        told = re.search(r"In: .*?;(.*?)\. ", README.read_text(encoding="utf-8"), re.DOTALL)
        assert told is not None
        for name in re.findall(r"\b(wav|flac|ogg|opus|mp3|m4a|webm|mp4|mov)\b", told[1]):
            self.assertIn(f".{name}", RECORDING_ENDINGS)
        self.assertGreater(len(re.findall(r"\bmov\b", told[1])), 0)

    def test_takes_of_phones_are_brought_in_by_the_bench_and_by_a_batch(self) -> None:
        names = ["a.wav", "ben.3gp", "rosa.MOV", "tam.m4v"]
        for name in names:
            (self.folder / name).write_bytes(b"x")
        (self.folder / "score.musicxml").write_bytes(b"<x/>")
        found, told = recordings([self.folder], self.folder / "unpacked")
        self.assertEqual(([p.name for p in found], told), (names, []))
        self.assertEqual([j.take.name for j in find_jobs(self.folder, self.folder / "out")], names)
        self.assertFalse(is_recording("score.musicxml"))


if __name__ == "__main__":
    unittest.main()
