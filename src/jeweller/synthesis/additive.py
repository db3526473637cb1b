"""A second sound source, independent of the sampled one: winds by additive synthesis, a source with a
spectrum that follows loudness and formants.

Every voice has its own spectrum, attack and unsteadiness, drawn from its seed, so that an ear cannot lean on
one sound.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.synthesis.sampler import RELEASE_S, Tone, bend, breath, speaks_after

Array = npt.NDArray[np.float32]
RATE = 32000
MAX_PARTIALS = 24


@dataclass(frozen=True, kw_only=True)
class FormantVoice:
    """One synthetic instrument. Formants are (Hz, width Hz, gain)."""

    slope_db: float  # per octave above the knee
    knee_hz: float
    odd_only_db: float = 0.0  # by so much the even partials are weaker in the low register
    formants: tuple[tuple[float, float, float], ...] = ()
    air: float = 0.02  # breath noise
    attack_s: float = 0.03
    bite: float = 0.1  # noise of the tongue
    bloom: float = 0.0  # how much later high partials speak
    jitter_cents: float = 3.0
    ripple_db: float = 2.5  # partial to partial, note to note


# By the table's sound names: (slope, knee, odd, formants, air, attack, bite, bloom)
_KINDS: dict[str, FormantVoice] = {
    "flute": FormantVoice(
        slope_db=-15, knee_hz=500, odd_only_db=0, formants=(), air=0.05, attack_s=0.045, bite=0.06
    ),
    "recorder": FormantVoice(
        slope_db=-20, knee_hz=700, odd_only_db=4, formants=(), air=0.03, attack_s=0.02, bite=0.08
    ),
    "oboe": FormantVoice(
        slope_db=-7,
        knee_hz=700,
        odd_only_db=0,
        formants=((1050, 350, 3.0), (2800, 700, 1.6)),
        air=0.01,
        attack_s=0.022,
        bite=0.08,
    ),
    "clarinet": FormantVoice(
        slope_db=-9,
        knee_hz=900,
        odd_only_db=22,
        formants=((1500, 700, 1.2),),
        air=0.015,
        attack_s=0.025,
        bite=0.06,
    ),
    "bassoon": FormantVoice(
        slope_db=-9,
        knee_hz=350,
        odd_only_db=0,
        formants=((480, 140, 3.5), (1150, 300, 1.5)),
        air=0.012,
        attack_s=0.028,
        bite=0.08,
    ),
    "alto-saxophone": FormantVoice(
        slope_db=-8,
        knee_hz=600,
        odd_only_db=0,
        formants=((750, 250, 2.2), (1700, 500, 1.4)),
        air=0.03,
        attack_s=0.03,
        bite=0.10,
    ),
    "tenor-saxophone": FormantVoice(
        slope_db=-8,
        knee_hz=450,
        odd_only_db=0,
        formants=((550, 200, 2.2), (1300, 450, 1.4)),
        air=0.03,
        attack_s=0.032,
        bite=0.10,
    ),
    "trumpet": FormantVoice(
        slope_db=-7,
        knee_hz=1200,
        odd_only_db=0,
        formants=((1300, 700, 1.5),),
        air=0.012,
        attack_s=0.022,
        bite=0.12,
        bloom=0.6,
    ),
    "horn": FormantVoice(
        slope_db=-13,
        knee_hz=450,
        odd_only_db=0,
        formants=((450, 250, 1.5),),
        air=0.015,
        attack_s=0.045,
        bite=0.05,
        bloom=0.8,
    ),
    "trombone": FormantVoice(
        slope_db=-8,
        knee_hz=650,
        odd_only_db=0,
        formants=((600, 300, 1.5),),
        air=0.012,
        attack_s=0.03,
        bite=0.10,
        bloom=0.7,
    ),
    "euphonium": FormantVoice(
        slope_db=-12,
        knee_hz=400,
        odd_only_db=0,
        formants=((350, 200, 1.4),),
        air=0.012,
        attack_s=0.035,
        bite=0.05,
        bloom=0.7,
    ),
    "tuba": FormantVoice(
        slope_db=-12,
        knee_hz=260,
        odd_only_db=0,
        formants=((240, 140, 1.4),),
        air=0.012,
        attack_s=0.04,
        bite=0.05,
        bloom=0.7,
    ),
}


def voice(sound: str, seed: int) -> FormantVoice:
    """One player's instrument of a kind: the kind's spectrum, moved within what instruments of that kind
    differ by.
    """
    rng = np.random.default_rng((seed, 991))
    v = _KINDS.get(sound, _KINDS["flute"])

    def f(spread: float) -> float:
        return math.exp(spread * rng.standard_normal())

    return FormantVoice(
        slope_db=v.slope_db * f(0.15),
        knee_hz=v.knee_hz * f(0.2),
        odd_only_db=v.odd_only_db * f(0.15),
        formants=tuple((hz * f(0.12), w * f(0.2), g * f(0.2)) for hz, w, g in v.formants),
        air=v.air * f(0.5),
        attack_s=v.attack_s * f(0.3),
        bite=v.bite * f(0.5),
        bloom=v.bloom * f(0.3),
        jitter_cents=v.jitter_cents * f(0.4),
        ripple_db=v.ripple_db * f(0.3),
    )


def render(
    tones: list[Tone],
    of: FormantVoice,
    seconds: float,
    seed: int = 0,
    spoken: dict[float, float] | None = None,
) -> Array:
    """All tones added up at RATE, shape (seconds * RATE,). `spoken` as in the sampler."""
    out = np.zeros(int(seconds * RATE) + 1, np.float32)
    rng = np.random.default_rng((seed, 17))
    ripple = of.ripple_db * rng.standard_normal((128, MAX_PARTIALS))
    for k, tone in enumerate(tones):
        joined = k + 1 < len(tones) and tones[k + 1].slurred and tones[k + 1].on_s <= tone.off_s + 0.005
        wave = _tone(tone, of, ripple, 0.025 if joined else RELEASE_S * 0.8, rng)
        if spoken is not None:
            spoken[tone.on_s] = tone.on_s + speaks_after(wave, RATE)
        start = max(0, int(tone.on_s * RATE))
        stop = min(len(out), start + len(wave))
        if stop > start:
            out[start:stop] += wave[: stop - start]
    return 0.25 * out


def _spectrum(
    of: FormantVoice, hz: float, count: int, ripple: npt.NDArray[np.float64], level_db: float
) -> npt.NDArray[np.float64]:
    k = np.arange(1, count + 1)
    f = k * hz
    # Louder is brighter.
    knee = of.knee_hz * 2 ** (level_db / 12)
    db = of.slope_db * np.log2(np.maximum(f / knee, 1.0)) - 1.5 * np.log2(k)
    db = db + np.where(k % 2 == 0, -of.odd_only_db * np.clip(1.6 - hz / 500.0, 0.1, 1.0), 0.0)
    gain = 10 ** ((db + ripple[:count]) / 20)
    for at, width, strength in of.formants:
        gain = gain * (1 + (strength - 1) * np.exp(-0.5 * ((f - at) / width) ** 2))
    return gain / math.sqrt(float((gain**2).sum()))


def _tone(
    tone: Tone, of: FormantVoice, ripple: npt.NDArray[np.float64], release: float, rng: np.random.Generator
) -> Array:
    length = max(tone.off_s - tone.on_s, 0.02)
    n = int((length + release) * RATE)
    t = np.arange(n) / RATE
    bent, waver = bend(tone, t, length)
    steps = rng.standard_normal(n // 320 + 2)
    wander = np.convolve(steps, np.ones(6) / 6, mode="same") * of.jitter_cents * 1.5
    cents = bent + np.interp(np.arange(n), np.arange(len(wander)) * 320, wander)
    hz = 440.0 * 2 ** ((tone.midi - 69 + cents / 100) / 12)
    phase = 2 * np.pi * np.cumsum(hz) / RATE
    base = float(hz[n // 2])
    count = int(np.clip(0.45 * RATE / base, 1, MAX_PARTIALS))
    gains = _spectrum(of, base, count, ripple[round(tone.midi) % 128], tone.level_db)
    attack = 0.018 if tone.slurred else of.attack_s * (1.0 if base > 150 else 1.4)
    wave = np.zeros(n)
    first = np.exp(1j * phase)
    partial = np.ones(n, np.complex128)
    for k in range(count):
        partial *= first  # turns k + 1 times as fast
        if gains[k] < 0.003:
            continue
        turned = gains[k] * np.exp(0.7j * k * k)
        sound = turned.imag * partial.real + turned.real * partial.imag
        grown = t[: int(attack * (1.0 + of.bloom * k / 6.0) * RATE) + 1] / (
            attack * (1.0 + of.bloom * k / 6.0)
        )
        sound[: len(grown)] *= np.minimum(grown, 1.0) ** 1.5
        wave += sound
    noise = breath(tone, n, RATE)
    wave += (of.air + 0.9 * tone.fuzz) * noise
    if not tone.slurred:
        wave += of.bite * noise[::-1] * np.exp(-t / 0.012) * np.clip(t / 0.002, 0, 1)
    envelope = np.clip((length + release - t) / release, 0.0, 1.0) ** 1.5
    return (wave * envelope * 10 ** ((tone.level_db + waver) / 20)).astype(np.float32)
