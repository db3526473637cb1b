"""What is known of the way through a take while it is still recorded."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.decoder import AlignmentPath, PathStep
from jeweller.alignment.segments import StepKind
from jeweller.alignment.settings import ALIGN

Seconds = npt.NDArray[np.floating]


@dataclass(frozen=True, kw_only=True)
class Foreseen:
    """A way through the beginning of a take that goes on, between boundaries `at_s` (s), (B,), and the local
    tempo at every note of the part, (N,), as far as it is known. `settled` of its steps were found
    alike in two searches, the second of which knew far more of what follows: they are not searched again.
    """

    at_s: Seconds
    seconds_per_quarter: npt.NDArray[np.float64]
    path: AlignmentPath
    settled: int

    def known(self, time: Seconds) -> tuple[PathStep, ...]:
        """The steps that are settled, at boundaries at other times (s): what came since moves them a little.
        Fewer where one of them is gone.
        """
        steps = self.path.steps[: self.settled]
        if not steps:
            return ()
        moved = _nearest(time, self.at_s[: steps[-1].end + 1])
        used = np.array([(step.start, step.end) for step in steps])
        away_s = np.abs(time[moved[used]] - self.at_s[used]).max(axis=1)
        gone = np.diff(moved[used], axis=1)[:, 0] < np.minimum(np.diff(used, axis=1)[:, 0], 1)
        held = int(np.argmax(np.r_[(away_s > ALIGN.moved_s) | gone, True]))
        while held and not _plain(steps, held - 1):
            held -= 1
        return tuple(
            dataclasses.replace(step, start=int(moved[step.start]), end=int(moved[step.end]))
            for step in steps[:held]
        )


def _plain(steps: tuple[PathStep, ...], k: int) -> bool:
    """Whether step k is a note as written that gives way to the next note (of the last one that is known)."""
    if k + 1 >= len(steps):
        return k >= 0
    here, after = steps[k], steps[k + 1]
    joined = after.item == here.item + 1 and after.start == here.end
    return joined and here.kind == after.kind == StepKind.NOTE


def _nearest(time: Seconds, at_s: Seconds) -> npt.NDArray[np.int64]:
    """Which of the boundaries at `time` lies nearest to each of the times `at_s`."""
    k = np.clip(np.searchsorted(time, at_s), 1, len(time) - 1)
    return np.asarray(k - (at_s - time[k - 1] < time[k] - at_s), np.int64)


def settled_steps(path: AlignmentPath, time: Seconds, before: Foreseen | None) -> int:
    """How many steps of a way are settled, by what was foreseen of less: as many as are the same, long before
    that ended, up to a place where one note as written follows another.

    >>> at_s = np.arange(40.0)
    >>> steps = [PathStep(start=k, end=k + 1, item=k, kind=StepKind.NOTE, pitch=60) for k in range(39)]
    >>> way = AlignmentPath(tuple(steps[:30]), 0.0)
    >>> less = Foreseen(at_s=at_s[:31], seconds_per_quarter=np.ones(50), path=way, settled=0)
    >>> settled_steps(AlignmentPath(tuple(steps), 0.0), at_s, less)
    22
    """
    if before is None:
        return 0
    until, settled = float(before.at_s[-1]) - ALIGN.settled_tail_s, 0
    for k, (now, then) in enumerate(zip(path.steps, before.path.steps, strict=False)):
        same = (now.item, now.kind, now.pitch) == (then.item, then.kind, then.pitch)
        moved_s = abs(float(time[now.end] - before.at_s[then.end]))
        if not same or moved_s > ALIGN.moved_s or time[now.end] > until:
            break
        if k + 1 < len(path.steps) and _plain(path.steps, k):
            settled = k + 1
    return settled
