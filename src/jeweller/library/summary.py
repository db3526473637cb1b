"""What a list shows of a take, as it stands: marks by facet, how much is sure and how much is to be listened
to, the mark, the need for an ear.
"""

from __future__ import annotations

import statistics
from collections.abc import Mapping
from typing import Any

from jeweller.assessment.finding import FACETS, UNMARKED, Finding, is_sure
from jeweller.assessment.messages import FACET_NAMES, retell
from jeweller.decisions.standing import FindingState
from jeweller.grading.scheme import Scheme, letter_of
from jeweller.i18n import N_, _
from jeweller.library.audit_log import DecisionState
from jeweller.phrases import note_name
from jeweller.report.decided import remarked, standing_of
from jeweller.report.heard import gaps_of, heard_of, heard_sentence, spans_all
from jeweller.report_format import HeardPart, ReportSound, TakeReport

VERSION = 5  # of what a summary holds: older ones are made anew where they are read
UNSURE_NEED, SURE_NEED = 0.5, 1.0  # how much a finding asks for an ear, times its severity
FAR_NOTES = 6  # notes of a take that lie furthest from its own tuning
HABITS = {
    "rest_short": N_("rests cut short"),
    "rest_long": N_("rests too long"),
    "cut_short": N_("long notes cut short"),
    "dot_lost": N_("dotted rhythms evened out"),
    "rushing": N_("rushing"),
    "dragging": N_("slowing down"),
    "breath_in_slur": N_("breaths inside slurs"),
    "tongued_in_slur": N_("slurs tongued"),
    "grace_missed": N_("grace notes left out"),
    "sagging": N_("long notes sink"),
    "cracked": N_("starts that crack"),
}
FORGOTTEN = " forgotten"  # ends the stored habit of an altered note; `habit_said` says it
UNFOLLOWED_NEED = 100.0  # a recording that does not follow its part comes first


# What every summary holds, whatever the take.
HELD = frozenset(
    (
        *("followed", "facets", "sure", "unsure", "open", "mark", "band", "typed", "state", "need", "bpm"),
        *("comments", "places", "bars", "heard", "part_heard", "offset", "notes", "right", "sound"),
    )
)


def is_whole(summary: dict[str, Any]) -> bool:
    """Whether a summary is of this version and nothing of it is lost: otherwise it is made anew."""
    held = HELD | {"out_of"} if summary.get("followed") else HELD
    return summary.get("v") == VERSION and held <= summary.keys()


def summarise(report: TakeReport, now: DecisionState, scheme: Scheme) -> dict[str, Any]:
    """The summary of one take; JSON values only."""
    rows = standing_of(report, now.decisions)
    standing = [r.finding for r in rows if r.stands]
    if not report["followed"]:
        return {
            "v": VERSION,
            "followed": False,
            "facets": {},
            "sure": 0,
            "unsure": 0,
            "open": 0,
            "mark": None,
            "band": "",
            "typed": now.mark,
            "state": now.state,
            "need": UNFOLLOWED_NEED,
            "bpm": None,
            "comments": len(now.comments),
            "places": [],
            "bars": [],
            "heard": [],
            "part_heard": None,
            "offset": None,
            "notes": [],
            "right": [],
            "sound": {},
        }
    after = remarked(report, standing, scheme)
    waiting = [r for r in rows if r.state == FindingState.OPEN and r.finding.kind not in UNMARKED]
    need = sum(
        r.finding.severity * (SURE_NEED if is_sure(r.finding.confidence) else UNSURE_NEED) for r in waiting
    )
    return {
        "v": VERSION,
        "followed": True,
        "facets": {f: v["mark"] for f, v in after["facets"].items()},
        "sure": sum(is_sure(f.confidence) and f.kind not in UNMARKED for f in standing),
        "unsure": sum(not is_sure(f.confidence) for f in standing),
        "open": len(waiting),
        "mark": after["mark"]["value"],
        "out_of": after["mark"]["out_of"],
        "band": after["mark"]["band"],
        "typed": now.mark,
        "state": now.state,
        "need": round(need, 3),
        "bpm": report["tempo"]["played_bpm"],
        "comments": len(now.comments),
        "form": scheme.form,
        "support": report["settings"]["support"],
        "ear": report["program"]["ear_version"],
        "sound": sound_of(report),
        **_seen(report, standing),
    }


def _seen(report: TakeReport, standing: list[Finding]) -> dict[str, Any]:
    """What the class picture and a player's history show of a take, so that neither opens its report."""
    keys = {(f["kind"], tuple(f["notes"]), f["at_s"]): f["key"] for f in report["findings"]}
    places = []
    for f in standing:
        if is_sure(f.confidence) and f.kind not in UNMARKED:
            bars = list(dict.fromkeys(f.places)) if f.count > 1 and f.places else [f.bar]
            places.append(
                {
                    "bars": bars,
                    "beat": f.beat,
                    "facet": f.facet,
                    "kind": f.kind,
                    "key": keys.get((f.kind, f.notes, f.at_s), f.key),
                    "text": f.text,
                    "habit": habit_of(f),
                    **_retold(f),
                }
            )
    offset = report["tuning"]["offset_cents"]
    notes = [
        (n["written"], round(n["cents_median"] - (offset or 0.0), 1))
        for n in report["tuning"]["by_note"]
        if n["count"] >= 2
    ]
    return {
        "places": places,
        "bars": list(dict.fromkeys(n["bar"] for n in report["notes"])),
        "heard": list(dict.fromkeys(n["bar"] for n in report["notes"] if n["verdict"] != "not_heard")),
        "part_heard": heard_of(report),
        "offset": offset,
        "notes": [[name, cents] for name, cents in sorted(notes, key=lambda n: -abs(n[1]))[:FAR_NOTES]],
        "right": sorted(
            {
                n["written_midi"]
                for n in report["notes"]
                if n["verdict"] == "ok" and n["heard"] is not None and n["sounding_midi"] is not None
            }
        ),
    }


