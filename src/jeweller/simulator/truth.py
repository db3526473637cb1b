"""What is known of a simulated take: its notes, its faults; and the take as files."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.audio.encode import write_sound
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.simulator.faults import GATHERED
from jeweller.simulator.perform import Performance
from jeweller.simulator.plan import FaultTruth


def tell_note(f: FaultTruth) -> dict[str, Any]:
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


@dataclass(frozen=True, kw_only=True)
class SimulatedTake:
    """One recording with everything known about it."""

    name: str
    score: Score
    line: PerformedPart
    instrument: Instrument
    performance: Performance
    samples: npt.NDArray[np.float32]
    rate: int
    truth: dict[str, Any]
    ending: str


def gather_faults(faults: tuple[FaultTruth, ...]) -> list[dict[str, Any]]:
    """Habits (the same slip at several places) as one fault each, at their first place."""
    out: list[dict[str, Any]] = []
    groups: dict[tuple[str, str | None, float, str], dict[str, Any]] = {}
    for f in faults:
        # Two letters of a key signature forgotten are two habits.
        key = (f.kind, f.cause, f.amount if f.cause == "neighbour_fingering" else 0.0, f.way)
        habit = f.kind in GATHERED and (f.kind != "missed_accidental" or f.cause == "forgot_key_signature")
        if habit or f.cause == "neighbour_fingering":
            if key in groups:
                groups[key]["until_s"] = f.until_s
                groups[key]["notes"] += list(f.notes)
                continue
            groups[key] = tell_note(f)
            out.append(groups[key])
        else:
            out.append(tell_note(f))
    return out


def truth_of(line: PerformedPart, played: Performance, spoken: dict[float, float]) -> dict[str, Any]:
    """The truth as the bench reads it; `spoken`: for every tone's beginning the moment it speaks."""
    notes = []
    for n, t in zip(line.main_notes, played.notes, strict=True):
        notes.append(
            {
                "bar": n.bar,
                "pass": n.passing,
                "q": float(n.offset),
                "midi": n.sounding_midi,
                "verdict": t.verdict,
                "on_s": None if t.on_s is None else round(spoken.get(t.on_s, t.on_s), 4),
                "off_s": None if t.off_s is None else round(t.off_s, 4),
            }
        )
    return {
        "notes": notes,
        "faults": gather_faults(played.faults),
        "near": [tell_note(f) for f in played.near],
    }


def write_take(take: SimulatedTake, folder: Path) -> Path:
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
