"""A class at a glance: which bars went wrong for whom, the most missed places, tuning by instrument, who
needs help, and the rehearsal that follows.

Bars are matched by their printed numbers, which the parts of a score share; pitches are compared as they
sound, and told in each player's letters.
"""

from __future__ import annotations

import statistics
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from jeweller.assessment.messages import FACET_NAMES
from jeweller.i18n import N_, _
from jeweller.instruments.table import find_instrument
from jeweller.library.library import Library
from jeweller.library.states import TakeState
from jeweller.library.summary import place_text
from jeweller.library.tray import list_takes
from jeweller.phrases import name_bars

SECTIONS = (
    (N_("Flutes and oboes"), ("piccolo", "flute", "oboe", "english-horn", "recorder", "alto-recorder")),
    (N_("Clarinets"), ("clarinet",)),
    (N_("Saxophones"), ("saxophone",)),
    (N_("Bassoons"), ("bassoon",)),
    (N_("Trumpets"), ("trumpet", "cornet", "flugelhorn")),
    (N_("Horns"), ("horn", "mellophone")),
    (N_("Low brass"), ("trombone", "euphonium", "baritone", "tuba", "bass-")),
)
OTHERS = N_("Others")
MOST_PLACES = 8  # most missed places that are named
MOST_SECTIONS = 3  # that are named; else it is for everybody
PLANNED = 6  # places of one rehearsal
HELP, MOVE_ON = (N_("taking shape"), N_("still in the rough")), "polished"
DRILLS = {
    "notes": N_("one bar alone, half speed, every note named; then the bar before and after it"),
    "accidentals": (
        N_("name the altered notes aloud, finger them without a sound, then play; once from each section")
    ),
    "count": (
        N_("count aloud and clap the notes, whisper the rests; then play the same with feet marking the beat")
    ),
    "rhythm": N_("the rhythm on one note, counted, slowly; then with its own notes"),
    "ornaments": N_("without the ornament, then with it slow, then light"),
    "articulation": N_("sing the syllables, then play one bar on one breath"),
    "sound": N_("the long notes alone, each section by itself, listening for one sound"),
}
OWN_DRILLS = {
    "dynamics_flat": N_("once all soft, once all loud; then as printed, more of it than feels right"),
    "out_of_tune": N_("this note alone, one section after another, then together"),
}
MINUTES_LEAST, MINUTES_SHARE = 2, 4  # minutes for a place, and more the more players miss it


@dataclass(frozen=True, kw_only=True)
class Cell:
    """What stands against one player in one bar."""

    facet: str
    kind: str
    text: str
    take: int
    key: str
    beat: float


@dataclass(frozen=True, kw_only=True)
class PlayerRow:
    """One player's line: cells by printed bar; `heard` the bars that were played at all."""

    player: str
    instrument: str
    section: str
    take: int
    band: str
    mark: float | None
    cells: dict[str, tuple[Cell, ...]]
    heard: frozenset[str]
    whole: bool = True  # whether the take holds the whole part
    part: str = ""


@dataclass(frozen=True, kw_only=True)
class Place:
    """A place that several players missed: what was written and what sounded, by the words of each part."""

    bar: str
    beat: float
    facet: str
    kind: str  # of finding that most have there
    players: tuple[str, ...]
    sections: tuple[str, ...]
    of: int  # players who came to it
    told: tuple[str, ...]  # a sentence or two, as the findings say it


@dataclass(frozen=True, kw_only=True)
class Item:
    """One item of a rehearsal."""

    bars: str
    what: str
    who: str
    drill: str
    minutes: int


@dataclass(frozen=True)
class Tendency:
    """How an instrument's takes lay, in cents, and the notes of it that lie furthest from the others."""

    instrument: str
    takes: int
    cents: float
    notes: tuple[tuple[str, float], ...]


@dataclass(frozen=True, kw_only=True)
class ClassView:
    """Everything of one piece in one tray."""

    title: str
    bars: tuple[str, ...]
    rows: tuple[PlayerRow, ...]
    places: tuple[Place, ...]
    plan: tuple[Item, ...]
    tuning: tuple[Tendency, ...]
    help: tuple[str, ...]
    move_on: tuple[str, ...]


def section_of(instrument: str) -> str:
    """The section an instrument (by its id) sits in."""
    return next(
        (
            name
            for name, ids in SECTIONS
            if any(instrument == i or (i in instrument and i not in ("horn",)) for i in ids)
            or ("horn" in ids and instrument.endswith("horn"))
        ),
        OTHERS,
    )


def pieces_of(library: Library, tray: int) -> list[tuple[str, str, int]]:
    """(id, title, how many takes) of the pieces of a tray, the one with most takes first."""
    counts: dict[tuple[str, str], int] = defaultdict(int)
    for line in list_takes(library, tray):
        if line.take.piece and line.take.state == TakeState.CHECKED:
            counts[(line.take.piece, line.title)] += 1
    return [(piece, title, n) for (piece, title), n in sorted(counts.items(), key=lambda c: (-c[1], c[0][1]))]


