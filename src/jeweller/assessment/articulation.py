"""Articulation: slurred or tongued, breaths, joined and detached, against what is printed or was asked
for.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import SURE, Finding, rests_on
from jeweller.assessment.limits import ARTICULATION_LIMITS
from jeweller.assessment.regression import log_odds
from jeweller.assessment.settings import AssessmentSettings
from jeweller.features.robust import median, percentile
from jeweller.notes.detail_settings import TRANSITIONS
from jeweller.notes.table import NoteTransition
from jeweller.report_format import RestsOn

SHORT_MARKS = frozenset({"staccato", "staccatissimo", "spiccato"})


@dataclass(frozen=True)
class _Asked:
    """What each join is asked to be."""

    slurred: frozenset[int]  # second notes of joins that must not be tongued
    tongued: frozenset[int]  # second notes that must be
    short: frozenset[int]  # notes that must be detached


def _asked(case: AssessmentContext) -> _Asked:
    way = case.settings.articulation
    every = range(1, len(case.notes))
    printed = frozenset(i for i in every if case.notes[i].slurred_from_previous)
    short = frozenset(i for i, n in enumerate(case.notes) if SHORT_MARKS & set(n.written.articulations))
    none: frozenset[int] = frozenset()
    match way:
        case "free":
            return _Asked(none, none, none)
        case "joined":
            return _Asked(none, none, none)
        case "detached":
            return _Asked(none, frozenset(every), frozenset(range(len(case.notes))))
        case "slurs-optional":
            return _Asked(none, frozenset(every) - printed, short)
        case _:
            return _Asked(printed, frozenset(every) - printed, short)


def assess_transitions(case: AssessmentContext) -> list[Finding]:
    """Findings of the facet articulation."""
    asked = _asked(case)
    joins = [
        j
        for j in case.table.transitions
        if case.event(j.index - 1) is not None and case.event(j.index) is not None
    ]
    plain = [
        j
        for j in joins
        if j.index not in case.graced
        and not any(case.notes[k].written.ornament for k in (j.index - 1, j.index))
    ]
    found = _slurs(case, [j for j in plain if j.index in asked.slurred])
    found += _tongued(case, [j for j in plain if j.index in asked.tongued])
    # A room that fills every gap cannot tell short notes from long ones: is there a gap where a rest or a
    # breath is?
    before_rests = [
        (i, e)
        for i in range(len(case.notes))
        if case.rest_after[i] is not None and (e := case.event(i)) is not None
    ]
    rests = [e.off_s - e.on_s - float(case.notes[i].duration) * case.spq(i) for i, e in before_rests]
    clear_room = bool(rests) and median(rests) < ARTICULATION_LIMITS.dry_tail_s
    found += _detached(case, [j for j in plain if j.index - 1 in asked.short], clear_room)
    found += _breaths(
        case, [j for j in plain if j.index - 1 not in asked.short and j.index not in asked.slurred]
    )
    if case.settings.articulation == "joined":
        found += _joined(case, plain)
    return found


def _say(
    kind: str,
    case: AssessmentContext,
    joins: list[NoteTransition],
    confidence: float,
    severity: float,
    cause: str | None = None,
    rest: RestsOn | None = None,
) -> Finding:
    """One finding for joins alike; the place is the second note of the first."""
    i = joins[0].index
    _first, last = case.sounded(i), case.sounded(joins[-1].index)
    notes = [case.notes[j.index] for j in joins]
    return case.finding(
        i,
        kind,
        until_s=last.off_s,
        notes=tuple(n.id for n in notes),
        score_ids=tuple(n.score_id for n in notes),
        confidence=confidence,
        severity=severity,
        count=len(joins),
        places=tuple(dict.fromkeys(n.bar for n in notes)),
        cause=cause,
        detail={
            "dip_db": round(joins[0].dip_db, 1),
            "milliseconds": round(1000 * joins[0].gap_s),
            "count": len(joins),
            **({"rests_on": rest} if rest else {}),
        },
    )


def _odds(value: float) -> float:
    return 1.0 / (1.0 + math.exp(-max(-20.0, min(20.0, value))))


def _slurs(case: AssessmentContext, joins: list[NoteTransition]) -> list[Finding]:
    """Slurs with a tongue or a breath in them; most of them tongued is one finding."""
    s = case.settings
    tongued: list[tuple[NoteTransition, float]] = []
    breaths: list[tuple[NoteTransition, float]] = []
    for j in joins:
        if j.gap_s > s.breath_s:
            breaths.append((j, _odds((j.gap_s - s.breath_s) / 0.02)))
            continue
        confidence = _odds(_tongue_odds(case, j))
        if confidence >= 0.2:
            tongued.append((j, confidence))
    sure = sorted((j for j, c in [*tongued, *breaths] if c >= SURE), key=lambda j: j.index)
    if len(joins) >= ARTICULATION_LIMITS.least_joins and len(sure) >= ARTICULATION_LIMITS.habit_share * len(
        joins
    ):
        return [_say("not_joined", case, sure, max(c for _, c in [*tongued, *breaths]), 0.5)]
    found: list[Finding] = []
    for kind, some, cause in (("breath_in_slur", breaths, "breath"), ("tongued_in_slur", tongued, None)):
        several = [j for j, c in some if c >= SURE]
        if len(several) > 1:
            found.append(
                _say(kind, case, several, max(c for _, c in some), 0.4, cause, _rest(kind, several[0], s))
            )
        else:
            found += [_say(kind, case, [j], c, 0.4, cause, _rest(kind, j, s)) for j, c in some]
    return found


def _tongue_odds(case: AssessmentContext, j: NoteTransition) -> float:
    """Log odds that a join written slurred was tongued (docs/accuracy.md: logistic regression on the joins of
    the tuning set).

    The dip and how the one note gives way to the other decide; in slow music a slur sinks as deep, and so
    does the way up to a louder note.
    """
    a, b = case.event(j.index - 1), case.event(j.index)
    louder = b.level_db - a.level_db if a is not None and b is not None else 0.0
    plain = slur_features(j.dip_db, j.attack, j.gap_s, j.ioi_s, louder)
    if j.crossing is None or j.dip_db <= TRANSITIONS.flat_db:  # of one pitch, or flat: by the dip alone
        depth = math.log((max(j.dip_db, 0.0) + 0.5) / (case.settings.tongue_dip_db + 0.5))
        return (
            ARTICULATION_LIMITS.tongue_depth * depth
            + 0.85 * (plain[1] - 1.1)
            + 0.6 * (plain[2] - 0.5)
            - 1.4 * math.log(j.ioi_s / 0.4)
            - 0.5 * plain[4]
        )
    asked = ARTICULATION_LIMITS.tongue_depth * math.log(
        (ARTICULATION_LIMITS.tongue_db + 0.5) / (case.settings.tongue_dip_db + 0.5)
    )
    return asked + log_odds("tongued", [*plain, *j.crossing])


def _rest(kind: str, join: NoteTransition, s: AssessmentSettings) -> RestsOn:
    if kind == "breath_in_slur":
        return rests_on("breath_s", join.gap_s, s.breath_s, 0.02, "s")
    return rests_on("tongue_dip_db", join.dip_db, s.tongue_dip_db, 1.5, "dB")


def _tongued(case: AssessmentContext, joins: list[NoteTransition]) -> list[Finding]:
    """Notes that ran into one another where each has its own tongue: told against the player's other
    notes.
    """
    if len(joins) < 2 * ARTICULATION_LIMITS.least_joins:
        return []
    every = _all_slurred(case, joins)
    if every is not None:
        return [every]
    s = case.settings
    usual = median([j.dip_db for j in joins])
    odds = [
        (j, _odds(_run_on_odds(j, usual, j.crossing, s)))
        for j in joins
        if j.crossing is not None and j.dip_db < s.run_on_db + TRANSITIONS.deep_db
    ]
    sure = [j for j, c in odds if c >= SURE]
    rest = [(j, c) for j, c in odds if ARTICULATION_LIMITS.run_on_least <= c < SURE]
    found = [_say("slurred_over_tongue", case, [j], c, 0.3, rest=_run_on_rest(j, s)) for j, c in rest]
    if sure:
        found.append(
            _say(
                "slurred_over_tongue", case, sure, max(c for _, c in odds), 0.3, rest=_run_on_rest(sure[0], s)
            )
        )
    return found


def _all_slurred(case: AssessmentContext, joins: list[NoteTransition]) -> Finding | None:
    """All joins run together where each has a tongue of its own: hardly one of them dips. A single such join
    is told by the player's others; where all are alike there is nothing else to tell it by.
    """
    a = ARTICULATION_LIMITS
    notes = case.notes
    changing = [j for j in joins if notes[j.index].sounding_midi != notes[j.index - 1].sounding_midi]
    gaps = [j.gap_s for j in changing]
    if len(changing) < 2 * a.least_joins or median(gaps) > a.slurred_gap_s:
        return None
    deep = percentile([j.dip_db for j in changing], a.deepest_share)
    drop = median([j.drop_db for j in changing])
    odds = (a.slurred_dip_db - deep) / a.slurred_dip_error_db + (
        a.slurred_drop_db - drop
    ) / a.slurred_drop_error_db
    if odds < a.slurred_least_odds:
        return None
    alike = [j for j in changing if j.dip_db < a.slurred_dip_db]
    return _say("slurred_over_tongue", case, alike, _odds(odds), 0.5)


def plain_features(dip_db: float, usual_db: float, gap_s: float, ioi_s: float) -> list[float]:
    """What tells a join run together apart from its course: its dip, the player's usual one, the gap, the
    length of the first note.
    """
    return [
        math.log(max(dip_db, 0.0) + 0.5),
        math.log(max(usual_db, 0.0) + 0.5),
        20 * min(max(gap_s, 0.0), 0.1),
        math.log(ioi_s),
    ]


def slur_features(dip_db: float, attack: float, gap_s: float, ioi_s: float, louder_db: float) -> list[float]:
    """What tells a tongue in a slur apart from its course: dip, attack, gap, the length of the first note, by
    how much the second is louder.
    """
    return [
        math.log(max(dip_db, 0.0) + 0.5),
        min(attack, 1.5),
        20 * min(max(gap_s, 0.0), 0.1),
        math.log(ioi_s),
        max(-6.0, min(6.0, louder_db)),
    ]


def _run_on_odds(
    j: NoteTransition, usual: float, crossing: tuple[float, ...], s: AssessmentSettings
) -> float:
    """Log odds that a join written tongued was slurred (docs/accuracy.md: logistic regression on joins of the
    tuning set).
    """
    asked = ARTICULATION_LIMITS.run_on_tilt * math.log(
        (s.run_on_db + 0.5) / (ARTICULATION_LIMITS.run_on_db + 0.5)
    )
    return asked + log_odds("run_on", [*plain_features(j.dip_db, usual, j.gap_s, j.ioi_s), *crossing])


def _run_on_rest(join: NoteTransition, s: AssessmentSettings) -> RestsOn:
    return rests_on("run_on_db", join.dip_db, s.run_on_db, 0.5, "dB", below=True)


def _detached(case: AssessmentContext, joins: list[NoteTransition], clear_room: bool) -> list[Finding]:
    """Notes marked short that were held for their whole length."""
    long = [j for j in joins if j.share > case.settings.detached_share]
    if not clear_room:
        return []
    if len(joins) < ARTICULATION_LIMITS.least_joins or len(long) < ARTICULATION_LIMITS.habit_share * len(
        joins
    ):
        return []
    return [
        _say(
            "not_detached",
            case,
            long,
            _odds(
                8.0 * (len(long) / len(joins) - ARTICULATION_LIMITS.habit_share - 0.4 / math.sqrt(len(joins)))
            ),
            0.4,
        )
    ]


def _breaths(case: AssessmentContext, joins: list[NoteTransition]) -> list[Finding]:
    """A breath between all notes."""
    s = case.settings
    every = [
        j
        for j in joins
        if j.ioi_s > ARTICULATION_LIMITS.plain_ioi_s and not case.notes[j.index - 1].breath_after
    ]
    # Who plays detached leaves a like share of every note; a breath takes its time of short ones, too.
    short = [j for j in every if j.ioi_s < ARTICULATION_LIMITS.slow_ioi_s]
    ways = (
        (
            every,
            [j for j in every if j.gap_s > s.breath_s and j.share < ARTICULATION_LIMITS.much_left],
            ARTICULATION_LIMITS.habit_share,
        ),
        (
            short,
            [
                j
                for j in short
                if j.gap_s
                > max(ARTICULATION_LIMITS.breath_for * s.breath_s, ARTICULATION_LIMITS.plain_gap * j.ioi_s)
            ],
            ARTICULATION_LIMITS.breaths_share,
        ),
    )
    for of, gaps, least in ways:
        if (
            len(of) >= 2 * ARTICULATION_LIMITS.least_joins
            and len(gaps) >= least * len(of)
            and median([j.drop_db for j in gaps]) > ARTICULATION_LIMITS.silent_db
        ):
            return [
                _say(
                    "breath_every_note",
                    case,
                    gaps,
                    _odds(8.0 * (len(gaps) / len(of) - least) + 0.4),
                    0.5,
                    "breath",
                )
            ]
    return []


def _joined(case: AssessmentContext, joins: list[NoteTransition]) -> list[Finding]:
    """Asked to be joined: gaps between the notes."""
    gaps = [j for j in joins if j.share < case.settings.joined_share]
    if len(joins) < ARTICULATION_LIMITS.least_joins or len(gaps) < ARTICULATION_LIMITS.habit_share * len(
        joins
    ):
        return []
    return [
        _say(
            "not_joined",
            case,
            gaps,
            _odds(8.0 * (len(gaps) / len(joins) - ARTICULATION_LIMITS.habit_share) + 0.4),
            0.5,
        )
    ]
