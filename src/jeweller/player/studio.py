"""Whole recordings with their truth: a line, a player, an instrument, a room and a microphone, all drawn from one seed.

Three sets share nothing: other tunes, other sounds, other rooms, other seeds. *tune* is looked at as often as one likes, *validation* chooses
between designs, *test* says how good the result is.
"""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.instruments.table import Instrument, instruments
from jeweller.player import noises, sampler, synth
from jeweller.player.compose import Style, compose
from jeweller.player.faults import GATHERED, plan_faults
from jeweller.player.perform import Manner, Performance, perform
from jeweller.player.plan import FaultTruth
from jeweller.player.room import Room, put_in_room, write_sound
from jeweller.score.line import Line, make_line
from jeweller.score.model import Score
from jeweller.score.write import write_musicxml

SETS = {"tune": 100_000, "validation": 200_000, "test": 300_000}
# The sampled instruments of a set; the others of the set are synthetic, of voices that no other set has.
SAMPLED = {"tune": {"flute", "clarinet", "alto-saxophone", "trumpet", "trombone", "bassoon"},
           "validation": {"oboe", "tenor-saxophone", "horn", "euphonium", "tuba", "recorder"}}  # fmt: skip
VOICES = {"tune": range(12), "validation": range(100, 112), "test": range(200, 212)}
ENDINGS = (".wav", ".flac", ".ogg", ".mp3", ".m4a")


@dataclass(frozen=True)
class Take:
    """One recording with everything known about it."""

    name: str
    score: Score
    line: Line
    instrument: Instrument
    performance: Performance
    samples: npt.NDArray[np.float32]
    rate: int
    truth: dict[str, Any]
    ending: str


def make_take(kind: str, number: int, *, rough: bool = False, faults: int | None = None, kinds: tuple[str, ...] = (), style: Style | None = None,
              instrument: str | None = None, bank: Path | None = None) -> Take:  # fmt: skip
    """Take `number` of a set. `bank` is a folder of sampled sounds to use in place of those that ship (the test set's)."""
    seed = SETS[kind] + number + (50_000 if rough else 0)
    rng = np.random.default_rng((seed, 5))
    table = [i for i in instruments() if i.family in ("brass", "woodwind")]
    chosen = next(i for i in table if i.id == instrument) if instrument else table[int(rng.integers(len(table)))]
    score = compose(seed, chosen, style)
    line = make_line(score.title, score.parts[0])
    written = line.written_bpm or 90.0
    speed = float(rng.choice([1.0, rng.uniform(0.85, 1.1), rng.uniform(0.6, 0.8), rng.uniform(0.45, 0.6)], p=[0.4, 0.35, 0.15, 0.1]))
    bpm = written * speed
    click = rng.random() < 0.15
    manner = _manner(rng, bpm, rough, click)
    if faults is None:
        faults = 0 if rng.random() < (0.15 if rough else 0.35) else int(rng.integers(2, 6)) if rough else int(rng.integers(1, 4))
    plans = plan_faults(line, chosen, bpm, rng, faults, int(rng.integers(0, 3)), kinds, click=click, upper_start=manner.upper_start)
    played = perform(line, manner, plans, seed)
    sampled = (bank is not None or (kind in SAMPLED and chosen.sound in SAMPLED[kind])) and rng.random() < (0.75 if kind != "test" else 0.6)
    spoken: dict[float, float] = {}
    if sampled:
        dry, rate = sampler.render(list(played.tones), chosen.sound, played.seconds, folder=bank or sampler.SOUNDS, spoken=spoken), sampler.RATE
        sound = f"sampled {bank.name if bank else 'shipped'}"
    else:
        number_ = int(rng.choice(list(VOICES[kind])))
        dry, rate = synth.render(list(played.tones), synth.voice(chosen.sound, number_), played.seconds, seed, spoken), synth.RATE
        sound = f"synthetic {number_}"
    samples, conditions = _record(dry, rate, line, played, manner, rng, rough, seed, click)
    ending = str(rng.choice(ENDINGS, p=[0.35, 0.1, 0.2, 0.15, 0.2]))
    truth = truth_of(line, played, spoken) | {"instrument": chosen.name, "bpm": round(bpm, 2), "written_bpm": written, "sound": sound, "conditions": conditions,
                                      "rough": rough, "seed": seed, "lead": manner.lead_s}  # fmt: skip
    if any(f.kind == "trill_start" for f in played.faults):
        truth["asked"] = {"trill_first": "upper" if manner.upper_start else "main"}  # the school that is asked for
    return Take(f"{'r' if rough else ''}{number:04d}", score, line, chosen, played, samples, rate, truth, ending)


def _manner(rng: np.random.Generator, bpm: float, rough: bool, click: bool) -> Manner:
    return Manner(
        bpm=bpm, drift=float(rng.uniform(0.02, 0.04) if rough else rng.uniform(0.008, 0.022)),
        jitter_s=float(rng.uniform(0.012, 0.022) if rough else rng.uniform(0.005, 0.013)), tongued_share=float(rng.uniform(0.8, 0.95)),
        tuning_cents=float(rng.uniform(-6, 6)), spread_cents=float(rng.uniform(8, 12) if rough else rng.uniform(3, 7)),
        vibrato_cents=float(rng.choice([0.0, 8.0, 15.0])), lead_s=float(rng.uniform(1.0, 2.5)), grace_s=float(rng.uniform(0.06, 0.11)),
        grace_on_beat=bool(rng.random() < 0.3), trill_s=float(rng.uniform(0.065, 0.11)), upper_start=bool(rng.random() < 0.4),
        click_bpm=bpm if click else 0.0)  # fmt: skip


