"""A click in the recording, heard between the notes."""

from __future__ import annotations

import dataclasses

import numpy as np
import numpy.typing as npt

from jeweller.features.extraction import Features, attacks_above
from jeweller.features.robust import median, percentile
from jeweller.features.settings import EXTRACTION
from jeweller.notes.settings import CLICKS
from jeweller.notes.table import Click, NoteTable

LEAST_BEATS = 6


def find_click(table: NoteTable, features: Features) -> Click | None:
    """The click in the recording, if one sounds apart from the notes through most of the take; None where
    none can be told from the notes.

    The attack strength, without the neighbourhood of the notes' own onsets, is averaged over all beats by its
    place in the beat: a click stands out there alone, however soft it is in each; beside a loud low
    instrument only by its high sound.
    """
    found = _find_by(table, features, CLICKS.stands_out)
    if found is not None:
        return found
    high = dataclasses.replace(features, flux=attacks_above(features, EXTRACTION.high_hz))
    return _find_by(table, high, CLICKS.high_stands_out)


def _find_by(table: NoteTable, features: Features, least: float) -> Click | None:
    placed = [
        (float(n.onset), e.on_s) for i, n in enumerate(table.notes) if (e := table.event_of(i)) is not None
    ]
    if len(placed) < CLICKS.least_notes:
        return None
    q, t = np.array(placed).T
    slope, _ = np.polyfit(q, t, 1)
    if slope <= 0.0:
        return None  # the notes are not in the order of the part: there is no one beat
    onsets = np.array([e.on_s for e in table.events])
    seconds = np.arange(len(features.flux)) * features.hop_s
    free = (seconds > onsets.min() + CLICKS.away_s) & (seconds < onsets.max())
    for on in onsets:
        free[
            max(0, round((on - CLICKS.away_s) / features.hop_s)) : round(
                (on + CLICKS.away_s) / features.hop_s
            )
            + 1
        ] = False
    best: tuple[float, Click] | None = None
    strength, free_s = np.minimum(features.flux[free], 1.0), seconds[free]
    for beat_s in (
        float(slope) * float(table.line.beat) * np.linspace(1.0 - CLICKS.stray, 1.0 + CLICKS.stray, 31)
    ):
        found = _standing_out(
            features,
            free,
            free_s,
            strength,
            float(beat_s),
            onsets,
        )
        if found is not None and (best is None or found[0] > best[0]):
            best = found[0], Click(beat_s=float(beat_s), at_s=found[1])
    return best[1] if best is not None and best[0] > least else None


def _standing_out(
    features: Features,
    free: npt.NDArray[np.bool_],
    free_s: npt.NDArray[np.floating],
    flux: npt.NDArray[np.floating],
    beat_s: float,
    onsets: npt.NDArray[np.floating],
) -> tuple[float, float] | None:
    """(how far the best place in the beat stands out over the others, times the share of beats in which
    something is heard there; the first second at that place) for one length of the beat; None where that is
    too little for a click. `flux` is the attack strength at the seconds `free_s`, where frames are `free`.
    """
    n, span = round(beat_s / CLICKS.place_s), (float(onsets.min()), float(onsets.max()))
    beats_in = free_s / beat_s
    place = ((beats_in - np.floor(beats_in)) * n).astype(np.int64)
    place[place == n] = 0
    strength, frames = (
        x + np.roll(x, 1) + np.roll(x, -1)
        for x in (np.bincount(place, flux, n), np.bincount(place, minlength=n).astype(np.float64))
    )
    enough = frames > CLICKS.least_free * (span[1] - span[0]) / beat_s * 3 * CLICKS.place_s / features.hop_s
    profile = np.where(enough, strength / np.maximum(frames, 1.0), 0.0)
    best = int(profile.argmax())
    others = np.delete(profile, [(best + k) % n for k in range(-CLICKS.beside, CLICKS.beside + 1)])
    others = others[others > 0]
    if len(others) < CLICKS.least_places:
        return None
    stands_out = float(profile[best] / (percentile(others, 90) + 0.01))
    if stands_out <= CLICKS.stands_out:
        return None
    at = (
        np.arange(np.ceil(span[0] / beat_s - (best + 0.5) / n), span[1] / beat_s) * beat_s
        + (best + 0.5) / n * beat_s
    )
    struck, half = [], round(CLICKS.click_s / features.hop_s)
    heard: list[tuple[float, bool]] = []  # (moment, whether something is struck there)
    for moment in at:
        centre = round(moment / features.hop_s)
        around = slice(max(0, centre - half), centre + half + 1)
        if free[around].size and free[around].mean() > CLICKS.mostly_free:
            heard.append((float(moment), float(features.flux[around].max()) > CLICKS.click_flux))
            if heard[-1][1]:
                struck.append((around.start + int(features.flux[around].argmax())) * features.hop_s - moment)
    if len(heard) < LEAST_BEATS or not struck or _follows_notes(heard, onsets):
        return None
    return stands_out * len(struck) / len(heard), float(at[0] + median(struck) + CLICKS.early_s)


def _follows_notes(heard: list[tuple[float, bool]], onsets: npt.NDArray[np.floating]) -> bool:
    """Whether what is struck comes a fixed time after notes begin, and is not there where none began: then it
    is how the notes of this instrument sound, and no click.
    """
    ordered = np.sort(onsets)
    moments, struck = np.array([m for m, _hit in heard]), np.array([hit for _m, hit in heard])
    since = moments - ordered[np.maximum(np.searchsorted(ordered, moments, "right") - 1, 0)]
    after = np.abs(since - median(since[struck])) < CLICKS.follows_s
    alone = ~after
    if alone.sum() < CLICKS.least_alone or not after.any():
        return False
    return bool(struck[alone].mean() < CLICKS.alone_share * struck[after].mean())
