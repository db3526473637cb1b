"""A second, local hearing where the score has an ornament: was the grace note there, did the trill turn?

Only asked where the first pass found the main note; nothing is called missing where the room or the note before hides it.
"""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.follow.result import Event, Following
from jeweller.hear.features import Features
from jeweller.score.line import Line

GRACE_BEFORE_S, GRACE_AFTER_S = 0.26, 0.20  # around the main note's onset, where a grace note may sound
GRACE_RUN_S = 0.025  # a grace note is heard for at least this long
TRILL_DWELL_S = 0.03  # one note of a trill lasts at least this long
CERTAIN_SHARE = 0.93  # of the frames around a grace note explained by its neighbours: then it was not there
PLAIN_DEPTH = 0.22  # a plain note's evidence sways by less than this between the two notes of a trill
LAST_TURN_S = 0.16  # the last note of an ornament is no longer
LONGEST_ORNAMENT_S = 0.4  # a longer sound beside an ornament is a note of its own
LEANING = 0.13  # semitones from both neighbours: something else sounds too
GRACE_WINDOW_S = 0.045  # the ear's window must be this short to hear a grace note
NEAR = 0.10  # periodicity below the frame's best at which a pitch may still be the one that sounds


@dataclass(frozen=True)
class Ornament:
    """What was heard of the ornament of main note `index`. `kind` grace or trill; `turns` changes of pitch; `hidden` where nothing can be said."""

    index: int
    kind: str
    heard: bool
    turns: int = 0
    share: float = 0.0  # of the note that trills
    hidden: bool = False
    certain: bool = True  # of an answer "not heard": nothing else in the sound could have hidden it
    length_s: float = 0.0  # of the grace note


def hear_ornaments(following: Following, features: Features, shift: int = 0) -> list[Ornament]:
    """Answers for every ornament whose main note sounded; `shift`: semitones by which the whole take is transposed."""
    out: list[Ornament] = []
    line = following.line
    for i, (note, graces) in enumerate(zip(line.main_notes, line.graces, strict=True)):
        event = following.event_of(i)
        if event is None:
            continue
        if graces:
            before = following.event_of(i - 1) if i else None
            out.append(_grace(i, event, before, graces[-1].sounding_midi + shift, note.sounding_midi + shift, features))
        if note.written.ornament == "trill":
            out.append(_trill(i, event, note.sounding_midi + shift, features))
    return out


def join_ornaments(events: list[Event], line: Line) -> list[Event]:
    """Events without those that are only the first, or the last, note of a written ornament, or a grace note."""
    out: list[Event] = []
    for k, event in enumerate(events):
        if event.index is None and not math.isnan(event.midi) and event.off_s - event.on_s <= LONGEST_ORNAMENT_S:
            before = next((e for e in reversed(out) if e.index is not None), None)
            after = next((e for e in events[k + 1 : k + 3] if e.index is not None), None)
            if after is not None and after.index is not None and after.on_s - event.off_s < 0.15:
                if any(abs(event.midi - g.sounding_midi) < 0.7 for g in line.graces[after.index]):
                    continue
                if _touches(event, after, line):
                    events[events.index(after)] = dataclasses.replace(after, on_s=event.on_s)
                    continue
            if before is not None and event.off_s - event.on_s < LAST_TURN_S and _touches(event, before, line):
                continue
        out.append(event)
    return out


def _touches(event: Event, note: Event, line: Line) -> bool:
    """Whether a sound may be a note of the ornament on another."""
    assert note.index is not None
    main = line.main_notes[note.index]
    pitch = main.sounding_midi if math.isnan(note.midi) else note.midi
    apart = event.midi - pitch
    if main.written.ornament == "trill":
        return -0.7 < apart < 2.7
    return main.written.ornament is not None and abs(apart) < 2.7


def _rows(features: Features, a: float, b: float) -> slice:
    return slice(max(0, round(a / features.step_s)), max(0, round(b / features.step_s)))


def _longest(mask: npt.NDArray[np.bool_]) -> int:
    """Length of the longest run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    return int((edges[1::2] - edges[::2]).max()) if len(edges) else 0


def _grace(index: int, event: Event, before: Event | None, grace: int, main: int, features: Features) -> Ornament:
    start = event.on_s - GRACE_BEFORE_S
    if before is not None:
        start = max(start, before.on_s + 0.05)
    rows = _rows(features, start, event.on_s + GRACE_AFTER_S)
    previous = round(before.midi) if before is not None and before.midi == before.midi else None
    column = grace - features.low
    best = features.best[rows]
    mine = features.salience[rows, column]
    others = [p for p in {main, previous} if p is not None and p != grace]
    rival = np.max([features.salience[rows, p - features.low] for p in others], axis=0) if others else np.zeros_like(mine)
    there = (mine > best - NEAR) & (best > 0.55) & (mine > rival - 0.01)
    length = _longest(there)
    heard = length * features.step_s >= GRACE_RUN_S
    quiet = best < 0.5
    certain = bool(np.mean((rival > best - 0.05) | quiet) >= CERTAIN_SHARE) if len(best) else False
    # Two tones at once are heard between them; and what is shorter than the ear's window leaves no frame of its own.
    pitch = features.f0[rows]
    beside = np.abs(pitch - main) > LEANING if previous is None else np.minimum(np.abs(pitch - main), np.abs(pitch - previous)) > LEANING
    toward = beside & (best > 0.7) & (np.abs(pitch - grace) < np.abs(main - grace) + 0.5)
    if int(toward.sum()) * features.step_s >= GRACE_RUN_S or features.window_s > GRACE_WINDOW_S:
        certain = False
    # On the pitch of the note before, only a new attack could tell; the ear does not claim to.
    hidden = grace in (previous, main) or (previous is not None and (grace - previous) % 12 == 0)
    return Ornament(index, "grace", heard, hidden=hidden, certain=certain, length_s=length * features.step_s if heard else 0.0)


def _trill(index: int, event: Event, main: int, features: Features) -> Ornament:
    end = min(event.off_s + 0.03, event.next_s)
    rows = _rows(features, event.on_s, end)
    low = features.salience[rows, main - features.low]
    high = np.maximum(features.salience[rows, main + 1 - features.low], features.salience[rows, main + 2 - features.low])
    sounding = features.best[rows] > 0.5
    difference = np.convolve((high - low) * sounding, np.ones(3) / 3, mode="same")
    state, turns, dwell, last_turn = -1, 0, 0, 0
    dwell_frames = max(2, round(TRILL_DWELL_S / features.step_s))
    for k, value in enumerate(difference):
        side = 1 if value > 0.03 else -1 if value < -0.03 else 0
        if side == -state:
            dwell += 1
            if dwell >= dwell_frames:
                state, dwell, turns, last_turn = side, 0, turns + 1, k
        else:
            dwell = 0
    inner = difference[3:-3] if len(difference) > 12 else difference
    depth = float(np.subtract(*np.percentile(inner, [90, 10]))) if len(inner) else 0.0
    return Ornament(index, "trill", turns >= 3, turns, last_turn / max(len(difference), 1), certain=depth < PLAIN_DEPTH)
