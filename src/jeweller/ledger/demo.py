"""The demo band as a library of its own: its players, its music, and trays of takes that wait to be checked."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from pathlib import Path

from jeweller.instruments.table import find_instrument
from jeweller.ledger.library import Library
from jeweller.score.load import load_score


def fill_demo(library: Library, name: str, trays: Mapping[str, Sequence[tuple[str, Path, str, Path]]]) -> None:
    """Enters the demo band into an empty library: (player, score, part, recording) for each take of each tray. Does nothing where a band is there already."""
    if library.bands():
        return
    band = library.add_band(name, str(datetime.date.today().year))
    pieces: dict[Path, str] = {}
    players: dict[str, int] = {}
    for tray, takes in trays.items():
        row = library.add_tray(band.id, tray)
        for player, score, part, recording in takes:
            if score not in pieces:
                music = load_score(score)
                there = library.shelf.same_music(music)
                pieces[score] = (there[0] if there else library.shelf.add(music)).id
            if player not in players:
                instrument = find_instrument(part)
                players[player] = library.add_player(band.id, player, instrument.id if instrument is not None else "", part).id
            library.add_take(row.id, recording, player=players[player], piece=pieces[score], part=part)
