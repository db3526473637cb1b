"""One style sheet and one palette, made from the theme's tokens. Spacing in steps of 4 px."""

from __future__ import annotations

import dataclasses
from string import Template

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from jeweller.assets import FONTS, ICONS, STYLES
from jeweller.documents.theme import SANS, SERIF, SIGNS, Theme

SHEET = STYLES / "window.qss"
BASE_PT = 11.0
TEXT_SIZES = (100, 125, 150, 200)  # percent
STACKED_PT = 15.0  # from this size of text on, what stands side by side stands one below the other


def load_fonts() -> None:
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def font(points: float, *, serif: bool = False, weight: int = 400, italic: bool = False) -> QFont:
    made = QFont()
    made.setFamilies([SERIF if serif else SANS, SIGNS])
    made.setPointSizeF(points)
    made.setWeight(QFont.Weight(weight))
    made.setItalic(italic)
    return made


def apply_theme(app: QApplication, theme: Theme, points: float = BASE_PT) -> None:
    """Palette, base font and style sheet for the whole program; what is so already costs nothing: every
    widget there is would be styled anew.
    """
    styled = sheet(theme, points)
    if app.styleSheet() == styled:
        return
    app.setFont(font(points))
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.desk,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.Base: theme.paper,
        QPalette.ColorRole.AlternateBase: theme.desk,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.Button: theme.desk,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.wash,
        QPalette.ColorRole.HighlightedText: theme.ink,
        QPalette.ColorRole.ToolTipBase: theme.paper,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.quiet,
        QPalette.ColorRole.Link: theme.brass,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    app.setPalette(palette)
    app.setStyleSheet(styled)


def sheet(t: Theme, points: float) -> str:
    """The style sheet of the window: `assets/styles/window.qss` with the theme's colours and sizes."""
    sizes = {"points": 0, "larger": 1, "heading": 2, "box": 3, "place": 4, "title": 9}
    values = {name: f"{points + more:g}" for name, more in sizes.items()} | {
        "field": f"{2 * points + 4:g}",
        "sans": SANS,
        "serif": SERIF,
        "signs": SIGNS,
        "arrow": (ICONS / f"down-{t.name.split()[-1]}.svg").as_posix(),
    }
    colours = {
        f.name: getattr(t, f.name) for f in dataclasses.fields(t) if isinstance(getattr(t, f.name), str)
    }
    return Template(SHEET.read_text(encoding="utf-8")).substitute(colours | values)
