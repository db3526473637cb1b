"""Following a line through the features of a take: tempo first roughly, the way, the tempo again, the way
again, then exact times and pitches.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.candidates import Candidates, find_candidates
from jeweller.alignment.decoder import AlignmentPath, PathStep, decode_path
from jeweller.alignment.segments import (
    DELETED,
    EXTRA,
    JUMP,
    JUNK,
    MISSED,
    NOTE,
    WRONG,
    NoteArrays,
    SegmentTable,
    gather_attack_evidence,
    gather_evidence,
)
from jeweller.alignment.settings import DEFAULT, AlignmentSettings
from jeweller.alignment.tempo import estimate_local_tempo
from jeweller.features.extraction import Features
from jeweller.notation.clefs import other_clefs, read_in_clef
from jeweller.notation.performance import NO_PITCH, PerformedPart
from jeweller.notes.inserted_onsets import find_inserted_onsets, find_inserted_strokes, split_doubled_notes
from jeweller.notes.measure import NoteMeasurer
from jeweller.notes.ornaments import join_ornaments
from jeweller.notes.repair import assign_to_repeat, move_figure_starts, move_trill_starts, repair_alignment
from jeweller.notes.restarts import begin_with_sound, drop_false_starts, drop_ghosts, find_restarts
from jeweller.notes.table import Jump, NoteTable, PlayedNote

TRILL_REACH = 2  # semitones above a note to which its trill may go
SQUEEZED = 0.3  # of the time a note is written for: what is heard of it there is not all of it,
BEGINS_S, BEGINS_CLEAR = 0.12, 0.8  # if it sounds before: seconds looked at, periodicity
NOTHING_S = 0.03  # a note cannot be shorter
WHOLE = 0.8  # of the line: who came so far made a complete attempt


def make_note_arrays(line: PerformedPart, *, rhythm_only: bool = False) -> NoteArrays:
    """The main notes of a line as arrays; for rhythm alone all of one pitch, each with an attack of its
    own.
    """
    notes = line.main_notes
    n = len(notes)
    end = [float(notes[i + 1].onset if i + 1 < n else notes[i].end) for i in range(n)]
    onset = np.array([float(x.onset) for x in notes])
    ioi = np.maximum(np.array(end) - onset, 0.05)
    sounding = np.array([float(x.duration) for x in notes])
    repeated = np.array(
        [
            i > 0
            and notes[i].sounding_midi == notes[i - 1].sounding_midi
            and notes[i - 1].end == notes[i].onset
            for i in range(n)
        ]
    )
    bars = np.array([x.bar_index for x in notes])
    last_free = np.array([i == n - 1 or notes[i].fermata for i in range(n)])
    bar_start = np.array([i == 0 or bars[i] != bars[i - 1] for i in range(n)])
    first_time = {x.score_id: i for i, x in reversed(list(enumerate(notes)))}
    opening = bar_start & np.array([first_time[x.score_id] == i for i, x in enumerate(notes)])
    if rhythm_only:
        no, none = np.zeros(n, np.bool_), tuple(frozenset[int]() for _ in notes)
        return NoteArrays(
            np.full(n, NO_PITCH),
            ioi,
            np.ones(n),
            ~no,
            no,
            no,
            bar_start,
            opening,
            bars,
            last_free,
            none,
            pitched=False,
        )
    return NoteArrays(
        midi=np.array([x.sounding_midi for x in notes]),
        ioi_q=ioi,
        sound_share=np.minimum(sounding / ioi, 1.0),
        repeated=repeated,
        slurred=np.array([x.slurred_from_previous for x in notes]),
        trill=np.array([x.written.ornament == "trill" for x in notes]),
        bar_start=bar_start,
        opening=opening,
        bar=bars,
        last_free=last_free,
        graces=tuple(frozenset(g.sounding_midi for g in before) for before in line.graces),
    )


def align_and_describe(
    line: PerformedPart,
    features: Features,
    *,
    tempo_bpm: float | None = None,
    settings: AlignmentSettings = DEFAULT,
    rhythm_only: bool = False,
    reference_shift: int = 0,
    cancelled: Callable[[], bool] = lambda: False,
) -> NoteTable:
    """Finds the most likely way through the line. `tempo_bpm` (quarters a minute) is a hint; without one the
    written tempo is.

    `reference_shift`: semitones by which a take tuned to another pitch reference is known to sound lower or
        higher than written. With `rhythm_only` (claps, taps, percussion) attacks alone are followed.
    """
    s = dataclasses.replace(settings, inside_cost=settings.rhythm_inside_cost) if rhythm_only else settings
    items = make_note_arrays(line, rhythm_only=rhythm_only)
    if reference_shift and not rhythm_only:
        items = dataclasses.replace(items, midi=items.midi + reference_shift)
    evidence = gather_attack_evidence(features, s) if rhythm_only else gather_evidence(features, s)
    boundaries = find_candidates(features, s, pitched=not rhythm_only)
    bpm = tempo_bpm or line.written_bpm or s.default_bpm
    table = SegmentTable(items, evidence, boundaries, features.step_s, s)
    found = _follow_items(line, table, boundaries, features, bpm, cancelled)
    if found.followed or rhythm_only:
        return found
    # Read from another instrument's part the whole take is shifted alike; in another clef, every note keeps
    # its place on the staff.
    readings = _readings(line, features, s) if not reference_shift else []
    chosen = _likely_reading(table, boundaries, features, bpm, readings, cancelled)
    if chosen is None:
        return found
    read, shift = chosen
    midi = items.midi + shift if read is None else make_note_arrays(read.line).midi
    moved = SegmentTable(dataclasses.replace(items, midi=midi), evidence, boundaries, features.step_s, s)
    shifted = _follow_items(line if read is None else read.line, moved, boundaries, features, bpm, cancelled)
    if shifted.followed and shifted.share_right >= s.shifted_min:
        clef = "" if read is None else read.clef
        return dataclasses.replace(
            shifted, clef=clef, earlier=tuple(dataclasses.replace(f, clef=clef) for f in shifted.earlier)
        )
    return found


@dataclass(frozen=True)
class _Reading:
    """The line as it would sound read in another clef."""

    clef: str
    line: PerformedPart


def _heard_midi(features: Features) -> npt.NDArray[np.float64]:
    """How many frames each MIDI pitch was heard in, (256,)."""
    heard = np.zeros(256)
    sounding = ~np.isnan(features.f0)
    np.add.at(heard, np.rint(features.f0[sounding]).astype(int), 1.0)
    return heard


def _readings(line: PerformedPart, features: Features, s: AlignmentSettings) -> list[_Reading]:
    """The few other clefs, each in the octave and transposition in which the time written on each pitch is
    most like the time heard on it.
    """
    heard = _heard_midi(features)
    found: list[tuple[float, _Reading]] = []
    for clef in other_clefs(line):
        for add in {line.part.chromatic, 0}:
            for octave in (-24, -12, 0, 12, 24):
                read = read_in_clef(line, clef, add + octave)
                items = make_note_arrays(read)
                if items.midi.min() >= 0 and items.midi.max() < len(heard):
                    found.append(
                        (
                            float((heard[items.midi] * items.ioi_q * items.sound_share).sum()),
                            _Reading(clef, read),
                        )
                    )
    found.sort(key=lambda x: -x[0])
    return [reading for _, reading in found[: s.shift_tries]]


def _likely_reading(
    table: SegmentTable,
    boundaries: Candidates,
    features: Features,
    bpm: float,
    readings: list[_Reading],
    cancelled: Callable[[], bool],
) -> tuple[_Reading | None, int] | None:
    """The reading in another clef, or (None and) the shift in semitones, whose rough way is best, if it beats
    the written pitch clearly; else None.
    """
    shift, best, plain = _likely_shift(table, boundaries, features, bpm, cancelled)
    chosen: tuple[_Reading | None, int] | None = (None, shift) if shift else None
    for reading in readings:
        score = _rough_score(table, make_note_arrays(reading.line).midi, boundaries, features, bpm, cancelled)
        if score > max(best + table.s.clef_gain, plain + table.s.shift_gain):
            chosen, best = (reading, 0), score
    return chosen


def _rough_score(
    table: SegmentTable,
    midi: npt.NDArray[np.int64],
    boundaries: Candidates,
    features: Features,
    bpm: float,
    cancelled: Callable[[], bool],
) -> float:
    """How well the beginning of the take fits the line with other pitches; not at all where these were not
    listened to.
    """
    columns = midi - table.evidence.low
    if columns.min() < 0 or columns.max() + TRILL_REACH >= table.evidence.written.shape[1]:
        return float("-inf")
    stop = int(np.searchsorted(table.time, table.s.shift_probe_s))
    moved = SegmentTable(
        dataclasses.replace(table.items, midi=midi), table.evidence, boundaries, features.step_s, table.s
    )
    return decode_path(
        moved, np.full(len(midi), 60.0 / bpm), carried=True, stop=stop, cancelled=cancelled
    ).score


def _likely_shift(
    table: SegmentTable, boundaries: Candidates, features: Features, bpm: float, cancelled: Callable[[], bool]
) -> tuple[int, float, float]:
    """Semitones by which the take may be shifted, how well that fits, and how well the written pitch does: 0
    semitones unless one beats it clearly.
    """
    s, items = table.s, table.items
    scores = {
        shift: _rough_score(table, items.midi + shift, boundaries, features, bpm, cancelled)
        for shift in {0, *_alike(items, features, s)}
    }
    best = max(scores, key=lambda k: scores[k])
    # A tone is periodic at twice and three times its period too: of two that fit alike the higher is the one
    # that sounds.
    for above in (12, 19, 24):
        if (
            best + above in scores
            and scores[best] > 0.0
            and scores[best + above] > s.shift_higher * scores[best]
        ):
            best += above
            break
    return (best if scores[best] > scores[0] + s.shift_gain else 0), scores[best], scores[0]


def _alike(items: NoteArrays, features: Features, s: AlignmentSettings) -> list[int]:
    """The few shifts under which the time written on each pitch is most like the time heard on it, and those
    an octave or a twelfth beside them.
    """
    heard = _heard_midi(features)
    written = np.zeros(256)
    np.add.at(written, items.midi, items.ioi_q * items.sound_share)
    likeness = {k: float((np.roll(written, k) * heard).sum()) for k in range(-s.shift_most, s.shift_most + 1)}
    best = sorted(likeness, key=lambda k: -likeness[k])[: s.shift_tries]
    return [k for b in best for k in (b, b + 12, b + 19, b - 12) if abs(k) <= s.shift_most]


def _follow_items(
    line: PerformedPart,
    table: SegmentTable,
    boundaries: Candidates,
    features: Features,
    bpm: float,
    cancelled: Callable[[], bool],
) -> NoteTable:
    s, items = table.s, table.items
    spq = 60.0 / bpm
    way = decode_path(table, np.full(len(items.midi), spq), carried=True, cancelled=cancelled)
    local = estimate_local_tempo(items, way, boundaries, features.step_s, spq)
    for _ in range(s.passes):
        way = decode_path(table, local, near=way, cancelled=cancelled)
        before, local = local, estimate_local_tempo(items, way, boundaries, features.step_s, spq)
        if float(np.abs(np.log(local / before)).max()) < s.settled:
            break
    ways = split_attempts(way, len(items.midi))
    if len(ways) == 1:
        return _result(line, items, way, boundaries, features, local, s, features.seconds)
    frames = boundaries.frame * features.step_s
    ends = [float(frames[after.steps[0].start]) for after in ways[1:]] + [features.seconds]
    found = [
        _result(
            line,
            items,
            part,
            boundaries,
            features,
            estimate_local_tempo(items, part, boundaries, features.step_s, spq),
            s,
            end,
        )
        for part, end in zip(ways, ends, strict=True)
    ]
    return dataclasses.replace(found[-1], earlier=tuple(found[:-1]))


def split_attempts(way: AlignmentPath, count: int) -> list[AlignmentPath]:
    """The way cut where a player who had come to the end of the line, or nearly, began again at its
    beginning: each piece a complete attempt.
    """
    pieces: list[list[PathStep]] = [[]]
    for k, step in enumerate(way.steps):
        target = way.steps[k + 1].item if k + 1 < len(way.steps) else step.item
        if (
            step.kind == JUMP
            and step.item >= WHOLE * count
            and target <= (1.0 - WHOLE) * count
            and _reach(way.steps[k + 1 :]) >= WHOLE * count
        ):
            pieces.append([])
        else:
            pieces[-1].append(step)
    return [AlignmentPath(tuple(piece), way.score) for piece in pieces] if len(pieces) > 1 else [way]


def _reach(steps: tuple[PathStep, ...]) -> int:
    """The first note that is not reached any more before the player goes back to the beginning, or stops."""
    reach = 0
    for k, step in enumerate(steps):
        if step.kind == JUMP and k + 1 < len(steps) and steps[k + 1].item <= (1.0 - WHOLE) * reach:
            break
        if step.kind in (NOTE, WRONG, MISSED):
            reach = max(reach, step.item + 1)
    return reach


def _not_lost(
    steps: tuple[PathStep, ...],
    items: NoteArrays,
    boundaries: Candidates,
    local: npt.NDArray[np.float64],
    measurer: NoteMeasurer,
) -> tuple[PathStep, ...]:
    """The steps with each note that was squeezed in behind a stretch of no music put where it sounded: at the
    beginning of that stretch.
    """
    out: list[PathStep] = []
    for step in steps:
        before = out[-1] if out else None
        lost = (
            before is not None
            and before.kind == JUNK
            and step.kind == NOTE
            and before.item == step.item
            and before.end == step.start
        )
        if lost and before is not None and step.pitch is not None:
            frame, start = int(boundaries.frame[before.start]), int(boundaries.frame[step.start])
            seconds = (int(boundaries.frame[step.end]) - start) * measurer.f.step_s
            rows = slice(frame + 2, min(start, frame + round(BEGINS_S / measurer.f.step_s)))
            clear = measurer.near(rows, step.pitch)[0]
            if (
                seconds < SQUEEZED * items.ioi_q[step.item] * local[step.item]
                and len(clear)
                and float(np.median(clear)) > BEGINS_CLEAR
            ):
                out[-1] = dataclasses.replace(step, start=before.start)
                continue
        out.append(step)
    return tuple(out)


def _nothing(steps: tuple[PathStep, ...], k: int, starts: dict[int, float], on: float) -> bool:
    """Whether the next sound after step k begins with it: then nothing of it was heard."""
    following = next((x for x in steps[k + 1 :] if id(x) in starts), None)
    return following is not None and starts[id(following)] - on < NOTHING_S


def _result(
    line: PerformedPart,
    items: NoteArrays,
    way: AlignmentPath,
    boundaries: Candidates,
    features: Features,
    local: npt.NDArray[np.float64],
    s: AlignmentSettings,
    until_s: float,
) -> NoteTable:
    """`until_s`: where the recording ends, or the next attempt begins."""
    measurer = NoteMeasurer(features)
    way = AlignmentPath(_not_lost(way.steps, items, boundaries, local, measurer), way.score)
    n = len(items.midi)
    events: list[PlayedNote] = []
    jumps: list[Jump] = []
    attempt = 0
    sounding = [step for step in way.steps if step.kind in (NOTE, WRONG, EXTRA)]
    ornamented = [
        note.written.ornament is not None for note in line.main_notes
    ]  # may begin on another note than their own
    starts: dict[int, float] = {}
    for k, step in enumerate(sounding):
        frame, end = int(boundaries.frame[step.start]), int(boundaries.frame[step.end])
        before = int(boundaries.frame[sounding[k - 1].start]) if k else None
        sought = None if not items.pitched or (step.kind != EXTRA and ornamented[step.item]) else step.pitch
        starts[id(step)] = measurer.onset(frame, sought, end, before)
    last_step = way.steps[-1] if way.steps else None
    broken: set[int] = set()
    for k, step in enumerate(way.steps):
        if step.kind == JUMP:
            attempt += 1
            target = way.steps[k + 1].item if k + 1 < len(way.steps) else step.item
            origin = step.item - 1 if step.item - 1 in broken and target > step.item else step.item
            jumps.append(Jump(float(boundaries.frame[step.start]) * features.step_s, origin, target))
        if step.kind not in (NOTE, WRONG, EXTRA) or step.pitch is None:
            continue
        on = starts[id(step)]
        if (
            step.kind != EXTRA
            and k + 1 < len(way.steps)
            and way.steps[k + 1].kind == JUMP
            and _nothing(way.steps, k, starts, on)
        ):
            broken.add(step.item)  # broken off as soon as it began: not played
            continue
        end_frame = int(boundaries.frame[step.end])
        following = next((x for x in way.steps[k + 1 :] if x.kind not in (DELETED, JUMP)), None)
        next_s = (
            starts[id(following)]
            if following is not None and id(following) in starts
            else end_frame * features.step_s
        )
        if step is last_step or following is None:
            next_s = until_s
        written = int(items.midi[step.item]) if step.kind != EXTRA else step.pitch
        pitch = (
            step.pitch
            if step.kind == NOTE
            else measurer.true_octave(on, next_s, step.pitch, int(items.midi[min(step.item, n - 1)]))
        )
        found = measurer.measure(
            on,
            max(next_s, on + 0.02),
            pitch,
            written if step.kind != EXTRA else pitch,
            trill=step.kind == NOTE and bool(items.trill[step.item]),
        )
        events.append(
            PlayedNote(
                None if step.kind == EXTRA else step.item,
                step.item,
                on,
                found.off_s,
                next_s,
                found.midi,
                found.spread,
                found.clarity,
                found.expected_clarity,
                found.octave_up,
                found.twelfth_up,
                found.level_db,
                measurer.attack(on),
                attempt,
            )
        )
    events, jumps = drop_ghosts(join_ornaments(events, line), jumps)
    if items.pitched:
        events = split_doubled_notes(
            find_inserted_onsets(events, items, features, measurer), items, local, features, measurer
        )
        events = begin_with_sound(join_ornaments(events, line), items)
    else:
        events = find_inserted_strokes(events, features, measurer)
    events, jumps = find_restarts(events, jumps, items, local)
    events, jumps = assign_to_repeat(*drop_false_starts(events, jumps), line)
    if items.pitched:
        events, jumps = repair_alignment(
            move_trill_starts(move_figure_starts(events, line, measurer), line, measurer), jumps, items, local
        )
    last_try: list[int | None] = [None] * n
    for k, event in enumerate(events):
        if event.index is not None:
            last_try[event.index] = k
    reached = [e.index for e in events if e.index is not None]
    missed = [step.item for step in way.steps if step.kind == MISSED]
    first = min(reached + missed, default=0)
    last = max(reached + missed, default=0)
    right = sum(1 for step in way.steps if step.kind == NOTE)
    wrong = sum(1 for step in way.steps if step.kind in (WRONG, MISSED, EXTRA, JUNK)) + sum(
        (way.steps[k + 1].item - step.item) if k + 1 < len(way.steps) else 1
        for k, step in enumerate(way.steps)
        if step.kind == DELETED
    )
    share = right / max(1, right + wrong)
    # Another piece can be stitched together from its own notes, but not in their time.
    frames = boundaries.frame * features.step_s
    timed = sum(
        1
        for step in way.steps
        if step.kind == NOTE
        and (
            items.last_free[step.item]
            or abs(
                float(
                    np.log(
                        (frames[step.end] - frames[step.start]) / (items.ioi_q[step.item] * local[step.item])
                    )
                )
            )
            < s.in_time
        )
    )
    followed = bool(reached) and share * timed / max(right, 1) >= s.followed_min and right >= min(3, n)
    take_spq = float(np.exp(np.median(np.log(local[first : last + 1])))) if n else 1.0
    return NoteTable(
        line,
        tuple(events),
        tuple(jumps),
        first,
        last,
        tuple(last_try),
        tuple(float(v) for v in local),
        take_spq,
        followed,
        share,
        last < n - 1,
    )
