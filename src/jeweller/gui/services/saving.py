"""A page saved where the user says."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol, cast

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QFileDialog, QWidget

from jeweller.errors import JewellerError
from jeweller.files import write_bytes
from jeweller.i18n import _


class Telling(Protocol):
    """A place that says what happened."""

    message: SignalInstance
    trouble: SignalInstance


def save_pdf(place: Telling, title: str, name: str, make: Callable[[], bytes], path: str = "") -> None:
    """Saves the page that `make` makes as `path`, or, without one, where the user says, from `name` in the
    home folder on.
    """
    if not path:
        path, _unused = QFileDialog.getSaveFileName(
            cast(QWidget, place), title, str(Path.home() / name), "*.pdf"
        )
    if not path:
        return
    try:
        write_bytes(Path(path), make())
    except JewellerError as error:
        place.trouble.emit(str(error))
        return
    place.message.emit(_("Saved: {path}").format(path=path))