def _retold(f: Finding) -> dict[str, Any]:
    """What the sentence about a finding is made of: it can be said in another language later."""
    detail = {k: v for k, v in f.detail.items() if k != "rests_on"}
    return {"bar": f.bar, "count": f.count, "places": list(f.places), "detail": detail, "cause": f.cause}


def place_text(place: Mapping[str, Any]) -> str:
    """The sentence about a place of a summary, in the language that is chosen."""
    said = retell(place)
    return str(place["text"]) if said is None else said[0]


def sound_of(report: TakeReport) -> ReportSound:
    """Loudness and tone of a take; of reports that do not hold them yet what can be told."""
    if "sound" in report:
        return report["sound"]
    levels = sorted(n["heard"]["level_db"] for n in report["notes"] if n["heard"] is not None)
    if not levels:
        return {}
    quiet, loud = (levels[round(share * (len(levels) - 1))] for share in (0.1, 0.9))
    return {"level_db": round(statistics.median(levels), 1), "spread_db": round(loud - quiet, 1)}


def habit_of(f: Finding) -> str:
    """What a finding would be called if it came back in another piece; "" where it belongs to its place
    alone.
    """
    written = f.detail.get("written")
    if f.kind == "missed_accidental" and written:
        return f"{str(written).rstrip('0123456789')}{FORGOTTEN}"
    return HABITS.get(f.kind, "")


def habit_said(habit: str) -> str:
    """A stored habit in the language that is chosen.

    >>> habit_said("B♭ forgotten"), habit_said("rushing")
    ('B♭ forgotten', 'rushing')
    """
    if habit.endswith(FORGOTTEN):
        return _("{note} forgotten").format(note=note_name(habit.removesuffix(FORGOTTEN)))
    return _(habit)


def heard_bars(summary: dict[str, Any]) -> str:
    """Which bars a take holds, in short; "" where it holds all, or it is not known."""
    part: HeardPart | None = summary.get("part_heard")
    if part is None or part["whole"]:
        return ""
    left_out = _("without {bars}").format(bars=gaps_of(part)) if part["gaps"] else ""
    if left_out and spans_all(part):
        return left_out
    first, _dash, last = part["bars"].partition("-")
    said = _("the pickup to bar {last} of {of}") if first == "0" else _("bars {first} to {last} of {of}")
    heard = said.format(first=first, last=last, of=part["of"])
    return f"{heard}, {left_out}" if left_out else heard


def format_mark(summary: dict[str, Any]) -> str:
    """The mark as it is told: the teacher's own where one was typed; how a take was helped is told with
    it.
    """
    if summary.get("typed"):
        told = str(summary["typed"])
    elif summary.get("mark") is None:
        return ""
    elif summary.get("form") == "bands":
        told = _(str(summary["band"]))
    elif summary.get("form") == "letters":
        told = letter_of(summary["mark"], summary["out_of"])
    else:
        told = _("{band}, {mark:g} of {out_of}").format(
            band=_(str(summary["band"])), mark=summary["mark"], out_of=summary["out_of"]
        )
    if bars := heard_bars(summary):
        told += f", {bars}"
    return told + {"with_model": _(", played with the model"), "with_click": _(", played with a click")}.get(
        str(summary.get("support", "")), ""
    )


def explain_mark(report: TakeReport, now: DecisionState, scheme: Scheme) -> list[str]:
    """The mark as a sum one can follow, a line a facet."""
    standing = [r.finding for r in standing_of(report, now.decisions) if r.stands]
    decided = remarked(report, standing, scheme)
    after = decided["mark"]
    lines = []
    for part in after["parts"]:
        left = part["weight"] - part["taken_off"]
        off = (
            _(", {taken_off:.1f} off: {why}").format(taken_off=part["taken_off"], why=part["why"])
            if part["taken_off"]
            else _(": clean")
        )
        lines.append(
            _("{facet}: {left:.1f} of {weight:.1f}{off}").format(
                facet=_(FACET_NAMES[part["facet"]]), left=left, weight=part["weight"], off=off
            )
        )
    if "not_played" in after:
        lines.append(
            _("{heard} {points:.1f} off for what was not played.").format(
                heard=heard_sentence(heard_of(report)), points=after["not_played"]
            )
        )
    elif heard_sentence(heard_of(report)):
        lines.append(
            _("{heard} The rest is left out of the mark.").format(heard=heard_sentence(heard_of(report)))
        )
    silent = [
        _(FACET_NAMES[f]).lower()
        for f, v in decided["facets"].items()
        if v["mark"] is None and f in scheme.facets
    ]
    left_out = [_(FACET_NAMES[f]).lower() for f in FACETS if f not in scheme.facets]
    lines += [_("Not asked for in this part: {silent}.").format(silent=", ".join(silent))] if silent else []
    lines += (
        [_("Not judged in this assignment: {left_out}.").format(left_out=", ".join(left_out))]
        if left_out
        else []
    )
    lines.append(
        _("Together {sum:.1f}, rounded to halves: {value:g} of {out_of}.").format(
            sum=sum(p["weight"] - p["taken_off"] for p in after["parts"]),
            value=after["value"],
            out_of=after["out_of"],
        )
    )
    if now.mark:
        lines.append(_("Your own mark stands in its place: {mark}.").format(mark=now.mark))
    return lines
