"""All judges together: one cause, one finding; habits counted; most important first."""

from __future__ import annotations

import dataclasses

from jeweller.assessment.articulation import assess_transitions
from jeweller.assessment.click import assess_click, assess_tempo
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.counting import CountAssessment, assess_count
from jeweller.assessment.credence import weigh
from jeweller.assessment.finding import SKIPPED_KINDS, UNMARKED, WRONG_KINDS, Finding, calibrate, is_sure
from jeweller.assessment.habits import explain_habits
from jeweller.assessment.limits import ASSESS_LIMITS
from jeweller.assessment.messages import write_texts
from jeweller.assessment.note_starts import assess_starts
from jeweller.assessment.ornaments import assess_ornaments
from jeweller.assessment.pitches import assess_attacks, assess_pitches, assess_tuning
from jeweller.assessment.settings import AssessmentSettings
from jeweller.assessment.sound import assess_clearness, assess_dynamics, assess_sustain
from jeweller.assessment.strokes import assess_strokes
from jeweller.assessment.timing import assess_rhythm
from jeweller.i18n import SOURCE, in_language
from jeweller.instruments.choose import fingerings
from jeweller.instruments.table import Instrument
from jeweller.notation.pitch import key_alter
from jeweller.notes.table import Click, NoteTable
from jeweller.report_format import FindingDetail

HABIT_KINDS = ("missed_accidental", "added_accidental", "wrong_note", "out_of_tune", "wrong_octave")


def assess(
    table: NoteTable,
    instrument: Instrument,
    settings: AssessmentSettings,
    *,
    asked_bpm: float | None = None,
    click: Click | None = None,
    rhythm_only: bool = False,
) -> tuple[list[Finding], AssessmentContext]:
    """Findings of a note table with its evidence, most important first, and the context they were made in.

    `asked_bpm`: quarters a minute that were asked for; `click`: the click played to, where it is known (else
        the one that was heard).
    """
    case = AssessmentContext(table=table, settings=settings, instrument=instrument)
    if rhythm_only:
        found = assess_attacks(case)
        case = _without(case, _surely_missed(found))
        found += assess_strokes(case)
        counted = assess_count(case, lengths=False)
        found, counted = _struck_again(case, found, counted)
        found += counted.findings + assess_rhythm(case, counted.steps, pitched=False)
        return _finish(case, found + assess_click(case, click) + assess_tempo(case, asked_bpm))
    found = _elsewhere(case)
    pitches = weigh(case, assess_pitches(case))
    case = _without(case, _surely_missed(pitches))
    counted = assess_count(case)
    taken_out = table.shift if table.shift == settings.reference_shift else 0
    found += _habits(case, pitches + weigh(case, assess_tuning(case, taken_out)))
    more = counted.findings + assess_rhythm(case, counted.steps) + assess_ornaments(case)
    more += _not_twice(assess_starts(case), pitches)
    more += assess_sustain(case) + assess_clearness(case) + assess_dynamics(case)
    more += assess_click(case, click or table.click) + assess_tempo(case, asked_bpm)
    return _finish(case, found + weigh(case, more + assess_transitions(case)))


def _surely_missed(found: list[Finding]) -> set[str]:
    """Ids of the notes that were surely not played."""
    return {n for f in found if f.kind == "missed_note" and is_sure(f.confidence) for n in f.notes}


def _not_twice(found: list[Finding], pitches: list[Finding]) -> list[Finding]:
    """What the starts tell without notes that are known to have another pitch."""
    known = {n for f in pitches if f.kind in WRONG_KINDS for n in f.notes}
    return [f for f in found if f.kind not in WRONG_KINDS or not set(f.notes) & known]


def _finish(case: AssessmentContext, found: list[Finding]) -> tuple[list[Finding], AssessmentContext]:
    """The findings in their order, without repeats that may be left out; the context with these."""
    found = _in_order(case, found)
    left_out: frozenset[str] = frozenset()
    if case.settings.repeats == "free":
        # Who leaves a repeat out goes to its second ending at once.
        once = [f for f in found if f.kind in ("repeat_skipped", "wrong_ending")]
        left_out = frozenset(n for f in once for n in f.notes)
        found = [f for f in found if f not in once]
    return found, dataclasses.replace(case, left_out=left_out)


