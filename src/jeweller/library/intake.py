"""Who and what a recording is, guessed from its file name, its folder, the players and the music there is;
then, where that leaves it open, from the sound.

A guess is only ever shown for correction. Names are compared without accents and case, word by word.
"""

from __future__ import annotations

import re
import time
import unicodedata
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from difflib import SequenceMatcher
from pathlib import Path

from jeweller.audio.decode import file_hash
from jeweller.errors import JewellerError
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.files import shown_name
from jeweller.i18n import _
from jeweller.instruments.table import Instrument, find_instrument, require_instrument
from jeweller.library.assignments import open_for
from jeweller.library.class_list import Listed
from jeweller.library.library import Library
from jeweller.library.pile import music_in, recordings
from jeweller.library.tables import Player, Tray
from jeweller.notation.model import Part, Score
from jeweller.notation.performance import perform_part
from jeweller.notation.readers.sandbox import load_scores

# words for a take of its rhythm alone
COUNTED = "count", "counting", "clap", "clapping", "claps", "tap", "tapping", "rhythm"
# and for one of spoken names: its timing is checked, the rest is for the ear
SPOKEN = "names", "naming", "spoken", "speaking"
# Words of a file that are nobody's name.
NAMELESS = frozenset(
    (
        *COUNTED,
        *SPOKEN,
        "take",
        "part",
        "and",
        "the",
        "rec",
        "recording",
        "audio",
        "voice",
        "memo",
        "new",
        "file",
        "copy",
        # what cameras, phones and places to hand in at put around a name
        *("img", "dsc", "vid", "mov", "movie", "video", "track", "untitled", "whatsapp", "ptt"),
        *("final", "finals", "version", "attempt", "try", "practice", "practise", "homework", "submission"),
        *("submitted", "assignment", "assignsubmission", "late", "week", "lesson", "exercise", "test"),
        *("jan", "feb", "mar", "apr", "jun", "jul", "aug", "sep", "sept", "oct", "nov", "dec"),
        *("mon", "tue", "wed", "thu", "fri", "monday", "tuesday", "wednesday", "thursday", "friday"),
    )
)
VOICES = frozenset(("tenor", "alto", "baritone", "bass", "in", "bb", "eb"))
LISTEN_S = 30.0  # seconds of a recording that are held against each piece
ENOUGH = 0.6  # share of the notes that must be right for a piece to be recognised
# words that tell no title from another
LITTLE = frozenset(("the", "a", "an", "of", "on", "in", "and", "for", "to", "up", "no"))
NEARLY = 0.85  # share of letters in common: one in seven wrong
STEM, ENDING = 4, 2  # letters that must agree, and that may be added
SHORT_TITLE = 2  # words of a title of which one alone is too little


@dataclass(frozen=True)
class Known:
    """A piece a recording may be of: its id on the shelf, its title, and the parts it has."""

    id: str
    title: str
    parts: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Guess:
    """What a recording seems to be. `player` is an id of the ledger, None where no name fits; `name` then
    what the file calls them. `twice` says that this recording is in the library already, or stands twice in
    the same pile.
    """

    path: Path
    player: int | None
    name: str
    piece: str
    part: str
    kind: str  # played, rhythm or stored
    twice: bool = False


def words(text: str) -> list[str]:
    """The words of a name, plain: no accents, no case, parted at anything that is no letter or digit, and at
    a change from small to capital letters.
    """
    text = unicodedata.normalize("NFKD", text.replace("♭", "b").replace("♯", "#"))
    text = "".join(c for c in text if not unicodedata.combining(c))
    text = re.sub("['’]", "", text)
    text = re.sub(r"([a-z])([A-Z])", r"\1 \2", text)
    return re.findall(r"[^\W\d_]+|\d+", text.casefold())


