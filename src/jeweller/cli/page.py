"""`jeweller page`: the pieces on the pages of a PDF as MusicXML files, with what is doubted."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from jeweller.errors import PageError
from jeweller.files import json_text, write_bytes
from jeweller.i18n import _, ngettext
from jeweller.instruments.table import require_instrument
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.omr.music import ReadPiece
from jeweller.omr.page import parse_pages, pieces_of
from jeweller.omr.sandbox import read_pages

FORMAT = "jeweller.page/1"


def add_page(commands: Any) -> None:
    """The command and what belongs to it, added to those of a parser."""
    page = commands.add_parser(
        "page", help=_("read the music of pages, a PDF or a picture, one line at a time")
    )
    page.add_argument("file", metavar="FILE")
    page.add_argument("--pages", metavar="4-6", default="", help=_("which pages, as 2 or 4-6 (default: all)"))
    page.add_argument("--instrument", metavar="NAME", help=_("who plays it: how it is to sound"))
    page.add_argument("--musicxml-dir", metavar="FOLDER", help=_("write every piece there as MusicXML"))
    page.add_argument(
        "--json", metavar="FILE", help=_("write what was read and doubted; - for standard output")
    )


def run_page(options: argparse.Namespace) -> int:
    pages = parse_pages(options.pages)
    instrument = require_instrument(options.instrument) if options.instrument else None
    read = read_pages(options.file, pages)
    pieces = pieces_of(read.lines, instrument)
    files = _write(pieces, Path(options.file).stem, options.musicxml_dir)
    if options.json:
        text = json_text(describe(pieces, files))
        if options.json == "-":
            print(text, end="")
        else:
            write_bytes(Path(options.json), text.encode("utf-8"))
        return 0
    for piece, file in zip(pieces, files, strict=True):
        part = piece.score.parts[0]
        doubts = len(piece.doubts)
        print(
            _("{title}: {bars}, {notes}, {doubts}{file}").format(
                title=piece.score.title or _("Without a number"),
                bars=ngettext("{n} bar", "{n} bars", len(part.bars)).format(n=len(part.bars)),
                notes=ngettext("{n} note", "{n} notes", part.note_count).format(n=part.note_count),
                doubts=ngettext("{n} doubt", "{n} doubts", doubts).format(n=doubts),
                file=f" → {file}" if file else "",
            )
        )
        for doubt in piece.doubts:
            what = _("does not add up") if not doubt.note else doubt.note
            print(
                _("  bar {bar}: {what} ({sure:.0f} % sure)").format(
                    bar=doubt.bar, what=what, sure=100 * doubt.sure
                )
            )
    for said in read.told(pieces):
        print(_(said))
    print(_("Look it over before a take is checked against it. Copying music is for those who may."))
    return 0


def _write(pieces: Sequence[ReadPiece], stem: str, folder: str | None) -> list[str]:
    """Writes each piece; the names of the files, empty where none is asked for. Raises PageError."""
    if not folder:
        return ["" for _piece in pieces]
    target = Path(folder)
    names = []
    try:
        target.mkdir(parents=True, exist_ok=True)
        for number, piece in enumerate(pieces, 1):
            name = (
                f"{stem}-{int(piece.score.title):03d}" if piece.score.title.isdigit() else f"{stem}-{number}"
            )
            while name in names:
                name += "b"
            write_bytes(target / f"{name}.musicxml", write_musicxml(piece.score))
            names.append(name)
    except OSError as error:
        raise PageError(
            _("{folder} cannot be written to: {why}.").format(folder=folder, why=error.strerror or error)
        ) from error
    return [f"{name}.musicxml" for name in names]


def describe(pieces: Sequence[ReadPiece], files: Sequence[str]) -> dict[str, Any]:
    """What was read as plain values, with every doubt and its place on the page (points from the top left
    corner).
    """
    return {
        "format": FORMAT,
        "pieces": [
            {
                "title": piece.score.title,
                "file": file,
                "bars": len(piece.score.parts[0].bars),
                "notes": piece.score.parts[0].note_count,
                "doubts": [
                    {
                        "note": doubt.note,
                        "bar": doubt.bar,
                        "page": doubt.page + 1,
                        "line": doubt.line + 1,
                        "box": [
                            round(v, 2)
                            for v in (doubt.box.left, doubt.box.top, doubt.box.right, doubt.box.bottom)
                        ],
                        "sure": round(doubt.sure, 2),
                        "why": list(doubt.why),
                    }
                    for doubt in piece.doubts
                ],
            }
            for piece, file in zip(pieces, files, strict=True)
        ],
    }
