"""The one family of errors a user can cause; each carries a sentence that can be shown as it is."""


class JewellerError(Exception):
    """Something in the input cannot be used. `str(error)` says what, where, and what to do."""


class ScoreError(JewellerError):
    """A notation file, or the part chosen in it, cannot be used."""


class TakeError(JewellerError):
    """A recording cannot be used."""


class SettingError(JewellerError):
    """A setting or an option has a value that is not allowed."""


class DrillError(JewellerError):
    """An exercise cannot be made as it was asked for."""


class BookError(JewellerError):
    """The shelf, or a piece on it, cannot be used."""


class LedgerError(JewellerError):
    """The library, or something in it, cannot be used."""


class PageError(JewellerError):
    """A page of music, as a PDF or a picture, cannot be read."""


class SlipError(JewellerError):
    """A file that goes between a teacher and a player cannot be used."""


class Cancelled(Exception):  # noqa: N818 -- not an error: the user asked for it
    """Raised inside long work when the user cancelled it."""
