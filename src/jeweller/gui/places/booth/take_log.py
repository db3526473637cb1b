"""The takes of one session: which is shown, what it is compared with, what goes into the journal."""

from __future__ import annotations

import dataclasses
import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jeweller.booth.attempts import BoothTake, Comparison, compare
from jeweller.booth.own_view import OwnMark, OwnView, agree, trend
from jeweller.booth.plan import Help, Music, TakePlan
from jeweller.errors import LedgerError
from jeweller.i18n import _
from jeweller.library.journal import PlayerJournal
from jeweller.library.summary import sound_of
from jeweller.practice.polish import thing_of

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player
    from jeweller.pipeline.check import Checked


class TakeLog:
    """`shown` is the number of the take that is shown."""

    def __init__(self) -> None:
        self.takes: list[BoothTake] = []
        self.checked: dict[int, Checked] = {}
        self.shown: int | None = None

    def add(self, plan: TakePlan, path: Path | None, checked: Checked | None, trouble: str) -> BoothTake:
        """Another take, which is shown from now on."""
        number = len(self.takes) + 1
        report = checked.report if checked is not None else None
        take = BoothTake(number=number, plan=plan, path=path, report=report, trouble=trouble)
        self.takes.append(take)
        if checked is not None:
            self.checked[number] = checked
        self.shown = number
        return take

    @property
    def take(self) -> BoothTake | None:
        """The take that is shown."""
        return next((t for t in self.takes if t.number == self.shown), None)

    def show(self, number: int) -> bool:
        """Shows another take; whether there is one of that number."""
        there = any(t.number == number for t in self.takes)
        self.shown = number if there else self.shown
        return there

    def like(self, plan: TakePlan) -> list[BoothTake]:
        """The takes of the bars and the layer of a plan, of which something is known."""
        return [
            t
            for t in self.takes
            if t.plan.bars == plan.bars and t.plan.layer == plan.layer and t.report is not None
        ]

    def comparison(self, with_number: int | None = None) -> tuple[BoothTake, Comparison] | None:
        """The take that is shown beside another one, or the one before it of the same bars; (the earlier of
        the two, what the later one has over it).
        """
        now = self.take
        if now is None or now.report is None:
            return None
        if with_number is None:
            before = [t for t in self.like(now.plan) if t.number < now.number]
            other = before[-1] if before else None
        else:
            other = next((t for t in self.takes if t.number == with_number), None)
        if other is None or other.number == now.number or other.report is None:
            return None
        first, last = sorted((other, now), key=lambda t: t.number)
        return first, compare(first, last)

    def keep_view(self, view: OwnView) -> BoothTake | None:
        """Keeps what the player said first of the take that is shown."""
        take = self.take
        if take is None:
            return None
        kept = dataclasses.replace(take, own_view=view.as_dict(), said=view.good)
        self.takes[self.takes.index(take)] = kept
        return kept

    def agreement(self, journal: PlayerJournal) -> list[str]:
        """The player's own view beside the verdict, and how well both agreed over the weeks."""
        take = self.take
        if take is None or take.report is None or not take.own_view:
            return []
        view = OwnView(tuple(OwnMark(*m) for m in take.own_view["marks"]), take.own_view["good"])
        shares = [(e["at"][:10], float(e["share"])) for e in journal.entries("own view")]
        told = [*agree(view, take.report).lines, trend(shares)]
        if view.good:
            told.append(_("What went well: {good}").format(good=view.good))
        return [t for t in told if t]


def journal_entry(take: BoothTake, music: Music | None, setup: str = "") -> dict[str, Any]:
    """What is kept of a take from session to session; `setup` names what it was heard with."""
    alone = take.plan.help == Help.ALONE and take.plan.layer == "play" and not take.plan.keys
    level = sound_of(take.report).get("level_db") if take.report is not None and alone else None
    return {
        **({"setup": setup, "level_db": level} if level is not None else {}),
        "piece": music.piece if music is not None else "",
        "title": take.plan.title,
        "part": music.part.name if music is not None else "",
        "plan": dataclasses.asdict(take.plan),
        "file": take.path.name if take.path is not None else "",
        "clean": take.clean,
        "stopped_at": take.stopped_at,
        "findings": [[f["kind"], f["bar"]] for f in take.findings],
        "things": sorted({thing_of(f) for f in take.findings}),
        "mark": take.report["mark"]["value"] if take.report is not None else None,
    }


def hand_in(
    library: Library | None, player: Player | None, music: Music | None, take: BoothTake | None
) -> int | None:
    """Puts the take that is shown into a tray of the day, as any take of its player; the take's id there.
    Raises LedgerError.
    """
    if take is None or take.path is None or music is None:
        return None
    if library is None or player is None or not music.piece:
        raise LedgerError(_("Choose who plays, and a piece of the shelf: then the take can go to the bench."))
    if take.plan.bars:
        raise LedgerError(_("Only a take of the whole piece goes to the bench."))
    name = _("Booth, {day}").format(day=datetime.date.today().isoformat())
    trays = [t for t in library.trays(player.band_id) if t.name == name]
    tray = trays[0] if trays else library.add_tray(player.band_id, name)
    options = take.plan.options(None, None)
    return library.add_take(
        tray.id,
        take.path,
        player=player.id,
        piece=music.piece,
        part=music.part.name,
        support=options.support,
        reading=take.plan.reading,
    ).id
