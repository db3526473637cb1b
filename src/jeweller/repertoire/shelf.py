"""The shelf of pieces: a plain folder with one MusicXML file and one small JSON file a piece, that any
program can read and anybody can copy.

What a piece is searched by (keys, metres, range, level, what it contains) is written beside it when it is put
on the shelf. A passage is a piece of its own name that points to bars of another. Nothing on the shelf is
ever overwritten: a second piece of one title gets a number.
"""

from __future__ import annotations

import dataclasses
import hashlib
import re
import zipfile
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from jeweller.difficulty.analysis import analyse_part
from jeweller.difficulty.traps import find_traps
from jeweller.errors import BookError
from jeweller.files import ZIP_ERRORS, json_text, parse_json, replacing, write_bytes
from jeweller.i18n import N_, _
from jeweller.notation.model import Part, Score
from jeweller.notation.pitch import key_name
from jeweller.notation.readers.sandbox import load_scores
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.serialization import from_plain, to_plain

SCHEMA = "jeweller.piece/1"
MOST_PIECES = 5000  # pieces; a shelf of more is not opened from one file
BEGINNING = 4  # bars kept beside a piece, to be shown without reading it
ARCHIVE_BYTES = 512 * 2**20
CONTAINS = {
    "rest": N_("a rest"),
    "tie": N_("a tie"),
    "dotted": N_("a dotted pair"),
    "tuplet": N_("a triplet"),
    "off the beat": N_("notes off the beat"),
    "slur": "slurs",
    "ornament": "ornaments",
    "fermata": N_("a fermata"),
    "repeat": "repeats",
    "pickup": N_("a pickup"),
    "leap": "leaps",
}


@dataclass(frozen=True, kw_only=True)
class Piece:
    """One piece as the shelf knows it. `lowest` and `highest` are written MIDI numbers of its first part;
    `music` says whether two are the same.
    """

    id: str
    title: str
    composer: str = ""
    folder: str = ""
    tags: tuple[str, ...] = ()
    background: str = ""  # a line of where it comes from and what that means for playing
    parts: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    metres: tuple[str, ...] = ()
    bars: int = 0
    lowest: int = 0
    highest: int = 0
    level: str = ""
    contains: tuple[str, ...] = ()
    letters: tuple[str, ...] = ()  # altered notes that occur: "F♯", "B♭"
    music: str = ""
    passage_of: str = ""
    passage: tuple[str, str] = ("", "")  # first and last printed bar


@dataclass(frozen=True, kw_only=True)
class Query:
    """What is looked for; everything given must hold. `words` are sought in title, composer, folder, tags and
    background.
    """

    words: str = ""
    key: str = ""
    metre: str = ""
    level: str = ""
    contains: tuple[str, ...] = ()  # entries of CONTAINS, or altered letters
    within: tuple[int, int] | None = None  # written MIDI range that must hold every note
    folder: str | None = None
    tag: str = ""


def describe_piece(score: Score, piece_id: str, **told: object) -> Piece:
    """What the shelf writes beside a score."""
    first = next((p for p in score.parts if p.note_count), score.parts[0] if score.parts else None)
    if first is None:
        raise BookError(_("This score holds no part."))
    midi = [n.pitch.midi for b in first.bars for n in b.notes if n.pitch is not None and not n.cue]
    kinds = {t.kind for t in find_traps(first)}
    letters = {
        n.pitch.letter
        for b in first.bars
        for n in b.notes
        if n.pitch is not None and n.pitch.alter and not n.cue
    }
    piece = Piece(
        id=piece_id,
        title=score.title or "Untitled",
        composer=score.composer,
        parts=tuple(p.name for p in score.parts),
        keys=tuple(dict.fromkeys(key_name(b.fifths, b.mode) for b in first.bars)),
        metres=tuple(dict.fromkeys(f"{b.beats}/{b.beat_type}" for b in first.bars)),
        bars=len(first.bars),
        lowest=min(midi, default=0),
        highest=max(midi, default=0),
        level=analyse_part(first).level if first.note_count else "",
        contains=tuple(k for k in CONTAINS if k in kinds),
        letters=tuple(sorted(letters)),
        music=fingerprint(first),
    )
    return dataclasses.replace(piece, **told)  # type: ignore[arg-type]


