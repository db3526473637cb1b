"""In turn on chosen notes, made up: only whether it is in time and only these notes is looked at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.booth.settings import ECHO
from jeweller.features.extraction import extract_features
from jeweller.i18n import _, ngettext
from jeweller.notation.pitch import spell
from jeweller.phrases import joined_notes

Samples = npt.NDArray[np.float32]


@dataclass(frozen=True)
class MadeUp:
    """`notes` begun, how many of them fell on a beat or half a beat, and the pitches (sounding MIDI numbers)
    that were none of the chosen ones.
    """

    notes: int
    in_time: int
    others: tuple[int, ...]

    def sentence(self, chromatic: int) -> str:
        """In the player's written names; `chromatic` as the instrument has it."""
        if not self.notes:
            return _("Nothing was heard.")
        told = ngettext(
            "{n} note, {right} of it in time.", "{n} notes, {right} of them in time.", self.notes
        ).format(n=self.notes, right=self.in_time)
        if not self.others:
            return told + " " + _("Only the chosen notes.")
        names = joined_notes([spell(m - chromatic, -1).name for m in self.others])
        return told + " " + _("Besides the chosen notes: {names}.").format(names=names)


def look_at_made_up(samples: Samples, chosen: Sequence[int], bpm: float, beat_at_s: float) -> MadeUp:
    """What was made up. `samples` mono at 22.05 kHz, `chosen` sounding MIDI numbers, `bpm`
    beats a minute of which one fell at `beat_at_s`.

    >>> t = np.arange(22050) / 22050
    >>> tone = (0.3 * np.sin(2 * np.pi * 440 * t) * np.minimum(1, t / 0.01)).astype(np.float32)
    >>> look_at_made_up(np.concatenate([0 * tone, tone, 0 * tone]), [69], 60, 0.0)
    MadeUp(notes=1, in_time=1, others=())
    """
    f = extract_features(samples, min(chosen) - 7, max(chosen) + 7)
    quiet = max(f.floor_db + 10.0, f.loud_db - 30.0)
    peaks = np.flatnonzero(
        (f.flux[1:-1] >= f.flux[:-2]) & (f.flux[1:-1] > f.flux[2:]) & (f.flux[1:-1] > ECHO.onset)
    )
    starts: list[float] = []
    for k in (int(p) + 1 for p in peaks):
        at = k * f.hop_s
        after = f.level[k + round(ECHO.rise_s / f.hop_s) : k + round(ECHO.held_s / f.hop_s)]
        if len(after) and float(np.median(after)) > quiet and (not starts or at - starts[-1] > ECHO.held_s):
            starts.append(at)
    half = 30.0 / bpm
    off = [abs((at - beat_at_s + half / 2) % half - half / 2) for at in starts]
    in_time = sum(o <= ECHO.in_time * 60.0 / bpm for o in off)
    others: list[int] = []
    run: list[float] = []
    step = f.step_s / f.hop_s
    for k, pitch in enumerate(f.f0):
        loud = f.level[min(len(f.level) - 1, round(k * step))] > quiet
        heard = bool(loud and np.isfinite(pitch) and f.best[k] > 0.8)
        if heard and (not run or abs(pitch - run[-1]) < 0.5):
            run.append(float(pitch))
            continue
        _judge(run, f.step_s, chosen, others)
        run = [float(pitch)] if heard else []
    _judge(run, f.step_s, chosen, others)
    return MadeUp(len(starts), in_time, tuple(dict.fromkeys(others)))


def _judge(run: Sequence[float], step_s: float, chosen: Sequence[int], others: list[int]) -> None:
    if len(run) * step_s < ECHO.held_s:
        return
    pitch = float(np.median(run))
    if all(abs(pitch - c) * 100.0 > ECHO.near_cents for c in chosen):
        others.append(round(pitch))
