"""A held tone looked at: its length, how steady it is in pitch and loudness, how clear, how it begins and
ends. And what is held without an instrument: a buzz, and the siren, a glide from low to high.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.i18n import _, ngettext
from jeweller.phrases import note_name
from jeweller.warmup.settings import TONE_LIMITS
from jeweller.warmup.tendency import REFERENCE, cents_from
from jeweller.warmup.tuner import PitchReading, Tuner

Samples = npt.NDArray[np.float32]
FRAME_S = 0.01


@dataclass(frozen=True, kw_only=True)
class ToneMeasures:
    """What one held tone was. `midi` sounding; `cents_spread` standard deviation about its own slow course;
    `cents_drift` from its first to its last second; levels in dB alike; `clarity` up to 1; `rise_s` from just
    heard to full; `scoop_cents` and `sag_cents`: how far its beginning and its end lie off.
    """

    midi: int | None
    cents: float
    seconds: float
    cents_spread: float
    cents_drift: float
    level_spread: float
    level_drift: float
    clarity: float
    rise_s: float
    scoop_cents: float
    sag_cents: float

    @property
    def steady(self) -> bool:
        """In pitch and in loudness."""
        return (
            self.cents_spread <= TONE_LIMITS.steady_cents
            and abs(self.cents_drift) <= TONE_LIMITS.drift_cents
            and self.level_spread <= TONE_LIMITS.steady_db
            and abs(self.level_drift) <= TONE_LIMITS.drift_db
        )


def measure_tone(samples: Samples, rate: int, reference: float = REFERENCE) -> ToneMeasures | None:
    """One tone (mono, with what little is around it); None where nothing is held.

    >>> t = np.arange(3 * 22050) / 22050
    >>> edge = np.minimum(1, np.minimum(t / 0.02, (3 - t) / 0.05))
    >>> found = measure_tone((0.3 * edge * np.sin(2 * np.pi * 440 * t)).astype(np.float32), 22050)
    >>> found.midi, round(found.seconds, 1), found.steady
    (69, 3.0, True)
    """
    levels = frame_levels(samples, rate)
    if not len(levels):
        return None
    loud = float(np.percentile(levels, 75))
    inside = np.flatnonzero(levels > loud - TONE_LIMITS.edge_db)
    if loud < TONE_LIMITS.silent_db or len(inside) * FRAME_S < TONE_LIMITS.least_s:
        return None
    first, last = int(inside[0]), int(inside[-1]) + 1
    begin, end = first * FRAME_S, last * FRAME_S
    tuner = Tuner(rate)
    readings = [r for r in tuner.push(samples[round(begin * rate) : round(end * rate)]) if r.hz]
    body = levels[first + round(0.2 / FRAME_S) : max(first, last - round(0.2 / FRAME_S))]
    spread, drift = _course(body, FRAME_S)
    quiet = np.flatnonzero(levels[: first + 1] < loud - TONE_LIMITS.heard_db)
    rise_from = int(quiet[-1]) + 1 if len(quiet) else 0
    full = np.flatnonzero(levels[first:last] > loud - 6.0)
    rise = (first + int(full[0]) - rise_from) * FRAME_S if len(full) else 0.0
    if len(readings) < 4:
        return ToneMeasures(
            midi=None,
            cents=0.0,
            seconds=end - begin,
            cents_spread=0.0,
            cents_drift=0.0,
            level_spread=spread,
            level_drift=drift,
            clarity=0.0,
            rise_s=rise,
            scoop_cents=0.0,
            sag_cents=0.0,
        )
    hz = float(np.median([r.hz for r in readings if r.hz]))
    midi, _cents = cents_from(hz, reference)
    course = np.array([1200.0 * math.log2((r.hz or hz) / hz) for r in readings])
    settled = course[2:-2] if len(course) > 8 else course
    settled = settled[np.abs(settled) < TONE_LIMITS.jump_cents]
    pitch_spread, pitch_drift = _course(settled, 0.05)
    middle = float(np.median(settled)) if len(settled) else 0.0
    return ToneMeasures(
        midi=midi,
        cents=100.0 * (69.0 + 12.0 * math.log2(hz / reference) - midi),
        seconds=end - begin,
        cents_spread=pitch_spread,
        cents_drift=pitch_drift,
        level_spread=spread,
        level_drift=drift,
        clarity=float(np.median([r.clarity for r in readings])),
        rise_s=rise,
        scoop_cents=float(course[0]) - middle,
        sag_cents=float(np.mean(course[-2:])) - middle,
    )


def frame_levels(samples: Samples, rate: int) -> npt.NDArray[np.float64]:
    """dB of each hundredth of a second.

    >>> frame_levels(np.ones(220, np.float32), 22050).tolist()
    [0.0]
    """
    hop = round(FRAME_S * rate)
    count = len(samples) // hop
    power = np.square(samples[: count * hop].astype(np.float64)).reshape(count, hop).mean(axis=1)
    return np.asarray(10.0 * np.log10(power + 1e-12)).round(9)


def _course(values: npt.NDArray[np.float64], step_s: float) -> tuple[float, float]:
    """(standard deviation about a slow line, the line's change from one end to the other)."""
    if len(values) < 4:
        return 0.0, 0.0
    t = np.arange(len(values)) * step_s
    slope, at_zero = np.polyfit(t, values, 1)
    return float(np.std(values - (slope * t + at_zero))), float(slope * t[-1])


@dataclass
class ToneCatcher:
    """Cuts tones out of sound as it comes: `push` gives one that has just ended (with what is around it)."""

    rate: int
    gap_s: float = 0.3
    _kept: list[Samples] | None = None
    _before: Samples | None = None
    _quiet_s: float = 0.0
    _loud_db: float = -120.0

    def push(self, block: Samples) -> Samples | None:
        """A block of sound; a tone where one is over by it."""
        power = float(np.mean(np.square(block, dtype=np.float64))) if len(block) else 0.0
        db = 10.0 * math.log10(power + 1e-12)
        heard = db > max(TONE_LIMITS.silent_db, self._loud_db - TONE_LIMITS.heard_db)
        if self._kept is None:
            if heard:
                before = [self._before] if self._before is not None else []
                self._kept, self._quiet_s, self._loud_db = [*before, block], 0.0, db
            self._before = block
            return None
        self._kept.append(block)
        self._loud_db = max(self._loud_db, db)
        self._quiet_s = 0.0 if heard else self._quiet_s + len(block) / self.rate
        if self._quiet_s < self.gap_s:
            return None
        tone = np.concatenate(self._kept)
        self._kept, self._loud_db = None, -120.0
        return tone


def tone_sentence(tone: ToneMeasures, asked_s: float, counts: int) -> str:
    """One line on a long tone that was to last `counts` counts, `asked_s` in all."""
    told = []
    beat = asked_s / max(1, counts)
    if tone.seconds < asked_s - TONE_LIMITS.short_share * beat:
        held = max(0, round(tone.seconds / beat))
        told.append(ngettext("{n} count of {of}", "{n} counts of {of}", held).format(n=held, of=counts))
    else:
        told.append(_("full length"))
    if tone.cents_spread > TONE_LIMITS.steady_cents:
        told.append(_("the pitch wavers by {cents:.0f} cents").format(cents=tone.cents_spread))
    elif abs(tone.cents_drift) > TONE_LIMITS.drift_cents:
        told.append(
            _("it rises by {cents:.0f} cents").format(cents=tone.cents_drift)
            if tone.cents_drift > 0
            else _("it sinks by {cents:.0f} cents").format(cents=-tone.cents_drift)
        )
    swells = tone.level_drift > TONE_LIMITS.drift_db  # throughout: then no end of its beginning is heard
    if tone.level_spread > TONE_LIMITS.steady_db:
        told.append(_("the loudness wavers"))
    elif tone.level_drift < -TONE_LIMITS.drift_db:
        told.append(_("it fades"))
    elif swells:
        told.append(_("it swells"))
    if tone.midi is not None and tone.clarity < TONE_LIMITS.clear:
        told.append(_("airy or fuzzy"))
    if tone.rise_s > TONE_LIMITS.rise_s and not swells:
        told.append(_("it begins slowly"))
    elif abs(tone.scoop_cents) > TONE_LIMITS.scoop_cents:
        told.append(_("it slides in from below") if tone.scoop_cents < 0 else _("it slides in from above"))
    if tone.sag_cents < -TONE_LIMITS.scoop_cents:
        told.append(_("its end sags"))
    if len(told) == 1 and tone.steady:
        told.append(_("steady, clear, clean at both ends"))
    return ", ".join(told)


@dataclass(frozen=True)
class Glide:
    """A slide from low to high: sounding MIDI pitches (with fractions), and how long it took."""

    low: float
    high: float
    seconds: float

    def sentence(self, chromatic: int) -> str:
        """Nothing is marked: only what it was, in the player's written names."""
        from jeweller.notation.pitch import spell

        low, high = (note_name(spell(round(m) - chromatic, -1).name) for m in (self.low, self.high))
        return _("from {low} up to {high} in {seconds:.1f} s").format(
            low=low, high=high, seconds=self.seconds
        )


def find_glides(readings: Sequence[PitchReading]) -> list[Glide]:
    """The glides upwards in what was heard; small steps back are passed over.

    >>> up = [PitchReading(k / 20, 220.0 * 2 ** (k / 20), 0.9, -20.0) for k in range(21)]
    >>> [(round(g.low), round(g.high)) for g in find_glides(up)]
    [(57, 69)]
    """
    glides: list[Glide] = []
    run: list[tuple[float, float]] = []
    for reading in [*readings, PitchReading(math.inf, None, 0.0, -120.0)]:
        pitch = 69.0 + 12.0 * math.log2(reading.hz / REFERENCE) if reading.hz else None
        near = bool(run) and pitch is not None and -1.0 < pitch - run[-1][1] < TONE_LIMITS.glide_step
        if pitch is not None and (near or not run):
            run.append((reading.at_s, pitch))
            continue
        glides += _glide(run)
        run = [(reading.at_s, pitch)] if pitch is not None else []
    return glides


def _glide(run: Sequence[tuple[float, float]]) -> list[Glide]:
    if len(run) < 4:
        return []
    top = max(range(len(run)), key=lambda k: run[k][1])
    bottom = min(range(top + 1), key=lambda k: run[k][1])
    low, high = run[bottom][1], run[top][1]
    if high - low < TONE_LIMITS.glide_least:
        return []
    return [Glide(low, high, run[top][0] - run[bottom][0])]
