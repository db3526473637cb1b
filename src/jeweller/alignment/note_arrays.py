"""The main notes of a performed part as arrays, as the alignment needs them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.notation.performance import NO_PITCH, PerformedPart


@dataclass(frozen=True, kw_only=True)
class NoteArrays:
    """The notes to follow, as arrays of length N."""

    midi: npt.NDArray[np.int64]  # sounding
    ioi_q: npt.NDArray[np.float64]  # quarters to the next onset
    sound_share: npt.NDArray[np.float64]  # the note's own share of that
    repeated: npt.NDArray[np.bool_]  # same pitch as the note before, with nothing between
    slurred: npt.NDArray[np.bool_]
    trill: npt.NDArray[np.bool_]
    bar_start: npt.NDArray[np.bool_]  # first note of a bar (of the performance)
    # of these, one a take may begin with: a bar that comes again is begun with its first time
    opening: npt.NDArray[np.bool_]
    first_time: npt.NDArray[np.int64]  # which note it is the second time of; its own index at its first
    bar: npt.NDArray[np.int64]
    last_free: npt.NDArray[np.bool_]  # may be held as long as liked: the last note, fermatas
    graces: tuple[frozenset[int], ...]  # sounding pitches of the grace notes before each
    pitched: bool = True  # False: rhythm alone


def make_note_arrays(line: PerformedPart, *, rhythm_only: bool = False) -> NoteArrays:
    """The main notes of a line as arrays; for rhythm alone all of one pitch, each with an attack of its
    own.

    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> line = perform_part("A line", part)
    >>> make_note_arrays(line).midi.tolist()
    [65, 67, 69, 70, 72]
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
    first = np.array([first_time[x.score_id] for x in notes], np.int64)
    opening = bar_start & (first == np.arange(n))
    if rhythm_only:
        no, none = np.zeros(n, np.bool_), tuple(frozenset[int]() for _ in notes)
        return NoteArrays(
            midi=np.full(n, NO_PITCH),
            ioi_q=ioi,
            sound_share=np.ones(n),
            repeated=~no,
            slurred=no,
            trill=no,
            bar_start=bar_start,
            opening=opening,
            first_time=first,
            bar=bars,
            last_free=last_free,
            graces=none,
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
        first_time=first,
        bar=bars,
        last_free=last_free,
        graces=tuple(frozenset(g.sounding_midi for g in before) for before in line.graces),
    )
