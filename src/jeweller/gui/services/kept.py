"""What is remembered from one session to the next, read so that nothing a file can hold stops the program: an
odd value counts as none. `settings` is the file of one window (`desk.ini`).
"""

from __future__ import annotations

import math
import os
from typing import Any, TypeVar

from PySide6.QtCore import QByteArray, QSettings

from jeweller.files import parse_json
from jeweller.i18n import _

FORMAT = 1  # raised where a name comes to mean something else; new names need no new number
Shape = TypeVar("Shape", list[Any], dict[str, Any])


def kept_number(settings: QSettings, name: str, usual: float, low: float, high: float) -> float:
    """A number from low to high; the usual one where there is none such.

    >>> empty = QSettings("no.ini", QSettings.Format.IniFormat)
    >>> kept_number(empty, "warmup/reference", 440.0, 380.0, 500.0)
    440.0
    """
    try:
        number = float(str(settings.value(name, usual)))
    except ValueError:
        return usual
    return number if math.isfinite(number) and low <= number <= high else usual


def kept_json(settings: QSettings, name: str, usual: Shape) -> Shape:
    """A list or a record, whichever the usual one is."""
    try:
        kept = parse_json(str(settings.value(name, "") or "null"))
    except ValueError:
        return usual
    return kept if isinstance(kept, type(usual)) else usual


def kept_path(settings: QSettings, name: str) -> str:
    """Where something lies, there or not; "" where the words can be no whole path: one from "here" would lie
    wherever the program was started.
    """
    kept = str(settings.value(name, "") or "")
    try:
        return kept if os.path.isabs(kept) and b"\0" not in os.fsencode(kept) else ""
    except UnicodeError:
        return ""


def kept_folder(settings: QSettings, name: str, usual: str = "") -> str:
    """A folder that is still there; the usual one where there is none."""
    kept = kept_path(settings, name)
    return kept if os.path.isdir(kept) else usual


def kept_layout(settings: QSettings, name: str) -> QByteArray:
    """What a window or a split wrote of its sizes; empty where there is none."""
    kept = settings.value(name)
    return kept if isinstance(kept, QByteArray) else QByteArray()


def check_format(settings: QSettings) -> str:
    """Notes who writes from now on. A sentence where a newer version wrote: what it knows is left alone, and
    what both know is read; "" otherwise.
    """
    if kept_number(settings, "format", FORMAT, 0, math.inf) > FORMAT:
        return _(
            "The settings were written by a newer Jeweller. What is known here is used, the rest is left."
        )
    settings.setValue("format", FORMAT)
    return ""
