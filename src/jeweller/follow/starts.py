"""A second, local hearing where notes begin: did another pitch sound for a moment before the note spoke?

A crack catches another partial, or squeaks; fingers that do not move together let a neighbour sound. Both are short, clear, and neither the note
before nor a grace note.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jeweller.follow.result import Event, Following
from jeweller.hear.features import Features

BEFORE_S, AFTER_S = 0.28, 0.28  # around a note's onset, where its start is looked at
LONGEST_S = 0.27  # longer is a note
LEAST_S = 0.025
CLEAR = 0.86  # periodicity of such a sound
BELOW_DB = 16.0  # softer than the note by more is room
SETTLE_S = 0.11  # the note speaks at most so long after it
HALF_FULL = 0.8  # periodicity at half the period, from which a tone may be heard an octave up anyway
ORNAMENT_STEPS = (-2.0, -1.0, 1.0, 2.0)  # semitones from a note to those its ornament may touch
TRILL_STEPS = (1.0, 2.0)  # and a trill
FOLDED = (0.0, 12.0, 19.0, 24.0, 28.0)  # semitones: periods of the same tone


@dataclass(frozen=True)
class Start:
    """What sounded for a moment before main note `index` spoke: MIDI pitch, seconds, median periodicity, dB below the note, spread in semitones."""

    index: int
    midi: float
    on_s: float
    off_s: float
    clarity: float
    below_db: float
    spread: float
    attack: float  # strength of the attack at its beginning

    @property
    def length_s(self) -> float:
        return self.off_s - self.on_s


def hear_starts(following: Following, features: Features) -> list[Start]:
    """The notes whose start caught another pitch."""
    found: list[Start] = []
    graces = following.line.graces
    events = following.events
    place = {id(e): k for k, e in enumerate(events)}
    main_notes = following.line.main_notes
    for i in range(len(main_notes)):
        event = following.event_of(i)
        if event is None or np.isnan(event.midi) or event.clarity < 0.5 or main_notes[i].written.ornament:
            continue
        k = place[id(event)]
        before = next((e for e in reversed(events[:k]) if e.index is not None), None)
        touched: list[float] = []
        aside = [float(g.sounding_midi) for g in graces[i]]
        if before is not None and before.index is not None and main_notes[before.index].written.ornament:
            steps = TRILL_STEPS if main_notes[before.index].written.ornament == "trill" else ORNAMENT_STEPS
            touched = [main_notes[before.index].sounding_midi + d for d in steps]
        start = _start(i, event, before, aside, touched, features)
        if start is not None:
            found.append(start)
    return found


def _same(pitch: float, other: float) -> bool:
    """Whether a pitch is heard of a tone of another: the same, or a multiple of its period."""
    return any(abs(other - pitch - d) < 0.7 for d in FOLDED)


def _start(index: int, event: Event, before: Event | None, graces: list[float], touched: list[float], f: Features) -> Start | None:
    a = event.on_s - BEFORE_S
    if before is not None:
        a = max(a, before.on_s + 0.09, before.off_s - 0.10)
    b = min(event.on_s + AFTER_S, event.on_s + 0.6 * (event.off_s - event.on_s))
    lo, hi = max(0, round(a / f.step_s)), min(len(f.f0), round(b / f.step_s))
    ratio = round(f.step_s / f.hop_s)
    floor = max(event.level_db - BELOW_DB, f.floor_db + 6.0)
    best: tuple[int, int] | None = None
    k = lo
    own_at = [k for k in range(lo, min(len(f.f0), hi + 12)) if _same(float(f.f0[k]), event.midi) and f.best[k] > 0.6]
    while k < hi:
        if not _other(k, event, before, graces, touched, f) or f.level[k * ratio] < floor:
            k += 1
            continue
        m = k
        while m < hi + 6 and m < len(f.f0) and _other(m, event, before, graces, touched, f) and abs(f.f0[m] - f.f0[k]) < 0.8 and f.level[m * ratio] > floor:
            m += 1
        settles = any(m <= o <= m + SETTLE_S / f.step_s for o in own_at)
        if settles and (m - k) * f.step_s <= LONGEST_S and (best is None or m - k > best[1] - best[0]):
            best = (k, m)
        k = m + 1
    if best is None or (best[1] - best[0]) * f.step_s < LEAST_S:
        return None
    rows = slice(*best)
    pitch = f.f0[rows]
    flux = f.flux[max(0, best[0] * ratio - 8) : best[0] * ratio + 8]
    return Start(index, float(np.median(pitch)), best[0] * f.step_s, best[1] * f.step_s, float(np.median(f.best[rows])),
                 event.level_db - float(np.median(f.level[best[0] * ratio : best[1] * ratio])), float(np.subtract(*np.percentile(pitch, [90, 10]))),
                 float(flux.max()) if len(flux) else 0.0)  # fmt: skip


def _other(k: int, event: Event, before: Event | None, graces: list[float], touched: list[float], f: Features) -> bool:
    """Whether frame k holds a clear pitch that is neither the note nor what belongs before it."""
    pitch = float(f.f0[k])
    if np.isnan(pitch) or f.best[k] < CLEAR or _same(pitch, event.midi):
        return False
    # An octave up is another partial only for a player whose note is not as good as an octave up itself.
    if any(abs(pitch - event.midi - d) < 0.7 for d in (12.0, 19.0)) and event.octave_up > HALF_FULL:
        return False
    if before is not None and (_same(pitch, before.midi) or (before.octave_up > HALF_FULL and any(abs(pitch - before.midi - d) < 0.7 for d in (12.0, 19.0)))):
        return False
    return not any(_same(pitch, g) or _same(g, pitch) for g in graces) and not any(_same(pitch, t) for t in touched)
