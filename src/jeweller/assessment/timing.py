"""Rhythm: single notes early or late, uneven runs, lost dots, rushing and dragging, all against the player's
own beat and spread.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from jeweller.assessment.context import AssessmentContext, Interval
from jeweller.assessment.counting import assess_count
from jeweller.assessment.finding import Finding, bounded_confidence, is_sure, rests_on
from jeweller.assessment.limits import TIMING_LIMITS
from jeweller.assessment.trends import find_trends
from jeweller.features.robust import median

Table = npt.NDArray[np.float64]


def assess_rhythm(case: AssessmentContext, steps: set[int], *, pitched: bool = True) -> list[Finding]:
    """Findings of the facet rhythm. `steps`: first notes of intervals in which the count stepped; claps and
    strokes are not `pitched`, but all attack.
    """
    # A short note may be out of place by much of itself and be no step: then it belongs to its figure.
    usable = [
        v
        for v in case.intervals
        if not case.is_free(v.i)
        and v.rest_quarters == 0
        and v.j == v.i + 1
        and (
            v.i not in steps
            or (v.quarters < case.beat_q and abs(v.excess) < TIMING_LIMITS.in_figure * case.beat_s(v.i))
        )
    ]
    dots, dotted = _dots(case, usable)
    runs, in_runs = _runs(case, usable)
    uneven = {n for r in runs if is_sure(r.confidence) for n in r.notes}
    figures, squeezed = _figures(case, [v for v in usable if case.notes[v.i].id not in uneven])
    runs = [r for r in runs if not set(r.notes) & {case.notes[k].id for k in squeezed}]
    in_runs |= squeezed
    trends = find_trends(case, steps | dotted | in_runs) + figures
    # Where the tempo snaps back, the first note of the old one is in nobody's place.
    free = dotted | in_runs | {k for t in trends for i in _inside(case, t) for k in (i, i + 1)}
    return trends + dots + runs + _single(case, steps, free, pitched)


def _inside(case: AssessmentContext, finding: Finding) -> set[int]:
    ids = set(finding.notes)
    return {i for i, n in enumerate(case.notes) if n.id in ids}


# ---- single notes
# ------------------------------------------------------------------------------------------------


def expected_onsets(case: AssessmentContext) -> dict[int, float]:
    """Seconds at which each sounded main note was expected by the player's own local beat, the steps of the
    count taken out.
    """
    off = measure_deviations(case, assess_count(case).steps)
    sounded = ((i, case.event(i)) for i in range(len(case.notes)))
    return {i: e.on_s - off.get(i, 0.0) for i, e in sounded if e is not None}


def measure_deviations(case: AssessmentContext, steps: set[int]) -> dict[int, float]:
    """Seconds by which each note fell after the local beat, fitted robustly to the notes around it (itself
    left out).
    """
    groups: list[list[int]] = [[]]
    joined = {(v.i, v.j) for v in case.intervals if v.i not in steps}
    sounded = [i for i in range(len(case.notes)) if case.event(i) is not None]
    for i in sounded:
        if groups[-1] and (groups[-1][-1], i) not in joined:
            groups.append([])
        groups[-1].append(i)
    out: dict[int, float] = {}
    reach = TIMING_LIMITS.neighbour_beats * case.beat_q + 1e-6
    for group in groups:
        q = np.array([float(case.notes[i].onset) for i in group])
        t = np.array([e.on_s for i in group if (e := case.event(i)) is not None])
        first, last = np.searchsorted(q, q - reach), np.searchsorted(q, q + reach)
        enough = np.flatnonzero(last - first > 4)
        if not len(enough):
            continue
        # All notes at once, a row each: its neighbours' places, weight 0 where it has no more and for itself.
        near = first[enough, None] + np.arange(int((last - first).max()))
        inside = (near < last[enough, None]) & (near != enough[:, None])
        near = np.minimum(near, len(group) - 1)
        slopes, ats = _robust_lines(q[near] - q[enough, None], t[near], inside)
        out |= {
            group[k]: float(t[k] - at) for k, slope, at in zip(enough, slopes, ats, strict=True) if slope > 0
        }
    return out


def _robust_lines(x: Table, y: Table, inside: npt.NDArray[np.bool_]) -> tuple[Table, Table]:
    """(N,) slopes and (N,) values at 0 of the lines through the points of each row, (N, M), that are
    `inside`: by iteratively reweighted least absolute deviations.
    """
    weight = inside.astype(np.float64)
    slope = at = np.zeros(len(x))
    for _ in range(6):
        total = weight.sum(axis=1)
        mx, my = (weight * x).sum(axis=1) / total, (weight * y).sum(axis=1) / total
        dx, dy = x - mx[:, None], y - my[:, None]
        spread = (weight * dx**2).sum(axis=1)
        slope = np.where(
            spread > 1e-9, (weight * dx * dy).sum(axis=1) / np.where(spread > 1e-9, spread, 1.0), 0.0
        )
        at = my - slope * mx
        weight = inside / np.maximum(np.abs(y - at[:, None] - slope[:, None] * x), 0.012)
    return slope, at


def _single(case: AssessmentContext, steps: set[int], leave: set[int], pitched: bool) -> list[Finding]:
    s = case.settings
    off = measure_deviations(case, steps)
    if not off:
        return []
    values = np.array(list(off.values()))
    spread = max(1.4826 * median(np.abs(values - median(values))), s.onset_error_s)
    found = []
    for i, deviation in off.items():
        if i in leave or case.is_free(i):
            continue
        note = case.notes[i]
        beat_s = case.beat_s(i)
        before = float(note.onset - case.notes[i - 1].onset) if i else float("inf")
        after = float(case.notes[i + 1].onset - note.onset) if i + 1 < len(case.notes) else float("inf")
        shorter = min(before, after) * case.spq(i)
        threshold = max(min(s.early_beats * beat_s, s.early_share * shorter), s.early_min_s)
        if i in case.graced and (s.graces == "either" or (s.graces == "on" and deviation > 0)):
            # before the beat or on it: both are schools; on it, the grace note takes its time from the note
            threshold += TIMING_LIMITS.grace_room_s
        if abs(deviation) < threshold:
            continue
        # Both intervals must show it: a note late by itself is followed by a short interval, an early one by
        # a long one.
        left = next((v for v in case.intervals if v.j == i), None)
        right = next((v for v in case.intervals if v.i == i), None)
        if left is None or right is None or left.excess * deviation <= 0 or right.excess * deviation >= 0:
            continue
        if min(abs(left.excess), abs(right.excess)) < max(
            0.5 * threshold, TIMING_LIMITS.made_good * abs(deviation)
        ):
            continue
        if any(v.i in steps and abs(v.excess) > s.step_beats * beat_s for v in (left, right)):
            continue  # the count stepped there
        event = case.sounded(i)
        confidence = bounded_confidence(
            abs(deviation), threshold, 1.3 * spread, sure_at=TIMING_LIMITS.sure_single
        ) * (0.75 + 0.25 * min(event.attack, 1.0))
        if pitched and (math.isnan(event.midi) or event.attack < TIMING_LIMITS.softly):
            # where a sound without a pitch, or without an attack, begins is not known so well
            confidence = min(confidence, TIMING_LIMITS.unclear)
        found.append(
            case.finding(
                i,
                "late" if deviation > 0 else "early",
                confidence=confidence,
                severity=0.35,
                detail={
                    "written": pitch.name if (pitch := case.notes[i].written.pitch) is not None else "",
                    "beats": round(deviation / beat_s, 2),
                    "seconds": round(deviation, 3),
                    "rests_on": rests_on(
                        "early_beats",
                        abs(deviation) / beat_s,
                        threshold / beat_s,
                        1.3 * spread / beat_s,
                        "beats",
                        sure_at=TIMING_LIMITS.sure_single,
                    ),
                },
            )
        )
    return found


# ---- pairs
# -------------------------------------------------------------------------------------------------------


def _pair_spread(case: AssessmentContext, usable: list[Interval], leave: Sequence[Interval] = ()) -> float:
    """Log ratio: the player's own robust spread of neighbouring equal notes, outside the run in question."""
    left = {v.i for v in leave}
    ratios = [
        math.log(a.seconds / b.seconds)
        for a, b in zip(usable, usable[1:], strict=False)
        if a.j == b.i and a.quarters == b.quarters and a.i not in left and b.i not in left
    ]
    if len(ratios) < 4:
        return 0.14
    return max(1.4826 * median(np.abs(ratios)), TIMING_LIMITS.pair_spread_floor)


