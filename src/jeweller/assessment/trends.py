"""Rushing and dragging: stretches in which the local tempo leaves the take's own.

The tempo is a state with its own noise. Every player wanders, the one more and the other less, and what
wanders is no rushing: the take itself tells by how much. The log tempo at each interval is

    the take's tempo + wander (neighbours alike) + the scatter of single onsets + (perhaps) a change

and a change is said where it is unlikely under this player's wander: a generalised likelihood ratio, the
wander being fitted with the change and without it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.assessment.context import AssessmentContext, Interval
from jeweller.assessment.finding import Finding, bounded_confidence, rests_on
from jeweller.assessment.joint_limits import TREND_LIMITS
from jeweller.report_format import FindingDetail

Array = npt.NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class _Change:
    """A stretch of rows, first..last, in which the log tempo is other by `amount` at its farthest."""

    first: int
    last: int
    amount: float  # log ratio; positive: slower
    error: float
    base: float  # log seconds a quarter of the take without it
    gain: float  # nats by which it explains the take better
    course: Array  # of it at each row, 0..1


def find_trends(case: AssessmentContext, steps: set[int]) -> list[Finding]:
    """Stretches where the local tempo leaves the take's own: rushing or dragging."""
    t = TREND_LIMITS
    rows = [
        v
        for v in case.intervals
        if v.i not in steps and not case.is_free(v.i) and v.quarters > 0 and v.rest_quarters == 0
    ]
    if len(rows) < 2 * t.least_intervals:
        return []
    found: list[_Change] = []
    while len(found) < t.most_changes:
        change = _likeliest_change(case, rows, found)
        if change is None:
            break
        found.append(change)
    return [_say(case, rows, change) for change in found]


def _say(case: AssessmentContext, rows: list[Interval], change: _Change) -> Finding:
    t, s = TREND_LIMITS, case.settings
    # It is told from where it can be noticed, not from where it sets in.
    begins = next(k for k in range(change.first, change.last + 1) if change.course[k] >= t.noticed)
    first, last = rows[begins], rows[change.last]
    end = case.sounded(last.j)
    notes = [case.notes[k] for k in range(first.i, last.j)]
    confidence = bounded_confidence(
        abs(change.amount), math.log1p(s.tempo_share), change.error, sure_at=t.sure_at
    )
    # What the take hardly needs to be explained is not said for sure.
    confidence = min(confidence, 1.0 / (1.0 + math.exp(t.even_gain - change.gain)))
    detail: FindingDetail = {
        "from_bpm": round(60 / math.exp(change.base)),
        "to_bpm": round(60 / math.exp(change.base + change.amount)),
        "percent": round(100 * (math.exp(-change.amount) - 1)),
        "quarters": round(float(case.notes[last.j].onset - case.notes[first.i].onset), 1),
        "rests_on": rests_on(
            "tempo_share", abs(change.amount), s.tempo_share, change.error, "share", sure_at=t.sure_at
        ),
    }
    return case.finding(
        first.i,
        "dragging" if change.amount > 0 else "rushing",
        until_s=end.on_s,
        notes=tuple(n.id for n in notes),
        score_ids=tuple(n.score_id for n in notes),
        confidence=confidence,
        severity=t.severity,
        detail=detail,
    )


