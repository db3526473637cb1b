"""A last look at notes that were not found: a neighbour may stand in their place, and whole bars of them,
with no time for them, were skipped.
"""

from __future__ import annotations

import dataclasses
import math

import numpy as np
import numpy.typing as npt

from jeweller.alignment.note_arrays import NoteArrays
from jeweller.notation.performance import PerformedPart
from jeweller.notes.detail_settings import ORNAMENTS, REPAIR
from jeweller.notes.measure import NoteMeasurer
from jeweller.notes.ornaments import FIGURES
from jeweller.notes.restarts import usual_level
from jeweller.notes.table import Jump, PlayedNote

Array = npt.NDArray[np.float64]


def repair_alignment(
    events: list[PlayedNote], jumps: list[Jump], items: NoteArrays, spq: Array
) -> tuple[list[PlayedNote], list[Jump]]:
    """Events and jumps with the notes that were not found explained more simply, where that is possible.
    `spq`: seconds a quarter at each note.
    """
    events = [e for k, e in enumerate(events) if e.index is None or not _nothing(e, usual_level(events, k))]
    events = _blurred(events)
    events, jumps = _not_again(events, jumps, items)
    events = _before_its_rest(events, items, spq)
    events, jumps = _held_on(events, jumps, items, spq)
    events = _in_place(events, jumps, items, spq)
    events = _later_bar(_of_the_next_bar(events, items, spq), items, spq)
    jumps = _wider(events, jumps, items)
    return _skipped(events, jumps, items, spq)


def assign_to_repeat(
    events: list[PlayedNote], jumps: list[Jump], line: PerformedPart
) -> tuple[list[PlayedNote], list[Jump]]:
    """Jumps ahead within music that comes again, put where the repeat is: what was played of it was its first
    time. The search cannot tell where in it the jump was. One that comes to lie at the end of the line is
    none: the take ends before the repeat.
    """
    notes, out = line.main_notes, list(jumps)
    for n, jump in enumerate(jumps):
        events, jump = _unbroken(events, jump, line)
        far, alike = jump.target - jump.origin, 0
        while (
            far > 0
            and jump.target + alike < len(notes)
            and notes[jump.origin + alike].score_id == notes[jump.target + alike].score_id
        ):
            alike += 1
        if not alike:
            continue
        until = jumps[n + 1].at_s if n + 1 < len(jumps) else math.inf
        here = [k for k, e in enumerate(events) if not e.at_or_before(jump.at_s) and e.at_or_before(until)]
        first_time = [
            k for k in here if (e := events[k]).before < jump.target + alike and e.before >= jump.target
        ]
        events = [
            dataclasses.replace(e, index=None if e.index is None else e.index - far, before=e.before - far)
            if k in first_time
            else e
            for k, e in enumerate(events)
        ]
        at = next((events[k].on_s for k in here if k not in first_time), jump.at_s)
        out[n] = Jump(at, jump.origin + alike, jump.target + alike)
    if out == jumps:
        return events, jumps
    out = [j for j in out if j.target < len(notes)]
    return [dataclasses.replace(e, attempt=sum(not e.at_or_before(j.at_s) for j in out)) for e in events], out


def _unbroken(events: list[PlayedNote], jump: Jump, line: PerformedPart) -> tuple[list[PlayedNote], Jump]:
    """A note that was taken for broken off, and its own second time after the jump for what follows, is one
    note, and the jump comes after it.
    """
    notes, before = line.main_notes, jump.origin - 1
    if (
        not 0 <= before < jump.target < len(notes)
        or jump.target == jump.origin
        or notes[before].score_id != notes[jump.target].score_id
    ):
        return events, jump
    broken = next(
        (k for k, e in reversed(list(enumerate(events))) if e.index == before and e.at_or_before(jump.at_s)),
        None,
    )
    again = next(
        (k for k, e in enumerate(events) if e.index == jump.target and not e.at_or_before(jump.at_s)), None
    )
    if broken is None or again != broken + 1 or abs(events[again].midi - events[broken].midi) > REPAIR.same:
        return events, jump
    events = [
        dataclasses.replace(e, on_s=events[broken].on_s, attack=events[broken].attack) if k == again else e
        for k, e in enumerate(events)
        if k != broken
    ]
    return events, Jump(events[broken].on_s, before, jump.target)


