"""How a person plays a line: timing that drifts and jitters, breaths, joined and tongued notes, dynamics, and
the faults that were planned, with the truth.

A performance is a list of tones and, for every main note, what became of it. Everything is drawn from one
seeded generator.
"""

from __future__ import annotations

import dataclasses
import math

import numpy as np

from jeweller.notation.performance import PerformedPart
from jeweller.simulator.ornaments import grace_tones, ornament_tones
from jeweller.simulator.plan import FaultTruth, Manner, NoteTruth, Performance, Plan, SoundedNote
from jeweller.synthesis.sampler import Tone

__all__ = ["FaultTruth", "Manner", "NoteTruth", "Performance", "Plan", "perform"]

LEVELS = {"ppp": -13.0, "pp": -10.0, "p": -6.5, "mp": -3.0, "mf": 0.0, "f": 3.5, "ff": 6.0, "fff": 8.0}
FULL_SHARE = 0.92  # of the room that a displaced note has left, it sounds for so much at most
TONGUE_S = 0.09  # the gap that a tongue makes in a slur, at most
WHOLE_TAKE = {
    "wrong_transposition",
    "off_click",
    "breath_every_note",
    "not_detached",
    "not_joined",
    "dynamics_flat",
    "tuned_high",
    "tuned_low",
}


def perform(line: PerformedPart, manner: Manner, plans: tuple[Plan, ...] = (), seed: int = 0) -> Performance:
    """Plays the line with the planned faults."""
    rng = np.random.default_rng(seed)
    notes = line.main_notes
    acts = plain_acts(line, manner, rng, flat=any(p.kind == "dynamics_flat" for p in plans))
    marks: list[tuple[Plan, list[int]]] = [(plan, _apply(plan, acts, line, manner)) for plan in plans]
    restarts = {p.at: p for p in plans if p.kind == "restart"}
    skipped = {
        i for p in plans if p.kind in ("bar_skipped", "repeat_skipped") for i in range(p.at, p.at + p.count)
    }
    sequence: list[tuple[int, bool]] = []  # (act, abandoned)
    for i in range(len(notes)):
        if i in skipped:
            continue
        sequence.append((i, False))
        for start, plan in restarts.items():
            if i == start + plan.count - 1:
                sequence[-plan.count :] = [(k, True) for k in range(start, start + plan.count)]
                sequence.extend((k, False) for k in range(start, start + plan.count))
    return Stage(line, acts, sequence, restarts, skipped, marks, manner, rng).play()


def loudness(line: PerformedPart) -> list[float]:
    """dB of each main note by the written dynamics: levels, and hairpins between them."""
    points: list[tuple[float, float]] = []
    wedge: tuple[float, str] | None = None
    level = 0.0
    for bar in line.bars:
        for mark in sorted(bar.bar.marks, key=lambda m: m.offset):
            at = float(bar.onset + mark.offset)
            if mark.kind == "wedge" and mark.text != "stop":
                wedge = (at, mark.text)
                points.append((at, level))
            elif mark.kind == "wedge" and wedge is not None:
                level += 6.0 if wedge[1] == "crescendo" else -6.0
                points.append((at, level))
                wedge = None
            elif mark.kind == "dynamics" and mark.text in LEVELS:
                new = LEVELS[mark.text]
                if points and points[-1][0] == at:
                    points[-1] = (at, new)
                else:
                    points.extend([(at - 1e-3, level), (at, new)])
                level = new
    if not points:
        return [0.0] * len(line.main_notes)
    x, y = zip(*points, strict=True)
    return [float(np.interp(float(n.onset), x, y)) for n in line.main_notes]