def class_view(library: Library, tray: int, piece: str) -> ClassView:
    """The picture of a piece across the players of a tray."""
    players = library.players_in(tray)
    rows: list[PlayerRow] = []
    summaries: list[tuple[PlayerRow, dict[str, Any]]] = []
    title, order = "", [name for name, _unused in SECTIONS] + [OTHERS]
    for line in list_takes(library, tray):
        if line.take.piece != piece or line.take.state != TakeState.CHECKED:
            continue
        title, summary = line.title, line.take.summary
        player = players.get(line.take.player_id or 0)
        found = find_instrument(
            player.instrument if player is not None and player.instrument else line.take.part
        )
        cells: dict[str, list[Cell]] = defaultdict(list)
        for place in summary["places"]:
            for bar in place["bars"]:
                cells[bar].append(
                    Cell(
                        facet=place["facet"],
                        kind=place["kind"],
                        text=place_text(place),
                        take=line.take.id,
                        key=place["key"],
                        beat=place["beat"],
                    )
                )
        row = PlayerRow(
            player=line.player,
            instrument=found.said if found is not None else line.take.part,
            section=section_of(found.id) if found is not None else OTHERS,
            take=line.take.id,
            band=summary["band"],
            mark=summary["mark"],
            cells={b: tuple(c) for b, c in cells.items()},
            heard=frozenset(summary["heard"]),
            whole=(summary.get("part_heard") or {"whole": True})["whole"],
            part=line.take.part,
        )
        rows.append(row)
        summaries.append((row, summary))
    rows.sort(key=lambda r: (order.index(r.section), r.instrument, r.player.casefold()))
    bars: tuple[str, ...] = ()
    for _unused, summary in summaries:
        bars = max(bars, tuple(summary["bars"]), key=lambda numbers: len(numbers))
    places = _places(rows, bars)
    return ClassView(
        title=title,
        bars=bars,
        rows=tuple(rows),
        places=places,
        plan=plan(places, bars),
        tuning=_tuning(summaries),
        help=tuple(r.player for r in rows if r.band in HELP),
        move_on=tuple(r.player for r in rows if r.band == MOVE_ON and not r.cells and r.whole),
    )


def _places(rows: Sequence[PlayerRow], bars: Sequence[str]) -> tuple[Place, ...]:
    """Places that two players or more missed, those that most missed first; findings of one facet in a bar
    are one place.
    """
    found: dict[tuple[str, str], list[tuple[PlayerRow, Cell]]] = defaultdict(list)
    for row in rows:
        for bar, cells in row.cells.items():
            for facet in dict.fromkeys(c.facet for c in cells):
                found[(bar, facet)].append((row, next(c for c in cells if c.facet == facet)))
    places = []
    for (bar, facet), misses in found.items():
        if len(misses) < 2:
            continue
        told = tuple(dict.fromkeys(c.text for _unused, c in misses))[:2]
        beat = statistics.median(c.beat for _unused, c in misses)
        kind = statistics.mode(c.kind for _unused, c in misses)
        places.append(
            Place(
                bar=bar,
                beat=beat,
                facet=facet,
                kind=kind,
                players=tuple(r.player for r, _unused in misses),
                sections=tuple(dict.fromkeys(r.section for r, _unused in misses)),
                of=sum(bar in r.heard for r in rows),
                told=told,
            )
        )
    order = {b: k for k, b in enumerate(bars)}
    return tuple(sorted(places, key=lambda p: (-len(p.players), order.get(p.bar, 0)))[:MOST_PLACES])


def plan(places: Sequence[Place], bars: Sequence[str]) -> tuple[Item, ...]:
    """What to rehearse, in order: neighbouring bars of one facet, and the places of one habit, are one item;
    minutes by how many miss it.
    """
    order = {b: k for k, b in enumerate(bars)}
    groups: list[list[Place]] = []
    for place in places[:MOST_PLACES]:
        near = next(
            (
                g
                for g in groups
                if g[0].facet == place.facet
                and any(p.told[0] == place.told[0] or abs(order[p.bar] - order[place.bar]) <= 1 for p in g)
            ),
            None,
        )
        if near is None:
            groups.append([place])
        else:
            near.append(place)
    items = []
    for group in groups[:PLANNED]:
        numbers = sorted({p.bar for p in group}, key=lambda b: order[b])
        players = {x for p in group for x in p.players}
        sections = list(dict.fromkeys(s for p in group for s in p.sections))
        share = len(players) / max(1, max(p.of for p in group))
        who = _("everybody") if len(sections) > MOST_SECTIONS else "; ".join(_(s) for s in sections)
        what = _("{n} of {max} players").format(n=len(players), max=max(p.of for p in group))
        items.append(
            Item(
                bars=name_bars(numbers),
                what=_("{facet}: {what}. {told}").format(
                    facet=_(FACET_NAMES[group[0].facet]), what=what, told=group[0].told[0]
                ),
                who=who,
                drill=_(OWN_DRILLS.get(group[0].kind) or DRILLS[group[0].facet]),
                minutes=MINUTES_LEAST + round(MINUTES_SHARE * share),
            )
        )
    return tuple(items)


def _tuning(summaries: Iterable[tuple[PlayerRow, dict[str, Any]]]) -> tuple[Tendency, ...]:
    """How the takes of each instrument lay; takes are only compared within an instrument."""
    offsets: dict[str, list[float]] = defaultdict(list)
    notes: dict[str, dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    for row, summary in summaries:
        if summary["offset"] is not None:
            offsets[row.instrument].append(summary["offset"])
            for written, cents in summary["notes"]:
                notes[row.instrument][written].append(cents)
    out = []
    for instrument, found in offsets.items():
        by_note = sorted(
            ((name, round(statistics.median(v), 1)) for name, v in notes[instrument].items()),
            key=lambda x: -abs(x[1]),
        )
        out.append(
            Tendency(
                instrument,
                len(found),
                round(statistics.median(found), 1),
                tuple((n, c) for n, c in by_note[:3] if abs(c) >= 10),
            )
        )
    return tuple(sorted(out, key=lambda t: -abs(t.cents)))
