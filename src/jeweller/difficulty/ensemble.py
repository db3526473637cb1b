"""Across the band: what every part has in the same bars, each in its own letters; who shares a rhythm; where
the parts' alterations differ.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.i18n import _
from jeweller.notation.model import Bar, Part, Score
from jeweller.notation.transposition import transpose_pitch
from jeweller.phrases import capitalized, name_bars, note_name

LONGEST = 8  # bars of a passage to begin from
MOST_GROUPS = 4  # of parts with a rhythm of their own: more are told no more
MOST_NAMES = 4  # of the largest group that are named
MOST_TOLD = 12


@dataclass(frozen=True)
class PartInBars:
    """What one part has in some bars: its own letters, and the sounding ones."""

    part: str
    own: tuple[str, ...]
    concert: tuple[str, ...]


@dataclass(frozen=True)
class Passage:
    """Bars (printed numbers, first and last) in which some parts have one rhythm."""

    first: str
    last: str
    parts: tuple[str, ...]


def _letters(part: Part, bar: Bar, *, concert: bool) -> tuple[str, ...]:
    out = []
    for n in bar.notes:
        if n.pitch is None or n.grace or n.chord or n.cue or n.tie_stop:
            continue
        out.append((transpose_pitch(n.pitch, part.chromatic, part.diatonic) if concert else n.pitch).letter)
    return tuple(out)


def compare_parts(score: Score, first: int, last: int) -> list[PartInBars]:
    """The letters of every part in bars by index (0-based, both included), repeated notes as often as they
    come.
    """
    out = []
    for part in score.parts:
        bars = part.bars[first : last + 1]
        own, concert = (tuple(x for b in bars for x in _letters(part, b, concert=c)) for c in (False, True))
        if own:
            out.append(PartInBars(part.name, own, concert))
    return out


def _rhythm(bar: Bar) -> tuple[tuple[Fraction, Fraction, bool], ...]:
    return tuple(
        (n.offset, n.duration, n.is_rest) for n in bar.notes if not n.grace and not n.chord and not n.cue
    )


def rhythm_groups(score: Score) -> list[list[tuple[str, ...]]]:
    """For every bar the parts that share a rhythm, the largest group first; parts that rest all bar are left
    out.
    """
    out = []
    for k in range(max((len(p.bars) for p in score.parts), default=0)):
        groups: dict[tuple[tuple[Fraction, Fraction, bool], ...], list[str]] = {}
        for part in score.parts:
            if k < len(part.bars) and any(not n.is_rest for n in part.bars[k].notes):
                groups.setdefault(_rhythm(part.bars[k]), []).append(part.name)
        out.append([tuple(g) for g in sorted(groups.values(), key=len, reverse=True)])
    return out


def begin_from(score: Score) -> Passage | None:
    """The passage in which most parts share the rhythm, the longest of such: where a rehearsal may begin.
    None where no two parts do.
    """
    groups = rhythm_groups(score)
    best: tuple[int, int, int] | None = None  # (parts, bars, -first)
    chosen: tuple[int, int, frozenset[str]] | None = None
    for first in range(len(groups)):
        for start in groups[first]:
            members = frozenset(start)
            for last in range(first, min(len(groups), first + LONGEST)):
                members = max((members & frozenset(g) for g in groups[last]), key=len, default=frozenset())
                if len(members) < 2:
                    break
                rank = (len(members), last - first, -first)
                if best is None or rank > best:
                    best, chosen = rank, (first, last, members)
    if chosen is None:
        return None
    bars = max(score.parts, key=lambda p: len(p.bars)).bars
    return Passage(
        bars[chosen[0]].number,
        bars[chosen[1]].number,
        tuple(p.name for p in score.parts if p.name in chosen[2]),
    )


def alterations(score: Score) -> list[tuple[str, tuple[tuple[str, str], ...]]]:
    """(bar, ((part, letter), …)) for every bar with a printed accidental somewhere: each part's own letter
    for it, parts that have none left out.
    """
    out = []
    for k in range(max((len(p.bars) for p in score.parts), default=0)):
        here: list[tuple[str, str]] = []
        number = ""
        for part in score.parts:
            if k >= len(part.bars):
                continue
            bar = part.bars[k]
            number = number or bar.number
            printed = [
                n.pitch
                for n in bar.notes
                if n.accidental and not n.cautionary and n.pitch is not None and not n.cue
            ]
            altered = [p.letter + ("♮" if p.alter == 0 else "") for p in printed]
            here += [(part.name, letter) for letter in dict.fromkeys(altered)]
        if here:
            out.append((number, tuple(here)))
    return out


def describe_ensemble(score: Score) -> list[str]:
    """All of it in sentences; bars that read alike are told together."""
    sentences = []
    everybody = [p.name for p in score.parts]
    passage = begin_from(score)
    if passage is not None:
        sentences.append(
            (
                _("Begin with {bars}: everybody has the same rhythm there.")
                if len(passage.parts) == len(everybody)
                else _("Begin with {bars}: {names} have the same rhythm there.")
            ).format(bars=_stretch(passage.first, passage.last), names=_names(passage.parts))
        )
    sentences += _told_rhythms(score)
    told: dict[str, list[str]] = {}
    for bar, who in alterations(score):
        by_letter: dict[str, list[str]] = {}
        for part, letter in who:
            by_letter.setdefault(letter, []).append(part)
        words = "; ".join(f"{_names(parts)} {note_name(letter)}" for letter, parts in by_letter.items())
        told.setdefault(words, []).append(bar)
    sentences += [f"{capitalized(name_bars(bars))}: {words}." for words, bars in told.items()]
    return sentences


def _stretch(first: str, last: str) -> str:
    if first == last or (first.isdecimal() and last == str(int(first) + 1) and first != "0"):
        return name_bars((first, last))
    if first == "0":
        return _("the pickup to bar {last}").format(last=last)
    return _("bars {first} to {last}").format(first=first, last=last)


def _told_rhythms(score: Score) -> list[str]:
    """Who has which rhythm, wherever they differ: one sentence for all bars with the same groups."""
    numbers = [b.number for b in max(score.parts, key=lambda p: len(p.bars)).bars]
    told: dict[str, list[str]] = {}
    for number, groups in zip(numbers, rhythm_groups(score), strict=True):
        if not 1 < len(groups) <= MOST_GROUPS or len(groups[0]) < 2:
            continue
        largest, *others = groups
        few = "; ".join(_together(g) for g in others)
        rest = _("the rest together") if len(largest) > MOST_NAMES else _together(largest)
        told.setdefault(f"{few}; {rest}.", []).append(number)
    return [f"{capitalized(name_bars(bars))}: {words}" for words, bars in told.items()][:MOST_TOLD]


def _together(names: Sequence[str]) -> str:
    return (
        _("{name} alone").format(name=names[0])
        if len(names) == 1
        else _("{names} together").format(names=_names(names))
    )


def _names(parts: Sequence[str]) -> str:
    return (
        parts[0]
        if len(parts) == 1
        else _("{parts} and {parts2}").format(parts=", ".join(parts[:-1]), parts2=parts[-1])
    )
