"""`jeweller book`: the shelf of pieces from the command line."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from jeweller.demo_band import data_home
from jeweller.errors import BookError
from jeweller.i18n import _, ngettext
from jeweller.instruments.fingerings import note_midi
from jeweller.notation.readers.sandbox import load_scores
from jeweller.repertoire.shelf import CONTAINS, Piece, Query, Shelf


def add_book(commands: Any) -> None:
    """The command and what belongs to it, added to those of a parser."""
    book = commands.add_parser("book", help=_("the shelf of pieces: add, find, export, import"))
    book.add_argument(
        "--shelf",
        metavar="FOLDER",
        help=_("the folder of the shelf (default: that of the library in the user's data folder)"),
    )
    acts = book.add_subparsers(dest="act", metavar="ACT", required=True)
    add = acts.add_parser("add", help=_("put the pieces of notation files on the shelf"))
    add.add_argument("files", metavar="FILE", nargs="+")
    add.add_argument("--folder", default="", help=_("a folder of the shelf"))
    add.add_argument("--tag", action="append", default=[], help=_("a tag; again for more"))
    add.add_argument("--again", action="store_true", help=_("also what is there already"))
    find = acts.add_parser("find", help=_("list the pieces for which everything given holds"))
    find.add_argument("words", nargs="*", help=_("in title, composer, folder, tags, background"))
    for name in ("key", "metre", "level", "folder", "tag"):
        find.add_argument(f"--{name}")
    find.add_argument(
        "--contains",
        action="append",
        default=[],
        help=_("an altered letter as F♯, or: {contains}; again for more").format(
            contains=", ".join(CONTAINS)
        ),
    )
    find.add_argument("--within", metavar="C4-G5", help=_("every note within this written range"))
    export = acts.add_parser(
        "export", help=_("write pieces to one zip file (all of them, or those named by id)")
    )
    export.add_argument("file")
    export.add_argument("pieces", nargs="*")
    take = acts.add_parser("import", help=_("put the pieces of such a file on the shelf"))
    take.add_argument("file")


def run_book(options: argparse.Namespace) -> int:
    shelf = Shelf(Path(options.shelf) if options.shelf else data_home() / "library" / "shelf")
    for name in shelf.unread:
        print(_("  note: {name} on the shelf cannot be read and is left alone.").format(name=name))
    if options.act == "add":
        for file in options.files:
            for score in load_scores(file):
                there = shelf.same_music(score)
                if there and not options.again:
                    print(
                        _(
                            "  note: “{value}” is there already, as {id}; --again adds it all the same."
                        ).format(value=score.title or file, id=there[0].id)
                    )
                    continue
                print(line_of(shelf.add(score, folder=options.folder, tags=options.tag)))
    elif options.act == "find":
        query = Query(
            words=" ".join(options.words),
            key=options.key or "",
            metre=options.metre or "",
            level=options.level or "",
            contains=tuple(options.contains),
            within=_within(options.within),
            folder=options.folder,
            tag=options.tag or "",
        )
        for piece in shelf.find(query):
            print(line_of(piece))
    elif options.act == "export":
        count = shelf.export(Path(options.file), options.pieces or None)
        print(
            ngettext("{count} piece in {file}", "{count} pieces in {file}", count).format(
                count=count, file=options.file
            )
        )
    else:
        new, there_already = shelf.take_in(Path(options.file))
        print(
            ngettext(
                "{n} piece taken in, {there} were there already",
                "{n} pieces taken in, {there} were there already",
                len(new),
            ).format(n=len(new), there=len(there_already))
        )
    return 0


def _within(text: str | None) -> tuple[int, int] | None:
    """A written range as "C4-G5". Raises BookError."""
    if not text:
        return None
    try:
        low, high = (note_midi(end.strip()) for end in text.replace("b", "♭").replace("#", "♯").split("-"))
    except ValueError:
        raise BookError(_("“{text}” is no range; write it as C4-G5.").format(text=text)) from None
    return low, high


def line_of(piece: Piece) -> str:
    bars = (
        _("bars {passage} to {passage2}").format(passage=piece.passage[0], passage2=piece.passage[1])
        if piece.passage_of
        else ngettext("{n} bar", "{n} bars", piece.bars).format(n=piece.bars)
    )
    keys, metres = ", ".join(piece.keys), ", ".join(piece.metres)
    said = [part for part in (piece.title, keys, metres, bars, piece.level, piece.folder) if part]
    return f"{piece.id}  {' · '.join(said)}"
