"""Tied notes that were struck again: a tongue where the tie is."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from jeweller.alignment.tongues import score_tongues
from jeweller.features.extraction import Features
from jeweller.notes.settings import TIES
from jeweller.notes.table import NoteTable, StruckTie


def measure_ties(table: NoteTable, features: Features) -> list[StruckTie]:
    """For every tie of every main note that sounded: the strongest tongue near it, and what speaks for it."""
    lengths = {n.id: n.duration for bar in table.line.part.bars for n in bar.notes}
    found = []
    for i, note in enumerate(table.notes):
        event = table.event_of(i)
        if event is None or len(note.tied_ids) < 2 or note.written.ornament is not None:
            continue
        parts = [lengths.get(part, Fraction(0)) for part in note.tied_ids]
        spq = table.seconds_per_quarter[i]
        at_q = Fraction(0)
        for before, after in zip(parts, parts[1:], strict=False):
            at_q += before
            room = float(min(before, after)) * spq * TIES.around
            at = event.on_s + float(at_q) * spq
            frames = np.arange(
                max(0, round((at - room) / features.step_s)),
                min(len(features.best), round((at + room) / features.step_s)),
            )
            if not len(frames):
                continue
            nats = score_tongues(features, frames)
            best = int(nats.argmax())
            found.append(
                StruckTie(index=i, at_s=float(frames[best] * features.step_s), nats=float(nats[best]))
            )
    return found
