"""What is painted, for those who do not see it: a widget that tells its parts is read part by part by a
screen reader. Qt asks for it only where such a reader runs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol, runtime_checkable

from PySide6.QtCore import QObject, QPoint, QRect
from PySide6.QtGui import (
    QAccessible,
    QAccessibleAnnouncementEvent,
    QAccessibleEvent,
    QAccessibleInterface,
)
from PySide6.QtWidgets import QAbstractButton, QAccessibleWidget, QComboBox, QPushButton, QToolButton, QWidget
from shiboken6 import isValid

SWEPT_AT = 500  # interfaces, after which those of widgets that are gone are let go of


@dataclass(frozen=True)
class ReadablePart:
    """A note, a cell, a day: what it says, and where it is painted (pixels of its widget)."""

    key: str
    words: str
    place: QRect


@runtime_checkable
class Readable(Protocol):
    """A widget that is painted: its parts in the order in which they are read, and the chosen one's key."""

    def readable_parts(self) -> Sequence[ReadablePart]: ...

    def readable_choice(self) -> str: ...


def announce(widget: QWidget, words: str) -> None:
    """Has a screen reader say something that happened; without one nothing is done."""
    if words and QAccessible.isActive():
        QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(widget, words))


def tell_choice(widget: QWidget) -> None:
    """Another part is chosen: a screen reader reads it."""
    if not QAccessible.isActive() or not isinstance(widget, Readable):
        return
    chosen = widget.readable_choice()
    keys = [p.key for p in widget.readable_parts()]
    whole = QAccessible.queryAccessibleInterface(widget)
    if chosen in keys and whole is not None and whole.childCount() == len(keys):
        event = QAccessibleEvent(widget, QAccessible.Event.Focus)
        event.setChild(keys.index(chosen))
        QAccessible.updateAccessibility(event)


def describe_boxes(root: QWidget) -> None:
    """Says of each box of choices what is chosen there: as its name Qt tells what is."""
    for box in root.findChildren(QComboBox):
        if box.accessibleName() and not box.accessibleDescription():
            box.setAccessibleDescription(box.accessibleName())


class StayingButton(QPushButton):
    """A button that stays down: one of several, or on and off. A screen reader turns over Qt's own without a
    click, and what a click does is not done; this one it clicks.
    """

    def __init__(self, words: str = "") -> None:
        super().__init__()
        self.setText(words)  # not in the constructor: Qt asks at once what it is, and it is not made yet
        self.setCheckable(True)


class StayingToolButton(QToolButton):
    """The same, small. `one_of`: of several one is down, though each has a stop of its own for Tab."""

    def __init__(self, *, one_of: bool = False) -> None:
        super().__init__()
        self.one_of = one_of
        self.setCheckable(True)


class ValueButton(QPushButton):
    """A button on which a value stands; its accessible name says what of. A screen reader says both."""


class ReadableWidgets:
    """Tells Qt of such widgets, once a process; keeps what it made as long as Qt uses it, for Qt holds no
    reference of Python's.
    """

    def __init__(self) -> None:
        self._made: list[QAccessibleWidget] = []
        self._room = SWEPT_AT
        QAccessible.installFactory(self._interface)

    def _interface(self, _name: str, what: QObject) -> QAccessibleInterface | None:
        made: QAccessibleWidget
        # Only what is of a class of our own: of anything else Python's object may not be made yet, or be made
        # for this call alone.
        if isinstance(what, StayingButton | StayingToolButton):
            made = _Staying(what)
        elif isinstance(what, ValueButton):
            made = _Value(what)
        elif isinstance(what, QWidget) and isinstance(what, Readable):
            made = _Whole(what)
        else:
            return None
        if len(self._made) > self._room:
            self._made = [m for m in self._made if isValid(m)]
            self._room = 2 * len(self._made) + SWEPT_AT
        self._made.append(made)
        return made


