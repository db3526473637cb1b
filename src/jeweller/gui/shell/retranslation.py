"""The language of the window, and its change while the window is open: what does not change by itself
(labels, menus, tips, the names a screen reader says) is looked up again by the message that it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PySide6.QtCore import QLibraryInfo, QLocale, QObject, QSettings, QTranslator
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication, QComboBox, QMenu, QWidget

from jeweller.i18n import LANGUAGES, SOURCE, _, language_of, source_messages, use_language

PROPERTIES = ("text", "title", "toolTip", "accessibleName", "placeholderText", "suffix")


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
    """Changes the language of this context, and every fixed word of a window with it."""
    messages = source_messages()
    use_language(language)
    for now, change in _texts(root):
        message = messages.get(now, now)
        if message and (said := _(message)) != now:
            change(said)


def _texts(root: QWidget) -> Iterator[tuple[str, Callable[[str], object]]]:
    """Every text that is shown, with what changes it."""
    for owner in (*root.findChildren(QWidget), *root.findChildren(QAction)):
        if isinstance(owner, QMenu):
            continue  # its title is the text of its action
        if isinstance(owner, QComboBox):
            for k in range(owner.count()):
                yield owner.itemText(k), lambda text, o=owner, k=k: o.setItemText(k, text)  # type: ignore[misc]
        for name in PROPERTIES:
            said = owner.property(name)
            if isinstance(said, str) and said:
                yield said, lambda text, o=owner, n=name: _set(o, n, text)  # type: ignore[misc]


def _set(owner: QObject, name: str, text: str) -> None:
    owner.setProperty(name, text)