def _nothing(event: PlayedNote, usual_db: float) -> bool:
    room = event.next_s - event.on_s
    if room < REPAIR.blink_s or (np.isnan(event.midi) and room < REPAIR.unpitched_s):
        return True
    return (
        event.clarity < REPAIR.faint_clarity
        and event.attack < REPAIR.faint_attack
        and event.level_db < usual_db - REPAIR.faint_db
    )


def _blurred(events: list[PlayedNote]) -> list[PlayedNote]:
    """Notes begun where a sound began that is only their own tone, cut in two or heard an octave or more too
    low while the room holds the note before.
    """
    out: list[PlayedNote] = []
    for k, event in enumerate(events):
        after = events[k + 1] if k + 1 < len(events) else None
        same = (
            after is not None
            and abs(after.midi - event.midi) < REPAIR.same
            and after.attack < REPAIR.faint_attack
            and after.on_s - event.off_s < REPAIR.blink_s
        )
        if (
            event.index is None
            and after is not None
            and after.index is not None
            and event.next_s - event.on_s < REPAIR.blur_s
            and after.attack < event.attack
            and (same or any(abs(after.midi - event.midi - d) < REPAIR.same for d in REPAIR.below))
        ):
            events[k + 1] = dataclasses.replace(after, on_s=event.on_s, attack=event.attack)
            if out:
                out[-1] = dataclasses.replace(out[-1], next_s=event.on_s)
            continue
        out.append(event)
    return out


def _sounded(events: list[PlayedNote]) -> dict[int, int]:
    """For each note that sounded, the place of its last sounding among the events."""
    return {e.index: k for k, e in enumerate(events) if e.index is not None}


def _due(events: list[PlayedNote], at: dict[int, int], i: int, items: NoteArrays, spq: Array) -> float | None:
    """When note i was due by the last note before it that sounded; None where none did."""
    before = next((k for k in range(i - 1, max(-1, i - 5), -1) if k in at), None)
    if before is None:
        return None
    return events[at[before]].on_s + float((items.ioi_q[before:i] * spq[before:i]).sum())


def _held_on(
    events: list[PlayedNote], jumps: list[Jump], items: NoteArrays, spq: Array
) -> tuple[list[PlayedNote], list[Jump]]:
    """A try broken off whose first note is the note before, of the same pitch, that was not found: that note,
    and something after it, but no restart.
    """
    for n, jump in enumerate(jumps):
        t = jump.target
        tries = [k for k, e in enumerate(events) if e.attempt == n and e.index is not None and e.index >= t]
        at = _sounded(events)
        due = _due(events, at, t - 1, items, spq) if t >= 1 else None
        if (
            t >= jump.origin
            or t < 1
            or t - 1 in at
            or not items.repeated[t]
            or due is None
            or not tries
            or abs(events[tries[0]].on_s - due) > REPAIR.near_due * items.ioi_q[t - 1] * spq[t - 1]
        ):
            continue
        out = []
        for k, e in enumerate(events):
            if k in tries:
                e = dataclasses.replace(
                    e, index=t - 1 if k == tries[0] else None, before=t - 1 if k == tries[0] else t
                )
            out.append(dataclasses.replace(e, attempt=e.attempt - 1) if e.attempt > n else e)
        return out, [j for j in jumps if j is not jump]
    return events, jumps


