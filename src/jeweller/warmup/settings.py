"""The numbers of the tuner, each with unit, bounds and reason."""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.setting import number


@dataclass(frozen=True, kw_only=True)
class TunerLimits:
    """`warmup.tuner`."""

    window_s: float = number(0.3, "s", (0.1, 1.0), "nine periods of the lowest note that is tuned")
    apart_s: float = number(
        0.05, "s", (0.01, 0.2), "between two windows: long enough to be exact, short enough to know the turns"
    )
    floor_db: float = number(-60.0, "dB", (-90, -20), "quieter is silence")
    clear: float = number(0.8, "share", (0.5, 1), "likeness a period on, from which a tone stands out")
    nearly: float = number(
        0.9,
        "share",
        (0.5, 1),
        "of the highest maximum: the first so high is the period, later ones multiples",
    )
    lowest_hz: float = number(26.0, "Hz", (15, 60), "below the lowest note of a contrabassoon")
    highest_hz: float = number(2800.0, "Hz", (1000, 5000), "above what is tuned by ear or eye")
    near: float = number(1.03, "ratio", (1, 1.05), "the period's own estimate is nearer than this")
    partials: int = number(12, "count", (1, 40), "more say nothing new")
    partial_hz: float = number(
        6000.0, "Hz", (1000, 12000), "higher is mostly breath; the second of the highest note is below"
    )


TUNER_LIMITS = TunerLimits()


@dataclass(frozen=True, kw_only=True)
class TendencyLimits:
    """`warmup.tendency`."""

    stays_cents: float = number(70.0, "cents", (50, 90), "from a held note: farther is another note")
    held_s: float = number(0.8, "s", (0.3, 3), "a shorter tone is passed by")
    settles_s: float = number(0.3, "s", (0, 1), "the beginning of a tone, not counted: it has to find itself")
    sound_m_s: float = number(345.0, "m/s", (330, 360), "sound in a tube warmed by breath, about 23 degrees")
    worth_cents: float = number(5.0, "cents", (1, 20), "nearer is in tune: nobody pulls a slide for less")
    valve_cents: float = number(8.0, "cents", (3, 30), "from the open notes: less is the lips' doing")
    reach_m: float = number(0.12, "m", (0.02, 0.3), "of tube, farther than anything is pulled")


TENDENCY_LIMITS = TendencyLimits()


@dataclass(frozen=True, kw_only=True)
class ToneLimits:
    """`warmup.tone`."""

    silent_db: float = number(-52.0, "dB", (-80, -30), "softer is no tone")
    edge_db: float = number(14.0, "dB", (6, 30), "under the full tone: there it begins and ends")
    heard_db: float = number(28.0, "dB", (15, 50), "under the full tone: just heard")
    least_s: float = number(0.4, "s", (0.2, 2), "a shorter sound is none that is held")
    steady_cents: float = number(6.0, "cents", (2, 20), "the ear hears no wavering below")
    drift_cents: float = number(12.0, "cents", (4, 40), "from one end to the other it goes unnoticed")
    steady_db: float = number(1.8, "dB", (0.5, 6), "a voice wavers by as much and sounds steady")
    drift_db: float = number(6.0, "dB", (2, 15), "half as loud to the ear from 10, plain from 6")
    clear: float = number(0.93, "share", (0.7, 1), "likeness a period on, below which breath is heard")
    rise_s: float = number(0.18, "s", (0.05, 1), "from just heard to full: longer is no clean start")
    scoop_cents: float = number(25.0, "cents", (10, 80), "a quarter of a semitone off at an end is heard")
    jump_cents: float = number(80.0, "cents", (40, 200), "farther is another note, no wavering")
    short_share: float = number(0.4, "counts", (0.1, 1), "that may be missing at the end of a long tone")
    glide_step: float = number(3.0, "semitones", (1, 7), "between two readings of a glide, at most")
    glide_least: float = number(5.0, "semitones", (2, 12), "a fourth: less is no glide")
    cold_s: float = number(300.0, "s", (60, 900), "of playing, until an instrument is warm")
    again_s: float = number(600.0, "s", (120, 1800), "after a tuning: it is worth measuring again")


TONE_LIMITS = ToneLimits()
