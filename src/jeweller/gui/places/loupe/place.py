"""The loupe as a place: opening a score and a recording, checking, looking, deciding, saving. What is open
stays open when new files cannot be used.
"""

from __future__ import annotations

import dataclasses
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, QSize, Qt, Signal
from PySide6.QtWidgets import QFileDialog, QStackedWidget

from jeweller.audio.formats import RECORDING_ENDINGS
from jeweller.audio.ports import Speaker
from jeweller.decisions.records import decisions_path
from jeweller.demo_band import TrayTake
from jeweller.documents.plain_text import attempts_sentence
from jeweller.documents.theme import PRINTED, Theme
from jeweller.errors import JewellerError
from jeweller.files import json_text, write_bytes
from jeweller.gui.places.loupe.busy_page import BusyPage
from jeweller.gui.places.loupe.empty_page import EmptyPage
from jeweller.gui.places.loupe.model import DOCUMENTS, OpenPair, choose_pair_part
from jeweller.gui.places.loupe.recent import recent_label, recent_pairs, remember_pair
from jeweller.gui.places.loupe.view import Loupe
from jeweller.gui.places.place import NextStep
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_folder
from jeweller.i18n import _
from jeweller.notation.formats import ENDINGS

if TYPE_CHECKING:
    from jeweller.difficulty.trap import Trap
    from jeweller.pipeline.check import Checked, Options
    from jeweller.pipeline.review import DecisionStore, Review

EMPTY, BUSY, LOUPE = range(3)  # the pages


