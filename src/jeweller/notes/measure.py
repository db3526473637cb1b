"""Exact times and pitches of what the search found."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.features.extraction import Features, salience_near, unpitched_db
from jeweller.features.robust import median, percentile
from jeweller.features.settings import EXTRACTION
from jeweller.notes.settings import MEASURE

# A tone speaks where it reaches half of its amplitude. Out of a gap that is told by the level
# (docs/accuracy.md has the figures), else by the spectrum.


@dataclass(frozen=True, kw_only=True)
class NoteMeasures:
    off_s: float
    midi: float
    spread: float
    clarity: float
    expected_clarity: float
    octave_up: float
    twelfth_up: float
    level_db: float


class NoteMeasurer:
    """Measures single notes in the features of a take."""

    def __init__(self, features: Features) -> None:
        self.f = features
        self.ratio = round(features.step_s / features.hop_s)
        self.unpitched = unpitched_db(features)

    def onset(
        self, frame: int, pitch: int | None, end: int | None = None, before: int | None = None
    ) -> float:
        """The onset (seconds) that belongs to a boundary at pitch frame `frame` of a note that ends by pitch
        frame `end`.

        `before`: the frame where the note before began: its attack is not taken for this one's.

        The search puts a boundary where the beat wants it; a late note begins only where its pitch does.
        """
        f = self.f
        if pitch is not None and end is not None:
            frame = self._speaks(frame, pitch, end)
        centre = frame * self.ratio
        reach = round(MEASURE.onset_reach_s / f.hop_s)
        lo, hi = max(0, centre - reach), min(len(f.flux), centre + reach + 1)
        if before is not None and before < frame:
            lo = max(lo, (before * self.ratio + centre) // 2 + 1)
        window = f.flux[lo:hi] * (1.0 - 0.5 * np.abs(np.arange(lo, hi) - centre) / (reach + 1))
        if len(window) and float(window.max()) > 0.15:
            peak = lo + int(window.argmax())
            rise = self._rises(peak)
            return (
                peak * f.hop_s + MEASURE.growth_delay_s
                if rise is None
                else rise * f.hop_s + MEASURE.rise_delay_s
            )
        return frame * f.step_s

    def _rises(self, peak: int) -> int | None:
        """The fine frame where the level rises out of a gap near an attack; None where there is no gap."""
        level = self.f.level
        lo, hi = max(0, peak - 14), min(len(level), peak + 40)
        around = level[lo:hi]
        steady = percentile(level[peak : peak + 60], 75)
        if len(around) < 20:
            return None
        quiet = int(around[:18].argmin())
        if steady - around[quiet] < MEASURE.gap_db:
            return None
        found = lo + quiet + int(np.argmax(around[quiet:] > steady - MEASURE.rise_db))
        return found if abs(found - peak) * self.f.hop_s < MEASURE.onset_reach_s else None

    def _speaks(self, frame: int, pitch: int, end: int) -> int:
        """`frame`, or the frame where the pitch begins if there is silence, or something else, for more than
        60 ms before it.
        """
        f = self.f
        stop = min(frame + max(1, int(MEASURE.latest * (end - frame))), len(f.best))
        # Some attacks speak at twice the period first: that is the note as well.
        sal = np.maximum(
            salience_near(self.f, slice(frame, stop), pitch)[0],
            salience_near(self.f, slice(frame, stop), pitch - 12)[0],
        )
        level = f.level[:: self.ratio][frame:stop]
        n = min(len(sal), len(level))
        if n < 4:
            return frame
        loud = percentile(f.level[:: self.ratio][frame:end], 75) if end > frame else 0.0
        there = (
            (sal[:n] > f.best[frame : frame + n] - 0.12)
            & (sal[:n] > 0.5)
            & (level[:n] > max(loud - 18.0, f.floor_db + 4.0))
        )
        run = np.convolve(there.astype(int), np.ones(4, int))[3:] if n >= 4 else np.zeros(0, int)
        first = np.nonzero(run == 4)[0]
        late = int(first[0]) if len(first) else 0
        return frame + late if late * f.step_s > MEASURE.onset_reach_s else frame

    def attack(self, on_s: float) -> float:
        k = round(on_s / self.f.hop_s)
        window = self.f.flux[max(0, k - 7) : k + 7]
        return float(min(window.max(), 1.5)) if len(window) else 0.0

    def true_octave(self, on_s: float, next_s: float, pitch: int, near: int) -> int:
        """A pitch that is not the written one, freed of subharmonics: raised by an octave or a twelfth while
        it is below `near` and the higher fits as well.
        """
        f = self.f
        a, b = (
            round((on_s + 0.04) / f.step_s),
            max(round((min(next_s, on_s + 1.0) - 0.02) / f.step_s), round((on_s + 0.04) / f.step_s) + 1),
        )
        level = f.level[:: self.ratio][a:b]
        # what comes after its end says nothing of it
        loud = np.flatnonzero(level > level.max(initial=-200.0) - MEASURE.sounding_db)
        b = a + int(loud[-1]) + 1 if len(loud) else b
        while pitch < near - 5:
            here = median(salience_near(self.f, slice(a, b), pitch)[0]) if a < len(f.best) else 0.0
            for up in (12, 19):
                inside = pitch + up - f.low < f.salience.shape[1] and pitch + up <= near + 7
                if (
                    inside
                    and median(salience_near(self.f, slice(a, b), pitch + up)[0])
                    > MEASURE.subharmonic_ratio * here
                    > 0
                ):
                    pitch += up
                    break
            else:
                return pitch
        return pitch

    def _wavers(self, t0: int, here: npt.NDArray[np.bool_], pitch: int) -> npt.NDArray[np.bool_]:
        """Frames from t0 on in which a tone has wandered off its pitch without a jump, (len(here),)."""
        near = EXTRACTION.near_semitones
        out = np.zeros(len(here), np.bool_)
        f0 = self.f.f0[t0 : t0 + len(here)]
        lost = np.flatnonzero(~here[: len(f0)])
        if not len(lost):
            return out
        # What came before it was last on its pitch is no matter.
        apart = np.abs(f0 - pitch)
        held = np.flatnonzero(here[: lost[0]] & (apart[: lost[0]] <= near))
        first, stop = int(held[-1]) if len(held) else 0, int(lost[-1]) + 1
        could = (self.f.best[t0 + first : t0 + stop] > MEASURE.waver_clarity) & (
            apart[first:stop] < MEASURE.waver_semitones
        )
        stays = here[first:stop] & (apart[first:stop] <= near)
        last = math.nan
        for k, (pitch_here, may, is_there) in enumerate(
            zip(f0[first:stop].tolist(), could.tolist(), stays.tolist(), strict=True), first
        ):
            if may and abs(pitch_here - last) < MEASURE.waver_step:
                out[k] = True
                last = pitch_here
            elif is_there:
                last = pitch_here
        return out

    def _ends(
        self,
        k0: int,
        sounding: npt.NDArray[np.intp],
        holds: npt.NDArray[np.bool_],
        above: npt.NDArray[np.float64],
    ) -> int:
        """How many of the fine frames `sounding`, counted from k0, belong to a note: the first gap of more
        than 60 ms ends it. What comes after is room, breath or something else.

        `holds`: where its pitch is there; `above`: dB by which a frame is louder than the note was before it.
        """
        f = self.f
        for k in np.nonzero(np.diff(sounding) > round(0.08 / f.hop_s))[0]:
            left, right = int(sounding[k]), int(sounding[k + 1])
            # A tone that wavers, swells or is covered by a noise goes on: its pitch was hardly lost, and
            # nothing was begun anew.
            gap, begun = holds[left:right], float(f.flux[k0 + left + 1 : k0 + right + 1].max(initial=0.0))
            anew = begun > MEASURE.waver_attack
            seconds = (right - left) * f.hop_s
            behind = int(np.count_nonzero(sounding > right - 1)) * f.hop_s
            if seconds < MEASURE.noise_s and behind > MEASURE.behind_noise_s:
                continue
            covered = self._covered(k0, sounding, left, right, above)
            if covered and behind > MEASURE.behind_cover_s:
                continue
            if (
                gap.mean() < MEASURE.held_in_waver
                or (anew and gap.mean() < MEASURE.held_in_noise)
                or (seconds > MEASURE.waver_s and (anew or not gap.all()))
            ):
                return int(k) + 1
        return len(sounding)

    def _covered(
        self,
        k0: int,
        sounding: npt.NDArray[np.intp],
        left: int,
        right: int,
        above: npt.NDArray[np.float64],
    ) -> bool:
        """Whether between two fine frames a noise covers whatever sounds: it never got softer there, and what
        no tone explains is far louder than where the note sounds alone.
        """
        far = (right - left) * self.f.hop_s > MEASURE.cover_s
        if far or float(above[left:right].min()) < -MEASURE.cover_db:
            return False
        noise = np.repeat(self.unpitched, self.ratio)[k0 : k0 + len(above)]
        alone = percentile(noise[sounding[sounding < len(noise)]], MEASURE.alone_percent)
        return bool(median(noise[left:right]) > alone + MEASURE.covers_db)

    def measure(
        self, on_s: float, next_s: float, pitch: int, written: int, *, trill: bool = False
    ) -> NoteMeasures:
        """Where the sound begins to decay, and its steady pitch; a trill also holds while the notes above it
        sound.
        """
        from scipy.ndimage import maximum_filter1d

        f = self.f
        k0, k1 = round(on_s / f.hop_s), max(round(next_s / f.hop_s), round(on_s / f.hop_s) + 2)
        level = f.level[k0:k1]
        if len(level) < 2:
            return NoteMeasures(
                off_s=next_s,
                midi=float("nan"),
                spread=0.0,
                clarity=0.0,
                expected_clarity=0.0,
                octave_up=0.0,
                twelfth_up=0.0,
                level_db=f.floor_db,
            )
        head = level[: max(2, min(len(level), round(0.6 / f.hop_s)))]
        loud = percentile(head[head > head.max() - MEASURE.head_db], 75)
        # A note may fade as long as it lasts; it ends where it fades fast.
        recent = maximum_filter1d(
            level,
            2 * round(MEASURE.recent_s / f.hop_s) + 1,
            origin=round(MEASURE.recent_s / f.hop_s),
            mode="nearest",
        )
        t0 = round(on_s / f.step_s)
        sal, _ = salience_near(self.f, slice(t0, round(next_s / f.step_s) + 1), pitch)
        for up in (1, 2) if trill else ():
            sal = np.maximum(
                sal, salience_near(self.f, slice(t0, round(next_s / f.step_s) + 1), pitch + up)[0]
            )
        best = f.best[t0 : t0 + len(sal)]
        here = sal >= np.maximum(best - 0.12, 0.4)
        if not trill:
            here |= self._wavers(t0, here, pitch)
        holds = np.repeat(here, self.ratio)[: len(level)]
        alive = level[: len(holds)] > np.maximum(
            np.minimum(recent, loud)[: len(holds)] - MEASURE.decay_db,
            max(loud - MEASURE.faded_db, f.floor_db + 3.0),
        )
        sounding = np.nonzero(alive & holds)[0]
        end = self._ends(k0, sounding, holds, level - np.minimum(recent, loud))
        off_s = on_s + (int(sounding[end - 1]) + 1) * f.hop_s if end else min(next_s, on_s + 0.05)
        off_s = min(max(off_s, on_s + 0.02), next_s)
        length = off_s - on_s
        loud = percentile(level[: max(2, round(length / f.hop_s))], 75)
        skip = min(MEASURE.attack_skip_s, MEASURE.attack_skip_share * length)
        a, b = (
            round((on_s + skip) / f.step_s),
            max(round((off_s - 0.1 * length) / f.step_s), round((on_s + skip) / f.step_s) + 1),
        )
        rows = slice(a, b)
        steady, where = salience_near(self.f, rows, pitch)
        good = steady > 0.4
        place = where[good]
        for up in (1, 2) if trill else ():
            steady = np.maximum(steady, salience_near(self.f, rows, pitch + up)[0])
        clarity = median(steady) if len(steady) else 0.0
        want = written - f.low
        expected = median(f.salience[rows, want]) if 0 <= want < f.salience.shape[1] and len(steady) else 0.0
        octave_up, twelfth_up = (
            median(salience_near(self.f, rows, pitch + up)[0] / np.maximum(steady, 0.05))
            if len(steady)
            else 0.0
            for up in (12, 19)
        )
        midi = median(place) if len(place) else float("nan")
        spread = percentile(place, 75) - percentile(place, 25) if len(place) > 2 else 0.0
        return NoteMeasures(
            off_s=off_s,
            midi=midi,
            spread=spread,
            clarity=clarity,
            expected_clarity=expected,
            octave_up=octave_up,
            twelfth_up=twelfth_up,
            level_db=loud,
        )
