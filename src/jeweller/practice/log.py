"""Days and minutes of practice: a week against the rule that was agreed on, and a timer that runs while
playing is heard.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from jeweller.practice.settings import LOG

DAYS = 7


@dataclass(frozen=True, kw_only=True)
class Practised:
    """What was written down: on a day (ISO), for so many minutes; what was done, what went well, and what was
    done for it.
    """

    day: str
    minutes: int = 0
    note: str = ""
    well: str = ""
    did: str = ""


@dataclass(frozen=True)
class Rule:
    """At least so many minutes, on so many days a week."""

    minutes: int
    days: int


@dataclass(frozen=True)
class LogDay:
    """One day of a week with what was written down."""

    date: datetime.date
    minutes: int
    entries: tuple[Practised, ...]


@dataclass(frozen=True)
class LogWeek:
    """The days from Monday on, against a rule."""

    rule: Rule
    days: tuple[LogDay, ...]

    @property
    def minutes(self) -> int:
        """Of all days."""
        return sum(d.minutes for d in self.days)

    @property
    def counted(self) -> tuple[LogDay, ...]:
        """The days with as many minutes as the rule asks for."""
        return tuple(d for d in self.days if d.minutes >= self.rule.minutes)

    @property
    def apart(self) -> tuple[LogDay, ...]:
        """The days with fewer."""
        return tuple(d for d in self.days if 0 < d.minutes < self.rule.minutes)

    @property
    def kept(self) -> bool:
        return len(self.counted) >= self.rule.days


def monday_of(day: datetime.date) -> datetime.date:
    """
    >>> monday_of(datetime.date(2024, 2, 29)).isoformat()
    '2024-02-26'
    """
    return day - datetime.timedelta(days=day.weekday())


def week_of(entries: Iterable[Practised], day: datetime.date, rule: Rule) -> LogWeek:
    """The week that a day lies in.

    >>> told = [Practised(day="2024-02-28", minutes=15), Practised(day="2024-02-28", minutes=10)]
    >>> week = week_of(told, datetime.date(2024, 2, 29), Rule(20, 4))
    >>> week.minutes, len(week.counted), week.kept
    (25, 1, False)
    """
    monday = monday_of(day)
    by_day: dict[str, list[Practised]] = {}
    for entry in entries:
        by_day.setdefault(entry.day, []).append(entry)
    days = []
    for k in range(DAYS):
        date = monday + datetime.timedelta(days=k)
        own = tuple(by_day.get(date.isoformat(), ()))
        days.append(LogDay(date, sum(e.minutes for e in own), own))
    return LogWeek(rule, tuple(days))


def total(entries: Sequence[Practised], rule: Rule) -> tuple[int, int]:
    """(minutes of all, days that count)."""
    minutes: dict[str, int] = {}
    for e in entries:
        minutes[e.day] = minutes.get(e.day, 0) + e.minutes
    return sum(minutes.values()), sum(m >= rule.minutes for m in minutes.values())


@dataclass
class HeardTimer:
    """Runs while playing is heard: a rest, a page turned, a look at the part belong to it; a break does
    not.
    """

    seconds: float = 0.0
    heard_s: float | None = None  # when something was heard last

    def push(self, now_s: float, sounds: bool) -> None:
        """What is heard at a moment."""
        if not sounds:
            return
        if self.heard_s is not None and 0.0 < now_s - self.heard_s <= LOG.pause_s:
            self.seconds += now_s - self.heard_s
        self.heard_s = now_s

    def running(self, now_s: float) -> bool:
        """Whether it still runs, or waits to hear something."""
        return self.heard_s is not None and now_s - self.heard_s <= LOG.pause_s