def _dots(case: AssessmentContext, usable: list[Interval]) -> tuple[list[Finding], set[int]]:
    """Dotted pairs (3 : 1, the short note completing a beat) pooled over the passage; a single one only when
    it is gross.
    """
    s = case.settings
    school = (
        math.log(TIMING_LIMITS.double_dotted / 3.0) if s.dots == "double" else 0.0
    )  # ratios are told from the asked one
    pairs = []
    for a, b in zip(usable, usable[1:], strict=False):
        if (
            a.j != b.i
            or abs(a.quarters - 3 * b.quarters) > 1e-6
            or float(case.notes[a.i].duration) < a.quarters - 1e-6
        ):
            continue
        pairs.append((a, b, math.log(a.seconds / b.seconds) - school))
    if not pairs:
        return [], set()
    spread = _pair_spread(case, usable)
    # Lost or overdone, it is the short note that is misplaced, and the beats on both sides are not: else one
    # of these is early or late.
    in_time = [
        (p, abs(math.log((p[0].seconds + p[1].seconds) / (p[0].expected + p[1].expected)))) for p in pairs
    ]
    lost = [
        p for p, off in in_time if p[2] < math.log(s.dot_even_ratio) and off < TIMING_LIMITS.still_the_beat
    ]
    over = [
        p for p, off in in_time if p[2] > math.log(s.dot_over_ratio) and off < TIMING_LIMITS.back_on_the_beat
    ]
    found: list[Finding] = []
    # What is asked for lies elsewhere than it is written: nobody is late there.
    touched = _dotted_notes({"double": pairs, "either": over}.get(s.dots, []))
    if s.dots == "either":
        over = []
    for kind, some, sign, pooled, single in (
        ("dot_lost", lost, -1.0, "dot_even_ratio", "dot_single_ratio"),
        ("dot_overdone", over, 1.0, "dot_over_ratio", "dot_over_single_ratio"),
    ):
        if some:
            # A few of many that lie on the far side of the player's own variety are no habit.
            habit = len(some) > 1 and (kind == "dot_lost" or 2 * len(some) >= len(pairs))
            found.append(
                _dot_finding(kind, case, some, len(pairs), sign, pooled if habit else single, spread)
            )
            if found[-1].confidence >= TIMING_LIMITS.hardly:
                touched |= _dotted_notes(some)
    return found, touched


