"""Spacing over days: what was shaky comes back sooner."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from jeweller.practice.settings import SPACING


def next_day(tries: Sequence[tuple[datetime.date, bool]]) -> datetime.date | None:
    """The day on which something is due again, by the days on which it was tried and whether it was right;
    None where it never was tried. Several tries on one day are one: right only if all of them were.

    >>> day = datetime.date(2026, 3, 1)
    >>> next_day([(day, False), (day + datetime.timedelta(1), True), (day + datetime.timedelta(3), True)])
    datetime.date(2026, 3, 8)
    """
    days: dict[datetime.date, bool] = {}
    for day, right in tries:
        days[day] = days.get(day, True) and right
    if not days:
        return None
    interval = SPACING.first_days
    for _day, right in sorted(days.items()):
        interval = min(SPACING.most_days, 2 * interval) if right else SPACING.first_days
    return max(days) + datetime.timedelta(days=interval)
