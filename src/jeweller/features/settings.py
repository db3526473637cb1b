"""Every number of hearing, with unit and reason."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class FeatureSettings:
    rate: int = 22050  # Hz: holds the partials that decide an octave up to piccolo
    hop: int = 110  # samples: 5 ms, what onset times need
    pitch_every: int = 2  # pitch frames every so many hops: 10 ms
    # integration window in periods of the lowest pitch: fewer smear less in time, more resist noise
    window_periods: float = 2.5
    window_min: int = 640  # samples: 29 ms
    window_max: int = 2048  # samples: 93 ms, for tuba
    # semitones below the part's lowest note that are listened to: an octave slip and one more
    margin_down: int = 13
    margin_up: int = 20  # semitones above its highest: a slip to the twelfth
    flux_size: int = 512  # samples: 23 ms spectra for attacks
    flux_bands: int = 36  # bands, log spaced
    flux_low_hz: float = 80.0
    flux_high_hz: float = 9000.0
    flux_lag: int = 6  # hops between the two spectra compared: winds take 15 ms and more to speak
    flux_smooth: int = 3  # hops over which band energies are averaged
    flux_quiet: int = 20  # hops over which a band's quietest time is sought
    flux_usual: int = 61  # hops over which the usual flutter is measured
    flux_noise: float = 12.0  # times a band's quiet energy: growth below counts for little
    level_window: int = 441  # samples: 20 ms
    # the shortest period whose aperiodicity is at most so many times the frame's best is the frame's pitch
    period_ratio: float = 2.2
    period_slack: float = 0.025  # aperiodicity always forgiven


DEFAULT = FeatureSettings()
