"""What a player is told to do with a report: which findings are worked at, at which speeds, for how long. The
page, the summary and the feedback sheet all say the same.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from jeweller.assessment.finding import UNMARKED, is_sure
from jeweller.i18n import N_, _
from jeweller.instruments.table import find_instrument
from jeweller.report.heard import heard_of
from jeweller.report_format import ReportFinding, TakeReport

STEPS = (0.7, 0.85, 1.0)  # of the speed that was played
SLOWEST = 40  # beats a minute: slower is no beat any more
MINUTES = {1: 4, 2: 6}  # a day, by the number of things to work at
LONG_MINUTES = 10  # for more of them; the lips rest in the middle
LIPS = ("valves", "slide", "reed")  # what tires them
ALL_WELL = N_("Well done. Play it once more for fun, then take the next line.")
PART_WELL = N_("What was heard went well. Now play all of it, from the first bar to the last.")


def choose_faults(findings: Iterable[ReportFinding]) -> list[ReportFinding]:
    """The findings that are worked at: the sure ones, tuning advice aside, in their order.

    >>> choose_faults([{"kind": "tuned_high", "confidence": 0.9}, {"kind": "wrong_note", "confidence": 0.3}])
    []
    """
    return [f for f in findings if is_sure(f["confidence"]) and f["kind"] not in UNMARKED]


def choose_tuning(findings: Iterable[ReportFinding]) -> list[ReportFinding]:
    """What is said surely about the tuning of the whole take.

    >>> [f["kind"] for f in choose_tuning([{"kind": "tuned_high", "confidence": 0.9}])]
    ['tuned_high']
    """
    return [f for f in findings if is_sure(f["confidence"]) and f["kind"] in UNMARKED]


def praise(report: TakeReport) -> str:
    """What is said where nothing went wrong: the next line comes only after all of this one.

    >>> praise(checked.report)
    'Well done. Play it once more for fun, then take the next line.'
    """
    return _(ALL_WELL) if heard_of(report)["whole"] else _(PART_WELL)


@dataclass(frozen=True)
class PracticePlan:
    """Speeds in beats a minute, from slow to as it was played, and minutes a day."""

    speeds: tuple[int, ...]
    minutes: int
    lips: bool = True  # whether there are lips to rest

    @property
    def long(self) -> bool:
        """Whether the lips should rest in the middle."""
        return self.minutes >= LONG_MINUTES

    def in_short(self) -> str:
        """The plan in one sentence."""
        message = (
            _("Begin at {slow} beats a minute; {minutes} minutes are enough.")
            if not self.long
            else _(
                "Begin at {slow} beats a minute; {minutes} minutes are enough, with a rest for the lips in "
                "the middle."
            )
            if self.lips
            else _(
                "Begin at {slow} beats a minute; {minutes} minutes are enough, with a pause in the middle."
            )
        )
        return message.format(slow=self.speeds[0], minutes=self.minutes)

    def in_steps(self) -> str:
        """The plan with every step."""
        message = (
            _(
                "Begin at {first} beats a minute. Three times right: {second}. Three times right again: "
                "{third}. {minutes} minutes a day are enough."
            )
            if not self.long
            else _(
                "Begin at {first} beats a minute. Three times right: {second}. Three times right again: "
                "{third}. {minutes} minutes a day are enough, with a rest for the lips in the middle."
            )
            if self.lips
            else _(
                "Begin at {first} beats a minute. Three times right: {second}. Three times right again: "
                "{third}. {minutes} minutes a day are enough, with a pause in the middle."
            )
        )
        first, second, third = self.speeds
        return message.format(first=first, second=second, third=third, minutes=self.minutes)


def plan_practice(report: TakeReport, faults: int) -> PracticePlan | None:
    """How to practise so many things; None where there is nothing to practise, or no speed is known.

    >>> report = {"tempo": {"played_bpm": 96.0}, "score": {"beat_unit_q": 1}}
    >>> plan_practice(report, 2)
    PracticePlan(speeds=(68, 82, 96), minutes=6, lips=True)
    """
    played = report["tempo"]["played_bpm"]
    if not faults or not played:
        return None
    unit = report["score"]["beat_unit_q"] or 1
    speeds = tuple(max(SLOWEST, 2 * round(played / unit * step / 2)) for step in STEPS)
    player = find_instrument(report["score"].get("instrument") or "")
    lips = player is None or player.hands in LIPS
    return PracticePlan(speeds, MINUTES.get(faults, LONG_MINUTES), lips)
