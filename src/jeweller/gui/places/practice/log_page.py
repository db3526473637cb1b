"""The log: a week, day by day, with what was done; a timer; what is written down."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.practice.log_model import MOST_MINUTES, LogModel
from jeweller.gui.places.practice.player_page import PlayerPage
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import _
from jeweller.practice.log import DAYS, LogWeek
from jeweller.practice.log_words import day_name, week_words

if TYPE_CHECKING:
    from jeweller.library.library import Library

LEAST_SCALE = 30  # minutes that the longest bar stands for, at least


class WeekBars(QWidget):
    """Seven days as rows: the minutes as a bar, the least that counts as a line, what was done beside it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.week: LogWeek | None = None

    def show_week(self, week: LogWeek) -> None:
        self.week = week
        self.setMinimumHeight(DAYS * self._row())
        told = "; ".join(f"{day_name(d.date)} {d.minutes}" for d in week.days if d.minutes)
        self.setAccessibleName(_("The week in minutes: {days}").format(days=told or _("nothing")))
        self.update()

    def _row(self) -> int:
        return round(3.2 * self.points)

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.week is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(self.points))
        t, high = self.theme, self._row()
        names = max(painter.fontMetrics().horizontalAdvance(day_name(d.date)) for d in self.week.days)
        left = names + 72
        width = max(120, min(320, self.width() - left - 240))
        scale = max(LEAST_SCALE, self.week.rule.minutes, *(d.minutes for d in self.week.days))
        for k, day in enumerate(self.week.days):
            top, counts = k * high, day.minutes >= self.week.rule.minutes
            box = QRectF(0, top, names + 8, high)
            painter.setPen(QColor(t.ink if day.minutes else t.quiet))
            middle = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
            painter.drawText(box, middle, day_name(day.date))
            if not day.minutes:
                continue
            right = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight)
            painter.drawText(QRectF(names + 12, top, 44, high), right, str(day.minutes))
            bar = QRectF(left, top + 0.3 * high, width * day.minutes / scale, 0.4 * high)
            # a day that counts is filled, a shorter one is an outline: told without colour
            if counts:
                painter.fillRect(bar, QColor(t.brass))
            else:
                painter.setPen(QPen(QColor(t.quiet), 1.2))
                painter.drawRect(bar)
            notes = " · ".join(x for e in day.entries for x in (e.note, e.well, e.did) if x)
            painter.setPen(QColor(t.ink))
            space = QRectF(left + width + 20, top, self.width() - left - width - 20, high)
            painter.drawText(
                space,
                middle,
                painter.fontMetrics().elidedText(
                    notes, Qt.TextElideMode.ElideRight, int(max(20.0, space.width()))
                ),
            )
        painter.setPen(QPen(QColor(t.quiet), 1.0, Qt.PenStyle.DashLine))
        x = left + width * self.week.rule.minutes / scale
        painter.drawLine(round(x), 4, round(x), DAYS * high - 4)
        painter.end()


