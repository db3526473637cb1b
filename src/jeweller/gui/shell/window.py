"""The window: the line of words at the top, the loupe, what is open, menus and keys."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.audio.formats import RECORDING_ENDINGS, is_recording
from jeweller.audio.ports import Speaker
from jeweller.decisions.records import decisions_path
from jeweller.demo_band import TrayTake
from jeweller.documents.plain_text import attempts_sentence
from jeweller.documents.theme import LIGHT, THEMES
from jeweller.errors import JewellerError
from jeweller.files import json_text, write_bytes
from jeweller.gui.places.loupe.busy_page import BusyPage
from jeweller.gui.places.loupe.empty_page import EmptyPage
from jeweller.gui.places.loupe.model import OpenPair, choose_pair_part
from jeweller.gui.places.loupe.view import Loupe
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.shell.dialogs import show_keys, show_sentence
from jeweller.gui.shell.menus import DOCUMENTS, add_action, fill_menus, kind_menu
from jeweller.gui.shell.recent import recent_pairs, remember_pair
from jeweller.gui.shell.retranslation import remembered_language, translate_dialogs
from jeweller.gui.shell.routes import Routes
from jeweller.gui.shell.sidebar import PLACES, Sidebar
from jeweller.gui.shell.style import BASE_PT, apply_theme
from jeweller.i18n import _, use_language
from jeweller.notation.formats import ENDINGS

if TYPE_CHECKING:
    from jeweller.difficulty.traps import Trap
    from jeweller.pipeline.check import Checked, Options
    from jeweller.pipeline.review import DecisionStore, Review

LARGE_PT = 14.0


BUILT_LATER = ("pattern", "bench", "ledger")


class Window(Routes):
    """The main window. `tray` are takes that can be gone through one after the other."""

    def __init__(
        self, settings: QSettings, speaker: Speaker, tray: tuple[TrayTake, ...] = (), tray_name: str = ""
    ) -> None:
        super().__init__()
        self.settings, self.tray, self.tray_name = settings, tray, tray_name
        self.jobs = Jobs(self)
        self.speaker = speaker
        self._built = False
        self.pair = OpenPair()
        self.reading: OpenPair | None = None  # whose score is being read
        self.review: Review | None = None
        self.theme = THEMES.get(str(settings.value("theme", "light")), LIGHT)
        language = remembered_language(settings)
        use_language(language)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            translate_dialogs(app, language)
        self.large = settings.value("large", "no") == "yes"
        self.setAcceptDrops(True)
        self.setWindowTitle(_("Jeweller"))
        self.setMinimumSize(900, 560)
        self.loupe = Loupe(self.jobs, speaker)
        self.loupe.message.connect(self.say)
        self.loupe.changed.connect(self._refresh)
        self.loupe.choice.connect(lambda _unused: self._refresh())
        self.loupe.change_kind.connect(self._change_menu)
        self._build()
        self.menus = fill_menus(self)
        self.apply_theme()
        geometry = settings.value("geometry")
        if geometry is None or not self.restoreGeometry(geometry):
            self.resize(1280, 800)
        self.lay_out_as_left()
        self._refresh()

    # ---- construction
    # --------------------------------------------------------------------------------------------

    def _build(self) -> None:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        top = QWidget()
        self.line = QHBoxLayout(top)
        self.line.setContentsMargins(16, 8, 16, 8)
        self.line.setSpacing(4)
        self.place_label = QLabel()
        self.place_label.setObjectName("place")
        self.line.addWidget(self.place_label)
        self.subtitle = QLabel()
        self.subtitle.setObjectName("quiet")
        self.line.addWidget(self.subtitle)
        self.words: dict[str, QPushButton] = {}
        self.dots: dict[str, QLabel] = {}
        for key in ("score", "part", "take"):
            dot = QLabel("·")
            dot.setObjectName("dot")
            self.line.addWidget(dot)
            self.dots[key] = dot
            button = QPushButton()
            button.setObjectName("word")
            self.words[key] = button
            self.line.addWidget(button)
        self.words["score"].clicked.connect(lambda: self._popup("score"))
        self.words["part"].clicked.connect(lambda: self._popup("part"))
        self.words["take"].clicked.connect(lambda: self._popup("take"))
        self.line.addStretch(1)
        self.next_button = QPushButton()
        self.next_button.setObjectName("next")
        self.next_button.clicked.connect(lambda: self._next_step()[1]())
        self.line.addWidget(self.next_button)
        column.addWidget(top)
        self.pages = QStackedWidget()
        self.empty = EmptyPage()
        self.empty.chosen.connect(lambda pair: self.open_pair(*pair))
        self.pages.addWidget(self.empty)
        self.busy = BusyPage()
        self.busy.stopped.connect(self.cancel_check)
        self.pages.addWidget(self.busy)
        self.pages.addWidget(self.loupe)
        self.places = QStackedWidget()
        self.places.addWidget(self.pages)
        # no button has the keys before somebody tabs to it
        self.pages.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        for _unused in range(len(PLACES) - 1):
            self.places.addWidget(QWidget())  # until its place is built
        column.addWidget(self.places, 1)
        self.spine = Sidebar()
        self.spine.chosen.connect(self.go)
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.spine)
        row.addWidget(middle, 1)
        self.setCentralWidget(whole)
        self.pages.setFocus()
        self.statusBar().setSizeGripEnabled(False)

    def __getattr__(self, name: str) -> Any:
        """The pattern book, the bench and the ledger are built when one of them is first wanted."""
        if name in BUILT_LATER and not self._built:
            self.build_places()
            return self.__dict__[name]
        raise AttributeError(name)

    def _say_whether_it_sounds(self, sounds: bool) -> None:
        if not sounds:
            self.say(_("No sound device: everything works silently."))

    def build_places(self) -> None:
        """The places besides the loupe, with all that they load: after the window is there."""
        if self._built:
            return
        from jeweller.gui.places.bench.view import BenchPlace
        from jeweller.gui.places.ledger.view import LedgerPlace
        from jeweller.gui.places.pattern_book.view import PatternPlace

        self._built = True
        self.jobs.threaded("speaker", self.speaker.look).done.connect(self._say_whether_it_sounds)
        self.pattern = PatternPlace(
            self.jobs, self.speaker, self.settings, self.library_folder / "shelf", self.waked_library
        )
        self.pattern.message.connect(self.say)
        self.pattern.trouble.connect(self.trouble)
        self.pattern.to_loupe.connect(self._compare)
        self.bench = BenchPlace(
            self.jobs,
            self.speaker,
            self.settings,
            self.open_library,
            self.fill_library if self.tray else None,
        )
        self.bench.message.connect(self.say)
        self.bench.trouble.connect(self.trouble)
        self.bench.to_loupe.connect(self.open_from_bench)
        self.bench.changed.connect(self._refresh)
        self.bench.filled.connect(lambda: self.ledger.refresh() if self.place == "ledger" else None)
        self.bench.change_kind.connect(
            lambda key: self._menu_at(
                self.bench.list, kind_menu(self, lambda kind: self.bench.act("change", key, kind=kind))
            )
        )
        self.ledger = LedgerPlace(self.jobs, lambda: self.bench.library)
        self.ledger.message.connect(self.say)
        self.ledger.trouble.connect(self.trouble)
        self.ledger.changed.connect(self._refresh)
        self.ledger.to_bench.connect(self.show_on_bench)
        self.ledger.to_tray.connect(self.show_tray)
        for page in (self.ledger.assigned, self.ledger.players):
            page.changed.connect(lambda: setattr(self.bench, "stale", True))
        self.pattern.give_button.clicked.connect(self.give_out)
        for k, place in enumerate((self.pattern, self.bench, self.ledger), 1):
            waiting = self.places.widget(k)
            if waiting is not None:
                self.places.removeWidget(waiting)
                waiting.deleteLater()
            self.places.insertWidget(k, place)
        self._theme_places()
        self.lay_out_as_left()
        self.places.setCurrentIndex(list(PLACES).index(self.place))

    def _theme_places(self) -> None:
        points = LARGE_PT if self.large else BASE_PT
        for place in (self.pattern, self.bench, self.ledger):
            place.set_theme(self.theme, points)

    # ---- look
    # ----------------------------------------------------------------------------------------------------

    def apply_theme(self) -> None:
        app = QApplication.instance()
        points = LARGE_PT if self.large else BASE_PT
        if isinstance(app, QApplication):
            apply_theme(app, self.theme, points)
        self.loupe.set_theme(self.theme, points)
        if self._built:
            self._theme_places()
        self.spine.set_theme(self.theme, points)
        self.empty.set_points(points)

    def say(self, text: str) -> None:
        """One line at the bottom; long ones stay longer."""
        self.statusBar().showMessage(text, 4000 + 60 * len(text))

    # ---- what is open
    # --------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        score = Path(self.pair.score)
        title = self.review.checked.line.title if self.review is not None else score.stem
        self.words["score"].setText(title if self.pair.score else _("a score"))
        self.words["part"].setText(self.pair.part or _("part"))
        here = self.place == "loupe"
        self.place_label.setText(_(PLACES[self.place][0]))
        self.subtitle.setText("" if here else _(PLACES[self.place][1]))
        for key in self.words:
            self.words[key].setVisible(here and (key != "part" or bool(self.pair.parts)))
            self.dots[key].setVisible(here and (key != "part" or bool(self.pair.parts)))
        take = Path(self.pair.take).name if self.pair.take else _("a recording")
        self.words["take"].setText(
            f"{self.pair.player}, {take}" if self.pair.player and self.pair.take else take
        )
        words, _unused = self._next_step()
        self.next_button.setText(words)
        ready = self.review is not None
        self.menus.save_menu.setEnabled(ready)
        bench = self.place == "bench"
        for action in self.menus.deciding:
            action.setEnabled(bench or here)
        self.menus.undo_action.setEnabled(bench or (self.review is not None and self.review.can_undo))
        self.menus.redo_action.setEnabled(bench or (self.review is not None and self.review.can_redo))
        if self.pages.currentIndex() == 0:
            self._fill_empty()

    def _next_step(self) -> tuple[str, Callable[[], object]]:
        """The one next step of this place."""
        if self.place == "pattern":
            return _("Save the sheet…"), self.pattern.save
        if self.place == "bench":
            return self._bench_step()
        if self.place == "ledger":
            return self._ledger_step()
        if self.pages.currentIndex() == 1:
            return _("Checking…"), lambda: None
        if not self.pair.score:
            return _("Open a score…"), self.open_score
        if self.review is None:
            return (
                (_("Check"), self.start_check) if self.pair.take else (_("Open a recording…"), self.open_take)
            )
        if self.loupe.selection.next_open() is not None:
            return _("Next finding"), self._next_open
        if self._tray_index() is not None and (self._tray_index() or 0) + 1 < len(self.tray):
            return _("Next take"), lambda: self.step_tray(1)
        return _("Save the marked part…"), lambda: self.save_as("pdf")

    def open_from_bench(self, take: int) -> None:
        """A take of the library under the loupe; Esc goes back to where one was."""
        from jeweller.library.checking import job_of
        from jeweller.library.tray import LibraryDecisions, player_of

        library = self.bench.library
        if library is None:
            return
        try:
            work = job_of(library, library.take(take))
        except JewellerError as error:
            self.trouble(str(error))
            return
        player = player_of(library, library.take(take))
        self.open_pair(
            str(work.score),
            str(work.recording),
            work.options.part or "",
            player.name if player is not None else "",
            work.options,
            LibraryDecisions(library, take),
        )

    def go(self, place: str) -> None:
        """To another place of the program; everything there is as it was left."""
        self.loupe.listening.stop()
        if self._built:
            self.pattern.listening.stop()
            self.bench.listening.stop()
        if place in ("bench", "ledger"):
            self.bench.wake()
        if place == "ledger":
            self.ledger.refresh()
            self.ledger.take_focus()
        if place == "bench":
            self.bench.list.setFocus()
            # what was decided under the loupe, or asked for in the ledger
            if self.pair.store is not None or self.bench.stale:
                self.bench.came_back()
        self.place = place
        self.places.setCurrentIndex(list(PLACES).index(place))
        self.spine.show_place(place)
        self._refresh()

    def _compare(self, path: str, part: str) -> None:
        """Music of the pattern book, to be compared with a take."""
        self._criteria = (path, tuple(self.pattern.look.ticks()))
        self.go("loupe")
        self.open_pair(path, "", part)

    _criteria: tuple[str, tuple[Trap, ...]] = ("", ())

    def _next_open(self) -> None:
        """The next finding that was not decided yet, from the chosen one on."""
        key = self.loupe.selection.next_open()
        if key is not None:
            self.loupe.choose(key)

    def _fill_empty(self) -> None:
        entries = [
            (f"{t.player} · {t.part} · {t.title}", (str(t.score), str(t.take), t.part, t.player))
            for t in self.tray
        ]
        for score, take, part in recent_pairs(self.settings):
            entries.append(
                (f"{Path(take).name} · {part or 'part'} · {Path(score).stem}", (score, take, part, ""))
            )
        self.empty.fill(
            entries, self.pair.score if not self.pair.take else "", self.tray_name if self.tray else ""
        )

    def _popup(self, word: str) -> None:
        menu = QMenu(self)
        if word == "part":
            for name in self.pair.parts:
                action = add_action(self, menu, name, lambda n=name: self.choose_part(n))
                action.setCheckable(True)
                action.setChecked(name == self.pair.part)
        elif word == "score":
            add_action(self, menu, _("Open a score…"), self.open_score)
            menu.addSeparator()
            self.fill_recent(menu)
        else:
            add_action(self, menu, _("Open a recording…"), self.open_take)
            if self.tray:
                menu.addSeparator()
                self.fill_tray(menu)
        button = self.words[word]
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def fill_tray(self, menu: QMenu) -> None:
        for t in self.tray:
            words = f"{t.player} · {t.part} · {t.title}"
            add_action(
                self, menu, words, lambda t=t: self.open_pair(str(t.score), str(t.take), t.part, t.player)
            )

    def fill_recent(self, menu: QMenu) -> None:
        if menu is self.menus.recent_menu:
            menu.clear()
        pairs = recent_pairs(self.settings)
        for score, take, part in pairs:
            words = f"{Path(take).name} · {part or 'part'} · {Path(score).stem}"
            add_action(self, menu, words, lambda s=score, t=take, p=part: self.open_pair(s, t, p))
        if not pairs:
            menu.addAction(_("none yet")).setEnabled(False)

    def _remember(self) -> None:
        if self._tray_index() is None:
            remember_pair(self.settings, (self.pair.score, self.pair.take, self.pair.part))

    def _tray_index(self) -> int | None:
        return next((k for k, t in enumerate(self.tray) if str(t.take) == self.pair.take), None)

    def step_tray(self, step: int) -> None:
        if self.place == "bench":
            self.bench.step_take(step)
            return
        if not self.tray:
            self.say(_("There is no tray of takes here."))
            return
        at = self._tray_index()
        k = (at + step) if at is not None else 0
        if not 0 <= k < len(self.tray):
            self.say(
                _("That was the last take of the tray.")
                if step > 0
                else _("That was the first take of the tray.")
            )
            return
        t = self.tray[k]
        self.open_pair(str(t.score), str(t.take), t.part, t.player)

    # ---- opening
    # -------------------------------------------------------------------------------------------------

    def _ask_file(self, title: str, endings: tuple[str, ...]) -> str:
        pattern = " ".join(f"*{e}" for e in endings)
        folder = str(self.settings.value("folder", str(Path.home())))
        path, _unused = QFileDialog.getOpenFileName(
            self,
            title,
            folder,
            _("{capitalize} ({pattern});;All files (*)").format(
                capitalize=title.removeprefix("Open ").capitalize(), pattern=pattern
            ),
        )
        if path:
            self.settings.setValue("folder", str(Path(path).parent))
        return path

    def open_score(self, path: str = "") -> None:
        path = path or self._ask_file(_("Open a score"), ENDINGS)
        if path:
            self.open_pair(path, "" if self.review is not None else self.pair.take, "")

    def open_take(self, path: str = "") -> None:
        path = path or self._ask_file(_("Open a recording"), RECORDING_ENDINGS)
        if not path:
            return
        score = (self.reading or self.pair).score
        if not score:
            self.pair = dataclasses.replace(self.pair, take=path)
            self.say(_("Now open the score it was played from (Ctrl+O)."))
            self._refresh()
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
        if self.place != "loupe":
            self.go("loupe")
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
        self.loupe.listening.stop()
        self._page_before = self.pages.currentIndex() if self.pages.currentIndex() != 1 else self._page_before
        self.busy.begin(words)
        self.pages.setCurrentIndex(1)
        self._refresh()

    def _score_read(self, pair: OpenPair) -> None:
        self.reading = None
        if pair.take:
            self._check(pair)
            return
        self.pair, self.review = pair, None
        self.loupe.listening.stop()
        self.pages.setCurrentIndex(0)
        self._refresh()

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

    _page_before = 0

    def _checked(self, pair: OpenPair, checked: Checked) -> None:
        from jeweller.pipeline.review import BesideTake, Review

        try:
            store = pair.store or BesideTake(decisions_path(pair.take, pair.score))
            review = Review(checked, store)
        except JewellerError as error:
            self.trouble(str(error))
            review = Review(checked, None)
        self.pair, self.review = pair, review
        self.loupe.criteria = self._criteria[1] if self._criteria[0] == pair.score else ()
        self.pages.setCurrentIndex(2)
        self.loupe.show_review(review, pair.take)
        self._remember()
        notes = [*checked.score.warnings, *checked.recording.warnings]
        if not checked.report["followed"]:
            self.trouble(
                _(
                    "This recording does not match this part. Is it the right piece, the right "
                    "part, the right recording?"
                )
            )
        elif notes or checked.report.get("attempts"):
            self.say(
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
        self._refresh()
        self.loupe.setFocus()

    def _check_failed(self, sentence: str) -> None:
        self._back("")
        self.trouble(sentence)

    def _back(self, words: str) -> None:
        self.reading = None
        if self.pages.currentIndex() == 1:
            self.pages.setCurrentIndex(self._page_before)
        if words:
            self.say(words)
        self._refresh()

    def cancel_check(self) -> None:
        self.jobs.cancel("score")
        self.jobs.cancel("check")

    def escape(self) -> None:
        if self.place == "bench":
            self.bench.listening.stop()
        elif self.pages.currentIndex() == 1:
            self.cancel_check()
        elif self.place == "loupe" and self.pair.store is not None and not self.loupe.listening.playing:
            self.go("bench")
        elif self.loupe.listening.playing:
            self.loupe.listening.stop()
        else:
            self.loupe.choose(None)

    def trouble(self, sentence: str) -> None:
        """Something could not be done: a sentence in a box of its own that does not block the window."""
        self.last_trouble = sentence
        show_sentence(self, sentence, LARGE_PT if self.large else BASE_PT)

    last_trouble = ""

    # ---- drag and drop
    # -------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.open_files([u.toLocalFile() for u in event.mimeData().urls()])

    def open_files(self, paths: list[str]) -> None:
        """Files that were dropped or named on the command line: told apart by their endings."""
        score = next((p for p in paths if p.casefold().endswith(ENDINGS)), "")
        take = next((p for p in paths if is_recording(p)), "")
        if self.place == "bench" and paths:
            self.bench.take_in(paths)
        elif self.place == "pattern" and (
            sum(p.casefold().endswith(ENDINGS) for p in paths) > 1 or any(Path(p).is_dir() for p in paths)
        ):
            self.pattern.keep_files(paths)
        elif score and not take and self.place == "pattern":
            self.pattern.open_file(score)
        elif score:
            self.open_pair(score, take or (self.pair.take if self.review is None else ""))
        elif take:
            self.open_take(take)
        elif paths:
            self.trouble(
                _(
                    "{name} is neither a notation file (MusicXML, MEI, ABC, Humdrum, MIDI) nor a "
                    "recording that can be read."
                ).format(name=Path(paths[0]).name)
            )

    # ---- decisions
    # -----------------------------------------------------------------------------------------------

    def _menu_at(self, widget: QWidget, menu: QMenu) -> None:
        self.kind_menu = menu
        menu.popup(widget.mapToGlobal(widget.rect().center()))

    def _popup_at_choice(self, menu: QMenu) -> None:
        point = self.loupe.paper.place_of(self.loupe.selection.chosen or "")
        where = (
            self.loupe.paper.mapToGlobal(point.toPoint())
            if point is not None
            else self.mapToGlobal(self.rect().center())
        )
        self.kind_menu = menu
        menu.popup(where)

    def _change_menu(self, key: str) -> None:
        def act(kind: str) -> None:
            if self.review is not None:
                self.review.change(key, kind)
                self.loupe.after_decision(_("Changed to {replace}.").format(replace=kind.replace("_", " ")))

        self._popup_at_choice(kind_menu(self, act))

    def add_menu(self) -> None:
        note_id = self.loupe.selection.note_id
        if self.review is None or note_id is None:
            self.say(_("Choose a note first; then A adds a finding there."))
            return

        def act(kind: str) -> None:
            if self.review is not None:
                key = self.review.add(kind, note_id)
                self.loupe.after_decision(_("Added."))
                self.loupe.choose(key)

        self._popup_at_choice(kind_menu(self, act))

    # ---- leaving
    # -------------------------------------------------------------------------------------------------

    def save_as(self, kind: str, path: str = "") -> None:
        if self.review is None:
            self.say(_("There is nothing to save yet."))
            return
        ending = ".json" if kind == "json" else next(e for k, _unused, e in DOCUMENTS if k == kind)
        if not path:
            folder = str(self.settings.value("save_folder", str(Path.home())))
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
                self.trouble(str(error))
                return
            self.say(_("Saved: {path}").format(path=path))
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
            LIGHT,
        )
        self.say(_("Writing…"))
        job.done.connect(self._saved)
        job.failed.connect(self.trouble)

    def _saved(self, paths: list[object]) -> None:
        self.say(_("Saved: {path}").format(path=", ".join(str(p) for p in paths)))

    def show_keys(self) -> None:
        """All keys in one place."""
        self.keys_box = show_keys(self)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.settings.setValue("geometry", self.saveGeometry())
        self.remember_layout()
        self.loupe.listening.stop()
        if self._built:
            self.pattern.listening.stop()
        self.jobs.stop()
        if self._built:
            self.bench.close_library()
            self.bench.clean_up()
        event.accept()

    def when_idle(self, act: Callable[[], object]) -> None:
        QTimer.singleShot(0, act)
