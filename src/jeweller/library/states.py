"""How far a take is: with the ear, and with the teacher."""

from __future__ import annotations

from enum import StrEnum


class TakeState(StrEnum):
    """What the ear has made of a take. The values stand in the database."""

    WAITING = "waiting"
    CHECKED = "checked"
    NOT_FOLLOWED = "not followed"  # checked: it is not this piece
    FAILED = "failed"  # it could not be checked; the take holds a sentence
    STORED = "stored"  # kept without a check: a voice, a message


class ReviewState(StrEnum):
    """What the teacher has done with a checked take. The values stand in the audit log."""

    UNHEARD = ""
    HEARD = "heard"
    DECIDED = "decided"
    RETURNED = "returned"


# The teacher is done with a take.
DONE = frozenset({ReviewState.DECIDED, ReviewState.RETURNED})
