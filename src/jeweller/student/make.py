"""The slip of a player, made by the ledger: the pieces given out and played, what was found in the last take
of each, what the player did so far. Nothing of anybody else.
"""

from __future__ import annotations

import datetime
import json
import secrets
from collections import Counter
from collections.abc import Mapping
from pathlib import Path
from typing import Any, cast

from jeweller.documents.parts import instrument_of
from jeweller.documents.polish_sheet import polish_page
from jeweller.documents.sound_clips import part_clip
from jeweller.errors import JewellerError, SlipError
from jeweller.files import parse_json, write_bytes
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument
from jeweller.library.exports import FeedbackData, collect_feedback
from jeweller.library.intake import part_for
from jeweller.library.journal import PlayerJournal
from jeweller.library.library import Library
from jeweller.library.tables import Player
from jeweller.notation.model import Score
from jeweller.notation.performance import perform_part
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.practice.polish import make_polish_list
from jeweller.practice.remedies import load_remedies
from jeweller.report_format import TakeReport
from jeweller.student.slip import ENDING, Progressed, SlipPiece, StudentSlip, write_slip

KEY_FILE = "slip.json"
MOST_PIECES = 12
UNKNOWN_BPM = 80.0


def player_key(library: Path, player: int) -> str:
    """By what a player's progress finds back; made the first time, and deleted with the player. Raises
    OSError.
    """
    journal = PlayerJournal(library, player)
    known = read_key(journal.folder)
    if known:
        return known
    journal.open()
    key = secrets.token_hex(16)
    write_bytes(journal.folder / KEY_FILE, json.dumps({"key": key}).encode("utf-8"), private=True)
    return key


def read_key(folder: Path) -> str:
    """The key in the folder of a player, "" where there is none."""
    try:
        return str(parse_json((folder / KEY_FILE).read_text(encoding="utf-8"))["key"])
    except (OSError, ValueError, KeyError, TypeError):
        return ""


def collect_slip(library: Library, player: Player, settings: Mapping[str, str]) -> StudentSlip:
    """What a player takes home. Raises OSError."""
    journal = PlayerJournal(library.folder, player.id)
    lines = [json.dumps(e, ensure_ascii=False) for e in journal.every() if e["kind"] != "log"]
    lines += [json.dumps(e, ensure_ascii=False) for e in _log(library, player, journal)]
    remedies = library.folder / "remedies.json"
    return StudentSlip(
        key=player_key(library.folder, player.id),
        id=secrets.token_hex(8),
        made_at=datetime.datetime.now().isoformat(timespec="seconds"),
        name=player.name,
        instrument=player.instrument,
        settings=dict(settings),
        pieces=tuple(_pieces(library, player)),
        journal=tuple(sorted(lines, key=lambda line: str(parse_json(line)["at"]))),
        remedies=remedies.read_text(encoding="utf-8") if remedies.exists() else "",
    )


def _log(library: Library, player: Player, journal: PlayerJournal) -> list[dict[str, Any]]:
    """What was practised, as somebody who is not of a class has it: the minutes stand in the log itself.
    What the ledger alone knows is joined to it.
    """
    told = journal.entries("log")
    there = Counter((e.get("day"), e.get("minutes"), e.get("note")) for e in told)
    for p in library.practice(player.id):
        if there[p.day, p.minutes, p.note]:
            there[p.day, p.minutes, p.note] -= 1
            continue
        at = f"{p.day}T00:00:00"
        told.append({"kind": "log", "at": at, "day": p.day, "minutes": p.minutes, "note": p.note})
    return told


def _pieces(library: Library, player: Player) -> list[SlipPiece]:
    """The pieces that were given out, then those that were played, newest first."""
    given = [a for a in reversed(library.assignments(player.band_id)) if a.given_at and not a.replaced_by]
    takes = sorted(library.takes_of(player.id), key=lambda t: t.added_at, reverse=True)
    wanted = list(dict.fromkeys([a.piece for a in given] + [t.piece for t in takes if t.piece]))
    out = []
    for piece in wanted:
        try:
            score = library.shelf.score(piece)
        except JewellerError:
            continue
        title = library.shelf.pieces[piece].title if piece in library.shelf.pieces else score.title
        take = next((t for t in takes if t.piece == piece), None)
        told = collect_feedback(library, take.tray_id, [take.id]) if take is not None else []
        names = [p.name for p in score.parts if p.note_count]
        instrument = find_instrument(player.instrument) if player.instrument else None
        part = take.part if take is not None and take.part in names else ""
        part = part or part_for(names, player.part, instrument) or (names[0] if names else "")
        if part:
            out.append(_piece(score, title, part, told[0] if told else None))
        if len(out) == MOST_PIECES:
            break
    return out


def _piece(score: Score, title: str, part: str, told: FeedbackData | None) -> SlipPiece:
    """A piece with the player's part first; the others sound along where that is wanted."""
    own = [p for p in score.parts if p.name == part]
    ordered = Score(title, (*own[:1], *(p for p in score.parts if p not in own[:1])), "")
    report = told.hand.report if told is not None else None
    if told is not None and report is not None:
        take = {**report["take"], "file": "", "warnings": []}  # names of files tell of others
        report = cast(TakeReport, {**report, "take": take, "findings": list(told.shown)})
    line = perform_part(title, own[0], rhythm_only=own[0].percussion)
    return SlipPiece(
        title=title,
        part=part,
        music=write_musicxml(ordered),
        bpm=line.written_bpm or 0.0,
        report=report if report is not None and report["followed"] else None,
        comment=told.comment if told is not None else "",
    )


def save_slip(library: Library, player: Player, settings: Mapping[str, str], path: Path) -> Path:
    """Writes the slip of a player, with how each piece goes as sound, and the practice list as a page. Raises
    SlipError.
    """
    try:
        slip = collect_slip(library, player, settings)
    except OSError as error:
        raise SlipError(
            _("{path} cannot be written: {error}.").format(path=path, error=error.strerror or error)
        ) from error
    from jeweller.notation.readers.musicxml import read

    sounds, page = {}, ""
    minutes = int(settings.get("practice/minutes", "20"))
    for k, piece in enumerate(slip.pieces):
        part = read(piece.music).parts[0]
        sounds[k] = part_clip(part, piece.bpm or UNKNOWN_BPM)
        if piece.report is not None and not page:
            own = find_instrument(player.instrument) if player.instrument else None
            table = load_remedies(library.folder)
            made = make_polish_list(piece.report, part, own or instrument_of(part), minutes, table)
            page = polish_page(made, piece.title, player.name, sounds=True)
    write_slip(path, slip, sounds, page)
    return path


def save_slips(
    root: Path, players: list[int], settings: Mapping[str, str], target: str, progress: Progressed
) -> list[Path]:
    """The slips of players: of one as the file `target`, of several in that folder. Done beside the window.
    Raises SlipError, LedgerError.
    """
    library = Library(root, read_only=True)
    try:
        if len(players) == 1 and target.endswith(ENDING):
            return [save_slip(library, library.player(players[0]), settings, Path(target))]
        folder, out = Path(target), list[Path]()
        folder.mkdir(parents=True, exist_ok=True)
        for k, number in enumerate(players):
            player = library.player(number)
            progress(k / len(players), player.name)
            kept = "".join(c if c.isalnum() or c in " -" else "-" for c in player.name).strip(" -")[:60]
            path = folder / f"{kept or 'player'}{ENDING}"
            path = path if path not in out else folder / f"{kept} {player.id}{ENDING}"
            out.append(save_slip(library, player, settings, path))
        return out
    finally:
        library.close()
