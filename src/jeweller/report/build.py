"""Builds the report dictionary. Rounding is fixed here, so that the same input gives the same bytes."""

from __future__ import annotations

import dataclasses
import hashlib
import json
import math
from collections.abc import Sequence
from fractions import Fraction
from typing import Any, cast

import numpy as np

from jeweller import __version__
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import MISSED_KINDS, WRONG_KINDS, Finding, is_sure
from jeweller.assessment.settings import AssessmentSettings
from jeweller.assessment.timing import expected_onsets
from jeweller.audio.decode import Recording
from jeweller.grading.scheme import Scheme, add_up_mark, facet_marks
from jeweller.i18n import SOURCE, in_language
from jeweller.notation.performance import PerformedNote
from jeweller.notation.pitch import Pitch, key_name
from jeweller.report.ear_version import ear_version
from jeweller.report.good import good_things
from jeweller.report.heard import measure_heard, share_of
from jeweller.report.traps import answer_alterations
from jeweller.report_format import (
    FindingDetail,
    HeardNote,
    NoteTiming,
    NoteTuning,
    ReportAttempt,
    ReportFinding,
    ReportNote,
    ReportSound,
    ReportTempo,
    ReportTuning,
    TakeReport,
)


def _r(value: float | None, digits: int = 4) -> float | None:
    return None if value is None or not math.isfinite(value) else _finite(value, digits)


def _finite(value: float, digits: int = 4) -> float:
    """Rounded; of values that are finite by what they are (times, amounts)."""
    return round(float(value), digits)


def _q(value: Fraction) -> float | int:
    return int(value) if value.denominator == 1 else round(float(value), 6)


def settings_dict(
    settings: AssessmentSettings,
    scheme: Scheme,
    support: str,
    reading: str,
    followed_at: float | None,
    asked: dict[str, Any],
) -> dict[str, Any]:
    """The report's `settings`: everything that was asked for, and a hash of it.

    >>> from jeweller.assessment.settings import AssessmentSettings
    >>> from jeweller.grading.scheme import find_scheme
    >>> told = settings_dict(AssessmentSettings(), find_scheme("even"), "alone", "practised", None, {})
    >>> told["tolerance"], len(told["settings_hash"])
    ('standard', 16)
    """
    values: dict[str, Any] = {
        "scheme": scheme.name,
        "support": support,
        "reading": reading,
        "tempo_asked_bpm": followed_at,
        **asked,
        **dataclasses.asdict(settings),
    }
    values["settings_hash"] = hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()[:16]
    return values


