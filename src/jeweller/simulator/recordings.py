"""Whole recordings with their truth: a line, a player, an instrument, a room and a microphone, all drawn from
one seed.

Three sets share nothing: other tunes, other sounds, other rooms, other seeds. *tune* is looked at as often as
one likes, *validation* chooses between designs, *test* says how good the result is.
"""

from __future__ import annotations

import dataclasses
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.assets import SOUNDS
from jeweller.instruments.table import Instrument, instruments
from jeweller.notation.clefs import read_in_clef
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.swing import swung
from jeweller.simulator import noises
from jeweller.simulator.compose import Style, compose
from jeweller.simulator.faults import plan_faults
from jeweller.simulator.perform import Manner, Performance, perform
from jeweller.simulator.plan import FaultTruth, Plan
from jeweller.simulator.room import Room, put_in_room
from jeweller.simulator.truth import SimulatedTake, tell_note, truth_of
from jeweller.synthesis import additive as synth
from jeweller.synthesis import sampler
from jeweller.synthesis.percussion import RATE as STROKE_RATE
from jeweller.synthesis.percussion import render as strokes_render

SETS = {"tune": 100_000, "validation": 200_000, "test": 300_000}
# The sampled instruments of a set; the others of the set are synthetic, of voices that no other set has.
SAMPLED = {
    "tune": {"flute", "clarinet", "alto-saxophone", "trumpet", "trombone", "bassoon"},
    "validation": {"oboe", "tenor-saxophone", "horn", "euphonium", "tuba", "recorder"},
}
VOICES = {"tune": range(12), "validation": range(100, 112), "test": range(200, 212)}
# What can go wrong where nothing has a pitch or a length.
STRUCK = (
    "missed_note",
    "extra_note",
    "rest_short",
    "rest_long",
    "beat_dropped",
    "beat_added",
    "hesitation",
    "restart",
    "bar_skipped",
    "late",
    "early",
    "uneven",
    "dot_lost",
    "dot_overdone",
    "rushing",
    "dragging",
)
ENDINGS = (".wav", ".flac", ".ogg", ".mp3", ".m4a")


# The instruments of the sets, in the order they are drawn from: a longer table of instruments makes no other
# takes.
PLAYED = (
    "flute",
    "oboe",
    "clarinet",
    "bassoon",
    "recorder",
    "alto-saxophone",
    "tenor-saxophone",
    "baritone-saxophone",
    "trumpet",
    "cornet",
    "horn",
    "trombone",
    "euphonium",
    "euphonium-tc",
    "tuba",
)


def played_instruments() -> list[Instrument]:
    """The instruments that takes are made for."""
    by_id = {i.id: i for i in instruments()}
    return [by_id[name] for name in PLAYED]


def _perform_plans(line: PerformedPart, manner: Manner, plans: tuple[Plan, ...], seed: int) -> Performance:
    """The line with its planted faults; what is read in another clef is played without a slip."""
    misread = next((p for p in plans if p.cause == "read_as_other_clef"), None)
    if misread is None:
        return perform(line, manner, plans, seed)
    return perform(
        read_in_clef(line, misread.way, round(misread.amount)),
        manner,
        (dataclasses.replace(misread, amount=0.0),),
        seed,
    )


def _render(
    kind: str,
    chosen: Instrument,
    played: Performance,
    rng: np.random.Generator,
    seed: int,
    bank: Path | None,
    spoken: dict[float, float],
) -> tuple[npt.NDArray[np.float32], int, str]:
    """Samples, their rate in Hz and the name of the source; notes when each note speaks in `spoken`."""
    sounds = bank is None or not bank.is_dir() or (bank / f"{chosen.sound}.ogg").exists()
    sampled = sounds and (bank is not None or (kind in SAMPLED and chosen.sound in SAMPLED[kind]))
    sampled = sampled and rng.random() < (0.75 if kind != "test" else 0.6)
    if sampled:
        dry, rate = (
            sampler.render(
                list(played.tones), chosen.sound, played.seconds, folder=bank or SOUNDS, spoken=spoken
            ),
            sampler.RATE,
        )
        sound = f"sampled {bank.name if bank else 'shipped'}"
    else:
        number_ = int(rng.choice(list(VOICES[kind])))
        dry, rate = (
            synth.render(
                list(played.tones), synth.voice(chosen.sound, number_), played.seconds, seed, spoken
            ),
            synth.RATE,
        )
        sound = f"synthetic {number_}"
    return dry, rate, sound


