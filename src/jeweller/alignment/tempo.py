"""The local tempo of a way through the line, steps in the count taken out."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from jeweller.alignment.candidates import Candidates
from jeweller.alignment.decoder import AlignmentPath, PathStep
from jeweller.alignment.note_arrays import NoteArrays
from jeweller.alignment.segments import StepKind
from jeweller.alignment.settings import TEMPO
from jeweller.features.robust import median


def estimate_local_tempo(
    items: NoteArrays, way: AlignmentPath, boundaries: Candidates, step_s: float, fallback: float
) -> npt.NDArray[np.float64]:
    """Seconds per quarter at each note: the running weighted median (about nine notes) of stretches of at
    least a quarter, shape (N,).

    Single short intervals are left out: a dotted figure played even, or a swung run, is no change of tempo.

    >>> from jeweller.alignment.note_arrays import make_note_arrays
    >>> from jeweller.alignment.decoder import PathStep
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A\\nM:4/4\\nL:1/4\\nK:C\\nA c A c|")[0].parts[0]
    >>> notes = make_note_arrays(perform_part("", part))
    >>> frame = np.array([0, 50, 100, 150, 200])
    >>> candidates = Candidates(frame, np.ones(5), np.zeros(5), np.zeros(5), np.zeros(5))
    >>> steps = [PathStep(start=k, end=k + 1, item=k, kind=StepKind.NOTE, pitch=None) for k in range(4)]
    >>> estimate_local_tempo(notes, AlignmentPath(tuple(steps), 0.0), candidates, 0.01, 1.0)
    array([0.5, 0.5, 0.5, 0.5])
    """
    n = len(items.midi)
    where, value, weight = [], [], []
    steps = [
        s for s in way.steps if s.kind in (StepKind.NOTE, StepKind.WRONG) and not items.last_free[s.item]
    ]
    until = _until(way, steps)
    seconds = [
        float(boundaries.frame[end] - boundaries.frame[s.start]) * step_s
        for s, end in zip(steps, until, strict=True)
    ]
    stepped = _stepped([float(items.ioi_q[s.item]) for s in steps], seconds)
    for k, step in enumerate(steps):
        quarters = 0.0
        for m in range(k, min(k + 8, len(steps))):
            last = steps[m]
            if m in stepped or (m > k and (last.item != steps[m - 1].item + 1 or last.start != until[m - 1])):
                break
            quarters += items.ioi_q[last.item]
            if quarters >= 1.0 - 1e-6 or m == k + 7:
                where.append(0.5 * (step.item + last.item))
                value.append((boundaries.frame[until[m]] - boundaries.frame[step.start]) * step_s / quarters)
                weight.append(min(quarters, 2.0) ** 0.5)
                break
    if len(where) < 3:
        return np.full(n, fallback)
    place, amount, heavy = np.array(where, float), np.log(np.array(value)), np.array(weight)
    overall = weighted_median(amount, heavy)
    keep = np.abs(amount - overall) < 0.7
    if keep.sum() >= 3:
        place, amount, heavy = place[keep], amount[keep], heavy[keep]
    order = np.argsort(place, kind="stable")
    place, amount, heavy = place[order], amount[order], heavy[order]
    out = np.empty(n)
    for i in range(n):
        lo, hi = np.searchsorted(place, [i - 4.5, i + 4.5])
        if hi - lo < 4:
            middle = int(np.searchsorted(place, i))
            lo, hi = max(0, middle - 3), min(len(place), middle + 3)
        out[i] = weighted_median(amount[lo:hi], heavy[lo:hi]) if hi > lo else overall
    return np.exp(np.clip(out, overall - 0.5, overall + 0.5))


def _until(way: AlignmentPath, steps: list[PathStep]) -> list[int]:
    """The boundary at which each note gives way to the next one: what is no music between them (a word in a
    rest) belongs to its time.
    """
    after = {id(a): b for a, b in zip(way.steps, way.steps[1:], strict=False)}
    out = []
    for step in steps:
        following = after.get(id(step))
        while following is not None and following.kind in (StepKind.JUNK, StepKind.EXTRA):
            following = after.get(id(following))
        goes_on = (
            following is not None
            and following.kind in (StepKind.NOTE, StepKind.WRONG)
            and following.item == step.item + 1
        )
        out.append(following.start if goes_on and following is not None else step.end)
    return out


def _stepped(quarters: list[float], seconds: list[float]) -> set[int]:
    """Intervals that are out by most of a quarter while those around them agree: there the count stepped, and
    no tempo is read.
    """
    logs, heavy = np.log(np.maximum(seconds, 0.02)) - np.log(quarters), np.sqrt(quarters)
    found = set()
    for k in range(len(seconds)):
        near = range(max(0, k - TEMPO.step_beside), min(len(seconds), k + 1 + TEMPO.step_beside))
        beside = [i for i in near if i != k]
        if len(beside) < TEMPO.step_beside:
            continue
        usual = weighted_median(logs[beside], heavy[beside])
        steady = median(np.abs(logs[beside] - usual)) < TEMPO.step_steady
        excess = seconds[k] - quarters[k] * math.exp(usual)
        if (
            steady
            and abs(excess) > TEMPO.step_quarters * math.exp(usual)
            and abs(logs[k] - usual) > TEMPO.step_share
        ):
            found.add(k)
    return found


def weighted_median(values: npt.NDArray[np.float64], weights: npt.NDArray[np.float64]) -> float:
    """The value at which half of the weight is reached.

    >>> import numpy as np
    >>> weighted_median(np.array([1.0, 5.0]), np.array([1.0, 9.0]))
    5.0
    """
    order = np.argsort(values, kind="stable")
    total = np.cumsum(weights[order])
    return float(values[order][int(np.searchsorted(total, 0.5 * total[-1]))])