@in_language(SOURCE)
def build_report(
    case: AssessmentContext,
    findings: Sequence[Finding],
    recording: Recording,
    take_file: str,
    score_sha256: str,
    settings: dict[str, Any],
    scheme: Scheme,
    bars: tuple[str, str],
    judged: set[str],
    attempts: Sequence[ReportAttempt] = (),
) -> TakeReport:
    """The report. `judged`: ids of the notes inside the bars asked for; `attempts`: the complete attempts of
    the take, where there were several.

    >>> from jeweller.grading.scheme import find_scheme
    >>> case, scheme = checked.case, find_scheme("even")
    >>> told = settings_dict(case.settings, scheme, "alone", "practised", None, {})
    >>> judged = {n.id for n in checked.line.notes}
    >>> given = (checked.recording, "take.wav", "", told, scheme, ("1", "5"), judged)
    >>> report = build_report(case, checked.findings, *given)
    >>> report["mark"]["value"], report["followed"]
    (14.0, True)
    """
    f = case.table
    line = f.line
    verdicts = note_verdicts(case, findings, judged)
    expected = expected_onsets(case)
    notes = [_note(case, n, verdicts, expected) for n in line.notes]
    asked, wrong = asked_and_wrong(case, findings)
    played = len({case.notes[i].bar_index for i in range(f.first, f.last + 1)}) if f.followed else 0
    main = [e for e in f.events if e.index is not None]
    told = [finding_dict(x, case) for x in findings]
    counted = {n.id for n in line.main_notes if n.id in judged and n.id not in case.left_out}
    heard = measure_heard(notes, told, counted, _bars_between(case, counted))
    report: TakeReport = {
        "schema": "jeweller.report/1",
        "program": {"name": "Jeweller", "version": __version__, "ear_version": ear_version()},
        "settings": settings,
        "score": {
            "title": line.title,
            "part": line.part.name,
            "instrument": case.instrument.name,
            "transpose_semitones": line.part.chromatic,
            "sha256": score_sha256,
            "bars": list(bars),
            "key": key_name(line.bars[0].bar.fifths, line.bars[0].bar.mode),
            "metre": f"{line.bars[0].bar.beats}/{line.bars[0].bar.beat_type}",
            "beat_unit_q": _q(line.beat),
            "written_bpm": _r(line.written_bpm, 2),
        },
        "take": {
            "file": take_file,
            "sha256": recording.sha256,
            "duration_s": _finite(recording.duration),
            "sample_rate_hz": recording.source_rate,
            "first_note_s": _r(main[0].on_s) if f.followed and main else None,
            "last_note_s": _r(main[-1].on_s) if f.followed and main else None,
            "helped": settings["support"] == "with_model",
            "warnings": list(recording.warnings),
        },
        "followed": f.followed,
        "tempo": _tempo(case),
        "tuning": _tuning(case),
        "sound": _sound(case),
        "heard": heard,
        "notes": notes,
        "extras": [
            {
                "on_s": _finite(e.on_s),
                "off_s": _finite(e.off_s),
                "midi": _finite(e.midi, 2),
                "level_db": _r(e.level_db, 1),
                "after_note": case.notes[e.before - 1].id if e.before else None,
            }
            for e in f.events
            if e.index is None and math.isfinite(e.midi)
        ],
        "findings": told,
        "good": good_things(case, findings) if f.followed else [],
        "traps": answer_alterations(case, verdicts) if f.followed else [],
        "facets": facet_marks(findings, played, asked, wrong, scheme.habit_share),
        "mark": add_up_mark(findings, scheme, played, asked, share_of(heard))
        if f.followed
        else {"value": None, "out_of": None, "band": None, "scheme": scheme.name, "parts": []},
    }
    if attempts:
        report["attempts"] = list(attempts)
    return report


def _bars_between(case: AssessmentContext, judged: set[str]) -> int:
    """How many bars lie in what is judged, as they are performed; all of them where all notes are."""
    indexes = [n.bar_index for n in case.notes if n.id in judged]
    if len(indexes) == len(case.notes):
        return len(case.table.line.bars)
    return max(indexes) - min(indexes) + 1 if indexes else 0


def note_verdicts(
    case: AssessmentContext, findings: Sequence[Finding], judged: set[str] | None = None
) -> dict[str, tuple[str, bool]]:
    """(verdict, unsure) by note id.

    >>> verdicts = note_verdicts(checked.case, checked.findings)
    >>> [verdicts[n.id] for n in checked.line.notes[2:6]]
    [('wrong', False), ('wrong', False), ('ok', False), ('wrong', False)]
    """
    f = case.table
    out: dict[str, tuple[str, bool]] = {}
    main = case.notes
    reached = {n.id for n in main[f.first : f.last + 1]} if f.followed else set()
    for n in f.line.notes:
        inside = (judged is None or n.id in judged) and n.id not in case.left_out
        out[n.id] = ("ok" if inside and (n.id in reached or n.grace) and f.followed else "not_heard", False)
    for x in findings:
        verdict = "wrong" if x.kind in WRONG_KINDS else "missed" if x.kind in MISSED_KINDS else None
        if verdict is None:
            continue
        for note_id in x.notes:
            if note_id in out:
                if is_sure(x.confidence):
                    out[note_id] = (verdict, False)
                elif out[note_id][0] in ("ok", "not_heard"):
                    out[note_id] = ("ok", True)
    return out


