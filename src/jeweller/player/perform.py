"""How a person plays a line: timing that drifts and jitters, breaths, joined and tongued notes, and the faults that were planned, with the truth.

A performance is a list of tones and, for every main note, what became of it. Everything is drawn from one seeded generator.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from jeweller.player.sampler import Tone
from jeweller.score.line import Line


@dataclass(frozen=True)
class Plan:
    """One fault to play. `at` is the index of a main note; `amount` its size in the unit of the kind; `count` how many notes it takes."""

    kind: str
    at: int
    amount: float = 0.0
    count: int = 1
    cause: str | None = None


@dataclass(frozen=True)
class Manner:
    """How steady and how warm the player is."""

    bpm: float  # quarters a minute
    drift: float = 0.015  # standard deviation of the log tempo's slow wander
    jitter_s: float = 0.010  # of single onsets
    tongued_share: float = 0.88  # of a note's time that sounds when it is tongued
    tuning_cents: float = 0.0  # the whole take
    spread_cents: float = 6.0  # single notes
    vibrato_cents: float = 8.0
    lead_s: float = 1.2  # before the first note


@dataclass
class NoteTruth:
    """What became of one main note."""

    index: int
    verdict: str = "ok"  # ok, wrong, missed
    on_s: float | None = None
    off_s: float | None = None
    midi: float | None = None


@dataclass(frozen=True)
class FaultTruth:
    kind: str
    bar: str
    at_s: float
    until_s: float
    cause: str | None
    notes: tuple[int, ...]


@dataclass(frozen=True)
class Performance:
    tones: tuple[Tone, ...]
    notes: tuple[NoteTruth, ...]
    faults: tuple[FaultTruth, ...]
    seconds: float


@dataclass
class _Act:
    """One note about to be played: seconds to the next onset, the share that sounds, and what is changed."""

    index: int
    ioi: float
    sound: float
    midi: float
    first_try: bool = True
    silent: bool = False
    shift_s: float = 0.0  # its onset alone moved
    pause_after: float = 0.0
    extra: list[tuple[float, float, float]] = field(default_factory=list)  # (when after onset, length, midi)
    no_grace: bool = False
    no_trill: bool = False
    level_db: float = 0.0


def perform(line: Line, manner: Manner, plans: tuple[Plan, ...] = (), seed: int = 0) -> Performance:
    """Plays the line with the planned faults."""
    rng = np.random.default_rng(seed)
    notes = line.main_notes
    acts = _plain_acts(line, manner, rng)
    order = list(range(len(notes)))
    marks: list[tuple[Plan, list[int]]] = []
    for plan in plans:
        marks.append((plan, _apply(plan, acts, line, rng)))
    restarts = {p.at: p for p in plans if p.kind == "restart"}
    skipped = {i for p in plans if p.kind in ("bar_skipped", "repeat_skipped") for i in range(p.at, p.at + p.count)}
    sequence: list[tuple[int, bool]] = []  # (act, abandoned)
    for i in order:
        if i in skipped:
            continue
        sequence.append((i, False))
        for start, plan in restarts.items():
            if i == start + plan.count - 1:
                sequence[-plan.count :] = [(k, True) for k in range(start, start + plan.count)]
                sequence.extend((k, False) for k in range(start, start + plan.count))
    return _sound(line, acts, sequence, restarts, skipped, marks, manner, rng)


def _plain_acts(line: Line, manner: Manner, rng: np.random.Generator) -> list[_Act]:
    notes = line.main_notes
    acts = []
    wander = 0.0
    spq = 60.0 / manner.bpm
    for i, note in enumerate(notes):
        end = notes[i + 1].onset if i + 1 < len(notes) else note.end
        quarters = float(end - note.onset)
        wander = 0.9 * wander + manner.drift * math.sqrt(1 - 0.81) * rng.standard_normal()
        local = spq * math.exp(wander)
        ioi = quarters * local
        length = float(note.duration) * local
        rest = ioi - length > 1e-6
        short = {"staccato", "staccatissimo"} & set(note.written.articulations)
        share = 0.5 if short else 1.0 if note.slurred_to_next else manner.tongued_share
        if note.fermata:
            ioi += 0.8 * local
            length += 0.8 * local
        sound = length * (0.95 if rest and not short else share)
        if note.breath_after:
            sound = min(sound, max(0.6 * length, length - 0.25))
        acts.append(_Act(i, ioi, sound, note.sounding_midi + 0.01 * (manner.tuning_cents + manner.spread_cents * rng.standard_normal()),
                         level_db=float(rng.normal(0, 1.0)) + (1.0 if note.offset == 0 else 0.0)))  # fmt: skip
    return acts


def _apply(plan: Plan, acts: list[_Act], line: Line, rng: np.random.Generator) -> list[int]:
    """Changes the acts; returns the notes the fault concerns."""
    notes = line.main_notes
    a = acts[plan.at]
    span = list(range(plan.at, min(plan.at + plan.count, len(acts))))
    local = a.ioi / float((notes[plan.at + 1].onset if plan.at + 1 < len(notes) else notes[plan.at].end) - notes[plan.at].onset)
    match plan.kind:
        case "wrong_note" | "missed_accidental" | "added_accidental" | "wrong_octave" | "wrong_partial":
            a.midi += plan.amount
        case "out_of_tune":
            a.midi += plan.amount / 100.0
        case "missed_note":
            a.silent = True
        case "extra_note":
            length = max(0.16, 0.35 * a.ioi)
            a.extra.append((a.ioi - length, length * 0.9, notes[plan.at].sounding_midi + (plan.amount or 2.0)))
            a.sound = min(a.sound, a.ioi - length)
        case "rest_short" | "rest_long":
            a.ioi += plan.amount * local
        case "rest_filled":
            a.sound = a.ioi * 0.97
        case "cut_short":
            a.sound *= plan.amount
        case "held_over":
            a.ioi += plan.amount * local
            a.sound += plan.amount * local
        case "hesitation":
            a.pause_after = plan.amount * local
        case "late" | "early":
            a.shift_s = plan.amount * local
        case "dot_lost":
            b = acts[plan.at + 1]
            both = a.ioi + b.ioi
            a.ioi = b.ioi = both / 2
            a.sound, b.sound = a.ioi * 0.9, b.ioi * 0.9
            span = [plan.at, plan.at + 1]
        case "uneven":
            for k in range(plan.at, plan.at + plan.count - 1, 2):
                both = acts[k].ioi + acts[k + 1].ioi
                for act, share in ((acts[k], plan.amount / (1 + plan.amount)), (acts[k + 1], 1 / (1 + plan.amount))):
                    act.sound *= both * share / act.ioi
                    act.ioi = both * share
        case "rushing" | "dragging":
            for n, k in enumerate(span):
                factor = math.exp(math.log(plan.amount) * (n + 1) / len(span))
                acts[k].ioi *= factor
                acts[k].sound *= factor
        case "grace_missed":
            a.no_grace = True
        case "trill_missed":
            a.no_trill = True
        case "restart" | "bar_skipped" | "repeat_skipped":
            pass
        case _:
            raise ValueError(f"the simulated player cannot play {plan.kind}")
    return span


def _sound(line: Line, acts: list[_Act], sequence: list[tuple[int, bool]], restarts: dict[int, Plan], skipped: set[int],
           marks: list[tuple[Plan, list[int]]], manner: Manner, rng: np.random.Generator) -> Performance:  # fmt: skip
    notes = line.main_notes
    truth = [NoteTruth(i) for i in range(len(notes))]
    graces = [[g.sounding_midi for g in before] for before in line.graces]
    tones: list[Tone] = []
    now = float(manner.lead_s)
    tries: dict[int, tuple[float, float]] = {}
    skip_at: dict[int, float] = {}
    starts: dict[int, float] = {}
    for n, (i, abandoned) in enumerate(sequence):
        act, note = acts[i], notes[i]
        if i - 1 in skipped and not abandoned:
            for p, _ in marks:
                if p.kind in ("bar_skipped", "repeat_skipped") and p.at + p.count == i:
                    skip_at[p.at] = now
        on = now + act.shift_s + float(np.clip(rng.standard_normal(), -2, 2)) * manner.jitter_s
        starts[i] = on
        slurred = note.slurred_from_previous and n > 0 and sequence[n - 1][0] == i - 1
        sound = max(0.05, act.sound - max(0.0, act.shift_s))
        nxt = acts[sequence[n + 1][0]] if n + 1 < len(sequence) else None
        if nxt is not None and note.slurred_to_next:
            sound = max(0.05, act.ioi + 0.02 - act.shift_s)
        if not act.silent:
            if graces[i] and not act.no_grace:
                for k, midi in enumerate(graces[i]):
                    at = on - 0.085 * (len(graces[i]) - k)
                    tones.append(Tone(at, at + 0.085, midi, act.level_db - 2, slurred=False))
            if note.written.ornament == "trill" and not act.no_trill:
                tones.extend(_trill(line, i, on, sound, act, rng))
            else:
                vibrato = manner.vibrato_cents if sound > 0.6 else 0.0
                tones.append(Tone(on, on + sound, act.midi, act.level_db, slurred or bool(graces[i] and not act.no_grace), vibrato, 4.6 + rng.random(),
                                  float(rng.normal(0, 12))))  # fmt: skip
            for when, length, pitch in act.extra:
                tones.append(Tone(on + when, on + when + length, pitch, act.level_db - 1))
            if not abandoned:
                right = round(act.midi - 0.01 * manner.tuning_cents) == note.sounding_midi
                truth[i] = NoteTruth(i, "ok" if right else "wrong", on, on + sound, act.midi)
        elif not abandoned:
            truth[i] = NoteTruth(i, "missed")
        now += act.ioi
        if not abandoned:
            now += act.pause_after
        for start, plan in restarts.items():
            if abandoned and i == start + plan.count - 1:
                tries[start] = (starts[start], now + 1.0 * act.ioi / max(0.5, float(note.duration)))
                now += max(0.6, 60.0 / manner.bpm)
    for i in skipped:
        truth[i] = NoteTruth(i, "missed")
    faults = [_fault(line, plan, span, truth, starts, acts, tries, skip_at) for plan, span in marks]
    return Performance(tuple(sorted(tones, key=lambda t: t.on_s)), tuple(truth), tuple(sorted(faults, key=lambda f: f.at_s)), now + 1.2)


def _trill(line: Line, i: int, on: float, sound: float, act: _Act, rng: np.random.Generator) -> list[Tone]:
    from jeweller.score.pitch import in_key

    note = line.main_notes[i]
    fifths = line.bars[note.bar_index].bar.fifths
    up = 1 if in_key(note.written_midi + 1, fifths) else 2
    tones, at, k = [], on, 0
    while at < on + sound - 0.05:
        length = (0.085 if k else 0.12) * float(np.clip(rng.normal(1.0, 0.06), 0.8, 1.2))
        if on + sound - at < 0.2:
            length = on + sound - at
        tones.append(Tone(at, at + length + 0.01, act.midi + (up if k % 2 else 0), act.level_db - (1.0 if k % 2 else 0.0), slurred=k > 0))
        at += length
        k += 1
    return tones


def _fault(line: Line, plan: Plan, span: list[int], truth: list[NoteTruth], starts: dict[int, float], acts: list[_Act],
           tries: dict[int, tuple[float, float]], skip_at: dict[int, float]) -> FaultTruth:  # fmt: skip
    notes = line.main_notes
    bar = notes[plan.at].bar
    on = starts.get(plan.at, skip_at.get(plan.at, 0.0))
    last = span[-1]
    until = starts.get(last, on) + acts[last].ioi
    if plan.kind == "restart":
        on, until = tries[plan.at]
    elif plan.kind in ("bar_skipped", "repeat_skipped"):
        on = until = skip_at.get(plan.at, 0.0)
    elif plan.kind == "hesitation":
        bar = notes[min(plan.at + 1, len(notes) - 1)].bar
        until += acts[last].pause_after
    elif plan.kind in ("rest_short", "rest_long", "rest_filled"):
        rest = next((r for r in line.rests if r.onset >= notes[plan.at].end), None)
        bar = rest.bar if rest is not None else bar
    return FaultTruth(plan.kind, bar, round(on, 4), round(until, 4), plan.cause, tuple(span))
