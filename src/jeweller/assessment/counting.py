"""Count: rests, long notes, dropped and added beats, pauses, restarts, skipped bars and repeats.

A step in the count is one finding, on the rest or long note that was miscounted; what follows is judged from
the new count.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from jeweller.assessment.context import AssessmentContext, Interval
from jeweller.assessment.finding import Finding, bounded_confidence, rests_on
from jeweller.assessment.limits import COUNTING_LIMITS, PITCHES_LIMITS
from jeweller.i18n import N_
from jeweller.report_format import FindingDetail


@dataclass(frozen=True)
class CountAssessment:
    findings: list[Finding]
    steps: set[int]  # first note of every interval in which the count stepped: no tempo is read there


def assess_count(case: AssessmentContext, *, lengths: bool = True) -> CountAssessment:
    """Steps in the count, and (unless the sounds have no length of their own) notes cut short and rests
    filled.
    """
    found: list[Finding] = []
    steps: set[int] = set()
    found.extend(_jumps(case))
    intervals = case.intervals
    for k, interval in enumerate(intervals):
        finding = _step(case, k, interval)
        if finding is not None:
            steps.add(interval.i)
            found.append(finding)
        elif abs(interval.excess) > 0.5 * interval.expected and not _made_good(case, k):
            steps.add(interval.i)
    if lengths:
        found.extend(_lengths(case, steps))
    return CountAssessment(found, steps)


def _jumps(case: AssessmentContext) -> list[Finding]:
    found = _not_again(case) + _ties(case) + _past_fine(case)
    printed = {
        n.score_id: i for i, n in reversed(list(enumerate(case.notes)))
    }  # a line that goes back in this is at a repeat
    f = case.table
    for n, jump in enumerate(f.jumps):
        if jump.target > jump.origin:
            first = case.notes[jump.origin]
            skipped = case.notes[jump.origin : jump.target]
            bars = sorted({x.bar_index for x in skipped})
            back = next(
                (
                    i
                    for i in range(max(1, jump.origin), jump.target)
                    if printed[case.notes[i].score_id] < printed[case.notes[i - 1].score_id]
                ),
                None,
            )
            kind, sign = ("bar_skipped", "") if back is None else _road(case, back)
            if _other_ending(case, jump.origin, jump.target):
                kind = "wrong_ending"
            first = case.notes[back] if back is not None else first
            found.append(
                case.finding(
                    jump.origin,
                    kind,
                    at_s=jump.at_s,
                    until_s=jump.at_s,
                    notes=tuple(x.id for x in skipped),
                    score_ids=tuple(x.score_id for x in skipped),
                    confidence=0.9,
                    severity=0.9,
                    detail={"bars": len(bars), "from": first.bar, "to": skipped[-1].bar, "how": sign},
                )
            )
        else:
            tries = [e for e in f.events if e.attempt == n and e.index is not None and e.index >= jump.target]
            if not tries:
                continue
            note = case.notes[jump.target]
            ids = tuple(case.notes[e.index].id for e in tries if e.index is not None)
            as_written = any(case.as_written(e) for e in tries)
            found.append(
                case.finding(
                    jump.target,
                    "restart",
                    at_s=tries[0].on_s,
                    until_s=jump.at_s,
                    notes=ids,
                    # A try of which nothing is as written may be anybody's.
                    confidence=0.9 if as_written else PITCHES_LIMITS.beside_music,
                    weighed=not as_written,
                    severity=0.5,
                    detail={"notes": len(tries), "from": note.bar},
                )
            )
    return found


def _road(case: AssessmentContext, i: int) -> tuple[str, str]:
    """(kind, sign) where the music that main note i begins again is left out: a repeat, or a jump."""
    before = case.notes[i].bar_index - 1
    bar = case.table.line.bars[before].bar if before >= 0 else None
    if bar is not None and (bar.dacapo or bar.dalsegno):
        return "jump_skipped", "D.C." if bar.dacapo else "D.S."
    return "repeat_skipped", ""


def _other_ending(case: AssessmentContext, origin: int, target: int) -> bool:
    """Whether the player went to a later ending in place of an earlier one."""
    bars = case.table.line.bars
    last = len(case.notes) - 1
    here, there = (bars[case.notes[min(i, last)].bar_index].bar.ending for i in (origin, target))
    return bool(here and there) and max(here) < min(there)


def _past_fine(case: AssessmentContext) -> list[Finding]:
    """The take goes on past the Fine."""
    f = case.table
    if f.past_fine is None or case.event(f.last) is None:
        return []
    begin, end = f.past_fine
    bar = case.notes[f.last].bar
    return [
        case.finding(
            f.last,
            "past_fine",
            at_s=begin,
            until_s=end,
            confidence=COUNTING_LIMITS.road,
            severity=COUNTING_LIMITS.road_severity,
            detail={"from": bar},
        )
    ]


def _ties(case: AssessmentContext) -> list[Finding]:
    """Tied notes that were struck again."""
    found = []
    for tie in case.table.ties:
        event = case.event(tie.index)
        if event is None or abs(case.apart(tie.index)) > 0.5:
            continue
        confidence = 1.0 / (1.0 + math.exp(COUNTING_LIMITS.tie_nats - tie.nats))
        if confidence > COUNTING_LIMITS.tie_least:
            found.append(
                case.finding(
                    tie.index,
                    "tie_struck",
                    at_s=tie.at_s,
                    confidence=confidence,
                    severity=COUNTING_LIMITS.tie_severity,
                    detail={"of": len(case.table.ties)},
                )
            )
    return found


def _not_again(case: AssessmentContext) -> list[Finding]:
    """The repeat at the end of the line, where the take ends with its first time."""
    f, notes = case.table, case.notes
    rest = notes[f.last + 1 :]
    played = {n.score_id for n in notes[f.first : f.last + 1]}
    if (
        not rest
        or rest[0].passing <= notes[f.last].passing
        or any(n.score_id not in played for n in rest)
        or f.event_of(f.last) is None
    ):
        return []
    event = f.event_of(f.last)
    at = event.off_s if event is not None else 0.0
    kind, sign = _road(case, f.last + 1)
    return [
        case.finding(
            f.last + 1,
            kind,
            at_s=at,
            until_s=at,
            notes=tuple(n.id for n in rest),
            score_ids=tuple(n.score_id for n in rest),
            confidence=0.9,
            severity=0.9,
            detail={
                "bars": len({n.bar_index for n in rest}),
                "from": rest[0].bar,
                "to": rest[-1].bar,
                "how": sign,
            },
        )
    ]


def _made_good(case: AssessmentContext, k: int) -> bool:
    """Whether a neighbouring interval makes this one good: then a note is out of place, and the count is
    not.
    """
    v = case.intervals[k]
    beside = [
        w
        for w in case.intervals[max(0, k - 1) : k + 2]
        if w is not v and (w.j == v.i or w.i == v.j) and not case.is_free(w.i)
    ]
    if any(
        w.excess * v.excess < 0 and abs(w.excess) > COUNTING_LIMITS.compensated * abs(v.excess)
        for w in beside
    ):
        return True
    # A figure of equal notes squeezed, its last interval waiting for the beat.
    squeezed, following = 0.0, v
    for n, w in enumerate(reversed(case.intervals[max(0, k - COUNTING_LIMITS.longest_figure) : k]), 1):
        if w.j != following.i or w.quarters != v.quarters:
            break
        squeezed, following = squeezed - w.excess, w
        if n >= COUNTING_LIMITS.shortest_figure and squeezed > COUNTING_LIMITS.compensated * v.excess > 0:
            return True
    return False


def _step(case: AssessmentContext, k: int, v: Interval) -> Finding | None:
    """Whether the count stepped in this interval, and what to call it."""
    if v.j != v.i + 1 or case.is_free(v.i):
        return None
    s = case.settings
    beat_s = 0.5 * (case.beat_s(v.i) + case.beat_s(v.j))
    amount = v.excess / beat_s
    duration_beats = float(case.notes[v.i].duration) / case.beat_q
    rest_beats = v.rest_quarters / case.beat_q
    threshold, setting = s.step_beats, "step_beats"
    counted_beats = (
        rest_beats if rest_beats > 0 else duration_beats if duration_beats >= s.long_beats else 0.0
    )
    if counted_beats:
        if s.step_share * counted_beats < threshold:
            threshold, setting = s.step_share * counted_beats, "step_share"
    elif amount < 0:
        # A short note cannot lose a beat; it can only be early, unless a whole beat is gone.
        threshold = max(threshold, 0.8)
    if abs(amount) < 0.75 * threshold:
        return None
    if _made_good(case, k):
        return None
    spread = case.time_spread / beat_s
    confidence = bounded_confidence(abs(amount), threshold, max(spread, 0.04))
    # Where the tempo moves, a step over a long time is one by the take's own tempo as well.
    own = (v.seconds - v.quarters * case.table.take_spq) / beat_s
    if v.quarters >= COUNTING_LIMITS.moves_beats * case.beat_q and (
        own * amount < 0 or abs(own) < COUNTING_LIMITS.own_tempo * threshold
    ):
        confidence = min(confidence, COUNTING_LIMITS.listen)
    event, after = case.sounded(v.i), case.sounded(v.j)
    note = case.notes[v.i]
    sounding = event.off_s - event.on_s
    written_s = float(note.duration) * case.spq(v.i)
    detail: FindingDetail = {
        "beats": round(amount, 2),
        "seconds": round(v.excess, 2),
        "rests_on": rests_on(setting, abs(amount), threshold, max(spread, 0.04), "beats"),
    }
    if rest_beats > 0 and v.rest is not None:
        if (
            amount > 0
            and duration_beats >= s.long_beats
            and sounding - written_s > COUNTING_LIMITS.held_share * v.excess
        ):
            return _held_over(case, v, amount, confidence, detail)
        kind = "rest_long" if amount > 0 else "rest_short"
        if amount > max(COUNTING_LIMITS.stopped_beats, COUNTING_LIMITS.stopped_share * rest_beats):
            kind = "hesitation"  # nobody counts a rest so long: the player stopped
        rest = v.rest
        bar = rest.bar
        beat = case.table.line.beat_in_bar(rest.bar_index, rest.offset)
        counted = rest_beats + amount
        detail |= {"written_beats": round(rest_beats, 2), "heard_beats": round(max(0.0, counted), 2)}
        at = event.on_s + min(written_s, v.seconds)
        score_id, passing, ids = rest.score_id, rest.passing, ()
        return Finding(
            kind=kind,
            bar=bar,
            passing=passing,
            beat=beat,
            at_s=at,
            until_s=after.on_s,
            notes=ids,
            score_ids=(score_id,),
            confidence=confidence,
            severity=0.7,
            detail=detail,
            cause="rest_miscounted",
        )
    if amount > 0:
        if duration_beats >= s.long_beats and sounding - written_s > COUNTING_LIMITS.held_on * v.excess:
            return _held_over(case, v, amount, confidence, detail)
        whole = round(amount)
        # The count goes on from a whole beat later.
        if whole >= 1 and abs(amount - whole) <= COUNTING_LIMITS.whole_beats:
            return case.finding(
                v.i,
                "beat_added",
                until_s=after.on_s,
                confidence=confidence,
                severity=0.5,
                detail=detail,
            )
        return case.finding(
            v.j,
            "hesitation",
            at_s=event.on_s + min(written_s, sounding),
            until_s=after.on_s,
            confidence=confidence,
            severity=0.5,
            detail=detail,
        )
    detail |= {"written_beats": round(duration_beats, 2), "heard_beats": round(duration_beats + amount, 2)}
    return case.finding(
        v.i,
        "beat_dropped",
        until_s=after.on_s,
        confidence=confidence,
        severity=0.7,
        detail=detail,
        cause="long_note_miscounted" if duration_beats >= s.long_beats else None,
    )


def _held_over(
    case: AssessmentContext, v: Interval, amount: float, confidence: float, detail: FindingDetail
) -> Finding:
    note, _event, after = case.notes[v.i], case.sounded(v.i), case.sounded(v.j)
    duration = float(note.duration) / case.beat_q
    return case.finding(
        v.i,
        "held_over",
        until_s=after.on_s,
        confidence=confidence,
        severity=0.6,
        detail=detail | {"written_beats": round(duration, 2), "heard_beats": round(duration + amount, 2)},
        cause="long_note_miscounted",
    )


def _lengths(case: AssessmentContext, steps: set[int]) -> list[Finding]:
    """Long notes cut short, and notes sounding into a rest."""
    found = []
    s = case.settings
    for i, note in enumerate(case.notes):
        event = case.event(i)
        if event is None or math.isnan(event.midi):
            continue
        length = event.off_s - event.on_s
        beats = float(note.duration) / case.beat_q
        # Where the tempo moves a length is wrong only if it is so by the local tempo and by the take's own.
        slow, fast = max(case.spq(i), case.table.take_spq), min(case.spq(i), case.table.take_spq)
        written, longest = float(note.duration) * fast, float(note.duration) * slow
        error = max(case.time_spread, 0.04)
        detail: FindingDetail = {
            "written_beats": round(beats, 2),
            "heard_beats": round(length / case.beat_s(i), 2),
        }
        rest = case.rest_after[i]
        short_marks = {"staccato", "staccatissimo", "spiccato", "detached-legato"} & set(
            note.written.articulations
        )
        if (
            beats >= s.long_beats
            and not short_marks
            and not note.breath_after
            and i not in steps
            and note.written.ornament is None
        ):
            open_end = i == len(case.notes) - 1 or rest is not None
            share = (
                bounded_confidence(s.cut_share * written - length, 0.0, error)
                if length < s.cut_share * written + error
                else 0.0
            )
            early = 0.0
            if open_end and beats >= 2.0 - 1e-6:
                early = bounded_confidence(written - length, s.cut_beats * fast * case.beat_q, error)
            confidence = max(share, early)
            if confidence > 0.2:
                if early > share:
                    detail["rests_on"] = rests_on(
                        "cut_beats",
                        (written - length) / case.beat_s(i),
                        s.cut_beats,
                        error / case.beat_s(i),
                        "beats",
                    )
                else:
                    detail["rests_on"] = rests_on(
                        "cut_share", length / written, s.cut_share, error / written, "share", below=True
                    )
                found.append(
                    case.finding(
                        i,
                        "cut_short",
                        notes=(note.id,),
                        score_ids=(note.score_id,),
                        confidence=confidence,
                        severity=0.5,
                        detail=detail,
                        cause="long_note_miscounted" if open_end else None,
                    )
                )
        if (
            rest is not None
            and i + 1 < len(case.notes)
            and i not in steps
            and case.event(i + 1) is not None
            and not note.fermata
        ):
            over = length - longest
            rest_s = float(case.notes[i + 1].onset - note.end) * slow
            threshold = max(s.fill_share * rest_s, s.fill_min_s)
            if over > 0.6 * threshold:
                detail = {
                    "rest_beats": round(rest_s / case.beat_s(i), 2),
                    "over_beats": round(over / case.beat_s(i), 2),
                    "rests_on": rests_on(
                        "fill_share",
                        over / rest_s,
                        threshold / rest_s,
                        1.3 * error / rest_s,
                        N_("share of the rest"),
                    ),
                }
                place = case.table.line.beat_in_bar(rest.bar_index, rest.offset)
                found.append(
                    Finding(
                        kind="rest_filled",
                        bar=rest.bar,
                        passing=rest.passing,
                        beat=place,
                        at_s=event.on_s + longest,
                        until_s=event.off_s,
                        notes=(note.id,),
                        score_ids=(rest.score_id,),
                        confidence=bounded_confidence(over, threshold, 1.3 * error),
                        severity=0.5,
                        detail=detail,
                    )
                )
    return found
