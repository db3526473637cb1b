"""How likely a finding is right, given all that was measured about it: how sure its own rule is, how the
ways through the part share out there, how the note sounds, how hard the take is to hear.

One regression for all kinds and a deviation for each group of them, fitted by `bench/credence.py` on takes of
the tuning set. What a rule says of its kind is one measure among others.
"""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import WRONG_KINDS, Finding, calibrate, is_sure
from jeweller.assessment.joint_limits import CREDENCE
from jeweller.files import parse_json
from jeweller.notes.restarts import usual_level
from jeweller.notes.table import PlayedNote
from jeweller.regression import clip, logit
from jeweller.report_format import FindingDetail, Rival

FITTED = Path(__file__).parent / "credence.json"
MEASURES = (
    "said",
    "sure",
    "story",
    "elsewhere",
    "spread",
    "soft",
    "unclear",
    "repeated",
    "ornament",
    "slurred",
    "heard",
    "noise",
)
GROUPS: dict[str, tuple[str, ...]] = {
    "pitch": ("wrong_note", "wrong_partial", "missed_accidental", "added_accidental"),
    "missed": ("missed_note",),
    "extra": ("extra_note",),
    "moved": ("early", "late"),
    "figure": ("uneven", "dot_lost", "dot_overdone"),
    "length": ("cut_short", "held_over", "rest_filled", "rest_short", "rest_long"),
    "count": ("beat_dropped", "beat_added", "hesitation", "restart"),
    "skipped": ("bar_skipped", "repeat_skipped"),
    "cracked": ("cracked",),
    "trill": ("trill_missed", "trill_thin", "trill_start"),
    "ornament": ("grace_missed", "grace_slipped", "ornament_wrong"),
    "joined": ("tongued_in_slur", "slurred_over_tongue", "breath_in_slur"),
    "sound": ("out_of_tune", "sagging", "unsteady", "dynamics_flat"),
}
GROUP_OF = {kind: group for group, kinds in GROUPS.items() for kind in kinds}