def _dotted_notes(pairs: Sequence[tuple[Interval, Interval, float]]) -> set[int]:
    return {k for p in pairs for k in (p[0].i, p[1].i, p[1].j)}


def _dot_finding(
    kind: str,
    case: AssessmentContext,
    some: list[tuple[Interval, Interval, float]],
    of: int,
    sign: float,
    setting: str,
    spread: float,
) -> Finding:
    """Dotted pairs that went the same way, pooled: a habit with its places."""
    ratio, limit = float(np.mean([p[2] for p in some])), math.log(getattr(case.settings, setting))
    # The shorter the short note, the more of its ratio is our own error in placing onsets.
    error = math.hypot(
        spread, 1.4 * case.settings.onset_error_s / float(np.mean([p[1].seconds for p in some]))
    ) / math.sqrt(len(some))
    confidence = bounded_confidence(sign * (ratio - limit), 0.0, error, sure_at=0.8)
    first = some[0][0]
    asked = TIMING_LIMITS.double_dotted / 3.0 if case.settings.dots == "double" else 1.0
    _on, last = case.sounded(first.i), case.sounded(some[-1][1].j)
    notes = [case.notes[k] for p in some for k in (p[0].i, p[1].i)]
    return case.finding(
        first.i,
        kind,
        until_s=last.on_s,
        notes=tuple(n.id for n in notes),
        score_ids=tuple(n.score_id for n in notes),
        confidence=confidence,
        severity=0.7 if len(some) > 1 else 0.5,
        count=len(some),
        places=tuple(dict.fromkeys(case.notes[p[0].i].bar for p in some)),
        detail={
            "ratio": round(asked * math.exp(ratio), 2),
            "of": of,
            **({"dots": "double"} if asked > 1.0 else {}),
            "rests_on": rests_on(
                setting,
                asked * math.exp(ratio),
                asked * math.exp(limit),
                asked * math.exp(ratio) * error,
                "ratio",
                sure_at=0.8,
                below=sign < 0,
            ),
        },
    )


