"""A small sampler over the shipped wind sounds: tones of any pitch, length, loudness and joining, added into one buffer.

Samples are mono float32 at 48 kHz, recorded every three semitones, 3.2 s long; longer tones loop their second half with a crossfade.
"""

from __future__ import annotations

import functools
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.audio.decode import decode

Array = npt.NDArray[np.float32]
RATE = 48000
SOUNDS = Path(__file__).parent.parent / "assets" / "sounds"
RELEASE_S = 0.06
LOOP_FROM_S, LOOP_TO_S, CROSSFADE_S = 1.2, 2.7, 0.25
SLUR_SKIP_S = 0.12  # a slurred tone begins this far into its sample, behind the attack


@dataclass(frozen=True)
class Tone:
    """One tone. `midi` may be fractional; `level_db` relative to a full tone; `slurred` has no attack; vibrato in cents and Hz."""

    on_s: float
    off_s: float
    midi: float
    level_db: float = 0.0
    slurred: bool = False
    vibrato_cents: float = 0.0
    vibrato_hz: float = 5.0
    slide_cents: float = 0.0  # begins so far off and settles within 60 ms


@functools.lru_cache(maxsize=16)
def load_sound(name: str) -> tuple[tuple[int, Array], ...]:
    """(MIDI note, samples) of one instrument, lowest first. The truth of a tone's beginning is its sample's beginning."""
    index = json.loads((SOUNDS / "index.json").read_text(encoding="utf-8"))
    entry = index[name]
    samples = decode(SOUNDS / f"{name}.ogg", RATE).samples
    return tuple((n["midi"], samples[n["start"] : n["start"] + n["length"]]) for n in entry["notes"])


def sound_names() -> tuple[str, ...]:
    return tuple(json.loads((SOUNDS / "index.json").read_text(encoding="utf-8")))


def render(tones: list[Tone], sound: str, seconds: float, rate: int = RATE) -> Array:
    """All tones added up, shape (seconds * rate,)."""
    bank = load_sound(sound)
    out = np.zeros(int(seconds * rate) + 1, np.float32)
    for k, tone in enumerate(tones):
        joined = k + 1 < len(tones) and tones[k + 1].slurred and tones[k + 1].on_s <= tone.off_s + 0.005
        wave = _tone(tone, bank, rate, 0.025 if joined else RELEASE_S)
        start = max(0, int(tone.on_s * rate))
        stop = min(len(out), start + len(wave))
        if stop > start:
            out[start:stop] += wave[: stop - start]
    return out


def _tone(tone: Tone, bank: tuple[tuple[int, Array], ...], rate: int, release: float) -> Array:
    note, sample = min(bank, key=lambda b: abs(b[0] - tone.midi))
    length = max(tone.off_s - tone.on_s, 0.02)
    n = int((length + release) * rate)
    t = np.arange(n) / rate
    cents = (tone.midi - note) * 100.0 + tone.slide_cents * np.exp(-t / 0.03)
    if tone.vibrato_cents:
        cents = cents + tone.vibrato_cents * np.clip((t - 0.25) / 0.3, 0, 1) * np.sin(2 * np.pi * tone.vibrato_hz * t)
    speed = np.exp2(cents / 1200.0) * (RATE / rate)
    position = np.cumsum(speed) - speed[0] + (SLUR_SKIP_S * RATE if tone.slurred else 0.0)
    wave = _looped(sample, position)
    envelope = np.clip((length + release - t) / release, 0.0, 1.0) ** 1.5
    attack = 0.02 if tone.slurred else 0.002
    envelope *= np.clip(t / attack, 0.0, 1.0)
    return (wave * envelope * 10 ** (tone.level_db / 20.0)).astype(np.float32)


def _looped(sample: Array, position: npt.NDArray[np.float64]) -> Array:
    """The sample read at `position` (samples), its loop crossfaded so that no seam is heard."""
    begin, end, fade = int(LOOP_FROM_S * RATE), int(LOOP_TO_S * RATE), int(CROSSFADE_S * RATE)
    x = np.arange(len(sample))
    if position[-1] < end:
        return np.interp(position, x, sample).astype(np.float32)
    body = end - begin
    over = np.maximum(position - end, 0.0)
    inside = np.where(position < end, position, begin + over % body)
    first = np.interp(inside, x, sample)
    # Near the end of each round the beginning of the next fades in.
    left = end - inside
    mix = np.clip(1.0 - left / fade, 0.0, 1.0)
    second = np.interp(np.maximum(begin - left, 0.0), x, sample)
    return (first * np.sqrt(1.0 - mix) + second * np.sqrt(mix)).astype(np.float32)
