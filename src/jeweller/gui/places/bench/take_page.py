"""The take in hand on the bench: who and what, the bars in question, its findings as notes, a word to the
player.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QStringListModel, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QCompleter,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from jeweller.decisions.standing import FindingState
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.loupe.margin import MarginNote, wrapped
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.gui.widgets.snippet import Snippet
from jeweller.i18n import N_, _, chosen_language
from jeweller.library.assignments import answer_chosen_traps
from jeweller.library.audit_log import WHOLE
from jeweller.library.states import TakeState
from jeweller.library.summary import format_mark
from jeweller.library.tray import OpenTake, TakeEntry
from jeweller.notation.performance import PerformedPart
from jeweller.phrases import note_name

if TYPE_CHECKING:
    from jeweller.pipeline.review import Shown

MOST_ASKED = 5  # altered notes that are told, where nothing was chosen
UNCHECKED: dict[str, str] = {
    TakeState.WAITING: N_("It is not checked yet."),
    TakeState.STORED: N_("It sounds like speech: saved for you to listen to."),
}
UNFOLLOWED = N_(
    "This recording does not match this part. Is it the right piece, the right part, the right recording?"
)


class TakePage(QWidget):
    """`chosen` is emitted with the key of a finding, `act` with what is done with it, `commented` with a word
    to the player, `marked` with a mark that was typed; `asked_why` when the sum of the mark is wanted.
    """

    chosen = Signal(str)
    act = Signal(str, str)
    commented = Signal(str)
    marked = Signal(str)
    asked_why = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.theme, self.points = LIGHT, 11.0
        self.cards: dict[str, MarginNote] = {}
        self._shown_as: tuple[object, ...] = ()  # by which cards may stay as they are
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 0, 0, 0)
        column.setSpacing(8)
        self.title = QLabel()
        self.title.setObjectName("title")
        self.title.setWordWrap(True)
        column.addWidget(self.title)
        self.under = QLabel()
        self.under.setObjectName("quiet")
        self.under.setWordWrap(True)
        top = QHBoxLayout()
        top.setSpacing(4)
        top.addWidget(self.under, 1)
        self.why = QPushButton(_("Why this mark?"))
        self.why.setObjectName("word")
        self.why.clicked.connect(self.asked_why)
        top.addWidget(self.why)
        self.of_take = QPushButton(_("This take…"))
        self.of_take.setObjectName("word")
        self.of_take.setToolTip(_("Who and what it is, how it was made, check it again, delete it"))
        top.addWidget(self.of_take)
        column.addLayout(top)
        self.snippet = Snippet()
        column.addWidget(self.snippet)
        self.notes = QScrollArea()
        self.notes.setAccessibleName(_("What is found in the take"))
        self.notes.setWidgetResizable(True)
        self.notes.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.notes, 1)
        row = FlowRow()
        row.addWidget(plain(_("A word to the player")))
        self.comment = QLineEdit()
        self.comment.setAccessibleName(_("A word to the player about the take"))
        self.comment.setPlaceholderText("N")
        self.phrases = QStringListModel(self)
        completer = QCompleter(self.phrases, self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.comment.setCompleter(completer)
        self.comment.returnPressed.connect(lambda: self.commented.emit(self.comment.text().strip()))
        self.comment.setMinimumWidth(160)
        self.comment.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        row.addWidget(self.comment)
        row.addWidget(plain(_("Your mark")))
        self.mark = QLineEdit()
        self.mark.setAccessibleName(_("A mark of your own in place of the computed one"))
        self.mark.setFixedWidth(72)
        self.mark.returnPressed.connect(lambda: self.marked.emit(self.mark.text()))
        row.addWidget(self.mark)
        self.decided = QPushButton(_("Decided"))
        self.decided.setToolTip(_("This take is done (Ctrl+Return)"))
        row.addWidget(self.decided)
        column.addLayout(row)

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        self.snippet.theme, self.snippet.points = theme, points

    def show_hand(
        self, hand: OpenTake, line: TakeEntry | None, key: str | None, music: PerformedPart | None
    ) -> None:
        """A take with its findings; `key` is the one that is opened."""
        self.title.setText(
            " · ".join(
                filter(
                    None,
                    [line.player if line else hand.take.name, line.title if line else "", hand.take.part],
                )
            )
        )
        self._tell(hand, music)
        self.comment.setText(hand.standing.comments.get(WHOLE, ""))
        self.mark.setText(hand.standing.mark)
        self.mark.setPlaceholderText(
            f"{hand.take.summary['mark']:g}" if hand.take.summary.get("mark") is not None else ""
        )
        self.why.setVisible(hand.take.summary.get("mark") is not None)
        self._show_cards(hand, key)
        if key in self.cards:
            QTimer.singleShot(0, self, lambda: self._bring(key or ""))
        self.show_snippet(hand, key, music)

    def _show_cards(self, hand: OpenTake, key: str | None) -> None:
        """The findings as cards. Those that are as they were stay: making them all anew takes long."""
        keys = [s.key for s in hand.shown]
        shown_as = (hand.take.id, keys, hand.report is None, self.theme, self.points, chosen_language())
        content = self.notes.widget()
        column = content.layout() if content is not None and shown_as == self._shown_as else None
        if column is not None:
            for shown in hand.shown:
                before = self.cards[shown.key]
                if (before.shown, before.opened) != (shown, shown.key == key):
                    column.replaceWidget(before, self._card(shown, key))
                    before.hide()
                    before.deleteLater()
            return
        self._shown_as, self.cards = shown_as, {}
        content = QWidget()
        box = QVBoxLayout(content)
        box.setContentsMargins(0, 0, 8, 0)
        box.setSpacing(8)
        for shown in hand.shown:
            box.addWidget(self._card(shown, key))
        if not hand.shown and hand.report is not None and hand.report["followed"]:
            box.addWidget(wrapped(_("No problems found."), self.points))
        box.addStretch(1)
        self.notes.setWidget(content)

    def _card(self, shown: Shown, key: str | None) -> MarginNote:
        card = self.cards[shown.key] = MarginNote(shown, self.theme, self.points, shown.key == key)
        card.chosen.connect(self.chosen)
        card.act.connect(self.act)
        return card

    kinds: tuple[str, ...] = ()  # of traps that were chosen when the take was asked for

    def _tell(self, hand: OpenTake, music: PerformedPart | None) -> None:
        """The mark, and how what was asked for came out."""
        asked: list[str] = []
        if self.kinds and hand.report is not None and hand.report["followed"]:
            asked = (
                answer_chosen_traps(self.kinds, music, hand.report, hand.shown) if music is not None else []
            )
        elif hand.report is not None:
            asked = [
                _("{what}: {right} of {total}").format(
                    what=note_name(t["what"]), right=t["right"], total=t["total"]
                )
                for t in hand.report["traps"]
                if t["total"]
            ][:MOST_ASKED]
        self.under.setText("\n".join(filter(None, [told_of(hand), " · ".join(asked), hand.changed])))

    def _bring(self, key: str) -> None:
        card = self.cards.get(key)
        if card is not None:
            self.notes.ensureWidgetVisible(card)

    def show_snippet(self, hand: OpenTake, key: str | None, music: PerformedPart | None) -> None:
        """The bars in question, once the music is there."""
        if self.kinds:
            self._tell(hand, music)
        self.snippet.setVisible(hand.report is not None)
        if hand.report is None or music is None:
            self.snippet.clear(_("Opening the music and the recording…") if hand.report is not None else "")
        else:
            self.snippet.show_place(
                music, hand.report, [s.finding for s in hand.shown if s.state != FindingState.DISMISSED], key
            )

    def write_comment(self, phrases: list[str]) -> None:
        """The cursor to the word to the player; words used before are offered."""
        self.phrases.setStringList(phrases)
        self.comment.setFocus()
        self.comment.selectAll()


def told_of(hand: OpenTake) -> str:
    """One line under the name: the mark, the speed, or why there is none."""
    summary = hand.take.summary
    if hand.take.state in (TakeState.FAILED, TakeState.STORED, TakeState.WAITING):
        return hand.take.sentence or _(UNCHECKED.get(hand.take.state, ""))
    if not summary.get("followed"):
        return _(UNFOLLOWED)
    mark = format_mark(summary)
    computed = (
        _("computed: {mark:g} of {out_of}").format(mark=summary["mark"], out_of=summary["out_of"])
        if summary.get("typed")
        else ""
    )
    return " · ".join(
        filter(
            None,
            [mark[0].upper() + mark[1:], computed, _("{bpm:.0f} to the minute").format(bpm=summary["bpm"])],
        )
    )