def fingerprint(part: Part) -> str:
    """The same for two parts whose notes have the same intervals and lengths, in whatever key: a piece on the
    shelf twice is noticed.
    """
    text, before, length = [], None, Fraction(0)
    for bar in part.bars:
        for n in bar.notes:
            if n.grace or n.cue or n.chord:
                continue
            if n.pitch is None:
                before_text = "r"
            else:
                before_text = "0" if before is None else str(n.pitch.midi - before)
                before = n.pitch.midi
            text.append(f"{before_text}:{n.duration}{'~' if n.tie_start else ''}")
            length += n.duration
    return hashlib.sha256(" ".join(text).encode()).hexdigest()[:24] if length else ""


def _read_archive(path: Path) -> tuple[list[Piece], dict[str, bytes]]:
    """The pieces of a zip file and its files by name. Raises BookError."""
    try:
        with zipfile.ZipFile(path) as archive:
            if (
                sum(i.file_size for i in archive.infolist()) > ARCHIVE_BYTES
                or len(archive.infolist()) > 3 * MOST_PIECES
            ):
                raise BookError(
                    _("{name} is larger than any shelf and is not opened.").format(name=path.name)
                )
            files = {
                i.filename: archive.read(i)
                for i in archive.infolist()
                if re.fullmatch(r"[a-z0-9-]{1,80}\.(json|musicxml|page)", i.filename)
            }
    except ZIP_ERRORS as error:
        raise BookError(
            _("{name} is no file of a shelf, or is damaged ({error}).").format(name=path.name, error=error)
        ) from error
    pieces = []
    for name, data in files.items():
        if not name.endswith(".json"):
            continue
        try:
            told = parse_json(data)
            if told.pop("schema", "") != SCHEMA:
                raise ValueError
            pieces.append(from_plain(Piece, told))
        except (ValueError, KeyError, TypeError) as error:
            raise BookError(
                _("{name} in {name2} is damaged; nothing was taken from it.").format(
                    name=name, name2=path.name
                )
            ) from error
    if not pieces:
        raise BookError(_("{name} holds no pieces.").format(name=path.name))
    return pieces, files