def weigh(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """The findings with the confidence that all measures together give them."""
    out = []
    for f in found:
        if f.weighed:  # a place to listen to, whatever its sound
            out.append(f)
            continue
        # What is left of a backing sounds as written: then the ways through the part say nothing.
        group = "" if case.table.backed else GROUP_OF.get(f.kind, "")
        measures = measure_credence(case, f) if group else None
        confidence = calibrate(f.confidence)
        if measures is not None and group in _fitted().groups:
            constant, weights = _fitted().groups[group]
            known = np.clip(measures, *_fitted().ranges)
            odds = clip(constant + float(np.dot(weights, known)), *CREDENCE.odds)
            confidence = _said(1.0 / (1.0 + math.exp(-odds)))
        rivals = _rivals(case, f)
        detail: FindingDetail = {**f.detail, "rivals": rivals} if rivals else f.detail
        out.append(f.replace(confidence=confidence, measures=measures or (), weighed=True, detail=detail))
    return out


def _rivals(case: AssessmentContext, f: Finding) -> list[Rival]:
    """What the ways through the part say of the most doubtful of a finding's notes."""
    p, places = case.table.posteriors, _places(case, f)
    if p is None or not places:
        return []
    i = min(places, key=lambda k: float(p.near[k]))
    shares = {
        "as_written": float(p.written[i]),
        "another_pitch": float(p.other[i]),
        "silent": float(p.missed[i]),
        "left_out": float(p.left_out[i]),
        "begins_elsewhere": 1.0 - float(p.near[i]) if p.near[i] > 0.0 else 0.0,
    }
    return [
        {"story": story, "share": round(min(share, 1.0), 2)}
        for story, share in shares.items()
        if share >= CREDENCE.least_share
    ]


def _said(right: float) -> float:
    """A chance of being right as a confidence: what is hardly likelier than not is a place to listen to."""
    if right >= CREDENCE.sure_from:
        return right
    return right * CREDENCE.unsure_to / CREDENCE.sure_from


@dataclass(frozen=True)
class _Fit:
    """What `bench/credence.py` wrote: constant and weights of each group, and (2, M) the lowest and highest
    of each measure that it was fitted on. Beyond them nothing is known.
    """

    groups: dict[str, tuple[float, tuple[float, ...]]]
    ranges: npt.NDArray[np.float64]


@functools.cache
def _fitted() -> _Fit:
    data = parse_json(FITTED.read_text(encoding="utf-8"))
    groups = {g: (float(v["constant"]), tuple(v["weights"])) for g, v in data["groups"].items()}
    return _Fit(groups, np.array(data["ranges"], np.float64).T)


def measure_credence(case: AssessmentContext, f: Finding) -> tuple[float, ...] | None:
    """The measures of a finding, in the order of MEASURES; None where it is about no single note."""
    places = _places(case, f)
    posteriors = case.table.posteriors
    if not places or posteriors is None:
        return None
    last = len(case.notes) - 1
    around = sorted({k for i in places for k in (i - 1, i, i + 1) if 0 <= k <= last})
    events = [e for i in places if (e := case.event(i)) is not None]
    if f.kind == "missed_note":  # what has no pitch is none of it
        events = [e for e in events if not math.isnan(e.midi)]
    event = _worst(case, events)
    i = places[0]
    beat = case.beat_s(i)
    table = case.table
    k = table.events.index(event) if event is not None else 0
    return (
        logit(f.confidence, CREDENCE.surest),
        float(is_sure(f.confidence)),
        _story(case, f, places),
        math.log(CREDENCE.nowhere + 1.0 - min(float(posteriors.near[k]) for k in around)),
        clip(
            math.log(max(float(posteriors.spread_s[k]) for k in around) / beat + CREDENCE.least_spread),
            *CREDENCE.spread,
        ),
        clip((usual_level(table.events, k) - event.level_db) / CREDENCE.soft_db, -2.0, 4.0)
        if event is not None
        else 0.0,
        math.log(CREDENCE.clearest + 1.0 - min(event.clarity, 1.0)) if event is not None else 0.0,
        float(i > 0 and case.notes[i].sounding_midi == case.notes[i - 1].sounding_midi),
        float(any(case.notes[k].written.ornament or k in case.graced for k in around)),
        float(case.notes[i].slurred_from_previous),
        float(event is not None),
        _noise(case, f),
    )


def _noise(case: AssessmentContext, f: Finding) -> float:
    """dB / 10 below the music of the loudest that no tone explains where a finding begins or ends: a cough, a
    chair, somebody else.
    """
    unpitched = case.table.unpitched
    if unpitched is None:
        return CREDENCE.noise[0]
    around = (CREDENCE.noise_before_s, CREDENCE.noise_after_s)
    loudest = max(unpitched.loudest(at - around[0], at + around[1]) for at in (f.at_s, f.until_s))
    return clip((loudest - case.table.loud_db) / 10.0, *CREDENCE.noise)


def _places(case: AssessmentContext, f: Finding) -> list[int]:
    """Main notes that a finding is about."""
    found = [case.index_of[n] for n in f.notes if n in case.index_of]
    if found:
        return found
    if not f.extras:  # a sound before a note, whose name it does not bear
        here = (f.bar, f.passing, f.beat)
        return [i for i in range(len(case.notes)) if case.where(i) == here][:1]
    last = len(case.notes) - 1
    return [min(case.table.events[k].before, last) for k in f.extras if k < len(case.table.events)]


def _worst(case: AssessmentContext, events: list[PlayedNote]) -> PlayedNote | None:
    """The one heard least clearly."""
    return min(events, key=lambda e: e.clarity, default=None)


def _story(case: AssessmentContext, f: Finding, places: list[int]) -> float:
    """Log odds, by the posteriors, of what a finding says of its notes' sounding; 0 where it says nothing of
    it.
    """
    p = case.table.posteriors
    if p is None:
        return 0.0
    if f.kind == "extra_note":
        return logit(min(float(p.extra_before[places[0]]), 1.0), CREDENCE.surest)
    if f.kind in ("missed_note", *WRONG_KINDS):
        return logit(1.0 - max(float(p.written[i]) for i in places), CREDENCE.surest)
    return logit(min(float(p.written[i] + p.other[i]) for i in places), CREDENCE.surest)
