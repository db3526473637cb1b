"""The margin: findings as a proof-reader's notes at the right edge of the paper, level with their system; the
list is the margin.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.finding import UNMARKED, is_sure
from jeweller.assessment.messages import FACET_NAMES, cause_words, localized
from jeweller.decisions.standing import FindingState
from jeweller.documents.annotations import WHOLE
from jeweller.documents.plain_text import fingers_shown, good_sentence, sureness
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.readable import StayingToolButton
from jeweller.gui.widgets.shapes import facet_pixmap
from jeweller.i18n import N_, _, ngettext
from jeweller.phrases import capitalized, how_often, name_bars, note_name
from jeweller.report_format import ReportFinding

if TYPE_CHECKING:
    from jeweller.pipeline.review import Review, Shown
from jeweller.report.heard import heard_of, heard_sentence

WIDTH, MOST_WIDTH = 348, 520  # pixels at the usual size of text; beside a part of any use
GAP = 8
STATE_WORDS = {
    "kept": N_("kept by the teacher"),
    "dismissed": "dismissed",
    "changed": N_("changed by the teacher"),
    "added": N_("added by the teacher"),
}


def width_at(points: float) -> int:
    """Pixels the margin takes at a size of text."""
    return min(round(WIDTH * points / 11.0), MOST_WIDTH)


def wrapped(
    text: str,
    points: float,
    colour: str = "",
    *,
    weight: int = 400,
    italic: bool = False,
    serif: bool = False,
) -> QLabel:
    label = QLabel(text)
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setFont(font(points, weight=weight, italic=italic, serif=serif))
    label.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
    if colour:
        label.setStyleSheet(f"color: {colour};")
    return label


def rows_of(f: ReportFinding) -> list[tuple[str, str]]:
    """Written, heard, how much, why: what is known of a finding, for the opened note."""
    d = f["detail"]
    rows = []
    if d.get("written") or d.get("written_beats") is not None:
        rows.append((_("written"), note_name(str(d.get("written") or "")) or str(_beats(d["written_beats"]))))
    if d.get("heard") or d.get("heard_beats") is not None:
        rows.append((_("heard"), note_name(str(d.get("heard") or "")) or str(_beats(d["heard_beats"]))))
    much = []
    if "beats" in d:
        much.append(_("{beats:+g} beats").format(beats=d["beats"]))
    if "seconds" in d:
        much.append(f"{d['seconds']:+g} s")
    if "cents" in d:
        much.append(_("{cents:+.0f} cents").format(cents=d["cents"]))
    if "ratio" in d:
        much.append(f"{d['ratio']:g} : 1")
    if "percent" in d:
        much.append(f"{d['percent']:+d} %")
    if f["count"] > 1:
        of = d.get("of") or 0
        much.append(how_often(f["count"], of) if of else _("{times} times").format(times=f["count"]))
    if much:
        rows.append((_("how much"), ", ".join(much)))
    if shown := fingers_shown(f):
        rows.append((_("position") if d.get("hands") == "slide" else _("fingering"), shown))
    if f["cause"]:
        rows.append((_("why"), cause_words(f["cause"])))
    return rows


def _stands(review: Review) -> bool:
    """Whether a sure finding stands that is no advice."""
    return any(
        s.state != FindingState.DISMISSED
        and is_sure(s.finding["confidence"])
        and s.finding["kind"] not in UNMARKED
        for s in review.shown
    )


def _beats(value: float) -> str:
    quarters = round(4 * value) / 4
    return ngettext("{n:g} beat", "{n:g} beats", quarters).format(n=quarters)


class MarginNote(QFrame):
    """One finding in the margin. Closed: a line or two. Chosen: opened, with the numbers, what to do and what
    the teacher can do.
    """

    chosen = Signal(str)
    act = Signal(str, str)  # what, key

    def __init__(
        self,
        shown: Shown,
        theme: Theme,
        points: float,
        opened: bool,
        parent: QWidget | None = None,
        *,
        closer: bool = False,  # whether the sound it rests on can be looked at from here
    ) -> None:
        super().__init__(parent)
        self.shown, self.theme, self.opened, self.closer = shown, theme, opened, closer
        f = localized(shown.finding)
        colour = theme.facets[f["facet"]]
        off = shown.state == FindingState.DISMISSED
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f["text"])
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 8, 8)
        box.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(8)
        picture = QLabel()
        picture.setPixmap(facet_pixmap(f["facet"], theme, 18, unsure=not is_sure(f["confidence"])))
        picture.setAccessibleName(_(FACET_NAMES[f["facet"]]))
        head.addWidget(picture)
        number = f"{shown.number}  " if shown.number else ""
        where = (
            _("the whole take")
            if f["kind"] in WHOLE
            else name_bars(tuple(f["places"]))
            if f["count"] > 1 and f["places"]
            else _("bar {bar}").format(bar=f["bar"])
        )
        title = wrapped(f"{number}{_(FACET_NAMES[f['facet']])} · {where}", points, colour, weight=600)
        head.addWidget(title, 1)
        box.addLayout(head)
        text = wrapped(f["text"], points, theme.quiet if off else "")
        if off:
            text.setFont(font(points, italic=True))
        box.addWidget(text)
        state = (_(STATE_WORDS[shown.state]) if shown.state in STATE_WORDS else "") or sureness(
            f["confidence"]
        )
        box.addWidget(wrapped(state, points - 1, theme.quiet))
        if opened:
            self._open(box, f, points, off)

    def _open(self, box: QVBoxLayout, f: ReportFinding, points: float, off: bool) -> None:
        for name, value in rows_of(f):
            row = QHBoxLayout()
            row.setSpacing(8)
            label = wrapped(name, points - 1, self.theme.quiet)
            label.setFixedWidth(round(6.8 * points))
            row.addWidget(label, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(wrapped(value, points), 1)
            box.addLayout(row)
        if f["advice"]:
            box.addWidget(wrapped(f["advice"], points, italic=True))
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        for what, words in (
            (("restore", _("Restore (R)")),)
            if off
            else (("keep", _("Keep (K)")), ("dismiss", _("Dismiss (D)")), ("change", _("Change (C)")))
        ):
            button = QPushButton(words)
            button.setFont(font(points - 1, weight=600))
            button.clicked.connect(lambda _unused=False, w=what: self.act.emit(w, self.shown.key))
            buttons.addWidget(button)
        buttons.addStretch(1)
        box.addLayout(buttons)
        if not self.closer:
            return
        closer = QPushButton(_("Look closer (E)"))
        closer.setFont(font(points - 1, weight=600))
        closer.setToolTip(_("The pitch, the loudness and the attacks that this rests on"))
        closer.clicked.connect(lambda: self.act.emit("look_closer", self.shown.key))
        row = QHBoxLayout()
        row.addWidget(closer)
        row.addStretch(1)
        box.addLayout(row)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.shown.key)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(self.theme.faint), 1.0))
        painter.setBrush(QColor(self.theme.wash if self.opened else self.theme.paper))
        painter.drawRoundedRect(QRect(0, 0, self.width() - 1, self.height() - 1), 3, 3)
        pen = QPen(QColor(self.theme.facets[self.shown.finding["facet"]]), 3.0)
        if not is_sure(self.shown.finding["confidence"]) or self.shown.state == FindingState.DISMISSED:
            pen = QPen(QColor(self.theme.faint), 2.0, Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawLine(2, 6, 2, self.height() - 7)


class Margin(QWidget):
    """All notes of a review, laid level with their places. `placed` tells where each note's hair line
    ends.
    """

    chosen = Signal(str)
    act = Signal(str, str)
    filtered = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.wide = WIDTH
        self.setFixedWidth(WIDTH)
        self.theme = LIGHT
        self.points = 11.0
        self.facets: frozenset[str] | None = None
        self.notes: list[MarginNote] = []
        self.asked: list[str] = []  # what was asked for, and how often it was right
        self._rest: list[QWidget] = []
        self._head = QWidget(self)
        self._buttons: dict[str, QToolButton] = {}

    def show_review(self, review: Review, theme: Theme, points: float, chosen: str | None) -> None:
        """Builds the notes anew."""
        self.theme, self.points = theme, points
        self.wide = width_at(points)
        self.setFixedWidth(self.wide)
        for old in (*self.notes, *self._rest, self._head):
            old.hide()
            old.deleteLater()
        self.notes, self._rest = [], []
        self._head = self._make_head(review)
        self._head.show()
        for shown in review.shown:
            if self.facets is not None and shown.finding["facet"] not in self.facets:
                continue
            note = MarginNote(shown, theme, points, shown.key == chosen, self, closer=True)
            note.chosen.connect(self.chosen)
            note.act.connect(self.act)
            note.show()
            self.notes.append(note)
        self._good = good_sentence(review.report)
        self._followed = bool(review.report["followed"])

    def _make_head(self, review: Review) -> QWidget:
        head = QWidget(self)
        box = QVBoxLayout(head)
        box.setContentsMargins(4, 8, 4, 0)
        box.setSpacing(4)
        mark = review.report["mark"]
        if mark["value"] is not None:
            words = _("{band} · {value:g} of {out_of}").format(
                band=capitalized(_(str(mark["band"]))), value=mark["value"], out_of=mark["out_of"]
            )
            label = wrapped(words, self.points + 2, serif=True, weight=600)
            label.setToolTip(
                "\n".join(
                    (
                        _("{facet}: {taken_off:g} of {weight:g} off. {why}").format(
                            facet=_(FACET_NAMES[p["facet"]]),
                            taken_off=p["taken_off"],
                            weight=p["weight"],
                            why=p["why"],
                        )
                    )
                    for p in mark["parts"]
                )
            )
            box.addWidget(label)
            if mark["value"] == mark["out_of"] and _stands(review):
                box.addWidget(
                    wrapped(
                        _("What is found takes off less than is counted.")
                        if any(p["taken_off"] for p in mark["parts"])
                        else _("What is found is not marked under this scheme."),
                        self.points,
                        self.theme.quiet,
                    )
                )
            if heard := heard_sentence(heard_of(review.report)):
                box.addWidget(wrapped(heard, self.points, weight=600))
        row = QHBoxLayout()
        row.setSpacing(2)
        self._buttons = {}
        here = {s.finding["facet"] for s in review.shown}
        for facet, name in ((f, _(n)) for f, n in FACET_NAMES.items()):
            button = StayingToolButton()
            button.setIcon(facet_pixmap(facet, self.theme, 20))
            button.setChecked(self.facets is not None and facet in self.facets)
            button.setEnabled(facet in here or button.isChecked())
            button.setToolTip(
                _("Only {lower}").format(lower=name.lower())
                if facet in here
                else _("{name}: nothing here").format(name=name)
            )
            button.setAccessibleName(_("Only {lower}").format(lower=name.lower()))
            button.toggled.connect(self._filter)
            self._buttons[facet] = button
            row.addWidget(button)
        row.addStretch(1)
        box.addLayout(row)
        return head

    def _filter(self) -> None:
        on = frozenset(f for f, b in self._buttons.items() if b.isChecked())
        self.facets = on or None
        self.filtered.emit()

    def place(self, level: Callable[[str], float | None], visible: float) -> list[tuple[str, float]]:
        """Lays the notes out; `level` gives the height a note wishes for. Where the first of them would lie
        below what is `visible` of the top, they are stacked from there. Returns (key, y of its hair line) and
        sets the height.
        """
        self._head.setGeometry(0, 0, self.wide - 8, self._head.sizeHint().height())
        y = self._head.sizeHint().height() + GAP
        for old in self._rest:
            old.hide()
            old.deleteLater()
        self._rest = []
        ends: list[tuple[str, float]] = []
        sure = [
            n
            for n in self.notes
            if n.shown.state != FindingState.DISMISSED and is_sure(n.shown.finding["confidence"])
        ]
        tuning = [n for n in sure if n.shown.finding["kind"] in UNMARKED]
        sure = [n for n in sure if n not in tuning]
        unsure = [
            n
            for n in self.notes
            if n.shown.state != FindingState.DISMISSED and n not in sure and n not in tuning
        ]
        gone = [n for n in self.notes if n.shown.state == FindingState.DISMISSED]
        wished = [(level(n.shown.key), n) for n in sure]
        total = sum(self._height(n) + GAP for n in sure)
        ordered = sorted(wished, key=lambda p: (p[0] if p[0] is not None else -1.0, p[1].shown.number))
        first = next(((w, n) for w, n in ordered if w is not None), None)
        if first is not None and first[0] + min(self._height(first[1]), visible / 2) > visible:
            ordered = [(None, n) for _unused, n in ordered]
        bottom = max((w for w, _unused in ordered if w is not None), default=0.0) + 400
        for wish, note in ordered:
            if wish is not None and y + total < max(bottom, y + total):
                y = max(y, int(wish))
            elif wish is not None:
                y = max(y, int(min(wish, bottom - total)))
            total -= self._height(note) + GAP
            y = self._put(note, y)
            if level(note.shown.key) is not None:
                ends.append((note.shown.key, note.y() + 18.0))
        if not sure and self._followed:
            y = self._label(
                _("No problems found.") if self.facets is None else _("Nothing of this kind stands."), y
            )
        if tuning:
            y = self._heading(_("Tuning"), _("not marked"), y)
            for note in tuning:
                y = self._put(note, y)
        if unsure:
            y = self._heading(_("Listen here"), _("not marked down"), y)
            for note in unsure:
                y = self._put(note, y)
        if self.asked:
            y = self._heading(_("What was asked for"), "", y)
            for sentence in self.asked:
                y = self._label(sentence, y)
        if self._good:
            y = self._heading(_("Good"), "", y)
            y = self._label(self._good, y)
        if gone:
            y = self._heading(_("Dismissed"), "", y)
            for note in gone:
                y = self._put(note, y)
        self.setFixedHeight(y + 16)
        return ends

    def _height(self, note: MarginNote) -> int:
        wide = self.wide - 8
        return note.heightForWidth(wide) if note.hasHeightForWidth() else note.sizeHint().height()

    def _put(self, widget: MarginNote, y: int) -> int:
        height = self._height(widget)
        widget.setGeometry(0, y, self.wide - 8, height)
        return y + height + GAP

    def _heading(self, text: str, under: str, y: int) -> int:
        label = wrapped(text + (f" — {under}" if under else ""), self.points + 1, serif=True, weight=600)
        return self._add(label, y + GAP, 0)

    def _label(self, text: str, y: int) -> int:
        return self._add(wrapped(text, self.points), y, GAP)

    def _add(self, label: QLabel, y: int, after: int) -> int:
        label.setParent(self)
        height = label.heightForWidth(self.wide - 16)
        label.setGeometry(4, y, self.wide - 16, height)
        label.show()
        self._rest.append(label)
        return y + height + after
