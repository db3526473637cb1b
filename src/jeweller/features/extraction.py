"""Frame features of a recording.

Pitch: the normalised square difference of each frame with itself at every lag, n(τ) = 2 Σ x_j x_{j+τ} / Σ
(x_j² + x_{j+τ}²), by FFT (McLeod and Wyvill 2005). Its local maxima are kept per semitone: a tone of period T
shows at T, 2T, 3T, so the evidence of an expected pitch is never lost to a subharmonic; which octave sounded
is decided later, by whole notes. Attacks: half-wave rectified growth of log band energies.

Frame k of the fine grid is centred at k * hop / rate seconds; frame k of the pitch grid at k * pitch_every *
hop / rate.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from numpy.lib.stride_tricks import sliding_window_view

from jeweller.errors import Cancelled
from jeweller.features.settings import DEFAULT, EXTRACTION, FeatureSettings

Array = npt.NDArray[np.float32]


@dataclass(frozen=True, kw_only=True)
class Features:
    """What was heard, frame by frame. T pitch frames, F fine frames, P semitones from `low`."""

    rate: int
    hop_s: float  # seconds between fine frames
    step_s: float  # seconds between pitch frames
    low: int  # MIDI number of column 0 of `salience`
    salience: Array  # (T, P) n(τ) at the best period within each semitone, 0..1; 0 where there is none
    place: Array  # (T, P) the exact MIDI pitch of that period; the column's own where there is none
    best: Array  # (T,) the largest n(τ), 0..1
    f0: Array  # (T,) MIDI pitch of the shortest convincing period; NaN where there is none
    level: Array  # (F,) dB of the 20 ms around each fine frame (full scale sine: -3)
    flux: Array  # (F,) attack strength, 0 and up; about 1 for a clear tongued attack
    floor_db: float  # level of the room without music
    loud_db: float  # level of the music: the 90th percentile of the level
    window_s: float  # seconds that one pitch frame looks at: shorter sounds are hidden
    samples: Array  # the sound itself at `rate`, for second hearings
    high: Array | None = None  # energies of the beginning above `EXTRACTION.high_hz`, where they are known

    @property
    def seconds(self) -> float:
        return len(self.level) * self.hop_s


@dataclass(frozen=True, kw_only=True)
class HeardAhead:
    """What was extracted from the beginning of a recording while it still grew: of n samples, the first
    `filtered` without what lies below the instrument, the first rows of both grids.
    """

    samples: Array  # (n,)
    bounds: tuple[int, int]  # the MIDI pitches it was listened for
    settings: FeatureSettings
    filtered: Array
    salience: Array
    place: Array
    best: Array
    f0: Array
    level: Array  # (fine frames,)
    energies: Array  # (fine frames, flux bands)
    at: int  # the first of the filtered samples that what is still to come is computed from
    power: float  # sum of the squares of those before it
    high: Array  # (fine frames, bands above `EXTRACTION.high_hz`)

    def fits(self, samples: Array, bounds: tuple[int, int], settings: FeatureSettings) -> bool:
        """Whether these samples begin with those."""
        return (
            self.bounds == bounds
            and self.settings == settings
            and len(samples) >= len(self.samples)
            and np.array_equal(samples[: len(self.samples)], self.samples)
        )


def hz_to_midi(hz: npt.ArrayLike) -> npt.NDArray[np.float64]:
    """
    >>> hz_to_midi([440.0, 880.0]).tolist()
    [69.0, 81.0]
    """
    return 69.0 + 12.0 * np.log2(np.asarray(hz, dtype=np.float64) / 440.0)


def midi_to_hz(midi: npt.ArrayLike) -> npt.NDArray[np.float64]:
    """
    >>> round(float(midi_to_hz(60)), 2)
    261.63
    """
    return 440.0 * np.exp2((np.asarray(midi, dtype=np.float64) - 69.0) / 12.0)


def salience_near(features: Features, rows: slice, midi: int) -> tuple[Array, Array]:
    """(periodicity, exact MIDI pitch) within `NEAR_SEMITONES` of a pitch for the pitch frames `rows`, (n,)
    each: a tone between two semitones shows now in one column, now in the next.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> features = extract_features(tone, 60, 72)
    >>> clear = salience_near(features, slice(20, 60), 69)[0]
    >>> bool(np.median(clear) > 0.9)
    True
    """
    low, width = features.low, features.salience.shape[1]
    columns = slice(min(max(0, midi - low - 1), width - 1), max(midi - low + 2, 1))
    pitch = features.place[rows, columns]
    area = np.where(np.abs(pitch - midi) <= EXTRACTION.near_semitones, features.salience[rows, columns], 0.0)
    pick = area.argmax(axis=1) if len(area) else np.zeros(0, np.int64)
    index = np.arange(len(area))
    return area[index, pick], pitch[index, pick]


def unpitched_db(features: Features) -> Array:
    """(T,) dB of what no period explains, at each pitch frame: breath, keys, a cough, somebody else.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> hiss = (0.2 * np.random.default_rng(0).standard_normal(22050)).astype(np.float32)
    >>> [round(float(np.median(unpitched_db(extract_features(x, 60, 72))))) for x in (tone, hiss)]
    [-31, -14]
    """
    at = np.arange(len(features.best)) * (features.step_s / features.hop_s)
    level = np.interp(at, np.arange(len(features.level)), features.level)
    left = np.clip(1.0 - features.best, EXTRACTION.least_unpitched, 1.0)
    return np.maximum(level + 10.0 * np.log10(left), features.floor_db).astype(np.float32)


def attacks_above(features: Features, low_hz: float, settings: FeatureSettings = DEFAULT) -> Array:
    """The attack strength as `Features.flux` has it, by what sounds above `low_hz` alone: there is little of
    the notes of a low instrument, and much of a short click.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> tone[11025:11075] += np.float32(0.1) * np.random.default_rng(0).standard_normal(50).astype(np.float32)
    >>> flux = attacks_above(extract_features(tone, 60, 72), 1500.0)
    >>> abs(int(flux.argmax()) * 0.005 - 0.5) < 0.02
    True
    """
    s = _only_above(low_hz, settings)
    padded = np.pad(features.samples, (s.flux_size, s.flux_size))
    known = features.high if low_hz == EXTRACTION.high_hz and settings is DEFAULT else None
    return _flux(_energies(padded, s.flux_size, len(features.flux), s, known), s)


def _only_above(low_hz: float, s: FeatureSettings) -> FeatureSettings:
    """The settings by which the attacks above a frequency are heard."""
    octaves = np.log2(s.flux_high_hz / low_hz) / np.log2(s.flux_high_hz / s.flux_low_hz)
    return dataclasses.replace(s, flux_low_hz=low_hz, flux_bands=max(1, round(s.flux_bands * octaves)))


def extract_features(
    samples: Array,
    low_midi: int,
    high_midi: int,
    settings: FeatureSettings = DEFAULT,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
    ahead: HeardAhead | None = None,
) -> Features:
    """Features of mono samples at `settings.rate` for a part that sounds between two MIDI pitches. Linear in
    time and memory. What is known of the beginning (`ahead`, by `listen_ahead`) is not computed again.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> features = extract_features(tone, 60, 72)
    >>> round(float(np.nanmedian(features.f0)), 1)
    69.0
    """
    s = settings
    g = _Grid.of(low_midi, high_midi, s)
    if ahead is not None and not ahead.fits(samples, (low_midi, high_midi), s):
        ahead = None
    x = _high_pass(samples, s.rate, g.cutoff, ahead.filtered if ahead is not None else None)
    fine = len(x) // s.hop + 1
    frames = (fine + s.pitch_every - 1) // s.pitch_every
    sound = _Sound.of(x, g, ahead)
    salience, place, best, f0 = _pitches(sound, g, s, frames, ahead, cancelled, progress)
    level = _levels(sound, fine, s, ahead.level if ahead is not None else None)
    known = ahead.energies if ahead is not None else None
    flux = _flux(_energies(sound.x, -sound.at, fine, s, known), s)
    loud = float(np.percentile(level, 90))
    # A take without a pause, cut tight at both ends, shows no room: its quietest moments are music too.
    floor = min(float(np.percentile(level, 4)), loud - s.least_range_db)
    return Features(
        rate=s.rate,
        hop_s=s.hop / s.rate,
        step_s=s.pitch_every * s.hop / s.rate,
        low=g.low,
        salience=salience,
        place=place,
        best=best,
        f0=f0,
        level=level,
        flux=flux,
        floor_db=floor,
        loud_db=loud,
        window_s=g.window / s.rate,
        samples=samples,
        high=ahead.high if ahead is not None else None,
    )


@dataclass(frozen=True)
class _Grid:
    """What the grids of a part's range are made by."""

    low: int
    high: int
    lag_min: int
    lag_max: int
    window: int
    pad: int
    cutoff: float

    @classmethod
    def of(cls, low_midi: int, high_midi: int, s: FeatureSettings) -> _Grid:
        low, high = low_midi - s.margin_down, min(high_midi + s.margin_up, 112)
        lag_max = int(np.ceil(s.rate / midi_to_hz(low - 0.6))) + 1
        lag_min = max(4, int(s.rate / midi_to_hz(high + 0.6)) - 1)
        window = int(np.clip(s.window_periods * lag_max, s.window_min, s.window_max))
        pad = s.window_max + lag_max + 1024
        return cls(low, high, lag_min, lag_max, window, pad, float(midi_to_hz(low)) * 0.8)


