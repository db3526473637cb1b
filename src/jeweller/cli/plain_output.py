"""What a command writes to a terminal: text and nothing that a terminal would obey, whatever files and
players are called; and signals that end a command as tidily as its end does.
"""

from __future__ import annotations

import contextlib
import signal
import sys
from collections.abc import Iterator
from types import FrameType
from typing import Any, TextIO

from jeweller.files import shown_text


class PlainStream:
    """A stream that passes text on without control characters and without bytes that are no text."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        shown = shown_text(text)
        encoding = getattr(self._stream, "encoding", None) or "utf-8"
        return self._stream.write(shown.encode(encoding, "replace").decode(encoding, "replace"))

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)


@contextlib.contextmanager
def plain_output() -> Iterator[None]:
    """Both streams plain while this lasts."""
    out, err = sys.stdout, sys.stderr
    sys.stdout, sys.stderr = PlainStream(out), PlainStream(err)  # type: ignore[assignment]
    try:
        yield
    finally:
        sys.stdout, sys.stderr = out, err


@contextlib.contextmanager
def tidy_end() -> Iterator[None]:
    """A log-off or a closed terminal ends the command by the way of its end: what was begun beside files is
    taken away.
    """

    def leave(number: int, _frame: FrameType | None) -> None:
        raise SystemExit(128 + number)

    wanted = (signal.SIGTERM, signal.SIGHUP)
    try:
        before = {number: signal.signal(number, leave) for number in wanted}
    except ValueError:  # not the main thread: a test
        yield
        return
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
