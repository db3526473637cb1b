"""What every segment between two boundaries is worth, whatever the tempo: shared by all passes of the search.

A segment runs from one onset to the next. For each note that may end there: the best of its written pitch,
another pitch and silence, with the attack at its beginning and the attacks inside it. Besides, for each
segment: a note that is not written, or no music.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
import numpy.typing as npt

from jeweller.alignment.candidates import Candidates
from jeweller.alignment.note_arrays import NoteArrays
from jeweller.alignment.settings import SEGMENTS, AlignmentSettings
from jeweller.features.extraction import Features
from jeweller.notation.performance import NO_PITCH

Array = npt.NDArray[np.float32]
NEVER = np.float32(-1e9)


class StepKind(IntEnum):
    """What a step of an alignment path is."""

    NOTE = 0  # the written note sounded
    WRONG = 1  # another pitch in its place
    MISSED = 2  # its time passed in silence
    DELETED = 3  # it was left out with its time
    EXTRA = 4  # a note that is not written
    JUNK = 5  # a stretch that is no music
    JUMP = 6  # to the beginning of another bar
    LEAD = 7  # before the first note and after the last


@dataclass(frozen=True, kw_only=True)
class Evidence:
    """Cumulated nats per pitch frame: `written`, `rest` and `any` (T+1, P), `silence` (T+1,), `sound` (T+1,)
    seconds of sound.

    `rest` is what a written rest behind a pitch is worth: the same pitch held on is still that note, anything
    else is discounted.
    """

    written: Array
    rest: Array
    any: Array
    silence: npt.NDArray[np.float64]
    sound: npt.NDArray[np.float64]
    quiet: Array  # (T+1,) nats that silence costs a note that is to sound: it is in `written` already
    low: int


@dataclass(frozen=True, kw_only=True)
class SegmentStarts:
    """Boundaries from which segments to the boundaries `end` may come, (A,) each, and what such a segment is
    worth whatever note is written. `end` is one for all, (1,), or each its own, (A,).
    """

    end: npt.NDArray[np.int64]
    before: npt.NDArray[np.int64]  # the boundaries
    top: Array  # nats for the likeliest pitch
    top_pitch: npt.NDArray[np.int64]  # that pitch
    inside: Array  # nats that attacks strictly between cost
    stay: Array  # worth of a note that is not written, or of no music
    is_extra: npt.NDArray[np.bool_]  # which of the two

    def some(self, rows: slice) -> SegmentStarts:
        """Some of them, where each has an end of its own."""
        return SegmentStarts(**{name: values[rows] for name, values in vars(self).items()})


@dataclass(frozen=True)
class Segments:
    """The segments from A starts to one boundary, for the M notes that may end there."""

    worth: Array  # (A, M)
    attack: Array  # (A, M) what the attack at its beginning is worth to a note that sounds
    written: Array  # (A, M) nats for the written pitch
    other: Array  # (A, M) for another one
    gone: Array  # (A,) for none

    def kind(self, start: npt.NDArray[np.int64], note: npt.NDArray[np.int64]) -> npt.NDArray[np.int8]:
        """StepKind.NOTE, StepKind.WRONG or StepKind.MISSED for pairs of a start and a note."""
        other, written = self.other[start, note], self.written[start, note]
        heard = np.where(other > written, StepKind.WRONG, StepKind.NOTE)
        return np.where(self.gone[start] > np.maximum(other, written), StepKind.MISSED, heard).astype(np.int8)


def near_pitches(features: Features, reach: float) -> Array:
    """(T, P) the periodicity within `reach` semitones of every pitch of the take's own tuning: a note between
    two semitones is heard as either.

    >>> import numpy as np
    >>> from jeweller.features.extraction import extract_features
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> features = extract_features(tone, 60, 72)
    >>> near_pitches(features, 0.6).shape == features.salience.shape
    True
    """
    clear = ~np.isnan(features.f0) & (features.best > SEGMENTS.clear)
    turns = np.exp(2j * np.pi * features.f0[clear])
    tuning = float(np.angle(turns.sum()) / (2 * np.pi)) if clear.any() else 0.0
    columns = np.arange(
        features.low, features.low + features.salience.shape[1], dtype=np.float32
    ) + np.float32(tuning)
    salience, place = features.salience, features.place
    out = salience * (np.abs(place - columns) <= reach)
    below = salience[:, 1:] * (np.abs(place[:, 1:] - columns[:-1]) <= reach)
    above = salience[:, :-1] * (np.abs(place[:, :-1] - columns[1:]) <= reach)
    np.maximum(out[:, :-1], below, out=out[:, :-1])
    np.maximum(out[:, 1:], above, out=out[:, 1:])
    return out


def gather_evidence(features: Features, s: AlignmentSettings) -> Evidence:
    """What every frame says for each written pitch, for silence and for other notes, nats a frame.

    >>> import numpy as np
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> from jeweller.features.extraction import extract_features
    >>> features = extract_features(tone, 60, 72)
    >>> from jeweller.alignment.settings import DEFAULT
    >>> type(gather_evidence(features, DEFAULT)).__name__
    'Evidence'
    """
    frames = len(features.best)
    ratio = round(features.step_s / features.hop_s)
    level = features.level[::ratio][:frames]
    threshold = max(features.loud_db - s.quiet_db, features.floor_db + 4.0)
    voiced = np.clip((level - threshold) / 8.0, 0.0, 1.0) * np.clip((features.best - 0.35) / 0.3, 0.0, 1.0)
    short = features.best[:, None] - near_pitches(features, s.near_semitones)
    np.maximum(short, 0.0, out=short)
    short /= np.float32(-s.match_width)
    match = np.exp(short, out=short)
    columns = np.arange(features.low, features.low + features.salience.shape[1], dtype=np.float32)
    below = columns[None, :] < np.nan_to_num(features.f0, nan=-99.0)[:, None] - 0.7
    per_frame = s.frame_weight * features.step_s
    silent = np.float32(s.silence_rate * features.step_s) * np.clip((threshold + 6.0 - level) / 8.0, 0.0, 1.0)
    written = (2.0 * match - 1.0) * (voiced * per_frame)[:, None] - silent[:, None]
    rest = (
        s.held_discount * np.maximum(2.0 * match - 1.0, 0.0)
        - s.rest_discount * np.maximum(1.0 - 2.0 * match, 0.0)
    ) * (voiced * per_frame)[:, None]
    free = (2.0 * match * np.where(below, s.subharmonic_discount, 1.0) - 1.0) * (voiced * per_frame)[:, None]

    def total(a: npt.NDArray[np.floating]) -> Array:
        out = np.zeros((len(a) + 1, a.shape[1]), np.float32)
        out[1:] = np.cumsum(a.T, axis=1, dtype=np.float64).T  # along what lies side by side
        return out

    silence = np.concatenate([[0.0], np.cumsum(-voiced * per_frame)])
    sound = np.concatenate([[0.0], np.cumsum(voiced * features.step_s)])
    return Evidence(
        written=total(written),
        rest=total(rest),
        any=total(free),
        silence=silence,
        sound=sound,
        quiet=total(silent[:, None])[:, 0],
        low=features.low,
    )


def gather_attack_evidence(features: Features, s: AlignmentSettings) -> Evidence:
    """Evidence for rhythm alone: no pitch speaks for or against a note; only where there is sound is
    known.

    >>> import numpy as np
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.alignment.settings import DEFAULT
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> gather_attack_evidence(extract_features(tone, 60, 72), DEFAULT).written.shape[1]
    1
    """
    frames = len(features.best)
    level = features.level[:: round(features.step_s / features.hop_s)][:frames]
    voiced = np.clip((level - max(features.loud_db - s.quiet_db, features.floor_db + 6.0)) / 8.0, 0.0, 1.0)
    # one column for all: whatever the instrument's range, every note is as good
    nothing = np.zeros((frames + 1, 1), np.float32)
    return Evidence(
        written=nothing,
        rest=nothing,
        any=nothing,
        silence=np.zeros(frames + 1),
        sound=np.concatenate([[0.0], np.cumsum(voiced * features.step_s)]),
        quiet=np.zeros(frames + 1, np.float32),
        low=NO_PITCH,
    )


def expect_seconds(items: NoteArrays, spq: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Log seconds that each note is expected to take until the next, (N,), at `spq` seconds per quarter.

    >>> from jeweller.alignment.note_arrays import make_note_arrays
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A\\nM:2/4\\nL:1/4\\nK:C\\nA c|")[0].parts[0]
    >>> np.exp(expect_seconds(make_note_arrays(perform_part("", part)), np.array([1.0, 0.5]))).tolist()
    [1.0, 0.5]
    """
    return np.log(np.maximum(items.ioi_q * spq, SEGMENTS.shortest_s))


