"""The bench: a tray of takes checked while something else is done, and gone through by keyboard, place by
doubtful place.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QSettings, QSignalBlocker, QTimer, Signal
from PySide6.QtWidgets import (
    QDialog,
    QInputDialog,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.messages import kind_name
from jeweller.audio.ports import Speaker
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog, checks_again
from jeweller.gui.places.bench.exports import TrayExports
from jeweller.gui.places.bench.intake import TakeIntake
from jeweller.gui.places.bench.listening import PAINTED_MS, TakeListening
from jeweller.gui.places.bench.model import BenchModel
from jeweller.gui.places.bench.next_step import next_step
from jeweller.gui.places.bench.take_menu import take_menu
from jeweller.gui.places.bench.tray_page import TrayPage
from jeweller.gui.places.place import NextStep
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_folder
from jeweller.i18n import _
from jeweller.library.assignments import kinds_of
from jeweller.library.audit_log import WHOLE
from jeweller.library.checking import Checking
from jeweller.library.library import Library
from jeweller.library.states import ReviewState, TakeState
from jeweller.library.tables import Tray
from jeweller.library.tray import (
    OpenTake,
    TakeEntry,
    decision,
)

POLL_MS = 60


class BenchPlace(QWidget):
    """`message` is a line for the foot of the window, `trouble` a sentence in a box, `to_loupe` the id of a
    take; `changed` says that the next step may be another, `change_kind` asks for another kind for a
    finding.
    """

    message = Signal(str)
    trouble = Signal(str)
    to_loupe = Signal(int)
    changed = Signal()
    change_kind = Signal(str)
    filled = Signal()

    def __init__(
        self,
        jobs: Jobs,
        speaker: Speaker,
        settings: QSettings,
        open_library: Callable[[], Library],
        fill_library: Callable[[Library], int] | None = None,
    ) -> None:
        super().__init__()
        self.jobs, self.fill_library = jobs, fill_library
        self.model = BenchModel(settings, open_library, self)
        self.model.message.connect(self.message)
        self.model.trouble.connect(self.trouble)
        self.model.touched.connect(self._touched)
        self.exports = TrayExports(self, self.model, jobs)
        self.intake = TakeIntake(self, self.model, jobs)
        self.intake.shown.connect(self._show_intake)
        self.intake.entered.connect(self._entered)
        self.theme, self.points = LIGHT, 11.0
        self.stale = False  # whether something was changed elsewhere since
        self.hand_stale = False  # whether the take in hand may have been decided elsewhere since
        self._begun = False  # whether anything was looked at since the tray was shown
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 4, 16, 8)
        self.pages = QStackedWidget()
        self.tray_page = TrayPage()
        # what the window and the tests ask the bench for
        self.list, self.page, self.split = self.tray_page.list, self.tray_page.page, self.tray_page.split
        self.listening = TakeListening(self, self.model, jobs, speaker, self.list.order)
        self._connect()
        self.pages.addWidget(self.tray_page)
        self.pages.addWidget(self.intake.page)
        outer.addWidget(self.pages)
        self._poll = QTimer(self)
        self._poll.setInterval(POLL_MS)
        self._poll.timeout.connect(self._hear_checks)

    def _connect(self) -> None:
        """What the parts of the page tell the place."""
        tray = self.tray_page
        tray.trays.currentIndexChanged.connect(lambda _unused: self._choose_tray())
        tray.pause.clicked.connect(self._toggle_pause)
        tray.halt.clicked.connect(self.stop_checking)
        tray.alike.clicked.connect(lambda: self.dismiss_all())
        tray.asked.clicked.connect(lambda: self.ask())
        tray.clean.clicked.connect(self.decide_clean)
        tray.bring.clicked.connect(lambda: self.intake.ask_takes())
        self.list.picked.connect(self._pick)
        self.list.opened.connect(self.to_loupe)
        self.list.customContextMenuRequested.connect(
            lambda point: take_menu(self).popup(self.list.mapToGlobal(point))
        )
        of_take = self.page.of_take
        of_take.clicked.connect(
            lambda: take_menu(self).popup(of_take.mapToGlobal(of_take.rect().bottomLeft()))
        )
        self.page.chosen.connect(self.choose)
        self.page.act.connect(self.act)
        self.page.commented.connect(self._commented)
        self.page.marked.connect(self.mark_by_hand)
        self.page.asked_why.connect(lambda: self.trouble.emit(self.model.explain_mark()))
        self.page.decided.clicked.connect(self.decide_take)
        self.listening.loaded.connect(self._loaded)
        self.listening.failed.connect(self.page.snippet.clear)

    def _loaded(self) -> None:
        if self.hand is not None:
            self.page.show_snippet(self.hand, self.key, self.listening.music())

    # ---- what is shown

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        self.list.theme, self.list.points = theme, points
        self.page.set_theme(theme, points)
        self.list.doItemsLayout()
        if self.library is not None:
            self._show_hand()

    # What the model holds, as the window and the menus ask for it.

    @property
    def library(self) -> Library | None:
        return self.model.library

    @property
    def tray(self) -> Tray | None:
        return self.model.tray

    @property
    def hand(self) -> OpenTake | None:
        return self.model.hand

    @property
    def key(self) -> str | None:
        return self.model.key

    @property
    def lines(self) -> list[TakeEntry]:
        return self.model.lines

    @property
    def checking(self) -> Checking | None:
        return self.model.checking

    def wake(self) -> None:
        """Opens the library on first use and shows the newest tray."""
        if not self.model.wake():
            return
        QTimer.singleShot(PAINTED_MS, self, self.model.remind)
        self.intake.watch(kept_folder(self.model.settings, "watched"))
        self.show_trays()
        library = self.model.opened
        if self.fill_library is not None and not library.store.read_only:
            self.tray_page.empty.setText(
                _(
                    "The demo band is being entered: its players, its music, two weeks of "
                    "recordings. A moment…"
                )
            )
            job = self.jobs.threaded("fill", self.fill_library, library)
            job.done.connect(lambda new: self._filled() if new else None)
            job.failed.connect(self.trouble)

    def take_in(self, paths: list[str]) -> None:
        """Recordings, folders, zip files and music, brought in."""
        self.wake()
        self.intake.take_in(paths)

    def _show_intake(self, on: bool) -> None:
        self.pages.setCurrentIndex(1 if on else 0)
        self.changed.emit()

    def _entered(self, tray: int) -> None:
        self.show_trays(tray)
        self.check()

    def _filled(self) -> None:
        """The library holds something now."""
        self.show_trays()
        self.changed.emit()
        self.filled.emit()

    def show_trays(self, tray: int | None = None) -> None:
        """Every tray, the newest first."""
        self.tray_page.list_trays(self.model.opened.trays(), tray)
        self._choose_tray()

    def _choose_tray(self) -> None:
        self.model.tray = self.tray_page.trays.currentData()
        self.refresh()
        if self.lines and (self.hand is None or self.hand.take.id not in self.list.order()):
            self.list.setCurrentRow(0)
        self._begun = False

    def refresh(self) -> None:
        """The list anew, in the order of need; what is in hand stays so."""
        self.model.read_tray()
        self.list.show_lines(self.lines, self.hand.take.id if self.hand is not None else None)
        self.tray_page.show_takes(bool(self.lines))
        self._say_state()

    def _say_state(self) -> None:
        busy = self.checking is not None and self.checking.busy
        self.tray_page.state.setText(" · ".join(self.model.state_words()))
        self.tray_page.show_clean(len(self.model.undecided_clean()) if self.lines else 0)
        self.tray_page.show_checking(busy, paused=self.checking is not None and self.checking.paused)
        self.tray_page.alike.setEnabled(self.key is not None)
        self.changed.emit()

    def _pick(self, take: int) -> None:
        self._begun = True
        self.take_in_hand(take)

    def take_in_hand(self, take: int | OpenTake, key: str | None = None) -> None:
        """Shows a take, with its first doubtful place or another."""
        self.listening.stop()
        self.model.take_up(take, key)
        self._show_hand()
        self.listening.fetch_soon(take if isinstance(take, int) else take.take.id)

    def _show_hand(self) -> None:
        """Everything that is known of the take in hand."""
        if self.hand is not None:
            self.page.kinds = self.model.criteria()
            self.page.show_hand(self.hand, self.model.line_in_hand(), self.key, self.listening.music())
        self.tray_page.alike.setEnabled(self.key is not None)

    # ---- going through

    def choose(self, key: str) -> None:
        """Takes a finding in hand and plays it."""
        self.model.key = key
        self._show_hand()
        self.listening.play()

    def step_place(self, step: int) -> bool:
        """The next or previous doubtful place of the tray, played. False where there is none."""
        if self.library is None:
            return False
        found = self.model.place_after(self.list.order(), step)
        if found is None:
            self.message.emit(
                _("No doubtful place is left.") if step > 0 else _("That was the first doubtful place.")
            )
            return False
        take, key = found
        self._begun = True
        if self.hand is None or take.take.id != self.hand.take.id:
            with QSignalBlocker(self.list):
                self.list.pick(take.take.id)
            self.take_in_hand(take, key)
        else:
            self.model.key = key
            self._show_hand()
        self.listening.play()
        return True

    def step_take(self, step: int) -> None:
        """The next or previous take of the tray."""
        row = self.list.currentRow() + step
        if 0 <= row < self.list.count():
            self.list.setCurrentRow(row)

    def act(self, what: str, key: str | None = None, *, kind: str = "", note: str = "") -> None:
        """Keeps, dismisses, restores or changes a finding; then the next doubtful place comes by itself."""
        key = key or self.key
        if self.library is None or self.hand is None or key is None:
            return
        if what == "change" and not kind:
            self.model.key = key
            self.change_kind.emit(key)
            return
        body = {"key": key} if what == "restore" else decision(key, what, kind=kind, note=note)
        if not self.model.act([(self.hand.take.id, "restore" if what == "restore" else "decide", body)]):
            return
        self.model.key = key
        if what == "restore" or not self.step_place(1):
            self._show_hand()

    def _touched(self, takes: set[int]) -> None:
        """Shows what changed in some takes."""
        for line in self.lines:
            if line.take.id in takes:
                self.list.change(line)
        self._say_state()

    def undo(self, *, again: bool = False) -> None:
        """Takes the last step in this tray back, or does it again; also after the program was closed."""
        if not (takes := self.model.undo(again=again)):
            return
        before = self.hand
        if before is None or before.take.id not in takes:
            self.list.pick(next(iter(takes)))
        if self.hand is before:  # not shown as it was picked
            self._show_hand()

    def dismiss_all(self, why: str | None = None) -> None:
        """Dismisses every undecided finding of the kind in hand in the tray, with one reason."""
        kind = self.model.kind_in_hand()
        if kind is None:
            return
        if why is None:
            why, ok = QInputDialog.getText(
                self,
                _("All of this kind"),
                _("Dismiss every undecided “{kind}” of this tray. Why?").format(kind=kind_name(kind)),
            )
            if not ok:
                return
        count = self.model.dismiss_kind(kind, why)
        if count is not None:
            self._show_hand()
            self.message.emit(_("{count} dismissed; Ctrl+Z brings them back.").format(count=count))

    def mark_by_hand(self, words: str) -> None:
        """A mark the teacher typed."""
        if self.model.mark_by_hand(words):
            self._show_hand()
        self.list.setFocus()

    def ask(self) -> None:
        """What was asked for in this tray, in a box."""
        if self.library is None or self.tray is None:
            return
        pieces = self.model.pieces()
        dialog = CriteriaDialog(
            self, pieces, self.library.assignment_of(self.tray), partial(kinds_of, self.library)
        )
        if pieces and dialog.exec() == QDialog.DialogCode.Accepted:
            self.assign(dialog.asked())

    def assign(self, asked: dict[str, Any]) -> None:
        """Sets what was asked for; takes are checked again where that changes what is found."""
        if self.tray is None:
            return
        again = checks_again(self.model.opened.assignment_of(self.tray), asked)
        if not self.model.assign(asked):
            return
        self.tray_page.trays.setItemData(self.tray_page.trays.currentIndex(), self.tray)
        self._show_hand()
        if again:
            self.check([line.take.id for line in self.lines if line.take.piece == asked["piece"]])

    def decide_take(self) -> None:
        """The take in hand is done; the next one that is not comes."""
        if (
            self.hand is None
            or not self.model.act([(self.hand.take.id, "state", {"state": ReviewState.DECIDED})])
            or self.step_place(1)
        ):
            return
        self._go_on()

    def decide_clean(self) -> None:
        """Every clean take of the tray is decided at once."""
        if self.model.writable:
            self.model.decide_clean()
            self._go_on()

    def _go_on(self) -> None:
        undone = self.model.next_undone()
        if undone is not None:
            self.list.pick(undone)
        else:
            self._show_hand()

    def write_comment(self) -> None:
        """The cursor to the word to the player."""
        if self.library is not None:
            self.page.write_comment(self.library.phrases())

    def _commented(self, words: str) -> None:
        if self.hand is not None and words != self.hand.standing.comments.get(WHOLE, ""):
            self.model.act([(self.hand.take.id, "comment", {"key": WHOLE, "text": words})])
        self.list.setFocus()

    # ---- checking

    def waiting(self) -> int:
        """How many takes wait to be checked."""
        return self.model.waiting()

    def check(self, takes: list[int] | None = None) -> None:
        """Checks the takes that wait, or these once more."""
        if self.checking is None or not self.model.writable:
            return
        chosen = [
            x.take
            for x in self.lines
            if (x.take.id in takes if takes is not None else x.take.state == TakeState.WAITING)
        ]
        for news in self.checking.add(chosen):
            self.list.progress.pop(news.take, None)
        self.list.progress.update({t.id: TakeState.WAITING for t in chosen if t.piece})
        self._poll.start()
        self._say_state()

    def _toggle_pause(self) -> None:
        if self.checking is not None:
            self.checking.paused = not self.checking.paused
            self._say_state()

    def stop_checking(self) -> None:
        """Gives up what is being checked; it waits, and can be checked later."""
        if self.checking is not None:
            self.checking.stop()
            self.checking.paused = False
            self.list.progress = {}
            self._poll.stop()
            self.refresh()

    def _hear_checks(self) -> None:
        if self.checking is None:
            return
        done: set[int] = set()
        for news in self.checking.poll():
            if news.state == "progress":
                self.list.progress[news.take] = f"{news.share:.0%}"
            else:
                self.list.progress.pop(news.take, None)
                done.add(news.take)
        self.list.viewport().update()
        if done:
            self.model.touch(done)
            if self.hand is not None and self.hand.take.id in done:
                self.take_in_hand(self.hand.take.id)
        if not self.checking.busy:
            self._poll.stop()
            self.list.progress = {}
            self.refresh()
            self.checking.rest()
            if not self._begun and self.lines:  # what needs an ear most comes first
                with QSignalBlocker(self.list):
                    self.list.setCurrentRow(0)
                self.take_in_hand(self.lines[0].take.id)

    def arrive(self) -> None:
        self.list.setFocus()
        if self.stale or self.hand_stale:
            self.came_back()

    def toggle_play(self) -> None:
        self.listening.toggle_play()

    def stop_playing(self) -> None:
        self.listening.stop()

    def next_step(self) -> NextStep:
        return next_step(self)

    def came_back(self) -> None:
        """Shows anew what may have been decided under the loupe, or asked for in the ledger."""
        if self.library is None:
            return
        self.hand_stale = False
        if self.stale:
            self.stale = False
            self.model.read_hand()
            self.show_trays(self.tray.id if self.tray is not None else None)
        if self.hand is not None:
            self.model.touch({self.hand.take.id})
            self._show_hand()

    def close_library(self) -> None:
        """Stops what runs and lets go of the library."""
        self._poll.stop()
        self.listening.stop()
        self.model.close()

    def clean_up(self) -> None:
        """What was unpacked is taken away."""
        self.intake.clean_up()

    def forget(self) -> None:
        """Nothing of a library that was closed stays."""
        self.model.forget()
        self.listening.forget()