def _short_spread(case: AssessmentContext, run: list[Interval]) -> float:
    """Log ratio: what the player's spread of onsets makes of pairs of such short notes; neighbouring
    intervals share an onset.
    """
    return TIMING_LIMITS.shared_onset * case.time_spread / float(np.mean([v.seconds for v in run]))


def _equal_runs(case: AssessmentContext, usable: list[Interval]) -> list[list[Interval]]:
    """Runs of four or more equal intervals of at most half a beat."""
    runs: list[list[Interval]] = []
    for v in usable:
        if runs and runs[-1][-1].j == v.i and runs[-1][-1].quarters == v.quarters:
            runs[-1].append(v)
        else:
            runs.append([v])
    return [r for r in runs if len(r) >= 4 and r[0].quarters <= case.beat_q * 0.5 + 1e-6]


def _runs(case: AssessmentContext, usable: list[Interval]) -> tuple[list[Finding], set[int]]:
    """Runs of four or more equal short notes that alternate long and short."""
    s = case.settings
    found: list[Finding] = []
    touched: set[int] = set()
    for run in _equal_runs(case, usable):
        # Pairs that begin on the beat (or on the half of it, for shorter notes).
        unit = 2 * run[0].quarters
        start = next((k for k in range(2) if (float(case.notes[run[k].i].offset) / unit) % 1 < 1e-6), 0)
        pairs = [(run[k], run[k + 1]) for k in range(start, len(run) - 1, 2)]
        ratios = np.array([math.log(a.seconds / b.seconds) for a, b in pairs])
        spread = max(_pair_spread(case, usable, run), _short_spread(case, run))
        k = 0
        while k < len(ratios):
            sign = 1.0 if ratios[k] > 0 else -1.0
            m = k
            while m < len(ratios) and ratios[m] * sign > math.log(s.uneven_ratio) * 0.8:
                m += 1
            if m - k >= 2 and not _one_out_of_place(np.array([v.seconds for p in pairs[k:m] for v in p])):
                mean = float(np.abs(ratios[k:m]).mean())
                confidence = bounded_confidence(
                    mean, math.log(s.uneven_ratio), spread / math.sqrt(m - k), sure_at=1.6
                )
                first, last = pairs[k][0], pairs[m - 1][1]
                _on, end = case.sounded(first.i), case.sounded(last.j)
                notes = [case.notes[x] for x in range(first.i, last.i + 1)]
                found.append(
                    case.finding(
                        first.i,
                        "uneven",
                        until_s=end.on_s,
                        notes=tuple(n.id for n in notes),
                        score_ids=tuple(n.score_id for n in notes),
                        confidence=confidence,
                        severity=0.45,
                        detail={
                            "ratio": round(math.exp(mean), 2),
                            "notes": len(notes),
                            "long_first": sign > 0,
                            "rests_on": rests_on(
                                "uneven_ratio",
                                math.exp(mean),
                                s.uneven_ratio,
                                math.exp(mean) * spread / math.sqrt(m - k),
                                "ratio",
                                sure_at=1.6,
                            ),
                        },
                    )
                )
                touched |= set(range(first.i, last.j + 1))
            k = max(m, k + 1)
    return found, touched


