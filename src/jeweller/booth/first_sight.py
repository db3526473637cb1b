"""First sight: a line looked over for a while, played once, then something a little harder or easier."""

from __future__ import annotations

from collections.abc import Iterable

from jeweller.booth.attempts import BoothTake
from jeweller.booth.settings import SIGHT
from jeweller.difficulty.analysis import HARDEST, LEVELS
from jeweller.i18n import _
from jeweller.repertoire.shelf import Piece

NAMES = [*(name for _limit, name in LEVELS), HARDEST]


def look_seconds(bars: int) -> float:
    """How long a line of so many bars may be looked over.

    >>> look_seconds(8), look_seconds(100)
    (36.0, 60.0)
    """
    return float(min(SIGHT.most_s, SIGHT.look_s + SIGHT.bar_s * bars))


def step_after(attempt: BoothTake) -> int:
    """1 where something harder may come next, -1 something easier, 0 about the same."""
    if attempt.report is None or not attempt.report["followed"] or attempt.stopped_at:
        return -1
    count = len(attempt.findings)
    return 1 if count <= SIGHT.easy else -1 if count >= SIGHT.hard else 0


def next_piece(pieces: Iterable[Piece], played: Piece, known: Iterable[str], step: int) -> Piece | None:
    """A piece of the shelf that is so many levels harder (easier), that was not played at sight yet; the
    nearest level there is on that side. None where there is none.
    """
    seen = {*known, played.id}
    level = NAMES.index(played.level) if played.level in NAMES else 0
    free = [p for p in pieces if p.id not in seen and not p.passage_of and p.level in NAMES]

    def away(p: Piece) -> int:
        return (NAMES.index(p.level) - level) * (step or 1)

    fitting = [p for p in free if (away(p) >= 1 if step else away(p) == 0)] or [
        p for p in free if away(p) == 0
    ]
    return min(fitting, key=lambda p: (away(p), p.title), default=None)


def step_sentence(step: int, piece: Piece | None) -> str:
    """What comes next, in a sentence."""
    if piece is None:
        return _("There is no other piece of that kind on the shelf.")
    told = {
        1: _("That went well. A little harder: “{title}”."),
        0: _("About as hard: “{title}”."),
        -1: _("A little easier, to read it through: “{title}”."),
    }
    return told[step].format(title=piece.title)
