"""The engraver's library, which works for one thread at a time, whichever of its toolkits is asked."""

from __future__ import annotations

import threading
from importlib.resources import files
from typing import Any

ENGRAVER = threading.Lock()


def new_toolkit() -> Any:
    """A toolkit of its own, whatever thread asks: the library finds its fonts only in the thread that
    imported it, unless it is told again where they are.

    >>> new_toolkit().loadData("X:1\\nL:1/4\\nK:C\\nCDEF|")
    True
    """
    import verovio

    verovio.enableLog(verovio.LOG_OFF)
    verovio.setDefaultResourcePath(str(files("verovio") / "data"))
    return verovio.toolkit()