def _note(
    case: AssessmentContext,
    n: PerformedNote,
    verdicts: dict[str, tuple[str, bool]],
    expected: dict[int, float],
) -> ReportNote:
    f = case.table
    verdict, unsure = verdicts[n.id]
    heard: HeardNote | None = None
    timing: NoteTiming | None = None
    index = None if n.grace else case.index_of[n.id]
    event = (
        f.event_of(index)
        if index is not None and f.followed and verdict not in ("missed", "not_heard")
        else None
    )
    if event is not None and index is not None:
        heard = {
            "on_s": _finite(event.on_s),
            "off_s": _finite(event.off_s),
            "midi": _r(event.midi, 2),
            "cents": _r(100 * (event.midi - n.sounding_midi), 1),
            "level_db": _finite(event.level_db, 1),
            "attack": "tongued" if event.attack >= 0.35 else "slurred",
        }
        due_s = expected.get(index)
        if due_s is not None:
            length = float(n.duration) * case.spq(index)
            late = event.on_s - due_s
            timing = {
                "expected_s": _finite(due_s),
                "deviation_s": _finite(late),
                "deviation_beats": _finite(late / case.beat_s(index), 3),
                "length_ratio": _finite((event.off_s - event.on_s) / max(length, 1e-3), 3),
            }
    # Without a pitch a note is written where it stands on the staff.
    pitch = n.written.pitch
    place = pitch or Pitch(n.written.display[:1] or "B", 0, int(n.written.display[1:] or 4))
    out: ReportNote = {
        "id": n.id,
        "score_id": n.score_id,
        "bar": n.bar,
        "pass": n.passing,
        "offset_q": _q(n.offset),
        "duration_q": _q(n.duration),
        "written": place.name,
        "written_midi": place.midi,
        "sounding_midi": n.sounding_midi if pitch else None,
        "grace": n.grace,
        "ornament": n.written.ornament,
        "slurred_to_next": n.slurred_to_next,
        "verdict": verdict,
        "heard": heard,
        "timing": timing,
    }
    if unsure:
        out["unsure"] = True
    return out


def finding_dict(x: Finding, case: AssessmentContext) -> ReportFinding:
    """A finding as the report holds it.

    >>> found = finding_dict(checked.findings[0], checked.case)
    >>> found["kind"], found["bar"], found["beat"]
    ('missed_accidental', '1', 4.0)
    """
    detail = {k: (_r(v, 4) if isinstance(v, float) else v) for k, v in x.detail.items()}
    listed = [k for k, e in enumerate(case.table.events) if e.index is None and math.isfinite(e.midi)]
    extras = [listed.index(k) for k in x.extras if k in listed]
    return {
        "key": x.key,
        "kind": x.kind,
        "facet": x.facet,
        "bar": x.bar,
        "pass": x.passing,
        "beat": round(x.beat, 3),
        "at_s": _finite(x.at_s),
        "until_s": _finite(x.until_s),
        "notes": list(x.notes),
        "extras": extras,
        "confidence": round(x.confidence, 3),
        "severity": round(x.severity, 3),
        "count": x.count,
        "places": list(x.places),
        "detail": cast(FindingDetail, detail),
        "cause": x.cause,
        "text": x.text,
        "advice": x.advice,
    }


def _tempo(case: AssessmentContext) -> ReportTempo:
    f = case.table
    if not f.followed:
        return {"played_bpm": None, "steadiness_cv": None, "curve": []}
    curve = []
    for i in range(f.first, f.last + 1):
        event = f.event_of(i)
        if event is not None:
            curve.append([_finite(event.on_s, 3), round(60.0 / f.seconds_per_quarter[i], 2)])
    logs = np.log(np.array(f.seconds_per_quarter[f.first : f.last + 1]))
    return {
        "played_bpm": round(60.0 / f.take_spq, 2),
        "steadiness_cv": round(float(np.std(logs)), 4),
        "curve": curve,
    }