def _not_again(
    events: list[PlayedNote], jumps: list[Jump], items: NoteArrays
) -> tuple[list[PlayedNote], list[Jump]]:
    """Without restarts in which nothing was played again: the place gone back to was a sound that is no note,
    or a trill went on in itself.
    """
    for n in range(len(jumps) - 1, -1, -1):
        jump = jumps[n]
        after = next((k for k, e in enumerate(events) if e.attempt == n + 1 and e.index is not None), None)
        if jump.target >= jump.origin or after is None:
            continue
        before = events[after - 1] if after else None
        again = events[after].index
        trilled = (
            jump.target == jump.origin - 1
            and bool(items.trill[jump.target])
            and before is not None
            and before.index == again == jump.target
        )
        if again is not None and again < jump.origin and not trilled:
            continue
        if trilled and before is not None:
            events[after] = dataclasses.replace(events[after], on_s=before.on_s, attack=before.attack)
            del events[after - 1]
        events = [dataclasses.replace(e, attempt=e.attempt - (e.attempt > n)) for e in events]
        jumps = [*jumps[:n], *jumps[n + 1 :]]
    return events, jumps


def _before_its_rest(events: list[PlayedNote], items: NoteArrays, spq: Array) -> list[PlayedNote]:
    """A note whose time and pitch a sound before it fits better, where it came late itself: that sound was
    the note. What followed is a sound in its rest (a spoken "rest", a breath), or a note too many.
    """
    out = list(events)
    at = _sounded(out)
    for i in sorted(at):
        k = at[i]
        event, sound = out[k], out[k - 1] if k else None
        due = _due(out, at, i, items, spq)
        if (
            sound is None
            or sound.index is not None
            or sound.before != i
            or sound.attempt != event.attempt
            or due is None
            or np.isnan(sound.midi)
        ):
            continue
        if sound.attack < REPAIR.faint_attack:
            continue  # the note before, sounding on
        late, soon = (
            event.on_s - due,
            max(REPAIR.soon * float(items.ioi_q[i] * items.sound_share[i] * spq[i]), REPAIR.soon_s),
        )
        nearer = (
            abs(sound.midi - items.midi[i]) < min(REPAIR.neighbour, abs(event.midi - items.midi[i]))
            if not np.isnan(event.midi)
            else True
        )
        if not nearer or abs(sound.on_s - due) > soon or late < 2.0 * abs(sound.on_s - due) + soon:
            continue
        out[k - 1] = dataclasses.replace(sound, index=i, next_s=event.on_s)
        out[k] = dataclasses.replace(event, index=None, before=i + 1)
        if (
            late > REPAIR.enough * items.sound_share[i] * items.ioi_q[i] * spq[i] - REPAIR.soon_s
            and items.sound_share[i] < REPAIR.enough
        ):
            out[k - 1] = dataclasses.replace(out[k - 1], next_s=event.next_s)
            del out[k]
        at = _sounded(out)
    return out


def _in_place(events: list[PlayedNote], jumps: list[Jump], items: NoteArrays, spq: Array) -> list[PlayedNote]:
    """A sound given to the neighbour of a note that was not found, and with that note's pitch and nearer its
    time, given to that note.
    """
    out = list(events)
    at = _sounded(out)
    first, last = min(at, default=0), max(at, default=-1)
    skipped = {i for j in jumps for i in range(j.origin, j.target)}
    for i in range(max(first, 1), last):
        due = _due(out, at, i, items, spq)
        if i in at or i in skipped or due is None:
            continue
        if i + 1 in at:
            event = out[at[i + 1]]
            nearer = abs(event.on_s - due) < abs(event.on_s - due - float(items.ioi_q[i] * spq[i]))
            fits = abs(event.midi - items.midi[i]) < REPAIR.same and (
                abs(event.midi - items.midi[i + 1]) > REPAIR.other or items.midi[i + 1] == items.midi[i]
            )
            if fits and nearer:
                out[at[i + 1]] = dataclasses.replace(event, index=i, before=i)
                at[i] = at.pop(i + 1)
                continue
        if i - 1 in at:
            event = out[at[i - 1]]
            own = _due(out, at, i - 1, items, spq)
            fits = (
                abs(event.midi - items.midi[i]) < REPAIR.same
                and abs(event.midi - items.midi[i - 1]) > REPAIR.other
            )
            if (
                fits
                and own is not None
                and abs(event.on_s - own - float(items.ioi_q[i - 1] * spq[i - 1])) < abs(event.on_s - own)
            ):
                out[at[i - 1]] = dataclasses.replace(event, index=i, before=i)
                at[i] = at.pop(i - 1)
    return out


