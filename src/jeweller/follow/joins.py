"""How neighbouring notes are joined: the dip of loudness between them, the gap, the attack of the second."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jeweller.follow.result import Following
from jeweller.hear.features import Features

BEFORE_S, NEAR_S, AFTER_S = 0.15, 0.08, 0.12  # where the first note is measured, the join, and the second note


@dataclass(frozen=True)
class Join:
    """Between main notes `index - 1` and `index`, written without a rest between them and played in one go."""

    index: int
    dip_db: float  # by how much the loudness falls between them
    gap_s: float  # from where the first begins to decay to where the second speaks
    attack: float  # of the second, 0..1.5
    ioi_s: float  # from onset to onset
    share: float  # of that time that sounds


def hear_joins(following: Following, features: Features) -> list[Join]:
    out: list[Join] = []
    notes = following.line.main_notes
    level = features.level
    for j in range(1, len(notes)):
        a, b = following.event_of(j - 1), following.event_of(j)
        if a is None or b is None or notes[j - 1].end != notes[j].onset or a.attempt != b.attempt or b.on_s - a.on_s < 0.05:
            continue
        k = round(b.on_s / features.hop_s)
        before = level[max(0, k - round(BEFORE_S / features.hop_s)) : max(1, k - round(NEAR_S / features.hop_s) // 2)]
        middle = level[max(0, k - round(NEAR_S / features.hop_s)) : k + 6]
        after = level[k : k + round(AFTER_S / features.hop_s)]
        if not len(before) or not len(middle) or not len(after):
            continue
        dip = min(float(np.percentile(before, 80)), float(np.percentile(after, 80))) - float(middle.min())
        out.append(Join(j, dip, b.on_s - a.off_s, b.attack, b.on_s - a.on_s, (a.off_s - a.on_s) / (b.on_s - a.on_s)))
    return out