def cost_of_duration(
    ratio: npt.NDArray[np.floating], free: npt.NDArray[np.bool_], narrow: Array, s: AlignmentSettings
) -> npt.NDArray[np.floating]:
    """Nats that segments cost for being longer or shorter than expected, (A, M), by the log ratio of the two
    and one over its spread. Of notes that are `free` (M,) a longer time counts less: `ratio` is changed so.

    Beats lost or added cost no more than a cap; what is no count at all costs more and more: the lower of two
    lines that cross at the cap.

    >>> from jeweller.alignment.settings import DEFAULT
    >>> ratio = np.array([[0.0, 0.18, 9.0]])
    >>> cost_of_duration(ratio, np.zeros(3, bool), np.array(1 / 0.18), DEFAULT).round(1).tolist()
    [[0.0, 1.0, 22.7]]
    """
    if free.any():
        here = ratio[:, free]
        ratio[:, free] = np.where(here > 0, SEGMENTS.free_share * here, here)
    cost = np.abs(ratio)
    cost *= narrow
    np.minimum(cost, s.ioi_cap * (1.0 - s.ioi_tail) + s.ioi_tail * cost, out=cost)
    return cost


class SegmentTable:
    """Computes `Segments` by boundary."""

    def __init__(
        self,
        items: NoteArrays,
        evidence: Evidence,
        boundaries: Candidates,
        step_s: float,
        s: AlignmentSettings,
    ) -> None:
        self.items, self.evidence, self.s = items, evidence, s
        self.frame = boundaries.frame
        self.time = boundaries.frame * step_s
        self.columns = items.midi - evidence.low
        hit = np.minimum(boundaries.attack, 1.0)
        moved = np.minimum(np.maximum(hit, boundaries.change), 1.0)
        # What grows inside a note and is no tongue is the crest of a vibrato, or breath: no cost.
        told = 1.0 / (1.0 + np.exp(-boundaries.tongue)) if items.pitched else np.ones(len(hit))
        inside = (
            s.inside_cost * np.maximum(hit - s.attack_pivot, 0.0) * told + s.fresh_cost * boundaries.fresh
        )
        self.inside = np.concatenate([[0.0], np.cumsum(inside)])
        by_frame = np.zeros(len(evidence.sound) + 1)
        np.add.at(by_frame, self.frame + 1, inside)
        self.inside_frame = np.cumsum(by_frame)  # of all attacks before a frame
        change = s.change_reward * (moved - s.attack_pivot)
        repeat = (
            s.tongue_weight * boundaries.tongue if items.pitched else s.repeat_reward * (hit - s.attack_pivot)
        )
        self.change = np.minimum(change, 0.0).astype(np.float32)
        # What an attack at a boundary is worth to a note, (boundaries, 4): one that is slurred need not have
        # one.
        self.reward = np.stack(
            [change, repeat, np.maximum(change, 0.0), np.maximum(repeat, 0.0)], axis=1
        ).astype(np.float32)
        self.begins = items.repeated + 2 * items.slurred  # which of the four
        self.rested = (
            items.sound_share <= SEGMENTS.plain if items.pitched else np.zeros(len(items.midi), np.bool_)
        )
        self.plain = items.sound_share > SEGMENTS.plain
        self.trills = np.unique(self.columns[items.trill])
        self.ahead = max(1, round(s.jump_ahead_s / step_s))
        self.per_frame = s.frame_weight * step_s
        self.ornamented = items.trill | np.array([bool(g) for g in items.graces], bool)
        self._trills: dict[int, npt.NDArray[np.float64]] = {}

    def best_pitch(
        self, b: int | npt.NDArray[np.int64], before: npt.NDArray[np.int64]
    ) -> tuple[Array, Array]:
        """((A, P) nats for every pitch in the segments from boundaries `before` to b, (A,) the most of them,
        trills included).
        """
        e = self.evidence
        fa, fb = self.frame[before], self.frame[b]
        every = e.any[fb] - e.any[fa]
        most = every.max(axis=1)
        for column in self.trills.tolist():
            own = self._trilled(column)
            most = np.maximum(most, (self.s.trill_share * (own[fb] - own[fa])).astype(np.float32))
        return every, most

    def starts(
        self, b: int | npt.NDArray[np.int64], before: npt.NDArray[np.int64], every: Array
    ) -> SegmentStarts:
        """What the segments from boundaries `before` to b are worth, `every` (A, P) being their nats for
        every pitch. b: one for all, or (A,).
        """
        s, e = self.s, self.evidence
        fa, fb = self.frame[before], self.frame[b]
        inside = (self.inside[b] - self.inside[before + 1]).astype(np.float32)
        top_pitch = every.argmax(axis=1)
        top = every[np.arange(len(before)), top_pitch]
        extra = s.extra_share * top - s.extra_cost - inside + self.change[before]
        sound = e.sound[fb] - e.sound[fa]
        junk = np.maximum(-s.junk_cost - s.junk_rate * sound, -s.pause_cost - s.pause_rate * sound)
        near = self.time[b] - self.time[before] < SEGMENTS.longest_extra_s
        stay = np.where(near, np.maximum(extra, junk), junk).astype(np.float32)
        return SegmentStarts(
            end=np.atleast_1d(np.asarray(b)),
            before=before,
            top=top,
            top_pitch=top_pitch + e.low,
            inside=inside,
            stay=stay,
            is_extra=near & (extra >= junk),
        )

    def segments(self, starts: SegmentStarts, index: npt.NDArray[np.int64]) -> Segments:
        """The segments from `starts`, for the notes `index` (ascending)."""
        s, e = self.s, self.evidence
        fa, fb = self.frame[starts.before], self.frame[starts.end]
        written = self._written(fa, fb, index)
        trills = self.items.trill[index]
        if trills.any():  # a trill has its own attacks: they count against it only where it was no trill
            written[:, trills] += starts.inside[:, None]
        other = np.where(
            (starts.top_pitch - e.low)[:, None] == self.columns[index],
            NEVER,
            (starts.top - np.float32(s.wrong_cost))[:, None] - self._quiet(fa, fb, index),
        )
        gone = (e.silence[fb] - e.silence[fa] - s.missed_cost).astype(np.float32)
        heard = np.maximum(written, other)
        attack = self.reward[starts.before].take(self.begins[index], axis=1)
        worth = np.where(gone[:, None] > heard, gone[:, None], attack + heard)
        worth -= starts.inside[:, None]
        rested = np.flatnonzero(self.rested[index])
        if len(rested):
            split = np.maximum(
                self._split(fa[:, None], fb[:, None], self.items.sound_share[index[rested]]),
                np.minimum(fa + 1, fb)[:, None],
            )
            worth[:, rested] += np.float32(1.0 - s.rest_inside_share) * (
                self.inside_frame[fb][:, None] - self.inside_frame[split]
            ).astype(np.float32)
        return Segments(worth, attack, written, other, gone)

    def _quiet(
        self, fa: npt.NDArray[np.int64], fb: npt.NDArray[np.int64], index: npt.NDArray[np.int64]
    ) -> Array:
        """(A, M) or (A, 1) nats that silence costs where a note is to sound, whatever its pitch."""
        quiet, rested = self.evidence.quiet, ~self.plain[index]
        whole = (quiet[fb] - quiet[fa])[:, None]
        if not rested.any():
            return whole
        out = np.repeat(whole, len(index), axis=1)
        split = self._split(fa[:, None], fb[:, None], self.items.sound_share[index[rested]])
        out[:, rested] = quiet[split] - quiet[fa][:, None]
        return out

    def heard_s(self, start: int, end: int) -> float:
        """Seconds of sound between two boundaries."""
        sound = self.evidence.sound
        return float(sound[self.frame[end]] - sound[self.frame[start]])

    def may_begin(self, b: int, index: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
        """Whether what sounds from boundary b on is not clearly another pitch than the notes `index` begin
        with, (M,).
        """
        written = self.evidence.written
        here, ahead = int(self.frame[b]), min(int(self.frame[b]) + self.ahead, len(written) - 1)
        columns = self.columns[index]
        clear = self.s.jump_against * (ahead - here) * self.per_frame
        return self.ornamented[index] | (written[ahead, columns] - written[here, columns] > -clear)

    @staticmethod
    def _split(
        fa: npt.NDArray[np.int64], fb: npt.NDArray[np.int64], share: float | npt.NDArray[np.float64]
    ) -> npt.NDArray[np.int64]:
        """The frame where a note's own share of its time ends and the written rest behind it begins."""
        return np.asarray(np.minimum(fa + np.rint((fb - fa) * share).astype(np.int64), fb))

    def _trilled(self, column: int) -> npt.NDArray[np.float64]:
        """Cumulated evidence of a trill on a pitch: each frame by whichever of its notes fits best."""
        found = self._trills.get(column)
        if found is None:
            found = self._trills[column] = np.concatenate(
                [[0.0], np.cumsum(np.diff(self.evidence.written[:, column : column + 3], axis=0).max(axis=1))]
            )
        return found

    def _written(
        self, fa: npt.NDArray[np.int64], fb: npt.NDArray[np.int64], index: npt.NDArray[np.int64]
    ) -> Array:
        """(A, M) evidence of the written pitches, with silence for the share of a segment that is a written
        rest.
        """
        s, e = self.s, self.evidence
        columns, plain = self.columns[index], self.plain[index]
        here = e.written[fb[:, None], columns] - e.written[fa[:, None], columns]
        if not plain.all():
            c, share = columns[~plain], self.items.sound_share[index[~plain]]
            to = fb[:, None]
            split = self._split(fa[:, None], to, share)
            here[:, ~plain] += e.written[split, c] - e.written[to, c] + e.rest[to, c] - e.rest[split, c]
        for k in np.nonzero(self.items.trill[index])[0]:
            own = self._trilled(int(columns[k]))
            here[:, k] = np.maximum(here[:, k], s.trill_share * (own[fb] - own[fa]))
        return here
