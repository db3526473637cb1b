"""A second hearing by spectra: which tones a short stretch of sound is made of.

Periodicity hears one tone at a time; in a room the end of one note and the beginning of the next sound
together. Here each frame's magnitude spectrum is taken for a sum of known spectra, none negative: the note
itself as it sounds later, the note before, the room's noise, and whatever tone is in question, all in this
player's own voice (multiplicative updates for the Kullback-Leibler divergence, Lee and Seung 2001).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from jeweller.features.extraction import Features, midi_to_hz
from jeweller.features.robust import median
from jeweller.notes.grid_spectra import GridSpectra, spectrum_size
from jeweller.notes.settings import DECOMPOSITION
from jeweller.notes.table import PlayedNote

Array = npt.NDArray[np.float32]
Heard = tuple[float, float]  # onset and beginning of the decay, seconds


def _heard(event: PlayedNote) -> Heard:
    """What the spectra of a note depend on."""
    return event.on_s, event.off_s


class SpectralDecomposition:
    """Spectra of a take, and what they are made of. Frames are (T, F) magnitudes up to TOP_HZ."""

    def __init__(
        self,
        features: Features,
        events: Sequence[PlayedNote],
        lowest_midi: float,
        shift: int = 0,
        known: GridSpectra | None = None,
    ) -> None:
        """`lowest_midi`: of the part; `shift`: semitones by which the whole take sounds above the pitches
        that `voice` and `standing_out` are asked for; `known`: spectra of the beginning of this recording, by
        `spectra_ahead`.
        """
        self.f, self.shift = features, shift
        self.size = spectrum_size(lowest_midi, features.rate)
        self.step_s = DECOMPOSITION.step * features.hop_s
        self._every = round(self.step_s * features.rate)
        self._grid = (
            known.of_longer(features.samples)
            if known is not None and known.size == self.size
            else GridSpectra(features.samples, features.rate, self.size, self._every)
        )
        self.events = events
        self._own: dict[Heard, Array] = {}
        self._ending: dict[Heard, Array] = {}
        quiet = np.sort(
            np.argsort(features.level, kind="stable")[
                : max(DECOMPOSITION.quiet_frames, len(features.level) // 25)
            ]
        )
        self.noise = (
            self._spectra(quiet[:: max(1, len(quiet) // DECOMPOSITION.quiet_frames)] * features.hop_s).mean(
                axis=0
            )
            + 1e-9
        )
        self.known = [
            e
            for e in events
            if e.index is not None
            and e.clarity > DECOMPOSITION.clear
            and e.off_s - e.on_s > DECOMPOSITION.steady_s
        ]

    def _spectra(self, times: npt.NDArray[np.floating]) -> Array:
        return self._grid.around(np.rint(times * self.f.rate).astype(np.int64))

    def frames(self, from_s: float, to_s: float) -> tuple[Array, Array]:
        """((T, F) magnitudes, (T,) seconds) of the frames centred between two times."""
        first, stop = math.ceil(from_s / self.step_s), math.floor(to_s / self.step_s) + 1
        if stop <= first:
            times = np.array([0.5 * (from_s + to_s)])
            return self._spectra(times), times
        return self._grid.rows(first, stop), np.arange(first, stop) * self.step_s

    def own(self, event: PlayedNote) -> Array:
        """The spectrum of a note's steady part."""
        found = self._own.get(_heard(event))
        if found is None:
            length = event.off_s - event.on_s
            a = event.on_s + min(DECOMPOSITION.steady_s, DECOMPOSITION.steady_share * length)
            found = self._own[_heard(event)] = (
                self.frames(a, max(a + 0.02, min(event.off_s - 0.03, a + DECOMPOSITION.longest_s)))[0].mean(
                    axis=0
                )
                + 1e-9
            )
        return found

    def ending(self, event: PlayedNote) -> Array:
        """The spectrum of a note's end, which the room carries on."""
        found = self._ending.get(_heard(event))
        if found is None:
            b = max(event.on_s + 0.03, event.off_s - 0.03)
            found = self._ending[_heard(event)] = np.asarray(
                self.frames(max(event.on_s + 0.02, b - 0.2), b)[0].mean(axis=0) + 1e-9
            )
        return found

    def standing_out(self, event: PlayedNote, every: int, midi: float | None = None) -> float:
        """Median dB by which the first partials of a note (of `midi`, where given), those that are no
        multiples of `every`, stand out from in between.

        About 0 where only every second (third) partial sounds: then the octave (twelfth) above sounds,
        whatever the period says.
        """
        # in bins
        own, hz = (
            self.own(event),
            float(midi_to_hz((event.midi if midi is None else midi) + self.shift)) * self.size / self.f.rate,
        )

        def at(place: float) -> float:
            k = round(place)
            return float(own[max(0, k - 1) : k + 2].max(initial=0.0))

        found = []
        for k in [k for k in range(1, 3 * every) if k % every][:3]:
            if (k + 0.5) * hz + 2 < len(own):
                found.append(
                    20.0
                    * math.log10(
                        (at(k * hz) + 1e-9) / (0.5 * (at((k - 0.5) * hz) + at((k + 0.5) * hz)) + 1e-9)
                    )
                )
        return median(found) if found else 99.0

    def odd_energy(self, event: PlayedNote) -> float:
        """dB by which the first odd partials of a note have more energy than the even ones (negative: less).

        Where only the even ones sound the octave above does; the odd ones that leak into the gaps between
        them are far weaker than those of any instrument.
        """
        own, hz = self.own(event), float(midi_to_hz(event.midi + self.shift)) * self.size / self.f.rate

        def energy(partials: tuple[int, ...]) -> float:
            places = [round(k * hz) for k in partials]
            return sum(float(own[max(0, k - 1) : k + 2].max(initial=0.0)) ** 2 for k in places)

        return 10.0 * math.log10((energy((1, 3, 5)) + 1e-12) / (energy((2, 4, 6)) + 1e-12))

    def voice(self, midi: float, leave: PlayedNote | None = None) -> Array | None:
        """How a pitch sounds in this player's voice: the nearest well-heard note's spectrum, moved to it;
        None where none is near.
        """
        midi += self.shift
        near = [
            e
            for e in self.known
            if (leave is None or e.on_s != leave.on_s) and abs(e.midi - midi) <= DECOMPOSITION.farthest
        ]
        if not near:
            return None
        event = min(near, key=lambda e: (round(abs(e.midi - midi)), e.on_s))
        return shift_spectrum(self.own(event), midi - event.midi)


