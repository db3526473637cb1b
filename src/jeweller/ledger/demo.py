"""The demo band as a library of its own: its players, its music, and trays of takes that wait to be checked."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from pathlib import Path

from jeweller.files import write_bytes
from jeweller.instruments.table import find_instrument
from jeweller.ledger.library import Library
from jeweller.score.load import load_score

ENTERED = "demo-entered"  # a file that says so: what is deleted afterwards stays so


def fill_demo(library: Library, name: str, trays: Mapping[str, Sequence[tuple[str, Path, str, Path]]]) -> int:
    """Enters the demo band: (player, score, part, recording) for each take of each tray. It can be broken off and taken up again; a
    library that holds another band is not touched. Returns how many takes are new."""
    entered = library.folder / ENTERED
    bands = library.bands()
    if entered.exists() or any(b.name != name for b in bands):
        return 0
    band = bands[0] if bands else library.add_band(name, str(datetime.date.today().year))
    pieces: dict[Path, str] = {}
    players = {p.name: p.id for p in library.players(band.id)}
    rows = {t.name: t.id for t in library.trays(band.id)}
    new = 0
    for tray, takes in trays.items():
        row = rows[tray] if tray in rows else library.add_tray(band.id, tray).id
        there = {t.name for t in library.takes(row)}
        for player, score, part, recording in takes:
            if recording.name in there:
                continue
            if score not in pieces:
                music = load_score(score)
                same = library.shelf.same_music(music)
                pieces[score] = (same[0] if same else library.shelf.add(music)).id
            if player not in players:
                instrument = find_instrument(part)
                players[player] = library.add_player(band.id, player, instrument.id if instrument is not None else "", part).id
            library.add_take(row, recording, player=players[player], piece=pieces[score], part=part)
            new += 1
    write_bytes(entered, b"")
    return new
