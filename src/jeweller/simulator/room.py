"""Rooms and noise: what lies between a player and a phone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Room:
    """A room by its reverberation time and how much of it is heard, its noise, and hum."""

    rt60_s: float = 0.35
    wet: float = 0.18
    snr_db: float = 42.0
    hum_db: float = -90.0


def put_in_room(dry: Array, rate: int, room: Room, seed: int) -> Array:
    """Dry sound → what a microphone in the room records, peak at -3 dB. Shape kept."""
    from scipy import fft as sfft

    rng = np.random.default_rng(seed)
    n = int(room.rt60_s * rate)
    t = np.arange(n) / rate
    response = rng.standard_normal(n) * np.exp(-6.9 * t / room.rt60_s)
    response[: int(0.004 * rate)] = 0.0
    response *= room.wet / np.sqrt((response**2).sum() + 1e-12) * 1.6
    response = response.astype(np.float32)  # half the time, far below the noise
    size = sfft.next_fast_len(len(dry) + n, real=True)
    wet = sfft.irfft(sfft.rfft(dry, size) * sfft.rfft(response, size), size)[: len(dry)]
    out = dry + wet
    active = out[np.abs(out) > 0.05 * np.abs(out).max()]
    level = float(np.sqrt((active**2).mean())) if len(active) else 0.1
    noise = rng.standard_normal(len(out)).astype(np.float32)
    size = sfft.next_fast_len(len(noise), real=True)  # other lengths cost ten times as much
    spectrum = sfft.rfft(noise, size)
    spectrum /= np.sqrt(np.maximum(np.arange(len(spectrum), dtype=np.float32) * (rate / size), 60.0))
    noise = sfft.irfft(spectrum, size)[: len(noise)]
    noise *= level * 10 ** (-room.snr_db / 20) / (noise.std() + 1e-12)
    out = (
        out + noise + level * 10 ** (room.hum_db / 20) * np.sin(2 * np.pi * 50.0 * np.arange(len(out)) / rate)
    )
    return (out * (0.7 / (np.abs(out).max() + 1e-9))).astype(np.float32)
