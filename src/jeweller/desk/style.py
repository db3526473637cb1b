"""One style sheet and one palette, made from the theme's tokens. Spacing in steps of 4 px."""

from __future__ import annotations

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from jeweller.sheet.theme import FONTS, ICONS, SANS, SERIF, SIGNS, Theme

BASE_PT = 11.0


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
    """Palette, base font and style sheet for the whole program; what is so already costs nothing: every widget there is would be styled anew."""
    styled = sheet(theme, points)
    if app.styleSheet() == styled:
        return
    app.setFont(font(points))
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.desk, QPalette.ColorRole.WindowText: theme.ink, QPalette.ColorRole.Base: theme.paper,
        QPalette.ColorRole.AlternateBase: theme.desk, QPalette.ColorRole.Text: theme.ink, QPalette.ColorRole.Button: theme.desk,
        QPalette.ColorRole.ButtonText: theme.ink, QPalette.ColorRole.Highlight: theme.wash, QPalette.ColorRole.HighlightedText: theme.ink,
        QPalette.ColorRole.ToolTipBase: theme.paper, QPalette.ColorRole.ToolTipText: theme.ink, QPalette.ColorRole.PlaceholderText: theme.quiet,
        QPalette.ColorRole.Link: theme.brass,
    }  # fmt: skip
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    app.setPalette(palette)
    app.setStyleSheet(styled)


