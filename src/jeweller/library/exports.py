"""What of a tray leaves it: what each slip tells, the marks for the office. Players without consent are left
out where others would see their data.
"""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.decisions.standing import FindingState
from jeweller.i18n import N_
from jeweller.instruments.table import find_instrument
from jeweller.library.audit_log import WHOLE
from jeweller.library.library import Library
from jeweller.library.states import TakeState
from jeweller.library.summary import format_mark
from jeweller.library.tray import OpenTake, list_takes, open_take
from jeweller.report_format import ReportFinding

# Which of several attempts of a player counts.
ATTEMPTS = {
    "all": N_("every one, a row each"),
    "best": N_("the best"),
    "last": N_("the last"),
    "mean": N_("their mean"),
}


@dataclass(frozen=True, kw_only=True)
class FeedbackData:
    """What a slip is made of, without the music: `shown` the findings as they stand."""

    take: int
    player: str
    title: str
    hand: OpenTake
    shown: tuple[ReportFinding, ...]
    comment: str
    mark: str


def collect_feedback(library: Library, tray: int, takes: list[int] | None = None) -> list[FeedbackData]:
    """The slips of the takes that were checked (None: all of them), by player."""
    out = []
    for line in list_takes(library, tray):
        if (takes is not None and line.take.id not in takes) or line.take.state != TakeState.CHECKED:
            continue
        hand = open_take(library, line.take.id)
        shown = tuple(s.finding for s in hand.shown if s.state != FindingState.DISMISSED)
        out.append(
            FeedbackData(
                take=line.take.id,
                player=line.player,
                title=line.title,
                hand=hand,
                shown=shown,
                comment=hand.standing.comments.get(WHOLE, ""),
                mark=format_mark(line.take.summary),
            )
        )
    return sorted(out, key=lambda s: s.player.casefold())


def list_marks(
    library: Library, tray: int, *, with_consent_only: bool = False, attempts: str = "all"
) -> tuple[list[dict[str, str | float | None]], int]:
    """(rows by column, how many takes were left out for want of consent). `attempts` at one piece by one
    player: all, or only the best, the last or their mean.
    """
    row_of_tray = library.tray(tray)
    players = library.players_in(tray)
    rows: list[dict[str, str | float | None]] = []
    left_out = 0
    for line in sorted(list_takes(library, tray), key=lambda x: (x.player.casefold(), x.take.id)):
        player = players.get(line.take.player_id or 0)
        if with_consent_only and (player is None or not player.consent):
            left_out += 1
            continue
        s = line.take.summary
        instrument = find_instrument(player.instrument) if player is not None and player.instrument else None
        typed = str(s.get("typed") or "")
        comment = library.decisions_of(line.take.id).comments.get(WHOLE, "") if s.get("comments") else ""
        rows.append(
            {
                "player": line.player,
                "instrument": instrument.name if instrument is not None else "",
                "part": line.take.part,
                "piece": line.title,
                "tray": row_of_tray.name,
                "date": line.take.added_at.date().isoformat(),
                "mark": _number(typed) if typed else s.get("mark"),
                "computed": s.get("mark"),
                "out_of": s.get("out_of"),
                "band": s.get("band", ""),
                "state": line.state,
                "comment": comment,
                "bpm": s.get("bpm"),
                **s.get("facets", {}),
            }
        )
    return (rows if attempts == "all" else _one_each(rows, attempts)), left_out


def _one_each(
    rows: list[dict[str, str | float | None]], attempts: str
) -> list[dict[str, str | float | None]]:
    """One row for each player and piece: the best attempt, the last, or the last with the mean of all
    marks.
    """
    groups: dict[tuple[str, str], list[dict[str, str | float | None]]] = {}
    for row in rows:
        groups.setdefault((str(row["player"]), str(row["piece"])), []).append(row)
    out = []
    for group in groups.values():
        marks = [float(r["mark"]) for r in group if isinstance(r["mark"], int | float)]
        if attempts == "best" and marks:
            out.append(next(r for r in group if r["mark"] == max(marks)))
        elif attempts == "mean" and marks:
            out.append({**group[-1], "mark": round(sum(marks) / len(marks), 2)})
        else:
            out.append(group[-1])
    return out


def _number(text: str) -> str | float:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        return text
