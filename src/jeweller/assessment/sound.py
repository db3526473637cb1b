"""Sound: long notes that sag, waver or lose their clearness, and written changes of loudness that are not
heard; against the player's own other notes.
"""

from __future__ import annotations

import math

import numpy as np

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding, bounded_confidence, rests_on
from jeweller.assessment.limits import SOUND_LIMITS
from jeweller.features.robust import median
from jeweller.notes.settings import SUSTAIN
from jeweller.notes.table import SustainedTone
from jeweller.report_format import FindingDetail

STEPS = {
    "ppp": -3,
    "pp": -2,
    "p": -1,
    "mp": 0,
    "mf": 1,
    "f": 2,
    "ff": 3,
    "fff": 4,
}  # written loudness, in steps


def assess_sustain(case: AssessmentContext) -> list[Finding]:
    """`sagging` and `unsteady` notes."""
    tones = case.table.tones
    s = case.settings
    if not tones:
        return []
    drift = _spread([t.drift_cents for t in tones], 4.0)
    waver = _spread([t.waver_cents for t in tones], 1.5)
    found = []
    for t in tones:
        sag = -t.drift_cents
        # A tone that wavers has no steady beginning and end to compare.
        if t.waver_cents > 0.8 * s.waver_cents:
            found.append(
                _say(
                    "unsteady",
                    case,
                    t,
                    bounded_confidence(t.waver_cents, s.waver_cents, waver),
                    {
                        "cents": round(t.waver_cents, 1),
                        "rests_on": rests_on("waver_cents", t.waver_cents, s.waver_cents, waver, "cents"),
                    },
                    None,
                )
            )
        elif sag > 0.8 * s.sag_cents and t.drift_db < -s.sag_db:
            detail: FindingDetail = {
                "cents": round(t.drift_cents),
                "db": round(t.drift_db, 1),
                "rests_on": rests_on("sag_cents", sag, s.sag_cents, 0.5 * drift, "cents"),
            }
            found.append(
                _say("sagging", case, t, bounded_confidence(sag, s.sag_cents, 0.5 * drift), detail, "air")
            )
    return found


def assess_clearness(case: AssessmentContext) -> list[Finding]:
    """`fuzzy` notes: with more beside the tone than the player's usual, by far more than any but one of the
    others; or breath in the sound of them all. Always "listen here".
    """
    clearness = case.table.clearness
    if throughout := _breathy(case):
        return throughout
    if len(clearness) < SOUND_LIMITS.least_clear:
        return []
    s = case.settings
    usual = median([c for _, c in clearness])
    beside_db = [
        10.0 * math.log10(max(1.0 - c, SOUND_LIMITS.unheard_share)) for _, c in clearness
    ]  # what is no tone, against the whole
    usual_db = median(beside_db)
    ordinary = max(sorted(beside_db)[-3] - usual_db, 0.0)
    found = []
    for (i, c), db in zip(clearness, beside_db, strict=True):
        event, beyond = case.event(i), db - usual_db - SOUND_LIMITS.ordinary * ordinary
        if event is None or beyond < s.fuzzy_db - 2 * SOUND_LIMITS.fuzzy_error_db:
            continue
        note = case.notes[i]
        detail: FindingDetail = {
            "written": note.written.pitch.name if note.written.pitch else "",
            "lasts_s": round(event.off_s - event.on_s, 1),
            "clarity": round(c, 2),
            "usual": round(usual, 2),
            "rests_on": rests_on("fuzzy_db", beyond, s.fuzzy_db, SOUND_LIMITS.fuzzy_error_db, "dB"),
        }
        found.append(
            case.finding(
                i,
                "fuzzy",
                confidence=SOUND_LIMITS.listen
                * bounded_confidence(beyond, s.fuzzy_db, SOUND_LIMITS.fuzzy_error_db),
                severity=0.25,
                detail=detail,
            )
        )
    return found


def _breathy(case: AssessmentContext) -> list[Finding]:
    """Breath in the sound throughout: far louder than the room by itself, and not far below the tones."""
    unpitched = case.table.unpitched
    if unpitched is None or case.table.backed:
        return []
    head, tail, least = SUSTAIN.head_s, SUSTAIN.tail_s, SUSTAIN.clearness_s
    beside = {
        i: unpitched.usual(e.on_s + head, e.off_s - tail) - e.level_db
        for i in range(len(case.notes))
        if (e := case.event(i)) is not None and e.off_s - e.on_s > least and not math.isnan(e.midi)
    }
    if len(beside) < SOUND_LIMITS.least_clear:
        return []
    usual = median(list(beside.values()))
    room = case.table.room_db - case.table.loud_db
    threshold = max(case.settings.breathy_db, room + SOUND_LIMITS.above_room_db)
    if usual < threshold:
        return []
    notes = [case.notes[i] for i in beside]
    error = SOUND_LIMITS.breath_error_db
    return [
        case.finding(
            next(iter(beside)),
            "fuzzy",
            until_s=case.sounded(max(beside)).off_s,
            notes=tuple(n.id for n in notes),
            score_ids=("whole",),
            confidence=SOUND_LIMITS.listen * bounded_confidence(usual, threshold, error),
            severity=0.25,
            count=len(notes),
            detail={
                "scope": "throughout",
                "db": round(usual, 1),
                "rests_on": rests_on("breathy_db", usual, threshold, error, "dB"),
            },
        )
    ]


