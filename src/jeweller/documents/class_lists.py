"""A polish list for each player of a section or of the whole band, from one piece of a tray, each in the
player's own part; before them the rehearsal plan.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import cast

from jeweller.decisions.standing import FindingState
from jeweller.documents.page import html_to_pdf, join_pdfs
from jeweller.documents.parts import instrument_of
from jeweller.documents.polish_sheet import polish_page
from jeweller.documents.rehearsal_plan import plan_page
from jeweller.documents.theme import PRINTED
from jeweller.errors import LedgerError
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument
from jeweller.library.class_view import class_view
from jeweller.library.library import Library
from jeweller.library.tray import music_of, open_take
from jeweller.practice.polish import PolishList, make_polish_list
from jeweller.practice.remedies import load_remedies
from jeweller.report_format import TakeReport


@dataclass(frozen=True)
class PlayerList:
    """What one player is to work at."""

    player: str
    title: str
    list: PolishList


def class_lists(
    library: Library,
    tray: int,
    piece: str,
    section: str,
    minutes: int,
    schools: Mapping[str, str] | None = None,
) -> list[PlayerList]:
    """Lists of those of a section ("" all) who have something to mend, as the class picture orders them; a
    player's last take of the piece, what the teacher dismissed left out.
    """
    view, table = class_view(library, tray, piece), load_remedies(library.folder)
    players = library.players_in(tray)
    newest = {r.player: r for r in view.rows if not section or r.section == section}
    out = []
    for row in newest.values():
        hand = open_take(library, row.take)
        if hand.report is None or not hand.report["followed"]:
            continue
        part = music_of(library, hand.take).part
        player = players.get(hand.take.player_id or 0)
        own = find_instrument(player.instrument) if player is not None and player.instrument else None
        standing = [s.finding for s in hand.shown if s.state != FindingState.DISMISSED]
        report = cast(TakeReport, {**hand.report, "findings": standing})
        made = make_polish_list(
            report,
            part,
            own or instrument_of(part),
            minutes,
            table,
            schools=schools,
            doubtful=False,  # what is not sure is decided on the bench
        )
        if made.items:
            out.append(PlayerList(row.player, view.title, made))
    return out


def class_lists_pdf(
    root: Path,
    tray: int,
    piece: str,
    section: str,
    minutes: int,
    schools: Mapping[str, str],
) -> bytes:
    """All of them on paper, the rehearsal plan first. Raises LedgerError where nobody has a thing to mend."""
    library = Library(root, read_only=True)
    try:
        lists = class_lists(library, tray, piece, section, minutes, schools)
        view = class_view(library, tray, piece)
    finally:
        library.close()
    if not lists:
        raise LedgerError(_("Nobody here has anything to mend in this piece."))
    pages = [html_to_pdf(plan_page(view, PRINTED))] if view.plan else []
    pages += [html_to_pdf(polish_page(one.list, one.title, one.player, PRINTED)) for one in lists]
    return join_pdfs(pages)
