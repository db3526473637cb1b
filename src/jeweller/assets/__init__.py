"""What ships with the program: fonts, icons, styles, page templates, sounds and the demo band, as files."""

from pathlib import Path

ASSETS = Path(__file__).parent
FONTS = ASSETS / "fonts"
ICONS = ASSETS / "icons"
STYLES = ASSETS / "styles"
SOUNDS = ASSETS / "sounds"
LOCALE = ASSETS / "locale"
DEMO = ASSETS / "demo"
GUIDE = ASSETS / "guide"