def make_take(
    kind: str,
    number: int,
    *,
    rough: bool = False,
    faults: int | None = None,
    kinds: tuple[str, ...] = (),
    style: Style | None = None,
    instrument: str | None = None,
    bank: Path | None = None,
) -> SimulatedTake:
    """Take `number` of a set. `bank` is a folder of sampled sounds to use in place of those that ship (the
    test set's).
    """
    seed = SETS[kind] + number + (50_000 if rough else 0)
    rng = np.random.default_rng((seed, 5))
    table = played_instruments()
    chosen = (
        next(i for i in table if i.id == instrument) if instrument else table[int(rng.integers(len(table)))]
    )
    score = compose(seed, chosen, style)
    line = swung(perform_part(score.title, score.parts[0]))
    written = line.written_bpm or 90.0
    speed = float(
        rng.choice(
            [1.0, rng.uniform(0.85, 1.1), rng.uniform(0.6, 0.8), rng.uniform(0.45, 0.6)],
            p=[0.4, 0.35, 0.15, 0.1],
        )
    )
    bpm = written * speed
    click = rng.random() < 0.15
    manner = _manner(rng, bpm, rough, click)
    if faults is None:
        faults = (
            0
            if rng.random() < (0.15 if rough else 0.35)
            else int(rng.integers(2, 6))
            if rough
            else int(rng.integers(1, 4))
        )
    plans = plan_faults(
        line,
        chosen,
        bpm,
        rng,
        faults,
        int(rng.integers(0, 3)),
        kinds,
        click=click,
        upper_start=manner.upper_start,
    )
    played = _perform_plans(line, manner, plans, seed)
    spoken: dict[float, float] = {}
    dry, rate, sound = _render(kind, chosen, played, rng, seed, bank, spoken)
    samples, conditions = _record(dry, rate, line, played, manner, rng, rough, seed, click)
    ending = str(rng.choice(ENDINGS, p=[0.35, 0.1, 0.2, 0.15, 0.2]))
    truth = truth_of(line, played, spoken) | {
        "instrument": chosen.name,
        "bpm": round(bpm, 2),
        "written_bpm": written,
        "sound": sound,
        "conditions": conditions,
        "rough": rough,
        "seed": seed,
        "lead": manner.lead_s,
    }
    if any(f.kind == "trill_start" for f in played.faults):
        truth["asked"] = {
            "trill_first": "upper" if manner.upper_start else "main"
        }  # the school that is asked for
    return SimulatedTake(
        name=f"{'r' if rough else ''}{number:04d}",
        score=score,
        line=line,
        instrument=chosen,
        performance=played,
        samples=samples,
        rate=rate,
        truth=truth,
        ending=ending,
    )


