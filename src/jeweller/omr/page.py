"""Pages of a file → lines of music, and lines → pieces."""

from __future__ import annotations

import base64
import re
import time
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from jeweller.errors import PageError, SettingError
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument, find_instrument
from jeweller.omr.grammar import settle
from jeweller.omr.line import ReadLine
from jeweller.omr.music import ReadPiece, make_piece
from jeweller.omr.reading import read_line

NO_STAFF = N_("There is no staff with notes on this page.")
WORDS_UNREAD = N_(
    "Words on scans and photos are read where the program Tesseract is installed; here they were not: look "
    "for Fine, D.C. and speeds."
)
JOINED = N_(
    "Staves that sound together, as in a duet or in keyboard music, were read as a piece each: one staff at "
    "a time."
)
MUDDLED = N_(
    "Most bars do not add up here: handwriting, and staves with more than one voice, cannot be read."
)
LEAST_COUNTED = 3  # numbers that go on from one another: exercises are counted here
SCAN_DPI = 300.0
SHOWN_DPI = 150.0  # of the picture of a page that is shown beside what was read
ENOUGH_S = 12.0  # after so long no further page is begun: the next child reads it


@dataclass(frozen=True)
class PagePicture:
    """What a page looks like: its number, from 0, its size in points, a PNG in base 64, and whether it was a
    scan or a photo.
    """

    page: int
    width: float
    height: float
    png: str
    scanned: bool
    worded: bool = True  # whether its words could be read

    @property
    def data(self) -> bytes:
        """The PNG file."""
        return base64.b64decode(self.png)


@dataclass(frozen=True)
class PagesRead:
    """The lines of some pages, how the pages look, and which pages are still to be read."""

    lines: tuple[ReadLine, ...]
    pictures: tuple[PagePicture, ...]
    left: tuple[int, ...]

    @property
    def joined(self) -> bool:
        """Whether there are staves that sound together."""
        return any(line.within for line in self.lines)

    @property
    def worded(self) -> bool:
        """Whether the words of all pages could be read: those of scans need a program of the system."""
        return all(picture.worded for picture in self.pictures)

    def told(self, pieces: Sequence[ReadPiece]) -> list[str]:
        """What is to be said of the reading as a whole, as message keys: what could not be read."""
        found = [(JOINED, self.joined), (MUDDLED, any(p.muddled for p in pieces))]
        return [said for said, so in [*found, (WORDS_UNREAD, not self.worded)] if so]


def parse_pages(text: str) -> tuple[int, ...]:
    """ "2,4-6" → pages counted from 0. Raises SettingError.

    >>> parse_pages("2,4-6")
    (1, 3, 4, 5)
    """
    out: list[int] = []
    for piece in (p.strip() for p in text.split(",") if p.strip()):
        found = re.fullmatch(r"(\d{1,5})(?:\s*-\s*(\d{1,5}))?", piece)
        first = int(found[1]) if found else 0
        last = int(found[2] or found[1]) if found else 0
        if not 1 <= first <= last or last - first >= 1000:
            raise SettingError(_("Pages are named as in 2 or 4-6, not “{text}”.").format(text=text))
        out += range(first - 1, last)
    return tuple(out)


def read_lines(data: bytes, pages: Sequence[int], *, seconds: float = ENOUGH_S) -> PagesRead:
    """The lines on some pages of a file, counted from 0; on all of them, where none is named. A PDF's pages,
    or one picture. Raises PageError.
    """
    began = time.process_time()
    if not data.lstrip()[:5].startswith(b"%PDF"):
        return _from_picture(data)
    from jeweller.omr.pdf import count_pages

    wanted = list(pages or range(count_pages(data)))
    lines: list[ReadLine] = []
    pictures: list[PagePicture] = []
    while wanted and (not pictures or time.process_time() - began < seconds):
        page = wanted.pop(0)
        found, picture = _from_pdf(data, page)
        lines += found
        pictures.append(picture)
    return PagesRead(tuple(lines), tuple(pictures), tuple(wanted))


def _from_pdf(data: bytes, page: int) -> tuple[list[ReadLine], PagePicture]:
    from jeweller.omr.pdf import read_drawing, render_page
    from jeweller.omr.vector import read_signs

    drawing = read_drawing(data, page)
    found = [line for line in map(read_line, read_signs(drawing)) if line.bars]
    for line in found:
        line.drawn = True
    scanned, worded = not found and drawing.pictures, True
    shown, width, height = render_page(data, page, SHOWN_DPI), drawing.width, drawing.height
    if scanned:
        from jeweller.omr.picture import read_picture

        picture = read_picture(render_page(data, page, SCAN_DPI), SCAN_DPI)
        if picture.lines:
            found, shown = picture.lines, picture.upright
            width, height, worded = picture.width, picture.height, picture.worded
    for line in found:
        line.page = page
    return found, PagePicture(page, width, height, _png(shown), scanned, worded)