def plain_acts(
    line: PerformedPart, manner: Manner, rng: np.random.Generator, *, flat: bool
) -> list[SoundedNote]:
    notes = line.main_notes
    acts = []
    wander = 0.0
    spq = 60.0 / (manner.click_bpm or manner.bpm)
    levels = loudness(line) if manner.dynamics and not flat else [0.0] * len(notes)
    for i, note in enumerate(notes):
        end = notes[i + 1].onset if i + 1 < len(notes) else note.end
        quarters = float(end - note.onset)
        wander = (
            0.0
            if manner.click_bpm
            else 0.9 * wander + manner.drift * math.sqrt(1 - 0.81) * rng.standard_normal()
        )
        local = spq * math.exp(wander)
        ioi = quarters * local
        length = float(note.duration) * local
        rest = ioi - length > 1e-6
        short = {"staccato", "staccatissimo"} & set(note.written.articulations)
        share = 0.5 if short else 1.0 if note.slurred_to_next else manner.tongued_share
        if note.fermata:
            ioi += 0.8 * local
            length += 0.8 * local
        sound = length * (0.95 if (rest or i + 1 == len(notes)) and not short else share)
        if note.breath_after:
            sound = min(sound, max(0.6 * length, length - 0.25))
        scatter = 0.01 * manner.spread_cents * float(np.clip(rng.standard_normal(), -2, 2))
        acts.append(
            SoundedNote(
                index=i,
                ioi=ioi,
                sound=sound,
                midi=note.sounding_midi + 0.01 * manner.tuning_cents + scatter,
                scatter=scatter,
                level_db=levels[i] + float(rng.normal(0, 1.0)) + (1.0 if note.offset == 0 else 0.0),
            )
        )
    # what all have in common is the take's tuning, and that is set
    middle = float(np.median([a.scatter for a in acts]))
    for act in acts:
        act.midi, act.scatter = act.midi - middle, act.scatter - middle
    return acts


def quarters_to_next(line: PerformedPart, i: int) -> float:
    notes = line.main_notes
    return float((notes[i + 1].onset if i + 1 < len(notes) else notes[i].end) - notes[i].onset)


