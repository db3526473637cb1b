"""What a player has at home: a folder of this one player, made of a slip and kept from slip to slip."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

from jeweller.errors import JewellerError, SlipError
from jeweller.files import json_text, parse_json, write_bytes
from jeweller.i18n import _
from jeweller.library.journal import PlayerJournal
from jeweller.notation.model import Part
from jeweller.notation.readers.sandbox import load_score
from jeweller.repertoire.shelf import Shelf
from jeweller.report_format import TakeReport
from jeweller.scratch import scratch_folder
from jeweller.student.slip import KEY, StudentSlip, journal_lines, read_slip

HOME = "home.json"
GIVEN = "given.jsonl"  # what the teacher knows already


@dataclass(frozen=True, kw_only=True)
class HomePiece:
    """A piece of the shelf at home, with what the teacher found in it last."""

    id: str
    title: str
    part: str
    comment: str = ""
    report: TakeReport | None = None

    def part_of(self, folder: Path) -> Part:
        """The player's part, from the shelf in a folder. Raises BookError."""
        score = Shelf(folder / "shelf").score(self.id)
        return next((p for p in score.parts if p.name == self.part), score.parts[0])


@dataclass(frozen=True, kw_only=True)
class StudentHome:
    """The folder of one player: a library without a class."""

    folder: Path
    key: str
    slip: str
    made_at: str
    name: str
    instrument: str
    settings: dict[str, str]
    pieces: tuple[HomePiece, ...]

    @property
    def journal(self) -> PlayerJournal:
        return PlayerJournal(self.folder, None)

    def fresh_lines(self) -> list[str]:
        """What was done since the teacher made the slip, as lines of the journal."""
        try:
            given = set(journal_lines((self.folder / GIVEN).read_bytes()))
        except OSError:
            given = set()
        lines = [json.dumps(e, ensure_ascii=False) for e in self.journal.every()]
        return [line for line in lines if line not in given]


def open_slip(path: Path, base: Path) -> tuple[StudentHome, str]:
    """(what the player has at home, a sentence about what became of it). A slip that was opened before
    changes nothing, nor does an older one; a newer one brings its music and leaves what was done here.
    Raises SlipError.
    """
    slip = read_slip(path)
    folder = base / slip.key
    known = read_home(folder)
    if known is not None and known.slip == slip.id:
        return known, _("This slip was opened before; everything is as it was left.")
    if known is not None and known.made_at > slip.made_at:
        return known, _("This slip is older than the one that was opened here last; nothing was changed.")
    try:
        base.mkdir(parents=True, exist_ok=True, mode=0o700)
        folder.mkdir(exist_ok=True, mode=0o700)
        home = _bring(slip, folder)
    except OSError as error:
        raise SlipError(
            _("{path} cannot be written: {error}.").format(path=folder, error=error.strerror or error)
        ) from error
    return home, _("Hello {name}: your music and your practice are here.").format(name=slip.name)


def _bring(slip: StudentSlip, folder: Path) -> StudentHome:
    """Raises OSError, SlipError. What tells of the slip is written last: cut short, it is brought again."""
    shelf = Shelf(folder / "shelf")
    pieces = []
    for piece in slip.pieces:
        with scratch_folder() as name:
            file = Path(name) / "piece.musicxml"
            file.write_bytes(piece.music)
            try:
                score = load_score(file)
            except JewellerError as error:
                raise SlipError(
                    _("“{title}” in this slip cannot be read: {error}").format(title=piece.title, error=error)
                ) from error
        there = [p for p in shelf.same_music(score) if p.title == piece.title]
        kept = there[0] if there else shelf.add(score)
        pieces.append({"id": kept.id, "title": piece.title, "part": piece.part, "comment": piece.comment})
        report = folder / f"report-{kept.id}.json"
        if piece.report is not None:
            write_bytes(report, json.dumps(piece.report).encode("utf-8"), private=True)
        else:
            report.unlink(missing_ok=True)
    _merge_journal(folder, slip)
    remedies = folder / "remedies.json"
    if slip.remedies:
        write_bytes(remedies, slip.remedies.encode("utf-8"))
    else:
        remedies.unlink(missing_ok=True)
    told: dict[str, Any] = {
        "key": slip.key,
        "slip": slip.id,
        "made_at": slip.made_at,
        "name": slip.name,
        "instrument": slip.instrument,
        "settings": slip.settings,
        "pieces": pieces,
    }
    write_bytes(folder / HOME, json_text(told).encode("utf-8"), private=True)
    home = read_home(folder)
    assert home is not None  # it was written just now
    return home


def _merge_journal(folder: Path, slip: StudentSlip) -> None:
    """The journal of the slip joined with what was done here, each line once, in the order of time."""
    journal = PlayerJournal(folder, None)
    journal.open()
    lines = [json.dumps(e, ensure_ascii=False) for e in journal.every()]
    before = set(lines)
    merged = sorted(
        [*lines, *(line for line in slip.journal if line not in before)],
        key=lambda line: str(parse_json(line).get("at", "")),
    )
    text = "".join(f"{line}\n" for line in merged)
    write_bytes(journal.path, text.encode("utf-8"), private=True)
    given = "".join(f"{line}\n" for line in slip.journal)
    write_bytes(folder / GIVEN, given.encode("utf-8"), private=True)


def read_home(folder: Path) -> StudentHome | None:
    """What lies in a folder; None where no slip was brought there."""
    try:
        told = parse_json((folder / HOME).read_text(encoding="utf-8"))
        if not KEY.fullmatch(told["key"]):
            return None
        pieces = tuple(
            HomePiece(
                id=p["id"],
                title=p["title"],
                part=p["part"],
                comment=p.get("comment", ""),
                report=_report(folder / f"report-{p['id']}.json"),
            )
            for p in told["pieces"]
        )
        return StudentHome(
            folder=folder,
            key=told["key"],
            slip=told["slip"],
            made_at=told["made_at"],
            name=told["name"],
            instrument=told["instrument"],
            settings=told["settings"],
            pieces=pieces,
        )
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _report(path: Path) -> TakeReport | None:
    try:
        return cast(TakeReport, parse_json(path.read_text(encoding="utf-8")))
    except (OSError, ValueError):
        return None
