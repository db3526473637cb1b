"""Every number of hearing, with unit and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class FeatureSettings:
    rate: int = number(22050, "Hz", (0, 88200), "Hz: holds the partials that decide an octave up to piccolo")
    hop: int = number(110, "samples", (0, 440), "samples: 5 ms, what onset times need")
    pitch_every: int = number(2, "count", (0, 8), "pitch frames every so many hops: 10 ms")
    window_periods: float = number(
        2.5,
        "ratio",
        (0, 10),
        "integration window in periods of the lowest pitch: fewer smear less in time, more resist noise",
    )
    window_min: int = number(640, "samples", (0, 2560), "samples: 29 ms")
    window_max: int = number(2048, "samples", (0, 8192), "samples: 93 ms, for tuba")
    margin_down: int = number(
        13,
        "semitones",
        (0, 52),
        "semitones below the part's lowest note that are listened to: an octave slip and one more",
    )
    margin_up: int = number(20, "semitones", (0, 80), "semitones above its highest: a slip to the twelfth")
    flux_size: int = number(512, "samples", (0, 2048), "samples: 23 ms spectra for attacks")
    flux_bands: int = number(36, "bands", (0, 144), "bands, log spaced")
    flux_low_hz: float = number(
        80.0, "Hz", (0, 320), "the lowest band of the spectra for attacks: below it a room rumbles"
    )
    flux_high_hz: float = number(
        9000.0, "Hz", (0, 36000), "the highest band: above it there is little of winds"
    )
    flux_lag: int = number(
        6, "hops", (0, 24), "hops between the two spectra compared: winds take 15 ms and more to speak"
    )
    flux_smooth: int = number(3, "hops", (0, 12), "hops over which band energies are averaged")
    flux_quiet: int = number(20, "hops", (0, 80), "hops over which a band's quietest time is sought")
    flux_silent: float = number(4.0, "percent", (0.5, 20), "of a recording are quiet, at least")
    flux_usual: int = number(61, "hops", (0, 244), "hops over which the usual flutter is measured")
    flux_noise: float = number(
        12.0, "ratio", (0, 48), "times a band's quiet energy: growth below counts for little"
    )
    level_window: int = number(441, "samples", (0, 1764), "samples: 20 ms")
    least_range_db: float = number(
        14.0,
        "dB",
        (0, 56),
        "the room is at least so far below the loud music: what is nearer is music, and a note at the usual "
        "level counts as sound in full",
    )
    period_ratio: float = number(
        2.2,
        "periodicity",
        (0, 8.8),
        (
            "the shortest period whose aperiodicity is at most so many times the frame's best is the "
            "frame's pitch"
        ),
    )
    period_slack: float = number(0.025, "periodicity", (0, 1), "aperiodicity always forgiven")


DEFAULT = FeatureSettings()


@dataclass(frozen=True, kw_only=True)
class ExtractionSettings:
    """`features.extraction`."""

    near_semitones: float = number(
        0.75, "share", (0, 1), "a pitch so far off is still that note, out of tune"
    )
    least_unpitched: float = number(
        0.003, "share", (0, 0.1), "of a tone no period explains at the least: breath, and the arithmetic"
    )
    high_hz: float = number(1500.0, "Hz", (200, 8000), "above it a click is louder than a low instrument")


EXTRACTION = ExtractionSettings()


@dataclass(frozen=True, kw_only=True)
class SpeechSettings:
    """`features.speech`."""

    low: int = number(36, "count", (0, 144), "MIDI: voices and most instruments")
    high: int = number(96, "count", (0, 384), "MIDI: voices and most instruments")
    heard_s: float = number(30.0, "s", (0, 120), "of a recording are enough")
    near_db: float = number(18.0, "dB", (0, 72), "below the music: what is softer is no part of it")
    clear: float = number(0.75, "periodicity", (0, 1), "periodicity of frames that have a pitch")
    hold_s: float = number(
        0.2, "s", (0, 0.8), "seconds and semitones within which a tone stays, octaves apart"
    )
    hold: float = number(
        0.35, "semitones", (0, 1.4), "seconds and semitones within which a tone stays, octaves apart"
    )
    tones: float = number(
        0.6,
        "share",
        (0, 1),
        (
            "share of the sound that stays so in music: 0.69 and more in 90 simulated takes, 0.51 and "
            "less in 72 of synthetic speech"
        ),
    )
    voiced: float = number(
        0.12, "share", (0, 1), "share of the sound that has a pitch at all, where somebody speaks"
    )


SPEECH = SpeechSettings()
