"""The polish list: what to work at first, why, how, at what speed, for how many minutes; fitted into the time
there is, with a warm-up, something enjoyed, and rests for the lips.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jeweller.assessment.messages import localized
from jeweller.errors import DrillError
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part
from jeweller.practice.drills import Drill, make_drill
from jeweller.practice.remedies import Remedy, RemedyTable, drills_after, school_words
from jeweller.practice.settings import POLISH
from jeweller.report.advice import LIPS, choose_faults
from jeweller.report_format import ReportFinding, TakeReport

WARM_UP = N_("Warm up: long tones, then five notes up and down.")
LOOSEN = N_("Loosen wrists and shoulders, then a few even strokes.")
FUN = N_("Play something you like.")
REST = N_("Rest the lips as long as you played.")
LEAST_MINUTES = 5
UNKNOWN_BPM = 80.0  # where nothing tells the speed


@dataclass(frozen=True, kw_only=True)
class PolishItem:
    """One thing to work at. `bpm` beats a minute to begin with; `drill` None where none can be made."""

    finding: ReportFinding
    why: str
    remedy: Remedy
    drill: Drill | None
    bpm: float
    minutes: int
    school: tuple[str, ...] = ()  # what the schools that were chosen say of it

    @property
    def sentences(self) -> tuple[str, ...]:
        """What to look at, what to try first and next, what to mind."""
        told = (self.remedy.look, self.remedy.first, self.remedy.next, self.remedy.caution)
        return (*(_(t) for t in told if t), *self.school)


@dataclass(frozen=True, kw_only=True)
class PolishList:
    """`minutes` for all: `warm_up`, the items, `fun`; `rests` are the numbers of the items after which the
    lips rest.
    """

    minutes: int
    warm_up: int
    items: tuple[PolishItem, ...]
    fun: int
    rests: tuple[int, ...]
    warm_words: str
    school: tuple[str, ...] = ()  # what the schools that were chosen say of every session


def begin_bpm(played_bpm: float | None, share: float) -> float:
    """The speed something is practised at first (beats a minute), from what was played.

    >>> begin_bpm(90.0, 0.6), begin_bpm(50.0, 0.5)
    (54.0, 40.0)
    """
    return max(POLISH.slowest_bpm, 2.0 * round((played_bpm or UNKNOWN_BPM) * share / 2))


def weight(finding: ReportFinding) -> float:
    """How much mending it is worth: by how bad, how sure, how often."""
    return float(finding["severity"] * finding["confidence"] * max(1, finding["count"]) ** 0.5)


def thing_of(finding: ReportFinding) -> str:
    """By what a finding is the same again in another take: its kind and its cause, wherever it is."""
    return f"{finding['kind']}|{finding['cause'] or ''}"


def choose_remedy(table: RemedyTable, finding: ReportFinding, instrument: Instrument, in_vain: int) -> Remedy:
    """The row to try: the next one after so many sessions in vain; where there is no other, the last one
    with another drill, and so on from the beginning.
    """
    rows = table.remedies_for(finding["kind"], instrument, finding["cause"])
    known = {r.drill for r in rows}
    others = [d for d in drills_after(rows[-1].drill, instrument) if d not in known]
    ways = [*rows, *(dataclasses.replace(rows[-1], drill=d) for d in others)]
    return ways[(in_vain // POLISH.tries) % len(ways)]


def make_polish_list(
    report: TakeReport,
    part: Part,
    instrument: Instrument,
    minutes: int,
    table: RemedyTable,
    in_vain: Mapping[str, int] | None = None,
    schools: Mapping[str, str] | None = None,
) -> PolishList:
    """A list for so many minutes. `in_vain`: for how many sessions something (`thing_of`) was worked at and
    came again; `schools`: which was chosen, by their keys.
    """
    minutes = max(LEAST_MINUTES, minutes)
    warm, fun = max(1, round(POLISH.warm_share * minutes)), max(1, round(POLISH.fun_share * minutes))
    left = minutes - warm - fun
    found: dict[str, ReportFinding] = {}
    for f in sorted(choose_faults(report["findings"]), key=weight, reverse=True):
        found.setdefault(thing_of(f), f)
    count = min(len(found), POLISH.most_things, max(1, left // POLISH.least_min))
    each = min(POLISH.most_min, left // count) if count else 0
    items = []
    for thing, finding in list(found.items())[:count]:
        remedy = choose_remedy(table, finding, instrument, (in_vain or {}).get(thing, 0))
        drill = _drill(remedy.drill, part, finding, instrument)
        share = drill.share if drill is not None else 1.0
        items.append(
            PolishItem(
                finding=finding,
                why=localized(finding)["text"],
                remedy=remedy,
                drill=drill,
                bpm=begin_bpm(report["tempo"]["played_bpm"], share),
                minutes=each,
                school=tuple(school_words(schools or {}, finding["kind"])),
            )
        )
    fun += left - each * count
    return PolishList(
        minutes=minutes,
        warm_up=warm,
        items=tuple(items),
        fun=fun,
        rests=_rests(items, warm) if instrument.hands in LIPS else (),
        school=tuple(school_words(schools or {}, "")),
        warm_words=_(LOOSEN if instrument.hands in ("mallets", "sticks") else WARM_UP),
    )


def _drill(kind: str, part: Part, finding: ReportFinding, instrument: Instrument) -> Drill | None:
    """The drill, or the bar itself where that one cannot be made there."""
    for wanted in (kind, "slow_bar"):
        try:
            return make_drill(wanted, part, finding, instrument)
        except DrillError:
            continue
    return None


def _rests(items: Sequence[PolishItem], warm_up: int) -> tuple[int, ...]:
    played, out = warm_up, []
    for k, item in enumerate(items):
        played += item.minutes
        if played >= POLISH.lips_min and k + 1 < len(items):
            out.append(k)
            played = 0
    return tuple(out)


def count_in_vain(sessions: Sequence[tuple[Sequence[str], Sequence[str]]]) -> dict[str, int]:
    """For how many sessions running each thing was worked at and came again; `sessions` are (things worked
    at, things found in the takes after it), oldest first. What did not come again is mended and forgotten.

    >>> count_in_vain([(["late|"], ["late|"]), (["late|", "uneven|"], ["late|"])])
    {'late|': 2}
    """
    counts: dict[str, int] = {}
    for worked, found in sessions:
        for thing in worked:
            if thing in found:
                counts[thing] = counts.get(thing, 0) + 1
            else:
                counts.pop(thing, None)
    return counts
