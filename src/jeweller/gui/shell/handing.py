"""A second start hands its files to the window that is open already: whose that is, and how it is asked.

Without Qt, so that a second start is over before it would have loaded it. A lock of the system says who is
first (it goes with its process, however that ends); a socket that this user alone can use takes the files.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import re
import socket
import time
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

from jeweller.files import parse_json
from jeweller.log import state_home

ANSWER_S = 3.0  # the window may only just be starting
MOST_BYTES = 1 << 20
LONGEST_ADDRESS = 100  # bytes of a path that a socket of Linux can have, with room
HANDED = b"handed\n"


class Meeting:
    """The place where starts of one kind (`desk`, or a player at home) meet.

    >>> import tempfile
    >>> first, second = (Meeting("desk", Path(tempfile.gettempdir())) for _ in range(2))
    >>> first.come_first()
    True
    """

    def __init__(self, kind: str, folder: Path | None = None) -> None:
        kind = re.sub(r"[^A-Za-z0-9-]", "-", kind)
        folder = folder or _runtime_folder()
        self.lock, self.address = folder / f"{kind}.lock", folder / f"{kind}.socket"
        self._held: BinaryIO | None = None

    def come_first(self) -> bool:
        """Whether no other window of the kind is open; also where that cannot be known."""
        try:
            self.lock.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            held = os.fdopen(os.open(self.lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600), "r+b")
        except OSError:
            return True
        try:
            fcntl.lockf(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            held.close()
            return False
        except OSError:
            held.close()
            return True
        self._held = held
        return True

    @property
    def can_listen(self) -> bool:
        return self._held is not None and len(os.fsencode(self.address)) <= LONGEST_ADDRESS

    def hand_over(self, files: Sequence[str], wait_s: float = ANSWER_S) -> bool:
        """Gives files to the window that is open, which comes to the front; whether it took them."""
        paths = [os.path.abspath(f) for f in files]
        token = os.environ.get("XDG_ACTIVATION_TOKEN", "")
        message = json.dumps({"files": paths, "token": token}).encode("ascii") + b"\n"
        end = time.monotonic() + wait_s
        while time.monotonic() < end:
            with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as asked:
                asked.settimeout(max(end - time.monotonic(), 0.05))
                asked.connect(os.fspath(self.address))
                asked.sendall(message)
                if asked.recv(len(HANDED)) == HANDED:
                    return True
            time.sleep(0.05)
        return False

    def leave(self) -> None:
        """The next start is the first again."""
        if self._held is not None:
            self._held.close()
            self._held = None


def read_message(data: bytes) -> tuple[list[str], str] | None:
    """(files, a token with which the desktop lets the window come forward) of what was sent; None: nothing
    that a second start would send.

    >>> read_message(b'{"files": ["/tmp/a.abc"], "token": ""}')
    (['/tmp/a.abc'], '')
    >>> read_message(b"[]")
    """
    try:
        told = parse_json(data)
        files, token = told["files"], told["token"]
    except (ValueError, TypeError, KeyError):
        return None
    if not isinstance(files, list) or not all(isinstance(f, str) and "\0" not in f for f in files):
        return None
    return files, token if isinstance(token, str) else ""


def _runtime_folder() -> Path:
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    return Path(runtime) / "jeweller" if runtime and Path(runtime).is_dir() else state_home()
