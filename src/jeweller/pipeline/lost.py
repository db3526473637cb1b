"""Where the device lost sound: nothing is judged there, and it is said."""

from __future__ import annotations

from collections.abc import Sequence

from jeweller.assessment.finding import Finding
from jeweller.i18n import _

LOST_EDGE_S = 0.15  # beside a gap a note seems to begin or end


def outside_lost(findings: list[Finding], lost: Sequence[tuple[float, float]]) -> list[Finding]:
    """The findings that do not touch a place where the device lost sound: what seems to be a rest there is
    none of the player's.
    """
    return [
        f
        for f in findings
        if not any(
            f.at_s < at + seconds + LOST_EDGE_S and f.until_s > at - LOST_EDGE_S for at, seconds in lost
        )
    ]


def lost_sentence(at_s: float, seconds: float) -> str:
    """
    >>> lost_sentence(64.2, 0.25)
    'The device lost 0.2 s of sound at 1:04; nothing is judged there.'
    """
    minutes, rest = divmod(int(at_s), 60)
    return _(
        "The device lost {seconds:.1f} s of sound at {minutes}:{rest:02d}; nothing is judged there."
    ).format(seconds=seconds, minutes=minutes, rest=rest)
