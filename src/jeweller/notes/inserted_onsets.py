"""A second, local hearing inside long segments: a note too many, or the same note taken again, that the first
pass swallowed.
"""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass

import numpy as np

from jeweller.alignment.candidates import pick_peaks
from jeweller.alignment.note_arrays import NoteArrays
from jeweller.features.extraction import Features
from jeweller.notes.measure import NoteMeasurer
from jeweller.notes.table import PlayedNote

MIN_RUN_S = 0.10  # a sound shorter than this is no note
ATTACK_PART_S = 0.14  # what happens so early belongs to the attack
MIN_CLARITY = 0.78
LEVEL_BELOW_DB = 13.0  # softer than the note by more than this: room or the next room
GAP_S = 0.09  # the same pitch again counts as sounded again after a gap of so much
MIN_ATTACK = 0.3
STROKE_GAP_S = 0.09  # two strokes are so far apart
# of the usual attack, and dB below the usual stroke: as strong and loud, it is a stroke
STROKE_SHARE, STROKE_BELOW_DB = 0.6, 8.0
# a sound so long, clear and loud is a note without an attack too
SURE_RUN_S, SURE_CLARITY, SURE_BELOW_DB = 0.12, 0.95, 7.0
# the same pitch again is a note of its own after such an attack and such a dip
OWN_ATTACK, OWN_DIP_DB = 0.4, 3.0
TWICE_ATTACK, TWICE_DIP_DB = 0.45, 6.0  # and a note was sounded twice
DOTTED = 2.9  # the short note of a dotted figure comes early, and long, where that is evened out
LONG_RATIO = 1.45  # a segment longer than this times the written length may hold the note twice
DUE_S = 0.10  # the second sound is nearer to where the note was due by so much
FOLDED = (0, 12, 19, 24)  # semitones: the same tone, heard in another octave or at its third partial


@dataclass(frozen=True, kw_only=True)
class _Run:
    on_s: float
    off_s: float
    midi: float
    attack: float
    level_db: float


def find_inserted_onsets(
    events: list[PlayedNote], items: NoteArrays, features: Features, measurer: NoteMeasurer
) -> list[PlayedNote]:
    """Events with the sounds inside their segments told apart."""
    out: list[PlayedNote] = []
    for k, event in enumerate(events):
        if event.index is None or np.isnan(event.midi) or items.trill[event.index]:
            out.append(event)
            continue
        after = events[k + 1] if k + 1 < len(events) else None
        graces = items.graces[event.index] | (
            items.graces[event.index + 1] if event.index + 1 < len(items.graces) else frozenset()
        )
        runs = [
            r
            for r in _runs(event, after, features, measurer)
            if not any(abs(r.midi - g) < 0.7 for g in graces)
        ]
        out.append(event)
        # A tone that wavers is no other note.
        out.extend(_extra(r, event) for r in runs if abs(r.midi - event.midi) > 0.7 + event.spread)
    return out


def find_inserted_strokes(
    events: list[PlayedNote], features: Features, measurer: NoteMeasurer
) -> list[PlayedNote]:
    """For rhythm alone: events with the strokes that the search passed over told as strokes of their own:
    about as strong and as loud as the others.
    """
    f = features
    if len(events) < 4:
        return events
    usual = float(np.median([e.attack for e in events]))
    peak = [_loudest(e.on_s, f) for e in events]
    loud = float(np.median(peak))
    out: list[PlayedNote] = []
    for event in events:
        out.append(event)
        a, b = round((event.on_s + STROKE_GAP_S) / f.hop_s), round((event.next_s - STROKE_GAP_S) / f.hop_s)
        window = f.flux[a:b]
        for k in pick_peaks(window, STROKE_SHARE * usual, round(STROKE_GAP_S / f.hop_s)) if b - a > 2 else ():
            at = (a + int(k)) * f.hop_s
            if _loudest(at, f) > loud - STROKE_BELOW_DB:
                on_s = measurer.onset(round(at / f.step_s), None)
                out.append(
                    dataclasses.replace(
                        event,
                        index=None,
                        before=event.before + 1 if event.index is not None else event.before,
                        on_s=on_s,
                        off_s=min(on_s + 0.1, event.next_s),
                        attack=measurer.attack(on_s),
                    )
                )
    return out


def _loudest(at_s: float, f: Features) -> float:
    k = round(at_s / f.hop_s)
    return float(f.level[max(0, k - 2) : k + round(0.06 / f.hop_s)].max(initial=-120.0))


def _extra(run: _Run, event: PlayedNote) -> PlayedNote:
    return PlayedNote(
        index=None,
        before=event.main_index + 1,
        on_s=run.on_s,
        off_s=run.off_s,
        next_s=run.off_s,
        midi=run.midi,
        spread=0.1,
        clarity=0.9,
        expected_clarity=0.0,
        octave_up=0.0,
        twelfth_up=0.0,
        level_db=run.level_db,
        attack=run.attack,
        attempt=event.attempt,
    )


