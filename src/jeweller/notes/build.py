"""From an alignment and frame features to a note table: exact times and pitches, then what the search took
for one thing and was another.
"""

from __future__ import annotations

import numpy as np

from jeweller.alignment.align import AlignedAttempt, Alignment
from jeweller.alignment.decoder import PathStep
from jeweller.alignment.segments import StepKind
from jeweller.features.extraction import Features
from jeweller.features.robust import median
from jeweller.notes.inserted_onsets import find_inserted_onsets, find_inserted_strokes, split_doubled_notes
from jeweller.notes.measure import NoteMeasurer
from jeweller.notes.ornaments import join_ornaments
from jeweller.notes.repair import assign_to_repeat, move_figure_starts, move_trill_starts, repair_alignment
from jeweller.notes.restarts import begin_with_sound, drop_false_starts, drop_ghosts, find_restarts
from jeweller.notes.settings import BUILD
from jeweller.notes.table import Jump, NoteTable, PlayedNote, Unpitched


def build_note_tables(alignment: Alignment, features: Features) -> tuple[NoteTable, ...]:
    """One table for each attempt of an alignment, in order of time: what was played, when and how high. The
    evidence of `jeweller.notes.evidence` is not in it yet.
    """
    return tuple(_build(alignment, attempt, features) for attempt in alignment.attempts)


def _unheard(steps: tuple[PathStep, ...], k: int, starts: dict[int, float], on: float) -> bool:
    """Whether the next sound after step k begins with it: then nothing of it was heard."""
    following = next((x for x in steps[k + 1 :] if id(x) in starts), None)
    return following is not None and starts[id(following)] - on < BUILD.nothing_s


def _build(alignment: Alignment, attempt: AlignedAttempt, features: Features) -> NoteTable:
    line, notes, local = alignment.line, alignment.notes, attempt.seconds_per_quarter
    frame_of, steps, until_s = alignment.candidates.frame, attempt.path.steps, attempt.until_s
    n = len(notes.midi)
    measurer = NoteMeasurer(features)
    events: list[PlayedNote] = []
    jumps: list[Jump] = []
    number = 0  # of the try within this attempt: counts up at every jump
    sounding = [step for step in steps if step.kind in (StepKind.NOTE, StepKind.WRONG, StepKind.EXTRA)]
    ornamented = [
        note.written.ornament is not None for note in line.main_notes
    ]  # may begin on another note than their own
    starts: dict[int, float] = {}
    for k, step in enumerate(sounding):
        frame, end = int(frame_of[step.start]), int(frame_of[step.end])
        before = int(frame_of[sounding[k - 1].start]) if k else None
        sought = (
            None
            if not notes.pitched or (step.kind != StepKind.EXTRA and ornamented[step.item])
            else step.pitch
        )
        starts[id(step)] = measurer.onset(frame, sought, end, before)
    last_step = steps[-1] if steps else None
    broken: set[int] = set()
    for k, step in enumerate(steps):
        if step.kind == StepKind.JUMP:
            number += 1
            target = steps[k + 1].item if k + 1 < len(steps) else step.item
            origin = step.item - 1 if step.item - 1 in broken and target > step.item else step.item
            jumps.append(Jump(float(frame_of[step.start]) * features.step_s, origin, target))
        if step.kind not in (StepKind.NOTE, StepKind.WRONG, StepKind.EXTRA) or step.pitch is None:
            continue
        on = starts[id(step)]
        if (
            step.kind != StepKind.EXTRA
            and k + 1 < len(steps)
            and steps[k + 1].kind == StepKind.JUMP
            and _unheard(steps, k, starts, on)
        ):
            broken.add(step.item)  # broken off as soon as it began: not played
            continue
        end_frame = int(frame_of[step.end])
        following = next((x for x in steps[k + 1 :] if x.kind not in (StepKind.DELETED, StepKind.JUMP)), None)
        next_s = (
            starts[id(following)]
            if following is not None and id(following) in starts
            else end_frame * features.step_s
        )
        if step is last_step or following is None:
            next_s = until_s
        written = int(notes.midi[step.item]) if step.kind != StepKind.EXTRA else step.pitch
        pitch = (
            step.pitch
            if step.kind == StepKind.NOTE
            else measurer.true_octave(on, next_s, step.pitch, int(notes.midi[min(step.item, n - 1)]))
        )
        found = measurer.measure(
            on,
            max(next_s, on + 0.02),
            pitch,
            written if step.kind != StepKind.EXTRA else pitch,
            trill=step.kind == StepKind.NOTE and bool(notes.trill[step.item]),
        )
        events.append(
            PlayedNote(
                index=None if step.kind == StepKind.EXTRA else step.item,
                before=step.item,
                on_s=on,
                off_s=found.off_s,
                next_s=next_s,
                midi=found.midi,
                spread=found.spread,
                clarity=found.clarity,
                expected_clarity=found.expected_clarity,
                octave_up=found.octave_up,
                twelfth_up=found.twelfth_up,
                level_db=found.level_db,
                attack=measurer.attack(on),
                attempt=number,
            )
        )
    events, jumps = drop_ghosts(join_ornaments(events, line), jumps)
    if notes.pitched:
        events = split_doubled_notes(
            find_inserted_onsets(events, notes, features, measurer), notes, local, features, measurer
        )
        events = begin_with_sound(join_ornaments(events, line), notes)
    else:
        events = find_inserted_strokes(events, features, measurer)
    events, jumps = find_restarts(events, jumps, notes, local)
    events, jumps = assign_to_repeat(*drop_false_starts(events, jumps), line)
    if notes.pitched:
        events, jumps = repair_alignment(
            move_trill_starts(move_figure_starts(events, line, measurer), line, measurer), jumps, notes, local
        )
    last_try: list[int | None] = [None] * n
    for k, event in enumerate(events):
        if event.index is not None:
            last_try[event.index] = k
    reached = [e.index for e in events if e.index is not None]
    missed = [step.item for step in steps if step.kind == StepKind.MISSED]
    first = min(reached + missed, default=0)
    last = max(reached + missed, default=0)
    take_spq = float(np.exp(median(np.log(local[first : last + 1])))) if n else 1.0
    return NoteTable(
        line=line,
        events=tuple(events),
        jumps=tuple(jumps),
        first=first,
        last=last,
        last_try=tuple(last_try),
        seconds_per_quarter=tuple(float(v) for v in local),
        take_spq=take_spq,
        followed=attempt.followed and bool(reached),
        share_right=attempt.share_right,
        ended_early=last < n - 1,
        room_db=features.floor_db,
        loud_db=features.loud_db,
        clef=alignment.clef,
        register_lost=alignment.register_lost,
        posteriors=attempt.posteriors,
        unpitched=Unpitched(measurer.unpitched, features.step_s),
        past_fine=alignment.past_fine if attempt is alignment.attempts[-1] else None,
    )
