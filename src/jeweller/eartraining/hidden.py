"""Takes by the simulated player with hidden faults, graded from plain to subtle, by facet and instrument; and
what the program itself hears in them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.assessment.finding import FACET_OF
from jeweller.assets import SOUNDS
from jeweller.audio.encode import write_sound
from jeweller.errors import DrillError
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import Options, check
from jeweller.report_format import TakeReport
from jeweller.scratch import scratch_folder
from jeweller.simulator.compose import Style, compose
from jeweller.simulator.faults import Planner
from jeweller.simulator.perform import perform
from jeweller.simulator.plan import FaultTruth, Manner, Plan
from jeweller.simulator.recordings import played_instruments
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis import sampler

LEVELS = {"plain": N_("plain"), "between": N_("in between"), "subtle": N_("subtle")}
# The kinds that are hidden, by facet: those that are plain even when small, and those that never are.
PLAIN_KINDS: dict[str, tuple[str, ...]] = {
    "notes": ("wrong_note", "wrong_octave", "missed_note"),
    "accidentals": ("missed_accidental", "added_accidental"),
    "count": ("beat_dropped", "beat_added", "hesitation", "restart", "bar_skipped"),
    "rhythm": ("rushing", "dragging", "dot_lost", "uneven"),
    "ornaments": ("trill_missed", "grace_missed"),
    "articulation": ("breath_in_slur", "tongued_in_slur"),
    "sound": ("cracked", "unsteady"),
}
SUBTLE_KINDS: dict[str, tuple[str, ...]] = {
    "notes": ("extra_note", "wrong_partial"),
    "accidentals": ("missed_accidental", "added_accidental"),
    "count": ("rest_short", "rest_long", "rest_filled", "cut_short", "held_over"),
    "rhythm": ("late", "early", "dot_overdone", "uneven"),
    "ornaments": ("grace_slipped", "trill_thin", "ornament_wrong"),
    "articulation": ("slurred_over_tongue", "tongued_in_slur"),
    "sound": ("out_of_tune", "sagging", "fuzzy"),
}
# What the amount of a plan is when nothing is wrong; 0 for all others.
NEUTRAL = {
    "uneven": 1.0,
    "rushing": 1.0,
    "dragging": 1.0,
    "cut_short": 1.0,
    "dot_lost": 3.0,
    "dot_overdone": 3.0,
}
DRAWN = 9  # plans from which the plainest, the middle or the smallest is taken
TRIES = 40  # lines that are composed until one has places for all that is to be hidden
ROOM = Room(0.3, 0.14, 46.0)


@dataclass(frozen=True, kw_only=True)
class HiddenFault:
    """What was planted: in which bars it can be heard."""

    kind: str
    bars: tuple[str, ...]

    @property
    def facet(self) -> str:
        return FACET_OF[self.kind]


@dataclass(frozen=True, kw_only=True)
class HiddenTake:
    """A recording with what is hidden in it. `bar_s`: when each bar begins, seconds; `report` is what the
    program hears.
    """

    score: Score
    samples: npt.NDArray[np.float32]
    rate: int
    faults: tuple[HiddenFault, ...]
    bar_s: dict[str, float]
    report: TakeReport


@dataclass(frozen=True, kw_only=True)
class EarRequest:
    """What is to be heard: `facet` "" for any of them, `level` of LEVELS, how many `faults`."""

    instrument: str
    facet: str = ""
    level: str = "plain"
    faults: int = 1
    seed: int = 0


def trained_instruments() -> list[Instrument]:
    """Those that the simulated player plays with sounds that ship with the program."""
    there = {p.stem for p in SOUNDS.glob("*.ogg")}
    return [i for i in played_instruments() if i.sound in there]


def plainness(plan: Plan) -> float:
    """How far from right a plan is, in the unit of its kind; to be compared within a kind.

    >>> plainness(Plan(kind="uneven", at=3, amount=2.0)) > plainness(Plan(kind="uneven", at=3, amount=1.5))
    True
    """
    neutral = NEUTRAL.get(plan.kind, 0.0)
    return abs(math.log(plan.amount / neutral)) if neutral else abs(plan.amount)


def hide(request: EarRequest, progress: Callable[[float, str], None] = lambda _s, _w: None) -> HiddenTake:
    """A take for a request; the same request gives the same take. Raises DrillError where no music has a
    place for what is to be hidden.
    """
    instrument = _instrument(request)
    progress(0.1, "composing")
    score, line, plans = _find_line(request, instrument)
    progress(0.3, "playing")
    return _play(request, instrument, score, line, plans, request.seed)


def hide_three(
    request: EarRequest, progress: Callable[[float, str], None] = lambda _s, _w: None
) -> tuple[tuple[HiddenTake, ...], int]:
    """Three takes of one line with different faults, and the number (0 to 2) of the one whose findings are to
    be read: one in which the program heard what was hidden. Raises DrillError where there is none.
    """
    instrument = _instrument(request)
    rng = np.random.default_rng((request.seed, 37))
    for k in range(TRIES):
        try:
            score, line, first = _find_line(request, instrument, k)
        except DrillError:
            continue
        chosen: list[list[Plan]] = [first]
        for _unused in range(8 * DRAWN):
            plans = plan_hidden(request, instrument, line, np.random.default_rng(rng.integers(2**32)))
            if plans and all(_places(plans) != _places(others) for others in chosen):
                chosen.append(plans)
            if len(chosen) == 3:
                break
        if len(chosen) < 3:
            continue
        takes = []
        for n, plans in enumerate(chosen):
            progress(0.2 + 0.25 * n, "playing")
            takes.append(_play(request, instrument, score, line, plans, request.seed + 1000 * (n + 1)))
        told = [n for n, take in enumerate(takes) if _told(take)]
        if told:
            return tuple(takes), int(rng.choice(told))
    raise DrillError(_("No music was found that has a place for this. Choose something else."))


def _told(take: HiddenTake) -> bool:
    """Whether the program heard all that was hidden."""
    found = {(f["facet"], b) for f in take.report["findings"] for b in (f["places"] or [f["bar"]])}
    return all(any((f.facet, b) in found for b in f.bars) for f in take.faults)


def _places(plans: Sequence[Plan]) -> frozenset[tuple[str, int]]:
    return frozenset((p.kind, p.at) for p in plans)


def _instrument(request: EarRequest) -> Instrument:
    found = next((i for i in trained_instruments() if i.id == request.instrument), None)
    if found is None:
        raise DrillError(_("The program has no sound of this instrument to play takes with."))
    return found


def _style(request: EarRequest) -> Style:
    """Music with places for what is to be hidden, and without what hides it by itself."""
    ornaments = request.facet == "ornaments"
    return Style(
        bars=(6, 9),
        altered=0.1 if request.facet == "accidentals" else 0.05,
        grace=0.12 if ornaments else 0.03,
        trill=0.4 if ornaments else 0.08,
        turn=0.1 if ornaments else 0.02,
        repeat=0.0,
        fermata=0.0,
        dynamics=0.0,
    )


def _find_line(
    request: EarRequest, instrument: Instrument, skip: int = 0
) -> tuple[Score, PerformedPart, list[Plan]]:
    """Music and what is done wrong in it."""
    for k in range(skip, skip + TRIES):
        seed = request.seed * TRIES + k
        score = compose(seed, instrument, _style(request))
        line = perform_part(score.title, score.parts[0])
        plans = plan_hidden(request, instrument, line, np.random.default_rng((seed, 41)))
        if plans:
            return score, line, plans
    raise DrillError(_("No music was found that has a place for this. Choose something else."))


def plan_hidden(
    request: EarRequest, instrument: Instrument, line: PerformedPart, rng: np.random.Generator
) -> list[Plan]:
    """So many faults of different kinds; [] where the line has no places for them."""
    facets = [request.facet] if request.facet else list(PLAIN_KINDS)
    kinds: list[str] = []
    for facet in facets:
        plain, subtle = PLAIN_KINDS[facet], SUBTLE_KINDS[facet]
        kinds += {"plain": plain, "subtle": subtle}.get(request.level, (*plain, *subtle))
    rng.shuffle(kinds)
    out: list[Plan] = []
    used: set[int] = set()
    for kind in dict.fromkeys(kinds):
        drawn = []
        for _unused in range(DRAWN):
            planner = Planner(line, instrument, rng, line.written_bpm or 90.0)
            planner.used = set(used)
            plans = planner.plan(kind)
            if plans:
                drawn.append((plainness(plans[0]), plans, planner.used))
        if drawn:
            drawn.sort(key=lambda x: x[0])
            at = {"plain": -1, "subtle": 0}.get(request.level, len(drawn) // 2)
            _size, plans, used = drawn[at]
            out += plans
        if len({p.kind for p in out}) == request.faults:
            return out
    return []


def _play(
    request: EarRequest,
    instrument: Instrument,
    score: Score,
    line: PerformedPart,
    plans: Sequence[Plan],
    seed: int,
) -> HiddenTake:
    """Plays it, and hears what the program hears."""
    steady = request.level == "plain"
    manner = Manner(
        bpm=line.written_bpm or 90.0,
        drift=0.006 if steady else 0.012,
        jitter_s=0.005 if steady else 0.009,
        lead_s=0.8,
        dynamics=False,
    )
    played = perform(line, manner, tuple(plans), seed)
    dry = sampler.render(list(played.tones), instrument.sound, played.seconds)
    samples = put_in_room(dry, sampler.RATE, ROOM, seed)
    bar_s: dict[str, float] = {}
    for note, truth in zip(line.main_notes, played.notes, strict=True):
        if truth.on_s is not None:
            bar_s.setdefault(note.bar, truth.on_s)
    with scratch_folder() as name:
        folder = Path(name)
        (folder / "score.musicxml").write_bytes(write_musicxml(score))
        write_sound(folder / "take.wav", samples, sampler.RATE)
        options = Options(instrument=instrument.id)
        report = check(folder / "score.musicxml", folder / "take.wav", options).report
    return HiddenTake(
        score=score,
        samples=samples,
        rate=sampler.RATE,
        faults=_gathered(line, played.faults),
        bar_s=bar_s,
        report=report,
    )


def _gathered(line: PerformedPart, faults: Sequence[FaultTruth]) -> tuple[HiddenFault, ...]:
    """One entry a kind and cause: a habit is one thing to hear, wherever it is heard."""
    bars: dict[tuple[str, str | None], list[str]] = {}
    for f in faults:
        heard = [line.main_notes[i].bar for i in f.notes] or [f.bar]
        bars.setdefault((f.kind, f.cause), []).extend(heard)
    return tuple(
        HiddenFault(kind=kind, bars=tuple(dict.fromkeys(found))) for (kind, _cause), found in bars.items()
    )