def guess(
    path: Path,
    players: Sequence[Player],
    pieces: Sequence[Known],
    *,
    assigned: str = "",
    known: Callable[[Path], bool] = lambda path: False,
) -> Guess:
    """What one recording seems to be. `assigned` is the piece the tray is of; `known` says whether a
    recording is in the library already.
    """
    told = words(path.stem)
    around = told + [w for folder in path.parts[-4:-1] for w in words(folder)]
    player = _player(told, players) or _player(around, players)
    piece = assigned or _piece(told, pieces) or _piece(around, pieces)
    instrument = _instrument(player, told)
    chosen = next((p for p in pieces if p.id == piece), None)
    part = (
        part_for(chosen.parts, player.part if player is not None else "", instrument)
        if chosen is not None
        else ""
    )
    kind = "rhythm" if set(told) & {*COUNTED, *SPOKEN} else "played"
    return Guess(
        path=path,
        player=player.id if player is not None else None,
        name=_name(told, pieces, piece) if player is None else player.name,
        piece=piece,
        part=part,
        kind=kind,
        twice=known(path),
    )


def guess_all(
    paths: Sequence[Path],
    players: Sequence[Player],
    pieces: Sequence[Known],
    *,
    assigned: str = "",
    known: Callable[[Path], bool] = lambda path: False,
) -> list[Guess]:
    """`guess` for a pile; the same recording twice in it is noticed too."""
    seen: set[str] = set()
    out = []
    for path in paths:
        digest = file_hash(path)
        twice = digest in seen
        seen.add(digest)
        out.append(
            guess(path, players, pieces, assigned=assigned, known=(lambda _unused: True) if twice else known)
        )
    return out


def _player(told: list[str], players: Sequence[Player]) -> Player | None:
    """The player whose whole name stands among the words, the longest name first; else the one player whose
    first name does, by the initial of the last where two share it; else the one whose name is nearly so.
    """
    names = {p.id: words(p.name) for p in players}
    whole = [p for p in players if names[p.id] and all(x in told for x in names[p.id])]
    if whole:
        return max(whole, key=lambda p: len(names[p.id]))
    first = [p for p in players if names[p.id] and names[p.id][0] in told and len(names[p.id][0]) > 1]
    if len(first) > 1:
        first = [p for p in first if any(w[0] in told for w in names[p.id][1:])]
    if first:
        return first[0] if len(first) == 1 else None
    near = [p for p in players if any(_nearly(w, t) for w in names[p.id] for t in told if t not in NAMELESS)]
    return near[0] if len(near) == 1 else None


def _nearly(name: str, told: str) -> bool:
    """Whether a word is a name with a letter wrong, left out or too many."""
    if min(len(name), len(told)) < STEM or find_instrument(told) is not None:
        return False
    return SequenceMatcher(None, name, told).ratio() >= NEARLY


def _piece(told: list[str], pieces: Sequence[Known]) -> str:
    """The piece of whose title most words stand there; "" where that is too little, or as much for two."""
    shares = []
    for piece in pieces:
        title = [w for w in words(piece.title) if w not in LITTLE] or words(piece.title)
        hits = sum(any(_alike(w, t) for t in told) for w in title)
        if title and hits and (hits >= 2 or len(title) < SHORT_TITLE or hits / len(title) >= 0.5):
            shares.append((hits / len(title), piece.id))
    shares.sort(reverse=True)
    return shares[0][1] if shares and (len(shares) == 1 or shares[0][0] > shares[1][0]) else ""


def _alike(a: str, b: str) -> bool:
    """Whether two words are the same but for an ending."""
    short, long = sorted((a, b), key=len)
    return a == b or (len(short) >= STEM and long.startswith(short) and len(long) - len(short) <= ENDING)


def _instrument(player: Player | None, told: list[str]) -> Instrument | None:
    if player is not None and player.instrument:
        return require_instrument(player.instrument)
    return find_instrument(" ".join(w for w in told if not w.isdigit()))


