"""The fixed words of a window in the English usage that was chosen: labels, menus, tips and the names a
screen reader says.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import shiboken6
from PySide6.QtCore import QObject, QSettings
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QComboBox, QMenu, QWidget

from jeweller.usage import BARS, VALUES, Usage

PROPERTIES = ("text", "title", "toolTip", "accessibleName", "placeholderText", "suffix")
AS_WRITTEN = "as written"  # a property of what names the usages themselves
OTHER = Usage("measure", "crotchet")  # what it leaves alone has no word of either kind


@dataclass(kw_only=True)
class _Fixed:
    owner: QObject
    set: Callable[[str], object]
    get: Callable[[], str]
    written: str  # as the program has it
    now: str  # as it was said last: what was changed since by others is theirs


class Wording:
    """Taken of a window before anything is shown in it that is not the program's own."""

    def __init__(self, root: QWidget) -> None:
        self._fixed = [f for f in _texts(root) if OTHER.said(f.written) != f.written]

    def say(self, usage: Usage) -> None:
        """Every fixed word in the usage."""
        for f in self._fixed:
            if shiboken6.isValid(f.owner) and f.get() == f.now:
                f.now = usage.said(f.written)
                f.set(f.now)


def remembered_usage(settings: QSettings) -> Usage:
    """The usage that was chosen the last time."""
    bar, values = str(settings.value("words/bar", "bar")), str(settings.value("words/values", "quarter"))
    return Usage(bar if bar in BARS else "bar", values if values in VALUES else "quarter")


def _texts(root: QWidget) -> Iterator[_Fixed]:
    for owner in (*root.findChildren(QWidget), *root.findChildren(QAction)):
        if isinstance(owner, QMenu) and owner.menuAction() is not None:
            continue  # its title is the text of its action
        if owner.property(AS_WRITTEN):
            continue
        if isinstance(owner, QComboBox):
            for k in range(owner.count()):
                said = owner.itemText(k)
                yield _Fixed(
                    owner=owner,
                    set=lambda text, o=owner, k=k: o.setItemText(k, text),
                    get=lambda o=owner, k=k: o.itemText(k),
                    written=said,
                    now=said,
                )  # type: ignore[misc]
        for name in PROPERTIES:
            said = owner.property(name)
            if isinstance(said, str) and said:
                yield _Fixed(
                    owner=owner,
                    set=lambda text, o=owner, n=name: o.setProperty(n, text),
                    get=lambda o=owner, n=name: str(o.property(n) or ""),
                    written=said,
                    now=said,
                )  # type: ignore[misc]
