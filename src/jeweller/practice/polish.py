"""The polish list: what to work at first, why, how, at what speed, for how many minutes; fitted into the time
there is, with a warm-up, something enjoyed, and rests for the lips.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jeweller.assessment.finding import UNMARKED, is_sure
from jeweller.assessment.messages import localized
from jeweller.errors import DrillError
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part
from jeweller.practice.drills import Drill, make_drill, names_beside
from jeweller.practice.remedies import Remedy, RemedyTable, drills_after, school_words
from jeweller.practice.settings import POLISH
from jeweller.report.advice import LIPS, choose_faults, choose_tuning
from jeweller.report_format import ReportFinding, TakeReport

WARM_UP = N_("Warm up: long tones, then five notes up and down.")
LOOSEN = N_("Loosen wrists and shoulders, then a few even strokes.")
WHOLE = N_("The whole piece: slowly, so that every note comes right; then at its own speed.")
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
    back: str = ""  # why it comes back today, where it is not of this take

    @property
    def sentences(self) -> tuple[str, ...]:
        """What to look at, what to try first and next, what to mind."""
        told = (self.remedy.look, self.remedy.first, self.remedy.next, self.remedy.caution)
        if self.back:
            return (self.back, *(_(t) for t in (self.remedy.first, self.remedy.caution) if t))
        return (*(_(t) for t in told if t), *self.school)


@dataclass(frozen=True, kw_only=True)
class PolishList:
    """`minutes` for all: `warm_up`, the items, the `whole` piece, `fun`; `rests` are the numbers of the items
    after which the lips rest.
    """

    minutes: int
    instrument: Instrument
    warm_up: int
    items: tuple[PolishItem, ...]
    fun: int
    rests: tuple[int, ...]
    warm_words: str
    whole: int = 0
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


# Kinds that are one trouble to whoever practises: a stop to think is told as a pause, or as a beat too many.
SAME_TROUBLE = {"beat_added": "hesitation"}


def thing_of(finding: ReportFinding) -> str:
    """By what a finding is the same again in another take: its kind and its cause, wherever it is.

    >>> thing_of({"kind": "beat_added", "cause": None}) == thing_of({"kind": "hesitation", "cause": None})
    True
    """
    return f"{SAME_TROUBLE.get(finding['kind'], finding['kind'])}|{finding['cause'] or ''}"


def manner_of(finding: ReportFinding, part: Part | None) -> str:
    """In which of the MANNERS something went wrong, "" where it makes no difference."""
    detail = finding["detail"]
    if finding["kind"] in ("wrong_octave", "wrong_partial"):
        apart = detail.get("semitones") or 0
        return "too_high" if apart > 0 else "too_low" if apart < 0 else ""
    if finding["kind"] == "extra_note" and part is not None:
        beside = names_beside(part, finding)
        return "another_pitch" if beside and str(detail.get("heard")) not in beside else ""
    return ""


def ways_to_try(
    table: RemedyTable, finding: ReportFinding, instrument: Instrument, part: Part | None = None
) -> list[Remedy]:
    """All there is to try, in order: the rows for it, the nearest one of each drill (what was in vain is no
    other way in other words); then the last one with other drills.
    """
    rows: dict[str, Remedy] = {}
    for row in table.remedies_for(finding["kind"], instrument, finding["cause"], manner_of(finding, part)):
        rows.setdefault(row.drill, row)
    last = list(rows.values())[-1]
    others = [d for d in drills_after(last.drill, instrument) if d not in rows]
    return [*rows.values(), *(dataclasses.replace(last, drill=d) for d in others)]


def make_polish_list(
    report: TakeReport | None,
    part: Part | None,
    instrument: Instrument,
    minutes: int,
    table: RemedyTable,
    in_vain: Mapping[str, int] | None = None,
    schools: Mapping[str, str] | None = None,
    back: Sequence[PolishItem] = (),
    *,
    doubtful: bool = True,
) -> PolishList:
    """A list for so many minutes, from a take where there is one. `in_vain`: for how many sessions something
    (`thing_of`) was worked at and came again; `schools`: which was chosen, by their keys; `back`: what comes
    back from earlier days, which is played first; `doubtful`: where time is left, one thing that is not sure
    may stand at the end, to be listened to first.
    """
    minutes = max(LEAST_MINUTES, minutes)
    warm, fun = max(1, round(POLISH.warm_share * minutes)), max(1, round(POLISH.fun_share * minutes))
    left = minutes - warm - fun
    found: dict[str, ReportFinding] = {}
    if report is not None:  # who is out of tune tunes first, else the rest is practised out of tune
        tuning, faults = choose_tuning(report["findings"]), choose_faults(report["findings"])
        for f in (*tuning, *sorted(faults, key=weight, reverse=True)):
            found.setdefault(thing_of(f), f)
    if doubtful and report is not None and len(found) < POLISH.most_things:
        found |= _perhaps(report, found)
    items = []
    for item in back:
        kept = POLISH.least_min if found else 0  # for what is new
        if thing_of(item.finding) not in found and left - kept >= item.minutes:
            items.append(item)
            left -= item.minutes
    count = min(len(found), POLISH.most_things, max(1, left // POLISH.least_min))
    each = min(POLISH.most_min, left // count) if count else 0
    given = 0
    for thing, finding in list(found.items())[:count]:
        ways = ways_to_try(table, finding, instrument, part)
        first = (in_vain or {}).get(thing, 0) // POLISH.tries
        remedy, drill = _other_than(
            items, [ways[(first + k) % len(ways)] for k in range(len(ways))], part, finding, instrument
        )
        share = drill.share if drill is not None else 1.0
        own = min(each, POLISH.least_min) if finding["kind"] in UNMARKED else each  # to tune is soon done
        given += own
        items.append(
            PolishItem(
                finding=finding,
                why=_why(finding),
                remedy=remedy,
                drill=drill,
                bpm=begin_bpm(report["tempo"]["played_bpm"] if report is not None else None, share),
                minutes=own,
                school=tuple(school_words(schools or {}, finding["kind"])),
            )
        )
    spare = left - given
    whole = spare if items and spare >= POLISH.least_min else 0  # what was mended is put where it belongs
    fun += spare - whole
    return PolishList(
        minutes=minutes,
        instrument=instrument,
        warm_up=warm,
        items=tuple(items),
        fun=fun,
        whole=whole,
        rests=_rests(items, warm) if instrument.hands in LIPS else (),
        school=tuple(school_words(schools or {}, "")),
        warm_words=_(LOOSEN if instrument.hands in ("mallets", "sticks") else WARM_UP),
    )


def _perhaps(report: TakeReport, found: Mapping[str, ReportFinding]) -> dict[str, ReportFinding]:
    """The doubtful finding that is most worth a listen, by its thing; {} where there is none."""
    some = [
        f
        for f in report["findings"]
        if POLISH.perhaps <= f["confidence"]
        and not is_sure(f["confidence"])
        and f["kind"] not in UNMARKED
        and thing_of(f) not in found
    ]
    return {thing_of(f): f for f in sorted(some, key=weight)[-1:]}


def _why(finding: ReportFinding) -> str:
    """What was heard; of what is not sure, that it is to be listened to first."""
    text = localized(finding)["text"]
    return text if is_sure(finding["confidence"]) else _("Perhaps, listen first: {text}").format(text=text)


def _other_than(
    items: Sequence[PolishItem],
    ways: Sequence[Remedy],
    part: Part | None,
    finding: ReportFinding,
    instrument: Instrument,
) -> tuple[Remedy, Drill | None]:
    """The first way whose drill is not in the list yet: nobody plays the same thing twice for two reasons."""
    if part is None:
        return ways[0], None
    there = [i.drill.part.bars for i in items if i.drill is not None]
    for remedy in ways:
        drill = _drill(remedy.drill, part, finding, instrument)
        if drill is None or drill.part.bars not in there:
            return remedy, drill
    return ways[0], _drill(ways[0].drill, part, finding, instrument)


def _drill(kind: str, part: Part, finding: ReportFinding, instrument: Instrument) -> Drill | None:
    """The drill, or the bar itself where that one cannot be made there; none where none helps."""
    if kind == "none":
        return None
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
