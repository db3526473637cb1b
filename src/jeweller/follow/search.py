"""The search: a semi-Markov way through (candidate boundary, number of notes done), in one pass over the boundaries.

A segment runs from one onset to the next: the note and the rest or gap behind it. Cumulated evidence gives the worth of any segment
for any pitch at once. Besides the written pitch a segment may hold another pitch, silence, a note that is not written, or no music; from any
bar line the player may go back or jump ahead. Time and memory are linear in the length of the recording: only boundaries within the longest
possible note, and notes within a window around the best place so far, are looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.errors import Cancelled
from jeweller.follow.boundaries import Boundaries
from jeweller.follow.settings import FollowSettings
from jeweller.hear.features import Features

Array = npt.NDArray[np.float32]
NEVER = np.float32(-1e9)

# What a step of the way is.
NOTE, WRONG, MISSED, DELETED, EXTRA, JUNK, JUMP, LEAD = range(8)


@dataclass(frozen=True)
class Items:
    """The notes to follow, as arrays of length N."""

    midi: npt.NDArray[np.int64]  # sounding
    ioi_q: npt.NDArray[np.float64]  # quarters to the next onset
    sound_share: npt.NDArray[np.float64]  # the note's own share of that
    repeated: npt.NDArray[np.bool_]  # same pitch as the note before, with nothing between
    slurred: npt.NDArray[np.bool_]
    trill: npt.NDArray[np.bool_]
    bar_start: npt.NDArray[np.bool_]  # first note of a bar (of the performance)
    bar: npt.NDArray[np.int64]
    last_free: npt.NDArray[np.bool_]  # may be held as long as liked: the last note, fermatas


@dataclass(frozen=True)
class Step:
    """One step of the way: boundaries `start`..`end` (indexes), kind, sounding pitch or None.

    `item` is the note it holds; for EXTRA and JUNK the note it stands before; for DELETED the first note left out (up to the next step's);
    for JUMP the note that would have been next.
    """

    start: int
    end: int
    item: int
    kind: int
    pitch: int | None


@dataclass(frozen=True)
class Way:
    steps: tuple[Step, ...]
    score: float


@dataclass(frozen=True)
class Evidence:
    """Cumulated nats per pitch frame: `written` (T+1, P) and `any` (T+1, P), `silence` (T+1,), `sound` (T+1,) seconds of sound."""

    written: Array
    any: Array
    silence: npt.NDArray[np.float64]
    sound: npt.NDArray[np.float64]
    low: int


def gather_evidence(features: Features, s: FollowSettings) -> Evidence:
    frames = len(features.best)
    ratio = round(features.step_s / features.hop_s)
    level = features.level[::ratio][:frames]
    threshold = max(features.loud_db - s.quiet_db, features.floor_db + 4.0)
    voiced = np.clip((level - threshold) / 8.0, 0.0, 1.0) * np.clip((features.best - 0.35) / 0.3, 0.0, 1.0)
    match = np.exp(-np.maximum(features.best[:, None] - features.salience, 0.0) / s.match_width)
    columns = np.arange(features.low, features.low + features.salience.shape[1], dtype=np.float32)
    below = columns[None, :] < np.nan_to_num(features.f0, nan=-99.0)[:, None] - 0.7
    per_frame = s.frame_weight * features.step_s
    written = (2.0 * match - 1.0) * (voiced * per_frame)[:, None]
    free = (2.0 * match * np.where(below, s.subharmonic_discount, 1.0) - 1.0) * (voiced * per_frame)[:, None]

    def total(a: npt.NDArray[np.floating]) -> Array:
        return np.concatenate([np.zeros((1, a.shape[1])), np.cumsum(a, axis=0, dtype=np.float64)]).astype(np.float32)

    silence = np.concatenate([[0.0], np.cumsum(-voiced * per_frame)])
    sound = np.concatenate([[0.0], np.cumsum(voiced * features.step_s)])
    return Evidence(total(written), total(free), silence, sound, features.low)


def search(items: Items, seconds_per_quarter: npt.NDArray[np.float64], evidence: Evidence, boundaries: Boundaries, step_s: float, spread: float,
           s: FollowSettings, cancelled: Callable[[], bool] = lambda: False) -> Way:  # fmt: skip
    """The best way for the given local tempo (seconds per quarter at each note, shape (N,))."""
    return _Search(items, seconds_per_quarter, evidence, boundaries, step_s, spread, s).run(cancelled)


class _Search:
    def __init__(self, items: Items, spq: npt.NDArray[np.float64], evidence: Evidence, boundaries: Boundaries, step_s: float, spread: float,
                 s: FollowSettings) -> None:  # fmt: skip
        self.items, self.evidence, self.s, self.spread = items, evidence, s, spread
        self.frame, self.attack, self.change = boundaries.frame, boundaries.attack, boundaries.change
        self.time = boundaries.frame * step_s
        self.expected = np.maximum(items.ioi_q * spq, 0.02)
        self.columns = items.midi - evidence.low
        self.count = len(items.midi)
        inside = s.inside_cost * np.maximum(np.minimum(self.attack, 1.0) - s.attack_pivot, 0.0)
        self.inside = np.concatenate([[0.0], np.cumsum(inside)])
        starts = np.nonzero(items.bar_start)[0]
        self.starts = starts
        pivot = s.attack_pivot
        hit = np.minimum(self.attack, 1.0)
        moved = np.minimum(np.maximum(hit, self.change), 1.0)
        self.reward_repeat = s.repeat_reward * (hit - pivot)
        self.reward_change = s.change_reward * (moved - pivot)
        longest = float(self.expected.max()) * 2.5 + 1.5
        self.first = np.searchsorted(self.time, self.time - min(max(longest, 3.0), 60.0))

    def run(self, cancelled: Callable[[], bool]) -> Way:
        s, n, total = self.s, self.count, len(self.frame)
        width = min(n + 1, s.window_notes)
        low = np.zeros(total, np.int64)
        best = np.full((total, width), NEVER, np.float32)
        back_at = np.full((total, width), -1, np.int32)
        back_kind = np.zeros((total, width), np.int8)
        back_pitch = np.full((total, width), -1, np.int16)
        back_item = np.full((total, width), -1, np.int32)
        sound = self.evidence.sound[self.frame]
        centre = 0
        deleted_ramp = (s.deleted_cost * np.arange(width)).astype(np.float32)
        for b in range(total):
            if b % 256 == 0 and cancelled():
                raise Cancelled
            lo = int(np.clip(centre - width // 2, 0, n + 1 - width))
            low[b] = lo
            row = best[b]
            # Not yet begun: everything so far was no music.
            lead = np.float32(-s.lead_rate * sound[b])
            for i in [0, *self.starts[(self.starts > 0) & (self.starts < s.window_notes)]] if b < total - 1 else [0]:
                if lo <= i < lo + width:
                    value = lead - (s.late_start_cost if i else 0.0)
                    if value > row[i - lo]:
                        row[i - lo] = value
                        back_kind[b, i - lo], back_at[b, i - lo], back_item[b, i - lo] = LEAD, -1, i
            if b:
                self._arrive(b, lo, width, low, best, back_at, back_kind, back_pitch, back_item)
            # Notes left out together with their time: the best place before each, at a cost for every note between.
            climb = row + deleted_ramp
            peak = np.maximum.accumulate(climb)
            source = np.maximum.accumulate(np.where(climb >= peak, np.arange(width), 0))
            value = peak - deleted_ramp
            gone = np.nonzero((value > row) & (source < np.arange(width)))[0]
            row[gone] = value[gone]
            back_at[b, gone], back_kind[b, gone], back_item[b, gone] = b, DELETED, lo + source[gone]
            top = int(row.argmax())
            centre = lo + top
            # Jumps to the beginning of a bar, from the best place so far.
            targets = self.starts[(self.starts >= lo) & (self.starts < lo + width)]
            if len(targets):
                value = row[top] - s.jump_cost
                near = targets[np.abs(self.items.bar[targets] - self.items.bar[min(centre, n - 1)]) <= s.jump_bars]
                better = near[(row[near - lo] < value) & (near != centre)]
                row[better - lo] = value
                back_at[b, better - lo], back_kind[b, better - lo], back_item[b, better - lo] = b, JUMP, centre
        return self._trace(low, best, back_at, back_kind, back_pitch, back_item, sound)

    def _arrive(self, b: int, lo: int, width: int, low: npt.NDArray[np.int64], best: Array, back_at: npt.NDArray[np.int32], back_kind: npt.NDArray[np.int8],
                back_pitch: npt.NDArray[np.int16], back_item: npt.NDArray[np.int32]) -> None:  # fmt: skip
        """All segments that end at boundary b."""
        s, e = self.s, self.evidence
        a0 = int(self.first[b])
        if low[a0] != lo:
            a0 = int(np.searchsorted(low[: b + 1], lo)) if (low[: b + 1][:-1] <= low[1 : b + 1]).all() else a0
        before = np.arange(a0, b)
        if len(before) == 0:
            return
        previous = np.full((len(before), width), NEVER, np.float32)
        shifts = low[before] - lo
        if not shifts.any():
            previous = best[a0:b]
        else:
            for k, shift in enumerate(shifts):
                if shift >= 0:
                    previous[k, shift:] = best[a0 + k, : width - shift]
                else:
                    previous[k, : width + shift] = best[a0 + k, -shift:]
        fa, fb = self.frame[before], int(self.frame[b])
        seconds = self.time[b] - self.time[before]
        hi = min(lo + width - 1, self.count)  # notes lo..hi-1 may end here
        index = np.arange(lo, hi)
        row = best[b]
        inside = (self.inside[b] - self.inside[before + 1]).astype(np.float32)  # attacks strictly between
        every = e.any[fb][None, :] - e.any[fa]  # (A, P)
        top_pitch = every.argmax(axis=1)
        top = every[np.arange(len(before)), top_pitch]
        silence = (e.silence[fb] - e.silence[fa]).astype(np.float32)
        if len(index):
            columns = self.columns[index]
            share = self.items.sound_share[index]
            plain = share > 0.98
            here = np.empty((len(before), len(index)), np.float32)
            if plain.any():
                here[:, plain] = e.written[fb, columns[plain]][None, :] - e.written[fa][:, columns[plain]]
            if not plain.all():
                c = columns[~plain]
                split = np.minimum(fa[:, None] + np.rint((fb - fa)[:, None] * share[~plain][None, :]).astype(np.int64), fb)
                sounding = e.written[split, c[None, :]] - e.written[fa][:, c]
                rest = e.silence[fb] - e.silence[split]
                here[:, ~plain] = sounding + s.rest_discount * rest.astype(np.float32)
            trills = np.nonzero(self.items.trill[index])[0]
            for k in trills:
                c = columns[k]
                for up in (1, 2):
                    if c + up < e.written.shape[1]:
                        pair = np.maximum(here[:, k], (e.written[fb, c + up] - e.written[fa, c + up]))
                        here[:, k] = np.maximum(pair, 0.5 * s.frame_weight * (e.sound[fb] - e.sound[fa]))
            inside_here = np.broadcast_to(inside[:, None], here.shape)
            if len(trills):
                inside_here = inside_here.copy()
                inside_here[:, trills] = 0.0
            other = np.where(top_pitch[:, None] == columns[None, :], NEVER, top[:, None]) - s.wrong_cost
            gone = silence[:, None] - s.missed_cost
            kind = np.full(here.shape, NOTE, np.int8)
            worth = here.copy()
            swap = other > worth
            worth[swap], kind[swap] = other[swap], WRONG
            swap = gone > worth
            worth[swap] = np.broadcast_to(gone, worth.shape)[swap]
            kind[swap] = MISSED
            ratio = np.abs(np.log(seconds[:, None] / self.expected[index][None, :]))
            free = self.items.last_free[index]
            if free.any():
                longer = seconds[:, None] > self.expected[index][None, :]
                ratio = np.where(longer & free[None, :], 0.4 * ratio, ratio)
            timing = np.minimum(ratio / self.spread, s.ioi_cap)
            attack = np.where(self.items.repeated[index][None, :], self.reward_repeat[before][:, None], self.reward_change[before][:, None])
            attack = np.where(self.items.slurred[index][None, :], np.maximum(attack, 0.0), attack)
            attack = np.where(kind == MISSED, np.minimum(attack, 0.0) * 0.0, attack)
            total = previous[:, : len(index)] + worth - inside_here - timing.astype(np.float32) + attack.astype(np.float32)
            pick = total.argmax(axis=0)
            value = total[pick, np.arange(len(index))]
            target = index + 1 - lo
            better = value > row[target]
            t, p = target[better], pick[better]
            row[t] = value[better]
            back_at[b, t] = before[p]
            back_kind[b, t] = kind[p, np.nonzero(better)[0]]
            back_item[b, t] = index[better]
            back_pitch[b, t] = np.where(back_kind[b, t] == WRONG, top_pitch[p] + e.low, np.where(back_kind[b, t] == MISSED, -1, self.items.midi[index[better]]))
        # A note that is not written, or no music: the place in the line stays.
        near = seconds < 2.5
        extra = top - s.extra_cost - inside + np.minimum(self.reward_change[before], 0.0)
        junk = -s.junk_cost - s.junk_rate * (e.sound[fb] - e.sound[fa])
        stay = np.where(near, np.maximum(extra, junk), junk).astype(np.float32)
        is_extra = near & (extra >= junk)
        total = previous + stay[:, None]
        pick = total.argmax(axis=0)
        value = total[pick, np.arange(width)]
        better = np.nonzero(value > row)[0]
        row[better] = value[better]
        back_at[b, better] = before[pick[better]]
        back_kind[b, better] = np.where(is_extra[pick[better]], EXTRA, JUNK)
        back_item[b, better] = lo + better
        back_pitch[b, better] = top_pitch[pick[better]] + e.low

    def _trace(self, low: npt.NDArray[np.int64], best: Array, back_at: npt.NDArray[np.int32], back_kind: npt.NDArray[np.int8],
               back_pitch: npt.NDArray[np.int16], back_item: npt.NDArray[np.int32], sound: npt.NDArray[np.float64]) -> Way:  # fmt: skip
        n, s = self.count, self.s
        tail = -s.lead_rate * (sound[-1] - sound)
        final = best + tail[:, None].astype(np.float32)
        places = low[:, None] + np.arange(best.shape[1])[None, :]
        final = np.where(places == n, final, final - s.early_end_cost)
        final = np.where(places == 0, NEVER, final)
        b, i = (int(v) for v in np.unravel_index(int(final.argmax()), final.shape))
        score = float(final[b, i])
        i += int(low[b])
        steps: list[Step] = []
        while True:
            k = i - int(low[b])
            kind, at, item, pitch = int(back_kind[b, k]), int(back_at[b, k]), int(back_item[b, k]), int(back_pitch[b, k])
            if kind == LEAD or at < 0:
                break
            steps.append(Step(at, b, item, kind, pitch if pitch >= 0 and kind in (NOTE, WRONG, EXTRA) else None))
            if kind in (NOTE, WRONG, MISSED, DELETED, JUMP):
                i = item
            b = at
        return Way(tuple(reversed(steps)), score)