def make_rhythm_take(kind: str, number: int, *, faults: int | None = None) -> SimulatedTake:
    """Take `number` of a set's rhythms: claps and taps of a line, or a drum part of two or three lines."""
    seed = SETS[kind] + 80_000 + number
    rng = np.random.default_rng((seed, 5))
    table = played_instruments()
    chosen = table[int(rng.integers(len(table)))]
    score = compose(seed, chosen, Style(plain=True, repeat=0.15))
    drums = bool(rng.random() < 0.5)
    names = (
        ("Snare drum", "Bass drum") if rng.random() < 0.6 else ("Snare drum", "Bass drum", "Suspended cymbal")
    )
    if drums:
        score = _drummed(score, names, rng)
    line = perform_part(score.title, score.parts[0], rhythm_only=True)
    bpm = (line.written_bpm or 90.0) * float(rng.uniform(0.7, 1.1))
    click = rng.random() < 0.15
    manner = Manner(
        bpm=bpm,
        drift=float(rng.uniform(0.008, 0.022)),
        jitter_s=float(rng.uniform(0.005, 0.014)),
        lead_s=float(rng.uniform(1.0, 2.5)),
        click_bpm=bpm if click else 0.0,
        dynamics=False,
    )
    if faults is None:
        faults = 0 if rng.random() < 0.35 else int(rng.integers(1, 4))
    plans = plan_faults(line, chosen, bpm, rng, faults, int(rng.integers(0, 3)), STRUCK, click=click)
    wrong = _misstruck(line, names, plans, rng) if drums and faults else {}
    played = perform(line, manner, plans, seed)
    what = "Clap" if rng.random() < 0.6 else "Tap"
    by_time = {t.on_s: i for i, t in enumerate(played.notes) if t.on_s is not None}
    strokes = []
    for tone in played.tones:
        i = by_time.get(tone.on_s)  # None: a stroke too many
        drum = names[0] if i is None else wrong.get(i, line.main_notes[i].written.stroke)
        strokes.append((tone.on_s, drum if drums else what, tone.level_db))
    dry = strokes_render(strokes, played.seconds, seed)
    samples, conditions = _record(dry, STROKE_RATE, line, played, manner, rng, False, seed, click)
    instrument = "drums" if drums else what.casefold() + "s"
    truth = truth_of(line, played, {}) | {
        "instrument": instrument,
        "bpm": round(bpm, 2),
        "written_bpm": line.written_bpm,
        "sound": "struck",
        "conditions": conditions,
        "rough": False,
        "rhythm": True,
        "seed": seed,
        "lead": manner.lead_s,
    }
    for i in wrong:
        at = played.notes[i].on_s
        if at is not None and truth["notes"][i]["verdict"] == "ok":
            truth["notes"][i]["verdict"] = "wrong"
            truth["faults"].append(
                tell_note(
                    FaultTruth(
                        kind="wrong_note",
                        bar=line.main_notes[i].bar,
                        at_s=at,
                        until_s=at + 0.2,
                        cause=None,
                        notes=(i,),
                        way="stroke",
                    )
                )
            )
    return SimulatedTake(
        name=f"b{number:04d}",
        score=score,
        line=line,
        instrument=chosen,
        performance=played,
        samples=samples,
        rate=STROKE_RATE,
        truth=truth,
        ending=str(rng.choice(ENDINGS, p=[0.35, 0.1, 0.2, 0.15, 0.2])),
    )


def _drummed(score: Score, names: tuple[str, ...], rng: np.random.Generator) -> Score:
    """The rhythm of a line as a drum part: the low drum on strong beats, the high one elsewhere, now and then
    the cymbal.
    """
    place = {"Snare drum": "C5", "Bass drum": "F4", "Suspended cymbal": "G5"}
    part = score.parts[0]
    bars = []
    for bar in part.bars:
        notes = []
        for n in bar.notes:
            if n.grace:
                continue
            if n.pitch is not None:
                strong = n.offset.denominator == 1 and int(n.offset) % 2 == 0
                stroke = (
                    names[1]
                    if strong and rng.random() < 0.85
                    else names[2]
                    if len(names) > 2 and rng.random() < 0.25
                    else names[0]
                )
                n = dataclasses.replace(
                    n,
                    pitch=None,
                    unpitched=True,
                    accidental=None,
                    ornament=None,
                    articulations=(),
                    slur_starts=(),
                    slur_stops=(),
                    tie_start=False,
                    tie_stop=False,
                    stroke=stroke,
                    display=place[stroke],
                )
            notes.append(n)
        bars.append(dataclasses.replace(bar, notes=tuple(notes), fifths=0, clef=("percussion", 2, 0)))
    drum = dataclasses.replace(
        part, name="Drums", instrument="Drums", diatonic=0, chromatic=0, bars=tuple(bars), percussion=True
    )
    return dataclasses.replace(score, parts=(drum,))


def _misstruck(
    line: PerformedPart, names: tuple[str, ...], plans: tuple[Any, ...], rng: np.random.Generator
) -> dict[int, str]:
    """One or two notes away from every other fault, struck on another line."""
    used = {k for p in plans for k in range(p.at - 2, p.at + p.count + 2)}
    free = [i for i in range(1, len(line.main_notes) - 1) if i not in used]
    count = int(rng.integers(0, 3))
    if not free or not count:
        return {}
    chosen = rng.choice(free, size=min(count, len(free)), replace=False)
    return {
        int(i): str(rng.choice([n for n in names if n != line.main_notes[int(i)].written.stroke]))
        for i in chosen
    }


