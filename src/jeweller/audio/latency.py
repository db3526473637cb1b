"""How long sound takes from the program to the loudspeaker, through the room and back from the microphone.

By a loop-back: short rising chirps at uneven moments are played and recorded; each is found by
cross-correlation, and the median says it, so that a burst that a cough hides does no harm. Where the
microphone cannot hear the loudspeaker: the player taps along to the click, and the median of the taps says
it, less surely.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Samples = npt.NDArray[np.float32]
BURSTS_S = 0.3, 0.95, 1.45, 2.2, 2.65, 3.35  # uneven: no other shift looks alike
BURST_S, PROBE_S = 0.06, 4.0
LOWEST_HZ, HIGHEST_HZ = 500.0, 6000.0  # of a chirp: what any loudspeaker plays and any microphone hears
MOST_S = 0.6  # no device is later
HEARD_PEAK = 9.0  # deviations by which the correlation's peak stands out where a burst was heard
LEAST_HEARD, LEAST_TAPS = 3, 8
AGREE_S = 0.004  # bursts that are farther from the median were something else
LEVEL = 0.25  # of full scale: nobody is startled


@dataclass(frozen=True)
class Latency:
    """`seconds` from playing to recording, `error_s` how far off it may be, `by` loop-back or taps."""

    seconds: float
    error_s: float
    by: str


def probe(rate: int) -> Samples:
    """What is played to measure: bursts that are the same at any rate.

    >>> probe(22050).shape
    (88200,)
    """
    sound = np.zeros(round(PROBE_S * rate), np.float32)
    n = round(BURST_S * rate)
    t = np.arange(n) / rate
    chirp = np.sin(2 * np.pi * (LOWEST_HZ + (HIGHEST_HZ - LOWEST_HZ) * t / (2 * BURST_S)) * t)
    burst = LEVEL * chirp * np.hanning(n)
    for at in BURSTS_S:
        first = round(at * rate)
        sound[first : first + n] = burst
    return sound


def find_latency(recorded: Samples, rate: int, played_from_s: float = 0.0) -> Latency | None:
    """The latency of a recording of `probe(rate)`, whose first frame was played at `played_from_s` of the
    recording; None where it is not heard.

    >>> late = np.concatenate([np.zeros(2205, np.float32), probe(22050)])
    >>> round(find_latency(late, 22050).seconds, 3)
    0.1
    """
    from scipy import fft

    sound = probe(rate)
    n, most = round(BURST_S * rate), round(MOST_S * rate)
    found = []
    for at in BURSTS_S:
        first = round(at * rate)
        burst = sound[first : first + n]
        begin = first + round(played_from_s * rate)
        heard = recorded[max(0, begin) : begin + most + n]
        if len(heard) < 2 * n:
            continue
        size = fft.next_fast_len(len(heard) + n, real=True)
        like = fft.irfft(fft.rfft(heard, size) * np.conj(fft.rfft(burst, size)), size)[: len(heard)]
        k = int(np.abs(like).argmax())
        if np.abs(like[k]) > HEARD_PEAK * float(np.median(np.abs(like)) / 0.6745 + 1e-12):
            found.append((k + min(0, begin)) / rate)
    if not found:
        return None
    middle = float(np.median(found))
    near = [f for f in found if abs(f - middle) <= AGREE_S]
    if len(near) < LEAST_HEARD:
        return None
    return Latency(float(np.median(near)), max(1.0 / rate, float(np.ptp(near)) / 2), "loop-back")


def tapped_latency(clicks_s: Sequence[float], taps_s: Sequence[float]) -> Latency | None:
    """The latency from tapping along: how much later the taps were recorded than the clicks were played, on
    the median. A tap is of the click before it, or of the one it anticipates a little. None where there are
    too few taps.

    >>> clicks = [0.6 * k for k in range(12)]
    >>> found = tapped_latency(clicks, [c + 0.12 + 0.01 * (k % 3 - 1) for k, c in enumerate(clicks)])
    >>> round(found.seconds, 3), found.error_s < 0.01
    (0.12, True)
    """
    clicks = np.asarray(clicks_s)
    if len(clicks) < 2:
        return None
    beat = float(np.median(np.diff(clicks)))
    late = []
    for tap in taps_s:
        after = tap - clicks
        near = after[(after > -0.15 * beat) & (after <= 0.85 * beat)]
        if len(near):
            late.append(float(near.min(initial=np.inf)))
    if len(late) < LEAST_TAPS:
        return None
    middle = float(np.median(late))
    spread = 1.4826 * float(np.median(np.abs(np.asarray(late) - middle)))
    return Latency(middle, 1.2533 * spread / len(late) ** 0.5, "taps")
