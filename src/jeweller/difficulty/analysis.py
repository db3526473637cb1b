"""A part looked over: traps, what lightens it, its scale, how hard it reads and why, a speed to begin at, and
a path through it.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.difficulty.simplifications import Simplification, find_simplifications
from jeweller.difficulty.trap import Trap
from jeweller.difficulty.traps import find_traps
from jeweller.errors import ScoreError
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Bar, Part
from jeweller.notation.pitch import in_key, key_name, spell
from jeweller.phrases import beat_name, key_said, name_bars, name_range, note_name

# What a trap adds to the weight of its bar; the others, that lie on whole pieces, none.
WEIGHTS = {
    "printed": 1.5,
    "carried": 2.0,
    "altered": 0.3,
    "leap": 1.0,
    "register": 0.4,
    "dotted": 0.8,
    "off the beat": 1.5,
    "tuplet": 1.0,
    "tie": 0.7,
    "rest": 0.4,
    "ornament": 1.5,
    "slur": 0.2,
    "repeated": 0.3,
    "look-alike": 1.0,
    "range": 0.2,
    "outside": 0.2,
    "technique": 0.8,
}
# And what it is called where it makes a part hard to read.
SAID = {
    "printed": N_("accidentals"),
    "carried": N_("accidentals that hold through the bar"),
    "altered": N_("notes the key alters"),
    "leap": N_("leaps"),
    "register": N_("changes of register"),
    "dotted": N_("dotted rhythms"),
    "off the beat": N_("notes off the beat"),
    "tuplet": N_("triplets"),
    "tie": N_("ties"),
    "rest": N_("rests"),
    "ornament": N_("ornaments"),
    "slur": N_("slurs"),
    "repeated": N_("repeated notes"),
    "look-alike": N_("bars that look alike"),
    "range": N_("range"),
    "outside": N_("notes outside the range"),
    "technique": N_("awkward changes"),
}
LEVELS = tuple(
    zip((0.5, 1.5, 2.5, 3.5), (N_("first notes"), N_("easy"), N_("medium"), N_("hard")), strict=True)
)  # up to so much; beyond: very hard
HARDEST = N_("very hard")
# What makes a part hard to read, a level for each unit: notes a second beyond one, kinds of rhythm, signs,
# accidentals to a bar, octaves, the share of notes beyond what beginners and most players have, awkward
# changes to a bar, ornaments to a bar, doublings of eight bars, unusual metres.
DEMANDS = {
    "pace": 0.26,
    "rhythm": 0.4,
    "signs": 0.12,
    "accidentals": 0.5,
    "span": 0.55,
    "beyond beginners": 0.3,
    "beyond most": 0.5,
    "technique": 0.1,
    "ornaments": 0.3,
    "length": 0.3,
    "metre": 0.3,
}
BASE = 0.1
LIGHTER = 0.2  # of the level, where all of it comes again
COMMON = {(4, 4), (2, 4), (3, 4)}
QUICK_PACE = 3.0  # notes a second beyond one
SLOWER, EASY_SLOWER = 0.6, 0.8  # of the written speed to begin at, and for what is easy
ISOLATED = 3  # bars that are practised by themselves


@dataclass(frozen=True, kw_only=True)
class PartAnalysis:
    """What there is to see in a part before it is played."""

    traps: tuple[Trap, ...]
    lighter: tuple[Simplification, ...]
    scale: str
    outside_scale: tuple[str, ...]  # letters that do not belong to it
    level: str
    reasons: tuple[str, ...]
    bpm: float  # the speed it is written for, quarters a minute
    begin_bpm: float
    beats: tuple[int, int]  # the same two as they are printed, in beats a minute: to begin at, written
    beat: str  # what a beat is
    path: tuple[str, ...]
    hardest: tuple[str, ...]  # printed bar numbers, the hardest first
    warm_up: tuple[str, ...]  # the piece's own notes, lowest first


def analyse_part(
    part: Part, instrument: Instrument | None = None, known: frozenset[int] = frozenset()
) -> PartAnalysis:
    """Looks a part over. Raises ScoreError where it has no notes."""
    notes = [n for b in part.bars for n in b.notes if n.pitch is not None and not n.cue]
    if not notes and not any(n.unpitched for b in part.bars for n in b.notes):
        raise ScoreError(_("The part “{name}” has no notes.").format(name=part.name))
    traps = tuple(find_traps(part, instrument, known))
    lighter = tuple(find_simplifications(part))
    weight = _weights(part, traps)
    new = [b for b in part.bars if weight[b.number] > 0]
    alone = min(
        ISOLATED, max(1, len(part.bars) // 3)
    )  # of a short piece less, or nothing is left to begin with
    hardest = sorted((b.number for b in new), key=lambda n: -weight[n])[:alone]
    bpm = next((m.value for b in part.bars for m in b.marks if m.kind == "tempo" and m.value), None) or 90.0
    score, reasons = _level(part, instrument, traps, lighter, bpm)
    level = next((name for limit, name in LEVELS if score <= limit), HARDEST)
    first = part.bars[0]
    outside = tuple(
        dict.fromkeys(
            note_name(n.pitch.letter)
            for b in part.bars
            for n in b.notes
            if n.pitch and not n.cue and not in_key(n.pitch.midi, b.fifths)
        )
    )
    pitches = {n.pitch.midi: note_name(n.pitch.name) for n in notes if n.pitch}
    begin = round(bpm * (SLOWER if level != "first notes" else EASY_SLOWER))
    beat_q = first.metre.beat
    return PartAnalysis(
        traps=traps,
        lighter=lighter,
        scale=key_said(key_name(first.fifths, first.mode)) if notes else "",
        outside_scale=outside,
        level=level,
        reasons=tuple(reasons),
        bpm=bpm,
        begin_bpm=begin,
        beats=(round(begin / beat_q), round(bpm / float(beat_q))),
        beat=beat_name(float(beat_q)),
        path=tuple(_path(part, weight, hardest, lighter)),
        hardest=tuple(hardest),
        warm_up=tuple(pitches[m] for m in sorted(pitches)),
    )


def scale_unknown(part: Part, known: frozenset[int]) -> tuple[str, ...]:
    """The notes of a part's scale, within the part's range, that a player has not learnt (`known` in written
    MIDI numbers), lowest first.
    """
    midi = [n.pitch.midi for b in part.bars for n in b.notes if n.pitch is not None and not n.cue]
    if not midi:
        return ()
    fifths = part.bars[0].fifths
    return tuple(
        note_name(spell(m, fifths).name)
        for m in range(min(midi), max(midi) + 1)
        if in_key(m, fifths) and m not in known
    )


def _weights(part: Part, traps: tuple[Trap, ...]) -> dict[str, float]:
    """How much lies in each bar, by its printed number."""
    bar_of = {n.id: b.number for b in part.bars for n in b.notes}
    out = {b.number: 0.25 * _density(b) for b in part.bars}
    for trap in traps:
        for note in trap.notes:
            out[bar_of[note]] += WEIGHTS.get(trap.kind, 0.0)
        if not trap.notes:
            for number in trap.bars:
                out[number] += WEIGHTS.get(trap.kind, 0.0)
    return out


def _density(bar: Bar) -> float:
    """Notes to the beat."""
    beats = bar.length * Fraction(bar.beat_type, 4)
    return float(sum(not n.is_rest and not n.cue for n in bar.notes) / beats) if beats else 0.0


def _level(
    part: Part,
    instrument: Instrument | None,
    traps: tuple[Trap, ...],
    lighter: tuple[Simplification, ...],
    bpm: float,
) -> tuple[float, list[str]]:
    """How hard a part reads, and in what. The demands that a teacher weighs, each in its own unit, with the
    weights of DEMANDS (`bench/levels.py` holds them against forty pieces judged by hand), less what comes
    again.
    """
    counts: Counter[str] = Counter()
    for t in traps:
        counts[t.kind] += t.count
    played = [b for b in part.bars if any(not n.is_rest and not n.cue for n in b.notes)]
    bars = max(1, len(played))
    midi = [n.pitch.midi for b in part.bars for n in b.notes if n.pitch is not None and not n.cue]
    lengths = [n.duration for b in played for n in b.notes if not n.is_rest and not n.grace and n.duration]
    shortest = min(lengths, default=Fraction(1))
    span = (max(midi) - min(midi)) / 12.0 if midi else 0.0
    kinds = sum(bool(counts[k]) for k in ("dotted", "off the beat", "tuplet", "tie"))
    metres = {(b.beats, b.beat_type) for b in part.bars}
    demands = {
        "pace": max(_pace(played, bpm), 1.0) - 1.0,
        "rhythm": min(kinds, 3) + 0.5 * (shortest <= Fraction(1, 2)) + (shortest < Fraction(1, 2)),
        "signs": abs(part.bars[0].fifths),
        "accidentals": min((counts["printed"] + counts["carried"]) / bars, 1.5),
        "span": span,
        "beyond beginners": _outside(midi, instrument, "beginner"),
        "beyond most": _outside(midi, instrument, "intermediate"),
        "technique": min((counts["technique"] + counts["leap"] + counts["register"]) / bars, 4.0),
        "ornaments": counts["ornament"] / bars,
        "length": max(-1.0, math.log2(bars / 8)),
        "metre": float(bool(metres - COMMON)) + any(m[0] in (5, 7) for m in metres) + (len(metres) > 1),
    }
    again = sum(len(x.notes) for x in lighter if x.kind == "repeat") / max(1, part.note_count)
    score = (sum(DEMANDS[k] * v for k, v in demands.items()) - BASE) * (1.0 - LIGHTER * again)
    by_kind = {k: WEIGHTS[k] * c / bars for k, c in counts.items() if k in WEIGHTS}
    reasons = [_(SAID[k]) for k, v in sorted(by_kind.items(), key=lambda x: -x[1])[:3] if v > 0.3]
    signs = abs(part.bars[0].fifths)
    if signs >= 3:
        message = _("{n} sharps") if part.bars[0].fifths > 0 else _("{n} flats")
        reasons.append(message.format(n=signs))
    if any(n < Fraction(1, 2) for n in lengths if n.denominator & (n.denominator - 1) == 0):
        reasons.append(_("sixteenths or faster"))
    if demands["pace"] > QUICK_PACE:
        reasons.append(_("its speed"))
    if span > 1.0:
        reasons.append(_("a range of {interval}").format(interval=name_range(max(midi) - min(midi))))
    if again > 0.3:
        reasons.append(_("lighter, because much of it comes again"))
    return score, reasons


def _pace(played: Sequence[Bar], bpm: float) -> float:
    """Notes a second in a busy bar: four bars of five have fewer."""
    paces = sorted(
        sum(not n.is_rest and not n.tie_stop and not n.cue and not n.chord for n in b.notes)
        / (float(b.length) * 60.0 / bpm)
        for b in played
    )
    return paces[min(len(paces) - 1, round(0.8 * (len(paces) - 1)))] if paces else 0.0


def _outside(midi: Sequence[int], instrument: Instrument | None, level: str) -> float:
    """Which part of the notes lies outside the range of a level."""
    limits = instrument.written_range(level) if instrument is not None else None
    return sum(not limits[0] <= m <= limits[1] for m in midi) / len(midi) if limits and midi else 0.0


def _path(
    part: Part, weight: Mapping[str, float], hardest: list[str], lighter: tuple[Simplification, ...]
) -> list[str]:
    """Sentences: where to begin, what to take alone, what to join, the whole."""
    numbers = [b.number for b in part.bars]
    if len(numbers) <= 2:
        return [_("Play it slowly, then at its speed.")]
    played = [any(not n.is_rest for n in b.notes) for b in part.bars]
    windows = [(sum(weight[n] for n in numbers[k : k + 2]), k) for k in range(len(numbers) - 1) if played[k]]
    plain = [w for w in windows if not set(numbers[w[1] : w[1] + 2]) & set(hardest)]
    easy = min(plain or windows, default=(0.0, 0))[1]
    out = [
        _("Begin with {bars}: the easiest place to start.").format(bars=name_bars(numbers[easy : easy + 2]))
    ]
    if hardest:
        out.append(
            _("Take alone, slowly: {bars}.").format(bars=name_bars(sorted(hardest, key=numbers.index)))
        )
        k = numbers.index(hardest[0])
        around = name_bars(numbers[max(0, k - 1) : k + 2])
        out.append(_("Join: {bars}, then four bars at a time.").format(bars=around))
    again = [x for x in lighter if x.kind == "repeat"]
    if again:
        out.append(_("Nothing new: {bars}.").format(bars="; ".join(x.what for x in again[:3])))
    out.append(_("Then the whole, faster only when it is clean."))
    return out
