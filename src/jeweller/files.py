"""Writing files so that a power cut leaves the old one or the new one, never half of either."""

from __future__ import annotations

import contextlib
import errno
import json
import os
import stat
import struct
import unicodedata
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any, BinaryIO

from jeweller.errors import JewellerError
from jeweller.i18n import _


@contextlib.contextmanager
def replacing(target: Path, *, private: bool = False) -> Iterator[Path]:
    """A temporary path beside `target`, for the caller to write whole; at the end it takes the target's
    place.

    The new file is on the disk before it gets its name, and its name before this ends (the file, then its
    folder are synchronised). Where anything fails the old file stays and nothing is left behind. `private`:
    readable by the owner alone, from the first byte. Raises OSError.
    """
    temporary = target.with_name(f"{target.name}.part{os.getpid()}")
    try:
        temporary.unlink(missing_ok=True)
        os.close(os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600 if private else 0o666))
        yield temporary
        with temporary.open("rb") as written:
            os.fsync(written.fileno())
        os.replace(temporary, target)
        sync_folder(target.parent)
    finally:
        temporary.unlink(missing_ok=True)


def sync_folder(folder: Path) -> None:
    """Puts the names in a folder on the disk. Where the file system cannot, it goes without."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def write_bytes(path: Path, data: bytes, otherwise: str = "", *, private: bool = False) -> None:
    """A whole file, or none. Raises JewellerError, its sentence ending with `otherwise`."""
    try:
        with replacing(path, private=private) as temporary:
            temporary.write_bytes(data)
    except OSError as error:
        raise JewellerError(
            _("{path} cannot be written: {value}.{otherwise}").format(
                path=path, value=error.strerror or error, otherwise=otherwise
            )
        ) from error


# What opening and reading a zip file can end in, where it is damaged or none.
ZIP_ERRORS = (
    OSError,
    zipfile.BadZipFile,
    zlib.error,
    EOFError,
    RuntimeError,
    NotImplementedError,
    ValueError,  # names that are no text among them
    IndexError,
    struct.error,
)


DANGEROUS = ("=", "+", "-", "@", "\t", "\r", "\n")  # what a spreadsheet takes for the start of a formula


def harmless(text: str) -> str:
    """A text that no spreadsheet reckons with: an apostrophe stands before it where one would.

    >>> harmless("=1+1"), harmless("scales")
    ("'=1+1", 'scales')
    """
    return (
        f"'{text}" if text.startswith(DANGEROUS) or text.lstrip().startswith(("=", "+", "-", "@")) else text
    )


def shown_name(path: str | os.PathLike[str]) -> str:
    """The last part of a path as it can be shown anywhere: bytes that are no text, and control characters
    (which a terminal would obey), are told by a sign.

    >>> shown_name("takes/x\\x1b[31m.ogg"), shown_name(b"x\\xff.ogg".decode("utf-8", "surrogateescape"))
    ('x\ufffd[31m.ogg', 'x\ufffd.ogg')
    """
    return shown_text(Path(path).name)


def shown_text(text: str) -> str:
    """A text without anything that is no text; lines and tabs stay."""
    return "".join(
        c if c in "\n\t" or unicodedata.category(c) not in ("Cc", "Cs") else "\ufffd" for c in text
    )


def read_regular(path: Path, most: int) -> bytes:
    """The bytes of a regular file, at most so many; a device, a pipe or a socket is none. Raises OSError,
    ValueError where there are more.
    """
    with open_regular(path) as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise ValueError(path)
    return data


def open_regular(path: Path) -> BinaryIO:
    """A regular file, open to be read; nothing waits for somebody to write into a pipe. Raises OSError."""
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        os.close(handle)
        raise OSError(errno.EINVAL, _("it is no regular file"))
    return os.fdopen(handle, "rb")


def parse_json(text: str | bytes) -> Any:
    """What JSON says. Raises ValueError where it is none, also where it is nested too deeply to be read.

    >>> parse_json('{"value": 18.5}')
    {'value': 18.5}
    """
    try:
        return json.loads(text)
    except RecursionError:
        raise ValueError(_("it is nested too deeply")) from None


def json_text(data: Mapping[str, Any]) -> str:
    """A report, or a summary, as every command leaves it: readable, in the same order, never NaN.

    >>> print(json_text({"value": 18.5}), end="")
    {
     "value": 18.5
    }
    """
    return json.dumps(data, ensure_ascii=False, indent=1, allow_nan=False) + "\n"
