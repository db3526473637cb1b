"""Starting the interface: with a display a window, without one the same window offscreen."""

from __future__ import annotations

import os
import sys
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import (
    QApplication,
)

from jeweller.audio.ports import FoundSpeaker, Speaker
from jeweller.demo_band import TrayTake, data_home
from jeweller.gui.services.garbage import MainThreadCollector
from jeweller.gui.services.kept import check_format
from jeweller.gui.shell.style import load_fonts
from jeweller.gui.widgets.readable import ReadableWidgets
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument
from jeweller.scratch import sweep_scratch

if TYPE_CHECKING:
    from jeweller.student.home import StudentHome

DESKTOP_ID = "org.jeweller.Jeweller"  # what a desktop knows the program by
ICON = Path(__file__).parents[2] / "assets" / "icons" / "jeweller.svg"
BUILD_AFTER_MS = 150  # what is not seen yet is loaded when the window is there


def has_display() -> bool:
    return (
        bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
        and os.environ.get("QT_QPA_PLATFORM") != "offscreen"
    )


def make_app() -> QApplication:
    """The application, once a process; offscreen where there is no display."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    if not has_display():
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("jeweller")
    app.setApplicationDisplayName("Jeweller")
    app.setDesktopFileName(DESKTOP_ID)
    app.setWindowIcon(QIcon(str(ICON)))
    app.setStyle("Fusion")
    load_fonts()
    app.setProperty("readable", ReadableWidgets())
    MainThreadCollector(app)
    return app


def open_settings(path: Path | None = None) -> QSettings:
    """Settings in the user's configuration folder, or at a path of a test's own."""
    home = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
    return QSettings(str(path or home / "jeweller" / "desk.ini"), QSettings.Format.IniFormat)


def students_home() -> Path:
    """Where slips are opened: a folder a player in it."""
    return data_home() / "students"


def students_settings(home: StudentHome) -> QSettings:
    """The settings of a player at home: what the teacher chose for practising stands in them, until the
    player changes it.
    """
    settings = open_settings(home.folder / "desk.ini")
    if settings.value("slip", "") != home.slip:
        for name, value in home.settings.items():
            if name.startswith("practice/"):
                settings.setValue(name, value)
        if find_instrument(home.instrument) is not None:
            settings.setValue("warmup/instrument", home.instrument)
        settings.setValue("slip", home.slip)
    return settings


def run_window(
    files: Sequence[str] = (),
    tray: tuple[TrayTake, ...] = (),
    tray_name: str = "",
    speaker: Speaker | None = None,
) -> int:
    """Opens the window and runs until it is closed; with a slip among the files that of one player at home.
    Where such a window is open already it gets the files, and this start is over; takes that are given along
    (`tray`) always get a window of their own. Raises JewellerError.
    """
    from jeweller.gui.shell.handing import Meeting

    slip = next((f for f in files if is_slip(f)), "")
    meeting = Meeting(_meeting_of(slip)) if not tray else None
    if not has_display():
        print(
            _(
                "jeweller: there is no display to open the window on; use `jeweller check` or "
                "`jeweller demo`."
            ),
            file=sys.stderr,
        )
        return 2
    first = meeting is None or meeting.come_first()
    if meeting is not None and not first and meeting.hand_over(files):
        return 0
    home, told = None, ""
    if slip:
        from jeweller.student.home import open_slip

        home, told = open_slip(Path(slip), students_home())
    app = make_app()
    sweep_scratch()
    from jeweller.gui.shell.signals import SignalGuard
    from jeweller.gui.shell.window import Window

    settings = open_settings() if home is None else students_settings(home)
    window = Window(settings, speaker or FoundSpeaker(), tray, tray_name, student=home)
    window.show()
    guard = SignalGuard(app, window)
    if meeting is not None and first:
        from jeweller.gui.shell.one_window import OneWindow

        OneWindow(meeting, window).came.connect(window.handed)
    QTimer.singleShot(BUILD_AFTER_MS, window, window.load_places)
    newer = check_format(settings)
    if newer:
        window.when_idle(lambda: window.trouble(newer))
    if home is not None:
        window.when_idle(lambda: window.go("practice"))
        window.when_idle(lambda: window.say(told))
    elif files:
        window.when_idle(lambda: window.open_files(list(files)))
    elif tray:
        taken = tray[0]
        window.when_idle(
            lambda: window.loupe_place.open_pair(str(taken.score), str(taken.take), taken.part, taken.player)
        )
    status = app.exec()
    del guard
    return status


def is_slip(file: str) -> bool:
    """Whether a file is what a player takes home; what comes back from there is the teacher's."""
    from jeweller.student.slip import ENDING, PROGRESS, kind_of

    return file.casefold().endswith(ENDING) and kind_of(Path(file)) != PROGRESS


def _meeting_of(slip: str) -> str:
    """The kind of window: the teacher's, or that of one player. Raises SlipError."""
    if not slip:
        return f"desk-{zlib.crc32(os.fsencode(data_home())):08x}"
    from jeweller.student.slip import read_slip

    return f"home-{read_slip(Path(slip)).key}"
