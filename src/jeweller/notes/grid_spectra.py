"""Magnitude spectra of a take on a grid of times, each computed once, when it is first asked for or while the
take is still recorded.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
from numpy.lib.stride_tricks import sliding_window_view

from jeweller.features.extraction import midi_to_hz
from jeweller.features.settings import FeatureSettings
from jeweller.notes.settings import DECOMPOSITION

Array = npt.NDArray[np.float32]
BLOCK = 256  # rows that are computed at once
MOST_BLOCKS = 256  # that are kept: eleven minutes, 120 MB at most


def spectrum_size(lowest_midi: float, rate: int) -> int:
    """Samples in a frame for a part that sounds down to a pitch.

    >>> spectrum_size(60, 22050), spectrum_size(30, 22050)
    (1024, 1920)
    """
    from scipy import fft as sfft

    size = int(DECOMPOSITION.periods * rate / float(midi_to_hz(lowest_midi)))
    return int(np.clip(sfft.next_fast_len(size, real=True), *DECOMPOSITION.sizes))


@dataclass(eq=False)
class GridSpectra:
    """The spectra of `samples`, (n,) at `rate`, in frames of `size` samples around every `every`-th sample.
    Row k is the one around sample k * every; outside the recording is silence.

    >>> tone = np.sin(2 * np.pi * 441.0 * np.arange(22050) / 22050).astype(np.float32)
    >>> spectra = GridSpectra(tone, 22050, 1024, 220)
    >>> [round(int(row.argmax()) * 22050 / 1024) for row in spectra.rows(10, 12)]
    [431, 431]
    """

    samples: Array
    rate: int
    size: int
    every: int
    blocks: dict[int, Array] = field(default_factory=dict)

    @property
    def top(self) -> int:
        """Bins of a row: those up to `DECOMPOSITION.top_hz`."""
        return int(DECOMPOSITION.top_hz * self.size / self.rate)

    @property
    def window(self) -> Array:
        return np.hanning(self.size).astype(np.float32)

    def around(self, centres: npt.NDArray[np.int64]) -> Array:
        """(n, top) magnitudes around any samples, (n,)."""
        from scipy import fft as sfft

        begin = centres - self.size // 2
        lowest, highest = int(begin.min()), int(begin.max()) + self.size
        x = self.samples
        if lowest < 0 or highest > len(x):
            before, after = max(0, -lowest), max(0, highest - len(x))
            inside = x[max(0, lowest) : max(0, highest)]
            x, begin = np.pad(inside, (before, after)), begin - lowest
        block = sliding_window_view(x, self.size)[begin]
        block *= self.window
        return np.asarray(np.abs(sfft.rfft(block, axis=1)[:, : self.top]))

    def rows(self, first: int, stop: int) -> Array:
        """(stop - first, top) rows of the grid."""
        pieces = []
        for number in range(first // BLOCK, (stop - 1) // BLOCK + 1):
            at = number * BLOCK
            pieces.append(self._block(number)[max(0, first - at) : max(0, stop - at)])
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)

    def _block(self, number: int) -> Array:
        found = self.blocks.pop(number, None)
        if found is None:
            found = self.around((number * BLOCK + np.arange(BLOCK)) * self.every)
            found.flags.writeable = False
            while len(self.blocks) >= MOST_BLOCKS:  # the one that was asked for longest ago
                del self.blocks[next(iter(self.blocks))]
        self.blocks[number] = found
        return found

    @property
    def settled(self) -> int:
        """How many blocks nothing can change that comes after these samples."""
        return max(0, len(self.samples) - self.size) // (BLOCK * self.every)

    def of_longer(self, samples: Array) -> GridSpectra:
        """Those of a recording that goes on after these samples, with what is known of it by them. It has to
        begin with these.
        """
        known = {number: rows for number, rows in self.blocks.items() if 0 <= number < self.settled}
        return GridSpectra(samples, self.rate, self.size, self.every, known)


def spectra_ahead(
    samples: Array, settings: FeatureSettings, lowest_midi: float, before: GridSpectra | None = None
) -> GridSpectra:
    """What there is of the spectra of a recording that goes on after `samples`, for a part that sounds down
    to a pitch; `before` is what a call before this gave of the same recording.

    >>> from jeweller.features.settings import DEFAULT
    >>> noise = np.random.default_rng(0).standard_normal(4 * 22050).astype(np.float32)
    >>> ahead = spectra_ahead(noise[: 3 * 22050], DEFAULT, 60)
    >>> now = GridSpectra(noise, 22050, ahead.size, ahead.every)
    >>> bool(np.array_equal(ahead.rows(0, BLOCK), now.rows(0, BLOCK)))
    True
    """
    every = DECOMPOSITION.step * settings.hop
    grid = (
        GridSpectra(samples, settings.rate, spectrum_size(lowest_midi, settings.rate), every)
        if before is None
        else before.of_longer(samples)
    )
    for number in range(min(grid.settled, MOST_BLOCKS)):
        grid.rows(number * BLOCK, number * BLOCK + 1)
    return grid
