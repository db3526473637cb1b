"""How notes begin: attacks that catch another partial, or squeak, before the note speaks."""

from __future__ import annotations

import math

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding
from jeweller.assessment.limits import NOTE_STARTS_LIMITS
from jeweller.assessment.pitches import wrong_pitch
from jeweller.assessment.regression import log_odds
from jeweller.assessment.timing import expected_onsets
from jeweller.notation.pitch import spell
from jeweller.notes.detail_settings import NOTE_STARTS
from jeweller.notes.settings import SAME_PITCH
from jeweller.notes.table import PlayedNote, StartSound
from jeweller.regression import clip

PARTIALS = (*NOTE_STARTS.squeaks, 5.0, -5.0)  # semitones to what a crack catches on brass


def assess_starts(case: AssessmentContext) -> list[Finding]:
    """Cracks, squeaks and slipped fingers in the beginnings of notes."""
    found = []
    expected = expected_onsets(case) if case.table.starts else {}
    for s in case.table.starts:
        event = case.event(s.index)
        if event is None:
            continue
        apart = s.midi - event.midi
        partial = _is_partial(case, s, apart)
        if stands_between(case, s, event, expected):
            # A tone that wavers is no other note, and before the first note nothing lies between two.
            wavers = abs(apart) < NOTE_STARTS_LIMITS.wavers + event.spread
            if not wavers and s.index not in case.graced and _before(case, s) is not None:
                found.append(_said(case, s, apart, log_odds("blip", blip_features(case, s, event, expected))))
            continue
        if partial and s.length_s > NOTE_STARTS_LIMITS.whole * (event.off_s - s.on_s):
            found.append(
                wrong_pitch(case, s.index, event, round(s.midi), 1.0 / (1.0 + math.exp(-_odds_by_pitch(s))))
            )
            continue
        odds = log_odds("crack", crack_features(case, s, event)) - (
            NOTE_STARTS_LIMITS.graced if s.index in case.graced else 0.0
        )
        confidence = 1.0 / (1.0 + math.exp(-odds))
        note = case.notes[s.index]
        fifths = case.table.line.bars[note.bar_index].bar.fifths
        caught = spell(round(s.midi - case.offset_cents / 100) - case.table.line.part.chromatic, fifths)
        found.append(
            case.finding(
                s.index,
                "cracked",
                at_s=s.on_s,
                confidence=confidence,
                severity=0.35,
                cause="air",
                detail={
                    "written": note.written.pitch.name if note.written.pitch else "",
                    "heard": caught.name,
                    "semitones": round(apart),
                    "milliseconds": round(1000 * s.length_s),
                },
            )
        )
    return found


def _is_partial(case: AssessmentContext, s: StartSound, apart: float) -> bool:
    """Whether a note cracks to what lies so many semitones from it."""
    brass = case.instrument.family == "brass"
    if brass and abs(apart) > 2.5 and abs(apart - round(apart)) < 0.4:
        written = case.notes[s.index].sounding_midi
        if case.instrument.same_fingering(written, written + round(apart)):
            return True
    return min(abs(apart - p) for p in (PARTIALS if brass else NOTE_STARTS.squeaks)) < 0.5


def stands_between(
    case: AssessmentContext, s: StartSound, event: PlayedNote, expected: dict[int, float]
) -> bool:
    """Whether what sounds before a note is none of its own attack, but a neighbouring note: fingers, if it is
    anything.
    """
    apart = s.midi - event.midi
    partial = _is_partial(case, s, apart)
    aside = not partial and _near_the_last(case, s)
    crack = partial and s.length_s <= NOTE_STARTS_LIMITS.longest_crack_s and not _between(s, expected)
    return aside or (abs(apart) < NOTE_STARTS_LIMITS.near_steps and not crack)


def blip_features(
    case: AssessmentContext, s: StartSound, event: PlayedNote, expected: dict[int, float]
) -> list[float]:
    """What tells a short sound between two notes (fingers that did not move together) from the end of the one
    and the beginning of the other.

    Whether the pitch line hears it, its attack and softness; what it explains of the spectrum, and for how
    long; whether it has the pitch of the note before, and how far that note and this one are from it in time;
    the note's own attack and make-up thereafter; how many other notes begin alike.
    """
    before = _before(case, s)
    heard = float(s.clarity > 0.0)
    return [
        heard,
        clip((s.attack - 0.3) / 0.3, -1.0, 2.0),
        heard * clip(s.below_db / 5.0, -1.0, 3.0),
        clip(math.log(max(s.gain, 0.02)), -4.0, 1.5),
        clip((s.held_s - 0.045) / 0.02, -2.5, 3.0),
        float(before is not None and abs(s.midi - before.midi) < SAME_PITCH),
        clip(event.attack, 0.0, 1.5),
        float(_between(s, expected)),
        clip((event.on_s - before.off_s) / 0.1, -2.0, 2.0) if before is not None else 2.0,
        clip((s.on_s - event.on_s) / 0.05, -3.0, 3.0),
        float(min(_alike(s, case.table.starts), 3)),
        clip(s.after, 0.0, 1.0),
    ]