def _tuning(case: AssessmentContext) -> ReportTuning:
    groups: dict[tuple[str, int], list[float]] = {}
    for i, n in enumerate(case.notes):
        event = case.event(i)
        if (
            case.table.followed
            and event is not None
            and abs(case.apart(i)) < 0.6
            and n.written.pitch is not None
        ):
            groups.setdefault((n.written.pitch.name, n.sounding_midi), []).append(
                100 * (event.midi - n.sounding_midi)
            )
    by_note: list[NoteTuning] = []
    for (name, midi), cents in sorted(groups.items(), key=lambda g: g[0][1]):
        q = np.percentile(cents, [25, 50, 75])
        by_note.append(
            {
                "written": name,
                "sounding_midi": midi,
                "cents_median": _finite(float(q[1]), 1),
                "cents_iqr": _finite(float(q[2] - q[0]), 1),
                "count": len(cents),
            }
        )
    return {"offset_cents": _r(case.offset_cents, 1) if case.table.followed else None, "by_note": by_note}


def _sound(case: AssessmentContext) -> ReportSound:
    """Loudness and tone of the whole take, as it was recorded: to be compared with another take of the same
    set-up only.
    """
    events = [case.event(i) for i in range(len(case.notes))] if case.table.followed else []
    levels = [e.level_db for e in events if e is not None and math.isfinite(e.level_db)]
    quiet, middle, loud = np.percentile(levels, [10, 50, 90]) if levels else (math.nan,) * 3
    return {
        "level_db": _r(float(middle), 1),
        "spread_db": _r(float(loud - quiet), 1),
        "clearness": _r(
            float(np.median([c for _, c in case.table.clearness])) if case.table.clearness else None, 3
        ),
        "waver_cents": _r(
            float(np.median([t.waver_cents for t in case.table.tones])) if case.table.tones else None, 1
        ),
        "sink_cents": _r(
            float(np.median([t.drift_cents for t in case.table.tones])) if case.table.tones else None, 1
        ),
        "long_notes": len(case.table.tones),
    }


def asked_and_wrong(
    case: AssessmentContext, findings: Sequence[Finding]
) -> tuple[dict[str, int], dict[str, int]]:
    """How many chances each facet had, and how many of them a sure finding took.

    >>> asked, wrong = asked_and_wrong(checked.case, checked.findings)
    >>> asked["accidentals"], wrong["accidentals"]
    (6, 2)
    """
    f = case.table
    if not f.followed:
        return {}, {}
    reached = [case.notes[i] for i in range(f.first, f.last + 1) if case.notes[i].id not in case.left_out]
    altered = [
        n for n in reached if n.written.pitch is not None and (n.written.pitch.alter or n.written.accidental)
    ]
    rests = [r for r in f.line.rests if reached and reached[0].onset <= r.onset <= reached[-1].onset]
    long = [n for n in reached if float(n.duration) >= case.settings.long_beats * case.beat_q]
    asked = {
        "notes": len(reached),
        "accidentals": len(altered),
        "count": len(rests) + len(long),
        "rhythm": len(reached),
        "ornaments": sum(n.grace or n.written.ornament is not None for n in f.line.notes),
        "articulation": sum(n.slurred_to_next for n in reached),
        "sound": len(reached),
    }
    return asked, wrong_by_facet(findings)


def wrong_by_facet(findings: Sequence[Finding]) -> dict[str, int]:
    """How many chances of each facet sure findings took.

    >>> wrong_by_facet([])
    {}
    """
    wrong: dict[str, int] = {}
    for x in findings:
        if is_sure(x.confidence):
            wrong[x.facet] = wrong.get(x.facet, 0) + max(1, x.count)
    return wrong
