"""A picture of a page → its staves, each found, followed along its bends and drawn straight."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from jeweller.omr.network import PIXELS, REACH

Array = npt.NDArray[np.float32]
BACKGROUND = 24  # pixels: the paper's own brightness is taken over so many
LEAST_PIXELS = 4.0  # of a staff space: with fewer nothing is to be read
MOST_PIXELS = 60.0
GRAIN = 0.1  # less is no ink
DARK = 0.45  # ink that is surely ink, 0..1
BAND = 3.0  # spaces of the page's width that are looked at together
JOIN_BANDS = 8  # at the end of a piece of a staff that tell where it goes on
STEP = 1.5
SCALES = (0.92, 0.96, 1.0, 1.04, 1.08)  # a staff's space, of the page's
SURE_COMB = 0.35  # so much darker are lines, not the noise of an empty page
ALSO_LIKELY = 0.7  # of the clearest five lines around: these may be the right ones
LEAST_COMB = 0.06  # how much darker five lines are than what lies between them
LEAST_LENGTH = 12.0  # spaces: a shorter staff is none
GAP_BANDS = 8  # bands without lines in the middle of a staff
END_SHARE = 0.4  # of what the lines are darker by along the staff: they go on
END_GAP, END_STEP = 3.0, 0.25  # spaces without lines: the staff has ended; how finely that is looked at
END_SEEN, END_SURE = 16, 0.45  # steps from an end, and the share of them that lines are at
END_WORDS = 0.25  # of them where words stand; a clef leaves more free
MOST_WORDS = 120  # steps: no instrument's name is longer
CLEAR_SHARE = 0.4  # of what the clearest staff of the page has: with less it is none
MARGIN = 2.0  # spaces drawn left and right of a staff
TILTS = np.radians(np.arange(-8.0, 8.01, 0.25))


@dataclass(frozen=True)
class FoundStaff:
    """A staff on a page: the height of its middle line and its space at some places across, all in pixels."""

    xs: npt.NDArray[np.float64]
    middles: npt.NDArray[np.float64]
    spaces: npt.NDArray[np.float64]

    @property
    def space(self) -> float:
        return float(np.median(self.spaces))

    def middle_at(self, x: npt.NDArray[np.float64] | float) -> npt.NDArray[np.float64]:
        """Height of the middle line, straight on beyond the staff's ends."""
        x = np.asarray(x, np.float64)
        xs, ys = self.xs, self.middles
        first, last = self._slopes
        inside = np.interp(x, xs, ys)
        left, right = ys[0] + first * (x - xs[0]), ys[-1] + last * (x - xs[-1])
        return np.asarray(np.where(x < xs[0], left, np.where(x > xs[-1], right, inside)))

    @functools.cached_property
    def _slopes(self) -> tuple[float, float]:
        """How it rises at its left and its right end."""
        n = min(6, len(self.xs))
        first, last = (np.polyfit(self.xs[k], self.middles[k], 1) for k in (slice(n), slice(-n, None)))
        return float(first[0]), float(last[0])

    def space_at(self, x: npt.NDArray[np.float64] | float) -> npt.NDArray[np.float64]:
        return np.asarray(np.interp(x, self.xs, self.spaces))

    def on_page(self, u: float, v: float) -> tuple[float, float]:
        """Where something in the straight picture is on the page; u spaces from its left edge, v spaces below
        the middle line.
        """
        x = self.xs[0] + (u - MARGIN) * self.space
        return float(x), float(self.middle_at(x) + v * self.space_at(x))


