"""What is held on a player: shown, given out, and deleted for good, recordings and pages of the database
included.
"""

from __future__ import annotations

import csv
import io
import json
import zipfile
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, delete, select
from sqlalchemy.orm import Session

from jeweller.errors import LedgerError
from jeweller.files import harmless, replacing
from jeweller.i18n import _, ngettext
from jeweller.library.journal import journal_files
from jeweller.library.library import Library
from jeweller.library.store import Store
from jeweller.library.tables import (
    Assignment,
    AuditEntry,
    Band,
    Phrase,
    Player,
    Practice,
    Report,
    Take,
    Tray,
    whole_rows,
)
from jeweller.library.unfinished import clear, write_down


def list_held(library: Library, player: Player) -> list[str]:
    """What is kept on a player, in plain words: what deleting takes away."""
    takes = library.takes_of(player.id)
    with library.store.read() as session:
        ids = [t.id for t in takes]
        reports = len(list(session.scalars(select(Report.id).where(Report.take_id.in_(ids)))))
        acts = len(list(session.scalars(select(AuditEntry.id).where(AuditEntry.take_id.in_(ids)))))
    days, own = library.practice(player.id), journal_files(library.folder, player.id)
    megabytes = (
        sum(p.stat().st_size for t in takes if (p := library.store.recordings / t.file).exists()) / 2**20
    )
    return [
        _("the name {name}, instrument and part").format(name=player.name),
        ngettext(
            "{n} recording ({megabytes:.1f} MB)", "{n} recordings ({megabytes:.1f} MB)", len(takes)
        ).format(n=len(takes), megabytes=megabytes),
        ngettext("{reports} report of a check", "{reports} reports of checks", reports).format(
            reports=reports
        ),
        ngettext("{acts} decision or comment", "{acts} decisions and comments", acts).format(acts=acts),
        ngettext("{n} practice day", "{n} practice days", len(days)).format(n=len(days)),
        ngettext(
            "{n} file of the booth and the warm-up", "{n} files of the booth and the warm-up", len(own)
        ).format(n=len(own)),
    ]


def delete_player(library: Library, player: Player) -> None:
    """Deletes a player for good. The copies of earlier days are deleted too: they would still hold the
    name.
    """
    delete_players(library, [player])


def delete_players(library: Library, players: list[Player]) -> None:
    """Deletes several for good: rows first, then files, then the pages of the database and its copies. Raises
    LedgerError.
    """
    ids = [p.id for p in players]
    with library.store.write() as session:
        files = _delete_rows(library.store, session, Take.player_id.in_(ids), ids)
    clear(library.store, files, ids)


def _delete_rows(
    store: Store, session: Session, of_takes: ColumnElement[bool], players: list[int]
) -> set[str]:
    """Deletes these takes with their reports and acts, and these players; the recordings that no other take
    is of, by name. They are written down first: what is cut short is finished later.
    """
    takes = whole_rows(session.scalars(select(Take).where(of_takes)))
    ids, files = [t.id for t in takes], {t.file for t in takes}
    _forget_phrases(session, ids)
    for kind, column in ((Report, Report.take_id), (AuditEntry, AuditEntry.take_id), (Take, Take.id)):
        session.execute(delete(kind).where(column.in_(ids)))
    session.execute(delete(Practice).where(Practice.player_id.in_(players)))
    session.execute(delete(Player).where(Player.id.in_(players)))
    going = files - set(session.scalars(select(Take.file).where(Take.file.in_(files))))
    write_down(store, going, players)
    return going


def _forget_phrases(session: Session, takes: list[int]) -> None:
    """Words that were said about these takes alone are offered no more: they may name somebody."""

    def said(where: ColumnElement[bool]) -> set[str]:
        return {
            str(body.get("text", ""))
            for body in session.scalars(select(AuditEntry.body).where(AuditEntry.kind == "comment", where))
        }

    theirs = said(AuditEntry.take_id.in_(takes))
    if theirs:
        session.execute(
            delete(Phrase).where(Phrase.text.in_(theirs - said(AuditEntry.take_id.not_in(takes))))
        )


def delete_band(library: Library, band: int) -> None:
    """Deletes a year or a class for good, in one transaction: its trays and everything in them, its players
    with what they played elsewhere. Files and pages of the database are cleared last. Raises LedgerError.
    """
    with library.store.write() as session:
        trays = list(session.scalars(select(Tray.id).where(Tray.band_id == band)))
        players = list(session.scalars(select(Player.id).where(Player.band_id == band)))
        files = _delete_rows(
            library.store, session, Take.tray_id.in_(trays) | Take.player_id.in_(players), players
        )
        for kind, column in ((Tray, Tray.band_id), (Assignment, Assignment.band_id), (Band, Band.id)):
            session.execute(delete(kind).where(column == band))
    clear(library.store, files, players)


def export_player(library: Library, player: Player, target: Path) -> int:
    """Writes what is held on one player to a zip file: recordings, reports, decisions, practice; returns how
    many files. Raises LedgerError.
    """
    count = 0
    try:
        with (
            replacing(target, private=True) as part,
            zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as archive,
        ):
            told: dict[str, Any] = {
                "name": player.name,
                "instrument": player.instrument,
                "part": player.part,
                "also": player.also,
                "consent": player.consent,
            }
            archive.writestr("player.json", json.dumps(told, ensure_ascii=False, indent=1))
            for take in library.takes_of(player.id):
                path = library.store.recordings / take.file
                stem = f"{take.added_at.date().isoformat()} {take.id}"
                if path.exists():
                    archive.write(path, f"{stem}{path.suffix}")
                for k, report in enumerate(library.reports(take.id), 1):
                    archive.writestr(
                        _("{stem} report {k}.json").format(stem=stem, k=k),
                        json.dumps(report, ensure_ascii=False, indent=1),
                    )
                now = library.decisions_of(take.id)
                archive.writestr(
                    f"{stem} decided.json",
                    json.dumps(
                        {
                            "mark": now.mark,
                            "state": now.state,
                            "comments": now.comments,
                            "decisions": [vars(d) for d in now.decisions.decisions],
                        },
                        ensure_ascii=False,
                        indent=1,
                        default=str,
                    ),
                )
                count += 1
            for path in journal_files(library.folder, player.id):
                archive.write(path, f"booth/{path.name}")
            practice = io.StringIO()
            writer = csv.writer(practice)
            writer.writerow(["day", "minutes", "note"])
            writer.writerows([p.day, p.minutes, harmless(p.note)] for p in library.practice(player.id))
            archive.writestr("practice.csv", practice.getvalue())
            count = len(archive.namelist())
        target.chmod(0o600)
    except OSError as error:
        raise LedgerError(
            _("{target} cannot be written: {value}.").format(target=target, value=error.strerror or error)
        ) from error
    return count