def _apply(plan: Plan, acts: list[SoundedNote], line: PerformedPart, manner: Manner) -> list[int]:
    """Changes the acts; returns the notes the fault concerns."""
    notes = line.main_notes
    a = acts[plan.at]
    span = list(range(plan.at, min(plan.at + plan.count, len(acts))))
    local = a.ioi / quarters_to_next(line, plan.at)
    if plan.kind in WHOLE_TAKE:
        _whole(plan, acts, line, local, manner)
        return list(range(len(acts)))
    match plan.kind:
        case "wrong_note" | "missed_accidental" | "added_accidental" | "wrong_octave" | "wrong_partial":
            a.midi += plan.amount
        # the size that sounds, against the take's own tuning: the note's own scatter is in it
        case "out_of_tune":
            a.midi += plan.amount / 100.0 - a.scatter
        case "missed_note":
            a.silent = True
        case "extra_note":
            length = 0.09 if plan.way == "blip" else max(0.16, 0.35 * a.ioi)
            a.extra.append(
                (a.ioi - length, length * 0.9, notes[plan.at].sounding_midi + (plan.amount or 2.0))
            )
            a.sound = min(a.sound, a.ioi - length)
        case "rest_short" | "rest_long" | "beat_dropped":
            a.ioi += plan.amount * local
            a.sound = min(a.sound, 0.92 * a.ioi) if plan.kind == "beat_dropped" else a.sound
        case "rest_filled":
            written = float(notes[plan.at].duration) * local
            a.sound = min(written + (plan.amount or 0.97) * (a.ioi - written), 0.985 * a.ioi)
        case "cut_short":
            a.sound = min(a.sound, plan.amount * float(notes[plan.at].duration) * local)
        case "held_over" | "beat_added":
            a.ioi += plan.amount * local
            a.sound += plan.amount * local
        case "hesitation":
            a.pause_after = plan.amount * local
        case "late" | "early":
            a.shift_s, a.exact = plan.amount * local, True
        case "dot_lost" | "dot_overdone":
            for k in range(plan.at, plan.at + plan.count, 2):
                b = acts[k + 1]
                both = acts[k].ioi + b.ioi
                ratio = plan.amount or 1.0
                acts[k].ioi, b.ioi = both * ratio / (1 + ratio), both / (1 + ratio)
                acts[k].sound, b.sound = acts[k].ioi * 0.9, b.ioi * 0.9
                for act in acts[k : k + 3]:
                    act.exact = True
            span = list(range(plan.at, plan.at + max(2, plan.count)))
        case "uneven":
            for k in range(plan.at, plan.at + plan.count - 1, 2):
                both = acts[k].ioi + acts[k + 1].ioi
                for act, share in (
                    (acts[k], plan.amount / (1 + plan.amount)),
                    (acts[k + 1], 1 / (1 + plan.amount)),
                ):
                    act.sound *= both * share / act.ioi
                    act.ioi = both * share
        case "rushing" | "dragging" if plan.way == "figure":
            lost = 0.0
            for k in span:
                lost += acts[k].ioi * (1 - plan.amount)
                acts[k].ioi *= plan.amount
                acts[k].sound *= plan.amount
            acts[span[-1]].ioi += lost  # back on the beat
        case "rushing" | "dragging":
            for n, k in enumerate(span):
                factor = math.exp(math.log(plan.amount) * min(1.0, (n + 1) / (0.7 * len(span))))
                acts[k].ioi *= factor
                acts[k].sound *= factor
        case "grace_missed":
            a.grace = "none"
        case "grace_slipped":
            a.grace, a.grace_amount = plan.way or "pitch", plan.amount
        case "trill_missed":
            a.ornament = "none"
        case "trill_start":
            a.ornament = "upper" if plan.amount > 0 else "main"
        case "trill_thin":
            a.ornament = plan.way or "thin"
        case "ornament_wrong":
            a.ornament = plan.way or "none"
        case "cracked":
            a.crack = (plan.amount, 0.025 if plan.near else 0.06 + 0.05 * (plan.count - 1))
            span = [plan.at]
        case "tongued_in_slur":
            a.tongued = True
            acts[plan.at - 1].sound = min(
                acts[plan.at - 1].sound, max(0.88 * acts[plan.at - 1].ioi, acts[plan.at - 1].ioi - TONGUE_S)
            )
        case "slurred_over_tongue":
            a.tongued = False
            acts[plan.at - 1].sound = acts[plan.at - 1].ioi + 0.02
        case "breath_in_slur":
            a.tongued = True
            acts[plan.at - 1].sound = max(0.08, acts[plan.at - 1].ioi - plan.amount)
        case "fuzzy":
            for k in span:
                acts[k].fuzz = plan.amount
        case "sagging":
            a.sag = plan.amount
        case "unsteady":
            for k in span:
                acts[k].wobble = plan.amount
        case "restart" | "bar_skipped" | "repeat_skipped":
            pass
        case _:
            raise ValueError(f"the simulated player cannot play {plan.kind}")
    return span


def _whole(plan: Plan, acts: list[SoundedNote], line: PerformedPart, local: float, manner: Manner) -> None:
    notes = line.main_notes
    for i, act in enumerate(acts):
        rest = i + 1 < len(notes) and notes[i + 1].onset > notes[i].end
        if plan.kind == "wrong_transposition":
            act.midi += plan.amount
        elif plan.kind in ("tuned_high", "tuned_low"):
            act.midi += (plan.amount - manner.tuning_cents) / 100
        elif plan.kind == "off_click":
            act.shift_s += plan.amount * float(line.beat) * local
        elif plan.kind == "breath_every_note" and not rest and i + 1 < len(acts):
            act.sound = max(0.45 * act.ioi, act.ioi - plan.amount)
            acts[i + 1].tongued = True
        elif plan.kind == "not_joined" and notes[i].slurred_to_next and i + 1 < len(acts):
            act.sound = plan.amount * act.ioi
            acts[i + 1].tongued = True
        elif plan.kind == "not_detached" and {"staccato", "staccatissimo"} & set(
            notes[i].written.articulations
        ):
            act.sound = (plan.amount or 0.92) * float(notes[i].duration) * local


