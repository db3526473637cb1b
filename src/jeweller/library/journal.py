"""What a player does in the booth and in warming up, kept from session to session: recordings and a journal
of one line an entry, in a folder of the player's own that goes when the player is deleted.
"""

from __future__ import annotations

import datetime
import json
import os
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from jeweller.audio.recorder import Recorded, recover
from jeweller.files import parse_json
from jeweller.i18n import _

GUEST = "guest"  # whoever is not in the class
FOLDER = "booth"


class PlayerJournal:
    """The folder of one player (`player` an id of the library, None a guest).

    >>> import tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     PlayerJournal(Path(folder), None).add("breath", {"rounds": 4})
    ...     [e["rounds"] for e in PlayerJournal(Path(folder), None).entries("breath")]
    [4]
    """

    def __init__(self, library: Path, player: int | None) -> None:
        self.folder = library / FOLDER / (GUEST if player is None else str(player))
        self.path = self.folder / "journal.jsonl"

    def open(self) -> None:
        """Makes the folder, for this user only. Raises OSError."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for folder in (self.folder.parent, self.folder):
            folder.chmod(0o700)

    def add(self, kind: str, entry: dict[str, Any]) -> None:
        """Writes an entry, on the disk when this returns. Raises OSError."""
        self.add_line({"kind": kind, "at": _now(), **entry})

    def add_line(self, entry: Mapping[str, Any]) -> None:
        """The same with an entry that has its kind and its time. Raises OSError."""
        self.open()
        line = json.dumps(entry, ensure_ascii=False) + "\n"
        file = os.open(self.path, os.O_CREAT | os.O_APPEND | os.O_WRONLY, 0o600)
        try:
            os.write(file, line.encode("utf-8"))
            os.fsync(file)
        finally:
            os.close(file)

    def entries(self, kind: str) -> list[dict[str, Any]]:
        """The entries of a kind, oldest first."""
        return [e for e in self.every() if e["kind"] == kind]

    def every(self) -> list[dict[str, Any]]:
        """All entries, oldest first. A line that was cut off by a crash is passed over."""
        try:
            lines = self.path.read_text(encoding="utf-8", errors="replace").splitlines()
        except OSError:
            return []
        out = []
        for line in lines:
            try:
                entry = parse_json(line)
            except ValueError:
                continue
            if isinstance(entry, dict) and isinstance(entry.get("kind"), str):
                out.append(entry)
        return out

    def new_take(self) -> Path:
        """A path for the next recording. Raises OSError."""
        self.open()
        stamp = datetime.datetime.now().strftime("%Y%m%d-%H%M%S")
        k, path = 1, self.folder / f"{stamp}.wav"
        while path.exists() or path.with_name(f"{path.stem}.part.wav").exists():
            k += 1
            path = self.folder / f"{stamp}-{k}.wav"
        return path


def _now() -> str:
    return datetime.datetime.now().isoformat(timespec="seconds")


def recover_takes(library: Path) -> list[Recorded]:
    """Makes whole what was recorded when the program ended suddenly, of all players."""
    folder = library / FOLDER
    return [r for player in sorted(folder.glob("*")) if player.is_dir() for r in recover(player)]


def recovered_sentence(found: list[Recorded]) -> str:
    """What is told of it at the next start; "" where there is nothing.

    >>> recovered_sentence([])
    ''
    """
    if not found:
        return ""
    seconds = round(sum(r.seconds for r in found))
    return _(
        "The program ended while a take was recorded. {seconds} seconds of it are safe, in {path}."
    ).format(seconds=seconds, path=found[-1].path)


def journal_files(library: Path, player: int) -> list[Path]:
    """The files that are kept of a player."""
    return sorted(p for p in PlayerJournal(library, player).folder.glob("*") if p.is_file())


def forget_player(library: Path, player: int) -> None:
    """Deletes all that the booth and the warm-up keep of a player. Raises OSError."""
    folder = PlayerJournal(library, player).folder
    if folder.exists():
        shutil.rmtree(folder)
