"""What a trap is, and the notes of a part among which traps are looked for."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.notation.model import Bar, Note, Part


@dataclass(frozen=True, kw_only=True)
class Trap:
    """One thing that may trip a player. `notes` are ids of printed notes, `bars` printed numbers in order;
    `count` how often it comes.
    """

    kind: str
    what: str
    bars: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    count: int = 1


def main_notes(part: Part) -> list[tuple[Bar, Note]]:
    """The notes and rests of a part, each with its bar: of a chord the first, no graces, nothing small."""
    return [(b, n) for b in part.bars for n in b.notes if not n.grace and not n.chord and not n.cue]


def trap_of(kind: str, what: str, pairs: list[tuple[Bar, Note]]) -> Trap:
    """A trap that lies on notes."""
    return Trap(
        kind=kind,
        what=what,
        bars=tuple(dict.fromkeys(b.number for b, _unused in pairs)),
        notes=tuple(n.id for _unused, n in pairs),
        count=len(pairs),
    )
