"""Sounds without pitch: claps, taps and drums, each stroke a little different. Made from noise and decaying
tones; nothing of it is known to the ear.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.audio.formats import PLAYBACK_RATE

RATE = PLAYBACK_RATE


@dataclass(frozen=True)
class StruckSound:
    """One thing to strike: decaying tones (Hz, seconds to a third, share) and a band of noise (Hz from, to,
    seconds to a third, share).
    """

    tones: tuple[tuple[float, float, float], ...]
    noise: tuple[float, float, float, float]


KINDS = {
    "Clap": StruckSound((), (700.0, 4500.0, 0.018, 1.0)),
    "Tap": StruckSound(((420.0, 0.012, 0.7),), (300.0, 3000.0, 0.008, 0.6)),
    "Snare drum": StruckSound(((185.0, 0.06, 0.6), (330.0, 0.04, 0.3)), (900.0, 9000.0, 0.07, 1.0)),
    "Bass drum": StruckSound(((62.0, 0.16, 1.0), (97.0, 0.08, 0.4)), (60.0, 900.0, 0.02, 0.5)),
    "Suspended cymbal": StruckSound(((3150.0, 0.3, 0.1), (5230.0, 0.3, 0.1)), (2500.0, 12000.0, 0.25, 1.0)),
}


def tuned(kind: str, seed: int) -> StruckSound:
    """This player's own copy of it: another size and another head."""
    rng = np.random.default_rng((seed, sum(map(ord, kind))))
    s, up, longer = KINDS[kind], float(rng.uniform(0.82, 1.22)), float(rng.uniform(0.75, 1.35))
    low, high, fall, share = s.noise
    return StruckSound(
        tuple((hz * up, decay * longer, part) for hz, decay, part in s.tones),
        (low * up, min(high * up, 0.45 * RATE), fall * longer, share),
    )


def strike(struck: StruckSound, level: float, rng: np.random.Generator) -> npt.NDArray[np.float64]:
    """One stroke at RATE, about `level` at its peak."""
    from scipy.signal import butter, sosfilt

    low, high, fall, share = struck.noise
    longest = max([fall, *(d for _, d, _ in struck.tones)])
    n = round(5 * longest * RATE)
    t = np.arange(n) / RATE
    hiss = sosfilt(butter(2, (low, high), "bandpass", fs=RATE, output="sos"), rng.standard_normal(n))
    x = share * hiss / (np.abs(hiss).max() + 1e-9) * np.exp(-t / fall)
    for hz, decay, part in struck.tones:
        x = x + part * np.sin(2 * np.pi * hz * rng.uniform(0.985, 1.015) * t + rng.uniform(0, 0.5)) * np.exp(
            -t / (decay * rng.uniform(0.85, 1.15))
        )
    x[: round(0.001 * RATE)] *= np.linspace(0.0, 1.0, round(0.001 * RATE))
    return np.asarray(level * x / (np.abs(x).max() + 1e-9))


def render(strokes: list[tuple[float, str, float]], seconds: float, seed: int) -> npt.NDArray[np.float32]:
    """(when, what, dB) → sound at RATE."""
    rng = np.random.default_rng((seed, 9))
    out = np.zeros(int(seconds * RATE), np.float32)
    own = {kind: tuned(kind, seed) for kind in {k for _, k, _ in strokes}}
    for at, kind, db in strokes:
        x = strike(own[kind], 0.3 * 10 ** ((db + rng.normal(0, 1.5)) / 20), rng)
        a = max(0, int(at * RATE))
        out[a : a + len(x)] += x[: max(0, len(out) - a)].astype(np.float32)
    return out