def _from_picture(data: bytes) -> PagesRead:
    from jeweller.omr.picture import open_picture, read_picture

    picture = read_picture(open_picture(data), SCAN_DPI)
    shown = PagePicture(0, picture.width, picture.height, _png(picture.upright), True, picture.worded)
    return PagesRead(tuple(picture.lines), (shown,), ())


def _png(grey: object) -> str:
    import io

    from PIL import Image

    held = io.BytesIO()
    Image.fromarray(grey).save(held, "PNG", compress_level=3)  # type: ignore[arg-type]
    return base64.b64encode(held.getvalue()).decode("ascii")


def pieces_of(lines: Sequence[ReadLine], instrument: Instrument | None) -> list[ReadPiece]:
    """The pieces that some lines are. Raises PageError where there is no line."""
    if not lines:
        raise PageError(_(NO_STAFF))
    pieces = []
    player = ""
    for label, group in split_pieces(lines):
        player = group[0].player or player
        title = label or group[0].heading
        pieces.append(make_piece(group, title, instrument or (find_instrument(player) if player else None)))
    return pieces


def split_pieces(lines: Sequence[ReadLine]) -> list[tuple[str, list[ReadLine]]]:
    """Lines that belong together, with the number that they begin with, as music that adds up. Of staves that
    sound together each is a piece of its own.
    """
    below: dict[int, list[ReadLine]] = {}  # by the line at the top of their system
    top: ReadLine | None = None
    for line in lines:
        if line.within and top is not None:
            below.setdefault(id(top), []).append(line)
        else:
            top = line
    out = []
    groups = _in_turn([line for line in lines if not line.within] or list(lines))
    labels = [name for name, _group in groups]
    if not all(line.drawn for line in lines):  # what is drawn is read as it stands
        labels = count_on(labels)
    for label, (_read, group) in zip(labels, groups, strict=True):
        out.append((label, settle(group)))
        others = [line for upper in group for line in below.get(id(upper), ())]
        for number in sorted({line.within for line in others}):
            name = label or group[0].heading
            part = _("{title}, staff {n}").format(title=name, n=number + 1) if name else ""
            out.append((part, settle([line for line in others if line.within == number])))
    return out


def count_on(labels: Sequence[str]) -> list[str]:
    """The numbers of exercises, which are counted on: where most are, one of which some figures were misread
    or too many read, and one between two others that was not read, are told by the others.

    >>> count_on(["2", "", "23", "245", "", "26"])
    ['21', '22', '23', '24', '25', '26']
    >>> count_on(["7", "", "30", "", "4"])
    ['7', '', '30', '', '4']
    """

    def like(first: int) -> int:
        pairs = [(label, str(first + k)) for k, label in enumerate(labels) if label.isdigit()]
        return sum(label in turn or turn in label for label, turn in pairs)

    numbers = [(k, int(label)) for k, label in enumerate(labels) if label.isdigit()]
    begins = Counter(number - k for k, number in numbers)
    first = max(begins, key=lambda n: (begins[n], like(n)), default=0)
    if begins[first] < 2 or like(first) < LEAST_COUNTED or 2 * like(first) <= len(numbers):
        return list(labels)
    turns = [str(first + k) for k in range(len(labels))]
    out = [
        turn if label.isdigit() and (label in turn or turn in label) else label
        for label, turn in zip(labels, turns, strict=True)
    ]
    right = [k for k, (label, turn) in enumerate(zip(out, turns, strict=True)) if label == turn]
    return [turns[k] if not label and right[0] < k < right[-1] else label for k, label in enumerate(out)]


def _in_turn(lines: Sequence[ReadLine]) -> list[tuple[str, list[ReadLine]]]:
    groups: list[tuple[str, list[ReadLine]]] = []
    count = 1  # of the bars so far: a line may begin with that of its first bar
    for line in lines:
        label = next((n for n in line.numbers if n != str(count)), "")
        last = groups[-1][1][-1].bars[-1] if groups else None
        begins = line.bars[0].metre is not None
        ended = last is not None and last.final
        parted = last is not None and (last.repeat_end or last.double)
        other_key = last is not None and line.bars[0].fifths != groups[-1][1][-1].bars[0].fifths
        if not groups or (ended and (label or begins)) or (parted and begins and (label or other_key)):
            groups.append((label, [line]))
        else:
            groups[-1][1].append(line)
        count += sum(max((n.bars for n in bar.notes), default=0) or 1 for bar in line.bars)
    return groups