def shift_spectrum(spectrum: Array, semitones: float) -> Array:
    """A spectrum with every partial moved by so many semitones."""
    places = np.arange(len(spectrum))
    moved = np.interp(places / 2.0 ** (semitones / 12.0), places, spectrum, right=float(spectrum[-1]))
    return moved.astype(np.float32) + np.float32(1e-9)


def decompose(
    frames: Array, parts: Sequence[Array], rounds: int = DECOMPOSITION.rounds
) -> tuple[Array, Array]:
    """((T, K) share of each part in each frame, (T,) what no part explains: divergence over the frame's
    sum).
    """
    seen, known = frames + 1e-9, np.array(parts)
    weight = known.sum(axis=1)
    scale = seen.sum(axis=1)
    amount = scale[:, None] / weight / np.float32(len(parts))
    made = np.empty(seen.shape, np.result_type(amount, known))
    ratio = np.empty(made.shape, np.result_type(seen, made))
    for _ in range(rounds):
        np.matmul(amount, known, out=made)
        made += 1e-12
        np.divide(seen, made, out=ratio)
        amount *= (ratio @ known.T) / weight
    np.matmul(amount, known, out=made)
    made += 1e-12
    np.divide(seen, made, out=ratio)
    np.log(ratio, out=ratio)
    ratio *= seen
    ratio -= seen
    ratio += made
    misfit = ratio.sum(axis=1) / scale
    held = amount * weight
    return held / held.sum(axis=1, keepdims=True), misfit
