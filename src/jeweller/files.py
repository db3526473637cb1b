"""Writing files so that a power cut leaves the old one or the new one, never half of either."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

from jeweller.errors import JewellerError


def write_bytes(path: Path, data: bytes, otherwise: str = "") -> None:
    """To a temporary name first, then renamed. Raises JewellerError, its sentence ending with `otherwise`."""
    temporary = path.with_name(f"{path.name}.part{os.getpid()}")
    try:
        temporary.write_bytes(data)
        os.replace(temporary, path)
    except OSError as error:
        raise JewellerError(f"{path} cannot be written: {error.strerror or error}.{otherwise}") from error


def json_text(data: dict[str, Any]) -> str:
    """A report, or a summary, as every command leaves it: readable, in the same order, never NaN."""
    return json.dumps(data, ensure_ascii=False, indent=1, allow_nan=False) + "\n"