class _Clicked(QAccessibleWidget):
    """A button: what a reader does with it is a click."""

    def __init__(self, button: QAbstractButton, role: QAccessible.Role) -> None:
        super().__init__(button, role, button.text())
        self._button = button

    def said(self) -> str:
        """Its name, and what stands there now."""
        raise NotImplementedError

    def text(self, kind: QAccessible.Text) -> str:
        return self.said() if kind == QAccessible.Text.Name else super().text(kind)

    def actionNames(self) -> list[str]:
        return [self.pressAction(), self.setFocusAction()]

    def doAction(self, name: str) -> None:
        if name == self.pressAction():
            self._button.click()
        else:
            super().doAction(name)


class _Staying(_Clicked):
    def __init__(self, button: QAbstractButton) -> None:
        super().__init__(button, QAccessible.Role.CheckBox)

    def role(self) -> QAccessible.Role:
        group = self._button.group()
        one_of = self._button.autoExclusive() or (group is not None and group.exclusive())
        one_of = one_of or getattr(self._button, "one_of", False)
        return QAccessible.Role.RadioButton if one_of else QAccessible.Role.CheckBox

    def said(self) -> str:
        return self._button.accessibleName() or self._button.text().replace("&", "").replace("\n", " ")

    def state(self) -> QAccessible.State:
        state = super().state()
        state.checkable = True  # type: ignore[assignment]
        state.checked = self._button.isChecked()  # type: ignore[assignment]
        return state


class _Value(_Clicked):
    def __init__(self, button: QAbstractButton) -> None:
        super().__init__(button, QAccessible.Role.ButtonMenu)

    def said(self) -> str:
        return f"{self._button.accessibleName()}: {self._button.text()}"


class _Whole(QAccessibleWidget):
    """The widget: a list of its parts."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget, QAccessible.Role.List, widget.accessibleName())
        self._widget = widget
        self._parts: Sequence[ReadablePart] = ()
        self._children: list[_Part] = []

    def _refresh(self) -> list[_Part]:
        parts = self._widget.readable_parts() if isinstance(self._widget, Readable) else ()
        if parts != self._parts:
            for child in self._children:
                QAccessible.deleteAccessibleInterface(QAccessible.uniqueId(child))
            self._parts = parts
            self._children = [_Part(self._widget, p) for p in parts]
            for child in self._children:
                QAccessible.registerAccessibleInterface(child)
        return self._children

    def childCount(self) -> int:
        return len(self._refresh())  # who reads asks for this first

    def child(self, index: int) -> Any:
        return self._children[index] if 0 <= index < len(self._children) else None

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return next((k for k, c in enumerate(self._children) if c is child), -1)

    def childAt(self, x: int, y: int) -> Any:
        return next((c for c in self._children if c.rect().contains(x, y)), None)

    def focusChild(self) -> Any:
        return next((c for c in self._children if c.chosen), None)


class _Part(QAccessibleInterface):
    """One part of it."""

    def __init__(self, widget: QWidget, part: ReadablePart) -> None:
        super().__init__()
        self._widget, self.part = widget, part

    @property
    def chosen(self) -> bool:
        return isinstance(self._widget, Readable) and self._widget.readable_choice() == self.part.key

    def isValid(self) -> bool:
        return True

    def object(self) -> Any:
        return None

    def parent(self) -> QAccessibleInterface:
        return QAccessible.queryAccessibleInterface(self._widget)

    def childCount(self) -> int:
        return 0

    def child(self, _index: int) -> Any:
        return None

    def childAt(self, _x: int, _y: int) -> Any:
        return None

    def indexOfChild(self, _child: QAccessibleInterface) -> int:
        return -1

    def rect(self) -> QRect:
        return self.part.place.translated(self._widget.mapToGlobal(QPoint(0, 0)))

    def role(self) -> QAccessible.Role:
        return QAccessible.Role.ListItem

    def state(self) -> QAccessible.State:
        state = QAccessible.State()
        state.focusable = state.selectable = True
        state.focused = state.selected = self.chosen
        return state

    def text(self, kind: QAccessible.Text) -> str:
        return self.part.words if kind == QAccessible.Text.Name else ""

    def setText(self, _kind: QAccessible.Text, _text: str) -> None:
        """Nothing here is written by a reader."""