def _of_the_next_bar(events: list[PlayedNote], items: NoteArrays, spq: Array) -> list[PlayedNote]:
    """Sounds given to the end of a bar that was skipped, and of them the first note of the next bar, or its
    first notes of one pitch, found there.
    """
    out = list(events)
    at = _sounded(out)
    n = len(items.midi)
    for i in range(1, n):
        if i in at or i - 1 not in at:
            continue
        begin = i - 1
        if items.bar_start[i]:
            event = out[at[begin]]
            alone = (
                all(k not in at for k in range(begin - 1, -1, -1) if items.bar[k] == items.bar[begin])
                and not items.bar_start[begin]
            )
            fits = (
                any(abs(event.midi + d - items.midi[i]) < REPAIR.same for d in (0, *REPAIR.below))
                and abs(event.midi - items.midi[begin]) > REPAIR.other
            )
            if alone and fits:
                out[at[begin]] = dataclasses.replace(event, index=i, before=i)
                at[i] = at.pop(begin)
            continue
        # Of notes of one pitch one is missing, and the first of them, the only one of its bar, had no time.
        while (
            begin > 0
            and items.midi[begin] == items.midi[i]
            and not items.bar_start[begin]
            and begin - 1 in at
        ):
            begin -= 1
        first = begin - 1
        if (
            first not in at
            or not items.bar_start[begin]
            or not items.bar_start[first]
            or any(items.midi[k] != items.midi[i] for k in range(first, i))
        ):
            continue
        passed = out[at[begin]].on_s - out[at[first]].on_s
        if passed < REPAIR.at_most * items.ioi_q[first] * spq[first]:
            for k in range(i, first, -1):
                out[at[k - 1]] = dataclasses.replace(out[at[k - 1]], index=k, before=k)
                at[k] = at.pop(k - 1)
    return out


def _later_bar(events: list[PlayedNote], items: NoteArrays, spq: Array) -> list[PlayedNote]:
    """The first note of a bar given to a later bar that begins alike, where what lies between was not found
    and there was no time for it.
    """
    out = list(events)
    at = _sounded(out)
    for i in sorted(at):
        after = next((k for k in range(i + 1, len(items.midi)) if k in at), None)
        if not items.bar_start[i] or after is None or after == i + 1:
            continue
        passed = out[at[after]].on_s - out[at[i]].on_s
        times = {
            s: float((items.ioi_q[s:after] * spq[s:after]).sum())
            for s in range(i, after)
            if s == i or (items.bar_start[s] and items.midi[s] == items.midi[i])
        }
        best = min(times, key=lambda s: abs(times[s] - passed))
        if best != i and abs(times[best] - passed) < REPAIR.at_most * (times[i] - times[best]):
            out[at[i]] = dataclasses.replace(out[at[i]], index=best, before=best)
            at[best] = at.pop(i)
    return out


def _wider(events: list[PlayedNote], jumps: list[Jump], items: NoteArrays) -> list[Jump]:
    """Skips with the notes beside them, of the bars that were skipped, that were not found."""
    at = _sounded(events)
    out = []
    for jump in jumps:
        origin, target = jump.origin, jump.target
        if target > origin:
            while origin > 0 and origin - 1 not in at and items.bar[origin - 1] == items.bar[origin]:
                origin -= 1
            while (
                target < len(items.midi) and target not in at and items.bar[target] == items.bar[target - 1]
            ):
                target += 1
        out.append(dataclasses.replace(jump, origin=origin, target=target))
    return out