def sheet(t: Theme, points: float) -> str:
    return f"""
QWidget {{ color: {t.ink}; }}
QMenuBar, QMenu, QPushButton, QToolButton, QComboBox, QListWidget, QStatusBar, QToolTip, QProgressBar, QComboBox QAbstractItemView, QLabel#quiet, QLabel#dot,
QLabel#plain, QCheckBox, QPlainTextEdit, QLineEdit, QTableWidget, QHeaderView, QSpinBox, QDoubleSpinBox, QDateEdit, QCalendarWidget {{
    font-family: "{SANS}", "{SIGNS}"; font-size: {points:g}pt; }}
QMainWindow, QDialog {{ background: {t.desk}; }}
QToolTip {{ background: {t.paper}; color: {t.ink}; border: 1px solid {t.faint}; padding: 4px; }}
QMenuBar {{ background: {t.desk}; padding: 2px 4px; }}
QMenuBar::item {{ padding: 4px 8px; border-radius: 3px; background: transparent; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {t.wash}; color: {t.ink}; }}
QMenu {{ background: {t.paper}; border: 1px solid {t.faint}; padding: 4px; }}
QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 3px; }}
QMenu::item:disabled {{ color: {t.quiet}; }}
QMenu::separator {{ height: 1px; background: {t.faint}; margin: 4px 8px; }}
QPushButton, QToolButton {{ color: {t.brass}; background: transparent; border: 1px solid transparent; border-radius: 3px; padding: 4px 8px; font-weight: 600; }}
QPushButton:hover, QToolButton:hover {{ border-color: {t.brass}; }}
QPushButton:focus, QToolButton:focus {{ border: 1px solid {t.brass}; }}
QPushButton:checked, QToolButton:checked {{ background: {t.wash}; border-color: {t.brass}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {t.quiet}; }}
QPushButton#next {{ background: {t.brass}; color: {t.on_brass}; padding: 6px 16px; }}
QPushButton#next:disabled {{ background: {t.faint}; color: {t.quiet}; }}
QPushButton#word {{ color: {t.ink}; font-weight: 400; padding: 4px 4px; border: none; border-bottom: 1px dotted {t.brass}; border-radius: 0; }}
QPushButton#word:hover, QPushButton#word:focus {{ color: {t.brass}; border-bottom: 1px solid {t.brass}; }}
QPushButton#word::menu-indicator {{ image: none; width: 0; }}
QPushButton#inline {{ color: {t.ink}; font-weight: 400; padding: 2px 1px 1px 1px; border: none; border-bottom: 1px dotted {t.brass}; border-radius: 0; }}
QPushButton#inline:hover, QPushButton#inline:focus {{ color: {t.brass}; border-bottom: 1px solid {t.brass}; }}
QTableWidget {{ background: {t.paper}; border: 1px solid {t.faint}; border-radius: 3px; gridline-color: {t.faint}; }}
QTableWidget::item {{ padding: 0 8px; }}
QTableWidget QComboBox {{ border: none; border-radius: 0; }}
QTableWidget QComboBox:focus {{ background: {t.wash}; }}
QHeaderView::section {{ background: {t.desk}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.faint}; padding: 4px 8px; text-align: left; }}
QCheckBox::indicator, QTableWidget::indicator, QListWidget::indicator {{
    width: {points + 3:g}px; height: {points + 3:g}px; border: 1px solid {t.quiet}; border-radius: 3px; background: {t.paper}; }}
QCheckBox::indicator:checked, QTableWidget::indicator:checked, QListWidget::indicator:checked {{ border: 1px solid {t.brass}; background: {t.brass}; }}
QCheckBox::indicator:focus {{ border-color: {t.brass}; }}
QLineEdit {{ background: {t.paper}; border: 1px solid {t.faint}; border-radius: 3px; padding: 3px 8px; }}
QSpinBox, QDoubleSpinBox, QDateEdit {{ min-height: {2 * points + 4:g}px; }}
QLineEdit:focus {{ border-color: {t.brass}; }}
QPlainTextEdit {{ background: {t.paper}; border: 1px solid {t.faint}; border-radius: 3px; }}
QPlainTextEdit:focus {{ border-color: {t.brass}; }}
QLabel#place {{ font-family: "{SERIF}"; font-size: {points + 4:g}pt; font-weight: 600; }}
QLabel#sheet {{ background: {t.paper}; border: 1px dashed {t.brass}; border-radius: 3px; padding: 24px; font-size: {points + 1:g}pt;
    font-family: "{SANS}", "{SIGNS}"; }}
QLabel#quiet, QLabel#dot {{ color: {t.quiet}; }}
QLabel#title {{ font-family: "{SERIF}"; font-size: {points + 9:g}pt; font-weight: 600; }}
QLabel#heading {{ font-family: "{SERIF}"; font-size: {points + 2:g}pt; font-weight: 600; }}
QScrollArea {{ border: none; background: transparent; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {t.faint}; border-radius: 3px; min-height: 32px; min-width: 32px; margin: 1px; }}
QScrollBar::handle:hover {{ background: {t.quiet}; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; height: 0; width: 0; }}
QProgressBar {{ background: {t.paper}; border: 1px solid {t.faint}; border-radius: 3px; text-align: center; min-height: 18px; }}
QProgressBar::chunk {{ background: {t.wash}; }}
QComboBox {{ background: {t.paper}; border: 1px solid {t.faint}; border-radius: 3px; padding: 3px 8px; }}
QComboBox::drop-down {{ border: none; width: 24px; }}
QComboBox::down-arrow {{ image: url("{(ICONS / f"down-{t.name}.svg").as_posix()}"); width: 12px; height: 12px; }}
QComboBox:focus {{ border-color: {t.brass}; }}
QComboBox QAbstractItemView {{ background: {t.paper}; border: 1px solid {t.faint}; selection-background-color: {t.wash}; selection-color: {t.ink}; }}
QSplitter::handle {{ background: {t.desk}; }}
QStatusBar {{ background: {t.desk}; color: {t.quiet}; }}
QStatusBar::item {{ border: none; }}
QListWidget {{ background: {t.paper}; border: 1px solid {t.faint}; border-radius: 3px; padding: 4px; }}
QListWidget::item {{ padding: 6px; border-radius: 3px; }}
QListWidget::item:selected {{ background: {t.wash}; color: {t.ink}; }}
QDialogButtonBox QPushButton {{ min-width: 80px; }}
"""