def _runs(
    event: PlayedNote, after: PlayedNote | None, features: Features, measurer: NoteMeasurer
) -> list[_Run]:
    """Steady sounds in a segment that are not the note itself: another pitch, or the same after a gap."""
    f = features
    ratio = round(f.step_s / f.hop_s)
    a, b = (
        round((event.on_s + ATTACK_PART_S) / f.step_s),
        min(round((event.next_s - 0.02) / f.step_s), len(f.f0)),
    )
    if after is not None and after.index is not None:
        b = min(b, round((after.on_s - 0.02) / f.step_s))
    runs: list[_Run] = []
    k = a
    level = f.level[::ratio]
    last_same = round(event.on_s / f.step_s)
    while k < b:
        sounding = (
            f.best[k] > MIN_CLARITY
            and level[k] > max(event.level_db - LEVEL_BELOW_DB, f.floor_db + 6.0)
            and not np.isnan(f.f0[k])
        )
        if not sounding:
            k += 1
            continue
        pitch = float(f.f0[k])
        m = k
        while (
            m < b
            and f.best[m] > MIN_CLARITY
            and abs(float(f.f0[m]) - pitch) < 0.6
            and level[m] > max(event.level_db - LEVEL_BELOW_DB, f.floor_db + 6.0)
        ):
            m += 1
        same = any(abs(abs(pitch - event.midi) - d) < 0.7 for d in FOLDED)
        long_enough = (m - k) * f.step_s >= MIN_RUN_S
        if same:
            gap = (k - last_same) * f.step_s
            if gap >= GAP_S and long_enough and measurer.attack(k * f.step_s) >= MIN_ATTACK:
                runs.append(
                    _Run(
                        on_s=k * f.step_s,
                        off_s=m * f.step_s,
                        midi=event.midi,
                        attack=measurer.attack(k * f.step_s),
                        level_db=float(np.median(level[k:m])),
                    )
                )
            last_same = m
        elif (
            long_enough
            and _begins(k, m, event, f, level, measurer)
            and not _next_note(pitch, k, m, b, after, f, level)
        ):
            runs.append(
                _Run(
                    on_s=k * f.step_s,
                    off_s=m * f.step_s,
                    midi=float(np.median(f.f0[k:m])),
                    attack=measurer.attack(k * f.step_s),
                    level_db=float(np.median(level[k:m])),
                )
            )
        k = max(m, k + 1)
    return runs


def _begins(
    k: int, m: int, event: PlayedNote, f: Features, level: np.ndarray, measurer: NoteMeasurer
) -> bool:  # type: ignore[type-arg]
    """Whether the sound in frames k..m is a note: it has an attack, or it is as loud and clear as the note
    itself.
    """
    if measurer.attack(k * f.step_s) >= MIN_ATTACK:
        return True
    sure = (m - k) * f.step_s >= SURE_RUN_S and float(np.median(f.best[k:m])) > SURE_CLARITY
    return sure and float(np.median(level[k:m])) > event.level_db - SURE_BELOW_DB


def _next_note(
    pitch: float, begin: int, end: int, limit: int, after: PlayedNote | None, f: Features, level: np.ndarray
) -> bool:  # type: ignore[type-arg]
    """The beginning of the note that follows, heard a little early, is no extra note; unless that note has an
    attack of its own behind it.
    """
    apart = abs(pitch - after.midi) if after is not None else 99.0
    if after is None or end < limit - 4 or min(abs(apart - d) for d in FOLDED) >= 0.8:
        return False
    join = round(after.on_s / f.step_s)
    around = level[max(0, join - 8) : join + 4]
    dip = (
        min(float(np.median(level[begin:end])), after.level_db) - float(around.min()) if len(around) else 0.0
    )
    return not ((end - begin) * f.step_s >= SURE_RUN_S and after.attack >= OWN_ATTACK and dip >= OWN_DIP_DB)


def split_doubled_notes(
    events: list[PlayedNote], items: NoteArrays, spq: np.ndarray, features: Features, measurer: NoteMeasurer
) -> list[PlayedNote]:  # type: ignore[type-arg]
    """Events in which a note sounded twice told apart: too long a segment with an attack of its own inside,
    where the note was to be expected.

    The first sound is then a note too many, on the pitch of the one that follows.
    """
    out: list[PlayedNote] = []
    for k, event in enumerate(events):
        before = events[k - 1] if k else None
        if (
            event.index is None
            or math.isnan(event.midi)
            or items.trill[event.index]
            or items.last_free[event.index]
            or before is None
            or before.index != event.index - 1
            or items.graces[event.index]
            or items.ioi_q[event.index - 1] > DOTTED * items.ioi_q[event.index]
        ):
            out.append(event)
            continue
        written = float(items.ioi_q[event.index]) * float(spq[event.index])
        due = before.on_s + float(items.ioi_q[before.index]) * float(spq[before.index])
        at = _second_attack(event, written, due, features)
        if at is None:
            out.append(event)
            continue
        found = measurer.measure(at, event.next_s, round(event.midi), int(items.midi[event.index]))
        out.append(
            dataclasses.replace(
                event, index=None, before=event.index, off_s=min(event.off_s, at - 0.02), next_s=at
            )
        )
        out.append(
            dataclasses.replace(
                event,
                on_s=at,
                off_s=found.off_s,
                midi=found.midi,
                spread=found.spread,
                clarity=found.clarity,
                expected_clarity=found.expected_clarity,
                octave_up=found.octave_up,
                twelfth_up=found.twelfth_up,
                level_db=found.level_db,
                attack=measurer.attack(at),
            )
        )
    return out


def _second_attack(event: PlayedNote, written: float, due: float, f: Features) -> float | None:
    """Where a note begins again, if that is where it was due and its length is then right."""
    length = event.next_s - event.on_s
    if length < LONG_RATIO * written:
        return None
    a, b = round((event.on_s + MIN_RUN_S) / f.hop_s), round((event.on_s + 0.7 * length) / f.hop_s)
    window = f.flux[a:b]
    if not len(window) or float(window.max()) < TWICE_ATTACK:
        return None
    peak = a + int(window.argmax())
    at = peak * f.hop_s
    dip = event.level_db - float(f.level[max(0, peak - 8) : peak + 6].min())
    nearer = abs(at - due) < abs(event.on_s - due) - DUE_S
    better = abs(math.log((event.next_s - at) / written)) < abs(math.log(length / written)) - 0.2
    return at if dip >= TWICE_DIP_DB and nearer and better else None
