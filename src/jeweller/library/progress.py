"""A player over time: attempts at one thing side by side, the speed reached, what stays wrong in piece after
piece, minutes practised.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from jeweller.i18n import N_, _
from jeweller.instruments.table import find_instrument
from jeweller.library.library import Library
from jeweller.library.states import TakeState
from jeweller.library.summary import habit_said, place_text
from jeweller.library.tables import Player

# (of the sound of a take, from which change on it is told at the same piece and at another, words for more,
# words for less). `bench/setups.py` shows what changes by itself: at another piece loudness is what is
# written there.
SOUNDS = (
    ("level_db", 3.0, 6.0, N_("louder by {:.0f} dB"), N_("softer by {:.0f} dB")),
    ("spread_db", 3.0, math.inf, N_("more between soft and loud"), N_("less between soft and loud")),
    ("clearness", 0.04, 0.04, N_("a clearer tone"), N_("a less clear tone")),
    ("waver_cents", 4.0, 4.0, N_("long notes less steady"), N_("steadier long notes")),
)
STAYS = 2  # pieces in which the same thing must be wrong to be called a habit


@dataclass(frozen=True, kw_only=True)
class Attempt:
    """One take of a player, as it stands."""

    take: int
    piece: str
    title: str
    day: str
    facets: dict[str, float | None]
    mark: float | None
    out_of: float | None
    bpm: float | None
    support: str
    better: tuple[str, ...]  # facets clean now that were not in the attempt before
    new: tuple[str, ...]  # facets not clean now that were
    findings: tuple[str, ...]  # sentences
    setup: str = ""  # with what it was recorded
    level_db: float | None = None  # to be compared within a set-up only
    sound: tuple[str, ...] = ()  # how loudness and tone changed since the take before with the same set-up


@dataclass(frozen=True, kw_only=True)
class OverTime:
    """Everything that is told of one player."""

    player: Player
    attempts: tuple[Attempt, ...]  # the oldest first
    habits: tuple[str, ...]
    minutes: int
    days: int

    def of(self, piece: str) -> list[Attempt]:
        """The attempts at one piece."""
        return [a for a in self.attempts if a.piece == piece]


def over_time(library: Library, player: Player) -> OverTime:
    """What a player did, from the first take to the last."""
    titles = {p.id: p.title for p in library.shelf.pieces.values()}
    attempts: list[Attempt] = []
    wrong: dict[str, set[str]] = defaultdict(set)  # what stays wrong → pieces
    counts: Counter[str] = Counter()
    recorded: dict[
        tuple[str, str], tuple[str, dict[str, Any]]
    ] = {}  # by set-up and instrument, piece and sound of the take before
    for take in library.takes_of(player.id):
        if take.state != TakeState.CHECKED:
            continue
        before = next((a for a in reversed(attempts) if a.piece == take.piece), None)
        facets = take.summary["facets"]
        instrument = find_instrument(take.part)
        same = (take.setup, instrument.id if instrument is not None else take.part)
        was_piece, was_sound = recorded.get(same, ("", {}))
        clean = {f for f, m in facets.items() if m == 1.0}
        was = {f for f, m in before.facets.items() if m == 1.0} if before is not None else clean
        attempts.append(
            Attempt(
                take=take.id,
                piece=take.piece,
                title=titles.get(take.piece, take.name),
                day=take.added_at.date().isoformat(),
                facets=facets,
                mark=take.summary["mark"],
                out_of=take.summary["out_of"],
                bpm=take.summary["bpm"],
                support=take.support,
                better=tuple(f for f in facets if f in clean - was) if before else (),
                new=tuple(f for f in facets if f in was - clean and facets[f] is not None) if before else (),
                findings=tuple(place_text(p) for p in take.summary["places"]),
                setup=take.setup,
                level_db=take.summary["sound"].get("level_db") if take.setup else None,
                sound=sound_changes(was_sound, take.summary["sound"], same_piece=was_piece == take.piece),
            )
        )
        if take.setup:
            recorded[same] = take.piece, take.summary["sound"]
        for what in {p["habit"] for p in take.summary["places"] if p["habit"]}:
            wrong[what].add(take.piece)
            counts[what] += 1
    habits = tuple(
        _("{what}, in {n} pieces").format(what=habit_said(what), n=len(wrong[what]))
        for what, n in counts.most_common()
        if len(wrong[what]) >= STAYS
    )
    practised = library.practice(player.id)
    return OverTime(
        player=player,
        attempts=tuple(attempts),
        habits=habits,
        minutes=sum(p.minutes for p in practised),
        days=len({p.day for p in practised}),
    )


def sound_changes(
    before: Mapping[str, Any], now: Mapping[str, Any], *, same_piece: bool = True
) -> tuple[str, ...]:
    """What two takes of one set-up tell of loudness and tone; () where they are alike, or one of them is not
    known.
    """
    out = []
    for name, here, elsewhere, more, less in SOUNDS:
        least = here if same_piece else elsewhere
        if (
            before.get(name) is not None
            and now.get(name) is not None
            and abs(now[name] - before[name]) >= least
        ):
            change = now[name] - before[name]
            out.append((more if change > 0 else less).format(abs(change)))
    return tuple(out)


def known_notes(library: Library, player: Player) -> frozenset[int]:
    """Written MIDI numbers of the notes a player has played right in any take: those that are not new any
    more.
    """
    return frozenset(n for take in library.takes_of(player.id) for n in take.summary.get("right", ()))
