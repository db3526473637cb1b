"""The file that a player takes home: an open zip of MusicXML, JSON and sound, about this one player only.

`jeweller.json` tells what it is and names the rest: `music/N.musicxml` the pieces, `reports/N.json` what was
found in the player's last take of each, `sounds/N.m4a` how it should go, `journal.jsonl` what the player did
so far, `remedies.json` where the teacher changed them, `list.html` the practice list to be read without the
program.
"""

from __future__ import annotations

import datetime
import json
import re
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

from jeweller.errors import SlipError
from jeweller.files import ZIP_ERRORS, parse_json, replacing, shown_name, shown_text
from jeweller.i18n import _
from jeweller.report_format import TakeReport

SLIP, PROGRESS = "jeweller-slip", "jeweller-progress"
VERSION = 1
ENDING = ".jeweller"
MOST_FILES, MOST_BYTES = 400, 60_000_000  # in one file, unpacked
MOST_TEXT = 400  # characters of a name or a title
NAMES = re.compile(
    r"(jeweller|remedies)\.json|journal\.jsonl|list\.html|(music|reports|sounds)/\d{1,3}\.\w{3,8}"
)
KEY = re.compile(r"[0-9a-f]{32}")


@dataclass(frozen=True, kw_only=True)
class SlipPiece:
    """A piece to play: its music as MusicXML, the name of the player's part, the speed to begin with
    (quarters a minute, 0 none), what was found in the last take and what the teacher says of it.
    """

    title: str
    part: str
    music: bytes
    bpm: float = 0.0
    report: TakeReport | None = None
    comment: str = ""


@dataclass(frozen=True, kw_only=True)
class StudentSlip:
    """What a player takes home. `key` is the player's, by which progress finds back; `id` that of this file;
    `settings` are those of practising (rule of the log, order of the wall, schools, minutes); `journal` the
    lines of what was done so far.
    """

    key: str
    id: str
    made_at: str
    name: str
    instrument: str
    settings: dict[str, str]
    pieces: tuple[SlipPiece, ...]
    journal: tuple[str, ...] = ()
    remedies: str = ""


def write_slip(path: Path, slip: StudentSlip, sounds: Mapping[int, bytes], page: str = "") -> None:
    """Writes the file; `sounds` by the number of a piece, from 0. Raises SlipError."""
    told: dict[str, Any] = {
        "format": SLIP,
        "version": VERSION,
        "key": slip.key,
        "id": slip.id,
        "made_at": slip.made_at,
        "player": {"name": slip.name, "instrument": slip.instrument},
        "settings": slip.settings,
        "pieces": [
            {"title": p.title, "part": p.part, "bpm": p.bpm, "comment": p.comment} for p in slip.pieces
        ],
    }
    files: dict[str, str | bytes] = {"jeweller.json": json.dumps(told, ensure_ascii=False, indent=1)}
    for k, piece in enumerate(slip.pieces):
        files[f"music/{k}.musicxml"] = piece.music
        if piece.report is not None:
            files[f"reports/{k}.json"] = json.dumps(piece.report, ensure_ascii=False)
        if sounds.get(k):
            files[f"sounds/{k}.m4a"] = sounds[k]
    files["journal.jsonl"] = "".join(f"{line}\n" for line in slip.journal)
    if slip.remedies:
        files["remedies.json"] = slip.remedies
    if page:
        files["list.html"] = page
    write_zip(path, files)


def write_zip(path: Path, files: Mapping[str, str | bytes]) -> None:
    """The files as one, readable by the owner alone. Raises SlipError."""
    try:
        with (
            replacing(path, private=True) as temporary,
            zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive,
        ):
            for name, data in files.items():
                archive.writestr(name, data)
    except OSError as error:
        raise SlipError(
            _("{path} cannot be written: {error}.").format(path=path, error=error.strerror or error)
        ) from error


