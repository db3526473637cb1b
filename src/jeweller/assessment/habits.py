"""Findings explained together: one habit against many slips.

A slip is one thing that went wrong at one place, and rare; a habit is what a player does nearly every time
the part asks for the same thing. Of n places that ask for it, k came out alike: the log odds of a habit
against k slips are

    log prior + k log(kept / slip) + (n - k) log((1 - kept) / (1 - slip))

so that four of four are a habit, and two of ten are not. What a habit explains is not told again.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from typing import Any

from jeweller.assessment.context import AssessmentContext, Interval
from jeweller.assessment.finding import Finding, is_sure
from jeweller.assessment.joint_limits import HABITS_LIMITS
from jeweller.features.robust import median
from jeweller.notation.pitch import key_alter

PITCH_KINDS = ("wrong_note", "missed_accidental", "added_accidental", "wrong_partial", "wrong_octave")
STEP_KINDS = ("beat_added", "held_over", "rest_long", "hesitation", "beat_dropped", "rest_short", "cut_short")
PACE_KINDS = ("rushing", "dragging", "late", "early")
TEMPO_KINDS = ("rushing", "dragging", "late", "early", "hesitation", "restart")


def habit_odds(times: int, chances: int) -> float:
    """Log odds that what came `times` times in `chances` is a habit and not so many slips.

    >>> habit_odds(4, 4) > 0, habit_odds(3, 3) > 0, habit_odds(2, 10) > 0, habit_odds(7, 10) > 0
    (True, True, False, True)
    """
    s = HABITS_LIMITS
    others = max(0, chances - times)
    return (
        s.log_prior + times * math.log(s.kept / s.slip) + others * math.log((1.0 - s.kept) / (1.0 - s.slip))
    )


def explain_habits(case: AssessmentContext, found: Sequence[Finding]) -> list[Finding]:
    """The findings with each habit told once, with all its places."""
    rest = list(found)
    # What lies in certain notes or rests before what lies in all bars: it says more.
    habits = (
        *(_long_notes, _rests, _metre, _ties, _short_of_air, _register, _pitches, _previous_key),
        *(_detached, _squeezed, _one_too_many),
    )
    for explain in habits:
        rest = explain(case, rest)
    return rest


def _merge(found: Sequence[Finding], chances: int, **changes: Any) -> Finding:
    """One finding for all of them, at the first's place."""
    some = sorted(found, key=lambda f: f.at_s)
    first = max(some, key=lambda f: f.confidence)
    times = sum(f.count for f in some)
    detail = {**first.detail, **changes.pop("detail", {}), "count": times, "of": max(chances, times)}
    places = [bar for f in some for bar in (f.places or (f.bar,))]
    base = some[0].replace(
        notes=tuple(dict.fromkeys(n for f in some for n in f.notes)),
        score_ids=tuple(dict.fromkeys(n for f in some for n in f.score_ids)),
        count=times,
        places=tuple(dict.fromkeys(places)),
        confidence=first.confidence,
        severity=max(f.severity for f in some),
        until_s=max(f.until_s for f in some),
        detail=detail,
    )
    return base.replace(**changes)


def _without(found: Iterable[Finding], gone: Iterable[Finding]) -> list[Finding]:
    drop = {id(f) for f in gone}
    return [f for f in found if id(f) not in drop]


def _sure(found: Iterable[Finding], kinds: Sequence[str]) -> list[Finding]:
    return [f for f in found if f.kind in kinds and is_sure(f.confidence)]


