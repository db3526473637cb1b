"""Ornaments: grace notes and trills that were left out, or trills too thin."""

from __future__ import annotations

from jeweller.follow.ornaments import Ornament
from jeweller.judge.case import Case
from jeweller.judge.finding import Finding

MIN_TURNS = 3  # alternations of a trill
MIN_TRILL_SHARE = 0.5  # of the note


def judge_ornaments(case: Case, heard: list[Ornament]) -> list[Finding]:
    found = []
    for o in heard:
        if o.hidden:
            continue
        note, event = case.notes[o.index], case.event(o.index)
        if event is None or abs(case.apart(o.index)) > 2.6:
            continue
        kind, confidence = "", 0.0
        if o.kind == "grace" and not o.heard:
            kind, confidence = "grace_missed", 0.75 if o.certain else 0.35
        elif o.kind == "trill" and o.turns < MIN_TURNS:
            kind, confidence = "trill_missed", 0.85 if o.turns == 0 and o.certain else 0.4
        elif o.kind == "trill" and o.share < MIN_TRILL_SHARE:
            kind, confidence = "trill_thin", 0.4
        if kind:
            bar, passing, beat = case.where(o.index)
            found.append(Finding(kind, bar, passing, beat, event.on_s, event.off_s, (note.id,), (note.score_id,), confidence, 0.4,
                                 detail={"written": note.written.pitch.name if note.written.pitch else "", "turns": o.turns}))  # fmt: skip
    return found