def _record(dry: npt.NDArray[np.float32], rate: int, line: Line, played: Performance, manner: Manner, rng: np.random.Generator, rough: bool, seed: int,
            click: bool) -> tuple[npt.NDArray[np.float32], list[str]]:  # fmt: skip
    conditions: list[str] = []
    loud = dry[np.abs(dry) > 0.05 * np.abs(dry).max()]
    level = float(np.sqrt((loud**2).mean()))
    x = dry.copy()
    draw = rng.random
    beat_s = 60.0 / manner.bpm * float(line.beat)
    first = manner.lead_s
    if click:
        conditions.append("click")
        times = list(np.arange(first - 2 * beat_s if first > 2 * beat_s else first, played.seconds - 0.5, beat_s))
        noises.clicks(x, rate, times, level * float(rng.uniform(0.15, 0.4)), 0)
    elif draw() < 0.4 and first > 1.2:
        count = [t for t in first - beat_s * np.arange(4, 0, -1) if t > 0.1]
        conditions.append("spoken count-in")
        noises.say(x, rate, [float(t) for t in count], min(0.3, 0.6 * beat_s), level * float(rng.uniform(0.2, 0.6)), rng)
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
        noises.pages(x, rate, float(rng.uniform(0.5, played.seconds - 1)), level * float(rng.uniform(0.05, 0.2)), rng)
    if draw() < 0.12:
        conditions.append("fan")
        noises.fan(x, rate, level * 10 ** (float(rng.uniform(-34, -24)) / 20), rng)
    room = Room(float(rng.uniform(0.5, 1.2) if rough else rng.uniform(0.2, 0.6)), float(rng.uniform(0.2, 0.4) if rough else rng.uniform(0.1, 0.25)),
                float(rng.uniform(14, 30) if rough else rng.uniform(26, 48)), float(rng.uniform(-50, -32)) if draw() < 0.2 else -90.0)  # fmt: skip
    conditions.append("reverberant" if room.rt60_s > 0.6 else "dry")
    conditions.append("noisy" if room.snr_db < 26 else "quiet")
    if room.hum_db > -80:
        conditions.append("hum")
    x = put_in_room(x, rate, room, seed)
    if draw() < 0.08:
        conditions.append("clipped")
        x = noises.clip(x, float(rng.uniform(0.4, 0.7)))
    return x, conditions


def _told(f: FaultTruth) -> dict[str, Any]:
    return {
        "kind": f.kind,
        "bar": f.bar,
        "at_s": f.at_s,
        "until_s": f.until_s,
        "cause": f.cause,
        "amount": round(f.amount, 4),
        "way": f.way,
        "notes": list(f.notes),
    }


def gather(faults: tuple[FaultTruth, ...]) -> list[dict[str, Any]]:
    """Habits (the same slip at several places) as one fault each, at their first place."""
    out: list[dict[str, Any]] = []
    groups: dict[tuple[str, str | None], dict[str, Any]] = {}
    for f in faults:
        key = (f.kind, f.cause)
        if f.kind in GATHERED and (f.kind != "missed_accidental" or f.cause == "forgot_key_signature"):
            if key in groups:
                groups[key]["until_s"] = f.until_s
                groups[key]["notes"] += list(f.notes)
                continue
            groups[key] = _told(f)
            out.append(groups[key])
        else:
            out.append(_told(f))
    return out


def truth_of(line: Line, played: Performance, spoken: dict[float, float]) -> dict[str, Any]:
    """The truth as the bench reads it; `spoken`: for every tone's beginning the moment it speaks."""
    notes = []
    for n, t in zip(line.main_notes, played.notes, strict=True):
        notes.append({"bar": n.bar, "pass": n.passing, "q": float(n.offset), "midi": n.sounding_midi, "verdict": t.verdict,
                      "on_s": None if t.on_s is None else round(spoken.get(t.on_s, t.on_s), 4),
                      "off_s": None if t.off_s is None else round(t.off_s, 4)})  # fmt: skip
    return {"notes": notes, "faults": gather(played.faults), "near": [_told(f) for f in played.near]}


def write_take(take: Take, folder: Path) -> Path:
    """Writes score.musicxml, take.* and truth.json into a folder of the take's name."""
    out = folder / take.name
    out.mkdir(parents=True, exist_ok=True)
    (out / "score.musicxml").write_bytes(write_musicxml(take.score))
    (out / "truth.json").write_text(json.dumps(take.truth), encoding="utf-8")
    samples, rate = take.samples, take.rate
    if take.ending in (".ogg",) and rate != 48000:
        from scipy.signal import resample_poly

        g = math.gcd(48000, rate)
        samples, rate = resample_poly(samples, 48000 // g, rate // g).astype(np.float32), 48000
    write_sound(out / f"take{take.ending}", samples, rate)
    return out
