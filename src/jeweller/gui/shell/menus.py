"""The window's menus and their keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES, kind_name
from jeweller.documents.theme import THEMES
from jeweller.gui.places.loupe.model import DOCUMENTS
from jeweller.gui.places.pattern_book.choices import SHEETS
from jeweller.gui.shell.sidebar import OF_ONE_PLAYER, PLACES
from jeweller.gui.shell.style import TEXT_SIZES
from jeweller.gui.widgets.shapes import facet_pixmap
from jeweller.i18n import LANGUAGES, _, chosen_language

if TYPE_CHECKING:
    from jeweller.gui.shell.window import Window


@dataclass(frozen=True, kw_only=True)
class Menus:
    """What changes with what is open."""

    recent_menu: QMenu
    save_menu: QMenu
    undo_action: QAction
    redo_action: QAction
    pitch_action: QAction
    deciding: tuple[
        QAction, ...
    ]  # of the places where findings are in hand: elsewhere their keys mean other things


def add_action(
    owner: QWidget, menu: QMenu | QWidget, words: str, act: Callable[[], object], *keys: str
) -> QAction:
    """An entry that does something, with its keys."""
    action = QAction(words, owner)
    action.setShortcuts([QKeySequence(k) for k in keys if k])
    action.triggered.connect(lambda _unused=False: act())
    menu.addAction(action)
    return action


def add_check(
    owner: QWidget, menu: QMenu, words: str, on: bool, act: Callable[[bool], object], key: str = ""
) -> QAction:
    """An entry that is on or off."""
    action = QAction(words, owner)
    action.setCheckable(True)
    action.setChecked(on)
    if key:
        action.setShortcut(QKeySequence(key))
    action.toggled.connect(act)
    menu.addAction(action)
    return action


def fill_menus(w: Window) -> Menus:
    """Writes every menu of the window."""
    if w.student is not None:
        _fill_students_file(w)
        recent_menu, save_menu, undo_action, redo_action = QMenu(w), QMenu(w), QAction(w), QAction(w)
        deciding: list[QAction] = []
    else:
        recent_menu, save_menu = _fill_file(w)
        undo_action, redo_action, deciding = _fill_edit(w)
    pitch_action = _fill_view(w)
    _fill_play(w)
    deciding += _fill_go(w)
    help_ = w.menuBar().addMenu(_("&Help"))
    add_action(w, help_, _("Guide"), w.show_guide, "F1")
    add_action(w, help_, _("All keys"), w.show_keys, "Shift+F1")
    if w.student is None:
        add_action(w, help_, _("The demo band"), w.show_demo)
    add_action(w, w, _("Stop"), w.escape, "Esc")
    return Menus(
        recent_menu=recent_menu,
        save_menu=save_menu,
        undo_action=undo_action,
        redo_action=redo_action,
        pitch_action=pitch_action,
        deciding=tuple(deciding),
    )


def _fill_file(w: Window) -> tuple[QMenu, QMenu]:
    """Its menus of recent pairs and of what the marked part is saved as."""
    file = w.menuBar().addMenu(_("&File"))
    add_action(w, file, _("Open a score…"), w.loupe_place.open_score, "Ctrl+O")
    add_action(w, file, _("Open a recording…"), w.loupe_place.open_take, "Ctrl+R")
    recent_menu = file.addMenu(_("Recent pairs"))
    recent_menu.aboutToShow.connect(lambda: w.fill_recent(recent_menu))
    if w.tray:
        tray = file.addMenu(w.tray_name or _("Tray"))
        w.fill_tray(tray)
    file.addSeparator()
    save_menu = file.addMenu(_("Save the marked part as"))
    for kind, words, _unused in DOCUMENTS:
        add_action(
            w,
            save_menu,
            f"{_(words)}…",
            lambda k=kind: w.loupe_place.save_as(k),
            "Ctrl+S" if kind == "pdf" else "",
        )
    add_action(w, save_menu, _("Report (JSON)…"), lambda: w.loupe_place.save_as("json"))
    sheets = file.addMenu(_("Save the sheet of the pattern book as"))
    for kind, words, _unused in SHEETS:
        add_action(w, sheets, f"{_(words)}…", lambda k=kind: w.pattern.save(k))
    _fill_slips(w, file)
    marks = file.addMenu(_("Marks of the tray as"))
    for kind, words in (("csv", _("CSV…")), ("xlsx", _("Spreadsheet (XLSX)…"))):
        add_action(w, marks, words, lambda k=kind: w.bench.exports.write_marks(k))
    marks.addSeparator()
    add_action(w, marks, _("Their columns…"), lambda: w.bench.exports.ask_marks())
    file.addSeparator()
    library = file.addMenu(_("Library"))
    add_action(w, library, _("Watch a folder for new recordings…"), lambda: w.bench.intake.watch(None))
    add_action(w, library, _("Watch no folder"), lambda: w.bench.intake.watch(""))
    library.addSeparator()
    add_action(w, library, _("Back it up as one file…"), lambda: w.back_up())
    add_action(w, library, _("Make a library of a backup…"), lambda: w.restore_backup())
    add_action(w, library, _("Open another library…"), lambda: w.other_library())
    file.addSeparator()
    add_action(w, file, _("Quit"), w.close, "Ctrl+Q")
    return recent_menu, save_menu


def _fill_students_file(w: Window) -> None:
    """Of a player at home: what goes back to the teacher."""
    file = w.menuBar().addMenu(_("&File"))
    add_action(w, file, _("My progress for my teacher…"), lambda: w.save_progress(), "Ctrl+S")
    file.addSeparator()
    add_action(w, file, _("Quit"), w.close, "Ctrl+Q")


def _fill_slips(w: Window, file: QMenu) -> None:
    slips = file.addMenu(_("Slips of the tray as"))
    for kind, words in (
        ("pdf", _("One PDF for print…")),
        ("html", _("Pages with sound, one a player…")),
        ("text", _("Plain text for mail, one a player…")),
    ):
        add_action(w, slips, words, lambda k=kind: w.bench.exports.write_slips(k))
    slips.addSeparator()
    add_action(w, slips, _("Greeting and closing…"), lambda: w.bench.exports.ask_slip_words())
    with_mark = add_check(
        w, slips, _("With the mark"), False, lambda on: w.bench.model.set_slips(with_mark=on)
    )
    two = add_check(
        w, slips, _("Two to a page"), False, lambda on: w.bench.model.set_slips(per_page=2 if on else 1)
    )

    def as_remembered() -> None:
        for action, on in (
            (with_mark, w.bench.model.slips.with_mark),
            (two, w.bench.model.slips.per_page == 2),
        ):
            action.blockSignals(True)
            action.setChecked(on)
            action.blockSignals(False)

    slips.aboutToShow.connect(as_remembered)


def _fill_edit(w: Window) -> tuple[QAction, QAction, list[QAction]]:
    """Undo, redo, and what decides on findings."""
    edit = w.menuBar().addMenu(_("&Edit"))
    undo_action = add_action(w, edit, _("Undo"), lambda: w.act("undo"), "Ctrl+Z", "U")
    redo_action = add_action(w, edit, _("Redo"), lambda: w.act("redo"), "Ctrl+Shift+Z", "Ctrl+Y")
    edit.addSeparator()
    deciding = [
        add_action(w, edit, _("Keep the finding"), lambda: w.act("keep"), "K"),
        add_action(w, edit, _("Dismiss the finding"), lambda: w.act("dismiss"), "D", "Del"),
        add_action(w, edit, _("Restore the finding"), lambda: w.act("restore"), "R"),
        add_action(w, edit, _("Change its kind…"), lambda: w.act("change"), "C"),
        add_action(w, edit, _("Add a finding at the note…"), w.add_menu, "A"),
        add_action(w, edit, _("A word to the player"), w.write_note, "N"),
        add_action(w, edit, _("This take is decided"), w.take_decided, "Ctrl+Return"),
        add_action(w, edit, _("All clean takes are decided"), w.clean_decided, "Ctrl+Shift+Return"),
    ]
    return undo_action, redo_action, deciding


def _fill_view(w: Window) -> QAction:
    """The heard pitch."""
    view = w.menuBar().addMenu(_("&View"))
    add_action(w, view, _("Larger"), lambda: w.loupe.set_zoom(1), "Ctrl++", "Ctrl+=")
    add_action(w, view, _("Smaller"), lambda: w.loupe.set_zoom(-1), "Ctrl+-")
    add_action(w, view, _("Usual size"), lambda: w.loupe.set_zoom(0), "Ctrl+0")
    view.addSeparator()
    group = QActionGroup(w)
    for theme in THEMES.values():
        action = add_action(w, view, _(theme.name).capitalize(), lambda t=theme: w.set_theme(t.name))
        action.setCheckable(True)
        action.setChecked(theme.name == w.theme.name)
        group.addAction(action)
    sizes = view.addMenu(_("Size of text"))
    group = QActionGroup(w)
    for percent in TEXT_SIZES:
        action = add_action(w, sizes, f"{percent} %", lambda p=percent: w.set_text_size(p))
        action.setCheckable(True)
        action.setChecked(percent == w.text_size)
        group.addAction(action)
    languages = view.addMenu(_("Language"))
    group = QActionGroup(w)
    for language, name in LANGUAGES.items():
        action = add_action(w, languages, name, lambda n=language: w.set_language(n))
        action.setCheckable(True)
        action.setChecked(language == chosen_language())
        group.addAction(action)
    view.addSeparator()
    add_check(w, view, _("Timing rail"), True, w.loupe.set_rail)
    pitch_action = add_check(w, view, _("Heard pitch on the staff"), False, w.loupe.set_pitch, "P")
    add_action(w, view, _("Look closer at the finding"), lambda: w.act("look_closer"), "E")
    passes = view.addMenu(_("Repeated bars show"))
    for k, words in ((1, _("the first time")), (2, _("the second time"))):
        add_action(w, passes, words, lambda p=k: w.loupe.set_passing(p))
    return pitch_action


def _fill_play(w: Window) -> None:
    play = w.menuBar().addMenu(_("&Play"))
    add_action(w, play, _("Play or stop"), w.play, "Space").setAutoRepeat(False)
    for key, source, words in (("T", "take", _("The take")), ("M", "model", _("The model"))):
        add_action(w, play, words, lambda s=source: w.lens.set_source(s), key)
    add_action(w, play, _("One after the other"), w.key_b, "B")
    add_action(w, play, _("Slower"), lambda: w.lens.step_speed(1), "[")
    add_action(w, play, _("Faster"), lambda: w.lens.step_speed(-1), "]")
    add_action(w, play, _("Loop the bar"), lambda: w.lens.strip.looping.toggle(), "L")
    add_check(w, play, _("Model at the written speed"), False, w.loupe.listening.set_written_speed)


def _fill_go(w: Window) -> list[QAction]:
    """What leads to findings and notes."""
    go = w.menuBar().addMenu(_("&Go"))
    for place in PLACES if w.student is None else OF_ONE_PLAYER:
        named = PLACES[place]
        add_action(w, go, _(named.word), lambda p=place: w.go(p), f"Ctrl+{named.key}")
    go.addSeparator()
    stepping = [
        add_action(w, go, _("Next finding"), lambda: w.step_finding(1), "Down"),
        add_action(w, go, _("Previous finding"), lambda: w.step_finding(-1), "Up"),
        add_action(w, go, _("Next note"), lambda: w.lens.step_note(1), "Right"),
        add_action(w, go, _("Previous note"), lambda: w.lens.step_note(-1), "Left"),
    ]
    go.addSeparator()
    add_action(w, go, _("Open the take in detail"), w.look_closely, "O")
    add_action(w, go, _("Next take of the tray"), lambda: w.step_tray(1), "Ctrl+PgDown")
    add_action(w, go, _("Previous take of the tray"), lambda: w.step_tray(-1), "Ctrl+PgUp")
    return stepping


def kind_menu(w: Window, chosen: Callable[[str], object]) -> QMenu:
    """Every kind of finding, by facet."""
    menu = QMenu(w)
    for facet, kinds in FACETS.items():
        sub = menu.addMenu(_(FACET_NAMES[facet]))
        sub.setIcon(facet_pixmap(facet, w.theme, 18))
        for kind in kinds:
            add_action(w, sub, kind_name(kind), lambda k=kind: chosen(k))
    return menu
