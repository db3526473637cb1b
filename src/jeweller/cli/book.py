"""`jeweller book`: the shelf of pieces from the command line."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from jeweller.demo_band import data_home
from jeweller.errors import BookError
from jeweller.instruments.fingerings import note_midi
from jeweller.notation.readers.sandbox import load_scores
from jeweller.repertoire.shelf import CONTAINS, Piece, Query, Shelf


def add_book(commands: Any) -> None:
    """The command and what belongs to it, added to those of a parser."""
    book = commands.add_parser("book", help="the shelf of pieces: add, find, export, import")
    book.add_argument(
        "--shelf",
        metavar="FOLDER",
        help="the folder of the shelf (default: that of the library in the user's data folder)",
    )
    acts = book.add_subparsers(dest="act", metavar="ACT", required=True)
    add = acts.add_parser("add", help="put the pieces of notation files on the shelf")
    add.add_argument("files", metavar="FILE", nargs="+")
    add.add_argument("--folder", default="", help="a folder of the shelf")
    add.add_argument("--tag", action="append", default=[], help="a tag; again for more")
    add.add_argument("--again", action="store_true", help="also what is there already")
    find = acts.add_parser("find", help="list the pieces for which everything given holds")
    find.add_argument("words", nargs="*", help="in title, composer, folder, tags, background")
    for name in ("key", "metre", "level", "folder", "tag"):
        find.add_argument(f"--{name}")
    find.add_argument(
        "--contains",
        action="append",
        default=[],
        help=f"an altered letter as F♯, or: {', '.join(CONTAINS)}; again for more",
    )
    find.add_argument("--within", metavar="C4-G5", help="every note within this written range")
    export = acts.add_parser(
        "export", help="write pieces to one zip file (all of them, or those named by id)"
    )
    export.add_argument("file")
    export.add_argument("pieces", nargs="*")
    take = acts.add_parser("import", help="put the pieces of such a file on the shelf")
    take.add_argument("file")


def run_book(options: argparse.Namespace) -> int:
    shelf = Shelf(Path(options.shelf) if options.shelf else data_home() / "library" / "shelf")
    for name in shelf.unread:
        print(f"  note: {name} on the shelf cannot be read and is left alone.")
    if options.act == "add":
        for file in options.files:
            for score in load_scores(file):
                there = shelf.same_music(score)
                if there and not options.again:
                    print(
                        f"  note: “{score.title or file}” is there already, as {there[0].id}; "
                        "--again adds it all the same."
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
        print(f"{count} piece{'s' if count != 1 else ''} in {options.file}")
    else:
        new, there_already = shelf.take_in(Path(options.file))
        print(
            f"{len(new)} piece{'s' if len(new) != 1 else ''} taken in, {len(there_already)} were "
            "there already"
        )
    return 0


def _within(text: str | None) -> tuple[int, int] | None:
    """A written range as "C4-G5". Raises BookError."""
    if not text:
        return None
    try:
        low, high = (note_midi(end.strip()) for end in text.replace("b", "♭").replace("#", "♯").split("-"))
    except ValueError:
        raise BookError(f"“{text}” is no range; write it as C4-G5.") from None
    return low, high


def line_of(piece: Piece) -> str:
    bars = f"bars {piece.passage[0]} to {piece.passage[1]}" if piece.passage_of else f"{piece.bars} bars"
    keys, metres = ", ".join(piece.keys), ", ".join(piece.metres)
    said = [part for part in (piece.title, keys, metres, bars, piece.level, piece.folder) if part]
    return f"{piece.id}  {' · '.join(said)}"