@dataclass(frozen=True)
class _Sound:
    """Filtered sound from sample `at` on, silence behind it; (n + 1,) the sums of all squares of the
    recording before each of its samples.
    """

    x: Array
    squares: npt.NDArray[np.float64]
    at: int

    @classmethod
    def of(cls, x: Array, g: _Grid, ahead: HeardAhead | None) -> _Sound:
        at, power = (ahead.at, ahead.power) if ahead is not None else (-g.pad, 0.0)
        padded = np.pad(x[max(at, 0) :], (max(-at, 0), g.pad))
        squares = np.empty(len(padded) + 1)
        squares[0] = power
        np.square(padded, out=squares[1:])
        return cls(padded, np.cumsum(squares, out=squares), at)


def listen_ahead(
    samples: Array,
    low_midi: int,
    high_midi: int,
    settings: FeatureSettings = DEFAULT,
    before: HeardAhead | None = None,
) -> HeardAhead | None:
    """What `extract_features` would find at the beginning of a recording that goes on after `samples`, as far
    as nothing that is still to come can change it; None where that is nothing yet. `before` is what a call
    before this gave.

    >>> noise = np.random.default_rng(0).standard_normal(4 * 22050).astype(np.float32)
    >>> ahead = listen_ahead(noise[: 3 * 22050 + 5000], 60, 72)
    >>> once, twice = extract_features(noise, 60, 72), extract_features(noise, 60, 72, ahead=ahead)
    >>> bool(np.array_equal(once.salience, twice.salience)), bool(np.array_equal(once.flux, twice.flux))
    (True, True)
    >>> high = [attacks_above(x, EXTRACTION.high_hz) for x in (once, twice)]
    >>> bool(np.array_equal(*high)), twice.high is ahead.high
    (True, True)
    """
    s = settings
    g = _Grid.of(low_midi, high_midi, s)
    if before is not None and not before.fits(samples, (low_midi, high_midi), s):
        before = None
    steps = (len(samples) - FILTER_SIZE + FILTER_HALF) // FILTER_STEP + 1
    if steps < 1:
        return None
    if before is not None and len(before.filtered) >= steps * FILTER_STEP:
        return before
    x = _high_pass(samples, s.rate, g.cutoff, before.filtered if before is not None else None)
    x = x[: steps * FILTER_STEP]
    reach = max(g.window + g.lag_max + 2, s.flux_size)
    fine = max(0, (len(x) - reach) // s.hop)
    frames = fine // s.pitch_every
    sound = _Sound.of(x, g, before)
    salience, place, best, f0 = _pitches(sound, g, s, frames, before)
    at = min(frames * s.pitch_every, fine) * s.hop - max(g.window + g.lag_max, s.flux_size, s.level_window)
    return HeardAhead(
        samples=samples.copy(),
        bounds=(low_midi, high_midi),
        settings=s,
        filtered=x,
        salience=salience,
        place=place,
        best=best,
        f0=f0,
        level=_levels(sound, fine, s, before.level if before is not None else None),
        energies=_energies(sound.x, -sound.at, fine, s, before.energies if before is not None else None),
        at=at,
        power=float(sound.squares[at - sound.at]),
        high=_energies(
            np.pad(samples, (s.flux_size, 0)),
            s.flux_size,
            fine,
            _only_above(EXTRACTION.high_hz, s),
            before.high if before is not None else None,
        ),
    )


def _pitches(
    sound: _Sound,
    g: _Grid,
    s: FeatureSettings,
    frames: int,
    ahead: HeardAhead | None,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> tuple[Array, Array, Array, Array]:
    """(salience, place, best, f0) of the pitch grid."""
    salience = np.zeros((frames, g.high - g.low + 1), np.float32)
    place = np.tile(np.arange(g.low, g.high + 1, dtype=np.float32), (frames, 1))
    best = np.zeros(frames, np.float32)
    f0 = np.full(frames, np.nan, np.float32)
    first = 0
    if ahead is not None:
        first = min(frames, len(ahead.best))
        for whole, known in (
            (salience, ahead.salience),
            (place, ahead.place),
            (best, ahead.best),
            (f0, ahead.f0),
        ):
            whole[:first] = known[:first]
    block = 512
    for start in range(first, frames, block):
        if cancelled():
            raise Cancelled
        stop = min(frames, start + block)
        centres = np.arange(start, stop) * s.hop * s.pitch_every - sound.at
        _pitch_block(
            sound.x,
            sound.squares,
            centres,
            g.window,
            g.lag_min,
            g.lag_max,
            g.low,
            s,
            salience[start:stop],
            place[start:stop],
            best[start:stop],
            f0[start:stop],
        )
        progress(stop / frames)
    return salience, place, best, f0


def _pitch_block(
    x: Array,
    squares: npt.NDArray[np.float64],
    centres: npt.NDArray[np.int64],
    window: int,
    lag_min: int,
    lag_max: int,
    low: int,
    s: FeatureSettings,
    salience: Array,
    place: Array,
    best: Array,
    f0: Array,
) -> None:
    from scipy import fft as sfft

    size = int(sfft.next_fast_len(window + lag_max + 2, real=True))
    begin = centres - (window + lag_max) // 2
    segments = sliding_window_view(x, window + lag_max + 1)[begin]
    spectrum_long = sfft.rfft(segments, size, axis=1)
    spectrum = sfft.rfft(segments[:, :window], size, axis=1)
    product = sfft.irfft(np.conj(spectrum) * spectrum_long, size, axis=1)[:, : lag_max + 1]
    sums = sliding_window_view(squares, window + lag_max + 1)[begin]
    energy = (sums[:, window:] - sums[:, : lag_max + 1]).astype(np.float32)
    energy += energy[:, :1] + np.float32(1e-9)
    n = np.divide(product, energy, out=product)
    n *= 2.0
    middle, left, right = (
        n[:, lag_min:lag_max],
        n[:, lag_min - 1 : lag_max - 1],
        n[:, lag_min + 1 : lag_max + 1],
    )
    row, column = np.nonzero((middle > left) & (middle >= right) & (middle > 0.2))
    y0, y1, y2 = left[row, column], middle[row, column], right[row, column]
    shift = 0.5 * (y0 - y2) / (y0 - 2 * y1 + y2 - 1e-9)
    peak = np.minimum(y1 - 0.25 * (y0 - y2) * shift, 1.0).astype(np.float32)
    midi = hz_to_midi(s.rate / (column + lag_min + shift)).astype(np.float32)
    bin_ = np.rint(midi).astype(np.int64) - low
    inside = (bin_ >= 0) & (bin_ < salience.shape[1])
    row, bin_, peak, midi = row[inside], bin_[inside], peak[inside], midi[inside]
    order = np.argsort(peak, kind="stable")
    salience[row[order], bin_[order]] = peak[order]
    place[row[order], bin_[order]] = midi[order]
    best[:] = salience.max(axis=1)
    limit = 1.0 - np.maximum((1.0 - best) * s.period_ratio, (1.0 - best) + s.period_slack)
    good = (salience >= limit[:, None]) & (salience > 0.3)
    any_good = good.any(axis=1)
    last = salience.shape[1] - 1 - np.argmax(good[:, ::-1], axis=1)
    f0[any_good] = place[np.nonzero(any_good)[0], last[any_good]]


FILTER_SIZE, FILTER_HALF = 1 << 16, 2048
FILTER_STEP = FILTER_SIZE - 2 * FILTER_HALF


def _high_pass(x: Array, rate: int, cutoff: float, done: Array | None = None) -> Array:
    """Zero-phase high pass by overlapping FFT blocks: keeps hum and rumble below the instrument out of the
    periodicity. `done` are whole blocks of its beginning.
    """
    from scipy import fft as sfft

    size, half, step = FILTER_SIZE, FILTER_HALF, FILTER_STEP
    frequencies = np.fft.rfftfreq(size, 1.0 / rate)
    gain = (1.0 / (1.0 + (np.maximum(cutoff, 1.0) / np.maximum(frequencies, 1e-3)) ** 8)).astype(np.float32)
    out = np.empty_like(x)
    first = 0
    if done is not None:
        first = min(len(done), len(x)) // step * step
        out[:first] = done[:first]
    begin = max(0, first - half)
    padded = np.pad(x[begin:], (half - min(first, half), size))
    for start in range(first, len(x), step):
        block = sfft.irfft(sfft.rfft(padded[start - first : start - first + size]) * gain, size)
        stop = min(len(x), start + step)
        out[start:stop] = block[half : half + stop - start]
    return out


def _levels(sound: _Sound, fine: int, s: FeatureSettings, known: Array | None) -> Array:
    """dB around each fine frame; the first of them may be known."""
    first = min(fine, len(known)) if known is not None else 0
    centres = np.arange(first, fine) * s.hop - sound.at
    sums = sound.squares
    power = (sums[centres + s.level_window // 2] - sums[centres - s.level_window // 2]) / s.level_window
    level = (10.0 * np.log10(np.maximum(power, 1e-10))).astype(np.float32)
    return level if known is None else np.concatenate([known[:first], level])


def _energies(x: Array, pad: int, fine: int, s: FeatureSettings, known: Array | None) -> Array:
    """(fine, bands) energies of log bands; the first of them may be known."""
    from scipy import fft as sfft

    frequencies = np.fft.rfftfreq(s.flux_size, 1.0 / s.rate)
    edges = np.geomspace(s.flux_low_hz, s.flux_high_hz, s.flux_bands + 1)
    bank = np.zeros((len(frequencies), s.flux_bands), np.float32)
    for band in range(s.flux_bands):
        inside = (frequencies >= edges[band]) & (frequencies < edges[band + 1])
        if not inside.any():
            inside[int(np.argmin(np.abs(frequencies - np.sqrt(edges[band] * edges[band + 1]))))] = True
        bank[inside, band] = 1.0 / inside.sum()
    window = np.hanning(s.flux_size).astype(np.float32)
    energies = np.empty((fine, s.flux_bands), np.float32)
    first = 0
    if known is not None:
        first = min(fine, len(known))
        energies[:first] = known[:first]
    for start in range(first, fine, 4096):
        stop = min(fine, start + 4096)
        begin = pad + np.arange(start, stop) * s.hop - s.flux_size // 2
        spectra = sfft.rfft(sliding_window_view(x, s.flux_size)[begin] * window, axis=1)
        energies[start:stop] = (spectra.real**2 + spectra.imag**2) @ bank
    return energies


def _flux(energies: Array, s: FeatureSettings) -> Array:
    from scipy.ndimage import median_filter, uniform_filter1d

    fine = len(energies)
    bands = np.ascontiguousarray(energies.T)  # filters run along it
    # Compression relative to the recording's own level and to the noise of each band: what is 45 dB below the
    # music, or in the noise, counts for nothing.
    reference = float(np.percentile(energies.max(axis=1), 95)) * 10**-4.5 + 1e-12
    quiet = uniform_filter1d(bands, s.flux_quiet)[:, :: max(1, fine // 4000)].T
    # A band's quietest tenth is noise where the pitches change. Where one pitch sounds nearly all the time it
    # is that pitch, and the noise is what the band holds while the whole recording is quiet.
    total = quiet.sum(axis=1)
    silent = quiet[total <= np.percentile(total, s.flux_silent)]
    noise = s.flux_noise * np.minimum(np.percentile(quiet, 10, axis=0), np.median(silent, axis=0))
    log = uniform_filter1d(bands, s.flux_smooth)
    log /= np.maximum(noise, reference).astype(np.float32)[:, None]
    log += 1.0
    np.log10(log, out=log)
    growth = np.zeros(fine, np.float32)
    grown = np.ascontiguousarray((log[:, s.flux_lag :] - log[:, : -s.flux_lag]).T)
    growth[s.flux_lag :] = np.maximum(grown, 0.0, out=grown).mean(axis=1)
    # What flutters all the time (breath, vibrato, the room) is no attack.
    growth = np.maximum(growth - median_filter(growth, s.flux_usual), 0.0)
    # The growth between k - lag and k belongs to the middle of the two.
    growth = np.roll(growth, -(s.flux_lag // 2))
    scale = float(np.percentile(growth, 98)) + 1e-6
    return growth / np.float32(max(scale, 0.08))
