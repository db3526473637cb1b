"""What else gets into a recording: speech, clicks, pages, hum, a fan, another player, clipping. Each adds to
a buffer in place of silence.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float32]


def _put(out: Array, at_s: float, sound: npt.NDArray[np.float64], rate: int) -> None:
    a = max(0, int(at_s * rate))
    b = min(len(out), a + len(sound))
    if b > a:
        out[a:b] += sound[: b - a].astype(np.float32)


def _resonance(x: npt.NDArray[np.float64], hz: float, width: float, rate: int) -> npt.NDArray[np.float64]:
    from scipy.signal import lfilter

    r = np.exp(-np.pi * width / rate)
    return np.asarray(lfilter([1 - r], [1, -2 * r * np.cos(2 * np.pi * hz / rate), r * r], x))


def word(seconds: float, pitch_hz: float, rate: int, rng: np.random.Generator) -> npt.NDArray[np.float64]:
    """One spoken syllable: a buzz with a falling pitch through two formants, a hiss before or after it. RMS
    about 1.
    """
    n = int(seconds * rate)
    t = np.arange(n) / rate
    hz = pitch_hz * (1.12 - 0.25 * t / seconds)
    phase = np.cumsum(hz) / rate
    pulses = np.diff(np.floor(phase), prepend=0.0)
    first, second = rng.uniform(300, 750), rng.uniform(900, 2200)
    x = _resonance(pulses, first, 90, rate) + 0.6 * _resonance(pulses, second, 140, rate)
    x *= np.sin(np.pi * np.clip(t / seconds, 0, 1)) ** 0.6
    hiss = rng.standard_normal(n) * np.exp(
        -(((t - rng.choice([0.05, 0.85]) * seconds) / (0.12 * seconds)) ** 2)
    )
    x = x / (x.std() + 1e-9) + 0.25 * (hiss - np.convolve(hiss, np.ones(5) / 5, mode="same"))
    return np.asarray(x / (x.std() + 1e-9))


def say(
    out: Array, rate: int, times: list[float], seconds: float, level: float, rng: np.random.Generator
) -> None:
    """Words at given times, one voice."""
    pitch = float(rng.choice([120.0, 190.0, 230.0])) * float(rng.uniform(0.9, 1.1))
    for at in times:
        _put(
            out,
            at,
            level
            * word(
                seconds * float(rng.uniform(0.85, 1.15)), pitch * float(rng.uniform(0.93, 1.07)), rate, rng
            ),
            rate,
        )


def clicks(
    out: Array, rate: int, times: list[float], level: float, accent_every: int, hz: float = 1600.0
) -> None:
    """A metronome."""
    n = int(0.05 * rate)
    t = np.arange(n) / rate
    for k, at in enumerate(times):
        f = hz * (1.35 if accent_every and k % accent_every == 0 else 1.0)
        _put(out, at, 2.2 * level * np.sin(2 * np.pi * f * t) * np.exp(-t / 0.008), rate)


def pages(out: Array, rate: int, at_s: float, level: float, rng: np.random.Generator) -> None:
    n = int(rng.uniform(0.25, 0.6) * rate)
    t = np.linspace(0, 1, n)
    noise = rng.standard_normal(n)
    noise -= np.convolve(noise, np.ones(9) / 9, mode="same")
    flutter = 0.4 + 0.6 * np.abs(np.sin(2 * np.pi * rng.uniform(5, 9) * t + 2 * t**2))
    _put(out, at_s, level * noise * np.sin(np.pi * t) * flutter, rate)


def cough(out: Array, rate: int, at_s: float, level: float, rng: np.random.Generator) -> None:
    """Two or three bursts of breath through an open mouth."""
    at = at_s
    for k in range(int(rng.integers(2, 4))):
        seconds = float(rng.uniform(0.1, 0.22))
        t = np.arange(int(seconds * rate)) / rate
        burst = _resonance(rng.standard_normal(len(t)), float(rng.uniform(450, 900)), 250, rate)
        burst += 0.5 * _resonance(rng.standard_normal(len(t)), float(rng.uniform(1300, 2400)), 500, rate)
        burst *= np.exp(-t / (0.35 * seconds)) * np.minimum(t / 0.008, 1.0)
        _put(out, at, level * (1.0 if k == 0 else 0.6) * burst / (burst.std() + 1e-9), rate)
        at += seconds + float(rng.uniform(0.05, 0.15))


def chair(out: Array, rate: int, at_s: float, level: float, rng: np.random.Generator) -> None:
    """A chair that is moved: a knock, then a scrape that squeals a little."""
    t = np.arange(int(0.06 * rate)) / rate
    knock = rng.standard_normal(len(t)) * np.exp(-t / 0.012)
    _put(out, at_s, 1.6 * level * knock, rate)
    seconds = float(rng.uniform(0.25, 0.6))
    t = np.arange(int(seconds * rate)) / rate
    hz = float(rng.uniform(280, 900)) * (1.0 + 0.15 * np.cumsum(rng.standard_normal(len(t))) / rate**0.5)
    stick = np.sign(np.sin(2 * np.pi * np.cumsum(hz) / rate)) * (rng.random(len(t)) < 0.7)
    scrape = _resonance(stick + 0.8 * rng.standard_normal(len(t)), float(rng.uniform(500, 1500)), 600, rate)
    scrape *= np.sin(np.pi * t / seconds) ** 0.5
    _put(out, at_s + 0.08, level * scrape / (scrape.std() + 1e-9), rate)


def automatic_gain(out: Array, rate: int, most_db: float = 14.0) -> Array:
    """What a recorder that sets its own level makes of a sound: soft stretches are raised slowly, by
    `most_db` at most, and loud ones brought down at once.
    """
    from scipy.ndimage import maximum_filter1d, uniform_filter1d

    hop = int(0.01 * rate)
    frames = np.abs(np.pad(out, (0, -len(out) % hop))).reshape(-1, hop).max(axis=1) + 1e-6
    held = uniform_filter1d(maximum_filter1d(frames, 60), 80)  # rises within 0.3 s, falls within 0.8 s
    gain = np.clip(held.max() / held, 1.0, 10 ** (most_db / 20))
    every = np.interp(np.arange(len(out)), np.arange(len(gain)) * hop, gain)
    return (out * every * (0.7 / (np.abs(out * every).max() + 1e-9))).astype(np.float32)


def fan(out: Array, rate: int, level: float, rng: np.random.Generator) -> None:
    from scipy.signal import lfilter

    noise = np.asarray(lfilter([0.02], [1, -0.98], rng.standard_normal(len(out))))
    t = np.arange(len(out)) / rate
    blade = np.sin(2 * np.pi * 98.0 * t) + 0.4 * np.sin(2 * np.pi * 196.0 * t + 1)
    out += (level * (noise / (noise.std() + 1e-9) + 0.25 * blade)).astype(np.float32)


def clip(out: Array, share: float) -> Array:
    """Cut at `share` of the peak, as an overdriven microphone does."""
    top = share * float(np.abs(out).max())
    return np.clip(out, -top, top)