class Shelf:
    """The pieces of one folder. Reading goes by the small files; the music itself is read when it is asked
    for.
    """

    def __init__(self, folder: Path) -> None:
        """Opens the folder, which is made where it is missing. Raises BookError."""
        self.folder = folder
        self.unread: list[str] = []  # files beside the music that could not be understood
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise BookError(
                _("The shelf {folder} cannot be opened: {value}.").format(
                    folder=folder, value=error.strerror or error
                )
            ) from error
        self.pieces: dict[str, Piece] = {}
        self.read()

    def read(self) -> None:
        """Reads what lies in the folder anew: files may be put there by hand."""
        self.pieces, self.unread = {}, []
        for path in sorted(self.folder.glob("*.json")):
            try:
                data = parse_json(path.read_text(encoding="utf-8"))
                if data.pop("schema", "") != SCHEMA:
                    raise ValueError
                piece = from_plain(Piece, data)
            except (OSError, ValueError, KeyError, TypeError):
                self.unread.append(path.name)
                continue
            self.pieces[piece.id] = piece

    def add(self, score: Score, *, folder: str = "", tags: Sequence[str] = (), background: str = "") -> Piece:
        """Puts a score on the shelf under an id of its own. Raises BookError."""
        piece = describe_piece(
            score,
            self._free_id(score.title or "Untitled"),
            folder=folder,
            tags=tuple(tags),
            background=background,
        )
        write_bytes(self.music_path(piece.id), write_musicxml(score), private=True)
        self._write(piece)
        self._keep_beginning(piece.id, score)
        return piece

    def same_music(self, score: Score) -> list[Piece]:
        """Pieces on the shelf whose music is that of a score, in whatever key."""
        part = next((p for p in score.parts if p.note_count), None)
        mark = fingerprint(part) if part is not None else ""
        return [p for p in self.pieces.values() if mark and p.music == mark and not p.passage_of]

    def add_passage(self, of: str, first: str, last: str, title: str) -> Piece:
        """Bars of a piece under a name of their own. Raises BookError."""
        whole = self.piece(of)
        numbers = [b.number for b in self.score(of).parts[0].bars]
        if first not in numbers or last not in numbers or numbers.index(first) > numbers.index(last):
            raise BookError(
                _(
                    "There are no bars {first} to {last} in “{title}”; it has bars {numbers} to {numbers2}."
                ).format(first=first, last=last, title=whole.title, numbers=numbers[0], numbers2=numbers[-1])
            )
        bars = numbers.index(last) - numbers.index(first) + 1
        piece = dataclasses.replace(
            whole,
            id=self._free_id(title),
            title=title,
            passage_of=whole.passage_of or of,
            passage=(first, last),
            bars=bars,
            music="",
        )
        self._write(piece)
        return piece

    def change(self, piece_id: str, **told: object) -> Piece:
        """Another title, folder, tags or background. Raises BookError."""
        if unknown := set(told) - {"title", "folder", "tags", "background"}:
            raise BookError(
                _("{sorted} of a piece cannot be changed.").format(sorted=", ".join(sorted(unknown)))
            )
        piece = dataclasses.replace(self.piece(piece_id), **told)  # type: ignore[arg-type]
        self._write(piece)
        return piece

    def remove(self, piece_id: str) -> dict[str, bytes]:
        """Takes a piece off the shelf, its passages too; gives the files that lay there, by name, for
        `bring_back`. Raises BookError.
        """
        self.piece(piece_id)
        files: dict[str, bytes] = {}
        for other in [p.id for p in self.pieces.values() if p.passage_of == piece_id] + [piece_id]:
            self._beginning_path(other).unlink(missing_ok=True)
            for path in (self.music_path(other), self.page_path(other), self.folder / f"{other}.json"):
                if path.exists():
                    files[path.name] = path.read_bytes()
                    path.unlink()
            del self.pieces[other]
        return files

    def bring_back(self, files: dict[str, bytes]) -> None:
        """Puts what `remove` took away where it lay."""
        for name, data in files.items():
            write_bytes(self.folder / name, data, private=True)
        self.read()

    def folders(self) -> list[str]:
        """The folders that pieces are sorted into."""
        return sorted({p.folder for p in self.pieces.values() if p.folder}, key=str.casefold)

    def piece(self, piece_id: str) -> Piece:
        """Raises BookError where there is none."""
        if piece_id not in self.pieces:
            raise BookError(_("There is no piece “{piece_id}” on this shelf.").format(piece_id=piece_id))
        return self.pieces[piece_id]

    def music_path(self, piece_id: str) -> Path:
        return self.folder / f"{piece_id}.musicxml"

    def page_path(self, piece_id: str) -> Path:
        """Where the page lies that a piece was read from, if it was."""
        return self.folder / f"{piece_id}.page"

    def keep_page(self, piece_id: str, page: bytes) -> None:
        """Keeps the page that a piece was read from beside it. Raises BookError, OSError."""
        write_bytes(self.page_path(self.piece(piece_id).id), page, private=True)

    def page(self, piece_id: str) -> bytes | None:
        """The page that a piece, or what it is a passage of, was read from. Raises BookError."""
        piece = self.piece(piece_id)
        try:
            return self.page_path(piece.passage_of or piece_id).read_bytes()
        except OSError:
            return None

    def score(self, piece_id: str) -> Score:
        """The music of a piece; of a passage its bars alone. Raises BookError, ScoreError."""
        piece = self.piece(piece_id)
        score = load_scores(self.music_path(piece.passage_of or piece_id))[0]
        if not piece.passage_of:
            return score
        parts = []
        for part in score.parts:
            numbers = [b.number for b in part.bars]
            if piece.passage[0] in numbers and piece.passage[1] in numbers:
                bars = part.bars[numbers.index(piece.passage[0]) : numbers.index(piece.passage[1]) + 1]
                parts.append(dataclasses.replace(part, bars=bars))
        return dataclasses.replace(score, title=piece.title, parts=tuple(parts))

    def beginning(self, piece_id: str) -> Part | None:
        """The first bars of a piece's first part with notes, without reading all of it; None where it has
        none. Raises BookError, ScoreError.
        """
        self.piece(piece_id)
        try:
            return from_plain(Part, parse_json(self._beginning_path(piece_id).read_text(encoding="utf-8")))
        except (OSError, ValueError, KeyError, TypeError):
            return self._keep_beginning(piece_id, self.score(piece_id))

    def _beginning_path(self, piece_id: str) -> Path:
        return self.folder / "beginnings" / f"{piece_id}.json"

    def _keep_beginning(self, piece_id: str, score: Score) -> Part | None:
        part = next((p for p in score.parts if p.note_count), None)
        if part is None:
            return None
        part = dataclasses.replace(
            part, bars=tuple(dataclasses.replace(b, marks=()) for b in part.bars[:BEGINNING])
        )
        path = self._beginning_path(piece_id)
        path.parent.mkdir(exist_ok=True, mode=0o700)
        write_bytes(path, json_text(to_plain(part)).encode("utf-8"), private=True)
        return part

    def find(self, query: Query) -> list[Piece]:
        """The pieces for which everything that is asked for holds, by title."""
        return sorted(
            (p for p in self.pieces.values() if _fits(p, query)), key=lambda p: (p.title.casefold(), p.id)
        )

    def _free_id(self, title: str) -> str:
        plain = (
            re.sub(r"[^a-z0-9]+", "-", title.casefold().replace("♭", "-flat").replace("♯", "-sharp")).strip(
                "-"
            )[:60]
            or "piece"
        )
        wanted, k = plain, 1
        while (
            wanted in self.pieces
            or (self.folder / f"{wanted}.json").exists()
            or self.music_path(wanted).exists()
        ):
            k += 1
            wanted = f"{plain}-{k}"
        return wanted

    def _write(self, piece: Piece) -> None:
        write_bytes(
            self.folder / f"{piece.id}.json",
            json_text({"schema": SCHEMA, **to_plain(piece)}).encode("utf-8"),
            private=True,
        )
        self.pieces[piece.id] = piece

    # ---- as one file

    def export(self, path: Path, pieces: Iterable[str] | None = None) -> int:
        """Writes pieces (all of them: None) and what their passages lie in to one zip file; returns how many.
        Raises BookError.
        """
        chosen = set(self.pieces if pieces is None else pieces)
        chosen |= {self.piece(p).passage_of for p in chosen if self.piece(p).passage_of}
        try:
            with (
                replacing(path) as part,
                zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as archive,
            ):
                for piece_id in sorted(chosen):
                    held = self.folder / f"{piece_id}.json"
                    for file in (held, self.music_path(piece_id), self.page_path(piece_id)):
                        if file.exists():
                            archive.write(file, file.name)
        except OSError as error:
            raise BookError(
                _("{name} cannot be written: {value}.").format(name=path.name, value=error.strerror or error)
            ) from error
        return len(chosen)

    def take_in(self, path: Path) -> tuple[list[Piece], list[str]]:
        """Puts the pieces of a zip file on the shelf: (those new, titles of those that were there already).
        Raises BookError; nothing is changed then.
        """
        pieces, files = _read_archive(path)
        renamed: dict[str, str] = {}
        new, there = [], []
        for piece in sorted(pieces, key=lambda p: bool(p.passage_of)):
            same = next(
                (
                    p
                    for p in self.pieces.values()
                    if piece.music and p.music == piece.music and p.title == piece.title
                ),
                None,
            )
            if same is not None:
                renamed[piece.id] = same.id
                there.append(piece.title)
                continue
            free = self._free_id(piece.title)
            renamed[piece.id] = free
            if not piece.passage_of:
                music = files.get(f"{piece.id}.musicxml")
                if music is None:
                    continue
                write_bytes(self.music_path(free), music, private=True)
                if (page := files.get(f"{piece.id}.page")) is not None:
                    write_bytes(self.page_path(free), page, private=True)
            elif piece.passage_of not in renamed:
                continue
            placed = dataclasses.replace(piece, id=free, passage_of=renamed.get(piece.passage_of, ""))
            self._write(placed)
            new.append(placed)
        return new, there


def _fits(p: Piece, q: Query) -> bool:
    text = " ".join((p.title, p.composer, p.folder, *p.tags, p.background)).casefold()
    has = {*p.contains, *p.letters}
    return (
        all(w in text for w in q.words.casefold().split())
        and (not q.key or any(q.key.casefold() in k.casefold() for k in p.keys))
        and (not q.metre or q.metre in p.metres)
        and (not q.level or q.level == p.level)
        and all(c in has for c in q.contains)
        and (q.within is None or (q.within[0] <= p.lowest and p.highest <= q.within[1]))
        and (q.folder is None or q.folder == p.folder)
        and (not q.tag or q.tag in p.tags)
    )
