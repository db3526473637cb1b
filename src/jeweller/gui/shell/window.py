"""The window: the line of words at the top, the loupe, what is open, menus and keys."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.messages import kind_name
from jeweller.audio.formats import is_recording
from jeweller.audio.microphone import DeviceMicrophone, Microphone
from jeweller.audio.ports import Speaker
from jeweller.demo_band import TrayTake
from jeweller.documents.theme import LIGHT, THEMES
from jeweller.errors import JewellerError
from jeweller.gui.places.loupe.place import LoupePlace
from jeweller.gui.places.loupe.recent import recent_label, recent_pairs
from jeweller.gui.places.pattern_book.choices import PAGES
from jeweller.gui.places.place import PlaceView
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_layout, kept_number
from jeweller.gui.shell.dialogs import show_keys, show_sentence
from jeweller.gui.shell.guide import GuideWindow
from jeweller.gui.shell.menus import add_action, fill_menus, kind_menu
from jeweller.gui.shell.retranslation import remembered_language, translate_dialogs
from jeweller.gui.shell.room_stack import RoomStack
from jeweller.gui.shell.routes import Routes
from jeweller.gui.shell.sidebar import OF_ONE_PLAYER, PLACES, Sidebar
from jeweller.gui.shell.style import BASE_PT, TEXT_SIZES, apply_theme
from jeweller.gui.widgets.elided import ElidedButton, ElidedLabel
from jeweller.gui.widgets.readable import announce, describe_boxes
from jeweller.i18n import _, use_language
from jeweller.notation.formats import ENDINGS
from jeweller.student.slip import ENDING

if TYPE_CHECKING:
    from jeweller.student.home import StudentHome

BUILT_LATER = tuple(place for place in PLACES if place != "loupe")


class Window(Routes):
    """The main window. `tray` are takes that can be gone through one after the other; `student`: it is that
    of one player at home.
    """

    def __init__(
        self,
        settings: QSettings,
        speaker: Speaker,
        tray: tuple[TrayTake, ...] = (),
        tray_name: str = "",
        make_microphone: Callable[[str], Microphone] = DeviceMicrophone,
        student: StudentHome | None = None,
    ) -> None:
        super().__init__()
        self.student = student
        self.make_microphone = make_microphone
        self.settings, self.tray, self.tray_name = settings, tray, tray_name
        self.jobs = Jobs(self)
        self.speaker = speaker
        self._built = False
        self._building: Iterator[None] | None = None
        self.theme = THEMES.get(str(settings.value("theme", "light")), LIGHT)
        language = remembered_language(settings)
        use_language(language)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            translate_dialogs(app, language)
        usual = 125 if settings.value("large") == "yes" else 100  # as an earlier version kept it
        self.text_size = round(kept_number(settings, "text_size", usual, TEXT_SIZES[0], TEXT_SIZES[-1]))
        self.setAcceptDrops(True)
        self.setWindowTitle(_("Jeweller") if student is None else f"{_('Jeweller')} · {student.name}")
        self.setMinimumSize(900, 560)
        self.loupe_place = LoupePlace(self.jobs, speaker, settings, tray, tray_name)
        self.rooms: dict[str, PlaceView] = {"loupe": self.loupe_place}  # those that are built
        self.loupe_place.message.connect(self.say)
        self.loupe_place.asked.connect(lambda what: self.show_demo() if what == "demo" else self.show_guide())
        self.loupe_place.trouble.connect(self.trouble)
        self.loupe_place.changed.connect(self.refresh)
        self.loupe_place.wanted.connect(lambda: self.go("loupe") if self.place != "loupe" else None)
        self.loupe = self.loupe_place.view
        self.loupe.change_kind.connect(self._change_menu)
        self._build()
        self.menus = fill_menus(self)
        self.apply_theme()
        if not self.restoreGeometry(kept_layout(settings, "geometry")):
            self.resize(1280, 800)
        self.lay_out_as_left()
        self.refresh()

    # ---- construction

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
        self.subtitle = ElidedLabel()
        self.subtitle.setObjectName("quiet")
        self.line.addWidget(self.subtitle)
        self.words: dict[str, QPushButton] = {}
        self.dots: dict[str, QLabel] = {}
        for key in ("score", "part", "take"):
            dot = QLabel("·")
            dot.setObjectName("dot")
            self.line.addWidget(dot)
            self.dots[key] = dot
            button = ElidedButton()
            button.setObjectName("word")
            self.words[key] = button
            self.line.addWidget(button)
        self.words["score"].clicked.connect(lambda: self._popup("score"))
        self.words["part"].clicked.connect(lambda: self._popup("part"))
        self.words["take"].clicked.connect(lambda: self._popup("take"))
        self.line.addStretch(1)
        self.next_button = QPushButton()
        self.next_button.setObjectName("next")
        self.next_button.clicked.connect(lambda: self.rooms[self.place].next_step()[1]())
        self.line.addWidget(self.next_button)
        column.addWidget(top)
        self.places = RoomStack()
        self.places.addWidget(self.loupe_place)
        column.addWidget(self.places.scrolled(), 1)
        self.spine = Sidebar(PLACES if self.student is None else OF_ONE_PLAYER)
        self.spine.chosen.connect(self.go)
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.spine)
        row.addWidget(middle, 1)
        self.setCentralWidget(whole)
        self.loupe_place.setFocus()
        self.statusBar().setSizeGripEnabled(False)

    if not TYPE_CHECKING:  # the types stand in `Routes`: any other name is a mistake

        def __getattr__(self, name: str) -> Any:
            """The pattern book, the bench and the ledger are built when one of them is first wanted."""
            if name in BUILT_LATER and not self._built:
                self.build_places()
                return self.__dict__[name]
            raise AttributeError(name)

    def say_whether_it_sounds(self, sounds: bool) -> None:
        """Once, when the loudspeaker was looked for."""
        if not sounds:
            self.say(_("No sound device: everything works silently."))

    def load_places(self) -> None:
        """The places besides the loupe, bit by bit: the window is free while what they need is loaded."""
        loading = self.jobs.threaded("places", importlib.import_module, "jeweller.gui.shell.rooms")
        loading.done.connect(self._build_on)
        loading.failed.connect(self._build_on)  # which says what is wrong

    def _build_on(self, *_loaded: object) -> None:
        """A place in a turn of the event loop."""
        if not self._built:
            self._build_next()
            QTimer.singleShot(0, self, self._build_on)

    def build_places(self) -> None:
        """The places besides the loupe, at once."""
        while not self._built:
            self._build_next()

    def _build_next(self) -> None:
        from jeweller.gui.shell.rooms import build_rooms

        if self._building is None:
            self._building = build_rooms(self)
        self._built = next(self._building, self) is self
        if not self._built:
            return
        self.jobs.threaded("speaker", self.speaker.look).done.connect(self.say_whether_it_sounds)
        for name, room in self.rooms.items():
            if isinstance(room, QWidget):
                room.setAccessibleName(_(PLACES[name].word))
                describe_boxes(room)
        self.apply_to_rooms()
        self.lay_out_as_left()
        self.recover_takes()

    # ---- look

    @property
    def points(self) -> float:
        """The size of text."""
        return BASE_PT * self.text_size / 100.0

    def apply_to_rooms(self) -> None:
        """The places that were built later, in the colours and the size of text of now."""
        for name, place in self.rooms.items():
            if name != "loupe":
                place.set_theme(self.theme, self.points)

    def apply_theme(self) -> None:
        app = QApplication.instance()
        points = self.points
        self.places.set_text_size(self.text_size)
        if isinstance(app, QApplication):
            apply_theme(app, self.theme, points)
        for place in self.rooms.values():
            place.set_theme(self.theme, points)
        self.spine.set_theme(self.theme, points)

    def say(self, text: str) -> None:
        """One line at the bottom; long ones stay longer."""
        self.statusBar().showMessage(text, 4000 + 60 * len(text))
        announce(self, text)

    # ---- what is open

    def refresh(self) -> None:
        """What stands at the top, and which entries of the menus can be used, by what is open."""
        pair, review = self.loupe_place.pair, self.loupe_place.review
        title = review.checked.line.title if review is not None else Path(pair.score).stem
        self.words["score"].setText(title if pair.score else _("a score"))
        self.words["part"].setText(pair.part or _("part"))
        take = Path(pair.take).name if pair.take else _("a recording")
        self.words["take"].setText(f"{pair.player}, {take}" if pair.player and pair.take else take)
        here = self.place == "loupe"
        self.place_label.setText(_(PLACES[self.place].word))
        self.subtitle.setText("" if here else _(PLACES[self.place].subtitle))
        for key in self.words:
            self.words[key].setVisible(here and (key != "part" or bool(pair.parts)))
            self.dots[key].setVisible(here and (key != "part" or bool(pair.parts)))
        words, _unused = self.rooms[self.place].next_step()
        self.next_button.setText(words)
        self.menus.save_menu.setEnabled(review is not None)
        bench = self.place == "bench"
        for action in self.menus.deciding:
            action.setEnabled(bench or here or self.place == "booth")
        looked_at = self.lens.review
        self.menus.undo_action.setEnabled(bench or (looked_at is not None and looked_at.can_undo))
        self.menus.redo_action.setEnabled(bench or (looked_at is not None and looked_at.can_redo))
        self.loupe_place.fill_empty()

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
        self.loupe_place.open_pair(
            str(work.score),
            str(work.recording),
            work.options.part or "",
            player.name if player is not None else "",
            work.options,
            LibraryDecisions(library, take),
        )

    def go(self, place: str) -> None:
        """To another place of the program; everything there is as it was left."""
        for left in self.rooms.values():
            left.stop_playing()
        if place in BUILT_LATER:
            self.build_places()
        if PLACES[place].library and self.student is None:
            self.bench.wake()
        if place == "bench" and self.loupe_place.pair.store is not None:
            self.bench.hand_stale = True
        self.rooms[place].arrive()
        if place == "booth":
            self.open_first_piece()
        self.place = place
        self.places.setCurrentIndex(list(self.rooms).index(place))
        self.spine.show_place(place)
        self.refresh()

    def compare_take(self, path: str, part: str) -> None:
        """Music of the pattern book, to be compared with a take."""
        self.loupe_place.criteria = (path, tuple(self.pattern.look.ticks()))
        self.go("loupe")
        self.loupe_place.open_pair(path, "", part)

    def _popup(self, word: str) -> None:
        menu = QMenu(self)
        if word == "part":
            for name in self.loupe_place.pair.parts:
                action = add_action(self, menu, name, lambda n=name: self.loupe_place.choose_part(n))
                action.setCheckable(True)
                action.setChecked(name == self.loupe_place.pair.part)
        elif word == "score":
            add_action(self, menu, _("Open a score…"), self.loupe_place.open_score)
            menu.addSeparator()
            self.fill_recent(menu)
        else:
            add_action(self, menu, _("Open a recording…"), self.loupe_place.open_take)
            if self.tray:
                menu.addSeparator()
                self.fill_tray(menu)
        button = self.words[word]
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def fill_tray(self, menu: QMenu) -> None:
        for t in self.tray:
            words = f"{t.player} · {t.part} · {t.title}"
            add_action(self, menu, words, lambda t=t: self.loupe_place.open_tray_take(t))

    def fill_recent(self, menu: QMenu) -> None:
        if menu is self.menus.recent_menu:
            menu.clear()
        pairs = recent_pairs(self.settings)
        for score, take, part in pairs:
            words = recent_label((score, take, part))
            add_action(self, menu, words, lambda s=score, t=take, p=part: self.loupe_place.open_pair(s, t, p))
        if not pairs:
            menu.addAction(_("none yet")).setEnabled(False)

    # ---- opening

    def step_tray(self, step: int) -> None:
        """The next take (1) or the one before (-1): of the bench, or of the takes that were given along."""
        if self.place == "bench":
            self.bench.step_take(step)
        else:
            self.loupe_place.step_tray(step)

    def escape(self) -> None:
        if self.place == "bench":
            self.bench.listening.stop()
        elif self.place == "booth":
            self.booth.escape()
        elif self.place == "warmup":
            self.warmup.escape()
        elif self.loupe_place.checking:
            self.loupe_place.cancel_check()
        elif self.loupe.listening.playing:
            self.loupe.listening.stop()
        elif self.place == "loupe" and self.loupe_place.pair.store is not None:
            self.go("bench")
        else:
            self.loupe.choose(None)

    def trouble(self, sentence: str) -> None:
        """Something could not be done: a sentence in a box of its own that does not block the window."""
        self.last_trouble = sentence
        show_sentence(self, sentence, self.points)

    last_trouble = ""

    # ---- drag and drop

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.open_files([u.toLocalFile() for u in event.mimeData().urls()])

    def open_files(self, paths: list[str]) -> None:
        """Files that were dropped or named on the command line: told apart by their endings."""
        score = next((p for p in paths if p.casefold().endswith(ENDINGS)), "")
        take = next((p for p in paths if is_recording(p)), "")
        slip = next((p for p in paths if p.casefold().endswith(ENDING)), "")
        page = next((p for p in paths if p.casefold().endswith(PAGES)), "")
        if self.student is not None and not (score and self.place == "booth"):
            self.say(_("A part can be dropped on the booth."))
        elif slip:
            self.open_slip(slip)
        elif self.place == "bench" and paths:
            self.bench.take_in(paths)
        elif self.place == "pattern" and (
            sum(p.casefold().endswith(ENDINGS) for p in paths) > 1 or any(Path(p).is_dir() for p in paths)
        ):
            self.pattern.keep_files(paths)
        elif page and not score and not take:
            self.read_page(page)
        elif score and not take and self.place == "booth":
            self.booth.open_file(score)
        elif score and not take and self.place == "pattern":
            self.pattern.open_file(score)
        elif score:
            self.loupe_place.open_beside(score, take)
        elif take:
            self.loupe_place.open_take(take)
        elif paths:
            self.refuse(Path(paths[0]).name)

    def handed(self, paths: list[str]) -> None:
        """What a second start of the program was given: this window comes forward and opens it."""
        self.setWindowState(self.windowState() & ~Qt.WindowState.WindowMinimized)
        self.raise_()
        self.activateWindow()
        if self.student is not None:
            slips = [p for p in paths if p.casefold().endswith(ENDING)]
            if slips:
                self.say(self.student_told(slips[0]))
        elif paths:
            self.open_files(paths)

    # ---- decisions

    def menu_at(self, widget: QWidget, menu: QMenu) -> None:
        """A menu over the middle of a widget."""
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
            if self.loupe_place.review is not None:
                self.loupe_place.review.change(key, kind)
                self.loupe.after_decision(_("Changed to {kind}.").format(kind=kind_name(kind)))

        self._popup_at_choice(kind_menu(self, act))

    def add_menu(self) -> None:
        note_id = self.loupe.selection.note_id
        if self.loupe_place.review is None or note_id is None:
            self.say(_("Choose a note first; then A adds a finding there."))
            return

        def act(kind: str) -> None:
            if self.loupe_place.review is not None:
                key = self.loupe_place.review.add(kind, note_id)
                self.loupe.after_decision(_("Added."))
                self.loupe.choose(key)

        self._popup_at_choice(kind_menu(self, act))

    # ---- leaving

    def show_guide(self) -> None:
        """The guide, beside the work."""
        self.guide = GuideWindow(self, self.points)
        self.guide.show()

    def show_demo(self) -> None:
        """The demo band in a window of its own, with a library of its own."""
        started = self.start_beside("demo")
        self.say(
            _("The demo band opens in a window of its own.")
            if started
            else _("The demo could not be started; “jeweller demo” in a terminal does it.")
        )

    def show_keys(self) -> None:
        """All keys in one place."""
        self.keys_box = show_keys(self)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.settings.setValue("geometry", self.saveGeometry())
        self.remember_layout()
        self.loupe.listening.stop()
        if self._building is not None:
            self.build_places()  # what is half there could not be closed
            self.pattern.listening.stop()
            self.booth.stop_playing()
            self.warmup.stop_playing()
        self.jobs.stop()
        if self._built:
            self.bench.close_library()
            self.bench.clean_up()
        event.accept()

    def when_idle(self, act: Callable[[], object]) -> None:
        QTimer.singleShot(0, self, act)
