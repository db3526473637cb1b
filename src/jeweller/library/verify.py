"""Whether a library is whole: every recording there and unchanged, every piece and report to be opened."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from jeweller.audio.decode import file_hash
from jeweller.errors import JewellerError
from jeweller.files import shown_text
from jeweller.i18n import _, ngettext
from jeweller.library.library import Library
from jeweller.library.unfinished import is_recording_name

TOLD = 8  # things that are named; more are counted


def back_up(library: Library, target: Path) -> tuple[int, list[str]]:
    """(how many files the backup holds, what the library has not). Raises LedgerError."""
    return library.store.backup(target), find_missing(library)


def in_a_few_words(missing: list[str]) -> str:
    """What is missing as one text, however much it is.

    >>> in_a_few_words(["one", "two"])
    'one\\ntwo'
    """
    more = len(missing) - TOLD
    rest = ngettext("and {n} thing more.", "and {n} things more.", more).format(n=more)
    return "\n".join([*missing[:TOLD], *([rest] if more > 0 else [])])


def find_missing(
    library: Library, progress: Callable[[float, str], None] = lambda _share, _what: None
) -> list[str]:
    """A sentence for each thing that is missing or another than it was; [] of a whole library. What was
    checked and decided is never touched. A recording that is brought in anew mends its take.
    """
    out = []
    try:
        with library.store.read() as session:
            problem = session.execute(text("PRAGMA integrity_check(1)")).scalar()
        if problem != "ok":
            out.append(_("The database is damaged: {what}.").format(what=problem))
    except DBAPIError as error:
        return [_("The database is damaged: {what}.").format(what=error.orig)]
    takes = [take for tray in library.trays() for take in library.takes(tray.id)]
    for k, take in enumerate(takes):
        progress(k / len(takes), take.name)
        name = shown_text(take.name)
        if not is_recording_name(take.file):
            out.append(
                _("The recording of {name} has a name that the library never gives.").format(name=name)
            )
            continue
        path = library.store.recordings / take.file
        if not path.exists():
            out.append(_("The recording of {name} is missing: bring it in anew.").format(name=name))
        elif file_hash(path) != take.sha256:
            out.append(_("The recording of {name} was changed: bring it in anew.").format(name=name))
        try:
            library.report(take.id)
        except JewellerError as error:
            out.append(f"{name}: {error}")
        if take.piece and not (library.store.shelf / f"{take.piece}.musicxml").exists():
            out.append(_("The music of {name} is not on the library's shelf any more.").format(name=name))
    return list(dict.fromkeys(out))
