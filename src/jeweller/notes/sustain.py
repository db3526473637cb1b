"""How a long note sounds from beginning to end: its pitch line, its loudness, its clearness."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from jeweller.features.extraction import Features, salience_near
from jeweller.features.robust import median, percentile
from jeweller.notes.settings import SUSTAIN
from jeweller.notes.table import NoteTable, PlayedNote, SustainedTone


def _steady(
    following: NoteTable, features: Features, least_s: float
) -> Iterator[tuple[int, PlayedNote, slice]]:
    """The plain notes of `least_s` and more: (main note, its event, the pitch frames between its attack and
    its release).
    """
    for i, note in enumerate(following.line.main_notes):
        event = following.event_of(i)
        if (
            event is not None
            and not math.isnan(event.midi)
            and not note.written.ornament
            and event.off_s - event.on_s >= least_s
        ):
            yield (
                i,
                event,
                slice(
                    round((event.on_s + SUSTAIN.head_s) / features.step_s),
                    round((event.off_s - SUSTAIN.tail_s) / features.step_s),
                ),
            )


def measure_clearness(following: NoteTable, features: Features) -> list[tuple[int, float]]:
    """(main note, periodicity of its clearest fifth) of every plain note of CLEARNESS_S and more: the note
    before spoils only its beginning.
    """
    found = [
        (i, salience_near(features, rows, round(event.midi))[0])
        for i, event, rows in _steady(following, features, SUSTAIN.clearness_s)
    ]
    return [(i, percentile(clear, 80)) for i, clear in found if len(clear) >= 5]


def measure_sustain(following: NoteTable, features: Features) -> list[SustainedTone]:
    from scipy.ndimage import uniform_filter1d

    out: list[SustainedTone] = []
    ratio = round(features.step_s / features.hop_s)
    for i, event, rows in _steady(following, features, SUSTAIN.least_s):
        clear, pitch = salience_near(features, rows, round(event.midi))
        level = features.level[rows.start * ratio : rows.stop * ratio : ratio][: len(pitch)]
        good = clear > SUSTAIN.clear
        if good.sum() < 0.7 * len(good) or len(pitch) < 30 or len(level) < len(pitch):
            continue
        cents = 100.0 * (np.interp(np.arange(len(pitch)), np.flatnonzero(good), pitch[good]) - event.midi)
        quarter = len(cents) // 4
        t = np.linspace(-1.0, 1.0, len(cents))
        smooth = uniform_filter1d(cents, max(1, round(SUSTAIN.vibrato_s / features.step_s)))
        slow = smooth - np.polyval(np.polyfit(t, smooth, 2), t)
        loud = uniform_filter1d(level.astype(np.float64), max(1, round(SUSTAIN.vibrato_s / features.step_s)))
        slow_db = loud - np.polyval(np.polyfit(t, loud, 2), t)
        out.append(
            SustainedTone(
                index=i,
                drift_cents=median(cents[-quarter:]) - median(cents[:quarter]),
                drift_db=median(level[-quarter:]) - median(level[:quarter]),
                waver_cents=float(np.std(slow)),
                waver_db=float(np.std(slow_db)),
                clarity=median(clear),
                seconds=event.off_s - event.on_s,
            )
        )
    return out
