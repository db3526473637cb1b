"""How loud a player plays, against what is usual for this player in the same set-up: whether it has become
soft by habit. Louder is never said to be better.
"""

from __future__ import annotations

import datetime
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jeweller.i18n import ngettext
from jeweller.practice.settings import SOFT


@dataclass(frozen=True)
class HeardLevel:
    """How loud a take was in a set-up (microphone, room and part, by whatever name)."""

    day: datetime.date
    setup: str
    level_db: float


@dataclass(frozen=True)
class SoftHabit:
    """The last `days` on which something was heard in a set-up were softer than usual by `by_db` at least."""

    setup: str
    days: int
    by_db: float


def levels_of(entries: Iterable[Mapping[str, Any]]) -> list[HeardLevel]:
    """The levels of the takes of a journal; takes that do not tell them are passed over."""
    out = []
    for e in entries:
        try:
            if e["kind"] == "take" and e["setup"]:
                day = datetime.date.fromisoformat(str(e["at"])[:10])
                setup = f"{e['setup']} · {e.get('part', '')}"  # another instrument is another set-up
                out.append(HeardLevel(day, setup, float(e["level_db"])))
        except (KeyError, ValueError, TypeError):
            continue
    return out


def soft_by_habit(levels: Iterable[HeardLevel]) -> SoftHabit | None:
    """Whether the last days were all softer than usual in the set-up that was used last. A soft day or a soft
    piece is no habit.

    >>> days = [datetime.date(2024, 2, k) for k in range(1, 9)]
    >>> levels = [HeardLevel(d, "desk", -20.0 if d.day < 6 else -28.0) for d in days]
    >>> soft_by_habit(levels)
    SoftHabit(setup='desk', days=3, by_db=8.0)
    """
    by_day: dict[str, dict[datetime.date, list[float]]] = {}
    last = None
    for level in sorted(levels, key=lambda x: x.day):
        by_day.setdefault(level.setup, {}).setdefault(level.day, []).append(level.level_db)
        last = level.setup
    if last is None:
        return None
    days = [statistics.median(found) for _day, found in sorted(by_day[last].items())]
    before, now = days[: -SOFT.days], days[-SOFT.days :]
    if len(before) < SOFT.usual_days:
        return None
    softer = statistics.median(before) - max(now)
    return SoftHabit(last, SOFT.days, round(softer, 1)) if softer >= SOFT.by_db else None


def may_tell(told: Sequence[Mapping[str, Any]], habit: SoftHabit, today: datetime.date) -> bool:
    """Whether it is to be said: once, and on the day it was said first; again only after a long while. `told`
    are the entries of a journal that say it was.
    """
    days = [datetime.date.fromisoformat(str(e["day"])) for e in told if e.get("setup") == habit.setup]
    return not days or days[-1] == today or (today - days[-1]).days >= SOFT.again_days


def soft_words(habit: SoftHabit) -> str:
    """
    >>> soft_words(SoftHabit("desk", 3, 8.0)).split(":")[0]
    'On the last 3 days you played about 8 dB softer than usual with this microphone'
    """
    return ngettext(
        "On the last {n} day you played about {db:.0f} dB softer than usual with this microphone: "
        "if you hold back for the sake of others, another hour or another room lets you play with your own "
        "full sound.",
        "On the last {n} days you played about {db:.0f} dB softer than usual with this microphone: "
        "if you hold back for the sake of others, another hour or another room lets you play with your own "
        "full sound.",
        habit.days,
    ).format(n=habit.days, db=habit.by_db)
