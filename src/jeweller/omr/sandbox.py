"""Reading the pages of a foreign file safely: its bytes go to a child process with limits on time, memory and
files; the lines that were read come back as plain JSON.
"""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from jeweller.errors import PageError
from jeweller.files import parse_json, read_regular, shown_name
from jeweller.i18n import _
from jeweller.notation.readers.sandbox import FILE_BYTES, limit_child
from jeweller.omr.line import ReadLine
from jeweller.omr.page import NO_STAFF, PagePicture, PagesRead, read_lines
from jeweller.serialization import from_plain, to_plain

CHILD_SECONDS = 30
MOST_PAGES = 40  # at once


def read_pages(
    path: str | os.PathLike[str],
    pages: Sequence[int] = (),
    progress: Callable[[float, str], None] | None = None,
) -> PagesRead:
    """The lines on some pages of a PDF or a picture, counted from 0; on all, where none is named. `progress`
    is told the share that is done. Raises PageError with one sentence.

    >>> import tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     file = Path(folder) / "page.pdf"
    ...     written = file.write_bytes(b"%PDF no page")
    ...     read_pages(file)
    Traceback (most recent call last):
    jeweller.errors.PageError: page.pdf: The PDF cannot be opened: it is damaged.
    """
    path = Path(path)
    name = shown_name(path)
    if len(pages) > MOST_PAGES:
        raise PageError(_("Choose at most {n} pages at once.").format(n=MOST_PAGES))
    try:
        data = read_regular(path, FILE_BYTES)
    except OSError as error:
        told = error.strerror or str(error)
        raise PageError(_("{name} cannot be read: {value}.").format(name=name, value=told)) from error
    except ValueError as error:
        raise PageError(
            _("{name} is too large; a page file of more than 64 MB is not opened.").format(name=name)
        ) from error
    lines: list[ReadLine] = []
    pictures: list[PagePicture] = []
    wanted = tuple(pages)
    while wanted or not pictures:
        read = _ask_child(data, name, wanted)
        lines += read.lines
        pictures += read.pictures
        wanted = read.left
        if len(wanted) + len(pictures) > MOST_PAGES:
            raise PageError(_("Choose at most {n} pages at once.").format(n=MOST_PAGES))
        if progress is not None:
            progress(len(pictures) / (len(pictures) + len(wanted)), name)
    if not lines:
        raise PageError(f"{name}: {_(NO_STAFF)}")
    return PagesRead(tuple(lines), tuple(pictures), ())


def _ask_child(data: bytes, name: str, pages: Sequence[int]) -> PagesRead:
    """What one child reads of some pages: each has its own limits."""
    environment = {k: v for k, v in os.environ.items() if k not in ("PYTHONSTARTUP", "PYTHONINSPECT")}
    environment |= {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    command = [sys.executable, "-P", "-m", "jeweller.omr.sandbox", json.dumps(list(pages))]
    slow = _("{name} takes too long to read and was given up; choose fewer pages.").format(name=name)
    try:
        run = subprocess.run(
            command, input=data, capture_output=True, timeout=2 * CHILD_SECONDS, env=environment, check=False
        )
    except subprocess.TimeoutExpired:
        raise PageError(slow) from None
    try:
        answer = parse_json(run.stdout)
    except ValueError:
        given_up = run.returncode in (-signal.SIGXCPU, -signal.SIGKILL)
        told = slow if given_up else _("{name} cannot be read; it is probably damaged.").format(name=name)
        raise PageError(told) from None
    if "error" in answer:
        raise PageError(f"{name}: {answer['error']}")
    return from_plain(PagesRead, answer["read"])


def answer_for(data: bytes, pages: Sequence[int]) -> dict[str, Any]:
    """What the child answers for the bytes of a file: {"read": …}, or {"error": a sentence}."""
    try:
        return {"read": to_plain(read_lines(data, pages), lean=True)}
    except PageError as error:
        return {"error": str(error)}
    except (MemoryError, RecursionError):
        return {"error": _("it needs more memory than a page ever does; it is probably damaged.")}
    except Exception:  # noqa: BLE001 -- there are many ways to damage a file
        return {"error": _("it cannot be read; it is probably damaged.")}


def _child() -> int:
    data = sys.stdin.buffer.read()
    limit_child(CHILD_SECONDS)
    sys.stdout.write(json.dumps(answer_for(data, parse_json(sys.argv[1]))))
    return 0


if __name__ == "__main__":
    sys.exit(_child())