def _manner(rng: np.random.Generator, bpm: float, rough: bool, click: bool) -> Manner:
    return Manner(
        bpm=bpm,
        drift=float(rng.uniform(0.02, 0.04) if rough else rng.uniform(0.008, 0.022)),
        jitter_s=float(rng.uniform(0.012, 0.022) if rough else rng.uniform(0.005, 0.013)),
        tongued_share=float(rng.uniform(0.8, 0.95)),
        tuning_cents=float(rng.uniform(-6, 6)),
        spread_cents=float(rng.uniform(8, 12) if rough else rng.uniform(3, 7)),
        vibrato_cents=float(rng.choice([0.0, 8.0, 15.0])),
        lead_s=float(rng.uniform(1.0, 2.5)),
        grace_s=float(rng.uniform(0.06, 0.11)),
        grace_on_beat=bool(rng.random() < 0.3),
        trill_s=float(rng.uniform(0.065, 0.11)),
        upper_start=bool(rng.random() < 0.4),
        click_bpm=bpm if click else 0.0,
    )


def _record(
    dry: npt.NDArray[np.float32],
    rate: int,
    line: PerformedPart,
    played: Performance,
    manner: Manner,
    rng: np.random.Generator,
    rough: bool,
    seed: int,
    click: bool,
) -> tuple[npt.NDArray[np.float32], list[str]]:
    conditions: list[str] = []
    loud = dry[np.abs(dry) > 0.05 * np.abs(dry).max()]
    level = float(np.sqrt((loud**2).mean()))
    x = dry.copy()
    draw = rng.random
    beat_s = 60.0 / manner.bpm * float(line.beat)
    first = manner.lead_s
    if click:
        conditions.append("click")
        times = list(
            np.arange(first - 2 * beat_s if first > 2 * beat_s else first, played.seconds - 0.5, beat_s)
        )
        noises.clicks(x, rate, times, level * float(rng.uniform(0.15, 0.4)), 0)
    elif draw() < 0.4 and first > 1.2:
        count = [t for t in first - beat_s * np.arange(4, 0, -1) if t > 0.1]
        conditions.append("spoken count-in")
        noises.say(
            x,
            rate,
            [float(t) for t in count],
            min(0.3, 0.6 * beat_s),
            level * float(rng.uniform(0.2, 0.6)),
            rng,
        )
    if draw() < 0.15 and line.rests:
        said = []
        for r in line.rests:
            before = [i for i, n in enumerate(line.main_notes) if n.end <= r.onset]
            t = played.notes[before[-1]] if before else None
            if t is not None and t.off_s is not None and float(r.duration) * 60 / manner.bpm > 0.5:
                said.append(t.off_s + 0.12)
        if said:
            conditions.append("spoken rest")
            noises.say(x, rate, said, 0.25, level * float(rng.uniform(0.15, 0.35)), rng)
    if draw() < 0.2:
        conditions.append("page")
        noises.pages(
            x, rate, float(rng.uniform(0.5, played.seconds - 1)), level * float(rng.uniform(0.05, 0.2)), rng
        )
    if draw() < 0.12:
        conditions.append("fan")
        noises.fan(x, rate, level * 10 ** (float(rng.uniform(-34, -24)) / 20), rng)
    room = Room(
        float(rng.uniform(0.5, 1.2) if rough else rng.uniform(0.2, 0.6)),
        float(rng.uniform(0.2, 0.4) if rough else rng.uniform(0.1, 0.25)),
        float(rng.uniform(14, 30) if rough else rng.uniform(26, 48)),
        float(rng.uniform(-50, -32)) if draw() < 0.2 else -90.0,
    )
    conditions.append("reverberant" if room.rt60_s > 0.6 else "dry")
    conditions.append("noisy" if room.snr_db < 26 else "quiet")
    if room.hum_db > -80:
        conditions.append("hum")
    x = put_in_room(x, rate, room, seed)
    if draw() < 0.08:
        conditions.append("clipped")
        x = noises.clip(x, float(rng.uniform(0.4, 0.7)))
    return x, conditions
