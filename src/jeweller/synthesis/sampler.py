"""A small sampler over the shipped wind sounds: tones of any pitch, length, loudness and joining, added into
one buffer.

Samples are mono float32 at 48 kHz, recorded every three semitones, 3.2 s long; longer tones loop their second
half with a crossfade.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.assets import SOUNDS
from jeweller.audio.decode import decode
from jeweller.audio.formats import PLAYBACK_RATE
from jeweller.files import parse_json

Array = npt.NDArray[np.float32]
RATE = PLAYBACK_RATE
RELEASE_S = 0.06
SPOKEN_SHARE = 0.5  # of its own amplitude: from here a tone speaks
LOOP_FROM_S, LOOP_TO_S, CROSSFADE_S = 1.2, 2.7, 0.25
SLUR_SKIP_S = 0.12  # a slurred tone begins this far into its sample, behind the attack


@dataclass(frozen=True, kw_only=True)
class Tone:
    """One tone. `midi` may be fractional; `level_db` relative to a full tone; `slurred` has no attack;
    vibrato in cents and Hz.
    """

    on_s: float
    off_s: float
    midi: float
    level_db: float = 0.0
    slurred: bool = False
    vibrato_cents: float = 0.0
    vibrato_hz: float = 5.0
    slide_cents: float = 0.0  # begins so far off and settles within 60 ms
    sag_cents: float = 0.0  # lost by its end, with loudness
    wobble_cents: float = 0.0  # irregular waver of pitch and loudness
    fuzz: float = 0.0  # share of breath noise in the sound
    seed: int = 0  # of what is irregular in it


def bend(
    tone: Tone, t: npt.NDArray[np.float64], length: float
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """(cents, dB) over the time of a tone: slide, vibrato, sag and waver."""
    cents = tone.slide_cents * np.exp(-t / 0.03)
    level = np.zeros_like(t)
    if tone.vibrato_cents:
        cents = cents + tone.vibrato_cents * np.clip((t - 0.25) / 0.3, 0, 1) * np.sin(
            2 * np.pi * tone.vibrato_hz * t
        )
    if tone.sag_cents:
        way = np.clip(t / max(length, 0.1), 0.0, 1.0) ** 1.6
        cents, level = cents - tone.sag_cents * way, level - tone.sag_cents * 0.16 * way
    if tone.wobble_cents:
        rng = np.random.default_rng(tone.seed)
        rates, phases = rng.uniform(1.2, 4.5, 5), rng.uniform(0, 2 * np.pi, 5)
        waver = np.sin(2 * np.pi * rates[:, None] * t + phases[:, None]).sum(axis=0) / np.sqrt(2.5)
        cents, level = (
            cents + tone.wobble_cents * waver,
            level + 0.1 * tone.wobble_cents * np.roll(waver, len(t) // 7),
        )
    return cents, level


def breath(tone: Tone, n: int, rate: int) -> Array:
    """Breath noise, roughly of the tone's own loudness."""
    rng = np.random.default_rng(tone.seed)
    noise = rng.standard_normal(n + 8)
    noise = (
        np.convolve(noise, [0.25, 0.5, 0.25], mode="same")[:n]
        - 0.9 * np.convolve(noise, np.ones(8) / 8, mode="same")[:n]
    )
    return noise.astype(np.float32)


@functools.lru_cache(maxsize=16)
def load_sound(name: str, folder: Path = SOUNDS) -> tuple[tuple[float, Array], ...]:
    """(pitch as recorded in MIDI notes, samples) of one instrument, lowest first. The truth of a tone's
    beginning is its sample's beginning.
    """
    index = parse_json((folder / "index.json").read_text(encoding="utf-8"))
    entry = index[name]
    samples = decode(folder / f"{name}.ogg", RATE).samples
    return tuple(
        (n["midi"] + 0.01 * n["cents"], samples[n["start"] : n["start"] + n["length"]])
        for n in entry["notes"]
    )


def sound_names() -> tuple[str, ...]:
    return tuple(parse_json((SOUNDS / "index.json").read_text(encoding="utf-8")))


def speaks_after(wave: Array, rate: int) -> float:
    """Seconds from the beginning of a tone to where it speaks: it reaches half of the amplitude it soon has.
    Winds take 5 to 40 ms.
    """
    span = max(1, rate // 200)
    head = wave[: int(0.4 * rate)].astype(np.float64)
    level = np.sqrt(np.convolve(head**2, np.ones(span) / span, mode="same"))
    return float(np.argmax(level >= SPOKEN_SHARE * np.percentile(level, 80))) / rate


def render(
    tones: list[Tone],
    sound: str,
    seconds: float,
    rate: int = RATE,
    folder: Path = SOUNDS,
    spoken: dict[float, float] | None = None,
) -> Array:
    """All tones added up, shape (seconds * rate,). `spoken` is given, for every tone's beginning, the moment
    it speaks.
    """
    bank = load_sound(sound, folder)
    out = np.zeros(int(seconds * rate) + 1, np.float32)
    for k, tone in enumerate(tones):
        joined = k + 1 < len(tones) and tones[k + 1].slurred and tones[k + 1].on_s <= tone.off_s + 0.005
        wave = _tone(tone, bank, rate, 0.025 if joined else RELEASE_S)
        if spoken is not None:
            spoken[tone.on_s] = tone.on_s + speaks_after(wave, rate)
        start = max(0, int(tone.on_s * rate))
        stop = min(len(out), start + len(wave))
        if stop > start:
            out[start:stop] += wave[: stop - start]
    return out


def _tone(tone: Tone, bank: tuple[tuple[float, Array], ...], rate: int, release: float) -> Array:
    note, sample = min(bank, key=lambda b: abs(b[0] - tone.midi))
    length = max(tone.off_s - tone.on_s, 0.02)
    n = int((length + release) * rate)
    t = np.arange(n) / rate
    bent, waver = bend(tone, t, length)
    cents = (tone.midi - note) * 100.0 + bent
    speed = np.exp2(cents / 1200.0) * (RATE / rate)
    position = np.cumsum(speed) - speed[0] + (SLUR_SKIP_S * RATE if tone.slurred else 0.0)
    wave = _looped(sample, position)
    envelope = np.clip((length + release - t) / release, 0.0, 1.0) ** 1.5
    attack = 0.02 if tone.slurred else 0.002
    envelope *= np.clip(t / attack, 0.0, 1.0)
    if tone.fuzz:
        wave = wave * (1.0 - 0.5 * tone.fuzz) + tone.fuzz * float(np.std(wave)) * 1.6 * breath(tone, n, rate)
    return (wave * envelope * 10 ** ((tone.level_db + waver) / 20.0)).astype(np.float32)


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
