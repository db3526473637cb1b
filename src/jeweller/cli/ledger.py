"""`jeweller ledger`: the library from the command line: trays brought in and checked, slips, marks, backup,
what is held on a player.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

from jeweller.demo_band import data_home
from jeweller.documents.marks_export import COLUMNS, marks_csv, marks_xlsx
from jeweller.errors import LedgerError
from jeweller.files import shown_name, write_bytes
from jeweller.i18n import _, ngettext
from jeweller.library.checking import Checking
from jeweller.library.class_list import enter_class, read_class_list
from jeweller.library.class_view import class_view, pieces_of
from jeweller.library.exports import list_marks
from jeweller.library.intake import bring_music, enter_tray, look_at
from jeweller.library.library import Library
from jeweller.library.privacy import delete_player, export_player, list_held
from jeweller.library.store import has_library, restore
from jeweller.library.summary import format_mark
from jeweller.library.tables import Player, Tray
from jeweller.library.tray import list_takes
from jeweller.library.verify import find_missing
from jeweller.scratch import scratch_folder


def run_ledger(options: argparse.Namespace) -> int:
    """Runs one act; returns the exit status. Raises JewellerError."""
    if options.act == "restore":
        restore(Path(options.file), Path(options.folder))
        print(_("Restored to {folder}.").format(folder=options.folder))
        return _tell_missing(Path(options.folder))
    reading = options.act in ("trays", "tray", "marks", "rehearse", "held", "give-out", "verify") or (
        options.act == "bring" and options.look
    )
    folder = Path(options.library) if options.library else data_home() / "library"
    library = Library(folder, read_only=reading and has_library(folder))
    try:
        return ACTS[options.act](library, options) or 0
    finally:
        library.close()


def _tell_missing(folder: Path) -> int:
    """What a restored library has not, as sentences; the exit status."""
    library = Library(folder, read_only=True)
    try:
        return _verify(library, None)
    finally:
        library.close()


def _verify(library: Library, _options: argparse.Namespace | None) -> int:
    missing = find_missing(library)
    for sentence in missing:
        print(sentence, file=sys.stderr)
    if not missing:
        takes = sum(len(library.takes(t.id)) for t in library.trays())
        print(
            ngettext("The library is whole: {n} take.", "The library is whole: {n} takes.", takes).format(
                n=takes
            )
        )
    return 2 if missing else 0


def _tray_of(library: Library, wanted: str | None) -> Tray:
    trays = library.trays()
    if not trays:
        raise LedgerError(_("There is no tray in this library yet; `jeweller ledger bring` makes one."))
    if not wanted:
        return trays[0]
    found = next((t for t in trays if str(t.id) == wanted), None) or next(
        (t for t in trays if t.name.casefold().startswith(wanted.casefold())), None
    )
    if found is None:
        raise LedgerError(
            _("There is no tray “{wanted}”; there are {names}.").format(
                wanted=wanted, names=", ".join(f"{t.id} {t.name}" for t in trays[:12])
            )
        )
    return found


def _player(library: Library, name: str) -> Player:
    found = [p for p in library.players() if p.name.casefold() == name.casefold()]
    if len(found) != 1:
        raise LedgerError(_("There are {n} players called “{name}”.").format(n=len(found), name=name))
    return found[0]


def _bring(library: Library, options: argparse.Namespace) -> int:
    with scratch_folder() as folder:
        if options.players and not options.look:
            _enter_class(library, Path(options.players))
        if not options.look:
            for title in bring_music(library, [Path(p) for p in options.paths], Path(folder)):
                print(_("music: {title}").format(title=title))
        bands = library.bands()
        pile = look_at(
            library, [Path(p) for p in options.paths], Path(folder), bands[0].id if bands else None
        )
        guesses, titles = pile.guesses, {p.id: p.title for p in pile.pieces}
        for sentence in pile.told:
            print(_("note: {sentence}").format(sentence=sentence), file=sys.stderr)
        for g in guesses:
            what = " · ".join(
                filter(
                    None,
                    [
                        g.name or _("nobody known"),
                        titles.get(g.piece, _("piece not known")),
                        g.part,
                        "" if g.kind == "played" else g.kind,
                    ],
                )
            )
            told_of = _("{name}: {what} (here already, left out)") if g.twice else "{name}: {what}"
            print(told_of.format(name=shown_name(g.path), what=what))
        new = [g for g in guesses if not g.twice]
        if options.look or not new:
            return 0
        unknown = sorted({g.name for g in new if g.player is None and g.name})
        if unknown and not options.new:
            raise LedgerError(
                _(
                    "Not in the class yet: {names}. Nothing was entered: --new enters them, --players LIST "
                    "takes a class list."
                ).format(names=", ".join(unknown))
            )
        tray = enter_tray(library, bands[0].id if bands else library.add_band(_("My band")).id, new)
    options.tray = str(tray.id)
    return _check(library, options)


def _enter_class(library: Library, path: Path) -> None:
    listed, told = read_class_list(path)
    for sentence in told:
        print(_("note: {sentence}").format(sentence=sentence), file=sys.stderr)
    bands = library.bands()
    band = bands[0].id if bands else library.add_band(_("My band")).id
    new, changed = enter_class(library, band, listed)
    print(_("class list: {new} new, {changed} brought up to date").format(new=new, changed=changed))


def _check(library: Library, options: argparse.Namespace) -> int:
    tray = _tray_of(library, options.tray)
    checking = Checking(library=library)
    takes = [t for t in library.takes(tray.id) if t.state in ("waiting", "failed")]
    names = {t.id: t.name for t in takes}
    news = checking.add(takes)
    try:
        while True:
            for n in news:
                if n.state != "progress":
                    left = checking.state().left_s
                    what = f" - {n.what}" if n.what else ""
                    rest = _(" (about {left:.0f} s left)").format(left=left) if left else ""
                    print(f"{names[n.take]}: {n.state}{what}{rest}", file=sys.stderr)
            if not checking.busy:
                break
            news = checking.poll(0.5)
    finally:
        checking.stop()
    return _tray(library, options)


def _trays(library: Library, options: argparse.Namespace) -> None:
    for t in library.trays():
        takes = library.takes(t.id)
        print(
            _("{id}  {name}: {n} takes, {sum} waiting, made {made_at:%Y-%m-%d}").format(
                id=t.id,
                name=t.name,
                n=len(takes),
                sum=sum(x.state == "waiting" for x in takes),
                made_at=t.made_at,
            )
        )


def _tray(library: Library, options: argparse.Namespace) -> int:
    found = list_takes(library, _tray_of(library, options.tray).id)
    for line in found:
        s = line.take.summary
        unsure = _(", {unsure} to listen to").format(unsure=s["unsure"]) if s.get("unsure") else ""
        print(
            " · ".join(
                filter(
                    None,
                    [
                        line.player,
                        line.title,
                        line.take.part,
                        line.state,
                        format_mark(s) + unsure,
                        line.take.sentence,
                    ],
                )
            )
        )
    return 2 if any(line.take.state == "failed" for line in found) else 0


def _marks(library: Library, options: argparse.Namespace) -> None:
    columns = [c.strip() for c in options.columns.split(",") if c.strip()]
    for column in columns:
        if column not in COLUMNS:
            raise LedgerError(
                _("There is no column “{column}”; there are {columns}.").format(
                    column=column, columns=", ".join(COLUMNS)
                )
            )
    tray = _tray_of(library, options.tray)
    rows, left_out = list_marks(
        library, tray.id, with_consent_only=options.consent, attempts=options.attempts
    )
    path = Path(options.file)
    write_bytes(
        path,
        marks_xlsx(rows, columns, tray.name)
        if path.suffix.casefold() == ".xlsx"
        else marks_csv(rows, columns),
    )
    print(
        ngettext("{n} row in {path}", "{n} rows in {path}", len(rows)).format(n=len(rows), path=path)
        + (_("; {left_out} takes left out for want of consent").format(left_out=left_out) if left_out else "")
    )


def _rehearse(library: Library, options: argparse.Namespace) -> None:
    tray = _tray_of(library, options.tray)
    for piece, title, count in pieces_of(library, tray.id):
        view = class_view(library, tray.id, piece)
        print(f"{title} ({count})")
        for k, item in enumerate(view.plan, 1):
            print(
                _("  {k}. {said}, {minutes} minutes, {who}: {said2}\n     {said3}").format(
                    k=k,
                    said=item.bars,
                    minutes=item.minutes,
                    who=item.who,
                    said2=item.what,
                    said3=item.drill,
                )
            )
        if not view.plan:
            print(_("  No place is missed by more than one player."))


def _backup(library: Library, options: argparse.Namespace) -> int:
    count = library.store.backup(Path(options.file))
    print(
        ngettext("{backup} file in {file}", "{backup} files in {file}", count).format(
            backup=count, file=options.file
        )
    )
    missing = find_missing(library)
    for sentence in missing:
        print(_("note: {sentence}").format(sentence=sentence), file=sys.stderr)
    return 2 if missing else 0


def _held(library: Library, options: argparse.Namespace) -> None:
    print("\n".join(list_held(library, _player(library, options.player))))


def _export_player(library: Library, options: argparse.Namespace) -> None:
    count = export_player(library, _player(library, options.player), Path(options.file))
    print(
        ngettext("{count} file in {file}", "{count} files in {file}", count).format(
            count=count, file=options.file
        )
    )


def _delete(library: Library, options: argparse.Namespace) -> int:
    player = _player(library, options.player)
    if not options.yes:
        print(
            _("This would be deleted and cannot be brought back (--yes does it):\n")
            + "\n".join(f"  {line}" for line in list_held(library, player))
        )
        return 2
    delete_player(library, player)
    print(_("{player} is deleted.").format(player=options.player))
    return 0


ACTS: dict[str, Callable[[Library, argparse.Namespace], int | None]] = {
    "bring": _bring,
    "check": _check,
    "trays": _trays,
    "tray": _tray,
    "marks": _marks,
    "rehearse": _rehearse,
    "backup": _backup,
    "verify": _verify,
    "held": _held,
    "give-out": _export_player,
    "delete": _delete,
}
