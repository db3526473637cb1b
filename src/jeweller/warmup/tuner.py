"""The pitch of one steady tone, exact enough to tune by.

A first estimate is the lag at which the sound is most like itself (the normalised square difference by FFT,
the first maximum nearly as high as the highest: so no octave below is taken). It is made exact by phases:
between two windows a moment apart the phase of each partial turns by its frequency, far more exactly than any
peak of a spectrum shows it. Each partial says what the fundamental is; they are joined by how exactly each
can say it.
"""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import fft

from jeweller.warmup.settings import TUNER_LIMITS

Samples = npt.NDArray[np.float32]
Real = npt.NDArray[np.float64]


@dataclass(frozen=True)
class PitchReading:
    """What sounded in the window that ends at `at_s` (seconds since the first frame).

    `hz` is None where no tone stands out; `clarity`: likeness of the sound with itself a period on, up to 1;
    `level_db`: of the window, dB below full scale; `spread_cents`: how far the partials disagree.
    """

    at_s: float
    hz: float | None
    clarity: float
    level_db: float
    spread_cents: float = 0.0


class Tuner:
    """Takes sound as it comes and says what sounds `per_second` times a second.

    >>> tone = np.sin(2 * np.pi * 440.0 * np.arange(22050) / 44100).astype(np.float32)
    >>> readings = Tuner(44100).push(tone)
    >>> abs(readings[-1].hz - 440.0) < 0.05
    True
    """

    def __init__(self, rate: int, per_second: float = 20.0) -> None:
        self.rate = rate
        self.hop = round(rate / per_second)
        self.apart = round(TUNER_LIMITS.apart_s * rate)
        self.window = round(TUNER_LIMITS.window_s * rate)
        self._size = fft.next_fast_len(2 * self.window, real=True)
        self._bins = fft.next_fast_len(self.window, real=True)
        self._taper = np.hanning(self.window)
        self._kept: Real = np.zeros(0)
        self._done = 0  # frames that are gone from `_kept`

    def push(self, block: Samples) -> list[PitchReading]:
        """Takes the next block (mono, -1..1); the readings that are due by its end."""
        self._kept = np.concatenate([self._kept, block.astype(np.float64)])
        needed, out = self.window + self.apart, []
        while len(self._kept) >= needed:
            at = (self._done + needed) / self.rate
            out.append(self._read(self._kept[:needed], at))
            self._kept, self._done = self._kept[self.hop :], self._done + self.hop
        return out

    def _read(self, sound: Real, at_s: float) -> PitchReading:
        late = sound[self.apart :]
        level = 10.0 * math.log10(float(np.mean(late**2)) + 1e-12)
        if level < TUNER_LIMITS.floor_db:
            return PitchReading(at_s, None, 0.0, level)
        lag, clarity = self._lag(late - late.mean())
        if clarity < TUNER_LIMITS.clear:
            return PitchReading(at_s, None, clarity, level)
        hz, spread = self._exact(sound, self.rate / lag)
        return PitchReading(at_s, hz, clarity, level, spread)

    def _lag(self, x: Real) -> tuple[float, float]:
        """The period in frames (a parabola through its maximum), and how alike the sound is one period on."""
        n = len(x)
        longest = min(n // 2, round(self.rate / TUNER_LIMITS.lowest_hz))
        shortest = max(2, int(self.rate / TUNER_LIMITS.highest_hz))
        spectrum = fft.rfft(x, self._size)
        # Between two frames a narrow maximum is missed; without what lies above the partials none is narrow.
        spectrum[round(TUNER_LIMITS.partial_hz / self.rate * self._size) :] = 0.0
        alike = fft.irfft(spectrum.real**2 + spectrum.imag**2, self._size)[: longest + 2]
        power = np.concatenate([[0.0], np.cumsum(x**2)])
        power *= alike[0] / max(power[-1], 1e-12)
        lags = np.arange(longest + 2)
        both = power[n - lags] + (power[n] - power[lags])
        nsdf = 2.0 * alike / np.maximum(both, 1e-12)
        inside = nsdf[1:-1]
        peaks = 1 + np.flatnonzero((inside > nsdf[:-2]) & (inside >= nsdf[2:]) & (inside > 0.0))
        first_dip = np.flatnonzero(nsdf < 0.0)  # the maximum at lag 0 ends where it first is below nothing
        peaks = peaks[(peaks >= shortest) & (peaks > (first_dip[0] if len(first_dip) else longest))]
        if not len(peaks):
            return float(longest), 0.0
        before, at, after = nsdf[peaks - 1], nsdf[peaks], nsdf[peaks + 1]
        bend = np.minimum(before - 2.0 * at + after, -1e-12)
        off = 0.5 * (before - after) / bend
        high = at - 0.25 * (before - after) * off
        k = int(np.flatnonzero(high >= TUNER_LIMITS.nearly * high.max())[0])
        return float(peaks[k] + off[k]), float(high[k])

    def _at_peak(self, size: Real, hz: float) -> float:
        """A fundamental that is near, by the highest bin of its loudest partial: within a bin, so that the
        phases' whole turns are known.
        """
        bins_hz = self.rate / self._bins
        best, found = 0.0, hz
        for h in range(1, TUNER_LIMITS.partials + 1):
            low = math.floor(h * hz / TUNER_LIMITS.near / bins_hz)
            high = math.ceil(h * hz * TUNER_LIMITS.near / bins_hz) + 1
            if high * bins_hz > TUNER_LIMITS.partial_hz and h > 1:
                break
            k = low + int(np.argmax(size[low:high]))
            if size[k] > best:
                best, found = float(size[k]), k * bins_hz / h
        return found

    def _exact(self, sound: Real, hz: float) -> tuple[float, float]:
        """The fundamental from the turning phases of its partials (Hz), and how far they disagree (cents)."""
        early = fft.rfft(sound[: self.window] * self._taper, self._bins)
        late = fft.rfft(sound[self.apart :] * self._taper, self._bins)
        hz = self._at_peak(np.abs(late), hz)
        total = weight = squares = 0.0
        for h in range(1, TUNER_LIMITS.partials + 1):
            about = h * (total / weight if weight else hz)
            if about > min(TUNER_LIMITS.partial_hz, 0.45 * self.rate):
                break
            k = round(about * self._bins / self.rate)
            a, b = complex(early[k]), complex(late[k])
            if not a or not b:
                continue
            # `late` begins `apart` frames on: at `about` exactly its phase would be this much further.
            expected = 2.0 * math.pi * about * self.apart / self.rate
            drift = math.remainder(cmath.phase(b) - cmath.phase(a) - expected, math.tau)
            each = (about + drift * self.rate / (math.tau * self.apart)) / h
            w = abs(b) ** 2 * h * h  # a partial's frequency is as exact as it is loud, and counts h times
            total, weight, squares = total + w * each, weight + w, squares + w * each * each
        if not weight:
            return hz, 0.0
        mean = total / weight
        spread = math.sqrt(max(0.0, squares / weight - mean * mean))
        return mean, 1200.0 * math.log2(1.0 + spread / mean)