def _spread(values: list[float], least: float) -> float:
    return max(1.4826 * median(np.abs(np.array(values) - median(values))), least)


def _say(
    kind: str,
    case: AssessmentContext,
    t: SustainedTone,
    confidence: float,
    detail: FindingDetail,
    cause: str | None,
) -> Finding:
    note, _event = case.notes[t.index], case.sounded(t.index)
    return case.finding(
        t.index,
        kind,
        confidence=confidence,
        severity=0.25,
        cause=cause,
        detail={
            "written": note.written.pitch.name if note.written.pitch else "",
            "lasts_s": round(t.seconds, 1),
            **detail,
        },
    )


def assess_dynamics(case: AssessmentContext) -> list[Finding]:
    """Written changes of loudness of which nothing is heard: one finding, if most of them are so."""
    changes = _written_changes(case)
    heard: list[tuple[int, float]] = []
    for at, before, after, sign in changes:
        a, b = _level(case, before), _level(case, after)
        if not math.isnan(a) and not math.isnan(b):
            heard.append((at, sign * (b - a)))
    if not heard:
        return []
    s = case.settings
    spread = _spread([e.level_db for e in case.table.events if e.index is not None], 1.0)
    flat = [(at, db) for at, db in heard if db < s.dynamics_db]
    if len(flat) < SOUND_LIMITS.flat_share * len(heard):
        return []
    mean = float(np.mean([db for _, db in heard]))
    error = min(spread, 2.5) * math.sqrt(2.0 / SOUND_LIMITS.change_notes) / math.sqrt(len(heard))
    confidence = bounded_confidence(s.dynamics_db - mean, 0.0, error, sure_at=0.6) * (
        1.0 if len(heard) > 1 else SOUND_LIMITS.single_change
    )
    i = flat[0][0]
    event = case.event(i)
    if event is None:
        return []
    last = case.event(flat[-1][0])
    notes = [case.notes[at] for at, _ in flat]
    return [
        case.finding(
            i,
            "dynamics_flat",
            until_s=(last or event).off_s,
            notes=tuple(n.id for n in notes),
            score_ids=tuple(n.score_id for n in notes),
            confidence=confidence,
            severity=0.3,
            count=len(flat),
            places=tuple(dict.fromkeys(n.bar for n in notes)),
            detail={
                "db": round(mean, 1),
                "of": len(heard),
                "count": len(flat),
                "rests_on": rests_on(
                    "dynamics_db", mean, s.dynamics_db, error, "dB", sure_at=0.6, below=True
                ),
            },
        )
    ]


def _level(case: AssessmentContext, notes: list[int]) -> float:
    found = [e.level_db for i in notes if (e := case.event(i)) is not None and not math.isnan(e.midi)]
    return median(found) if found else float("nan")


def _written_changes(case: AssessmentContext) -> list[tuple[int, list[int], list[int], int]]:
    """(note, notes before, notes after, +1 louder or -1 softer) of every written change of at least
    LEAST_STEPS, and of every hairpin.
    """
    onsets = [float(n.onset) for n in case.notes]
    levels: list[tuple[float, int]] = []
    out: list[tuple[int, list[int], list[int], int]] = []
    wedge: tuple[float, str] | None = None
    for bar in case.table.line.bars:
        for mark in sorted(bar.bar.marks, key=lambda m: m.offset):
            at = float(bar.onset + mark.offset)
            if mark.kind == "dynamics" and mark.text in STEPS:
                if levels and abs(STEPS[mark.text] - levels[-1][1]) >= SOUND_LIMITS.least_steps:
                    i = int(np.searchsorted(onsets, at - 1e-6))
                    before = [
                        k
                        for k in range(max(0, i - SOUND_LIMITS.change_notes), i)
                        if onsets[k] >= levels[-1][0] - 1e-6
                    ]
                    after = list(range(i, min(len(onsets), i + SOUND_LIMITS.change_notes)))
                    if before and after:
                        out.append((i, before, after, 1 if STEPS[mark.text] > levels[-1][1] else -1))
                levels.append((at, STEPS[mark.text]))
            elif mark.kind == "wedge" and mark.text != "stop":
                wedge = (at, mark.text)
            elif mark.kind == "wedge" and wedge is not None:
                i, j = int(np.searchsorted(onsets, wedge[0] - 1e-6)), int(np.searchsorted(onsets, at - 1e-6))
                if j - i >= 3:
                    out.append(
                        (
                            i,
                            [i, i + 1],
                            [j - 2, j - 1, min(j, len(onsets) - 1)],
                            1 if wedge[1] == "crescendo" else -1,
                        )
                    )
                wedge = None
    return out
