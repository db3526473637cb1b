"""A page saved where the user says."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol, cast

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QFileDialog, QWidget

from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.work import write_page
from jeweller.i18n import _


class Telling(Protocol):
    """A place that says what happened."""

    jobs: Jobs
    message: SignalInstance
    trouble: SignalInstance


def save_page(
    place: Telling, title: str, name: str, path: str, make: Callable[..., bytes], *arguments: Any
) -> None:
    """Saves the page that `make` makes of the arguments as `path`, or, where that is "", where the user says,
    from `name` in the home folder on. Pages take a second and more: a worker makes them.
    """
    if not path:
        path, _unused = QFileDialog.getSaveFileName(
            cast(QWidget, place), title, str(Path.home() / name), f"*{Path(name).suffix}"
        )
    if not path:
        return
    job = place.jobs.process(f"page {name}", write_page, make, arguments, path)
    job.done.connect(lambda saved: place.message.emit(_("Saved: {path}").format(path=saved)))
    job.failed.connect(place.trouble)
