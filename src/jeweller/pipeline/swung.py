"""Whether a take of a part that asks for swing was swung or played as it is printed: both are followed, and
the one under which the beat goes more steadily is what was played.
"""

from __future__ import annotations

import math
from statistics import fmean, median

from jeweller.notes.table import NoteTable

FAR = 1.0  # log ratio: a pause or a slip counts no more than this


def unsteadiness(table: NoteTable) -> float:
    """How far (mean log ratio) the intervals from note to note stray from one beat, as the table's line has
    them; infinite where nothing is followed.
    """
    if not table.followed:
        return math.inf
    notes = table.line.main_notes
    paces = []
    for i in range(len(notes) - 1):
        a, b = table.event_of(i), table.event_of(i + 1)
        quarters = float(notes[i + 1].onset - notes[i].onset)
        if a is not None and b is not None and b.on_s > a.on_s and quarters > 0:
            paces.append(math.log((b.on_s - a.on_s) / quarters))
    if not paces:
        return math.inf
    middle = median(paces)
    return fmean(min(FAR, abs(p - middle)) for p in paces)
