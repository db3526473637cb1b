"""How neighbouring notes are joined: the dip of loudness between them, the gap, the attack of the second, and
how the one gives way to the other.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from numpy.lib.stride_tricks import sliding_window_view

from jeweller.features.extraction import Features, midi_to_hz
from jeweller.features.robust import median, percentile
from jeweller.notes.detail_settings import TRANSITIONS
from jeweller.notes.table import NoteTable, NoteTransition, PlayedNote


def measure_transitions(following: NoteTable, features: Features, run_on_db: float) -> list[NoteTransition]:
    """Every transition between notes that follow one another without a rest. How the one gives way to the
    other is measured where it may be asked: in a slur that is not flat, and between other notes whose dip is
    not far deeper than `run_on_db`.
    """
    out: list[NoteTransition] = []
    notes = following.line.main_notes
    level = features.level
    for j in range(1, len(notes)):
        a, b = following.event_of(j - 1), following.event_of(j)
        if (
            a is None
            or b is None
            or notes[j - 1].end != notes[j].onset
            or a.attempt != b.attempt
            or b.on_s - a.on_s < 0.05
        ):
            continue
        k = round(b.on_s / features.hop_s)
        before = level[
            max(0, k - round(TRANSITIONS.before_s / features.hop_s)) : max(
                1, k - round(TRANSITIONS.near_s / features.hop_s) // 2
            )
        ]
        middle = level[max(0, k - round(TRANSITIONS.near_s / features.hop_s)) : k + 6]
        after = level[k : k + round(TRANSITIONS.after_s / features.hop_s)]
        if not len(before) or not len(middle) or not len(after):
            continue
        dip = min(percentile(before, 80), percentile(after, 80)) - float(middle.min())
        asked = (
            notes[j].slurred_from_previous and dip > TRANSITIONS.flat_db
        ) or dip < run_on_db + TRANSITIONS.deep_db
        changes = notes[j].sounding_midi != notes[j - 1].sounding_midi and not math.isnan(a.midi + b.midi)
        out.append(
            NoteTransition(
                index=j,
                dip_db=dip,
                gap_s=b.on_s - a.off_s,
                attack=b.attack,
                ioi_s=b.on_s - a.on_s,
                share=(a.off_s - a.on_s) / (b.on_s - a.on_s),
                drop_db=a.level_db - float(middle.min()),
                crossing=measure_crossing(features, a, b, following.shift) if asked and changes else None,
            )
        )
    return out


def _loudness(
    features: Features, centre_s: float, partials: Sequence[Sequence[float]], window: int
) -> list[npt.NDArray[np.float64]]:
    """Amplitude of each group of partials together, every COURSE_STEP_S around a moment, (2 COURSE_REACH +
    1,).
    """
    x = features.samples
    begin = (
        np.rint(
            (
                centre_s
                + TRANSITIONS.course_step_s
                * np.arange(-TRANSITIONS.course_reach, TRANSITIONS.course_reach + 1)
            )
            * features.rate
        ).astype(np.int64)
        - window // 2
    )
    if begin[0] < 0 or begin[-1] + window > len(x):
        x, begin = np.pad(x, window), np.clip(begin, -window, len(x)) + window
    taper = np.hanning(window + 2)[1:-1]
    turns = np.outer(
        np.arange(window), 2 * np.pi * np.array([f for group in partials for f in group]) / features.rate
    )
    waves = (np.exp(1j * turns) * (taper / taper.sum())[:, None]).astype(np.complex64)
    frames = sliding_window_view(x, window)[begin].astype(np.float32, copy=False)
    power = np.square(frames @ waves.real) + np.square(frames @ waves.imag)
    ends = np.cumsum([len(group) for group in partials])[:-1]
    return [np.sqrt(part.sum(axis=1)).astype(np.float64) for part in np.split(power, ends, axis=1)]


def measure_crossing(features: Features, a: PlayedNote, b: PlayedNote, shift: int = 0) -> tuple[float, ...]:
    """How the first of two joined notes of different pitch gives way to the second: 15 levels in dB, each
    note's own steady level being 0. `shift`: semitones taken out of their pitches.

    The level at which they cross, then the first and the second note at SEEN steps from there. A slur crosses
    high; behind a tongue the first has sunk before the second speaks, in a room too.
    """
    first, second = float(midi_to_hz(a.midi + shift)), float(midi_to_hz(b.midi + shift))
    window = int(
        features.rate
        * np.clip(TRANSITIONS.window_periods / max(abs(first - second), 1.0), *TRANSITIONS.window_s)
    )
    width = TRANSITIONS.band * features.rate / window
    own = [
        [h * f for h in range(1, TRANSITIONS.partials + 1) if h * f < TRANSITIONS.highest_hz] or [f]
        for f in (first, second)
    ]
    apart = [
        [f for f in these if min(abs(f - g) for g in others) > width] or these[:1]
        for these, others in (own, own[::-1])
    ]
    levels = [
        20 * np.log10(loud / (median(loud[slice(*steady)]) + 1e-9) + 1e-3)
        for loud, steady in zip(
            _loudness(features, b.on_s, apart, window),
            (TRANSITIONS.steady[:2], TRANSITIONS.steady[2:]),
            strict=True,
        )
    ]
    inner = slice(-TRANSITIONS.seen[0] + 4, 2 * TRANSITIONS.course_reach + 1 - TRANSITIONS.seen[-1] - 7)
    lower = np.minimum(*levels)[inner]
    at = int(lower.argmax()) + inner.start
    told = [np.clip(level[at + np.array(TRANSITIONS.seen)], *TRANSITIONS.course_db) for level in levels]
    return (float(lower.max()), *(float(v) for v in np.concatenate(told)))
