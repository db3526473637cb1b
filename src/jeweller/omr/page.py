"""Pages of a PDF → pieces of music."""

from __future__ import annotations

from collections.abc import Sequence

from jeweller.errors import PageError
from jeweller.i18n import _
from jeweller.instruments.table import Instrument, find_instrument
from jeweller.omr.line import ReadLine
from jeweller.omr.music import ReadPiece, make_piece
from jeweller.omr.pdf import count_pages, read_drawing
from jeweller.omr.reading import read_line
from jeweller.omr.vector import read_signs


def read_pdf(data: bytes, pages: Sequence[int], instrument: Instrument | None) -> list[ReadPiece]:
    """The pieces on some pages of a PDF, counted from 0; on all of them, where none is named. Raises
    PageError.
    """
    lines: list[ReadLine] = []
    pictures = False
    for page in pages or range(count_pages(data)):
        drawing = read_drawing(data, page)
        staves = read_signs(drawing)
        pictures |= drawing.pictures and not staves
        for line in map(read_line, staves):
            if line.bars:
                line.page = page
                lines.append(line)
    if not lines and pictures:
        raise PageError(
            _("This page is a scan or a photo; only pages that a notation program drew can be read.")
        )
    if not lines:
        raise PageError(_("There is no staff with notes on this page."))
    pieces = []
    player = ""
    for label, group in split_pieces(lines):
        player = group[0].player or player
        title = label or group[0].heading
        pieces.append(make_piece(group, title, instrument or (find_instrument(player) if player else None)))
    return pieces


def split_pieces(lines: Sequence[ReadLine]) -> list[tuple[str, list[ReadLine]]]:
    """Lines that belong together, with the number that they begin with."""
    groups: list[tuple[str, list[ReadLine]]] = []
    for line in lines:
        ended = bool(groups) and groups[-1][1][-1].bars[-1].final
        if not groups or (line.label and ended) or (ended and line.bars[0].metre is not None):
            groups.append((line.label, [line]))
        else:
            groups[-1][1].append(line)
    return groups
