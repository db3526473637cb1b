"""The language of the window, and its change while the window is open: what does not change by itself
(labels, menus, tips, the names a screen reader says) is looked up again by the message that it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from PySide6.QtCore import QLibraryInfo, QLocale, QObject, QSettings, QTranslator
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication, QComboBox, QMenu, QTableWidget, QWidget

from jeweller.i18n import LANGUAGES, SOURCE, _, language_of, source_messages, use_language

PROPERTIES = (
    "text",
    "title",
    "toolTip",
    "accessibleName",
    "accessibleDescription",
    "placeholderText",
    "suffix",
)


def remembered_language(settings: QSettings) -> str:
    """The language that was chosen the last time; at first that of the desktop."""
    language = str(settings.value("language") or language_of(QLocale.system().name()))
    return language if language in LANGUAGES else SOURCE


def translate_dialogs(app: QApplication, language: str) -> None:
    """The words of Qt's own dialogs and buttons."""
    translator = QTranslator(app)
    folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if translator.load(QLocale(language), "qtbase", "_", folder):
        app.installTranslator(translator)


def retranslate(root: QWidget, language: str) -> None:
    """Changes the language of this context, and every fixed word of a window with it. Two messages may be the
    same word in a language: which one a text stands for is remembered where it was changed.
    """
    messages = source_messages()
    use_language(language)
    for owner, key, now, change in _texts(root):
        kept = owner.property(key)
        message = kept[1] if isinstance(kept, list) and kept[0] == now else messages.get(now, now)
        if message and (said := _(message)) != now:
            change(said)
            owner.setProperty(key, [said, message])


def _texts(root: QWidget) -> Iterator[tuple[QObject, str, str, Callable[[str], object]]]:
    """Every text that is shown: whose it is, under which name its message is remembered, the text, and what
    changes it.
    """
    for owner in (*root.findChildren(QWidget), *root.findChildren(QAction)):
        if isinstance(owner, QMenu):
            continue  # its title is the text of its action
        if isinstance(owner, QComboBox):
            for k in range(owner.count()):
                change = partial(owner.setItemText, k)
                yield owner, f"message of item {k}", owner.itemText(k), change
        if isinstance(owner, QTableWidget):
            for k in range(owner.columnCount()):
                heading = owner.horizontalHeaderItem(k)
                if heading is not None and heading.text():
                    yield owner, f"message of heading {k}", heading.text(), heading.setText
        for name in PROPERTIES:
            said = owner.property(name)
            if isinstance(said, str) and said:
                yield owner, f"message of {name}", said, partial(_set, owner, name)


def _set(owner: QObject, name: str, text: str) -> None:
    owner.setProperty(name, text)
