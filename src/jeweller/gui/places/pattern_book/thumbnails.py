"""Small engraved pictures of the first bars of pieces, read and engraved one at a time beside the window, and
kept while the program runs.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable

from PySide6.QtCore import QObject, QSize, Signal
from PySide6.QtGui import QPixmap

from jeweller.documents.engraving import Engraving, engrave
from jeweller.documents.theme import Theme
from jeweller.errors import JewellerError
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.widgets.shapes import drawn
from jeweller.notation.model import Part

SIZE = QSize(216, 44)  # pixels
SCALE = 0.27  # pixels for a page unit
# a bar by itself: page units of its line, around its ink, pixels for one
BAR_UNITS, BAR_ROOM, BAR_SCALE = 900.0, 24.0, 0.5


def engraved_beginning(read: Callable[[str], Part | None], piece: str) -> Engraving | None:
    """The first bars of a piece, engraved; None where there is nothing to engrave. For a thread."""
    try:
        part = read(piece)
    except JewellerError:
        return None
    return engrave(part, SIZE.width() / SCALE, rails=False) if part is not None else None


class Thumbnails(QObject):
    """`ask` for pictures; `drawn` tells the id of a piece whose picture is there. `read` gives the first bars
    of a piece, and is called in a thread.
    """

    drawn = Signal(str)

    def __init__(self, jobs: Jobs, read: Callable[[str], Part | None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs, self.read = jobs, read
        self.pictures: dict[tuple[str, str], QPixmap] = {}
        self.waiting: list[str] = []
        self.theme: Theme | None = None
        self.ratio = 1.0

    def ask(self, pieces: list[str], theme: Theme, ratio: float) -> None:
        """These pictures are wanted now; those asked for earlier and not drawn yet are forgotten."""
        self.theme, self.ratio = theme, ratio
        self.waiting = [p for p in pieces if (p, theme.name) not in self.pictures]
        if not self.jobs.running("thumbnail"):
            self._next()

    def picture(self, piece: str, theme: Theme) -> QPixmap | None:
        """The picture, where it is drawn."""
        return self.pictures.get((piece, theme.name))

    def forget(self, piece: str) -> None:
        """The music of a piece is another now."""
        for key in [k for k in self.pictures if k[0] == piece]:
            del self.pictures[key]

    def _next(self) -> None:
        if self.waiting:
            piece = self.waiting[0]
            job = self.jobs.threaded("thumbnail", engraved_beginning, self.read, piece)
            job.done.connect(lambda engraving: self._draw(piece, engraving))
            job.failed.connect(lambda _sentence: self._draw(piece, None))

    def _draw(self, piece: str, engraving: Engraving | None) -> None:
        if self.theme is not None:
            self.pictures[(piece, self.theme.name)] = first_bars(engraving, self.theme, self.ratio)
        if piece in self.waiting:
            self.waiting.remove(piece)
        self.drawn.emit(piece)
        self._next()


def one_bar(part: Part, number: str, theme: Theme, ratio: float) -> QPixmap | None:
    """One printed bar of a part, with its clef and key; None where there is none of that number."""
    bar = next((b for b in part.bars if b.number == number), None)
    if bar is None:
        return None
    alone = dataclasses.replace(
        bar, marks=(), repeat_start=False, repeat_times=0, ending=(), ending_start=False, ending_stop=""
    )
    engraving = engrave(dataclasses.replace(part, bars=(alone,)), BAR_UNITS, rails=False)
    system, placed = engraving.systems[0], engraving.bars[0]
    top, bottom = system.highest - BAR_ROOM, system.lowest + BAR_ROOM
    wide = placed.right + BAR_ROOM
    return drawn(
        engraving.svg(theme, top=top, height=bottom - top, system=0),
        engraving.width * BAR_SCALE,
        (bottom - top) * BAR_SCALE,
        ratio,
    ).copy(0, 0, round(wide * BAR_SCALE * ratio), round((bottom - top) * BAR_SCALE * ratio))


def first_bars(engraving: Engraving | None, theme: Theme, ratio: float) -> QPixmap:
    """As much of it as goes into SIZE; empty paper where there is none."""
    if engraving is None:
        return drawn('<svg xmlns="http://www.w3.org/2000/svg"/>', SIZE.width(), SIZE.height(), ratio)
    # The staff with its notes in the middle: low ones would be cut off below.
    system, heads = engraving.systems[0], [b.y for b in engraving.notes.values() if b.system == 0]
    middle = (min([system.top, *heads]) + max([system.bottom, *heads])) / 2
    height = SIZE.height() / SCALE
    return drawn(
        engraving.svg(theme, top=middle - height / 2, height=height, system=0),
        SIZE.width(),
        SIZE.height(),
        ratio,
    )
