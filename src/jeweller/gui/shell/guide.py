"""The guide: the work in its order, with pictures, in the chosen language; its chapters at the left."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QTextBlock, QTextCursor, QTextImageFormat
from PySide6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QWidget

from jeweller.assets import GUIDE
from jeweller.gui.shell.style import font
from jeweller.i18n import SOURCE, _, chosen_language

WIDTH, HEIGHT = 1000, 720
CHAPTERS = 240  # pixels of the list of chapters
PICTURE = 640  # pixels of a picture's width
CHAPTER = 2  # the level of heading that is a chapter


def guide_file(language: str) -> Path:
    """The guide in a language; that of the source where there is none."""
    for name in (language, language.partition("_")[0], SOURCE):
        if (GUIDE / f"{name}.md").exists():
            return GUIDE / f"{name}.md"
    raise FileNotFoundError(GUIDE)


class GuideWindow(QDialog):
    """Reads beside the work: it does not hold the window."""

    def __init__(self, parent: QWidget | None, points: float) -> None:
        super().__init__(parent)
        self.setWindowTitle(_("Guide"))
        self.resize(WIDTH, HEIGHT)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 16, 16, 16)
        row.setSpacing(12)
        self.chapters = QListWidget()
        self.chapters.setAccessibleName(_("Chapters"))
        self.chapters.setFixedWidth(CHAPTERS)
        self.chapters.setWordWrap(True)
        self.chapters.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.chapters.currentItemChanged.connect(lambda item, _unused: self._to(item))
        row.addWidget(self.chapters)
        self.text = QTextBrowser()
        self.text.setAccessibleName(_("Guide"))
        self.text.setOpenLinks(False)
        self.text.setFont(font(points))
        self.text.document().setDocumentMargin(20)
        self.text.setSearchPaths([str(GUIDE)])
        self.text.document().setBaseUrl(QUrl.fromLocalFile(f"{GUIDE}/"))
        self.text.setMarkdown(guide_file(chosen_language()).read_text("utf-8"))
        self._fit_pictures()
        row.addWidget(self.text, 1)
        block = self.text.document().begin()
        while block.isValid():
            if block.blockFormat().headingLevel() == CHAPTER:
                item = QListWidgetItem(block.text())
                item.setData(Qt.ItemDataRole.UserRole, block.position())
                self.chapters.addItem(item)
            block = block.next()
        self.chapters.setCurrentRow(0)
        self.text.verticalScrollBar().setValue(0)

    def _to(self, item: QListWidgetItem | None) -> None:
        """The chapter to the top of the page."""
        if item is None:
            return
        cursor = QTextCursor(self.text.document())
        cursor.setPosition(item.data(Qt.ItemDataRole.UserRole))
        self.text.setTextCursor(cursor)
        bar = self.text.verticalScrollBar()
        bar.setValue(bar.value() + self.text.cursorRect(cursor).top() - 12)

    def _fit_pictures(self) -> None:
        """Every picture as wide as the text."""
        document = self.text.document()
        block = document.begin()
        while block.isValid():
            self._fit_block(block)
            block = block.next()

    def _fit_block(self, block: QTextBlock) -> None:
        places = block.begin()
        while not places.atEnd():
            fragment = places.fragment()
            if fragment.charFormat().isImageFormat():
                cursor = QTextCursor(block)
                cursor.setPosition(fragment.position())
                cursor.setPosition(fragment.position() + fragment.length(), QTextCursor.MoveMode.KeepAnchor)
                picture = QTextImageFormat(fragment.charFormat().toImageFormat())
                picture.setWidth(PICTURE)
                cursor.setCharFormat(picture)
                return
            places += 1
