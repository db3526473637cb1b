"""Second look at what the search took for notes that are not written: a place taken again is a restart, even
of one or two notes.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

import numpy as np

from jeweller.alignment.note_arrays import NoteArrays
from jeweller.features.robust import median
from jeweller.notes.detail_settings import RESTARTS
from jeweller.notes.settings import SAME_PITCH
from jeweller.notes.table import Jump, PlayedNote


def ghost_odds(event: PlayedNote, before: PlayedNote | None, usual_db: float) -> float:
    """Log odds that a sound is no note but the room or the tail of the note before: soft, short, without an
    attack, on the same pitch.
    """
    if np.isnan(event.midi):
        return -1.0 if event.attack > 0.6 else 1.0
    length, room = event.off_s - event.on_s, max(event.next_s - event.on_s, 0.02)
    share = length / room
    below = usual_db - event.level_db
    odds = (
        -3.4
        + (below - 9.0) / 3.0
        + 3.0 * max(0.0, 0.6 - event.attack)
        + (1.0 if share < 0.6 else -1.0)
        + 6.0 * max(0.0, 0.95 - event.clarity)
    )
    same = before is not None and any(
        abs(before.midi - event.midi - d) < SAME_PITCH for d in (0.0, 12.0, 19.0, 24.0)
    )
    odds += max(0.0, min(RESTARTS.blink_s, 0.5 * room) - length) / 0.015
    return odds + (1.0 if same else 0.0)


def usual_level(events: Sequence[PlayedNote], k: int) -> float:
    """Median level of the notes around event k, dB."""
    near = [e.level_db for m, e in enumerate(events[max(0, k - 5) : k + 6], max(0, k - 5)) if m != k]
    return median(near) if near else events[k].level_db


def drop_ghosts(events: list[PlayedNote], jumps: list[Jump]) -> tuple[list[PlayedNote], list[Jump]]:
    """Without tries, and notes that are not written, which are only the tail of the note before: silence is
    no restart.
    """
    ghosts = [
        k for k, e in enumerate(events) if k and ghost_odds(e, events[k - 1], usual_level(events, k)) > 0.0
    ]
    out: list[PlayedNote] = []
    kept = list(jumps)
    drop = 0
    for k, event in enumerate(events):
        event = dataclasses.replace(event, attempt=event.attempt - drop)
        if k in ghosts and event.index is None:
            continue
        if (
            k in ghosts
            and k + 1 < len(events)
            and events[k + 1].index == event.index
            and events[k + 1].attempt == events[k].attempt + 1
        ):
            drop += 1
            kept = [j for j in kept if abs(j.at_s - events[k + 1].on_s) > 0.2]
            continue
        out.append(event)
    return out, kept


def find_restarts(
    events: list[PlayedNote], jumps: list[Jump], items: NoteArrays, spq: np.ndarray
) -> tuple[list[PlayedNote], list[Jump]]:  # type: ignore[type-arg]
    """Events with abandoned tries given their note and attempt, and the jumps that lead back from them."""
    new_events: list[PlayedNote] = []
    new_jumps: list[Jump] = list(jumps)
    more = 0
    k = 0
    while k < len(events):
        run = _abandoned(events, k, items, spq)
        if (
            run == 1
            and ghost_odds(events[k], events[k - 1] if k else None, usual_level(events, k))
            > RESTARTS.surely_a_note
        ):
            run = 0
        if run:
            target = events[k].before
            for offset in range(run):
                new_events.append(
                    dataclasses.replace(
                        events[k + offset], index=target + offset, attempt=events[k + offset].attempt + more
                    )
                )
            new_jumps.append(Jump(events[k + run].on_s, target + run, target))
            more += 1
            k += run
            continue
        new_events.append(dataclasses.replace(events[k], attempt=events[k].attempt + more))
        k += 1
    new_jumps.sort(key=lambda j: j.at_s)
    return new_events, new_jumps


def _abandoned(events: list[PlayedNote], k: int, items: NoteArrays, spq: np.ndarray) -> int:  # type: ignore[type-arg]
    """How many events from k on are the beginning of the line at the note that comes next, played and taken
    again; 0 where none.
    """
    first = events[k]
    if first.index is not None or first.before == 0 or first.before >= len(items.midi):
        return 0
    m = k
    while m < len(events) and events[m].index is None and events[m].before == first.before:
        m += 1
    run = m - k
    if m >= len(events) or events[m].index != first.before or first.before + run > len(items.midi):
        return 0
    for offset in range(run):
        if not abs(events[k + offset].midi - items.midi[first.before + offset]) < SAME_PITCH:
            return 0
    # One note again is a restart only after a pause, or as long as written: else it is a note too many.
    last = events[m - 1]
    pause = events[m].on_s - last.off_s
    length = last.next_s - first.on_s
    written = float(items.ioi_q[first.before : first.before + run].sum()) * spq[first.before]
    if run == 1 and pause < RESTARTS.pause_s and length < 0.75 * written:
        return 0
    return run if pause >= RESTARTS.pause_s or run >= 2 else 0


def begin_with_sound(events: list[PlayedNote], items: NoteArrays) -> list[PlayedNote]:
    """Events without an empty first note: nobody begins with a rest. Where the first notes are of one pitch,
    it is a later one that was left out.
    """
    first = events[0] if events else None
    empty = (
        first is not None
        and first.index == 0
        and first.attack < 0.3
        and (
            np.isnan(first.midi)
            or first.clarity < 0.3
            or (
                abs(first.midi - items.midi[0]) > SAME_PITCH
                and first.clarity < RESTARTS.unclear
                and first.level_db < usual_level(events, 0) - RESTARTS.unclear_db
            )
        )
    )
    run = 1
    while run < len(items.midi) and items.repeated[run]:
        run += 1
    if not empty or run < 2 or [e.index for e in events[1:run]] != list(range(1, run)):
        return events
    return [
        *(
            dataclasses.replace(e, index=e.index - 1, before=e.before - 1)
            for e in events[1:run]
            if e.index is not None
        ),
        *events[run:],
    ]


def drop_false_starts(events: list[PlayedNote], jumps: list[Jump]) -> tuple[list[PlayedNote], list[Jump]]:
    """Without the tries before the music: a sounded first note, a beginning broken off within a few notes,
    and speech, are not music.
    """
    while jumps and jumps[0].target < jumps[0].origin:
        first = [e for e in events if e.at_or_before(jumps[0].at_s)]
        written = [e.index for e in first if e.index is not None]
        few = (
            len(first) <= RESTARTS.false_start_notes
            or median([e.expected_clarity for e in first]) < RESTARTS.spoken
        )
        if (
            not written
            or not few
            or min(written) != jumps[0].target
            or min(e.attempt for e in first) != events[0].attempt
        ):
            break
        events = [
            dataclasses.replace(e, attempt=e.attempt - 1) for e in events if not e.at_or_before(jumps[0].at_s)
        ]
        jumps = jumps[1:]
    return events, jumps
