"""Takes the clicks of a loudspeaker out of a take.

Loudspeaker, room and microphone make the same sound of every click of a kind. What they make of it is heard
in the count-in, before anybody plays; it is kept there, within the band of the click, and taken away wherever
a click is due. The clocks of two devices drift apart by up to a tenth of a thousandth: how far is learnt from
click to click, each from those before it, so that what is known of the beginning of a take stays true.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float32]

FIRST_HZ, OTHER_HZ = 1600.0, 1200.0  # of the first click of a bar, and of the others
FALL_S = 0.02
BEFORE_S, AFTER_S, FADE_S = 0.004, 0.25, 0.03  # of a click's sound that is kept, and its end
BAND_HZ = 1000.0  # beside the click's own pitch: what else sounds in the count-in is not kept
HEARD = 12.0  # the count-in stands out of what else correlates; softer clicks do no harm
ALIKE = 0.93  # of the best: with one of eight clicks missing it is less
LOOK = 0.45  # periods around where a click is due: half a period off, another peak is as high
SURE_S, DRIFT = 0.0001, 1e-4  # how exactly a clear click tells its place; how far clocks usually drift apart


@dataclass(frozen=True)
class TrackClick:
    """A click of a track: when (s), its pitch (Hz), how loud compared to those of the count-in."""

    at_s: float
    hz: float
    gain: float = 1.0


@dataclass(frozen=True)
class ClickTrack:
    """The clicks of a take: the recording of what was heard before it, up to its first sample; the clicks of
    the count-in, those that sound while somebody plays.
    """

    before: str
    count: tuple[TrackClick, ...]
    clicks: tuple[TrackClick, ...]


def remove_clicks(
    samples: Array, before: Array, rate: int, count: Sequence[TrackClick], clicks: Sequence[TrackClick]
) -> tuple[Array, bool]:
    """(mono samples of a take without its clicks, whether they were heard in it). `before`: what was recorded
    up to its first sample, from about the beginning of the track on; `count` are the clicks of the count-in,
    `clicks` those that sound while somebody plays. Linear in time.

    >>> import numpy as np
    >>> rate, wave = 22050, click_wave(1200.0, 22050)
    >>> room = np.zeros(8 * rate, np.float32)
    >>> for k in range(14):
    ...     room[k * 11025 + 1000 : k * 11025 + 1000 + len(wave)] += wave
    >>> every = [TrackClick(0.5 * k, 1200.0) for k in range(14)]
    >>> left, heard = remove_clicks(room[2 * rate :], room[: 2 * rate], rate, every[:4], every[4:])
    >>> heard, bool((left**2).sum() < 0.05 * (room[2 * rate :] ** 2).sum())
    (True, True)
    """
    whole = np.concatenate([before, samples])
    offset = _find_track(whole[: len(before) + round(AFTER_S * rate)], rate, count)
    if offset is None:
        return samples, False
    kinds = {hz: [c for c in count if c.hz == hz] for hz in {c.hz for c in count}}
    kept = {hz: _sound_of(whole, rate, offset, of_kind) for hz, of_kind in kinds.items()}
    out, drift = whole.copy(), _Drift()
    for click in sorted([*count, *clicks], key=lambda c: c.at_s):
        sound = kept.get(click.hz)
        if sound is None:
            continue
        since = click.at_s - float(np.mean([c.at_s for c in kinds[click.hz]]))
        late = drift.after(since)
        first = (offset + click.at_s + late - BEFORE_S) * rate
        if first < 1 or first + len(sound) + 1 > len(whole):
            continue
        found, clear = _find_near(whole, click.gain * sound, first, round(LOOK * rate / click.hz))
        drift.learn(since, late + found / rate, clear)
        _take_away(out, click.gain * sound, first + (drift.after(since) - late) * rate)
    return out[len(before) :], True


class _Drift:
    """How far the clocks are apart: a line through what the clicks told so far, from 0 at the count-in."""

    def __init__(self) -> None:
        self._moment, self._weight = 0.0, SURE_S**2 / DRIFT**2

    def after(self, since_s: float) -> float:
        """Seconds that a click comes late so long after the count-in."""
        return since_s * self._moment / self._weight

    def learn(self, since_s: float, late_s: float, clear: float) -> None:
        """A click came so late; `clear`, 0..1, how well that could be seen."""
        self._moment += clear**2 * since_s * late_s
        self._weight += clear**2 * since_s**2


def click_hz(first: bool) -> float:
    """The pitch of a click: of the first of a bar, or of another.

    >>> click_hz(True) > click_hz(False)
    True
    """
    return FIRST_HZ if first else OTHER_HZ


def click_wave(hz: float, rate: int) -> Array:
    """What a click sounds like: a short tone of full size that dies away.

    >>> len(click_wave(1200.0, 22050))
    1764
    """
    t = np.arange(round(4 * FALL_S * rate)) / rate
    return (np.sin(2 * np.pi * hz * t) * np.exp(-t / FALL_S)).astype(np.float32)


def _find_track(heard: Array, rate: int, count: Sequence[TrackClick]) -> float | None:
    """When the track began (s) in what was heard, by the clicks of its count-in; None where they are not."""
    from scipy.signal import fftconvolve

    if not count or not len(heard):
        return None
    length = round((count[-1].at_s + 0.1) * rate) + 1
    track = np.zeros(length, np.float32)
    for c in count:
        wave = click_wave(c.hz, rate)
        first = round(c.at_s * rate)
        track[first : first + len(wave)] += wave[: length - first]
    curve = np.abs(fftconvolve(heard, track[::-1], mode="full"))[length - 1 :]
    near = curve[: round(1.5 * rate)]  # devices are not later
    if not len(near):
        return None
    # a beat later the clicks of the music may look like those of the count-in: the first such place it is
    first = int((near >= ALIKE * near.max()).argmax())
    k = first + int(near[first : first + round(0.002 * rate)].argmax())
    apart = np.median(curve) + 1e-9
    return k / rate if near[k] > HEARD * apart else None


def _sound_of(whole: Array, rate: int, offset: float, count: Sequence[TrackClick]) -> Array | None:
    """What the room makes of one kind of click: the mean of those of the count-in, in the click's band; None
    where it does not stand out of the room.
    """
    length = round((BEFORE_S + AFTER_S) * rate)
    pieces, rooms = [], []
    for click in count:
        exact = (offset + click.at_s - BEFORE_S) * rate
        first = int(np.floor(exact))
        if first >= length // 4 and first + length <= len(whole):
            pieces.append(_moved(whole[first : first + length], first - exact) / click.gain)
            rooms.append(whole[first - length // 4 : first])
    if not pieces:
        return None
    spectrum = np.fft.rfft(np.mean(pieces, axis=0), 2 * length)
    at = np.fft.rfftfreq(2 * length, 1 / rate)
    spectrum *= np.clip(2.0 - np.abs(at - count[0].hz) / BAND_HZ, 0.0, 1.0)
    sound = np.fft.irfft(spectrum)[:length].astype(np.float32)
    fade = round(FADE_S * rate)
    sound[-fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)
    loud = float(np.sqrt(np.mean(sound[: length // 4] ** 2)))
    room = float(np.median([np.sqrt(np.mean(r**2)) for r in rooms]))
    return sound if loud > 0.5 * room else None


def _find_near(whole: Array, sound: Array, first: float, reach: int) -> tuple[float, float]:
    """(how many samples behind `first` the sound begins, how clearly 0..1), by the peak of a correlation."""
    begin = round(first)
    lags = [k for k in range(-reach, reach + 1) if 0 <= begin + k <= len(whole) - len(sound)]
    power = float(sound @ sound) + 1e-12
    curve = np.array([float(whole[begin + k : begin + k + len(sound)] @ sound) for k in lags]) / power
    k = int(curve.argmax())
    if not 0 < k < len(lags) - 1:
        return 0.0, 0.0
    left, top, right = curve[k - 1 : k + 2]
    peak = lags[k] + 0.5 * (left - right) / (left - 2 * top + right - 1e-12)
    return begin + peak - first, float(np.clip(min(top, 2.0 - top), 0.0, 1.0))


def _take_away(out: Array, sound: Array, first: float) -> None:
    """Subtracts a sound that begins between two samples."""
    begin = int(np.floor(first))
    moved = _moved(np.concatenate([sound, np.zeros(len(sound) // 8 + 1, np.float32)]), first - begin)
    end = min(len(out), begin + len(moved))
    out[begin:end] -= moved[: end - begin]


def _moved(sound: Array, later: float) -> Array:
    """A sound a part of a sample later."""
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(len(sound)) * later)
    return np.fft.irfft(np.fft.rfft(sound) * turn, len(sound)).astype(np.float32)
