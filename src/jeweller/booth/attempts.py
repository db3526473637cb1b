"""The attempts of a session: what each was, whether it was clean, how far it came, and two of them compared
note by note.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jeweller.assessment.finding import UNMARKED, is_sure
from jeweller.assessment.messages import localized
from jeweller.booth.plan import TakePlan, plan_sentence
from jeweller.booth.session import is_whole
from jeweller.i18n import _, ngettext
from jeweller.phrases import capitalized, note_name
from jeweller.report.heard import heard_of
from jeweller.report_format import ReportFinding, ReportNote, TakeReport

MOST_TOLD = 4  # sentences of a comparison, either way


@dataclass(frozen=True, kw_only=True)
class BoothTake:
    """One take of a session. `report` is None where it could not be checked (`trouble` says why) or nothing
    can be told of it by a microphone.
    """

    number: int
    plan: TakePlan
    path: Path | None = None
    report: TakeReport | None = None
    trouble: str = ""
    said: str = ""  # what the player kept of it: what went well, and how
    own_view: dict[str, Any] = field(default_factory=dict)  # where the player heard it go wrong

    @property
    def findings(self) -> list[ReportFinding]:
        """What is surely to be mended."""
        return sure_findings(self.report) if self.report is not None else []

    @property
    def clean(self) -> bool:
        """Whether all of it was heard, and nothing is to be mended."""
        return self.report is not None and is_whole(self.report) and not self.findings

    @property
    def stopped_at(self) -> str:
        """The bar in which the player stopped, "" where the end was reached."""
        if self.report is None or is_whole(self.report) or not self.report["followed"]:
            return ""
        return heard_of(self.report)["bars"].rpartition("-")[2]

    @property
    def sentence(self) -> str:
        """What became of it."""
        if self.trouble and self.report is None:
            return self.trouble
        if self.report is None:
            return _("done, not recorded")
        if not self.report["followed"]:
            return _("does not follow the part")
        if self.stopped_at:
            return _("stopped at bar {bar}").format(bar=self.stopped_at)
        if not self.findings:
            return _("clean")
        return ngettext("{n} thing to mend", "{n} things to mend", len(self.findings)).format(
            n=len(self.findings)
        )

    @property
    def made(self) -> str:
        """How it was made."""
        return plan_sentence(self.plan)


def sure_findings(report: TakeReport) -> list[ReportFinding]:
    """The findings of a report that are sure and marked."""
    return [f for f in report["findings"] if is_sure(f["confidence"]) and f["kind"] not in UNMARKED]


@dataclass(frozen=True)
class Comparison:
    """What a later attempt has over an earlier one, in sentences; what got better is said first."""

    better: tuple[str, ...]
    worse: tuple[str, ...]
    notes_better: tuple[str, ...]  # by bar and place in it
    notes_worse: tuple[str, ...]

    def sentences(self, number: int) -> tuple[str, ...]:
        """What is told beside the take of this number."""
        out = []
        if self.better:
            told = " ".join(capitalized(s) for s in self.better[:MOST_TOLD])
            out.append(_("Better than take {number}: {what}").format(number=number, what=told))
        if self.worse:
            told = " ".join(self.worse[:MOST_TOLD])
            out.append(_("New beside take {number}: {what}").format(number=number, what=told))
        return tuple(out) or (_("As in take {number}.").format(number=number),)


def compare(before: BoothTake, after: BoothTake) -> Comparison:
    """Two attempts, note by note where both were heard, and by what is to be mended in each."""
    if before.report is None or after.report is None:
        return Comparison((), (), (), ())
    old, new = _notes(before.report), _notes(after.report)
    both = [i for i in old if i in new]
    notes_better = tuple(i for i in both if old[i]["verdict"] != "ok" and new[i]["verdict"] == "ok")
    notes_worse = tuple(i for i in both if old[i]["verdict"] == "ok" and new[i]["verdict"] != "ok")
    better = [_note_said(old[i], new[i]) for i in notes_better]
    found_before, found_after = ({_place(f): f for f in a.findings} for a in (before, after))
    said = {old[i]["id"] for i in notes_better}  # by note already
    heard = {new[i]["bar"] for i in both if new[i]["verdict"] != "not_heard"}
    better += [
        _("“{text}” is gone.").format(text=localized(f)["text"].rstrip("."))
        for key, f in found_before.items()
        if key not in found_after and not said & set(f["notes"]) and f["bar"] in heard
    ]
    told_bars = _further(before, after)
    worse = [localized(f)["text"] for key, f in found_after.items() if key not in found_before]
    faster = after.plan.bpm / before.plan.bpm
    if faster > 1.01 and len(after.findings) <= len(before.findings):
        told_bars.append(
            _("played at {bpm:.0f} instead of {before:.0f}.").format(
                bpm=after.plan.bpm / after.plan.beat, before=before.plan.bpm / before.plan.beat
            )
        )
    return Comparison((*told_bars, *better), tuple(worse), notes_better, notes_worse)


def _place(f: ReportFinding) -> tuple[str, str, float]:
    return f["kind"], f["bar"], round(f["beat"], 2)


def _notes(report: TakeReport) -> dict[str, ReportNote]:
    """The notes by bar, place and passing: bars practised alone have other ids than in the whole."""
    return {f"{n['bar']}/{n['offset_q']}/{n['grace']}/{n['pass']}": n for n in report["notes"]}


def _note_said(old: ReportNote, new: ReportNote) -> str:
    missed = old["verdict"] in ("missed", "not_heard")
    told = _("bar {bar}: {note} is there now.") if missed else _("bar {bar}: {note} is right now.")
    return told.format(bar=new["bar"], note=note_name(new["written"]))


def _further(before: BoothTake, after: BoothTake) -> list[str]:
    if before.stopped_at and not after.stopped_at and after.report is not None and after.report["followed"]:
        return [_("played to the end; before it stopped at bar {bar}.").format(bar=before.stopped_at)]
    return []
