"""What is said of days and weeks of practice."""

from __future__ import annotations

import datetime

from jeweller.i18n import N_, _, ngettext
from jeweller.practice.log import LogWeek, Rule

DAY_NAMES = (
    N_("Monday"),
    N_("Tuesday"),
    N_("Wednesday"),
    N_("Thursday"),
    N_("Friday"),
    N_("Saturday"),
    N_("Sunday"),
)


def day_name(day: datetime.date) -> str:
    """
    >>> day_name(datetime.date(2024, 2, 29))
    'Thursday'
    """
    return _(DAY_NAMES[day.weekday()])


def rule_words(rule: Rule) -> str:
    """
    >>> rule_words(Rule(15, 5))
    'at least 15 minutes on 5 days a week'
    """
    return ngettext(
        "at least {minutes} minutes on {days} day a week",
        "at least {minutes} minutes on {days} days a week",
        rule.days,
    ).format(minutes=rule.minutes, days=rule.days)


def week_words(week: LogWeek) -> str:
    """What a week comes to, in a sentence or two; days below the least are named, and not scolded.

    >>> from jeweller.practice.log import Practised, week_of
    >>> told = [Practised(day="2024-02-26", minutes=20), Practised(day="2024-02-27", minutes=5)]
    >>> week_words(week_of(told, datetime.date(2024, 2, 26), Rule(15, 1)))
    '25 minutes in all, 1 day that counts: as agreed. Shorter, and kept apart: Tuesday.'
    """
    if not week.minutes:
        return _("Nothing is written down for this week yet.")
    counted = ngettext(
        "{minutes} minutes in all, {n} day that counts",
        "{minutes} minutes in all, {n} days that count",
        len(week.counted),
    ).format(minutes=week.minutes, n=len(week.counted))
    missing = week.rule.days - len(week.counted)
    left = (
        _("{counted}: as agreed.").format(counted=counted)
        if week.kept
        else ngettext(
            "{counted}; {n} day more was agreed on.", "{counted}; {n} days more were agreed on.", missing
        ).format(counted=counted, n=missing)
    )
    short = ", ".join(day_name(d.date) for d in week.apart)
    return left + (" " + _("Shorter, and kept apart: {days}.").format(days=short) if short else "")
