"""Ladders: how fast, how much of the piece and in which layers, from one attempt to the next."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from jeweller.booth.attempts import BoothTake
from jeweller.booth.plan import LAYERS, Music
from jeweller.booth.settings import LADDER
from jeweller.i18n import _, ngettext

# What comes before playing, by the facet that most of what is to be mended belongs to.
LAYERS_FOR = {
    "notes": ("name", "fingers", "sing"),
    "accidentals": ("name", "fingers", "sing"),
    "count": ("count", "clap", "tongue"),
    "rhythm": ("count", "clap", "tongue"),
    "ornaments": ("fingers", "sing"),
    "articulation": ("air", "tongue"),
    "sound": ("air", "sing"),
}


@dataclass(frozen=True, kw_only=True)
class SpeedLadder:
    """Up only when clean `clean_needed` times running, down after `bad_needed` bad ones; never beyond
    `goal_bpm`.
    """

    goal_bpm: float
    clean_needed: int = LADDER.clean_needed
    bad_needed: int = LADDER.bad_needed
    up: float = LADDER.up
    down: float = LADDER.down


@dataclass(frozen=True)
class Rung:
    """The next speed (quarters a minute) and why, in a sentence; `reached` where the goal was."""

    bpm: float
    sentence: str
    reached: bool = False


def next_rung(ladder: SpeedLadder, attempts: Sequence[BoothTake]) -> Rung:
    """Where the ladder leads after these attempts (of the same bars, oldest first).

    >>> from jeweller.booth.plan import TakePlan
    >>> tried = BoothTake(number=1, plan=TakePlan(bpm=60))
    >>> next_rung(SpeedLadder(goal_bpm=90), [tried]).sentence
    'Not clean yet: the same speed once more.'
    """
    if not attempts:
        return Rung(ladder.goal_bpm, "")
    bpm, beat = attempts[-1].plan.bpm, attempts[-1].plan.beat
    running = [a for a in attempts if abs(a.plan.bpm - bpm) < 0.5]
    clean = _last_run(running, True)
    bad = _last_run(running, False)
    if clean >= ladder.clean_needed:
        if bpm >= ladder.goal_bpm - 0.5:
            return Rung(bpm, _("Clean at the speed that was asked for."), reached=True)
        faster = min(ladder.goal_bpm, max(bpm + 1.0, round(bpm * ladder.up)))
        return Rung(
            faster,
            ngettext(
                "Clean {n} time running: on to {bpm:.0f}.", "Clean {n} times running: on to {bpm:.0f}.", clean
            ).format(n=clean, bpm=faster / beat),
        )
    if bad >= ladder.bad_needed and bpm > LADDER.slowest_bpm:
        slower = max(LADDER.slowest_bpm, round(bpm * ladder.down))
        return Rung(slower, _("A little slower: {bpm:.0f}, until it is easy.").format(bpm=slower / beat))
    if clean:
        left = ladder.clean_needed - clean
        return Rung(
            bpm,
            ngettext(
                "Clean. Once more at this speed, then faster.",
                "Clean. {n} times more at this speed, then faster.",
                left,
            ).format(n=left),
        )
    stopped = attempts[-1].stopped_at
    if stopped:
        return Rung(bpm, _("Stopped at bar {bar}: the same speed, through to the end.").format(bar=stopped))
    return Rung(bpm, _("Not clean yet: the same speed once more."))


def _last_run(attempts: Sequence[BoothTake], clean: bool) -> int:
    """How many of the last attempts were all clean, or all not."""
    count = 0
    for a in reversed(attempts):
        if a.clean != clean:
            break
        count += 1
    return count


def first_speed(attempts: Sequence[BoothTake], goal_bpm: float) -> float:
    """A speed to begin with, where the errors vanish: through the shares of notes that went wrong at each
    speed goes a line, and where it is down to none is that speed; of one take alone it is guessed from the
    share.

    >>> first_speed([], 96.0)
    96.0
    """
    told = [a for a in attempts if a.report is not None and a.report["followed"]]
    points = [(a.plan.bpm, _wrong_share(a)) for a in told]
    if not points:
        return goal_bpm
    clean = [bpm for bpm, share in points if share == 0.0]
    wrong = [(bpm, share) for bpm, share in points if share > 0.0]
    if not wrong:
        return goal_bpm
    if clean and max(clean) >= min(bpm for bpm, _s in wrong):
        return max(LADDER.slowest_bpm, min(goal_bpm, max(clean)))
    bpm, share = min(wrong)
    factor = 1.0 - (1.0 - LADDER.first) * min(1.0, share / 0.25)
    speeds = {b for b, _s in wrong}
    if len(speeds) > 1:
        mean_b = sum(b for b, _s in wrong) / len(wrong)
        mean_s = sum(s for _b, s in wrong) / len(wrong)
        slope = sum((b - mean_b) * (s - mean_s) for b, s in wrong) / sum((b - mean_b) ** 2 for b, _s in wrong)
        if slope > 0.0:
            factor = max(factor * 0.8, (mean_b - mean_s / slope) / bpm)
    return float(max(LADDER.slowest_bpm, min(goal_bpm, round(bpm * min(factor, 1.0)))))


def _wrong_share(attempt: BoothTake) -> float:
    if attempt.report is None:
        return 1.0
    notes = {i for f in attempt.findings for i in f["notes"]}
    of = max(1, len(attempt.report["notes"]))
    return max(len(notes), len(attempt.findings)) / of


def worst_bar(attempt: BoothTake) -> str:
    """The bar that most is to be mended in; "" where there is none."""
    count: Counter[str] = Counter()
    for f in attempt.findings:
        for bar in f["places"] or [f["bar"]]:
            count[bar] += 1
    if not count and attempt.stopped_at:
        return attempt.stopped_at
    return count.most_common(1)[0][0] if count else ""


def joined(music: Music, bars: str) -> str:
    """The bars with the next one after them, with the one before where they are the last; "" (all) where that
    is everything.
    """
    if not bars:
        return ""
    numbers = music.bar_numbers
    first, _dash, last = bars.partition("-")
    a, b = numbers.index(first), len(numbers) - 1 - numbers[::-1].index(last or first)
    if b + 1 < len(numbers):
        b += 1
    elif a > 0:
        a -= 1
    if a == 0 and b == len(numbers) - 1:
        return ""
    return f"{numbers[a]}-{numbers[b]}"


LINE_BARS = 4


def wider(music: Music, bars: str) -> str:
    """The next step of the ladder of places: a bar alone, two joined, the line of four, the whole ("")."""
    numbers = music.bar_numbers
    first, _dash, last = bars.partition("-")
    if not first:
        return ""
    a, b = numbers.index(first), len(numbers) - 1 - numbers[::-1].index(last or first)
    if b - a + 1 < 2:
        return joined(music, bars)
    if b - a + 1 < LINE_BARS:
        begin = a - a % LINE_BARS
        end = min(len(numbers), max(begin + LINE_BARS, b + 1))
        return "" if begin == 0 and end == len(numbers) else f"{numbers[begin]}-{numbers[end - 1]}"
    return ""


def layers_for(attempt: BoothTake) -> tuple[str, ...]:
    """The layers to go through before playing again, by what is to be mended; () where nothing is."""
    facets = Counter(f["facet"] for f in attempt.findings)
    if not facets:
        return ()
    return (*LAYERS_FOR[facets.most_common(1)[0][0]], "play")


def layer_name(layer: str) -> str:
    """
    >>> layer_name("clap")
    'clapped or tapped'
    """
    return _(LAYERS[layer][0])
