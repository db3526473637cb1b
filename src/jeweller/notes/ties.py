"""Tied notes that were struck again: a tongue where the tie is."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import numpy as np

from jeweller.alignment.tongues import score_tongues
from jeweller.features.extraction import Features
from jeweller.notes.settings import TIES
from jeweller.notes.table import NoteTable, StruckTie


def measure_ties(table: NoteTable, features: Features) -> list[StruckTie]:
    """For every tie of every main note that sounded: the strongest tongue near it, and what speaks for it."""
    lengths = {n.id: n.duration for bar in table.line.part.bars for n in bar.notes}
    places: list[tuple[int, range]] = []  # (main note, pitch frames around one of its ties)
    for i, note in enumerate(table.notes):
        event = table.event_of(i)
        if event is None or len(note.tied_ids) < 2 or note.written.ornament is not None:
            continue
        parts = [lengths.get(part, Fraction(0)) for part in note.tied_ids]
        spq = table.seconds_per_quarter[i]
        at_q = Fraction(0)
        for before, after in pairwise(parts):
            at_q += before
            room = float(min(before, after)) * spq * TIES.around
            at = event.on_s + float(at_q) * spq
            first, last = (round(t / features.step_s) for t in (at - room, at + room))
            places.append((i, range(max(0, first), min(len(features.best), last))))
    frames = np.unique([k for _i, around in places for k in around]).astype(np.int64)
    if not len(frames):
        return []
    nats = score_tongues(features, frames)
    found = []
    for i, around in places:
        here = slice(*np.searchsorted(frames, (around.start, around.stop)))
        if len(nats[here]):
            best = here.start + int(nats[here].argmax())
            found.append(
                StruckTie(index=i, at_s=float(frames[best] * features.step_s), nats=float(nats[best]))
            )
    return found
