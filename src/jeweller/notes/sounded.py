"""Whether what the way took for a note is one at all, or only the room, a breath, or the tail of the note
before: the odds by everything that was measured of it.

A logistic regression that `bench/sounded.py` fitted on takes of the tuning set.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from jeweller.notes.restarts import usual_level
from jeweller.notes.settings import SAME_PITCH, SOUNDED
from jeweller.notes.table import NoteTable, PlayedNote
from jeweller.regression import clip, logit, read_regression

FITTED = Path(__file__).parent / "sounded.json"
MEASURES = (
    "below",
    "audible",
    "attack",
    "held",
    "short",
    "unclear",
    "goes on",
    "gap",
    "other pitch",
    "no room",
    "splits the next",
    "as written",
    "other story",
    "no pitch",
)


def unsounded_odds(table: NoteTable, i: int, event: PlayedNote) -> float:
    """Log odds that main note i did not sound, and `event` is no note."""
    constant, weights = read_regression(FITTED)
    left = SOUNDED.backed if table.backed else 0.0
    return constant + left + float(np.dot(weights, sounded_measures(table, i, event)))


def sounded_measures(table: NoteTable, i: int, event: PlayedNote) -> list[float]:
    """What tells a note from what is none, in the order of MEASURES."""
    events, k = table.events, table.last_try[i] or 0
    before = events[k - 1] if k else None
    after = events[k + 1] if k + 1 < len(events) else None
    room, length = max(event.next_s - event.on_s, 0.02), event.off_s - event.on_s
    written_s = max(float(table.notes[i].duration) * table.seconds_per_quarter[i], 0.05)
    same = before is not None and any(
        abs(before.midi - event.midi - d) < SAME_PITCH for d in (0.0, 12.0, 19.0, 24.0)
    )
    gap = event.on_s - before.off_s if before is not None else 1.0
    apart = abs(table.apart(i))
    splits = after is not None and after.index == i + 1 and abs(after.midi - event.midi) < SAME_PITCH
    p = table.posteriors
    return [
        clip((usual_level(events, k) - event.level_db) / 6.0, -2.0, 4.0),
        clip((event.level_db - table.room_db) / 10.0, -1.0, 4.0),
        min(event.attack, 1.2),
        clip(length / room, 0.0, 1.0),
        clip(math.log(length / written_s + 0.02), -3.5, 0.7),
        math.log(1.02 - min(event.clarity, 1.0)),
        float(same) * float(gap < SOUNDED.at_once_s),
        clip(gap / 0.1, -1.0, 3.0),
        float(apart > SAME_PITCH),
        clip((SOUNDED.room_s - room) / SOUNDED.room_s, 0.0, 1.0),
        float(splits) * clip(1.0 - (room / written_s), 0.0, 1.0),
        logit(float(p.written[i]), SOUNDED.surest) if p is not None else 0.0,
        logit(float(p.missed[i] + p.left_out[i]), SOUNDED.surest) if p is not None else 0.0,
        float(math.isnan(event.midi)),
    ]