def _metre(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Another number of counts in nearly every bar: "you count four to a bar; it is in three"."""
    by_bar: dict[tuple[str, int], list[Finding]] = defaultdict(list)
    amounts: dict[tuple[str, int], float] = defaultdict(float)
    for f in _sure(found, STEP_KINDS):
        amount = f.detail.get("beats")
        if amount is not None:
            by_bar[f.bar, f.passing].append(f)
            amounts[f.bar, f.passing] += amount
    bars = list(dict.fromkeys((n.bar, n.passing) for n in case.notes if case.event(case.index_of[n.id])))
    metre = case.table.line.bars[0].bar.metre
    written = round(float(metre.length) / case.beat_q)
    for step in (1, -1):
        alike = [b for b, amount in amounts.items() if round(amount) == step and abs(amount - step) < 0.5]
        # The last bar has none behind it that would show how long it was.
        chances = len(bars) - 1
        if written + step < 2 or habit_odds(len(alike), chances) <= 0:
            continue
        parts = [f for b in alike for f in by_bar[b]]
        others = [f for f in _sure(found, (*STEP_KINDS, *TEMPO_KINDS)) if f.kind != "cut_short"]
        merged = _merge(
            [max(by_bar[b], key=lambda f: f.confidence) for b in alike],
            chances,
            kind="metre",
            cause="counts_in_another_metre",
            severity=HABITS_LIMITS.grave,
            detail={"played": written + step, "asked": written},
        )
        # In a take that is counted otherwise no tempo and no single step means what it says.
        return [*_without(found, [*parts, *others]), merged]
    return _metre_measured(case, found, written)


def _measured(
    case: AssessmentContext, group: list[Interval], others: list[Interval], step: float
) -> tuple[list[Interval], float]:
    """(those of a group of intervals that are `step` beats longer than written by the pace of others, log
    odds that this is a habit).

    Where the beat followed what was counted otherwise no step is told, and the pace still shows it.
    """
    if len(others) < HABITS_LIMITS.paced or not group:
        return [], -math.inf
    spq = median([v.seconds / v.quarters for v in others])
    over = [(v.seconds - v.quarters * spq) / (spq * case.beat_q) for v in group]
    alike = [v for v, b in zip(group, over, strict=True) if abs(b - step) < HABITS_LIMITS.near_a_beat]
    return alike, habit_odds(len(alike), len(group))


def _as_measured(
    case: AssessmentContext, kind: str, alike: list[Interval], odds: float, **more: Any
) -> Finding:
    """One finding for all intervals that were measured alike."""
    notes = [case.notes[v.i] for v in alike]
    return case.finding(
        alike[0].i,
        kind,
        confidence=1.0 / (1.0 + math.exp(-odds)),
        until_s=case.sounded(alike[-1].j).on_s,
        notes=tuple(n.id for n in notes),
        score_ids=tuple(n.score_id for n in notes),
        count=len(alike),
        places=tuple(dict.fromkeys(n.bar for n in notes)),
        **more,
    )


def _metre_measured(case: AssessmentContext, found: list[Finding], written: int) -> list[Finding]:
    """Where the beat followed the longer bars, and no step was told: every bar measured by the pace of the
    notes inside it.
    """
    inside = [v for v in case.intervals if case.notes[v.i].bar_index == case.notes[v.j].bar_index]
    # A rest before the bar line may be left out for itself.
    crossing = [
        v
        for v in case.intervals
        if case.notes[v.j].bar_index == case.notes[v.i].bar_index + 1 and v.rest_quarters == 0
    ]
    for step in (1, -1):
        alike, odds = _measured(case, crossing, inside, step)
        if written + step < 2 or odds <= 0:
            continue
        told = _sure(found, (*STEP_KINDS, *TEMPO_KINDS))
        gone = [f for f in told if f.kind != "cut_short"]
        detail = {"played": written + step, "asked": written, "count": len(alike), "of": len(crossing)}
        cause = "counts_in_another_metre"
        severity = HABITS_LIMITS.grave
        metre = _as_measured(case, "metre", alike, odds, severity=severity, cause=cause, detail=detail)
        return [*_without(found, gone), metre]
    return found


def _short_measured(
    case: AssessmentContext, found: list[Finding], *, rests: bool, told: Sequence[str]
) -> list[Finding]:
    """Long notes, or rests, of one length that get a count too few nearly every time, by the pace of the
    other notes; those that were told of singly are of it.
    """
    groups: dict[float, list[Interval]] = defaultdict(list)
    others = []
    for v in case.intervals:
        if case.is_free(v.i):
            continue
        beats = round((v.rest_quarters if rests else v.quarters) / case.beat_q, 2)
        if v.j == v.i + 1 and bool(v.rest_quarters) == rests and beats >= (1.0 if rests else 2.0):
            groups[beats].append(v)
        elif not v.rest_quarters and v.quarters < 2.0 * case.beat_q:
            others.append(v)
    for beats, group in groups.items():
        alike, odds = _measured(case, group, others, -1.0)
        if odds <= 0:
            continue
        detail = {"beats": -1.0, "written_beats": beats, "heard_beats": beats - 1.0}
        short = _as_measured(
            case,
            "rest_short" if rests else "beat_dropped",
            alike,
            odds,
            cause="rests_not_counted" if rests else "long_notes_short",
            severity=HABITS_LIMITS.heavy,
            detail={**detail, "count": len(alike), "of": len(group)},
        )
        return [*_without(found, _sure(found, (*told, *PACE_KINDS))), short]
    return found


def _long_notes(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Long notes of one length that get a count too few, with all that follows coming earlier."""
    groups: dict[float, list[Finding]] = defaultdict(list)
    for f in _sure(found, ("beat_dropped",)):
        written = f.detail.get("written_beats", 0.0)
        if written >= case.settings.long_beats and f.notes:
            groups[round(written, 2)].append(f)
    for written, some in groups.items():
        chances = sum(
            abs(float(n.duration) / case.beat_q - written) < HABITS_LIMITS.one_length and not case.is_free(i)
            for i, n in enumerate(case.notes)
            if case.event(i) is not None
        )
        if habit_odds(len(some), chances) > 0:
            # In a take that is counted otherwise no tempo means what it says.
            found = [
                *_without(found, [*some, *_sure(found, PACE_KINDS)]),
                _merge(some, chances, cause="long_notes_short", severity=HABITS_LIMITS.heavy),
            ]
    if any(f.cause == "long_notes_short" for f in found):
        return found
    return _short_measured(case, found, rests=False, told=("beat_dropped",))


def _rests(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Rests of one length that are not counted."""
    groups: dict[float, list[Finding]] = defaultdict(list)
    for f in _sure(found, ("rest_short",)):
        groups[round(f.detail.get("written_beats", 0.0), 2)].append(f)
    for written, some in groups.items():
        chances = sum(
            case.rest_after[i] is not None
            and i + 1 < len(case.notes)
            and abs(float(case.notes[i + 1].onset - n.end) / case.beat_q - written) < HABITS_LIMITS.one_length
            for i, n in enumerate(case.notes)
            if case.event(i) is not None
        )
        if habit_odds(len(some), chances) > 0:
            # Who does not count a rest plays into it, where it is not left out.
            found = [
                *_without(found, [*some, *_sure(found, ("rest_filled", *PACE_KINDS))]),
                _merge(some, chances, cause="rests_not_counted", severity=HABITS_LIMITS.heavy),
            ]
    if any(f.cause == "rests_not_counted" for f in found):
        return found
    return _short_measured(case, found, rests=True, told=("rest_short", "rest_filled"))


def _ties(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Ties struck again; what the second tongue made of the note besides is not told."""
    some = _sure(found, ("tie_struck",))
    if not some:
        return found
    tied = {n for f in some for n in f.notes}
    struck = [f.at_s for f in some]
    explained = [
        f
        for f in found
        if (f.kind == "cut_short" and set(f.notes) <= tied)
        or (f.kind == "extra_note" and any(abs(f.at_s - at) < 0.5 for at in struck))
    ]
    chances = len(case.table.ties)
    if len(some) > 1 and habit_odds(len(some), chances) > 0:
        return [*_without(found, [*some, *explained]), _merge(some, chances)]
    return _without(found, explained)


def _detached(_case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Who detaches all that is slurred takes breath in slurs and ends notes early: that is one cause. Who
    breathes between nearly all notes detaches those that are slurred by that, too.
    """
    parts = ("not_joined", "tongued_in_slur", "breath_in_slur", "breath_every_note", "cut_short")
    told = _sure(found, ("not_joined", "tongued_in_slur"))
    breaths = _sure(found, ("breath_in_slur",))
    if sum(f.count for f in (*told, *breaths)) < HABITS_LIMITS.detached or not told:
        return found
    everywhere = _sure(found, ("breath_every_note",))
    if everywhere:
        return [*_without(found, _sure(found, parts)), *everywhere]
    most = max(told, key=lambda f: f.count)
    if most.count < HABITS_LIMITS.detached:  # some of the gaps are so long that they seem breaths
        most = _merge([*told, *breaths], 0, kind=most.kind, cause=most.cause)
    return [*_without(found, _sure(found, parts)), most]


def _one_too_many(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """A note that is not written, and a count that is longer by its time: one note too many, and surely this
    player's.
    """
    rest = list(found)
    for step in _sure(found, ("rest_long", "beat_added", "held_over")):
        seconds = step.detail.get("seconds")
        for extra in found:
            if extra.kind != "extra_note" or not step.at_s <= extra.at_s < step.until_s or seconds is None:
                continue
            after = (e.on_s for e in case.table.events if e.on_s > extra.at_s + HABITS_LIMITS.apart_s)
            own = next(after, extra.until_s) - extra.at_s
            beat = case.beat_s(case.index_of[step.notes[0]]) if step.notes else seconds
            if abs(own - seconds) < HABITS_LIMITS.near_a_beat * beat:
                surely = extra.replace(confidence=max(extra.confidence, step.confidence))
                rest = [surely if f is extra else f for f in rest if f is not step]
                break
    return rest


def _squeezed(_case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Runs of short notes that hurry, and wait for the beat at their end, nearly every time."""
    some = [f for f in _sure(found, ("rushing",)) if f.detail.get("scope") == "figure"]
    if len(some) < 2 or habit_odds(len(some), max(f.detail.get("of", 0) for f in some)) <= 0:
        return found
    chances = max(f.detail.get("of", 0) for f in some)
    return [*_without(found, some), _merge(some, chances, cause="runs_squeezed")]


def _short_of_air(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Long notes that stop early while what follows comes in time: air, not counting."""
    some = _sure(found, ("cut_short",))
    chances = sum(
        float(n.duration) / case.beat_q >= case.settings.long_beats
        for i, n in enumerate(case.notes)
        if case.event(i) is not None
    )
    every = [f for f in found if f.kind == "breath_every_note"]
    breathless = bool(_sure(every, ("breath_every_note",))) and len(some) >= HABITS_LIMITS.airless
    if habit_odds(len(some), chances) <= 0 and not breathless:
        return found
    return [
        *_without(found, [*some, *every]),
        _merge(some, chances, cause="air", severity=HABITS_LIMITS.plain),
    ]


def _register(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """From some pitch up everything an octave or a twelfth low: a register is lost."""
    groups: dict[int, list[Finding]] = defaultdict(list)
    for f in _sure(found, ("wrong_octave", "wrong_partial")):
        if f.detail.get("semitones", 0) <= -12:
            groups[round(f.detail["semitones"])].append(f)
    for some in groups.values():
        low = [case.notes[case.index_of[n]] for f in some for n in f.notes if n in case.index_of]
        if len({n.sounding_midi for n in low}) < 2:
            continue
        lowest = min(low, key=lambda n: n.sounding_midi)
        chances = sum(
            n.sounding_midi >= lowest.sounding_midi and case.event(i) is not None
            for i, n in enumerate(case.notes)
        )
        if habit_odds(sum(f.count for f in some), chances) > 0 and lowest.written.pitch is not None:
            name = lowest.written.pitch.name
            merged = _merge(
                some, chances, cause="register_lost", detail={"from": name}, severity=HABITS_LIMITS.grave
            )
            found = [*_without(found, some), merged]
    return found


def _pitches(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """A pitch that comes out as the same other one nearly every time, whatever it is spelled as."""
    groups: dict[tuple[int, int], list[Finding]] = defaultdict(list)
    for f in _sure(found, PITCH_KINDS):
        written = {case.notes[case.index_of[n]].sounding_midi for n in f.notes if n in case.index_of}
        if len(written) == 1 and "semitones" in f.detail:
            groups[written.pop(), round(f.detail["semitones"])].append(f)
    for (midi, _semitones), some in groups.items():
        chances = sum(n.sounding_midi == midi and case.event(i) is not None for i, n in enumerate(case.notes))
        # A sign forgotten in the key and one overlooked in the bar are two things to learn, whatever sounds.
        if len({f.cause for f in some if f.cause}) > 1:
            continue
        if len(some) > 1 and habit_odds(sum(f.count for f in some), chances) > 0:
            first = max(some, key=lambda f: f.count)
            cause = next((f.cause for f in some if f.cause), None)
            found = [*_without(found, some), _merge([first, *_without(some, [first])], chances, cause=cause)]
    return found


def _previous_key(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Alterations that all fit another key signature: it was carried over from the piece before."""
    some = [
        f
        for f in _sure(found, ("missed_accidental", "added_accidental"))
        if f.detail.get("letter")
        and (f.kind == "added_accidental" or f.detail.get("source") == "key_signature")
    ]
    kinds = {f.kind for f in some}
    letters = {str(f.detail["heard_letter"])[0] for f in some if f.detail.get("heard_letter")}
    if len(some) < 2 or (len(kinds) < 2 and len(letters) < 2) or sum(f.count for f in some) < 3:
        return found
    own = case.table.line.bars[0].bar.fifths

    def spelled(step: str, fifths: int) -> str:
        return step + {0: "", 1: "♯", -1: "♭"}[key_alter(step, fifths)]

    def fits(fifths: int, f: Finding) -> bool:
        heard = str(f.detail["heard_letter"])
        return heard == spelled(heard[0], fifths)

    keys = [k for k in range(-6, 7) if k != own and all(fits(k, f) for f in some)]
    if not keys:
        return found
    nearest = min(keys, key=lambda k: (abs(k - own), abs(k)))
    changed = [s for s in "CDEFGAB" if key_alter(s, nearest) != key_alter(s, own)]
    # Every letter in which the two keys differ must have come out so, where the part has it.
    there = {n.written.pitch.step for n in case.notes if n.written.pitch is not None}
    if not {s for s in changed if s in there} <= letters:
        return found
    chances = sum(
        n.written.pitch is not None and n.written.pitch.step in letters and case.event(i) is not None
        for i, n in enumerate(case.notes)
    )
    times = sum(f.count for f in some)
    # Another key is in the fingers all the time; a letter forgotten now and then is forgotten.
    if habit_odds(times, chances) <= 0 or times < HABITS_LIMITS.kept * chances:
        return found
    merged = _merge(some, chances, cause="previous_key", detail={"signature": nearest})
    return [*_without(found, some), merged]
