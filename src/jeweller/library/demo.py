"""The demo band as a library of its own: its players, its music, and trays of takes that wait to be
checked.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from pathlib import Path

from jeweller.files import write_bytes
from jeweller.i18n import N_
from jeweller.instruments.table import find_instrument
from jeweller.library.assignments import kinds_in
from jeweller.library.library import Library
from jeweller.notation.readers.sandbox import load_score

SETUP = N_("the band room, one microphone")
DUE_DAYS, TRAPS = 2, 3  # until what the demo band was given is due; kinds of trap it was told to mind
ENTERED = "demo-entered"  # a file that says so: what is deleted afterwards stays so


def fill_demo(library: Library, name: str, trays: Mapping[str, Sequence[tuple[str, Path, str, Path]]]) -> int:
    """Enters the demo band: (player, score, part, recording) for each take of each tray. It can be broken off
    and taken up again; a library that holds another band is not touched. Returns how many takes are new.
    """
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
                players[player] = library.add_player(
                    band.id, player, instrument.id if instrument is not None else "", part
                ).id
            library.add_take(
                row, recording, player=players[player], piece=pieces[score], part=part, setup=SETUP
            )
            new += 1
        here = {score for _player, score, *_unused in takes}
        if len(here) == 1 and library.tray(row).assignment_id is None:  # a tray of one piece was given out
            music = load_score(here.pop())
            piece = library.shelf.same_music(music)[0]
            due = (datetime.date.today() + datetime.timedelta(days=DUE_DAYS)).isoformat()
            library.hand_in(
                row, library.give(band.id, piece.id, piece.title, due=due, traps=kinds_in(music)[:TRAPS]).id
            )
    write_bytes(entered, b"", private=True)
    return new
