"""Ornaments: grace notes and trills that were left out, or trills too thin."""

from __future__ import annotations

import math

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding
from jeweller.assessment.limits import ORNAMENTS_LIMITS
from jeweller.notes.ornaments import FIGURES
from jeweller.notes.table import HeardOrnament, StartSound


def assess_ornaments(case: AssessmentContext) -> list[Finding]:
    """What was heard of each written ornament, against what is written."""
    found = []
    slips = {s.index: s for s in case.table.starts}
    for o in case.table.ornaments:
        note, event = case.notes[o.index], case.event(o.index)
        if event is None or abs(case.apart(o.index)) > 2.6:
            continue
        kind, confidence, how = "", 0.0, ""
        if o.kind == "grace":
            kind, confidence, how = _grace(case, o, slips.get(o.index))
        elif o.kind in FIGURES:
            kind, confidence, how = _figure(o)
        elif o.hidden:
            continue
        elif o.turns < ORNAMENTS_LIMITS.min_turns and o.attacks >= max(
            o.turns + ORNAMENTS_LIMITS.turns_unheard,
            ORNAMENTS_LIMITS.turns_a_second * (event.off_s - event.on_s),
        ):
            continue  # something begins again and again in it: the room blurs its turns
        elif o.turns == 0:
            kind, confidence = "trill_missed", 0.85 if o.certain else 0.4
        elif o.turns < ORNAMENTS_LIMITS.min_turns:
            if o.turns > 1 and o.share > ORNAMENTS_LIMITS.goes_on and not o.certain:
                continue  # it goes back and forth to its end: the room hides some of its turns
            told = (
                event.off_s - event.on_s > ORNAMENTS_LIMITS.plain_trill_s
                and o.share > ORNAMENTS_LIMITS.at_once
            )
            kind, confidence = "trill_thin", 0.7 if told else 0.4
        elif o.share < ORNAMENTS_LIMITS.min_trill_share:
            kind, confidence = (
                "trill_thin",
                1.0
                / (
                    1.0
                    + math.exp(-(ORNAMENTS_LIMITS.min_trill_share - o.share) / ORNAMENTS_LIMITS.share_error)
                ),
            )
        elif case.settings.trill_first != "either" and o.first and o.first != case.settings.trill_first:
            kind, confidence = "trill_start", 0.8
        if kind:
            found.append(
                case.finding(
                    o.index,
                    kind,
                    confidence=confidence,
                    severity=0.4,
                    detail={
                        "written": note.written.pitch.name if note.written.pitch else "",
                        "turns": o.turns,
                        "how": how,
                        "first": o.first,
                        "milliseconds": round(1000 * o.length_s),
                    },
                )
            )
    return found


def _figure(o: HeardOrnament) -> tuple[str, float, str]:
    """(kind, confidence, how) of a turn or a mordent; kind "" where it was as written, or where that cannot
    be told.
    """
    wanted = FIGURES[o.kind]
    if o.hidden or o.heard or not o.certain:
        return "", 0.0, ""
    if not o.turns:
        return "ornament_wrong", 0.85, "plain"
    return (
        ("ornament_wrong", 0.7, "the other way round")
        if o.turns == len(wanted) and o.first != wanted[0]
        else ("", 0.0, "")
    )


def _grace(case: AssessmentContext, o: HeardOrnament, slip: StartSound | None) -> tuple[str, float, str]:
    """(kind, confidence, how) of a grace note; kind "" where it was as written. On the pitch of the note
    before one is not surely missed: other players leave that as long before the main note as who leaves the
    grace note out.
    """
    graces = case.table.line.graces[o.index]
    third = min(ORNAMENTS_LIMITS.grace_longest_s, ORNAMENTS_LIMITS.grace_beat_share * case.beat_s(o.index))
    if o.slipped:
        return "grace_slipped", 0.7, "pitch"
    if not o.heard:
        if slip is not None and slip.clarity > 0.9 and abs(slip.midi - graces[-1].sounding_midi) < 4.6:
            return "grace_slipped", 0.7 if slip.length_s > 0.04 else 0.45, "pitch"
        return ("", 0.0, "") if o.hidden else ("grace_missed", 0.75 if o.certain and not o.gone else 0.35, "")
    if o.after_s > ORNAMENTS_LIMITS.after_s:
        return "grace_slipped", 0.85, "after"
    if o.hidden or len(graces) > 1:
        return "", 0.0, ""
    if o.length_s > third + 0.02:
        return "grace_slipped", 0.75 if o.length_s > third + 0.05 else 0.45, "long"
    return "", 0.0, ""
