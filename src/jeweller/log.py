"""The log of the program: a rotating file in the user's state folder, with no names of players in it.

Of a fault only its kind and the places in the code are written: the words of an error may quote a file's
name, and files of recordings are called as the children are.
"""

from __future__ import annotations

import contextlib
import logging
import os
import sys
import traceback
from io import TextIOWrapper
from logging.handlers import RotatingFileHandler
from pathlib import Path

from jeweller.i18n import N_

LOG = logging.getLogger("jeweller")
FORMAT = "%(asctime)s %(process)d %(levelname)s %(message)s"
MOST_BYTES, KEPT = 512 * 1024, 3
FAULT = N_("A fault of the program; what was open is safe.")


def state_home() -> Path:
    """Where the log lies: `XDG_STATE_HOME/jeweller`, by custom `~/.local/state/jeweller`."""
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "jeweller"


class _PrivateFiles(RotatingFileHandler):
    """Rotating files that the user alone can read, from their first byte."""

    def _open(self) -> TextIOWrapper:
        Path(self.baseFilename).touch(mode=0o600)
        return super()._open()


def start_log(*, verbose: bool = False) -> None:
    """Writes what happens to the log file, readable by the user alone; `verbose` to the standard error output
    too. Where the file cannot be written the program goes without.
    """
    LOG.setLevel(logging.INFO)
    LOG.propagate = False
    if LOG.handlers:
        return
    with contextlib.suppress(OSError):
        folder = state_home()
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        path = folder / "jeweller.log"
        LOG.addHandler(_PrivateFiles(path, maxBytes=MOST_BYTES, backupCount=KEPT, encoding="utf-8"))
    if verbose:
        LOG.setLevel(logging.DEBUG)
        LOG.addHandler(logging.StreamHandler(sys.stderr))
    for handler in LOG.handlers:
        handler.setFormatter(logging.Formatter(FORMAT))
    if not LOG.handlers:
        LOG.addHandler(logging.NullHandler())


def fault_details(error: BaseException) -> str:
    """The kind of an error and where in the code it arose, innermost last; none of its words.

    >>> try:
    ...     open("/nowhere/Ilse.wav")
    ... except OSError as error:
    ...     print("Ilse" in fault_details(error), fault_details(error).splitlines()[-1])
    False FileNotFoundError
    """
    frames = traceback.extract_tb(error.__traceback__)
    lines = [f"{Path(f.filename).parent.name}/{Path(f.filename).name}:{f.lineno} {f.name}" for f in frames]
    return "\n".join([*lines, type(error).__name__])


def log_fault(error: BaseException, what: str = "") -> str:
    """Writes a fault of the program to the log; the sentence to show for it, its details from the second line
    on.
    """
    details = fault_details(error)
    LOG.error("fault%s\n%s", f" {what}" if what else "", details)
    return f"{FAULT}\n{details}"