def _name(told: list[str], pieces: Sequence[Known], piece: str) -> str:
    """What the file calls an unknown player: its words without those of the music, of instruments, numbers
    and what kind of take it is.
    """
    title = {w for p in pieces if p.id == piece for w in words(p.title)}
    rest = [w for w in told if not w.isdigit() and not any(_alike(w, t) for t in title) and w not in NAMELESS]
    rest = [w for w in rest if find_instrument(w) is None and w not in VOICES]
    return " ".join(w.capitalize() for w in rest[:3])


def part_for(parts: Sequence[str], wanted: str, instrument: Instrument | None) -> str:
    """Which part of a score is somebody's: by the name of their part, else by their instrument; the only one
    there is; "" else.
    """
    if wanted:
        named = next((p for p in parts if words(p) == words(wanted)), None) or next(
            (p for p in parts if set(words(wanted)) <= set(words(p))), None
        )
        if named is not None:
            return named
    if instrument is not None:
        same = [p for p in parts if (found := find_instrument(p)) is not None and found.id == instrument.id]
        if same:
            return same[0]
    return parts[0] if len(parts) == 1 else ""


@dataclass(frozen=True)
class Candidate:
    """A part that a recording is held against."""

    piece: str
    part: Part


def candidates(scores: Iterable[tuple[str, Score]], instrument: Instrument | None) -> list[Candidate]:
    """The parts of pieces that somebody of an instrument may have played; every part where the instrument is
    not known.
    """
    out = []
    for piece, score in scores:
        for part in score.parts:
            mine = find_instrument(part.instrument or part.name)
            if (
                part.note_count
                and not part.percussion
                and not part.has_chords
                and (instrument is None or mine is None or mine.id == instrument.id)
            ):
                out.append(Candidate(piece, part))
    return out


