"""Starting the interface: with a display a window, without one the same window offscreen."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtWidgets import (
    QApplication,
    QProxyStyle,
    QStyle,
    QStyleHintReturn,
    QStyleOption,
    QWidget,
)

from jeweller.audio.ports import FoundSpeaker, Speaker
from jeweller.demo_band import TrayTake
from jeweller.gui.services.garbage import MainThreadCollector
from jeweller.gui.shell.style import load_fonts
from jeweller.i18n import _

BUILD_AFTER_MS = 150  # what is not seen yet is loaded when the window is there


def has_display() -> bool:
    return (
        bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
        and os.environ.get("QT_QPA_PLATFORM") != "offscreen"
    )


class PlainStyle(QProxyStyle):
    """The style without what a desktop puts into it: no icons of its own on buttons."""

    def styleHint(
        self,
        hint: QStyle.StyleHint,
        option: QStyleOption | None = None,
        widget: QWidget | None = None,
        returnData: QStyleHintReturn | None = None,  # noqa: N803 (the name Qt calls it by)
    ) -> int:
        if hint == QStyle.StyleHint.SH_DialogButtonBox_ButtonsHaveIcons:
            return 0
        return super().styleHint(hint, option, widget, returnData)


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
    app.setStyle(PlainStyle("Fusion"))
    load_fonts()
    MainThreadCollector(app)
    return app


def open_settings(path: Path | None = None) -> QSettings:
    """Settings in the user's configuration folder, or at a path of a test's own."""
    home = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
    return QSettings(str(path or home / "jeweller" / "desk.ini"), QSettings.Format.IniFormat)


def run_window(
    score: str | None = None,
    take: str | None = None,
    tray: tuple[TrayTake, ...] = (),
    tray_name: str = "",
    speaker: Speaker | None = None,
) -> int:
    """Opens the window and runs until it is closed."""
    if not has_display():
        print(
            _(
                "jeweller: there is no display to open the window on; use `jeweller check` or "
                "`jeweller demo`."
            ),
            file=sys.stderr,
        )
        return 2
    app = make_app()
    from jeweller.gui.shell.window import Window

    window = Window(open_settings(), speaker or FoundSpeaker(), tray, tray_name)
    window.show()
    QTimer.singleShot(BUILD_AFTER_MS, window, window.build_places)
    files = [f for f in (score, take) if f]
    if files:
        window.when_idle(lambda: window.open_files(files))
    elif tray:
        first = tray[0]
        window.when_idle(
            lambda: window.loupe_place.open_pair(str(first.score), str(first.take), first.part, first.player)
        )
    return app.exec()