def _skipped(
    events: list[PlayedNote], jumps: list[Jump], items: NoteArrays, spq: Array
) -> tuple[list[PlayedNote], list[Jump]]:
    """Whole bars that were not found, and for which there was no time, as skips."""
    at = _sounded(events)
    jumped = {i for j in jumps for i in range(j.origin, j.target)}
    n = len(items.midi)
    a = min(at, default=n) + 1
    while a < n:
        if a in at or a in jumped or not items.bar_start[a] or a - 1 not in at:
            a += 1
            continue
        b = a
        while b < n and b not in at:
            b += 1
        if b < n and items.bar_start[b]:
            before, after = events[at[a - 1]], events[at[b]]
            left_out = float((items.ioi_q[a:b] * spq[a:b]).sum())
            passed = after.on_s - before.on_s - float(items.ioi_q[a - 1] * spq[a - 1])
            if before.attempt == after.attempt and passed < REPAIR.at_most * left_out:
                place = sum(j.at_s < after.on_s for j in jumps)
                jumps = [*jumps[:place], Jump(after.on_s, a, b), *jumps[place:]]
                events = [dataclasses.replace(e, attempt=e.attempt + (e.on_s >= after.on_s)) for e in events]
        a = max(b, a + 1)
    return events, jumps


def move_trill_starts(
    events: list[PlayedNote], line: PerformedPart, measurer: NoteMeasurer
) -> list[PlayedNote]:
    """Trills after trills begun at their own attack: the last turns of the one before are no part of them."""
    out = list(events)
    for k in range(1, len(out)):
        event, before = out[k], out[k - 1]
        if any(
            e.index is None or line.main_notes[e.index].written.ornament != "trill" for e in (event, before)
        ):
            continue
        room = event.next_s - event.on_s
        if (
            event.on_s - before.off_s > REPAIR.blink_s
            or event.off_s - event.on_s > REPAIR.last_of_trill * room
        ):
            continue
        f = measurer.f
        a, b = (
            round(event.off_s / f.hop_s),
            round(min(event.off_s + REPAIR.next_trill_s, event.next_s - 0.5 * room) / f.hop_s),
        )
        window = f.flux[a:b]
        if len(window) and float(window.max()) >= REPAIR.trill_attack:
            on_s = measurer.onset(round((a + int(window.argmax())) * f.hop_s / f.step_s), None)
            index = event.index or 0
            found = measurer.measure(
                on_s, event.next_s, round(event.midi), line.main_notes[index].sounding_midi, trill=True
            )
            out[k] = dataclasses.replace(
                event,
                on_s=on_s,
                off_s=found.off_s,
                spread=found.spread,
                clarity=found.clarity,
                attack=measurer.attack(on_s),
                level_db=found.level_db,
                expected_clarity=found.expected_clarity,
            )
            out[k - 1] = dataclasses.replace(before, off_s=event.off_s, next_s=on_s)
    return out


def move_figure_starts(
    events: list[PlayedNote], line: PerformedPart, measurer: NoteMeasurer
) -> list[PlayedNote]:
    """Notes with a turn or a mordent begun where that begins, and not only where their own pitch is held."""
    out = list(events)
    for k in range(1, len(out)):
        event, before = out[k], out[k - 1]
        if event.index is None or line.main_notes[event.index].written.ornament not in FIGURES:
            continue
        joined = event.on_s - before.off_s < REPAIR.figure_gap_s
        if joined and not abs(before.midi - event.midi) < REPAIR.same:
            continue  # on the same pitch the note before may seem to go on
        f = measurer.f
        a = round(
            max(
                (before.on_s + REPAIR.figure_gap_s) if joined else before.off_s - 0.02,
                event.on_s - ORNAMENTS.figure_s,
            )
            / f.hop_s
        )
        b = round((event.on_s - 0.5 * REPAIR.figure_gap_s) / f.hop_s)
        window = f.flux[a:b]
        if len(window) and float(window.max()) >= (REPAIR.trill_attack if joined else REPAIR.figure_attack):
            on_s = measurer.onset(round((a + int(window.argmax())) * f.hop_s / f.step_s), None)
            if before.on_s + REPAIR.figure_gap_s < on_s < event.on_s:
                out[k] = dataclasses.replace(event, on_s=on_s, attack=measurer.attack(on_s))
                out[k - 1] = dataclasses.replace(before, next_s=on_s, off_s=min(before.off_s, on_s))
    return out