def recognise(
    path: Path,
    among: Sequence[Candidate],
    *,
    progress: Callable[[float, str], None] = lambda share, what: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Candidate | None:
    """Which of several parts a recording follows, by its first half minute; None where it follows none well
    enough.
    """
    from jeweller.alignment.align import align
    from jeweller.audio.decode import decode
    from jeweller.features.extraction import extract_features
    from jeweller.notes.build import build_note_tables

    if not among:
        return None
    try:
        recording = decode(path, HEAR.rate, cancelled)
    except JewellerError:
        return None
    samples = recording.samples[: round(LISTEN_S * HEAR.rate)]
    lines = [perform_part("", c.part) for c in among]
    low, high = (f(n.sounding_midi for line in lines for n in line.notes) for f in (min, max))
    features = extract_features(samples, low, high, HEAR, cancelled)
    best: tuple[float, int] = (0.0, -1)
    for k, line in enumerate(lines):
        progress(k / len(lines), path.name)
        table = build_note_tables(align(line, features, cancelled=cancelled), features)[-1]
        if table.followed:
            heard = [e for e in table.events if e.index is not None]
            right = sum(
                abs(e.midi - line.main_notes[e.index].sounding_midi) < 0.6
                for e in heard
                if e.index is not None
            )
            best = max(best, (right / max(len(heard), 1) * min(1.0, len(heard) / 8), k))
    return among[best[1]] if best[0] >= ENOUGH else None


@dataclass(frozen=True, kw_only=True)
class Pile:
    """Recordings that were looked at; the pieces and the players there are, with what takes were recorded
    before; a sentence for each thing that is no recording.
    """

    guesses: list[Guess]
    pieces: list[Known] = field(default_factory=list)
    players: list[Player] = field(default_factory=list)
    setups: list[str] = field(default_factory=list)
    told: list[str] = field(default_factory=list)


def look_at(library: Library, paths: Sequence[Path], unpack_to: Path, band: int | None) -> Pile:
    """What recordings, folders and zip files hold, as guesses."""
    found, told = recordings(paths, unpack_to)
    library.shelf.read()  # music may have been put there since
    pieces = [Known(p.id, p.title, p.parts) for p in library.shelf.pieces.values() if not p.passage_of]
    pieces.sort(key=lambda p: p.title.casefold())
    players = library.players(band) if band is not None else []
    only = pieces[0].id if len(pieces) == 1 else ""  # then a recording can be of nothing else

    def known(path: Path) -> bool:
        if not library.same_recording(path):
            return False
        if not library.store.read_only and library.mend_recording(path):
            told.append(
                _("{name}: its recording was missing or changed, and is whole again.").format(
                    name=shown_name(path)
                )
            )
        return True

    return Pile(
        guesses=guess_all(found, players, pieces, assigned=only, known=known),
        pieces=pieces,
        players=players,
        setups=library.setups(),
        told=told,
    )


def fresh_recordings(
    library: Library, folder: Path, offered: set[str], settled_s: float
) -> tuple[list[Path], bool]:
    """(the recordings of a watched folder that were not `offered` before and are not in the library, whether
    there are some that were written to within the last `settled_s` seconds: these wait).
    """
    fresh, written = [], False
    for path in recordings([folder], folder)[0]:
        if str(path) in offered:
            continue
        try:
            if time.time() - path.stat().st_mtime < settled_s:
                written = True
            elif not library.same_recording(path):
                fresh.append(path)
        except OSError:
            continue
    return fresh, written


def put_on_shelf(library: Library, scores: Sequence[Score]) -> list[str]:
    """Puts scores on the shelf of the library, each once; the titles as they stand there."""
    titles = []
    for score in scores:
        there = library.shelf.same_music(score)
        titles.append((there[0] if there else library.shelf.add(score)).title)
    return titles


def bring_music(library: Library, sources: Iterable[Path], unpack_to: Path) -> list[str]:
    """Puts the scores among files, folders and zip files on the shelf, each once; their titles. What is no
    score that can be read is left where it is.
    """
    library.shelf.read()
    there = {p.title.casefold() for p in library.shelf.pieces.values()}
    brought = []
    for path in music_in(sources, unpack_to):
        try:
            scores = load_scores(path)
        except JewellerError:
            continue
        for score in scores:
            titled = score if score.title else replace(score, title=path.stem)
            if titled.title.casefold() not in there:
                there.add(titled.title.casefold())
                library.shelf.add(titled)
                brought.append(titled.title)
    return brought


def new_players(guesses: Iterable[Guess]) -> list[Listed]:
    """Who is named among recordings and is not in the class yet, each once, with what they seem to play."""
    out: dict[str, Listed] = {}
    for g in guesses:
        if g.player is None and g.name:
            found = find_instrument(g.part)
            out.setdefault(g.name.casefold(), Listed(g.name, found.id if found is not None else "", g.part))
    return list(out.values())


def enter_tray(
    library: Library,
    band: int,
    guesses: Sequence[Guess],
    setup: str = "",
    entering: Sequence[Listed] | None = None,
) -> Tray:
    """A new tray of these recordings, made with one set-up. Of unknown players those of `entering` are
    entered too (None: all of them); takes of others are nobody's for now. Takes of one piece are handed in
    for the assignment of that piece that is open. Raises LedgerError.
    """
    asked = {row.name.casefold(): row for row in (new_players(guesses) if entering is None else entering)}
    titles = {p.id: p.title for p in library.shelf.pieces.values()}
    named = {titles[g.piece] for g in guesses if g.piece in titles}
    name = next(iter(named)) if len(named) == 1 else guesses[0].path.parent.name or _("A tray")
    same = sum(t.name == name or t.name.startswith(f"{name}, ") for t in library.trays(band))
    assignment = open_for(library, band, (g.piece for g in guesses))
    tray = library.add_tray(
        band, f"{name}, {same + 1}" if same else name, assignment.id if assignment is not None else None
    )
    new: dict[str, int] = {}
    for g in guesses:
        player = g.player if g.player is not None else new.get(g.name.casefold())
        row = asked.get(g.name.casefold())
        if player is None and row is not None:
            player = new[g.name.casefold()] = library.add_player(band, row.name, row.instrument, row.part).id
        library.add_take(
            tray.id,
            g.path,
            player=player,
            piece=g.piece,
            part=g.part,
            kind=g.kind,
            setup=" ".join(setup.split())[:60],
        )
    return tray