class Stage:
    """Plays the sequence of acts in time and keeps the truth."""

    def __init__(
        self,
        line: PerformedPart,
        acts: list[SoundedNote],
        sequence: list[tuple[int, bool]],
        restarts: dict[int, Plan],
        skipped: set[int],
        marks: list[tuple[Plan, list[int]]],
        manner: Manner,
        rng: np.random.Generator,
    ) -> None:
        self.line, self.acts, self.sequence, self.restarts, self.skipped, self.marks = (
            line,
            acts,
            sequence,
            restarts,
            skipped,
            marks,
        )
        self.manner, self.rng = manner, rng
        self.notes = line.main_notes
        self.graces = [[float(g.sounding_midi) for g in before] for before in line.graces]
        self.truth = [NoteTruth(index=i) for i in range(len(self.notes))]
        self.tones: list[Tone] = []
        self.now = float(manner.lead_s)
        self.tries: dict[int, tuple[float, float]] = {}
        self.skip_at: dict[int, float] = {}
        self.starts: dict[int, float] = {}
        self.shift = next((p.amount for p, _ in marks if p.kind == "wrong_transposition"), 0.0)
        self.tuning = 0.01 * next(
            (p.amount for p, _ in marks if p.kind in ("tuned_high", "tuned_low")), manner.tuning_cents
        )

    def play(self) -> Performance:
        for n, (i, abandoned) in enumerate(self.sequence):
            if i - 1 in self.skipped and not abandoned:
                for p, _ in self.marks:
                    if p.kind in ("bar_skipped", "repeat_skipped") and p.at + p.count == i:
                        self.skip_at[p.at] = self.now
            self._note(n, i, abandoned)
        for i in self.skipped:
            self.truth[i] = NoteTruth(index=i, verdict="missed")
        told = [self._fault(plan, span) for plan, span in self.marks]
        faults = sorted((f for f in told if not f.near), key=lambda f: f.at_s)
        return Performance(
            tones=tuple(sorted(self.tones, key=lambda t: t.on_s)),
            notes=tuple(self.truth),
            faults=tuple(faults),
            seconds=self.now + 1.2,
            near=tuple(f for f in told if f.near),
        )

    def _note(self, n: int, i: int, abandoned: bool) -> None:
        act, note, manner, rng = self.acts[i], self.notes[i], self.manner, self.rng
        jitter = float(np.clip(rng.standard_normal(), -2, 2)) * manner.jitter_s
        on = self.now + act.shift_s + (0.0 if act.exact else jitter)
        self.starts[i] = on
        follows = n > 0 and self.sequence[n - 1][0] == i - 1 and not self.acts[i - 1].silent
        slurred = note.slurred_from_previous if act.tongued is None else not act.tongued
        slurred = slurred and follows
        after = self.acts[self.sequence[n + 1][0]] if n + 1 < len(self.sequence) else None
        # of its room, where its neighbour is not moved alike
        lost = act.shift_s - (after.shift_s if after is not None else act.shift_s)
        sound = max(0.05, min(act.sound, FULL_SHARE * (act.ioi - lost))) if lost > 0 else act.sound
        if after is not None and note.slurred_to_next and after.tongued is None:
            sound = max(0.05, act.ioi + 0.02 - lost)
        if act.silent:
            if not abandoned:
                self.truth[i] = NoteTruth(index=i, verdict="missed")
        else:
            begin = on
            if self.graces[i] and act.grace != "none":
                added, begin, sound = grace_tones(
                    [p + self.shift for p in self.graces[i]], act, on, sound, manner
                )
                self._give_way(added[0].on_s)
                self.tones.extend(added)
                slurred = True
            if note.written.ornament and act.ornament != "none":
                self.tones.extend(ornament_tones(self.line, i, begin, sound, act, manner, rng))
            else:
                if act.crack is not None:
                    pitch, length = act.crack
                    length = min(length, 0.5 * sound)
                    self.tones.append(
                        Tone(
                            on_s=begin,
                            off_s=begin + length,
                            midi=act.midi + pitch,
                            level_db=act.level_db - 1.0,
                            slurred=slurred,
                        )
                    )
                    self.tones.append(self._tone(act, begin + length, begin + sound, True))
                else:
                    self.tones.append(self._tone(act, begin, begin + sound, slurred))
            for when, length, pitch in act.extra:
                self.tones.append(
                    Tone(
                        on_s=on + when,
                        off_s=on + when + length,
                        midi=pitch + self.tuning,
                        level_db=act.level_db - 1,
                        slurred=length < 0.1,
                    )
                )
            if not abandoned:
                right = round(act.midi - self.tuning - self.shift) == note.sounding_midi
                self.truth[i] = NoteTruth(
                    index=i,
                    verdict="ok" if right else "wrong",
                    on_s=on if act.grace == "after" else begin,
                    off_s=on + sound,
                    midi=act.midi,
                )
        self.now += act.ioi
        if not abandoned:
            self.now += act.pause_after
        for start, plan in self.restarts.items():
            if abandoned and i == start + plan.count - 1:
                self.tries[start] = (
                    self.starts[start],
                    self.now + 1.0 * act.ioi / max(0.5, float(note.duration)),
                )
                self.now += max(0.6, 60.0 / manner.bpm)

    def _give_way(self, at_s: float) -> None:
        """One tone at a time: the last ends where a grace note before the beat begins."""
        last = self.tones[-1] if self.tones else None
        if last is not None and last.on_s + 0.05 < at_s < last.off_s:
            self.tones[-1] = dataclasses.replace(last, off_s=at_s)

    def _tone(self, act: SoundedNote, on: float, off: float, slurred: bool) -> Tone:
        rng, manner = self.rng, self.manner
        vibrato = manner.vibrato_cents if off - on > 0.6 else 0.0
        return Tone(
            on_s=on,
            off_s=off,
            midi=act.midi,
            level_db=act.level_db,
            slurred=slurred,
            vibrato_cents=vibrato,
            vibrato_hz=4.6 + rng.random(),
            slide_cents=float(rng.normal(0, 12)),
            sag_cents=act.sag,
            wobble_cents=act.wobble,
            fuzz=act.fuzz,
            seed=int(rng.integers(1 << 30)),
        )

    def _fault(self, plan: Plan, span: list[int]) -> FaultTruth:
        notes = self.notes
        bar = notes[plan.at].bar
        on = self.starts.get(plan.at, self.skip_at.get(plan.at, 0.0))
        last = span[-1]
        until = self.starts.get(last, on) + self.acts[last].ioi
        if plan.kind == "restart":
            on, until = self.tries[plan.at]
        elif plan.kind in ("bar_skipped", "repeat_skipped"):
            on = until = self.skip_at.get(plan.at, 0.0)
        elif plan.kind == "hesitation":
            bar = notes[min(plan.at + 1, len(notes) - 1)].bar
            until += self.acts[last].pause_after
        elif plan.kind in ("rest_short", "rest_long", "rest_filled"):
            rest = next((r for r in self.line.rests if r.onset >= notes[plan.at].end), None)
            bar = rest.bar if rest is not None else bar
        elif plan.kind == "extra_note":
            on = on + self.acts[plan.at].extra[0][0]
        return FaultTruth(
            kind=plan.kind,
            bar=bar,
            at_s=round(on, 4),
            until_s=round(until, 4),
            cause=plan.cause,
            notes=tuple(span),
            amount=plan.amount,
            near=plan.near,
            way=plan.way,
        )
