"""The demo band as a library of its own: its players, its music, and a tray of takes that wait to be checked."""

from __future__ import annotations

import datetime
from pathlib import Path

from jeweller.instruments.table import find_instrument
from jeweller.ledger.library import Library
from jeweller.score.load import load_score

TRAY = "First week of the march"


def fill_demo(library: Library, name: str, takes: list[tuple[str, Path, str, Path]]) -> None:
    """Enters the demo band into an empty library: (player, score, part, recording) for each take. Does nothing where a band is there already."""
    if library.bands():
        return
    band = library.add_band(name, str(datetime.date.today().year))
    pieces: dict[Path, str] = {}
    for _, score, _, _ in takes:
        if score not in pieces:
            music = load_score(score)
            there = library.shelf.same_music(music)
            pieces[score] = (there[0] if there else library.shelf.add(music)).id
    tray = library.add_tray(band.id, TRAY)
    for player, score, part, recording in takes:
        instrument = find_instrument(part)
        row = library.add_player(band.id, player, instrument.id if instrument is not None else "", part)
        library.add_take(tray.id, recording, player=row.id, piece=pieces[score], part=part)
