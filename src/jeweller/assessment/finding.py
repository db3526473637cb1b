"""`Finding`: one thing to say, and the fixed vocabulary of kinds by facet."""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass, field
from typing import Any

from jeweller.report_format import FindingDetail, RestsOn

FACETS: dict[str, tuple[str, ...]] = {
    "notes": (
        "wrong_note",
        "wrong_octave",
        "wrong_partial",
        "missed_note",
        "extra_note",
        "wrong_transposition",
    ),
    "accidentals": ("missed_accidental", "added_accidental"),
    "count": (
        "cut_short",
        "held_over",
        "rest_filled",
        "rest_short",
        "rest_long",
        "beat_dropped",
        "beat_added",
        "hesitation",
        "restart",
        "bar_skipped",
        "repeat_skipped",
        "tie_struck",
        "past_fine",
        "jump_skipped",
        "wrong_ending",
        "metre",
    ),
    "rhythm": (
        "early",
        "late",
        "uneven",
        "dot_lost",
        "dot_overdone",
        "rushing",
        "dragging",
        "off_click",
        "wrong_tempo",
    ),
    "ornaments": (
        "grace_missed",
        "grace_slipped",
        "trill_missed",
        "trill_start",
        "trill_thin",
        "ornament_wrong",
    ),
    "articulation": (
        "tongued_in_slur",
        "slurred_over_tongue",
        "breath_in_slur",
        "breath_every_note",
        "not_detached",
        "not_joined",
    ),
    "sound": (
        "out_of_tune",
        "tuned_high",
        "tuned_low",
        "cracked",
        "fuzzy",
        "sagging",
        "unsteady",
        "dynamics_flat",
    ),
}
FACET_OF = {kind: facet for facet, kinds in FACETS.items() for kind in kinds}
KINDS = tuple(FACET_OF)
UNMARKED = frozenset({"tuned_high", "tuned_low"})  # advice, never marked down
WRONG_KINDS = frozenset(
    {"wrong_note", "wrong_octave", "wrong_partial", "missed_accidental", "added_accidental"}
)
# kinds that tell of a stretch that was not played
SKIPPED_KINDS = frozenset({"bar_skipped", "repeat_skipped", "jump_skipped", "wrong_ending"})
MISSED_KINDS = SKIPPED_KINDS | {"missed_note"}
SURE = 0.5  # confidence from which a finding is said, below it is "listen here"


def is_sure(confidence: float) -> bool:
    """Whether a finding of this confidence is said as sure; else it is only a place to listen to.

    >>> is_sure(0.5), is_sure(0.49)
    (True, False)
    """
    return confidence >= SURE


@dataclass(frozen=True, kw_only=True)
class Finding:
    """One finding. `notes` are ids of notes to play, `score_ids` the ids in the file; `beat` counts from
    1.
    """

    kind: str
    bar: str
    passing: int
    beat: float
    at_s: float
    until_s: float
    notes: tuple[str, ...]
    score_ids: tuple[str, ...]
    confidence: float
    severity: float
    extras: tuple[int, ...] = ()
    count: int = 1
    places: tuple[str, ...] = ()
    detail: FindingDetail = field(default_factory=lambda: FindingDetail())
    cause: str | None = None
    text: str = ""
    advice: str = ""
    # what its confidence rests on (`jeweller.assessment.credence`), and whether it is that of all already
    measures: tuple[float, ...] = field(default=(), compare=False)
    weighed: bool = field(default=False, compare=False)

    @property
    def facet(self) -> str:
        return FACET_OF[self.kind]

    @property
    def key(self) -> str:
        """Stable across checks: the kind, the notes in the file, the pass."""
        return f"{self.kind}:{','.join(self.score_ids)}:{self.passing}"

    def replace(self, **changes: Any) -> Finding:
        return dataclasses.replace(self, **changes)


# How often a finding of each raw confidence was right on the tuning takes (bench/ear.py prints the table):
# the line between said and unsure stays.
RAW = (0.0, 0.25, 0.35, 0.4999, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0)
RIGHT = (0.0, 0.09, 0.25, 0.36, 0.62, 0.68, 0.82, 0.93, 0.955, 0.99)


def calibrate(confidence: float) -> float:
    """Raw confidence → the share of such findings that are right."""
    for k in range(1, len(RAW)):
        if confidence <= RAW[k]:
            part = (confidence - RAW[k - 1]) / (RAW[k] - RAW[k - 1])
            return RIGHT[k - 1] + part * (RIGHT[k] - RIGHT[k - 1])
    return RIGHT[-1]


def rests_on(
    setting: str,
    measured: float,
    threshold: float,
    spread: float,
    unit: str,
    *,
    sure_at: float = 1.3,
    below: bool = False,
) -> RestsOn:
    """What a finding rests on, for whoever asks why: the amount, its bound given the spread, the threshold
    and the setting that moves it.

    With `below` it is said because the amount is under the threshold, and the upper bound counts.
    """
    bound = measured + sure_at * spread if below else measured - sure_at * spread
    return {
        "setting": setting,
        "measured": round(measured, 4),
        "threshold": round(threshold, 4),
        "bound": round(bound, 4),
        "spread": round(spread, 4),
        "unit": unit,
        "below": below,
    }


def bounded_confidence(amount: float, threshold: float, spread: float, *, sure_at: float = 1.3) -> float:
    """How sure it is that the amount (its size, without a sign) is beyond the threshold, given the spread
    (one standard deviation) of the measurement.

    0.5 where the lower bound at `sure_at` deviations just reaches the threshold: what lies below is "listen
    here".
    """
    z = (amount - threshold) / max(spread, 1e-6)
    return 1.0 / (1.0 + math.exp(-1.6 * max(-20.0, min(20.0, z - sure_at))))
