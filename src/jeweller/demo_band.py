"""A tray of takes on disk: the demo band, copied to a folder of the user's own so that decisions can be kept
beside the takes.
"""

from __future__ import annotations

import os
import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jeweller.assets import DEMO
from jeweller.files import parse_json
from jeweller.i18n import N_

FIRST_TRAY = N_("First week")


@dataclass(frozen=True, kw_only=True)
class TrayTake:
    """One take in a tray: who played what. `planned` is what the simulated player was told to do, where that
    is known.
    """

    player: str
    score: Path
    part: str
    take: Path
    title: str
    planned: tuple[dict[str, Any], ...] = ()


def data_home() -> Path:
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "jeweller"


def read_band(folder: Path) -> tuple[str, tuple[TrayTake, ...]]:
    """(name of the band, the takes of its first tray) of a folder with a band.json."""
    name, trays = read_trays(folder)
    return name, next(iter(trays.values()))


def read_trays(folder: Path) -> tuple[str, dict[str, tuple[TrayTake, ...]]]:
    """(name of the band, its takes by tray) of a folder with a band.json."""
    data = parse_json((folder / "band.json").read_text(encoding="utf-8"))
    trays: dict[str, list[TrayTake]] = {}
    for t in data["takes"]:
        take = TrayTake(
            player=t["player"],
            score=folder / t["score"],
            part=t["part"],
            take=folder / t["file"],
            title=t["title"],
            planned=tuple(t["planned"]),
        )
        trays.setdefault(t.get("tray", FIRST_TRAY), []).append(take)
    return data["band"], {tray: tuple(takes) for tray, takes in trays.items()}


def demo_band(home: Path | None = None) -> tuple[str, tuple[TrayTake, ...]]:
    """The demo band in the user's data folder; copied there when it is missing or older than the
    program's.
    """
    folder = (home or data_home()) / "demo"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o700)
        for source in DEMO.iterdir():
            target = folder / source.name
            if (
                not target.exists()
                or target.stat().st_size != source.stat().st_size
                or target.stat().st_mtime < source.stat().st_mtime
            ):
                shutil.copyfile(source, target)
    except OSError:
        folder = DEMO
    return read_band(folder)
