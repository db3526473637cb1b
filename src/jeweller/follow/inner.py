"""A second, local hearing inside long segments: a note too many, or the same note taken again, that the first pass swallowed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jeweller.follow.measure import Measurer
from jeweller.follow.result import Event
from jeweller.follow.segments import Items
from jeweller.hear.features import Features

MIN_RUN_S = 0.10  # a sound shorter than this is no note
ATTACK_PART_S = 0.14  # what happens so early belongs to the attack
MIN_CLARITY = 0.78
LEVEL_BELOW_DB = 13.0  # softer than the note by more than this: room or the next room
GAP_S = 0.09  # the same pitch again counts as sounded again after a gap of so much
MIN_ATTACK = 0.3
FOLDED = (0, 12, 19, 24)  # semitones: the same tone, heard in another octave or at its third partial


@dataclass(frozen=True)
class _Run:
    on_s: float
    off_s: float
    midi: float
    attack: float
    level_db: float


def hear_inside(events: list[Event], items: Items, features: Features, measurer: Measurer) -> list[Event]:
    """Events with the sounds inside their segments told apart."""
    out: list[Event] = []
    for k, event in enumerate(events):
        if event.index is None or np.isnan(event.midi) or items.trill[event.index]:
            out.append(event)
            continue
        after = events[k + 1] if k + 1 < len(events) else None
        graces = items.graces[event.index] | (items.graces[event.index + 1] if event.index + 1 < len(items.graces) else frozenset())
        runs = [r for r in _runs(event, after, features, measurer) if not any(abs(r.midi - g) < 0.7 for g in graces)]
        out.append(event)
        out.extend(_extra(r, event, None, event.attempt) for r in runs if abs(r.midi - event.midi) > 0.7)
    return out


def _extra(run: _Run, event: Event, index: int | None, attempt: int) -> Event:
    assert event.index is not None
    return Event(index, event.index + 1, run.on_s, run.off_s, run.off_s, run.midi, 0.1, 0.9, 0.0, 0.0, 0.0, run.level_db, run.attack, attempt)


def _runs(event: Event, after: Event | None, features: Features, measurer: Measurer) -> list[_Run]:
    """Steady sounds in a segment that are not the note itself: another pitch, or the same after a gap."""
    f = features
    ratio = round(f.step_s / f.hop_s)
    a, b = round((event.on_s + ATTACK_PART_S) / f.step_s), min(round((event.next_s - 0.02) / f.step_s), len(f.f0))
    if after is not None and after.index is not None:
        b = min(b, round((after.on_s - 0.02) / f.step_s))
    runs: list[_Run] = []
    k = a
    level = f.level[::ratio]
    quiet_from: int | None = None
    last_same = round(event.on_s / f.step_s)
    while k < b:
        sounding = f.best[k] > MIN_CLARITY and level[k] > max(event.level_db - LEVEL_BELOW_DB, f.floor_db + 6.0) and not np.isnan(f.f0[k])
        if not sounding:
            quiet_from = k if quiet_from is None else quiet_from
            k += 1
            continue
        pitch = float(f.f0[k])
        m = k
        while m < b and f.best[m] > MIN_CLARITY and abs(float(f.f0[m]) - pitch) < 0.6 and level[m] > max(event.level_db - LEVEL_BELOW_DB, f.floor_db + 6.0):
            m += 1
        same = any(abs(abs(pitch - event.midi) - d) < 0.7 for d in FOLDED)
        long_enough = (m - k) * f.step_s >= MIN_RUN_S
        if same:
            gap = (k - last_same) * f.step_s
            if gap >= GAP_S and long_enough and measurer.attack(k * f.step_s) >= MIN_ATTACK:
                runs.append(_Run(k * f.step_s, m * f.step_s, event.midi, measurer.attack(k * f.step_s), float(np.median(level[k:m]))))
            last_same = m
        elif long_enough and measurer.attack(k * f.step_s) >= MIN_ATTACK and not _next_note(pitch, m, b, after):
            runs.append(_Run(k * f.step_s, m * f.step_s, float(np.median(f.f0[k:m])), measurer.attack(k * f.step_s), float(np.median(level[k:m]))))
        k = max(m, k + 1)
        quiet_from = None
    return runs


def _next_note(pitch: float, end: int, limit: int, after: Event | None) -> bool:
    """The beginning of the note that follows, heard a little early, is no extra note."""
    apart = abs(pitch - after.midi) if after is not None else 99.0
    return end >= limit - 4 and min(abs(apart - d) for d in FOLDED) < 0.8