def _likeliest_change(case: AssessmentContext, rows: list[Interval], known: list[_Change]) -> _Change | None:
    """The change that explains most of what those already `known` do not."""
    from scipy.linalg import solve_triangular

    t = TREND_LIMITS
    seconds = np.array([v.seconds for v in rows])
    at = np.array([float(case.notes[v.i].onset) for v in rows])
    length = np.array([v.quarters for v in rows])
    tempo = np.log(seconds / length)
    tempo = np.clip(tempo, np.median(tempo) - t.most, np.median(tempo) + t.most)
    scatter = (case.time_spread / seconds) ** 2
    tempo = _without_outliers(tempo, np.sqrt(scatter))
    alike = np.exp(-np.abs(at[:, None] - at[None, :]) / t.wander_quarters)
    shapes, spans = _shapes(case, at, length)
    taken = [k for k, span in enumerate(spans) if any(_overlap(span, c) for c in known)]
    shapes = np.delete(shapes, taken, axis=1)
    spans = [span for k, span in enumerate(spans) if k not in set(taken)]
    if not spans:
        return None
    # What any take may have: a tempo of its own, and a slowing at its very end, longer or shorter.
    total = at[-1] + length[-1]
    slows = [min(quarters, t.ending_share * (total - at[0])) for quarters in t.ending_quarters]
    endings = [np.clip((at - (total - long)) / long, 0.0, 1.0) for long in slows]
    ways: list[
        tuple[Array, Array, Array]
    ] = []  # of each wander and ending: scores, amounts, errors of shapes
    plain = -math.inf
    usual = np.stack([np.ones(len(at)), *endings, *(c.course for c in known)], axis=1)
    for wander in t.wanders:
        root = np.linalg.cholesky(np.diag(scatter) + wander**2 * alike)
        solved = solve_triangular(
            root, np.column_stack([tempo, usual, shapes]), lower=True, check_finite=False
        )
        flat, courses = solved[:, 0], solved[:, 1 + usual.shape[1] :]
        whole = np.square(courses).sum(axis=0)
        every, *ends = solved[:, 1 : 2 + len(endings)].T
        others = solved[:, 2 + len(endings) : 1 + usual.shape[1]]
        for ending in ends:
            q, _r = np.linalg.qr(np.column_stack([every, ending, others]))
            y = flat - q @ (q.T @ flat)
            level = -0.5 * float(y @ y) - float(np.log(np.diag(root)).sum())
            plain = max(plain, level)
            # of what the usual does not explain of each course: q is orthonormal, and y at right angles to it
            power = np.maximum(whole - np.square(q.T @ courses).sum(axis=0), 1e-9)
            amount = (y @ courses) / power
            ways.append((level + 0.5 * amount**2 * power, amount, 1.0 / np.sqrt(power)))
    score, amounts, errors = (np.stack(values) for values in zip(*ways, strict=True))
    plainly = np.ones(len(tempo), np.bool_)
    for c in known:
        plainly[c.first : c.last + 1] = False
    for at_ in np.argsort(-score, axis=None):
        way, k = divmod(int(at_), score.shape[1])
        gain = float(score[way, k]) - plain
        if gain < t.least_gain:
            return None
        first, last = spans[k]
        own = plainly.copy()
        own[first : last + 1] = False
        base = float(np.median(tempo[own] if own.any() else tempo))
        here, share = slice(first, last + 1), case.settings.tempo_share
        if _by_more_than_one(tempo[here] - base, length[here], float(amounts[way, k]), share):
            return _Change(
                first=first,
                last=last,
                amount=float(amounts[way, k]),
                error=float(errors[way, k]),
                base=base,
                gain=gain,
                course=shapes[:, k],
            )
    return None


def _without_outliers(tempo: Array, spread: Array) -> Array:
    """The tempo with each interval no farther from those around it than the scatter of its onsets explains:
    one late note is no tempo.
    """
    t = TREND_LIMITS
    padded = np.pad(tempo, t.beside, mode="edge")
    usual = np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * t.beside + 1), axis=1)
    far = t.farthest_spreads * spread
    return np.asarray(usual + np.clip(tempo - usual, -far, far))


def _overlap(span: tuple[int, int], change: _Change) -> bool:
    return span[0] <= change.last and change.first <= span[1]


def _by_more_than_one(away: Array, length: Array, amount: float, share: float) -> bool:
    """Whether the stretch is away from the take's tempo without the interval that is farthest away, too: one
    note out of place moves no tempo.
    """
    sign, weight = math.copysign(1.0, amount), np.minimum(length, TREND_LIMITS.heaviest)
    rest = np.arange(len(away)) != int((sign * weight * away).argmax())
    return bool(sign * (weight[rest] * away[rest]).sum() > share * weight[rest].sum())


def _shapes(
    case: AssessmentContext, at: Array, length: Array
) -> tuple[npt.NDArray[np.float64], list[tuple[int, int]]]:
    """((N, K) courses of a change, from nought to one: it sets in within a few quarters, and lasts so long or
    to the end; the rows each spans).
    """
    t = TREND_LIMITS
    bar = float(case.table.line.bars[0].bar.metre.length)
    end = float(at[-1] + length[-1])
    columns, spans = [], []
    for begin in np.unique(at[:: max(1, len(at) // t.places)]).tolist():
        first = int(np.searchsorted(at, begin))
        for bars in t.lengths_bars:
            until = begin + bars * bar if bars else end
            if until > end or (bars and end - until < 1.0):
                continue
            if until - begin < 2.0 * case.beat_q or until - begin > t.longest_share * (end - at[0]):
                continue
            stop = int(np.searchsorted(at, until))
            if stop - first < t.least_intervals:
                continue
            middle = at[first:stop] + 0.5 * length[first:stop] - begin
            for sets_in in t.sets_in_quarters:
                if sets_in > until - begin:
                    continue
                course = np.zeros(len(at))
                np.minimum(middle / sets_in, 1.0, out=course[first:stop])
                columns.append(course / course.max())
                spans.append((first, stop - 1))
    return (np.stack(columns, axis=1) if columns else np.zeros((len(at), 0))), spans