def _struck_again(
    case: AssessmentContext, found: list[Finding], counted: CountAssessment
) -> tuple[list[Finding], CountAssessment]:
    """A stroke too many in a pause before a bar line is that bar begun twice: one restart, not two
    findings.
    """
    count = list(counted.findings)
    for extra in [f for f in found if f.kind == "extra_note"]:
        pause = next(
            (
                f
                for f in count
                if f.kind in ("hesitation", "beat_added", "rest_long") and f.at_s < extra.at_s < f.until_s
            ),
            None,
        )
        after = next(
            (i for i in range(len(case.notes)) if (e := case.event(i)) is not None and e.on_s > extra.at_s),
            None,
        )
        if pause is None or after is None or case.notes[after].offset != 0:
            continue
        bar = case.where(after)[0]
        count.remove(pause)
        found = [f for f in found if f is not extra]
        count.append(
            case.finding(
                after,
                "restart",
                at_s=extra.at_s,
                until_s=pause.until_s,
                confidence=min(extra.confidence, pause.confidence),
                severity=0.5,
                detail={"notes": 1, "from": bar},
            )
        )
    return found, CountAssessment(count, counted.steps)


def _in_order(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """What is left when every cause is said once, with its words, most important first."""
    found = [
        f.replace(
            confidence=f.confidence if f.weighed else calibrate(f.confidence),
            detail={**f.detail, "hands": case.instrument.hands, **_fingers(case, f)},
        )
        for f in explain_habits(case, _parsimony(case, found))
        if f.confidence >= ASSESS_LIMITS.least_said
    ]
    # Unsure is unsure: a kind that several weak reasons point to stays below the line.
    found.sort(key=lambda f: (not is_sure(f.confidence), f.kind in UNMARKED, -_weight(f), f.at_s, f.kind))
    with in_language(SOURCE):  # a report keeps its words; they are said otherwise where they are shown
        return [write_texts(f) for f in found]


def _fingers(case: AssessmentContext, f: Finding) -> FindingDetail:
    """How the note that is written and the one that was heard are usually fingered, or where the slide is for
    them.
    """
    if f.kind not in WRONG_KINDS or not f.notes or "semitones" not in f.detail:
        return {}
    pitch = case.notes[case.index_of[f.notes[0]]].written.pitch
    if pitch is None:
        return {}
    written, heard = (
        next((x.text for x in fingerings(case.instrument, pitch.midi + up)), "")
        for up in (0, round(f.detail["semitones"]))
    )
    return {"fingers_written": written, "fingers_heard": heard} if written else {}


def _without(case: AssessmentContext, missed: set[str]) -> AssessmentContext:
    """The case without what the way took for notes that were not played: no rhythm is read from it."""
    gone = {case.index_of[n] for n in missed if n in case.index_of}
    if not any(case.event(i) is not None for i in gone):
        return case
    last_try = tuple(None if i in gone else k for i, k in enumerate(case.table.last_try))
    return dataclasses.replace(case, table=dataclasses.replace(case.table, last_try=last_try))


def _weight(f: Finding) -> float:
    """How soon a teacher would say it: how bad, how often, how sure."""
    return f.severity * (1.0 + 0.5 * min(f.count - 1, 4)) * f.confidence


def _elsewhere(case: AssessmentContext) -> list[Finding]:
    """The whole take sounds elsewhere than the part, or was read in another clef: one finding."""
    found = []
    apart = case.table.shift - case.settings.reference_shift if case.table.shift else 0
    if apart:
        cause = "read_as_other_instrument" if apart % 12 else None
        found.append(_transposed(case, {"semitones": apart}, cause))
    if case.table.clef:
        found.append(_transposed(case, {"clef": case.table.clef}, "read_as_other_clef"))
    return found


def _transposed(case: AssessmentContext, detail: FindingDetail, cause: str | None) -> Finding:
    """The whole take sounds elsewhere than the part: one finding."""
    sounded = [i for i in range(len(case.notes)) if case.event(i) is not None]
    _first, last = case.sounded(sounded[0]), case.sounded(sounded[-1])
    return case.finding(
        sounded[0],
        "wrong_transposition",
        until_s=last.off_s,
        notes=(),
        score_ids=("whole",),
        confidence=0.9,
        severity=1.0,
        detail=detail,
        cause=cause,
    )


def _habit_of(f: Finding) -> tuple[str, ...]:
    """What two findings have in common if they are one habit."""
    d = f.detail
    match f.kind:
        case "wrong_note" if f.cause in ("neighbour_fingering", "other_instrument_habit"):
            return f.kind, str(d["written"]), str(d["heard"])
        case "wrong_note":
            return f.kind, str(d["written"]), str(d["heard"]), f.bar
        case "wrong_octave":
            return f.kind, str(d["semitones"])
        case "out_of_tune":
            return f.kind, str(d["written"]), "high" if d["cents"] > 0 else "low"
        case _:
            return f.kind, str(d["letter"]), str(d["heard_letter"]), str(d["source"])


def _habits(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """The same slip at several places is one finding with its places, and says how often the note was
    right.
    """
    groups: dict[tuple[str, ...], list[Finding]] = {}
    rest: list[Finding] = []
    for f in found:
        if f.kind == "wrong_note" and f.cause is None:
            f = f.replace(cause=_fingering_cause(case, f, found))
        if f.kind in HABIT_KINDS:
            groups.setdefault(_habit_of(f), []).append(f)
        else:
            rest.append(f)
    for group in groups.values():
        if (
            group[0].kind == "wrong_octave"
            and sum(is_sure(f.confidence) for f in group) < ASSESS_LIMITS.octave_habit
        ):
            rest.extend(group)
            continue
        sure = [f for f in group if is_sure(f.confidence)] or group
        first = sure[0]
        letter = first.detail["letter"]
        signature = first.detail["signature"] if first.detail.get("source") == "key_signature" else None
        pitches = [
            n.written.pitch
            for i, n in enumerate(case.notes)
            if n.written.pitch is not None and case.event(i) is not None
        ]
        chances = sum(
            p.letter == letter and (signature is None or p.alter == key_alter(letter[0], signature))
            for p in pitches
        )
        merged = first.replace(
            notes=tuple(n for f in sure for n in f.notes),
            score_ids=tuple(n for f in sure for n in f.score_ids),
            count=len(sure),
            places=tuple(dict.fromkeys(f.bar for f in sure)),
            confidence=max(f.confidence for f in sure),
            until_s=sure[-1].until_s,
            detail={**first.detail, "count": len(sure), "of": max(chances, len(sure))},
        )
        rest.append(merged)
        rest.extend(f for f in group if f not in sure)
    return rest


def _fingering_cause(case: AssessmentContext, first: Finding, found: list[Finding]) -> str | None:
    """A note that came out as the same wrong one nearly every time, what another instrument's fingering
    gives, or a single finger away. Once is no evidence.
    """
    slip = (first.detail["written"], first.detail["heard"])
    alike = [
        f for f in found if f.kind in HABIT_KINDS and (f.detail.get("written"), f.detail.get("heard")) == slip
    ]
    sounding = case.notes[case.index_of[first.notes[0]]].sounding_midi
    same = [i for i, n in enumerate(case.notes) if n.sounding_midi == sounding and case.event(i) is not None]
    if len(alike) < ASSESS_LIMITS.same_slip or len(alike) < ASSESS_LIMITS.always * len(same):
        return None
    heard = sounding + first.detail["semitones"]
    if case.instrument.habit_of(sounding, heard) is not None:
        return "other_instrument_habit"
    return "neighbour_fingering" if case.instrument.one_finger_apart(sounding, heard) else None


def _parsimony(case: AssessmentContext, found: list[Finding]) -> list[Finding]:
    """Drops what another finding explains."""
    kept: list[Finding] = []
    skipped = {n for f in found if f.kind in SKIPPED_KINDS for n in f.notes}
    stretches = [(f.at_s - 0.05, f.until_s + 0.05) for f in found if f.kind == "restart"]
    steps = {n for f in found if f.kind in ("hesitation", "held_over", "beat_dropped") for n in f.notes}
    wrong = {
        n
        for f in found
        if f.kind in ("wrong_note", "wrong_octave", "wrong_partial", "missed_note") and is_sure(f.confidence)
        for n in f.notes
    }
    extras = [f.at_s for f in found if f.kind == "extra_note" and is_sure(f.confidence)]
    cracks = [
        (
            f.at_s - ASSESS_LIMITS.crack_room_s,
            f.at_s + f.detail["milliseconds"] / 1000 + ASSESS_LIMITS.crack_room_s,
        )
        for f in found
        if f.kind == "cracked" and is_sure(f.confidence)
    ]
    heard_extras = [
        (f.at_s - 0.3, max(f.at_s + 0.3, f.until_s + ASSESS_LIMITS.crack_room_s))
        for f in found
        if f.kind == "extra_note" and "milliseconds" not in f.detail
    ]
    # In a note that slipped, or wavers, a short sound is that note.
    heard_extras += [
        (f.at_s - ASSESS_LIMITS.crack_room_s, f.until_s + ASSESS_LIMITS.crack_room_s)
        for f in found
        if f.kind in ("wrong_octave", "wrong_partial", "unsteady") and is_sure(f.confidence)
    ]
    long_extras = [
        (f.at_s - ASSESS_LIMITS.crack_room_s, f.until_s)
        for f in found
        if f.kind == "extra_note" and f.until_s - f.at_s > ASSESS_LIMITS.longest_crack_s
    ]
    wavering = {n for f in found if f.kind == "unsteady" and is_sure(f.confidence) for n in f.notes}
    held = [f for f in found if f.kind == "grace_slipped" and is_sure(f.confidence)]
    for f in found:
        if f.kind in ("grace_missed", "grace_slipped") and any(
            g is not f and g.notes == f.notes and found.index(g) < found.index(f) for g in held
        ):
            continue
        if f.kind == "extra_note" and any(g.at_s < f.at_s < g.until_s for g in held):
            continue  # the note itself, behind its grace note
        if f.kind == "cut_short" and set(f.notes) & wavering:
            continue  # a dip of its waver is not its end
        if f.kind == "missed_note" and set(f.notes) <= skipped:
            continue
        if f.kind == "cut_short" and any(
            f.at_s < at < f.until_s + 0.5 * case.beat_s(case.index_of[f.notes[0]]) for at in extras
        ):
            continue  # it ended because another note came
        if f.kind in ("extra_note", "early", "late") and any(a <= f.at_s <= b for a, b in stretches):
            continue
        if f.kind == "cracked" and any(a <= f.at_s <= b for a, b in long_extras):
            continue
        if (
            f.kind == "extra_note"
            and "milliseconds" in f.detail
            and any(a < f.at_s < b for a, b in heard_extras)
        ):
            continue
        if (
            f.kind == "extra_note"
            and f.until_s - f.at_s <= ASSESS_LIMITS.longest_crack_s
            and any(a <= f.at_s <= b for a, b in cracks)
        ):
            continue
        if f.kind in ("early", "late") and (set(f.notes) & steps or set(f.notes) & wrong):
            continue
        if f.kind == "out_of_tune" and set(f.notes) & wrong:
            continue
        if f.kind == "hesitation" and any(a <= f.at_s <= b or a <= f.until_s <= b for a, b in stretches):
            continue
        kept.append(f)
    fills = {f.score_ids for f in kept if f.kind in ("rest_short", "rest_long")}
    return [f for f in kept if not (f.kind == "rest_filled" and f.score_ids in fills)]