def _one_out_of_place(seconds: np.ndarray) -> bool:  # type: ignore[type-arg]
    """Whether equal notes with one of them early or late fit these intervals clearly better than notes that
    alternate long and short.
    """
    odd, even = seconds[::2], seconds[1::2]
    alternating = float(((odd - odd.mean()) ** 2).sum() + ((even - even.mean()) ** 2).sum())
    around = seconds - seconds.mean()
    # One onset moved by d makes one interval longer by d and the next one shorter: what it explains best.
    explained = max((around[k] - around[k + 1]) ** 2 / 2.0 for k in range(len(seconds) - 1))
    return float((around**2).sum()) - explained < TIMING_LIMITS.clearly * alternating


def _figures(case: AssessmentContext, usable: list[Interval]) -> tuple[list[Finding], set[int]]:
    """Figures of four or more equal short notes squeezed, and then back on the beat."""
    s = case.settings
    found: list[Finding] = []
    touched: set[int] = set()
    runs = _equal_runs(case, usable)
    for run in runs:
        # The figure ends on a beat: its last interval makes good what the others lost.
        for end in range(4, len(run) + 1):
            onset = float(case.notes[run[end - 1].j].offset) / case.beat_q
            if abs(onset - round(onset)) > 1e-6:
                continue
            for begin in range(max(0, end - TIMING_LIMITS.figure_notes), end - 3):
                part = run[begin:end]
                start = float(case.notes[part[0].i].offset) / case.beat_q
                total, expected = sum(v.seconds for v in part), sum(v.expected for v in part)
                if (
                    abs(start - round(start)) > 1e-6
                    or abs(math.log(total / expected)) > TIMING_LIMITS.back_on_the_beat
                    or {v.i for v in part} & touched
                ):
                    continue
                each = total / len(part)
                ratios = np.array([math.log(v.seconds / each) for v in part[:-1]])
                squeeze = -float(ratios.mean())
                if squeeze < 0.8 * s.figure_share or part[-1].seconds < each:
                    continue
                if float((ratios < 0).mean()) < TIMING_LIMITS.squeezed_share:
                    continue
                spread = max(_pair_spread(case, usable, run) * 0.7, 1.4 * s.onset_error_s / each) / math.sqrt(
                    len(part) - 1
                )
                _on, last = case.sounded(part[0].i), case.sounded(part[-1].j)
                notes = [case.notes[v.i] for v in part]
                found.append(
                    case.finding(
                        part[0].i,
                        "rushing",
                        until_s=last.on_s,
                        notes=tuple(n.id for n in notes),
                        score_ids=tuple(n.score_id for n in notes),
                        confidence=bounded_confidence(squeeze, s.figure_share, spread, sure_at=1.0),
                        severity=0.4,
                        detail={
                            "scope": "figure",
                            "of": len(runs),
                            "percent": round(100 * (1 - math.exp(-squeeze))),
                            "notes": len(part),
                            "rests_on": rests_on(
                                "figure_share", squeeze, s.figure_share, spread, "share", sure_at=1.0
                            ),
                            "from_bpm": round(60 / case.spq(part[0].i)),
                            "to_bpm": round(60 / case.spq(part[0].i) * math.exp(squeeze)),
                            "quarters": round(sum(v.quarters for v in part), 2),
                        },
                    )
                )
                touched |= {v.i for v in part}
    return found, touched
