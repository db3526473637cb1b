"""The ear trainer: a part whose take hides faults; what one hears is marked, then the answer stands beside
it. Or three takes, and the findings of one of them.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES
from jeweller.documents.text_lines import TextLineSettings
from jeweller.documents.theme import LIGHT, Theme
from jeweller.eartraining.hearing import AnswerLine, FacetScore, score_words
from jeweller.eartraining.hidden import LEVELS, trained_instruments
from jeweller.gui.places.booth.own_view_page import OwnViewPanel
from jeweller.gui.places.booth.paper import BoothSheet
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.places.practice.ear_model import MOST_FAULTS, EarModel, EarStage, EarWay
from jeweller.gui.places.practice.player_page import PlayerPage
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.shapes import facet_pixmap, icon
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.table import said_instrument

if TYPE_CHECKING:
    from jeweller.library.library import Library

SHAPE = 18
PANEL_WIDTH = 380
WAYS = {EarWay.MARK: N_("mark what I hear"), EarWay.WHICH: N_("which of three takes is it?")}


class EarScores(QWidget):
    """How much of each facet was heard: lately as a filled length, before as an outline under it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.scores: list[FacetScore] = []

    def show_scores(self, scores: list[FacetScore]) -> None:
        self.scores = scores
        self.setMinimumHeight(len(scores) * self._row())
        self.setAccessibleName(" ".join(score_words(s) for s in scores))
        self.update()

    def _row(self) -> int:
        return round(3.0 * self.points)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(self.points))
        high, told = self._row(), painter.fontMetrics().horizontalAdvance("10 / 10") + 12
        left = 28 + max(
            (painter.fontMetrics().horizontalAdvance(_(n)) for n in FACET_NAMES.values()), default=0
        )
        width = max(60, self.width() - left - told - 16)
        for k, score in enumerate(self.scores):
            top = k * high
            painter.drawPixmap(
                QPointF(0, top + (high - SHAPE) / 2), facet_pixmap(score.facet, self.theme, SHAPE)
            )
            middle = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(QRectF(26, top, left - 26, high), middle, _(FACET_NAMES[score.facet]))
            heard, of = score.lately
            bar = QRectF(left + 8, top + 0.26 * high, width * heard / of, 0.3 * high)
            painter.fillRect(bar, QColor(self.theme.brass))
            then, of_then = score.before
            painter.setPen(QPen(QColor(self.theme.quiet), 1.0))
            if of_then:
                low = top + 0.62 * high
                painter.drawRect(QRectF(left + 8, low, width * then / of_then, 0.14 * high))
            painter.drawLine(
                QPointF(left + 8 + width, top + 0.2 * high), QPointF(left + 8 + width, top + 0.8 * high)
            )
            painter.setPen(QColor(self.theme.ink))
            right = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight)
            painter.drawText(QRectF(self.width() - told, top, told - 4, high), right, f"{heard} / {of}")
        painter.end()


