"""What comes back from home: days and minutes, scales, takes, as one file; looked over before anything of it
is entered, and entered beside what is there.
"""

from __future__ import annotations

import datetime
import json
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jeweller.errors import SlipError
from jeweller.files import parse_json
from jeweller.i18n import N_, _, ngettext
from jeweller.library.journal import FOLDER, PlayerJournal
from jeweller.library.library import Library
from jeweller.library.tables import Player
from jeweller.phrases import capitalized
from jeweller.practice.wall import CHECKED, slot_of
from jeweller.student.home import StudentHome
from jeweller.student.make import read_key
from jeweller.student.slip import PROGRESS, VERSION, journal_lines, read_zip, text_of, write_zip

MOST_MINUTES = 600  # a day
MOST_ENTRIES = 20_000
LONGEST = 60_000  # characters of an entry: the drill of one is its music
# What may come back: kind of entry, and what it is called.
KINDS = {
    "log": N_("days of practice"),
    "stone": N_("scales"),
    "take": N_("takes in the booth"),
    "polish": N_("things worked at"),
    "ear": N_("takes listened to"),
    "own view": N_("takes judged by the player first"),
    "breath": N_("breath exercises"),
    "buzz": N_("buzzes"),
    "echo": N_("echoes"),
    "known": N_("tunes known before"),
    "move": N_("moves of the tuning"),
    "tone": N_("long tones"),
}


@dataclass(frozen=True, kw_only=True)
class Progress:
    """What a file brings: the player's key, when it was made, and what was done."""

    key: str
    name: str
    made_at: str
    entries: tuple[Mapping[str, Any], ...]


@dataclass(frozen=True, kw_only=True)
class ProgressNews:
    """What of it is new for a player of the library, and how much is here already."""

    player: Player
    progress: Progress
    entries: tuple[Mapping[str, Any], ...]
    known: int


def save_progress(home: StudentHome, path: Path) -> int:
    """Writes what was done since the slip was made; how many entries. Raises SlipError."""
    lines = home.fresh_lines()
    told = {
        "format": PROGRESS,
        "version": VERSION,
        "key": home.key,
        "slip": home.slip,
        "made_at": datetime.datetime.now().isoformat(timespec="seconds"),
        "player": {"name": home.name},
    }
    journal = "".join(f"{line}\n" for line in lines)
    write_zip(path, {"jeweller.json": json.dumps(told, ensure_ascii=False), "journal.jsonl": journal})
    return len(lines)


def read_progress(path: Path) -> Progress:
    """Raises SlipError. What no player's program writes is left out."""
    told, files = read_zip(path, PROGRESS)
    try:
        name, made_at = text_of(told["player"]["name"]), text_of(told["made_at"])
    except (KeyError, TypeError) as error:
        raise SlipError(
            _("{name} is damaged, or no file of this program. Nothing was taken from it.").format(
                name=path.name
            )
        ) from error
    lines = journal_lines(files.get("journal.jsonl", b""))[:MOST_ENTRIES]
    entries = [parse_json(line) for line in lines if len(line) <= LONGEST]
    return Progress(
        key=str(told["key"]),
        name=name,
        made_at=made_at,
        entries=tuple(e for e in entries if _may_come(e)),
    )


def _may_come(entry: Mapping[str, Any]) -> bool:
    """Whether an entry is such as a player at home makes; a teacher's ear sets no stone there."""
    try:
        datetime.datetime.fromisoformat(entry["at"])
        match entry["kind"]:
            case "log":
                datetime.date.fromisoformat(entry["day"])
                return 0 <= int(entry["minutes"]) <= MOST_MINUTES
            case "stone":
                datetime.date.fromisoformat(entry["day"])
                return slot_of(entry) is not None and entry["by"] == CHECKED and float(entry["bpm"]) > 0
            case kind:
                return kind in KINDS
    except (KeyError, ValueError, TypeError, OverflowError):
        return False


def look_over(library: Library, progress: Progress) -> ProgressNews:
    """Whose it is and what of it is new. Raises SlipError where nobody here has that key."""
    for folder in sorted((library.folder / FOLDER).glob("*")):
        if folder.name.isdecimal() and read_key(folder) == progress.key:
            player = next((p for p in library.players() if p.id == int(folder.name)), None)
            if player is not None:
                here = {_mark(e) for e in PlayerJournal(library.folder, player.id).every()}
                fresh = tuple(e for e in progress.entries if _mark(e) not in here)
                known = len(progress.entries) - len(fresh)
                return ProgressNews(player=player, progress=progress, entries=fresh, known=known)
    raise SlipError(
        _(
            "This is the progress of {name}, who is not known in this library: the slip was made from "
            "another one, or the player was deleted. Nothing was entered."
        ).format(name=progress.name)
    )


def _mark(entry: Mapping[str, Any]) -> str:
    return json.dumps(entry, ensure_ascii=False, sort_keys=True)


def news_lines(news: ProgressNews, library: Library) -> list[str]:
    """What would be entered, in sentences, before it is."""
    if not news.entries:
        return [_("All of it is here already: there is nothing to enter.")]
    out = []
    counts = Counter(str(e["kind"]) for e in news.entries)
    for kind, words in KINDS.items():
        if counts[kind]:
            out.append(_("{what}: {n}").format(n=counts[kind], what=capitalized(_(words))))
    log = [e for e in news.entries if e["kind"] == "log"]
    if log:
        minutes = sum(int(e["minutes"]) for e in log)
        days = sorted({str(e["day"]) for e in log})
        out.append(
            ngettext(
                "{minutes} minutes on {n} day, {days}",
                "{minutes} minutes on {n} days, {days}",
                len(days),
            ).format(
                minutes=minutes, n=len(days), days=f"{days[0]} … {days[-1]}" if len(days) > 1 else days[0]
            )
        )
        there = {p.day: p.minutes for p in library.practice(news.player.id)}
        twice = [day for day in days if day in there]
        if twice:
            told = ", ".join(f"{day} ({there[day]})" for day in twice[:5])
            out.append(_("On these days minutes are written down here already: {days}.").format(days=told))
    for e in log:
        words = " · ".join(str(e.get(k, "")) for k in ("note", "well", "did") if e.get(k))
        if words:
            out.append(f"{e['day']}: {text_of(words)}")
    stones = [s for e in news.entries if e["kind"] == "stone" and e.get("passed") and (s := slot_of(e))]
    if stones:
        said = ", ".join(dict.fromkeys(s.said for s in stones))
        out.append(_("Scales that stood the check at home: {scales}.").format(scales=said))
    if news.known:
        out.append(
            ngettext("{n} entry is here already.", "{n} entries are here already.", news.known).format(
                n=news.known
            )
        )
    return out


def take_in(library: Library, news: ProgressNews) -> int:
    """Enters what is new; how many entries. Nothing that is here is changed. Raises LedgerError, OSError."""
    journal = PlayerJournal(library.folder, news.player.id)
    for entry in news.entries:
        if entry["kind"] == "log" and (entry["minutes"] or entry.get("note")):
            library.add_practice(
                news.player.id, str(entry["day"]), int(entry["minutes"]), text_of(entry.get("note", ""))
            )
        journal.add_line(entry)
    return len(news.entries)