def crack_features(case: AssessmentContext, s: StartSound, event: PlayedNote) -> list[float]:
    """What tells a crack, or a squeak, in the attack of a note from how this instrument speaks in this room.

    What the pitch line or the spectrum says of it by itself, whichever says more; whether it is one of the
    tones that notes crack to; whether the pitch line hears it, how clearly, how steadily; its attack and the
    note's own; for how long the spectrum needs it; the gap before the note, and its length; how many other
    notes begin alike.
    """
    before = _before(case, s)
    heard = float(s.clarity > 0.0)
    return [
        clip(max(_odds_by_pitch(s), _odds_by_spectrum(s)), -5.0, 3.0),
        float(_is_partial(case, s, s.midi - event.midi)),
        heard,
        heard * clip((s.clarity - 0.94) / 0.04, -3.0, 1.5),
        heard * clip(s.spread / 0.2, 0.0, 3.0),
        clip((s.attack - 0.3) / 0.3, -1.0, 2.0),
        clip(event.attack, 0.0, 1.5),
        clip((s.held_s - NOTE_STARTS_LIMITS.held_s) / 0.02, -2.5, 3.0),
        clip((event.on_s - before.off_s) / 0.1, -2.0, 2.0) if before is not None else 2.0,
        clip(math.log(event.off_s - event.on_s), -2.0, 1.0),
        float(min(_alike(s, case.table.starts), 3)),
    ]


def _before(case: AssessmentContext, s: StartSound) -> PlayedNote | None:
    return next((e for k in range(s.index - 1, -1, -1) if (e := case.event(k)) is not None), None)


def _near_the_last(case: AssessmentContext, s: StartSound) -> bool:
    """Whether the sound lies near the note before."""
    before = _before(case, s)
    return before is not None and abs(s.midi - before.midi) < NOTE_STARTS_LIMITS.near_last


def _alike(s: StartSound, starts: tuple[StartSound, ...]) -> int:
    """How many other notes begin with the same tone: then it is how this instrument speaks."""
    return sum(
        o is not s
        and abs(o.midi - s.midi) < SAME_PITCH
        and o.gain >= NOTE_STARTS_LIMITS.alike_gain * s.gain
        and o.length_s >= 0.6 * s.length_s
        for o in starts
    )


def _between(s: StartSound, expected: dict[int, float]) -> bool:
    """Whether the note came in time and the sound lay before it: then it stands between two notes."""
    due_s = expected.get(s.index)
    return due_s is not None and abs(s.off_s - due_s) < abs(s.on_s - due_s) - NOTE_STARTS_LIMITS.in_time_s


def _odds_by_pitch(s: StartSound) -> float:
    """Log odds of a crack by the pitch line: it is long enough, clear, has an attack, and is not soft."""
    odds = 0.3 + clip((s.length_s - 0.04) / 0.03, -1.5, 1.5) + clip((s.clarity - 0.94) / 0.03, -2.0, 1.0)
    return (
        odds
        + 0.8 * clip((s.attack - 0.2) / 0.2, -1.0, 1.0)
        - max(0.0, s.below_db - 5.0) / 3.0
        - (NOTE_STARTS_LIMITS.unseen if s.gain < NOTE_STARTS_LIMITS.least_gain else 0.0)
    )


def _odds_by_spectrum(s: StartSound) -> float:
    """Log odds of a crack by the spectrum: it needs another partial for long enough, nothing else explains
    it, and then the note speaks.
    """
    if s.gain <= 0.0:
        return -9.0
    odds = (
        clip((s.held_s - NOTE_STARTS_LIMITS.held_s) / 0.006, -2.5, 2.5)
        + 0.6 * clip(math.log(s.gain / NOTE_STARTS_LIMITS.usual_gain), -1.5, 1.5)
        + 3.0 * (s.part - 0.45)
    )
    return odds - (1.5 if s.edge and s.clarity == 0.0 else 0.0) - max(0.0, 0.6 - s.after) / 0.2


def _said(case: AssessmentContext, s: StartSound, apart: float, odds: float) -> Finding:
    note = case.notes[s.index]
    fifths = case.table.line.bars[note.bar_index].bar.fifths
    heard = spell(note.sounding_midi + round(apart) - case.table.line.part.chromatic, fifths)
    return case.finding(
        s.index,
        "extra_note",
        at_s=s.on_s,
        until_s=s.off_s,
        notes=(),
        confidence=1.0 / (1.0 + math.exp(-odds)),
        severity=0.4,
        cause="fingers_not_together",
        detail={
            "heard": heard.name,
            "heard_letter": heard.letter,
            "after": "",
            "milliseconds": round(1000 * s.length_s),
        },
    )