def ink_of(grey: npt.NDArray[np.uint8]) -> Array:
    """Ink, near 1 where it is black and near 0 on paper, whatever the light was: shadows taken out."""
    high, wide = grey.shape
    rows, columns = -(-high // BACKGROUND), -(-wide // BACKGROUND)
    padded = np.pad(grey, ((0, rows * BACKGROUND - high), (0, columns * BACKGROUND - wide)), mode="edge")
    blocks = padded.reshape(rows, BACKGROUND, columns, BACKGROUND)
    paper = np.percentile(blocks.swapaxes(1, 2).reshape(rows, columns, -1), 85, axis=2)
    paper = ndimage.median_filter(ndimage.maximum_filter(paper, 3), 5)
    scale = (high / rows, wide / columns)
    bright = ndimage.zoom(paper.astype(np.float32), scale, order=1, mode="nearest", grid_mode=True)
    bright = bright[:high, :wide]
    if bright.shape != grey.shape:
        bright = np.pad(bright, ((0, high - bright.shape[0]), (0, wide - bright.shape[1])), mode="edge")
    dark = (bright - grey.astype(np.float32)) / np.maximum(bright, 20.0)
    some = dark[dark > 0.3]
    black = float(np.percentile(some, 70)) if len(some) > 200 else 0.8
    return np.clip(dark / max(black, 0.2), -0.2, 1.2).astype(np.float32)


def tilt_of(ink: Array) -> float:
    """By which angle the lines of a page fall to the right, radians."""
    factor = max(1, ink.shape[1] // 900)
    small = ink[: ink.shape[0] // factor * factor, : ink.shape[1] // factor * factor]
    small = small.reshape(small.shape[0] // factor, factor, -1, factor).mean(axis=(1, 3))
    ys, xs = np.nonzero(small > GRAIN)
    if len(ys) < 50:
        return 0.0
    weight = small[ys, xs]
    best, found = -1.0, 0.0
    for angle in TILTS:
        rows = np.rint(ys - np.tan(angle) * (xs - small.shape[1] / 2)).astype(np.int64)
        rows -= rows.min()
        told = float(np.square(np.diff(np.bincount(rows, weight))).sum())
        if told > best:
            best, found = told, float(angle)
    return found


def space_of(ink: Array) -> float:
    """The commonest distance of two lines, pixels; 0 where there are none."""
    dark = ink[:, :: max(1, ink.shape[1] // 400)] > DARK
    edges = np.diff(dark.astype(np.int8), axis=0, prepend=0, append=0)
    found = []
    for k in range(dark.shape[1]):
        begins = np.flatnonzero(edges[:, k] == 1)
        found.append(np.diff(begins))
    runs = np.concatenate(found) if found else np.empty(0)
    runs = runs[(runs >= LEAST_PIXELS) & (runs <= MOST_PIXELS)]
    if len(runs) < 200:
        return 0.0
    counts = np.bincount(runs.astype(np.int64), minlength=int(MOST_PIXELS) + 2).astype(float)
    soft = np.convolve(counts, [0.5, 1.0, 0.5], "same")
    top = int(soft.argmax())
    near = np.arange(max(top - 1, 0), top + 2)
    return float((near * counts[near]).sum() / max(counts[near].sum(), 1))


def find_flat_staves(ink: Array, space: float) -> list[FoundStaff]:
    """The staves of a page from the top down, each followed along its bends."""
    step, band = STEP * space, BAND * space
    starts = np.arange(0, max(ink.shape[1] - band, 1), step)
    tracks: list[list[tuple[int, float, float, float]]] = []  # (band, height, space, comb)
    open_tracks: list[list[tuple[int, float, float, float]]] = []
    for k, left in enumerate(starts):
        piece = ink[:, int(left) : int(left + band)]
        # a line is dark in every column, what stands on it is not
        profile = np.median(piece, axis=1).astype(np.float32)
        peaks = _combs(profile, space)
        taken: set[int] = set()
        for track in sorted(open_tracks, key=lambda t: -len(t)):
            last, y, _space, _comb = track[-1]
            slope = (y - track[-6][1]) / (last - track[-6][0]) if len(track) > 6 else 0.0
            wanted = y + slope * (k - last)
            near = [
                n for n in range(len(peaks)) if n not in taken and abs(peaks[n][0] - wanted) < 0.6 * space
            ]
            if near:
                n = min(near, key=lambda n: abs(peaks[n][0] - wanted) / space - peaks[n][2])
                taken.add(n)
                track.append((k, *peaks[n]))
        for track in [t for t in open_tracks if k - t[-1][0] > GAP_BANDS]:
            open_tracks.remove(track)
            tracks.append(track)
        open_tracks += [[(k, *peak)] for n, peak in enumerate(peaks) if n not in taken]
    tracks += open_tracks
    least = LEAST_LENGTH / STEP
    kept = [t for t in tracks if len(t) >= 0.5 * least and t[-1][0] - t[0][0] + BAND / STEP >= least]
    staves = [_stretched(ink, _staff(t, starts, band, space)) for t in _apart(kept, space)]
    clear = [_clearness(ink, s) for s in staves]
    # grain, edges and shadows around a small piece may well look like more staves than it has
    enough = max(LEAST_COMB, CLEAR_SHARE * max(clear, default=0.0))
    real = [s for s, each in zip(staves, clear, strict=True) if each >= enough]
    return sorted(real, key=lambda s: float(s.middles.mean()))


def _combs(profile: Array, space: float) -> list[tuple[float, float, float]]:
    """(height of the middle line, space, how clear) of every five lines in a profile of a page."""
    soft = ndimage.gaussian_filter1d(profile, 0.06 * space)
    n = len(soft)
    at = np.arange(n, dtype=np.float64)
    best = np.full(n, -1.0)
    scale = np.ones(n)
    for s in SCALES:
        own = s * space
        lines = [np.interp(at + k * own, at, soft, left=0, right=0) for k in (-2, -1, 0, 1, 2)]
        between = [np.interp(at + k * own, at, soft, left=0, right=0) for k in (-1.5, -0.5, 0.5, 1.5)]
        outside = [np.interp(at + k * own, at, soft, left=0, right=0) for k in (-3, 3)]
        comb = np.mean(lines, axis=0) * 0.4 + 0.6 * np.min(lines, axis=0)
        comb = comb - np.mean(between, axis=0) - 0.25 * np.mean(outside, axis=0)
        better = comb > best
        best[better], scale[better] = comb[better], own
    out: list[tuple[float, float, float]] = []
    wide, near_by = int(3 * space), int(0.5 * space)
    # a beam at a line's distance makes five lines one too high nearly as likely: who follows them knows
    clearest = ndimage.maximum_filter1d(best, 2 * wide + 1)
    top = best == ndimage.maximum_filter1d(best, 2 * near_by + 1)
    top &= (best == clearest) | ((best > ALSO_LIKELY * clearest) & (best > SURE_COMB))
    for y in np.flatnonzero(top & (best > LEAST_COMB)):
        if out and y - out[-1][0] < near_by:
            continue
        near = best[max(y - 1, 0) : y + 2]
        off = 0.0
        if len(near) == 3 and (bend := near[0] - 2 * near[1] + near[2]) < 0:
            off = float(np.clip(0.5 * (near[0] - near[2]) / bend, -0.5, 0.5))
        out.append((y + off, float(scale[y]), float(best[y])))
    return out


def _apart(
    tracks: list[list[tuple[int, float, float, float]]], space: float
) -> list[list[tuple[int, float, float, float]]]:
    """Pieces of one staff joined, and what lies on another staff left out."""
    out: list[list[tuple[int, float, float, float]]] = []
    for track in sorted(tracks, key=len, reverse=True):
        for k, other in enumerate(out):
            beside = track[0][0] > other[-1][0] or track[-1][0] < other[0][0]
            if beside:  # where the two ends would meet, a bend going on as it goes
                left, right = (other, track) if track[0][0] > other[-1][0] else (track, other)
                middle = 0.5 * (left[-1][0] + right[0][0])
                far = abs(_straight_on(left[-JOIN_BANDS:], middle) - _straight_on(right[:JOIN_BANDS], middle))
            else:
                ys = np.interp([t[0] for t in track], [o[0] for o in other], [o[1] for o in other])
                far = float(np.median(np.abs(ys - [t[1] for t in track])))
            if beside and far < 0.8 * space:
                out[k] = sorted([*other, *track])
                break
            if not beside and far < 4.0 * space:
                break
        else:
            out.append(track)
    return out


def _straight_on(end: list[tuple[int, float, float, float]], at: float) -> float:
    """The height at which a piece of a track goes on elsewhere."""
    xs, ys = [t[0] for t in end], [t[1] for t in end]
    return float(np.polyval(np.polyfit(xs, ys, 1), at)) if len(end) > 2 else ys[0]


def _staff(
    track: list[tuple[int, float, float, float]],
    starts: npt.NDArray[np.float64],
    band: float,
    space: float,
) -> FoundStaff:
    xs = np.array([starts[t[0]] + band / 2 for t in track])
    ys = np.array([t[1] for t in track])
    spaces = np.array([t[2] for t in track])
    soft = ndimage.median_filter(ys, min(5, len(ys)), mode="nearest")
    ys = np.where(np.abs(ys - soft) > 0.25 * space, soft, ys)
    if len(xs) >= 5:
        ys = ndimage.gaussian_filter1d(ys, 1.0, mode="nearest")
        spaces = ndimage.gaussian_filter1d(
            ndimage.median_filter(spaces, 9, mode="nearest"), 4.0, mode="nearest"
        )
    # the first and the last band may reach over the staff's end
    xs[0], xs[-1] = xs[0] - band / 2, xs[-1] + band / 2
    return FoundStaff(xs, ys, spaces)


def _stretched(ink: Array, staff: FoundStaff) -> FoundStaff:
    """The staff to where its lines really begin and end: the first and the last band say it only roughly."""
    space = staff.space
    enough = END_SHARE * _clearness(ink, staff)

    def end(x: float, way: float) -> float:
        last, gone = x, 0.0
        at = x - way * 3.0 * space  # from a little inside
        while gone < END_GAP and 0 <= at < ink.shape[1]:
            if _lines_at(ink, staff, at) > enough:
                last, gone = at, 0.0
            else:
                gone += END_STEP
            at += way * END_STEP * space
        # words beside a staff were followed for a while: it begins where its lines go on from
        inward = np.arange(last, middle, -way * END_STEP * space)[:MOST_WORDS].tolist()
        lined: list[bool] = []
        for k, x in enumerate(inward):
            lined += [_lines_at(ink, staff, x) > enough for x in inward[len(lined) : k + END_SEEN]]
            share = np.mean(lined[k:])
            if k == 0 and share > END_WORDS:
                return last
            if lined[k] and share > END_SURE:
                return float(x)
        return last

    middle = 0.5 * float(staff.xs[0] + staff.xs[-1])
    left, right = end(float(staff.xs[0]), -1.0), end(float(staff.xs[-1]), 1.0)
    between = (staff.xs > left) & (staff.xs < right)
    xs = np.concatenate([[left], staff.xs[between], [right]])
    return FoundStaff(xs, staff.middle_at(xs), staff.space_at(xs))


def _clearness(ink: Array, staff: FoundStaff) -> float:
    """How much darker its lines are than what lies between them, in the middle of all places across."""
    inside = np.linspace(staff.xs[0] + staff.space, staff.xs[-1] - staff.space, 40)
    return float(np.median([_lines_at(ink, staff, float(x)) for x in inside]))


def _lines_at(ink: Array, staff: FoundStaff, x: float) -> float:
    """How much darker the five lines are than what lies between them, around a place across."""
    half = max(1, round(0.25 * staff.space))
    middle, space = float(staff.middle_at(x)), float(staff.space_at(x))
    top, bottom = max(0, int(middle - 3.0 * space)), max(0, int(middle + 3.0 * space) + 1)
    columns = ink[top:bottom, max(int(x) - half, 0) : int(x) + half + 1].mean(axis=1)
    if not len(columns):
        return -1.0
    rows = top + np.arange(len(columns), dtype=np.float64)
    off = np.array([-0.2, -0.1, 0.0, 0.1, 0.2])  # an end may be bent
    at = middle + (np.arange(-4, 5) / 2 + off[:, None]) * space
    values = np.interp(at.ravel(), rows, columns, left=0.0, right=0.0).reshape(at.shape)
    lines, between = np.sort(values[:, ::2], axis=1)[:, 1], np.sort(values[:, 1::2], axis=1)[:, 1:3]
    return max(-1.0, float((lines - between.mean(axis=1)).max()))


def straighten(ink: Array, staff: FoundStaff) -> Array:
    """The staff drawn straight, (2 REACH PIXELS, W), PIXELS a space, its middle line in the middle, MARGIN
    spaces left and right of it.
    """
    space = staff.space
    wide = round((float(staff.xs[-1] - staff.xs[0]) / space + 2 * MARGIN) * PIXELS)
    u = (np.arange(wide) + 0.5) / PIXELS
    v = (np.arange(2 * REACH * PIXELS) + 0.5) / PIXELS - REACH
    x = staff.xs[0] + (u - MARGIN) * space
    y = staff.middle_at(x)[None, :] + v[:, None] * staff.space_at(x)[None, :]
    top, bottom = int(max(np.floor(y.min()) - 4, 0)), int(min(np.ceil(y.max()) + 4, len(ink)))
    part = ink[top:bottom]
    coarse = space / PIXELS
    if coarse > 1.2:  # what is smaller than a pixel of the straight picture would only flicker
        part = ndimage.gaussian_filter(part, 0.35 * coarse)
    flat = ndimage.map_coordinates(
        part, [y - top, np.broadcast_to(x, y.shape)], order=1, mode="constant", cval=0.0
    )
    return np.asarray(flat, np.float32)
