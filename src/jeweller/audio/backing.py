"""Takes the sound of a known recording (the model, a backing part) that a loudspeaker played in the room out
of a take.

The loudspeaker, the room and the microphone are one filter: in every frequency bin a few complex taps over
frames, fitted by least squares over the whole take (convolutive transfer function, Talmon, Cohen and Gannot
2009). The player is what the fit cannot explain; frames in which the player is loud count for less, so that
playing along is not taken for the loudspeaker.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float32]
Spectra = npt.NDArray[np.complex64]

FRAME, HOP = 2048, 512  # samples
# frames of the known sound, before and after, that a frame of the take may hold: 0.3 s of room
BEFORE, AFTER = 1, 12
ROUNDS = 3  # of the weighted fit
HEARD_PEAK = 25.0  # the alignment's peak stands out so many deviations: the known sound is in the take
RIDGE = 1e-3
UNHEARD = 1e-6  # of the power of its loudest bin
BINS = 32  # bins at a time: bounds the memory


@dataclass(frozen=True)
class BackingRemoval:
    """The take without the known sound. `at_s`: where in the take that begins; `heard`: whether it is in the
    take at all; `share_db`: how loud it was.
    """

    samples: Array
    at_s: float
    heard: bool
    share_db: float


SEARCH_S = 0.4  # around where the known sound is expected: devices and rooms are not later


def find_delay(samples: Array, known: Array, near: tuple[int, int] | None = None) -> tuple[int, float]:
    """(samples by which `known` begins later in the take, how many deviations the peak stands out), by phase
    correlation; `near`: between which two delays it is sought, where that is known (clicks look alike a beat
    later).

    >>> import numpy as np
    >>> noise = np.random.default_rng(1).standard_normal(22050).astype(np.float32)
    >>> delay, _ = find_delay(np.concatenate([np.zeros(500, np.float32), noise]), noise)
    >>> abs(delay - 500) < 20
    True
    """
    from scipy import fft as sfft

    size = sfft.next_fast_len(len(samples) + len(known), real=True)
    cross = sfft.rfft(samples, size) * np.conj(sfft.rfft(known, size))
    curve = sfft.irfft(cross / (np.abs(cross) + 1e-9), size)
    if near is None:
        k = int(np.abs(curve).argmax())
    else:
        k = int(max(range(*near), key=lambda d: abs(curve[d % size]), default=0)) % size
    return (k if k < len(samples) else k - size), float(np.abs(curve[k]) / (curve.std() + 1e-12))


def remove_backing(
    samples: Array, known: Array, rate: int, expected_s: float | None = None
) -> BackingRemoval:
    """Mono samples of the take and of the known sound at the same rate → the take without it. Linear in time;
    unchanged where it is not heard. `expected_s`: about when the known sound begins in the take (negative:
    before it), where that is known.

    >>> import numpy as np
    >>> known = np.random.default_rng(1).standard_normal(44100).astype(np.float32)
    >>> left = remove_backing(0.5 * np.concatenate([np.zeros(500, np.float32), known]), known, 22050)
    >>> left.heard
    True
    """
    from scipy.signal import ShortTimeFFT  # costs a second, which only helped takes are to pay

    near = None
    if expected_s is not None:
        near = round((expected_s - SEARCH_S) * rate), round((expected_s + SEARCH_S) * rate)
    delay, peak = find_delay(samples, known, near)
    if peak < HEARD_PEAK:
        return BackingRemoval(samples, 0.0, False, -120.0)
    lined = np.zeros(len(samples), np.float32)
    a, b = max(0, delay), min(len(samples), delay + len(known))
    if a < b:
        lined[a:b] = known[a - delay : b - delay]
    transform = ShortTimeFFT(np.hanning(FRAME + 1)[:-1], HOP, rate)
    heard, sent = transform.stft(samples), transform.stft(lined)  # (bins, frames)
    heard, sent = heard.astype(np.complex64), sent.astype(np.complex64)
    power = (np.abs(sent) ** 2).mean(axis=1)
    left = heard.copy()
    sounding = np.flatnonzero(power > UNHEARD * power.max())  # of the others nothing reaches the take
    for k in range(0, len(sounding), BINS):
        bins = sounding[k : k + BINS]
        left[bins] = _left(heard[bins], sent[bins])
    removed = heard - left
    share = 10.0 * np.log10(
        float((np.abs(removed) ** 2).sum()) / (float((np.abs(heard) ** 2).sum()) + 1e-12) + 1e-12
    )
    out = transform.istft(left, k1=len(samples)).astype(np.float32)
    return BackingRemoval(np.ascontiguousarray(out[: len(samples)]), delay / rate, True, share)


def _left(heard: Spectra, sent: Spectra) -> Spectra:
    """(bins, frames) of the take without what a filter of some frames makes of the known sound."""
    frames = heard.shape[1]
    padded = np.pad(sent, ((0, 0), (AFTER, BEFORE)))
    taps = np.lib.stride_tricks.sliding_window_view(padded, frames, axis=1)[:, ::-1]  # (bins, taps, frames)
    floor = 1e-3 * np.mean(np.abs(heard) ** 2, axis=1, keepdims=True) + 1e-12
    left = heard
    for _ in range(ROUNDS):
        weighted = taps.conj() * (1.0 / (np.abs(left) ** 2 + floor))[:, None]
        gram = weighted @ taps.transpose(0, 2, 1)
        scale = np.trace(gram, axis1=1, axis2=2).real / gram.shape[1] + 1e-9
        gram += (RIDGE * scale)[:, None, None] * np.eye(gram.shape[1], dtype=gram.dtype)
        right = weighted @ heard[..., None]
        filters = np.linalg.solve(gram, right)
        left = heard - (taps.transpose(0, 2, 1) @ filters)[..., 0]
    return left