class EarPage(PlayerPage):
    """Of whoever listens."""

    def __init__(
        self,
        model: EarModel,
        jobs: Jobs,
        library: Callable[[], Library | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(model, library, parent)
        self.model = model
        self.theme, self.points = LIGHT, 11.0
        self._shown: tuple[object, ...] = ()
        self.choices: dict[str, QComboBox] = {}
        self._choose(
            "instrument", _("Instrument"), {i.id: said_instrument(i.name) for i in trained_instruments()}
        )
        self._choose(
            "facet", _("What goes wrong"), {"": _("anything"), **{f: _(FACET_NAMES[f]) for f in FACETS}}
        )
        self._choose("level", _("How plain"), {key: _(words) for key, words in LEVELS.items()})
        counts = {
            str(n): ngettext("{n} fault", "{n} faults", n).format(n=n) for n in range(1, MOST_FAULTS + 1)
        }
        self._choose("faults", _("How many faults"), counts)
        self.way = QComboBox()
        self.way.setAccessibleName(_("What is to be done"))
        for way, words in WAYS.items():
            self.way.addItem(_(words), way)
        self.way.activated.connect(lambda _unused: model.set_way(self.way.currentData()))
        self.row.addWidget(self.way)
        middle = QHBoxLayout()
        middle.setSpacing(16)
        self.sheet = BoothSheet(jobs)
        self.sheet.paper.bar_chosen.connect(self._bar_chosen)
        middle.addWidget(self.sheet, 1)
        middle.addWidget(self._panel())
        self.column.addLayout(middle, 1)

    def _choose(self, name: str, words: str, choices: dict[str, str]) -> None:
        box = QComboBox()
        box.setAccessibleName(words)
        for key, said in choices.items():
            box.addItem(said, key)
        box.activated.connect(lambda _unused: self.model.set_request(name, box.currentData()))
        self.choices[name] = box
        self.row.addWidget(box)

    def _panel(self) -> QWidget:
        """What is heard, said and answered."""
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        self.told = wrapped("", 11)
        column.addWidget(self.told)
        self.plays = FlowRow(spacing=4)
        self.play_buttons: list[QPushButton] = []
        for n in range(3):
            button = QPushButton()
            button.clicked.connect(lambda _unused=False, k=n: self.model.play(k))
            self.plays.addWidget(button)
            self.play_buttons.append(button)
        self.stop = QPushButton(_("Stop"))
        self.stop.clicked.connect(self.model.stop)
        self.plays.addWidget(self.stop)
        column.addLayout(self.plays)
        self.own_view = OwnViewPanel(own_take=False)
        self.own_view.said.connect(self.model.say)
        self.own_view.marked.connect(self._mark)
        column.addWidget(self.own_view)
        self.says = FlowRow(spacing=4)
        self.say_buttons: list[QPushButton] = []
        for n in range(3):
            button = QPushButton(_("It was take {number}").format(number=n + 1))
            button.clicked.connect(lambda _unused=False, k=n: self.model.say_which(k))
            self.says.addWidget(button)
            self.say_buttons.append(button)
        column.addLayout(self.says)
        self.answers = QVBoxLayout()
        self.answers.setSpacing(4)
        column.addLayout(self.answers)
        column.addStretch(1)
        self.scores_title = wrapped(_("Heard, lately and before"), 11, weight=600)
        column.addWidget(self.scores_title)
        self.scores = EarScores()
        column.addWidget(self.scores)
        area = QScrollArea()
        area.setAccessibleName(_("Train the ear"))
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setFixedWidth(PANEL_WIDTH)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.panel = area
        return area

    # ---- what is done

    def next_step(self) -> tuple[str, Callable[[], object]]:
        """What is done next, by the stage."""
        if self.model.stage == EarStage.LISTENING and self.model.way == EarWay.MARK:
            return _("That is what I hear"), self.own_view.say
        return _("Another take") if self.model.way == EarWay.MARK else _("Three takes"), self.model.make

    def _bar_chosen(self, index: int) -> None:
        take = self.model.take
        if take is None:
            return
        bar = take.score.parts[0].bars[index].number
        if self.model.stage == EarStage.LISTENING and self.model.way == EarWay.MARK:
            self.own_view.toggle(bar)
        elif self.model.stage == EarStage.ANSWERED:
            self.model.play(self.model.asked, bar)

    def _mark(self, numbers: list[str]) -> None:
        take = self.model.take
        bars = [b.number for b in take.score.parts[0].bars] if take is not None else []
        self.sheet.paper.marked = {bars.index(n) for n in numbers if n in bars}
        self.sheet.paper.update()

    # ---- look

    def refresh(self) -> None:
        """Everything as the model is."""
        model, request = self.model, self.model.request
        for name, box in self.choices.items():
            box.setCurrentIndex(max(0, box.findData(str(getattr(request, name)))))
        marking = model.way == EarWay.MARK
        self.choices["faults"].setEnabled(marking)
        self.way.setCurrentIndex(self.way.findData(model.way))
        listening, answered = model.stage == EarStage.LISTENING, model.stage == EarStage.ANSWERED
        words = self._words()
        self.told.setText(words)
        self.told.setVisible(bool(words))
        for n, button in enumerate(self.play_buttons):
            button.setVisible(n < len(model.takes))
            button.setText(_("Play it") if marking else _("Play take {number}").format(number=n + 1))
        self.stop.setVisible(bool(model.takes))
        self.own_view.setVisible(listening and marking)
        for button in self.say_buttons:
            button.setVisible(listening and not marking)
        self._show_answers(model.lines if answered else [])
        self.scores_title.setVisible(bool(model.scores))
        self.scores.show_scores(model.scores)
        self._show_part()
        if answered and model.take is not None:
            self._mark([b for f in model.take.faults for b in f.bars])

    def _words(self) -> str:
        model = self.model
        if model.stage == EarStage.MAKING:
            return _("One moment: the take is being played…")
        if model.stage == EarStage.EMPTY and model.way == EarWay.MARK:
            return _(
                "The program plays a take in which something goes wrong. Listen as often as you like, mark "
                "in the part what you hear, and see then what was hidden and what the program heard."
            )
        if model.stage == EarStage.EMPTY:
            return _(
                "The program plays three takes of one line, each with another fault. Read what it says of "
                "one of them, listen, and say which it was."
            )
        if model.way == EarWay.WHICH:
            return _("Read about one of these takes:") + "\n" + "\n".join(model.read)
        return ""

    def _show_part(self) -> None:
        take = self.model.take
        wanted = (
            take is not None and id(take.score),
            self.theme,
            self.points,
            self.model.stage == EarStage.EMPTY,
        )
        if wanted == self._shown:
            return
        self._shown = wanted
        self.own_view.begin()
        paper = self.sheet.paper
        paper.zoom = 0.62 * self.points / 11.0 * 1.15
        part = take.score.parts[0] if take is not None else None
        words = _("The part stands here once a take is made.") if part is None else ""
        paper.show_part(part, self.theme, TextLineSettings(), words)
        paper.show_line(None)
        paper.marked = set()

    def _show_answers(self, lines: list[AnswerLine]) -> None:
        while (item := self.answers.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.hears: list[QPushButton] = []
        for line in lines:
            row = QWidget()
            inside = QHBoxLayout(row)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(8)
            shape = QLabel()
            if line.facet:
                shape.setPixmap(facet_pixmap(line.facet, self.theme, SHAPE))
                shape.setAccessibleName(_(FACET_NAMES[line.facet]))
            shape.setFixedWidth(SHAPE + 4)
            inside.addWidget(shape, 0, Qt.AlignmentFlag.AlignTop)
            inside.addWidget(wrapped(line.text, self.points), 1)
            hear = QPushButton()
            hear.setIcon(icon("play", self.theme, 14))
            hear.setToolTip(_("Hear bar {bar}").format(bar=line.bar))
            hear.setAccessibleName(_("Hear bar {bar}").format(bar=line.bar))
            hear.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            hear.clicked.connect(lambda _unused=False, bar=line.bar: self.model.play(self.model.asked, bar))
            inside.addWidget(hear, 0, Qt.AlignmentFlag.AlignTop)
            self.hears.append(hear)
            self.answers.addWidget(row)

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        self.panel.setFixedWidth(round(PANEL_WIDTH * points / 11.0))
        self.told.setFont(font(points))
        self.scores_title.setFont(font(points, weight=600))
        self.scores.theme, self.scores.points = theme, points
        self.own_view.title.setFont(font(points + 1, serif=True, weight=600))
        self.own_view.set_theme(theme)
        self.sheet.paper.points = points
        self._shown = ()
        self.refresh()