def read_zip(path: Path, wanted: str) -> tuple[dict[str, Any], dict[str, bytes]]:
    """(what `jeweller.json` tells, all files by name) of a file of one of the two formats. Raises SlipError
    where it is damaged, too large, of another kind or of a later version.
    """
    damaged = _("{name} is damaged, or no file of this program. Nothing was taken from it.")
    try:
        with zipfile.ZipFile(path) as archive:
            members = [i for i in archive.infolist() if NAMES.fullmatch(i.filename)]
            if len(members) > MOST_FILES or sum(i.file_size for i in members) > MOST_BYTES:
                raise SlipError(
                    _("{name} is larger than any such file and is not opened.").format(name=shown_name(path))
                )
            files = {i.filename: _member(archive, i) for i in members}
        told = parse_json(files["jeweller.json"])
        kind, version = str(told["format"]), int(told["version"])
        if not KEY.fullmatch(str(told["key"])):
            raise ValueError
    except FileNotFoundError as error:
        raise SlipError(_("There is no file {path}.").format(path=shown_text(str(path)))) from error
    except (*ZIP_ERRORS, KeyError, TypeError, OverflowError) as error:
        raise SlipError(damaged.format(name=shown_name(path))) from error
    if kind != wanted:
        raise SlipError(
            _(
                "{name} is a player's progress: it is brought in on the page of the players in the ledger."
            ).format(name=shown_name(path))
            if kind == PROGRESS
            else _("{name} is a slip to take home: `jeweller open {name}` opens it.").format(
                name=shown_name(path)
            )
            if kind == SLIP
            else damaged.format(name=shown_name(path))
        )
    if version > VERSION:
        raise SlipError(
            _("{name} was made by a later version of the program. Bring this one up to date first.").format(
                name=shown_name(path)
            )
        )
    return told, files


def kind_of(path: Path) -> str:
    """Which of the two formats a file says it is; "" where it is neither."""
    try:
        with zipfile.ZipFile(path) as archive:
            return str(parse_json(_member(archive, archive.getinfo("jeweller.json")))["format"])
    except (*ZIP_ERRORS, KeyError, TypeError, OverflowError):
        return ""


def _member(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    """A file of it, never more than it says it holds."""
    with archive.open(info) as file:
        data = file.read(info.file_size + 1)
    if len(data) > info.file_size:
        raise zipfile.BadZipFile
    return data


def read_slip(path: Path) -> StudentSlip:
    """Raises SlipError with a sentence."""
    told, files = read_zip(path, SLIP)
    try:
        player, pieces = told["player"], []
        for k, piece in enumerate(told["pieces"]):
            pieces.append(
                SlipPiece(
                    title=text_of(piece["title"]),
                    part=text_of(piece["part"]),
                    music=files[f"music/{k}.musicxml"],
                    bpm=min(400.0, max(0.0, float(piece["bpm"]))),
                    report=_report(files.get(f"reports/{k}.json")),
                    comment=str(piece.get("comment", ""))[: 10 * MOST_TEXT],
                )
            )
        return StudentSlip(
            key=str(told["key"]),
            id=text_of(told["id"]),
            made_at=datetime.datetime.fromisoformat(str(told["made_at"])).isoformat(timespec="seconds"),
            name=text_of(player["name"]),
            instrument=text_of(player["instrument"]),
            settings={text_of(k): text_of(v) for k, v in told["settings"].items()},
            pieces=tuple(pieces),
            journal=tuple(journal_lines(files.get("journal.jsonl", b""))),
            remedies=files.get("remedies.json", b"").decode("utf-8"),
        )
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError) as error:
        raise SlipError(
            _("{name} is damaged, or no file of this program. Nothing was taken from it.").format(
                name=shown_name(path)
            )
        ) from error


def text_of(value: Any) -> str:
    """A short text of a foreign file, on one line.

    >>> text_of("A\\nmarch")
    'A march'
    """
    return " ".join(str(value).split())[:MOST_TEXT]


def _report(data: bytes | None) -> TakeReport | None:
    """A report that can be used; None where there is none, or it is not as it should be."""
    if data is None:
        return None
    from jeweller.report.validate import find_problems  # what it needs loads slowly

    try:
        report = cast(TakeReport, parse_json(data))
        return report if not find_problems(report) else None
    except ValueError:
        return None


def journal_lines(data: bytes) -> list[str]:
    """The lines of a journal that can be read, each as it is written here."""
    out = []
    for line in data.decode("utf-8", errors="replace").splitlines():
        try:
            entry = parse_json(line)
        except ValueError:
            continue
        if (
            isinstance(entry, dict)
            and isinstance(entry.get("kind"), str)
            and isinstance(entry.get("at"), str)
        ):
            out.append(json.dumps(entry, ensure_ascii=False))
    return out


Progressed = Callable[[float, str], None]
