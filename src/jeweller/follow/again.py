"""Second look at what the search took for notes that are not written: a place taken again is a restart, even of one or two notes."""

from __future__ import annotations

import dataclasses

import numpy as np

from jeweller.follow.result import Event, Jump
from jeweller.follow.segments import Items

FALSE_START_NOTES = 4  # a beginning broken off within so many notes is a false start
PAUSE_S = 0.20  # a taken-again note comes after at least such a silence


def find_restarts(events: list[Event], jumps: list[Jump], items: Items, spq: np.ndarray) -> tuple[list[Event], list[Jump]]:  # type: ignore[type-arg]
    """Events with abandoned tries given their note and attempt, and the jumps that lead back from them."""
    new_events: list[Event] = []
    new_jumps: list[Jump] = list(jumps)
    more = 0
    k = 0
    while k < len(events):
        run = _abandoned(events, k, items, spq)
        if run:
            target = events[k].before
            for offset in range(run):
                new_events.append(dataclasses.replace(events[k + offset], index=target + offset, attempt=events[k + offset].attempt + more))
            new_jumps.append(Jump(events[k + run].on_s, target + run, target))
            more += 1
            k += run
            continue
        new_events.append(dataclasses.replace(events[k], attempt=events[k].attempt + more))
        k += 1
    new_jumps.sort(key=lambda j: j.at_s)
    return new_events, new_jumps


def _abandoned(events: list[Event], k: int, items: Items, spq: np.ndarray) -> int:  # type: ignore[type-arg]
    """How many events from k on are the beginning of the line at the note that comes next, played and taken again; 0 where none."""
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
        if not abs(events[k + offset].midi - items.midi[first.before + offset]) < 0.7:
            return 0
    # One note again is a restart only after a pause, or as long as written: else it is a note too many.
    last = events[m - 1]
    pause = events[m].on_s - last.off_s
    length = last.next_s - first.on_s
    written = float(items.ioi_q[first.before : first.before + run].sum()) * spq[first.before]
    if run == 1 and pause < PAUSE_S and length < 0.75 * written:
        return 0
    return run if pause >= PAUSE_S or run >= 2 else 0


def drop_false_starts(events: list[Event], jumps: list[Jump]) -> tuple[list[Event], list[Jump]]:
    """Without the tries before the music: a sounded first note, or a beginning broken off within a few notes, is not music."""
    while jumps and jumps[0].target < jumps[0].origin:
        first = [e for e in events if e.at_or_before(jumps[0].at_s)]
        written = [e.index for e in first if e.index is not None]
        if not written or len(first) > FALSE_START_NOTES or min(written) != jumps[0].target or min(e.attempt for e in first) != events[0].attempt:
            break
        events = [dataclasses.replace(e, attempt=e.attempt - 1) for e in events if not e.at_or_before(jumps[0].at_s)]
        jumps = jumps[1:]
    return events, jumps
