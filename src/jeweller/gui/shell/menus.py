"""The window's menus and their keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from jeweller.assessment.finding import FACETS
from jeweller.documents.theme import FACET_NAMES, THEMES
from jeweller.gui.places.pattern_book.model import SHEETS
from jeweller.gui.shell.sidebar import KEYS, PLACES
from jeweller.gui.shell.wording import AS_WRITTEN
from jeweller.gui.widgets.shapes import facet_pixmap
from jeweller.usage import BARS, VALUES

if TYPE_CHECKING:
    from jeweller.gui.shell.window import Window

DOCUMENTS = (
    ("pdf", "PDF", ".pdf"),
    ("png", "Picture (PNG)", ".png"),
    ("html", "Page for a browser (HTML)", ".html"),
    ("midi", "Notes heard (MIDI)", ".mid"),
    ("musicxml", "Score with the findings (MusicXML)", ".musicxml"),
)


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
    action.triggered.connect(lambda _=False: act())
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
    bar = w.menuBar()
    file = bar.addMenu("&File")
    add_action(w, file, "Open a score…", w.open_score, "Ctrl+O")
    add_action(w, file, "Open a recording…", w.open_take, "Ctrl+R")
    recent_menu = file.addMenu("Recent pairs")
    recent_menu.aboutToShow.connect(lambda: w.fill_recent(recent_menu))
    if w.tray:
        tray = file.addMenu(w.tray_name or "Tray")
        w.fill_tray(tray)
    file.addSeparator()
    save_menu = file.addMenu("Save the marked part as")
    for kind, words, _ in DOCUMENTS:
        add_action(w, save_menu, f"{words}…", lambda k=kind: w.save_as(k), "Ctrl+S" if kind == "pdf" else "")
    add_action(w, save_menu, "Report (JSON)…", lambda: w.save_as("json"))
    sheets = file.addMenu("Save the sheet of the pattern book as")
    for kind, words, _ in SHEETS:
        add_action(w, sheets, f"{words}…", lambda k=kind: w.pattern.save(k))
    slips = file.addMenu("Slips of the tray as")
    for kind, words in (
        ("pdf", "One PDF for print…"),
        ("html", "Pages with sound, one a player…"),
        ("text", "Plain text for mail, one a player…"),
    ):
        add_action(w, slips, words, lambda k=kind: w.bench.write_slips(k))
    slips.addSeparator()
    add_action(w, slips, "Greeting and closing…", lambda: w.bench.ask_slip_words())
    with_mark = add_check(w, slips, "With the mark", False, lambda on: w.bench.set_slips(with_mark=on))
    two = add_check(w, slips, "Two to a page", False, lambda on: w.bench.set_slips(per_page=2 if on else 1))

    def as_remembered() -> None:
        for action, on in (
            (with_mark, w.bench.slip_settings.with_mark),
            (two, w.bench.slip_settings.per_page == 2),
        ):
            action.blockSignals(True)
            action.setChecked(on)
            action.blockSignals(False)

    slips.aboutToShow.connect(as_remembered)
    marks = file.addMenu("Marks of the tray as")
    for kind, words in (("csv", "CSV…"), ("xlsx", "Spreadsheet (XLSX)…")):
        add_action(w, marks, words, lambda k=kind: w.bench.write_marks(k))
    marks.addSeparator()
    add_action(w, marks, "Their columns…", lambda: w.bench.ask_marks())
    file.addSeparator()
    library = file.addMenu("Library")
    add_action(w, library, "Watch a folder for new recordings…", lambda: w.bench.watch(None))
    add_action(w, library, "Watch no folder", lambda: w.bench.watch(""))
    library.addSeparator()
    add_action(w, library, "Back it up as one file…", lambda: w.back_up())
    add_action(w, library, "Make a library of a backup…", lambda: w.restore_backup())
    add_action(w, library, "Open another library…", lambda: w.other_library())
    file.addSeparator()
    add_action(w, file, "Quit", w.close, "Ctrl+Q")

    edit = bar.addMenu("&Edit")
    undo_action = add_action(w, edit, "Undo", lambda: w.act("undo"), "Ctrl+Z", "U")
    redo_action = add_action(w, edit, "Redo", lambda: w.act("redo"), "Ctrl+Shift+Z", "Ctrl+Y")
    edit.addSeparator()
    deciding = [
        add_action(w, edit, "Keep the finding", lambda: w.act("keep"), "K"),
        add_action(w, edit, "Dismiss the finding", lambda: w.act("dismiss"), "D", "Del"),
        add_action(w, edit, "Restore the finding", lambda: w.act("restore"), "R"),
        add_action(w, edit, "Change its kind…", lambda: w.act("change"), "C"),
        add_action(w, edit, "Add a finding at the note…", w.add_menu, "A"),
        add_action(w, edit, "A word to the player", w.write_note, "N"),
        add_action(w, edit, "This take is decided", w.take_decided, "Ctrl+Return"),
    ]

    view = bar.addMenu("&View")
    add_action(w, view, "Larger", lambda: w.loupe.set_zoom(1), "Ctrl++", "Ctrl+=")
    add_action(w, view, "Smaller", lambda: w.loupe.set_zoom(-1), "Ctrl+-")
    add_action(w, view, "Usual size", lambda: w.loupe.set_zoom(0), "Ctrl+0")
    view.addSeparator()
    group = QActionGroup(w)
    for theme in THEMES.values():
        action = add_action(w, view, theme.name.capitalize(), lambda t=theme: w.set_theme(t.name))
        action.setCheckable(True)
        action.setChecked(theme.name == w.theme.name)
        group.addAction(action)
    add_check(w, view, "Large text", w.large, w.set_large)
    words_menu = view.addMenu("Words")
    for what, choices in (("bar", BARS), ("values", VALUES)):
        group = QActionGroup(w)
        for value, words in choices.items():
            action = add_action(w, words_menu, words, lambda n=what, v=value: w.set_usage(**{n: v}))
            action.setProperty(AS_WRITTEN, True)
            action.setCheckable(True)
            action.setChecked(getattr(w.theme.usage, what) == value)
            group.addAction(action)
        words_menu.addSeparator()
    view.addSeparator()
    add_check(w, view, "Timing rail", True, w.loupe.set_rail)
    pitch_action = add_check(w, view, "Heard pitch on the staff", False, w.loupe.set_pitch, "P")
    passes = view.addMenu("Repeated bars show")
    for k, words in ((1, "the first time"), (2, "the second time")):
        add_action(w, passes, words, lambda p=k: w.loupe.set_passing(p))

    play = bar.addMenu("&Play")
    add_action(w, play, "Play or stop", w.play, "Space")
    for key, source, words in (
        ("T", "take", "The take"),
        ("M", "model", "The model"),
        ("B", "both", "One after the other"),
    ):
        add_action(w, play, words, lambda s=source: w.loupe.set_source(s), key)
    add_action(w, play, "Slower", lambda: w.loupe.step_speed(1), "[")
    add_action(w, play, "Faster", lambda: w.loupe.step_speed(-1), "]")
    add_action(w, play, "Loop the bar", lambda: w.loupe.strip.looping.toggle(), "L")
    add_check(w, play, "Model at the written speed", False, w.loupe.set_written_speed)

    go = bar.addMenu("&Go")
    for place, (words, _) in PLACES.items():
        add_action(w, go, words, lambda p=place: w.go(p), f"Ctrl+{KEYS[place]}")
    go.addSeparator()
    deciding += [
        add_action(w, go, "Next finding", lambda: w.step_finding(1), "Down"),
        add_action(w, go, "Previous finding", lambda: w.step_finding(-1), "Up"),
        add_action(w, go, "Next note", lambda: w.loupe.step_note(1), "Right"),
        add_action(w, go, "Previous note", lambda: w.loupe.step_note(-1), "Left"),
    ]
    go.addSeparator()
    add_action(w, go, "Open the take in detail", w.look_closely, "O")
    add_action(w, go, "Next take of the tray", lambda: w.step_tray(1), "Ctrl+PgDown")
    add_action(w, go, "Previous take of the tray", lambda: w.step_tray(-1), "Ctrl+PgUp")

    help_ = bar.addMenu("&Help")
    add_action(w, help_, "Keys", w.show_keys, "F1")
    add_action(w, w, "Stop", w.escape, "Esc")
    return Menus(
        recent_menu=recent_menu,
        save_menu=save_menu,
        undo_action=undo_action,
        redo_action=redo_action,
        pitch_action=pitch_action,
        deciding=tuple(deciding),
    )


def kind_menu(w: Window, chosen: Callable[[str], object]) -> QMenu:
    """Every kind of finding, by facet."""
    menu = QMenu(w)
    for facet, kinds in FACETS.items():
        sub = menu.addMenu(FACET_NAMES[facet])
        sub.setIcon(facet_pixmap(facet, w.theme, 18))
        for kind in kinds:
            add_action(w, sub, kind.replace("_", " "), lambda k=kind: chosen(k))
    return menu
