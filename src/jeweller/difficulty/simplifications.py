"""What makes a part lighter: bars that come again, sequences a step higher or lower, runs that are only a
scale.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from jeweller.i18n import _
from jeweller.notation.model import Bar, Note, Part
from jeweller.phrases import note_name

NEAR_SHARE = 0.6  # of the notes of a bar that are the same, for it to look like another
NEAR_NOTES = 3
RUN = 4  # notes in a row by step


@dataclass(frozen=True)
class Simplification:
    """One thing that makes a part lighter: kind "repeat", "sequence", "scale run" or "chromatic run"; first
    and last bar, and the notes.
    """

    kind: str
    what: str
    bars: tuple[str, str]
    notes: tuple[str, ...] = ()


def _key(note: Note) -> tuple[Fraction, Fraction, int | None]:
    return note.offset, note.duration, note.pitch.midi if note.pitch else None


def _content(bar: Bar) -> tuple[tuple[Fraction, Fraction, int | None], ...]:
    return tuple(_key(n) for n in bar.notes if not n.grace and not n.cue)


def _sounding(bar: Bar) -> list[Note]:
    return [n for n in bar.notes if n.pitch is not None and not n.grace and not n.cue and not n.chord]


def find_simplifications(part: Part) -> list[Simplification]:
    """Everything that makes a part lighter, in order of bars."""
    runs = list(_runs(part))
    in_runs = [frozenset(r.notes) for r in runs]
    # A bar inside a run is said to be that; that it is also a sequence is no news.
    sequences = [s for s in _sequences(part) if not any(set(s.notes) <= run for run in in_runs)]
    found = [*_repeats(part), *sequences, *runs]
    order = {b.number: k for k, b in enumerate(part.bars)}
    return sorted(found, key=lambda x: (order[x.bars[0]], x.kind))


def _repeats(part: Part) -> Iterator[Simplification]:
    """Stretches of bars that are the same as stretches before them, the longest first taken."""
    whole = [_content(b) for b in part.bars]
    numbered = {c: n for n, c in enumerate(dict.fromkeys(whole))}
    contents = [numbered[c] for c in whole]
    k = 0
    while k < len(contents):
        best, at = 0, -1
        for j in range(k):
            n = 0
            while k + n < len(contents) and j + n < k and contents[j + n] == contents[k + n]:
                n += 1
            if n > best:
                best, at = n, j
        if best and any(p is not None for c in whole[k : k + best] for _unused, _unused, p in c):
            there, here = _span(part, at, best), _span(part, k, best)
            notes = tuple(n.id for b in part.bars[k : k + best] for n in _sounding(b))
            yield Simplification(
                "repeat",
                (_("{here} are {there} again") if best > 1 else _("{here} is {there} again")).format(
                    here=here, there=there
                ),
                (part.bars[k].number, part.bars[k + best - 1].number),
                notes,
            )
            k += best
        else:
            k += 1


def _span(part: Part, start: int, count: int) -> str:
    first, last = part.bars[start].number, part.bars[start + count - 1].number
    return (
        _("bar {first}").format(first=first)
        if count == 1
        else _("bars {first} to {last}").format(first=first, last=last)
    )


def find_lookalikes(part: Part) -> Iterator[tuple[str, str, list[Note]]]:
    """(bar, the earlier bar it looks like, the notes that differ) for bars that are nearly, and not wholly,
    as an earlier one.
    """
    contents = [_content(b) for b in part.bars]
    # Every pair of bars is compared: their notes are counted once, and compared as numbers.
    number: dict[object, int] = {}
    sets = [frozenset(number.setdefault(c, len(number)) for c in content) for content in contents]
    wholes: dict[object, int] = {}
    whole = [wholes.setdefault(content, len(wholes)) for content in contents]
    for k, bar in enumerate(part.bars):
        if whole[k] in whole[:k]:
            continue
        best: tuple[float, int] | None = None
        mine = sets[k]
        if len(mine) < NEAR_NOTES:
            continue
        for j in range(k):
            share = len(mine & sets[j]) / max(len(mine), len(sets[j]), 1)
            if NEAR_SHARE <= share < 1 and (best is None or share > best[0]):
                best = (share, j)
        if best is not None:
            other = set(contents[best[1]])
            yield (
                bar.number,
                part.bars[best[1]].number,
                [n for n in bar.notes if not n.grace and not n.cue and _key(n) not in other],
            )


def _sequences(part: Part) -> Iterator[Simplification]:
    """A bar that is the one before it, or the one before that, moved along the scale."""
    for k in range(1, len(part.bars)):
        for back in (1, 2):
            if k - back < 0:
                continue
            a, b = _sounding(part.bars[k - back]), _sounding(part.bars[k])
            if (
                len(a) < NEAR_NOTES
                or len(a) != len(b)
                or [(n.offset, n.duration) for n in a] != [(n.offset, n.duration) for n in b]
            ):
                continue
            steps = {
                y.pitch.diatonic - x.pitch.diatonic for x, y in zip(a, b, strict=True) if x.pitch and y.pitch
            }
            if len(steps) == 1 and 0 not in steps:
                step = steps.pop()
                far = {
                    1: _("a step"),
                    2: _("a third"),
                    3: _("a fourth"),
                    4: _("a fifth"),
                    7: _("an octave"),
                }.get(abs(step), _("{n} steps").format(n=abs(step)))
                message = (
                    _("bar {bar} is bar {before} {far} higher")
                    if step > 0
                    else _("bar {bar} is bar {before} {far} lower")
                )
                yield Simplification(
                    "sequence",
                    message.format(bar=part.bars[k].number, before=part.bars[k - back].number, far=far),
                    (part.bars[k].number, part.bars[k].number),
                    tuple(n.id for n in b),
                )
                break


def _runs(part: Part) -> Iterator[Simplification]:
    """Notes in a row by steps of the scale, or by semitones, with their ends."""
    row = [
        (b, n)
        for b in part.bars
        for n in b.notes
        if not n.grace and not n.cue and not n.chord and not n.tie_stop
    ]
    k = 0
    while k < len(row):
        end = k
        direction = chromatic = 0
        while end + 1 < len(row):
            a, b = row[end][1].pitch, row[end + 1][1].pitch
            if a is None or b is None:
                break
            step, semitones = b.diatonic - a.diatonic, b.midi - a.midi
            way = (semitones > 0) - (semitones < 0)
            smooth = (abs(step) == 1 and abs(semitones) <= 3) or abs(semitones) == 1
            if not smooth or (direction and way != direction):
                break
            direction = way
            chromatic += abs(semitones) == 1
            end += 1
        count = end - k + 1
        if count >= RUN:
            kind = "chromatic run" if chromatic == count - 1 and count > RUN else "scale run"
            first, last = row[k], row[end]
            message = (
                (_("by semitones from {first} up to {last}"), _("by semitones from {first} down to {last}"))
                if kind == "chromatic run"
                else (_("a scale from {first} up to {last}"), _("a scale from {first} down to {last}"))
            )[direction < 0]
            what = message.format(
                first=note_name(first[1].known_pitch.name), last=note_name(last[1].known_pitch.name)
            )
            yield Simplification(
                kind, what, (first[0].number, last[0].number), tuple(n.id for _unused, n in row[k : end + 1])
            )
        k = max(end, k + 1)