class LoupePlace(QStackedWidget):
    """An empty page, a busy one, or the loupe on a checked take. `tray` are takes that can be gone through
    one after the other. `message` is a line for the foot of the window, `trouble` a sentence in a box,
    `changed` tells that something else is open or was decided, `wanted` that the place should be seen.
    """

    asked = Signal(str)
    message = Signal(str)
    trouble = Signal(str)
    changed = Signal()
    wanted = Signal()

    def __init__(
        self, jobs: Jobs, speaker: Speaker, settings: QSettings, tray: tuple[TrayTake, ...], tray_name: str
    ) -> None:
        super().__init__()
        self.jobs, self.settings, self.tray, self.tray_name = jobs, settings, tray, tray_name
        self.pair = OpenPair()
        self.reading: OpenPair | None = None  # whose score is being read
        # a score, and the traps that were ticked when it was looked over
        self.criteria: tuple[str, tuple[Trap, ...]] = ("", ())
        self._page_before = EMPTY
        self.empty = EmptyPage()
        self.empty.chosen.connect(lambda pair: self.open_pair(*pair))
        self.empty.wanted.connect(self._wanted)
        self.busy = BusyPage()
        self.busy.stopped.connect(self.cancel_check)
        self.view = Loupe(jobs, speaker)
        self.view.message.connect(self.message)
        self.view.changed.connect(self.changed)
        self.view.choice.connect(lambda _unused: self.changed.emit())
        for page in (self.empty, self.busy, self.view):
            self.addWidget(page)
        # no button has the keys before somebody tabs to it
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    def minimumSizeHint(self) -> QSize:
        """That of the page which is shown."""
        shown = self.currentWidget()
        return shown.minimumSizeHint() if shown is not None else QSize()

    @property
    def needed_height(self) -> int:
        """Pixels at the usual size of text: the part scrolls by itself, the empty page does not."""
        return 0 if self.currentIndex() == 2 else 560

    def set_theme(self, theme: Theme, points: float) -> None:
        self.view.set_theme(theme, points)
        self.empty.set_theme(theme, points)

    @property
    def review(self) -> Review | None:
        """What lies under the loupe."""
        return self.view.review

    @property
    def checking(self) -> bool:
        """Whether a take is being opened or checked."""
        return self.currentIndex() == BUSY

    def arrive(self) -> None:
        """Everything is as it was left."""

    def toggle_play(self) -> None:
        self.view.listening.toggle()

    def stop_playing(self) -> None:
        self.view.listening.stop()

    def next_step(self) -> NextStep:
        """The one next step: words and act."""
        if self.checking:
            return _("Checking…"), lambda: None
        if not self.pair.score:
            return _("Open a score…"), self.open_score
        if self.review is None:
            return (
                (_("Check"), self.start_check) if self.pair.take else (_("Open a recording…"), self.open_take)
            )
        if self.view.selection.next_open() is not None:
            return _("Next finding"), self._next_open
        at = self.tray_index()
        if at is not None and at + 1 < len(self.tray):
            return _("Next take"), lambda: self.step_tray(1)
        return _("Save the marked part…"), lambda: self.save_as("pdf")

    def _next_open(self) -> None:
        """The next finding that was not decided yet, from the chosen one on."""
        key = self.view.selection.next_open()
        if key is not None:
            self.view.choose(key)

    def _wanted(self, what: str) -> None:
        """What was asked for on the opening page; the window has the demo band and the guide."""
        if what == "score":
            self.open_score()
        elif what == "take":
            self.open_take()
        else:
            self.asked.emit(what)

    def fill_empty(self) -> None:
        """What can be opened at once: the tray and what was open before."""
        if self.currentIndex() != EMPTY:
            return
        entries = [
            (f"{t.player} · {t.part} · {t.title}", (str(t.score), str(t.take), t.part, t.player))
            for t in self.tray
        ]
        for score, take, part in recent_pairs(self.settings):
            entries.append((recent_label((score, take, part)), (score, take, part, "")))
        self.empty.fill(
            entries, self.pair.score if not self.pair.take else "", self.tray_name if self.tray else ""
        )

    # ---- the tray

    def _remember(self) -> None:
        if self.tray_index() is None:
            remember_pair(self.settings, (self.pair.score, self.pair.take, self.pair.part))

    def tray_index(self) -> int | None:
        return next((k for k, t in enumerate(self.tray) if str(t.take) == self.pair.take), None)

    def step_tray(self, step: int) -> None:
        if not self.tray:
            self.message.emit(_("There is no tray of takes here."))
            return
        at = self.tray_index()
        k = (at + step) if at is not None else 0
        if not 0 <= k < len(self.tray):
            self.message.emit(
                _("That was the last take of the tray.")
                if step > 0
                else _("That was the first take of the tray.")
            )
            return
        self.open_tray_take(self.tray[k])

    def open_tray_take(self, t: TrayTake) -> None:
        self.open_pair(str(t.score), str(t.take), t.part, t.player)

    # ---- opening

    def _ask_file(self, title: str, files: str, endings: tuple[str, ...]) -> str:
        """A path, empty where none was chosen; `files` says what is looked for, with {pattern}."""
        folder = kept_folder(self.settings, "folder", str(Path.home()))
        pattern = " ".join(f"*{e}" for e in endings)
        path, _unused = QFileDialog.getOpenFileName(self, title, folder, files.format(pattern=pattern))
        if path:
            self.settings.setValue("folder", str(Path(path).parent))
        return path

    def open_score(self, path: str = "") -> None:
        path = path or self._ask_file(
            _("Open a score"), _("Notation files ({pattern});;All files (*)"), ENDINGS
        )
        if path:
            self.open_beside(path)

    def open_beside(self, score: str, take: str = "") -> None:
        """A score with a recording, or with the one that was chosen before and not checked yet."""
        self.open_pair(score, take or (self.pair.take if self.review is None else ""))

    def open_take(self, path: str = "") -> None:
        path = path or self._ask_file(
            _("Open a recording"), _("Recordings ({pattern});;All files (*)"), RECORDING_ENDINGS
        )
        if not path:
            return
        score = (self.reading or self.pair).score
        if not score:
            self.pair = dataclasses.replace(self.pair, take=path)
            self.message.emit(_("Now open the score it was played from (Ctrl+O)."))
            self.changed.emit()
            return
        self.open_pair(score, path, (self.reading or self.pair).part)

    def choose_part(self, name: str) -> None:
        self.open_pair(self.pair.score, self.pair.take, name, self.pair.player)

    def open_pair(
        self,
        score: str,
        take: str,
        part: str = "",
        player: str = "",
        options: Options | None = None,
        store: DecisionStore | None = None,
    ) -> None:
        """Opens a score, and checks the take against it if there is one. What was open stays open when the
        new files cannot be used. `options` say how it is checked, `store` where the decisions are kept:
        beside the take, unless it is given.
        """
        self.wanted.emit()
        asked = OpenPair(score=score, take=take, part=part, player=player, options=options, store=store)
        self.reading = asked
        if take:
            self._show_busy(player or Path(take).stem)
        from jeweller.notation.readers.sandbox import load_score

        job = self.jobs.threaded("score", load_score, score)
        job.done.connect(lambda loaded: self._score_read(choose_pair_part(asked, loaded)))
        job.failed.connect(self._check_failed)
        job.cancelled.connect(lambda: self._back(_("Stopped; nothing was changed.")))

    def _show_busy(self, words: str) -> None:
        """What is open stays so until a check is accepted."""
        self.view.listening.stop()
        self._page_before = self.currentIndex() if self.currentIndex() != BUSY else self._page_before
        self.busy.begin(words)
        self.setCurrentIndex(BUSY)
        self.changed.emit()

    def _score_read(self, pair: OpenPair) -> None:
        self.reading = None
        if pair.take:
            self._check(pair)
            return
        self.pair = pair
        self.view.close_review()
        self.setCurrentIndex(EMPTY)
        self.changed.emit()

    def start_check(self) -> None:
        """Checks what is open."""
        self._check(self.pair)

    def _check(self, pair: OpenPair) -> None:
        self._show_busy(", ".join(filter(None, (pair.player, pair.part))))
        from jeweller.gui.services.work import check_take
        from jeweller.pipeline.check import Options

        options = pair.options or Options(part=pair.part)
        job = self.jobs.process("check", check_take, pair.score, pair.take, options)
        job.progress.connect(self.busy.show_progress)
        job.done.connect(lambda checked: self._checked(pair, checked))
        job.failed.connect(self._check_failed)
        job.cancelled.connect(lambda: self._back(_("Stopped; nothing was changed.")))

    def _checked(self, pair: OpenPair, checked: Checked) -> None:
        from jeweller.pipeline.review import BesideTake, Review

        try:
            store = pair.store or BesideTake(decisions_path(pair.take, pair.score))
            review = Review(checked, store)
        except JewellerError as error:
            self.trouble.emit(str(error))
            review = Review(checked, None)
        self.pair = pair
        self.view.criteria = self.criteria[1] if self.criteria[0] == pair.score else ()
        self.setCurrentIndex(LOUPE)
        self.view.show_review(review, pair.take)
        self._remember()
        notes = [*checked.score.warnings, *checked.recording.warnings]
        if not checked.report["followed"]:
            self.trouble.emit(
                _(
                    "This recording does not match this part. Is it the right piece, the right "
                    "part, the right recording?"
                )
            )
        elif notes or checked.report.get("attempts"):
            self.message.emit(
                " ".join(
                    filter(
                        None,
                        [
                            attempts_sentence(checked.report),
                            _("Note: {notes}").format(notes="; ".join(notes)) if notes else "",
                        ],
                    )
                )
            )
        self.changed.emit()
        self.view.setFocus()

    def _check_failed(self, sentence: str) -> None:
        self._back("")
        self.trouble.emit(sentence)

    def _back(self, words: str) -> None:
        self.reading = None
        if self.currentIndex() == BUSY:
            self.setCurrentIndex(self._page_before)
        if words:
            self.message.emit(words)
        self.changed.emit()

    def cancel_check(self) -> None:
        self.jobs.cancel("score")
        self.jobs.cancel("check")

    # ---- leaving

    def save_as(self, kind: str, path: str = "") -> None:
        if self.review is None:
            self.message.emit(_("There is nothing to save yet."))
            return
        ending = ".json" if kind == "json" else next(e for k, _unused, e in DOCUMENTS if k == kind)
        if not path:
            folder = kept_folder(self.settings, "save_folder", str(Path.home()))
            name = f"{Path(self.pair.take).stem}{ending}"
            path, _unused = QFileDialog.getSaveFileName(
                self, _("Save the marked part"), str(Path(folder) / name), f"*{ending}"
            )
        if not path:
            return
        self.settings.setValue("save_folder", str(Path(path).parent))
        if kind == "json":
            try:
                write_bytes(Path(path), json_text(self.review.report).encode("utf-8"))
            except JewellerError as error:
                self.trouble.emit(str(error))
                return
            self.message.emit(_("Saved: {path}").format(path=path))
            return
        report = self.review.report
        from jeweller.gui.services.work import write_pages

        job = self.jobs.process(
            "save",
            write_pages,
            report,
            self.review.checked.line,
            report["findings"],
            {kind: path},
            self.pair.player,
            PRINTED,
        )
        self.message.emit(_("Writing…"))
        job.done.connect(self._saved)
        job.failed.connect(self.trouble)

    def _saved(self, paths: list[object]) -> None:
        self.message.emit(_("Saved: {path}").format(path=", ".join(str(p) for p in paths)))