class LogPage(PlayerPage):
    """The log of one player."""

    def __init__(
        self, model: LogModel, library: Callable[[], Library | None], parent: QWidget | None = None
    ) -> None:
        super().__init__(model, library, parent)
        self.model = model
        column, row = self.column, self.row
        self.earlier, self.later = QPushButton(_("The week before")), QPushButton(_("The week after"))
        self.earlier.clicked.connect(lambda: model.turn(1))
        self.later.clicked.connect(lambda: model.turn(-1))
        for button in (self.earlier, self.later):
            row.addWidget(button)
        row.addStretch()
        row.addWidget(plain(_("A day counts from")))
        self.least, self.days = QSpinBox(), QSpinBox()
        self.least.setRange(1, MOST_MINUTES)
        self.least.setSuffix(" " + _("minutes"))
        self.least.setAccessibleName(_("Minutes from which a day counts"))
        self.days.setRange(1, DAYS)
        self.days.setSuffix(" " + _("days a week"))
        self.days.setAccessibleName(_("Days a week"))
        for box in (self.least, self.days):
            box.valueChanged.connect(self._rule_changed)
            row.addWidget(box)
        self.title = QLabel()
        self.title.setObjectName("heading")
        column.addWidget(self.title)
        self.bars = WeekBars()
        column.addWidget(self.bars)
        self.told = QLabel()
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.soft = QLabel()
        self.soft.setWordWrap(True)
        column.addWidget(self.soft)
        column.addWidget(self._writing())
        column.addStretch(1)
        model.ticked.connect(self._show_timer)

    def _writing(self) -> QWidget:
        """What is written down today."""
        card = QFrame()
        card.setObjectName("card")
        grid = QGridLayout(card)
        grid.setContentsMargins(16, 12, 16, 12)
        grid.setHorizontalSpacing(12)
        self.day, self.minutes = QComboBox(), QSpinBox()
        self.day.setAccessibleName(_("Day"))
        self.minutes.setRange(0, 600)
        self.minutes.setSuffix(" " + _("minutes"))
        self.minutes.setAccessibleName(_("Minutes"))
        self.listen = QPushButton(_("Listen and count the minutes"))
        self.listen.clicked.connect(self.model.go)
        first = QHBoxLayout()
        for widget in (self.day, self.minutes, self.listen):
            first.addWidget(widget)
        self.clock = QLabel()
        first.addWidget(self.clock)
        first.addStretch(1)
        grid.addLayout(first, 0, 0, 1, 2)
        self.fields: dict[str, QLineEdit] = {}
        for k, (key, words) in enumerate(
            (("note", _("What was done")), ("well", _("What went well")), ("did", _("What you did for it")))
        ):
            edit = QLineEdit()
            edit.setAccessibleName(words)
            edit.returnPressed.connect(self.write)
            label = QLabel(words)
            label.setBuddy(edit)
            grid.addWidget(label, k + 1, 0)
            grid.addWidget(edit, k + 1, 1)
            self.fields[key] = edit
        self.keep = QPushButton(_("Write it down"))
        self.keep.clicked.connect(self.write)
        grid.addWidget(self.keep, 4, 1, Qt.AlignmentFlag.AlignLeft)
        grid.setColumnStretch(1, 1)
        return card

    def _rule_changed(self) -> None:
        self.model.set_rule(self.least.value(), self.days.value())

    def write(self) -> None:
        """What stands in the fields is written down, and the fields are free again."""
        texts = [edit.text() for edit in self.fields.values()]
        if not self.minutes.value() and not any(t.strip() for t in texts):
            self.minutes.setFocus()
            return
        self.model.stop()
        if self.model.write(self.day.currentData(), self.minutes.value(), *texts):
            self.minutes.setValue(0)
            for edit in self.fields.values():
                edit.clear()

    def refresh(self) -> None:
        """The week as it is."""
        model, week = self.model, self.model.week
        for box, value in ((self.least, week.rule.minutes), (self.days, week.rule.days)):
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        self.later.setEnabled(model.weeks_back > 0)
        first, last = (week.days[k].date.isoformat() for k in (0, -1))
        self.title.setText(_("{first} to {last}").format(first=first, last=last))
        minutes, days = model.total()
        since = _("Since the beginning: {minutes} minutes, {days} days that count.").format(
            minutes=minutes, days=days
        )
        self.told.setText(week_words(week) + (f"\n{since}" if minutes else ""))
        soft = model.soft_words()
        self.soft.setText(soft)
        self.soft.setVisible(bool(soft))
        self.bars.show_week(week)
        chosen = self.day.currentData()
        today = model.today()
        self.day.clear()
        for d in reversed(week.days):
            if d.date <= today:
                name = _("today") if d.date == today else f"{day_name(d.date)} {d.date.isoformat()}"
                self.day.addItem(name, d.date)
        self.day.setCurrentIndex(max(0, self.day.findData(chosen)))
        self._show_timer()

    def _show_timer(self) -> None:
        model = self.model
        self.listen.setText(_("Stop listening") if model.listening else _("Listen and count the minutes"))
        minutes, seconds = divmod(int(model.timer.seconds), 60)
        self.clock.setText(
            _("■ Listening {minutes}:{seconds:02d}").format(minutes=minutes, seconds=seconds)
            if model.listening
            else ""
        )
        if model.timer.seconds >= 30.0:
            self.minutes.setValue(round(model.timer.seconds / 60.0 + 0.01))

    def set_theme(self, theme: Theme, points: float) -> None:
        self.bars.theme, self.bars.points = theme, points
        self.told.setFont(font(points))
        self.soft.setFont(font(points))
        self.refresh()
