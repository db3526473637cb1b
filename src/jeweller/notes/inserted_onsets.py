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
from jeweller.features.robust import median
from jeweller.notes.measure import NoteMeasurer
from jeweller.notes.settings import INSERTED_ONSETS, SAME_PITCH
from jeweller.notes.table import PlayedNote


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
            if not any(abs(r.midi - g) < SAME_PITCH for g in graces)
        ]
        out.append(event)
        # A tone that wavers is no other note, and one of the same pitch comes behind silence.
        out.extend(
            _extra(r, event)
            for r in runs
            if abs(r.midi - event.midi) > SAME_PITCH + event.spread or _after_silence(r, event, features)
        )
    return out


def _after_silence(run: _Run, event: PlayedNote, f: Features) -> bool:
    """Whether a sound of the note's own pitch begins plainly, and as loud, out of silence behind the note."""
    quiet = f.level[round(event.off_s / f.hop_s) : round(run.on_s / f.hop_s)]
    silent = quiet < min(event.level_db, run.level_db) - INSERTED_ONSETS.silence_db
    return (
        float(np.count_nonzero(silent)) * f.hop_s > INSERTED_ONSETS.silence_s
        and run.off_s - run.on_s > INSERTED_ONSETS.min_run_s
        and run.attack > INSERTED_ONSETS.twice_attack
        and abs(run.level_db - event.level_db) < INSERTED_ONSETS.sure_below_db
    )


def find_inserted_strokes(
    events: list[PlayedNote], features: Features, measurer: NoteMeasurer
) -> list[PlayedNote]:
    """For rhythm alone: events with the strokes that the search passed over told as strokes of their own:
    about as strong and as loud as the others.
    """
    f = features
    if len(events) < 4:
        return events
    usual = median([e.attack for e in events])
    peak = [_loudest(e.on_s, f) for e in events]
    loud = median(peak)
    out: list[PlayedNote] = []
    for event in events:
        out.append(event)
        a, b = (
            round((event.on_s + INSERTED_ONSETS.stroke_gap_s) / f.hop_s),
            round((event.next_s - INSERTED_ONSETS.stroke_gap_s) / f.hop_s),
        )
        window = f.flux[a:b]
        for k in (
            pick_peaks(
                window, INSERTED_ONSETS.stroke_share * usual, round(INSERTED_ONSETS.stroke_gap_s / f.hop_s)
            )
            if b - a > 2
            else ()
        ):
            at = (a + int(k)) * f.hop_s
            if _loudest(at, f) > loud - INSERTED_ONSETS.stroke_below_db:
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
        round((event.on_s + INSERTED_ONSETS.attack_part_s) / f.step_s),
        min(round((event.next_s - 0.02) / f.step_s), len(f.f0)),
    )
    if after is not None and after.index is not None:
        b = min(b, round((after.on_s - 0.02) / f.step_s))
    runs: list[_Run] = []
    least_db = max(event.level_db - INSERTED_ONSETS.level_below_db, f.floor_db + 6.0)
    level = f.level[::ratio]
    clear = (f.best[a:b] > INSERTED_ONSETS.min_clarity) & (level[a:b] > least_db)
    pitches = np.where(clear, f.f0[a:b], np.nan).tolist()  # none where it is not clear
    k = a
    last_same = round(event.on_s / f.step_s)
    while k < b:
        pitch = pitches[k - a]
        if math.isnan(pitch):
            k += 1
            continue
        m = k
        while m < b and abs(pitches[m - a] - pitch) < SAME_PITCH:
            m += 1
        same = any(abs(abs(pitch - event.midi) - d) < SAME_PITCH for d in INSERTED_ONSETS.folded)
        long_enough = (m - k) * f.step_s >= INSERTED_ONSETS.min_run_s
        if same:
            gap = (k - last_same) * f.step_s
            if (
                gap >= INSERTED_ONSETS.gap_s
                and long_enough
                and measurer.attack(k * f.step_s) >= INSERTED_ONSETS.min_attack
            ):
                runs.append(
                    _Run(
                        on_s=k * f.step_s,
                        off_s=m * f.step_s,
                        midi=event.midi,
                        attack=measurer.attack(k * f.step_s),
                        level_db=median(level[k:m]),
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
                    midi=median(f.f0[k:m]),
                    attack=measurer.attack(k * f.step_s),
                    level_db=median(level[k:m]),
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
    if measurer.attack(k * f.step_s) >= INSERTED_ONSETS.min_attack:
        return True
    sure = (m - k) * f.step_s >= INSERTED_ONSETS.sure_run_s and float(
        median(f.best[k:m])
    ) > INSERTED_ONSETS.sure_clarity
    return sure and median(level[k:m]) > event.level_db - INSERTED_ONSETS.sure_below_db


def _next_note(
    pitch: float, begin: int, end: int, limit: int, after: PlayedNote | None, f: Features, level: np.ndarray
) -> bool:  # type: ignore[type-arg]
    """The beginning of the note that follows, heard a little early, is no extra note; unless that note has an
    attack of its own behind it.
    """
    apart = abs(pitch - after.midi) if after is not None else 99.0
    if after is None or end < limit - 4 or min(abs(apart - d) for d in INSERTED_ONSETS.folded) >= 0.8:
        return False
    join = round(after.on_s / f.step_s)
    around = level[max(0, join - 8) : join + 4]
    dip = min(median(level[begin:end]), after.level_db) - float(around.min()) if len(around) else 0.0
    return not (
        (end - begin) * f.step_s >= INSERTED_ONSETS.sure_run_s
        and after.attack >= INSERTED_ONSETS.own_attack
        and dip >= INSERTED_ONSETS.own_dip_db
    )


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
            or items.ioi_q[event.index - 1] > INSERTED_ONSETS.dotted * items.ioi_q[event.index]
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
    if length < INSERTED_ONSETS.long_ratio * written:
        return None
    a, b = (
        round((event.on_s + INSERTED_ONSETS.min_run_s) / f.hop_s),
        round((event.on_s + 0.7 * length) / f.hop_s),
    )
    window = f.flux[a:b]
    if not len(window) or float(window.max()) < INSERTED_ONSETS.twice_attack:
        return None
    peak = a + int(window.argmax())
    at = peak * f.hop_s
    dip = event.level_db - float(f.level[max(0, peak - 8) : peak + 6].min())
    nearer = abs(at - due) < abs(event.on_s - due) - INSERTED_ONSETS.due_s
    better = abs(math.log((event.next_s - at) / written)) < abs(math.log(length / written)) - 0.2
    return at if dip >= INSERTED_ONSETS.twice_dip_db and nearer and better else None
