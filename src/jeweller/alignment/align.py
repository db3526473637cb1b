"""Aligning a performed part with the frame features of a take: the tempo first roughly, the path, the tempo
again, the path again; and where the part as written does not fit, as another reading of it.

Semi-Markov decoding over candidate boundaries (`jeweller.alignment.decoder`). After it the path, the local
tempo at every note and whether the take follows the part at all are known; what each note sounded like is not
yet.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.candidates import Candidates, find_candidates
from jeweller.alignment.decoder import AlignmentPath, PathStep, decode_path
from jeweller.alignment.foreseen import Foreseen, settled_steps
from jeweller.alignment.note_arrays import NoteArrays, make_note_arrays
from jeweller.alignment.posterior import NotePosteriors, weigh_ways
from jeweller.alignment.readings import choose_reading, choose_register, list_readings
from jeweller.alignment.segments import SegmentTable, StepKind, gather_attack_evidence, gather_evidence
from jeweller.alignment.settings import ALIGN, DEFAULT, AlignmentSettings
from jeweller.alignment.tempo import estimate_local_tempo
from jeweller.features.extraction import Features, salience_near
from jeweller.notation.performance import PerformedPart, perform_past_fine


@dataclass(frozen=True, kw_only=True)
class AlignedAttempt:
    """One attempt at the part, from its beginning or nearly to its end."""

    path: AlignmentPath
    seconds_per_quarter: npt.NDArray[np.float64]  # local tempo at each main note, shape (N,)
    until_s: float  # where the recording ends, or the next attempt begins
    share_right: float  # of the notes reached, sounded as written, 0..1
    followed: bool  # whether this is the part at all
    posteriors: NotePosteriors | None  # None for rhythm alone: nothing asks for them there


@dataclass(frozen=True, kw_only=True)
class Alignment:
    """A take aligned with a part: one attempt, or several complete ones in order of time.

    `line` is the part as it was read: in `clef`, where that is another than its own.
    """

    line: PerformedPart
    notes: NoteArrays
    candidates: Candidates
    attempts: tuple[AlignedAttempt, ...]
    clef: str = ""
    past_fine: tuple[float, float] | None = None  # seconds in which it goes on past the Fine
    register_lost: bool = False  # followed only with all notes from some pitch up low

    @property
    def followed(self) -> bool:
        """Whether the last attempt follows the part."""
        return self.attempts[-1].followed


def align(
    line: PerformedPart,
    features: Features,
    *,
    tempo_bpm: float | None = None,
    settings: AlignmentSettings = DEFAULT,
    rhythm_only: bool = False,
    reference_shift: int = 0,
    foreseen: Foreseen | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Alignment:
    """Finds the most likely path of a take through a part.

    `tempo_bpm` (quarters a minute) is a hint; without one the written tempo is. `reference_shift`: semitones
    by which a take tuned to another pitch reference is known to sound higher than written. With `rhythm_only`
    (claps, taps, percussion) attacks alone are aligned. `foreseen`, by `foresee`, saves the rough search.
    Raises Cancelled when `cancelled()` turns true.

    >>> from jeweller.notation.performance import perform_part
    >>> import numpy as np
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/2\\nQ:1/4=60\\nK:C\\nC E|G c|")[0].parts[0]
    >>> line = perform_part("A line", part)
    >>> t = np.arange(44100) / 22050
    >>> hz = [440.0 * 2 ** ((n.sounding_midi - 69) / 12) for n in line.main_notes]
    >>> tone = sum(np.sin(2 * np.pi * k * np.outer(hz, t)) / k for k in range(1, 8))
    >>> sound = (tone * np.minimum(0.2, 4 * (2.0 - t))).ravel().astype(np.float32)
    >>> alignment = align(line, extract_features(sound, 60, 72))
    >>> alignment.followed, len(alignment.attempts)
    (True, 1)
    """
    bpm = tempo_bpm or line.written_bpm or settings.default_bpm
    table, candidates = _table(line, features, settings, rhythm_only, reference_shift)
    s, notes, evidence = table.s, table.items, table.evidence
    as_written = _align_read(line, table, candidates, features, bpm, cancelled, foreseen)
    longer = perform_past_fine(line) if not rhythm_only else None
    if longer is not None:
        items = make_note_arrays(longer)
        items = dataclasses.replace(items, midi=items.midi + reference_shift)
        beyond = SegmentTable(items, evidence, candidates, features.step_s, s)
        went_on = _align_read(longer, beyond, candidates, features, bpm, cancelled)
        as_written = _cut_at_fine(as_written, went_on, len(notes.midi), features.step_s)
    if as_written.followed or rhythm_only:
        return as_written
    lost = choose_register(table, candidates, features, bpm, cancelled)
    if lost is not None:
        lower = SegmentTable(dataclasses.replace(notes, midi=lost), evidence, candidates, features.step_s, s)
        read = _align_read(line, lower, candidates, features, bpm, cancelled)
        if read.followed and read.attempts[-1].share_right >= s.shifted_min:
            return dataclasses.replace(read, register_lost=True)
    # Read from another instrument's part the whole take is shifted alike; in another clef, every note keeps
    # its place on the staff.
    readings = list_readings(line, features, s) if not reference_shift else []
    chosen = choose_reading(table, candidates, features, bpm, readings, cancelled)
    if chosen is None:
        return as_written
    reading, shift = chosen
    midi = notes.midi + shift if reading is None else make_note_arrays(reading.line).midi
    moved = SegmentTable(dataclasses.replace(notes, midi=midi), evidence, candidates, features.step_s, s)
    read = _align_read(line if reading is None else reading.line, moved, candidates, features, bpm, cancelled)
    if read.followed and read.attempts[-1].share_right >= s.shifted_min:
        return read if reading is None else dataclasses.replace(read, clef=reading.clef)
    return as_written


def foresee(
    line: PerformedPart,
    features: Features,
    *,
    tempo_bpm: float | None = None,
    settings: AlignmentSettings = DEFAULT,
    rhythm_only: bool = False,
    reference_shift: int = 0,
    before: Foreseen | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Foreseen:
    """The way through what there is of a take so far, for `align`; arguments as there. `before`: what was
    foreseen of less.

    >>> from jeweller.notation.performance import perform_part
    >>> import numpy as np
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/2\\nQ:1/4=60\\nK:C\\nC E|G c|")[0].parts[0]
    >>> t = np.arange(44100) / 22050
    >>> tone = [sum(np.sin(2 * np.pi * k * hz * t) / k for k in range(1, 8)) for hz in (261.6, 329.6)]
    >>> sound = (np.array(tone) * np.minimum(0.2, 4 * (2.0 - t))).ravel().astype(np.float32)
    >>> way = foresee(perform_part("A line", part), extract_features(sound, 60, 72))
    >>> len(way.seconds_per_quarter), round(float(way.at_s[-1]))
    (4, 4)
    """
    bpm = tempo_bpm or line.written_bpm or settings.default_bpm
    table, candidates = _table(line, features, settings, rhythm_only, reference_shift)
    path, local = _search(table, candidates, features.step_s, 60.0 / bpm, (), cancelled, before)
    return Foreseen(
        at_s=table.time,
        seconds_per_quarter=local,
        path=path,
        settled=settled_steps(path, table.time, before),
    )


def _table(
    line: PerformedPart,
    features: Features,
    settings: AlignmentSettings,
    rhythm_only: bool,
    reference_shift: int,
) -> tuple[SegmentTable, Candidates]:
    """What the search looks at."""
    s = dataclasses.replace(settings, inside_cost=settings.rhythm_inside_cost) if rhythm_only else settings
    notes = make_note_arrays(line, rhythm_only=rhythm_only)
    if reference_shift and not rhythm_only:
        notes = dataclasses.replace(notes, midi=notes.midi + reference_shift)
    evidence = gather_attack_evidence(features, s) if rhythm_only else gather_evidence(features, s)
    candidates = find_candidates(features, s, pitched=not rhythm_only)
    return SegmentTable(notes, evidence, candidates, features.step_s, s), candidates


def _align_read(
    line: PerformedPart,
    table: SegmentTable,
    candidates: Candidates,
    features: Features,
    bpm: float,
    cancelled: Callable[[], bool],
    foreseen: Foreseen | None = None,
) -> Alignment:
    """The alignment of one reading of the part, cut into complete attempts."""
    notes = table.items
    spq = 60.0 / bpm
    path, local = _search(table, candidates, features.step_s, spq, (), cancelled, foreseen)
    closed = find_excursions(path)
    if closed:
        path, local = _search(table, candidates, features.step_s, spq, closed, cancelled)
    path = leave_others_out(path, len(notes.midi))
    paths = split_attempts(path, len(notes.midi))
    ends = [float(table.time[after.steps[0].start]) for after in paths[1:]] + [features.seconds]
    attempts = []
    for part, until_s in zip(paths, ends, strict=True):
        tempo = (
            local if len(paths) == 1 else estimate_local_tempo(notes, part, candidates, features.step_s, spq)
        )
        steps = _recover_starts(part.steps, notes, candidates, tempo, features)
        posteriors = weigh_ways(table, tempo, part) if notes.pitched else None
        path = AlignmentPath(steps, part.score)
        attempts.append(_make_attempt(path, table, tempo, until_s, posteriors))
    return Alignment(line=line, notes=notes, candidates=candidates, attempts=tuple(attempts))


def _search(
    table: SegmentTable,
    candidates: Candidates,
    step_s: float,
    spq: float,
    closed: Sequence[tuple[int, int]],
    cancelled: Callable[[], bool],
    foreseen: Foreseen | None = None,
) -> tuple[AlignmentPath, npt.NDArray[np.float64]]:
    """The best way and its local tempo at every note, behind what is foreseen: once with a tempo carried
    along; then by the tempo that was found, until it does not change any more.
    """
    s, notes = table.s, table.items
    known: tuple[PathStep, ...] = ()
    if foreseen is not None and len(foreseen.seconds_per_quarter) == len(notes.midi):
        known = foreseen.known(table.time)
        if known:
            spq = float(foreseen.seconds_per_quarter[known[-1].item])
    rough = np.full(len(notes.midi), spq)
    near = path = decode_path(table, rough, carried=True, closed=closed, known=known, cancelled=cancelled)
    local = estimate_local_tempo(notes, path, candidates, step_s, spq)
    for _ in range(s.passes):
        near = path = decode_path(table, local, near=near, closed=closed, known=known, cancelled=cancelled)
        before, local = local, estimate_local_tempo(notes, path, candidates, step_s, spq)
        if float(np.abs(np.log(local / before)).max()) < s.settled:
            break
    return path, local


def find_excursions(way: AlignmentPath) -> list[tuple[int, int]]:
    """Stretches of boundaries in which a way goes elsewhere for a few notes and comes back to the very place
    it left: somebody else plays there, or nobody. Who begins again goes on from where he began.

    >>> step = dict(start=3, end=4, pitch=None)
    >>> there = [PathStep(item=k, kind=StepKind.NOTE, **step) for k in (0, 1)]
    >>> jump = [PathStep(start=4, end=4, item=k, kind=StepKind.JUMP, pitch=None) for k in (9, 2)]
    >>> back = [PathStep(item=9, kind=StepKind.NOTE, **step)]
    >>> find_excursions(AlignmentPath((jump[0], *there, jump[1], *back), 0.0))
    [(4, 4)]
    """
    steps, found = way.steps, []
    jumps = [k for k, x in enumerate(steps) if x.kind == StepKind.JUMP and k + 1 < len(steps)]
    for out, home in zip(jumps, jumps[1:], strict=False):
        away = sum(x.kind in (StepKind.NOTE, StepKind.WRONG) for x in steps[out:home])
        if away <= ALIGN.excursion_notes and abs(steps[home + 1].item - steps[out].item) <= 1:
            found.append((steps[max(0, out - 1)].start, steps[home].end))
    return found


def _make_attempt(
    path: AlignmentPath,
    table: SegmentTable,
    local: npt.NDArray[np.float64],
    until_s: float,
    posteriors: NotePosteriors | None,
) -> AlignedAttempt:
    """Another piece can be stitched together from its own notes, but not in their time."""
    steps, notes, s = path.steps, table.items, table.s
    right = [x for x in steps if x.kind == StepKind.NOTE]
    against = (StepKind.WRONG, StepKind.MISSED, StepKind.EXTRA, StepKind.JUNK)
    # A note that died early leaves the rest of its time behind: that is neither music nor another piece.
    silent = {
        id(x)
        for x in steps
        if x.kind == StepKind.JUNK
        and table.heard_s(x.start, x.end)
        < ALIGN.silent_share * float(table.time[x.end] - table.time[x.start])
    }
    steps = tuple(x for x in steps if id(x) not in silent)
    ends = [
        b.start if b.kind == StepKind.NOTE and b.item == a.item + 1 else a.end
        for a, b in zip(steps, [*steps[1:], *steps[-1:]], strict=True)
    ]
    wrong = sum(1 for x in steps if x.kind in against) + sum(
        (steps[k + 1].item - x.item) if k + 1 < len(steps) else 1
        for k, x in enumerate(steps)
        if x.kind == StepKind.DELETED
    )
    share = len(right) / max(1, len(right) + wrong)
    timed = 0
    for x, end in zip(steps, ends, strict=True):
        if x.kind != StepKind.NOTE:
            continue
        length_s, expected_s = table.time[end] - table.time[x.start], notes.ioi_q[x.item] * local[x.item]
        timed += bool(notes.last_free[x.item] or abs(float(np.log(length_s / expected_s))) < s.in_time)
    followed = share * timed / max(len(right), 1) >= s.followed_min and len(right) >= min(3, len(notes.midi))
    return AlignedAttempt(
        path=path,
        seconds_per_quarter=local,
        until_s=until_s,
        share_right=share,
        followed=followed,
        posteriors=posteriors,
    )


def _cut_at_fine(as_written: Alignment, went_on: Alignment, count: int, step_s: float) -> Alignment:
    """What is heard to its Fine of a take that goes on past it; the other alignment where it does not."""
    last, other = as_written.attempts[-1], went_on.attempts[-1]
    steps = other.path.steps
    cut = next((k for k, x in enumerate(steps) if x.item >= count and x.kind != StepKind.DELETED), len(steps))
    beyond = [x for x in steps[cut:] if x.kind == StepKind.NOTE]
    if (
        not other.followed
        or len(beyond) < ALIGN.past_fine_notes
        or other.path.score < last.path.score + ALIGN.past_fine_gain
    ):
        return as_written
    begin, end = (float(went_on.candidates.frame[k] * step_s) for k in (steps[cut].start, steps[-1].end))
    kept = dataclasses.replace(
        other,
        path=AlignmentPath(steps[:cut], other.path.score),
        seconds_per_quarter=other.seconds_per_quarter[:count],
        posteriors=None if other.posteriors is None else other.posteriors.cut(count),
        until_s=begin,
    )
    return dataclasses.replace(as_written, attempts=(kept,), past_fine=(begin, end))


def leave_others_out(way: AlignmentPath, count: int) -> AlignmentPath:
    """The way without what lies before a beginning or behind the end and does not go as written: somebody
    else who plays, not a try.

    >>> step = dict(start=0, end=1, pitch=None)
    >>> way = [PathStep(item=k, kind=StepKind.NOTE, **step) for k in range(4)]
    >>> other = [PathStep(item=4, kind=StepKind.JUMP, **step)]
    >>> other += [PathStep(item=k, kind=StepKind.WRONG, **step) for k in range(1, 4)]
    >>> len(leave_others_out(AlignmentPath((*way, *other), 0.0), 4).steps)
    4
    """
    steps = list(way.steps)
    for k, step in enumerate(steps):
        if step.kind != StepKind.JUMP:
            continue
        done = max((x.item for x in steps[:k] if x.kind in (StepKind.NOTE, StepKind.WRONG)), default=-1)
        if done >= count - 1 and not _as_written(steps[k + 1 :]):
            steps = steps[:k]
            break
    for k in reversed(range(len(steps))):
        step = steps[k]
        begins = step.kind == StepKind.JUMP and k + 1 < len(steps) and steps[k + 1].item == 0
        if begins and not _as_written(steps[:k]):
            steps = steps[k + 1 :]
            break
    return AlignmentPath(tuple(steps), way.score)


def _as_written(steps: list[PathStep]) -> bool:
    """Whether most of what sounded is what is written, and not by chance."""
    right = sum(x.kind == StepKind.NOTE for x in steps)
    against = sum(x.kind in (StepKind.WRONG, StepKind.EXTRA, StepKind.MISSED, StepKind.JUNK) for x in steps)
    return right >= ALIGN.own_share * (right + against)


def split_attempts(way: AlignmentPath, count: int) -> list[AlignmentPath]:
    """The way cut where a player who had come to the end of the line, or nearly, began again at its
    beginning: each piece a complete attempt.

    >>> step = dict(start=0, end=1, pitch=None)
    >>> way = [PathStep(item=k, kind=StepKind.NOTE, **step) for k in range(4)]
    >>> again = [PathStep(item=4, kind=StepKind.JUMP, **step), *way]
    >>> [len(a.steps) for a in split_attempts(AlignmentPath((*way, *again), 0.0), 4)]
    [4, 4]
    """
    pieces: list[list[PathStep]] = [[]]
    for k, step in enumerate(way.steps):
        target = way.steps[k + 1].item if k + 1 < len(way.steps) else step.item
        if (
            step.kind == StepKind.JUMP
            and step.item >= ALIGN.whole * count
            and target <= (1.0 - ALIGN.whole) * count
            and _reach(way.steps[k + 1 :]) >= ALIGN.whole * count
        ):
            pieces.append([])
        else:
            pieces[-1].append(step)
    return [AlignmentPath(tuple(piece), way.score) for piece in pieces] if len(pieces) > 1 else [way]


def _reach(steps: tuple[PathStep, ...]) -> int:
    """The first note that is not reached any more before the player goes back to the beginning, or stops."""
    reach = 0
    for k, step in enumerate(steps):
        if (
            step.kind == StepKind.JUMP
            and k + 1 < len(steps)
            and steps[k + 1].item <= (1.0 - ALIGN.whole) * reach
        ):
            break
        if step.kind in (StepKind.NOTE, StepKind.WRONG, StepKind.MISSED):
            reach = max(reach, step.item + 1)
    return reach


def _recover_starts(
    steps: tuple[PathStep, ...],
    items: NoteArrays,
    boundaries: Candidates,
    local: npt.NDArray[np.float64],
    features: Features,
) -> tuple[PathStep, ...]:
    """The steps with each note that was squeezed in behind a stretch of no music put where it sounded: at the
    beginning of that stretch.
    """
    out: list[PathStep] = []
    for step in steps:
        before = out[-1] if out else None
        lost = (
            before is not None
            and before.kind == StepKind.JUNK
            and step.kind == StepKind.NOTE
            and before.item == step.item
            and before.end == step.start
        )
        if lost and before is not None and step.pitch is not None:
            frame, start = int(boundaries.frame[before.start]), int(boundaries.frame[step.start])
            seconds = (int(boundaries.frame[step.end]) - start) * features.step_s
            rows = slice(frame + 2, min(start, frame + round(ALIGN.begins_s / features.step_s)))
            clear = salience_near(features, rows, step.pitch)[0]
            if (
                seconds < ALIGN.squeezed * items.ioi_q[step.item] * local[step.item]
                and len(clear)
                and float(np.median(clear)) > ALIGN.begins_clear
            ):
                out[-1] = dataclasses.replace(step, start=before.start)
                continue
        out.append(step)
    return tuple(out)
