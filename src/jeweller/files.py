"""Writing files so that a power cut leaves the old one or the new one, never half of either."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

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


def json_text(data: Mapping[str, Any]) -> str:
    """A report, or a summary, as every command leaves it: readable, in the same order, never NaN.

    >>> print(json_text({"value": 18.5}), end="")
    {
     "value": 18.5
    }
    """
    return json.dumps(data, ensure_ascii=False, indent=1, allow_nan=False) + "\n"
