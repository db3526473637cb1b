"""What beginners do, played by the simulated player: not one slip at a time but habits, half pieces, the
wrong road through a part, sounds beside the music. Each case says what a teacher would say of it.

`truth["expected"]` lists that, one entry a statement: `kinds` (any of them), `bars` it lies in, `cause` where
one is known. Whatever else is said for sure is false. A case without an entry is a clean take.
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.assets import SOUNDS
from jeweller.audio.decode import decode
from jeweller.instruments.table import Instrument
from jeweller.simulator import noises
from jeweller.simulator.classroom_case import Case
from jeweller.simulator.classroom_cases import FAMILIES, MAKERS
from jeweller.simulator.perform import Stage
from jeweller.simulator.plan import Performance
from jeweller.simulator.recordings import SETS, played_instruments
from jeweller.simulator.room import Room, put_in_room
from jeweller.simulator.truth import SimulatedTake, truth_of
from jeweller.synthesis import sampler

F = Fraction
__all__ = ["FAMILIES", "make_classroom_take", "name_classroom_case"]
Samples = npt.NDArray[np.float32]
DISTURBED = 0.12  # of the takes have a cough, of as many a chair is moved, as many have automatic gain
ENDINGS = (".wav", ".flac", ".ogg", ".mp3", ".m4a")


def make_classroom_take(
    kind: str, number: int, *, bank: Path | None = None, speech: Path | None = None
) -> SimulatedTake:
    """Take `number` of a set of the classroom. `bank`: a folder of sounds; `speech`: a folder of recorded or
    synthesised words that are heard beside the music, where there is one.
    """
    seed, family = SETS[kind] + 500_000 + number, FAMILIES[number % len(FAMILIES)]
    instrument, case, rng = _draw(seed, family, bank)
    sequence = case.sequence or [(i, False) for i in range(len(case.line.main_notes))]
    played = Stage(case.line, case.acts, sequence, {}, set(), [], case.manner, rng).play()
    silent = {i for i, t in enumerate(played.notes) if t.on_s is None and not case.acts[i].silent}
    spoken: dict[float, float] = {}
    dry = sampler.render(
        list(played.tones),
        instrument.sound,
        played.seconds + case.after_s,
        folder=bank or SOUNDS,
        spoken=spoken,
    )
    if case.beside is not None:
        case.beside(dry, sampler.RATE, played)
    if family == "beside":
        _talk(dry, played, case, rng, speech)
    conditions, chance = [], np.random.default_rng((seed, 11))
    for name, noise in (("cough", noises.cough), ("chair", noises.chair)):
        if chance.random() < DISTURBED:
            level = _level(dry) * float(chance.uniform(0.3, 0.9))
            noise(dry, sampler.RATE, float(chance.uniform(0.1, 0.95)) * played.seconds, level, chance)
            conditions.append(name)
    rough = bool(rng.random() < 0.3)
    room = Room(
        float(rng.uniform(0.5, 1.1) if rough else rng.uniform(0.2, 0.6)),
        float(rng.uniform(0.2, 0.35) if rough else rng.uniform(0.1, 0.25)),
        float(rng.uniform(20, 32) if rough else rng.uniform(30, 48)),
    )
    samples = put_in_room(dry, sampler.RATE, room, seed)
    if chance.random() < DISTURBED:
        samples = noises.automatic_gain(samples, sampler.RATE)
        conditions.append("automatic gain")
    truth = truth_of(case.line, played, spoken) | {
        "family": family,
        "case": case.name,
        "expected": case.expected,
        "heard": list(case.heard) if case.heard else None,
        "instrument": instrument.name,
        "bpm": round(case.manner.bpm, 2),
        "rough": rough,
        "conditions": conditions,
        "seed": seed,
        "sound": bank.name if bank else "shipped",
    }
    for i in silent:
        truth["notes"][i]["verdict"] = "not_heard"
    return SimulatedTake(
        name=f"k{number:04d}",
        score=case.score,
        line=case.line,
        instrument=instrument,
        performance=played,
        samples=samples,
        rate=sampler.RATE,
        truth=truth,
        ending=str(rng.choice(ENDINGS)),
    )


def name_classroom_case(kind: str, number: int) -> tuple[str, str]:
    """(which case a take is of, the id of its instrument): told without playing it.

    >>> name_classroom_case("tune", FAMILIES.index("octave"))[0]
    'register'
    """
    instrument, case, _rng = _draw(SETS[kind] + 500_000 + number, FAMILIES[number % len(FAMILIES)], None)
    return case.name, instrument.id


def _draw(seed: int, family: str, bank: Path | None) -> tuple[Instrument, Case, np.random.Generator]:
    rng = np.random.default_rng((seed, 9))
    names = {p.stem for p in (bank or SOUNDS).glob("*.ogg")}
    table = [i for i in played_instruments() if i.sound in names]
    instrument = table[int(rng.integers(len(table)))]
    return instrument, MAKERS[family](instrument, rng), rng


def _level(dry: Samples) -> float:
    """RMS of what sounds."""
    loud = dry[np.abs(dry) > 0.05 * np.abs(dry).max()]
    return float(np.sqrt((loud**2).mean())) if len(loud) else 0.1


def _talk(
    dry: Samples, played: Performance, case: Case, rng: np.random.Generator, speech: Path | None
) -> None:
    level = _level(dry) * float(rng.uniform(0.3, 0.8))
    ends = [t.off_s for t in played.notes if t.off_s is not None]
    first, last = min(t.on_s for t in played.notes if t.on_s is not None), max(ends)
    if case.name == "talk after":
        at = last + float(rng.uniform(0.5, 1.2))
    elif case.name in ("talk before", "count"):
        at = 0.3
    else:
        return
    files = sorted(speech.glob("*.wav")) if speech is not None else []
    if files and case.name != "count":
        words = decode(files[int(rng.integers(len(files)))], sampler.RATE).samples
        room = int((first - 0.5 - at) * sampler.RATE) if case.name == "talk before" else len(dry)
        words = words[: max(0, min(room, len(dry) - int(at * sampler.RATE)))]
        if len(words):
            start = int(at * sampler.RATE)
            dry[start : start + len(words)] += words / (float(words.std()) + 1e-9) * level * 0.7
        return
    beat = case.local
    times = (
        [first - beat * k for k in (4, 3, 2, 1) if first - beat * k > 0.1]
        if case.name == "count"
        else [at + 0.32 * k for k in range(7)]
    )
    noises.say(dry, sampler.RATE, times, min(0.28, 0.5 * beat), level, rng)
