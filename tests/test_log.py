"""The log: what a fault leaves in it, and what never stands there."""

from __future__ import annotations

import io
import logging
import os
import unittest
from contextlib import redirect_stderr
from unittest import mock

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialogButtonBox

from jeweller.cli.main import main
from jeweller.log import FAULT, LOG, log_fault, start_log, state_home
from jeweller.pipeline.batch import BatchJob, run_batch
from jeweller.pipeline.check import Options
from tests.support import TempCase, WindowCase


class Log(TempCase):
    def setUp(self) -> None:
        super().setUp()
        for handler in list(LOG.handlers):
            LOG.removeHandler(handler)
            handler.close()
        change = mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(self.folder / "state")})
        change.start()
        self.addCleanup(change.stop)
        self.addCleanup(lambda: [LOG.removeHandler(h) for h in list(LOG.handlers)])

    def text(self) -> str:
        for handler in LOG.handlers:
            handler.flush()
        return (state_home() / "jeweller.log").read_text(encoding="utf-8")

    def test_a_fault_is_written_without_the_words_of_the_error(self) -> None:
        start_log()
        try:
            raise FileNotFoundError("/takes/Ilse of the weir.wav")
        except FileNotFoundError as error:
            told = log_fault(error)
        self.assertTrue(told.startswith(FAULT))
        for text in (told, self.text()):
            self.assertIn("FileNotFoundError", text)
            self.assertIn("test_log.py", text)
            self.assertNotIn("Ilse", text)

    def test_only_the_user_can_read_it_and_it_does_not_grow_for_ever(self) -> None:
        with mock.patch("jeweller.log.MOST_BYTES", 2000):
            start_log()
            for _ in range(200):
                LOG.info("x" * 100)
        files = sorted(p.name for p in state_home().iterdir())
        self.assertEqual(files, ["jeweller.log", *(f"jeweller.log.{k}" for k in (1, 2, 3))])
        self.assertEqual((state_home() / "jeweller.log").stat().st_mode & 0o077, 0)

    def test_a_folder_that_cannot_be_written_costs_only_the_log(self) -> None:
        (self.folder / "state").write_text("a file")
        start_log()
        LOG.error("nowhere")
        self.assertEqual([type(h) for h in LOG.handlers], [logging.NullHandler])

    def test_a_fault_on_the_command_line_is_status_1_and_verbose_says_it(self) -> None:
        said = io.StringIO()
        with (
            redirect_stderr(said),
            mock.patch("jeweller.cli.main._score", side_effect=ZeroDivisionError("Ilse")),
        ):
            self.assertEqual(main(["--verbose", "score", "x.mxl"]), 1)
        self.assertIn(FAULT, said.getvalue())
        self.assertIn("ERROR fault", said.getvalue())
        self.assertNotIn("Ilse", said.getvalue() + self.text())

    def test_a_crash_of_one_take_never_ends_a_batch(self) -> None:
        jobs = [BatchJob(self.folder / "s.xml", self.folder / n, self.folder / f"{n}.json") for n in "ab"]
        with mock.patch("jeweller.pipeline.batch._here", lambda jobs, options, *_: map(self.one, jobs)):
            done = list(run_batch(jobs, Options()))
        self.assertEqual([d[0] for d in done], ["failed", "failed"])
        self.assertIn("a fault of the program ended this check", done[0][1])

    def one(self, job: BatchJob) -> tuple[str, str]:
        from jeweller.pipeline import batch

        with mock.patch.object(batch, "check", side_effect=ValueError("minlength")):
            return batch.report_of(job, Options())


class Copied(WindowCase):
    def test_the_details_of_a_fault_can_be_copied(self) -> None:
        from PySide6.QtWidgets import QWidget

        from jeweller.gui.shell.dialogs import show_sentence

        parent = QWidget()
        box = show_sentence(parent, f"{FAULT}\nnotes/build.py:12 x\nValueError", 11.0)
        buttons = {b.text(): b for b in box.findChild(QDialogButtonBox).buttons()}
        buttons["Copy details"].click()
        self.assertEqual(QGuiApplication.clipboard().text(), "notes/build.py:12 x\nValueError")
        plain = show_sentence(parent, "There is no file.", 11.0)
        self.assertEqual(len(plain.findChild(QDialogButtonBox).buttons()), 1)
        parent.deleteLater()


if __name__ == "__main__":
    unittest.main()
