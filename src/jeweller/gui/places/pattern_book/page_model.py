"""Looking over what was read from a page, with no widget: its pieces, what is doubted of them, the note that
is looked at, corrections that can be taken back.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

from jeweller.files import json_text, parse_json
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument, find_instrument
from jeweller.notation.model import Bar, Score
from jeweller.omr import correct
from jeweller.omr.correct import Lines, Spot
from jeweller.omr.music import Doubt, NotePlace, ReadPiece, make_piece
from jeweller.omr.page import PagePicture, PagesRead, split_pieces
from jeweller.omr.primitives import Box
from jeweller.serialization import from_plain, to_plain

MOST_UNDONE = 200  # corrections of a piece that are kept
WHY = {
    "head": N_("which head it has is doubtful"),
    "place": N_("its line or space is doubtful"),
    "stem": N_("its stem was not found"),
    "flag": N_("its flag is doubtful"),
    "beam": N_("its beam is doubtful"),
    "dot": N_("its dot is doubtful"),
    "accidental": N_("its accidental is doubtful"),
    "rest": N_("which rest it is is doubtful"),
    "tuplet": N_("that it is a triplet is only inferred"),
    "metre": N_("the metre was put right by how long the bars are"),
    "key": N_("its key is not that of the line next to it"),
    "opening": N_("clef or key was put right by the other lines"),
}


@dataclass
class PieceLooked:
    """A piece while it is looked over."""

    label: str
    lines: Lines
    undo: list[tuple[Lines, Spot | None]] = field(default_factory=list)
    redo: list[tuple[Lines, Spot | None]] = field(default_factory=list)
    spot: Spot | None = None
    made: ReadPiece | None = None


@dataclass(frozen=True)
class KeptPage:
    """The pages that a piece was read from, and where on them its notes are, by their order in the piece."""

    pictures: tuple[PagePicture, ...]
    places: tuple[NotePlace, ...]


def read_kept_page(data: bytes) -> KeptPage:
    """What `PageModel.kept` wrote. Raises ValueError, KeyError, TypeError."""
    return from_plain(KeptPage, parse_json(data))


class PageModel:
    """The pages that were read and the piece of them that is looked at."""

    def __init__(self) -> None:
        self.path = ""
        self.pictures: dict[int, PagePicture] = {}
        self.pieces: list[PieceLooked] = []
        self.index = 0
        self.instrument: Instrument | None = None

    def take(self, path: str, read: PagesRead) -> None:
        """Pages that were read, in place of those before."""
        self.path, self.index = path, 0
        self.pictures = {p.page: p for p in read.pictures}
        self.pieces = [PieceLooked(label, tuple(lines)) for label, lines in split_pieces(read.lines)]
        player = next((line.player for line in read.lines if line.player), "")
        self.instrument = find_instrument(player) if player else None
        for looked in self.pieces:
            every = correct.spots(looked.lines)
            looked.spot = every[0] if every else None

    @property
    def looked(self) -> PieceLooked | None:
        """The piece that is looked at."""
        return self.pieces[self.index] if self.pieces else None

    @property
    def piece(self) -> ReadPiece | None:
        """The piece that is looked at as music, as it is corrected."""
        return self._made(self.looked) if self.looked is not None else None

    def _made(self, looked: PieceLooked) -> ReadPiece:
        if looked.made is None:
            looked.made = make_piece(looked.lines, self.title_of(looked), self.instrument)
        return looked.made

    def title_of(self, looked: PieceLooked) -> str:
        """What a piece is called: its number, else the words over it, else its place among the pieces."""
        heading = looked.lines[0].heading if looked.lines else ""
        if looked.label or heading:
            return looked.label or heading
        return _("Piece {n}").format(n=self.pieces.index(looked) + 1)

    @property
    def read(self) -> list[ReadPiece]:
        """Every piece as it is corrected."""
        return [self._made(looked) for looked in self.pieces]

    @property
    def scores(self) -> list[Score]:
        """Their music."""
        return [piece.score for piece in self.read]

    def kept(self, looked: PieceLooked) -> bytes:
        """The pages of a piece and the places of its notes, to be kept beside it."""
        places = self._made(looked).places
        pages = sorted({p.page for p in places})
        page = KeptPage(tuple(self.pictures[p] for p in pages if p in self.pictures), places)
        return json_text(to_plain(page)).encode("utf-8")

    def play_on(self, instrument: Instrument | None) -> None:
        """Who plays it: how it is to sound."""
        self.instrument = instrument
        for looked in self.pieces:
            looked.made = None

    def choose(self, index: int) -> None:
        """Another piece of the pages."""
        self.index = max(0, min(index, len(self.pieces) - 1))

    # ---- doubts

    def doubted(self, looked: PieceLooked | None = None) -> list[tuple[Spot, Doubt]]:
        """What is doubted of a piece, of the one that is looked at where none is named, in order: of a bar
        that does not add up its first note.
        """
        looked = looked or self.looked
        if looked is None:
            return []
        piece = self._made(looked)
        at = {p.note: Spot(*p.spot) for p in piece.places}
        firsts: dict[str, Spot] = {}
        for bar in piece.score.parts[0].bars:
            first = next((at[n.id] for n in bar.notes if n.id in at), None)
            if first is not None:
                firsts.setdefault(bar.number, first)
        out = []
        for doubt in piece.doubts:
            spot = at.get(doubt.note) if doubt.note else firsts.get(doubt.bar)
            if spot is not None:
                out.append((spot, doubt))
        return sorted(out, key=lambda row: row[0])

    def count_doubts(self) -> int:
        """The notes and bars that are doubted, in all pieces."""
        return sum(len({spot for spot, _unused in self.doubted(looked)}) for looked in self.pieces)

    def next_doubt(self, by: int = 1) -> bool:
        """The next place that is doubted, or the one before, in the next piece where this one has no more;
        False where there is none.
        """
        if not self.pieces:
            return False
        for turn in range(len(self.pieces) + 1):
            index = (self.index + by * turn) % len(self.pieces)
            looked = self.pieces[index]
            found = sorted({spot for spot, _unused in self.doubted(looked)})
            if turn == 0 and looked.spot is not None:
                found = [s for s in found if (s > looked.spot if by > 0 else s < looked.spot)]
            if found:
                self.index = index
                looked.spot = found[0] if by > 0 else found[-1]
                return True
        return False

    # ---- the note that is looked at

    @property
    def spot(self) -> Spot | None:
        return self.looked.spot if self.looked is not None else None

    def move(self, by: int) -> None:
        """To the next note, or the one before."""
        looked = self.looked
        if looked is None or looked.spot is None:
            return
        every = correct.spots(looked.lines)
        looked.spot = every[max(0, min(len(every) - 1, every.index(looked.spot) + by))]

    def look_at(self, spot: Spot) -> None:
        """To a note of the piece."""
        if self.looked is not None and spot in correct.spots(self.looked.lines):
            self.looked.spot = spot

    def note_id(self, spot: Spot | None) -> str:
        """The id in the music of the note at a spot; empty where it has none."""
        piece = self.piece
        if piece is None or spot is None:
            return ""
        return next((p.note for p in piece.places if Spot(*p.spot) == spot), "")

    def spot_of(self, note: str) -> Spot | None:
        """Where a note of the music was read."""
        piece = self.piece
        found = next((p for p in piece.places if p.note == note), None) if piece is not None else None
        return Spot(*found.spot) if found is not None else None

    def box(self, spot: Spot) -> tuple[int, Box]:
        """(page, box on it) of a note."""
        lines = self.looked.lines if self.looked is not None else ()
        return lines[spot.line].page, correct.note_at(lines, spot).box

    def nearest(self, page: int, x: float, y: float) -> tuple[int, Spot] | None:
        """(piece, spot) of the note nearest to a place on a page, points."""
        best: tuple[float, int, Spot] | None = None
        for index, looked in enumerate(self.pieces):
            for spot in correct.spots(looked.lines):
                if looked.lines[spot.line].page != page:
                    continue
                box = correct.note_at(looked.lines, spot).box
                far = (box.x - x) ** 2 + (box.y - y) ** 2
                if best is None or far < best[0]:
                    best = far, index, spot
        return (best[1], best[2]) if best is not None else None

    def bar_of(self, spot: Spot) -> Bar | None:
        """The bar of the music that a note stands in."""
        piece, note = self.piece, self.note_id(spot)
        if piece is None:
            return None
        return next((b for b in piece.score.parts[0].bars if any(n.id == note for n in b.notes)), None)

    def told(self) -> str:
        """What is to be said of the note that is looked at, and of its bar."""
        spot = self.spot
        bar = self.bar_of(spot) if spot is not None else None
        if spot is None or bar is None:
            return ""
        said = []
        for at, doubt in self.doubted():
            if at == spot and doubt.note:
                why = ", ".join(dict.fromkeys(_(WHY[w]) for w in doubt.why if w in WHY))
                if why:
                    said.append(why[:1].upper() + why[1:] + ".")
        wanted = bar.metre.length
        held = sum((n.duration for n in bar.notes if not n.grace and not n.chord), Fraction(0))
        if held != wanted and not bar.implicit:
            beat = bar.metre.beat
            said.append(
                (
                    _("Bar {bar} lacks {beats}.") if held < wanted else _("Bar {bar} has {beats} too much.")
                ).format(bar=bar.number, beats=_beats(abs(wanted - held) / beat))
            )
        return " ".join(said)

    # ---- corrections

    def correct(self, act: Callable[[Lines, Spot], Lines]) -> None:
        """Does one correction to the note that is looked at. Raises JewellerError where it cannot be done."""
        looked = self.looked
        if looked is not None and looked.spot is not None:
            self._put(act(looked.lines, looked.spot), looked.spot)

    def rebuild(self, act: Callable[[Lines, Spot], tuple[Lines, Spot | None]]) -> None:
        """Does a correction after which another note is looked at."""
        looked = self.looked
        if looked is not None and looked.spot is not None:
            self._put(*act(looked.lines, looked.spot))

    def _put(self, lines: Lines, spot: Spot | None) -> None:
        looked = self.looked
        if looked is None:
            return
        looked.undo = [*looked.undo[-MOST_UNDONE:], (looked.lines, looked.spot)]
        looked.redo = []
        looked.lines, looked.spot, looked.made = lines, spot, None

    def undo(self) -> bool:
        """Takes the last correction of the piece back."""
        return self.looked is not None and self._back(self.looked.undo, self.looked.redo)

    def redo(self) -> bool:
        """Does it again."""
        return self.looked is not None and self._back(self.looked.redo, self.looked.undo)

    def _back(self, from_: list[tuple[Lines, Spot | None]], to: list[tuple[Lines, Spot | None]]) -> bool:
        looked = self.looked
        if looked is None or not from_:
            return False
        to.append((looked.lines, looked.spot))
        looked.lines, looked.spot = from_.pop()
        looked.made = None
        return True


def _beats(beats: Fraction) -> str:
    """
    >>> _beats(Fraction(1, 2)), _beats(Fraction(3, 2))
    ('½ beat', '1½ beats')
    """
    whole, rest = divmod(beats, 1)
    part = {
        Fraction(1, 2): "½",
        Fraction(1, 4): "¼",
        Fraction(3, 4): "¾",
        Fraction(1, 3): "⅓",
        Fraction(2, 3): "⅔",
    }
    sign = part.get(rest, "" if not rest else f"+{rest}")
    text = f"{whole}{sign}" if whole else sign.removeprefix("+")
    return (_("{n} beat") if beats <= 1 else _("{n} beats")).format(n=text)
