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
    reach_m: float = number(0.12, "m", (0.02, 0.3), "of tube, farther than anything is pulled")


TENDENCY_LIMITS = TendencyLimits()
