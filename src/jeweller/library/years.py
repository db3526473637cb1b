"""Bands and classes from year to year: players go on into a new one with all that is remembered of them; an
old one is deleted for good.
"""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select

from jeweller.i18n import _, ngettext
from jeweller.library.library import Library
from jeweller.library.tables import Band, Take, Tray


def new_year(library: Library, name: str, year: str, players: Sequence[int]) -> Band:
    """A new band or class into which these players (by id) go on; their takes stay where they were made and
    remain theirs. Raises LedgerError.
    """
    return library.add_band(name, year.strip(), players)


def list_held_in_band(library: Library, band: Band) -> list[str]:
    """What deleting a band takes away, in plain words."""
    players = library.players(band.id)
    trays = library.trays(band.id)
    with library.store.read() as session:
        takes = (
            session.scalar(
                select(func.count())
                .select_from(Take)
                .join(Tray, Take.tray_id == Tray.id)
                .where(Tray.band_id == band.id)
            )
            or 0
        )
        elsewhere = (
            session.scalar(
                select(func.count())
                .select_from(Take)
                .join(Tray, Take.tray_id == Tray.id)
                .where(Tray.band_id != band.id, Take.player_id.in_([p.id for p in players]))
            )
            or 0
        )
    named = ", ".join(p.name for p in players[:12]) + (
        _(" and {n} more").format(n=len(players) - 12) if len(players) > 12 else ""
    )
    out = [
        ngettext("{n} player", "{n} players", len(players)).format(n=len(players))
        + (f": {named}" if named else ""),
        _("{trays} with {takes}, their reports and what was decided").format(
            trays=ngettext("{n} tray", "{n} trays", len(trays)).format(n=len(trays)),
            takes=ngettext("{n} recording", "{n} recordings", takes).format(n=takes),
        ),
    ]
    if elsewhere:
        out.append(
            ngettext(
                "{n} recording of these players in trays of other bands",
                "{n} recordings of these players in trays of other bands",
                elsewhere,
            ).format(n=elsewhere)
        )
    return [*out, _("what was given out to it, and practice days")]


def format_name(band: Band) -> str:
    """A band's name with its year, where it has one that the name does not tell."""
    return f"{band.name}, {band.year}" if band.year and band.year not in band.name else band.name
