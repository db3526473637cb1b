"""Spacing over days: what was worked at comes back, after a wait that doubles each time it stayed mended and
begins anew where the fault came again. The rule and its source stand in `practice.settings.SPACING`.
"""

from __future__ import annotations

import dataclasses
import datetime
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from jeweller.assessment.messages import localized
from jeweller.i18n import _, ngettext
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part
from jeweller.practice.drills import DRILLS, Drill
from jeweller.practice.polish import PolishItem, ways_to_try
from jeweller.practice.remedies import RemedyTable
from jeweller.practice.settings import SPACING
from jeweller.serialization import from_plain, to_plain


@dataclass(frozen=True, kw_only=True)
class KeptThing:
    """Something that was worked at: how often it stayed mended since, on which day that was seen last, and
    the entry of the journal with its drill.
    """

    thing: str
    stage: int
    seen: datetime.date
    entry: Mapping[str, Any]

    @property
    def due(self) -> datetime.date:
        """When it is to be played again."""
        return self.seen + datetime.timedelta(days=wait_days(self.stage))


def wait_days(stage: int) -> int:
    """Days until something comes back that stayed mended so often.

    >>> [wait_days(k) for k in range(5)]
    [1, 2, 4, 8, 16]
    """
    return round(SPACING.first_days * SPACING.factor**stage)


def rule_sentence() -> str:
    """The schedule in words.

    >>> rule_sentence().split(";")[0]
    'What was worked at comes back after 1 day, then after 2, 4, 8, 16, 32 days as long as it stays mended'
    """
    first, *later = [wait_days(k) for k in range(12) if wait_days(k) <= SPACING.most_days]
    return ngettext(
        "What was worked at comes back after {n} day, then after {later} days as long as it stays mended; "
        "where it comes again, the waits begin anew.",
        "What was worked at comes back after {n} days, then after {later} days as long as it stays mended; "
        "where it comes again, the waits begin anew.",
        first,
    ).format(n=first, later=", ".join(str(n) for n in later))


def keep_drill(item: PolishItem, title: str) -> dict[str, Any]:
    """What the journal keeps of an item that is worked at, so that it can come back; `title` of its tune."""
    if item.drill is None:
        return {}
    return {
        "title": title,
        "finding": item.finding,
        "drill": {"kind": item.drill.kind, "part": to_plain(item.drill.part, lean=True)},
        "bpm": item.bpm,
    }


def kept_things(entries: Iterable[Mapping[str, Any]]) -> list[KeptThing]:
    """What a journal (oldest first) says was worked at and can come back, the soonest due first. A take of
    the tune or of the drill in which a thing does not come shows that it stayed mended, once a day that it
    was due; one in which it comes, of whatever, that it did not. After the longest wait it is known for good.
    """
    kept: dict[str, KeptThing] = {}
    for entry in entries:
        try:
            day = datetime.date.fromisoformat(str(entry["at"])[:10])
            things = [str(t) for t in entry.get("things", ())]
        except (KeyError, ValueError, TypeError):
            continue
        if entry.get("kind") == "polish" and isinstance(entry.get("drill"), dict):
            for thing in things:
                before = kept.get(thing, KeptThing(thing=thing, stage=0, seen=day, entry=entry))
                kept[thing] = dataclasses.replace(before, entry=entry)
        elif entry.get("kind") == "take":
            for thing, k in kept.items():
                if thing in things:
                    kept[thing] = dataclasses.replace(k, stage=0, seen=day)
                elif day >= k.due and _would_show(entry, k.entry):
                    kept[thing] = dataclasses.replace(k, stage=k.stage + 1, seen=day)
    open_ones = [k for k in kept.values() if wait_days(k.stage) <= SPACING.most_days]
    return sorted(open_ones, key=lambda k: (k.due, k.stage))


def _would_show(take: Mapping[str, Any], worked: Mapping[str, Any]) -> bool:
    """Whether a take would show the fault again: all of its tune, or of its drill, was heard."""
    plan = take.get("plan")
    whole = not (isinstance(plan, dict) and plan.get("bars")) and take.get("mark") is not None
    drill = DRILLS.get(str(worked["drill"].get("kind")), ("",))[0]
    return (
        whole and not take.get("stopped_at") and take.get("title") in (worked.get("title"), _(drill), drill)
    )


def items_due(
    kept: Iterable[KeptThing], today: datetime.date, table: RemedyTable, instrument: Instrument
) -> list[PolishItem]:
    """What comes back today, as items of a list; a few at most. What cannot be read is passed over."""
    items: list[PolishItem] = []
    for k in kept:
        if k.due > today or len(items) == SPACING.most_things:
            continue
        try:
            finding, bpm = k.entry["finding"], float(k.entry["bpm"])
            part = from_plain(Part, k.entry["drill"]["part"])
            title, how, share = DRILLS[k.entry["drill"]["kind"]]
            why = localized(finding)["text"]
            remedy = ways_to_try(table, finding, instrument, part)[0]
        except (KeyError, ValueError, TypeError, IndexError, AttributeError):
            continue
        drill = Drill(kind=k.entry["drill"]["kind"], title=_(title), how=_(how), share=share, part=part)
        items.append(
            PolishItem(
                finding=finding,
                why=why,
                remedy=remedy,
                drill=drill,
                bpm=bpm,
                minutes=SPACING.minutes,
                back=_back_words(k),
            )
        )
    return items


def _back_words(kept: KeptThing) -> str:
    title, day = str(kept.entry.get("title", "")), kept.seen.isoformat()
    if not kept.stage:
        return _("Comes back from “{title}” ({day}): is it mended?").format(title=title, day=day)
    return ngettext(
        "Comes back from “{title}”: mended {n} time, last seen on {day}.",
        "Comes back from “{title}”: mended {n} times, last seen on {day}.",
        kept.stage,
    ).format(title=title, n=kept.stage, day=day)
