"""A second, local hearing where the score has an ornament: was the grace note there, did the trill turn?

Only asked where the first pass found the main note; nothing is called missing where the room or the note
before hides it.
"""

from __future__ import annotations

import dataclasses
import math

import numpy as np
import numpy.typing as npt

from jeweller.alignment.candidates import pick_peaks
from jeweller.features.extraction import Features
from jeweller.features.robust import median
from jeweller.notation.performance import PerformedPart
from jeweller.notation.pitch import in_key
from jeweller.notes.decomposition import SpectralDecomposition, decompose, shift_spectrum
from jeweller.notes.detail_settings import ORNAMENTS
from jeweller.notes.settings import SAME_PITCH
from jeweller.notes.table import HeardOrnament, NoteTable, PlayedNote

FIGURES = {
    "mordent": ("lower",),
    "inverted_mordent": ("upper",),
    "turn": ("upper", "lower"),
    "inverted_turn": ("lower", "upper"),
}


def measure_ornaments(
    following: NoteTable, features: Features, mixture: SpectralDecomposition, shift: int = 0
) -> list[HeardOrnament]:
    """Answers for every ornament whose main note sounded; `shift`: semitones by which the whole take is
    transposed.
    """
    out: list[HeardOrnament] = []
    line = following.line
    usual = median([e.attack for e in following.events]) if following.events else 1.0
    for i, (note, graces) in enumerate(zip(line.main_notes, line.graces, strict=True)):
        event = following.event_of(i)
        if event is None:
            continue
        if graces and not math.isnan(event.midi):
            before = following.event_of(i - 1) if i else None
            trilled = bool(i) and line.main_notes[i - 1].written.ornament == "trill"
            grace = _grace(
                i, event, before, graces[-1].sounding_midi + shift, note.sounding_midi + shift, mixture
            )
            if (
                trilled
                and before is not None
                and -SAME_PITCH < graces[-1].sounding_midi + shift - before.midi < 2.7
            ):
                grace = dataclasses.replace(grace, hidden=True)  # the trill has that note too
            out.append(
                dataclasses.replace(
                    grace,
                    certain=grace.certain
                    and (
                        event.attack > ORNAMENTS.own_attack * usual
                        if grace.gone
                        else _plainly_begun(event, before, usual, features)
                    ),
                )
            )
        if note.written.ornament in FIGURES and not math.isnan(event.midi):
            fifths = line.bars[note.bar_index].bar.fifths
            up, down = (d if in_key(note.written_midi + d, fifths) else 2 * d for d in (1, -1))
            before = following.event_of(i - 1) if i else None
            out.append(
                _figure(
                    i,
                    event,
                    before,
                    str(note.written.ornament),
                    note.sounding_midi + shift,
                    up,
                    down,
                    mixture,
                )
            )
        if note.written.ornament == "trill":
            out.append(_trill(i, event, note.sounding_midi + shift, features))
    return out


def join_ornaments(events: list[PlayedNote], line: PerformedPart) -> list[PlayedNote]:
    """Events without those that are only the first, or the last, note of a written ornament, or a grace
    note.
    """
    out: list[PlayedNote] = []
    events = list(events)
    for k, event in enumerate(events):
        if (
            event.index is None
            and not math.isnan(event.midi)
            and event.off_s - event.on_s <= ORNAMENTS.longest_ornament_s
        ):
            before = next((e for e in reversed(out) if e.index is not None), None)
            j = next((m for m in range(k + 1, min(k + 3, len(events))) if events[m].index is not None), k)
            after = events[j] if j > k else None
            if after is not None and after.index is not None and after.on_s - event.off_s < 0.15:
                if any(abs(event.midi - g.sounding_midi) < SAME_PITCH for g in line.graces[after.index]):
                    continue
                if _touches(event, after, line):
                    events[j] = dataclasses.replace(after, on_s=event.on_s)
                    continue
            trilled = (
                before is not None
                and before.index is not None
                and line.main_notes[before.index].written.ornament == "trill"
            )
            # each of its notes has an attack
            rings_on = trilled and before is not None and event.on_s - before.off_s < ORNAMENTS.turn_gap_s
            if (
                before is not None
                and (rings_on or event.off_s - event.on_s < ORNAMENTS.last_turn_s)
                and _touches(event, before, line)
            ):
                continue
        out.append(event)
    return out


def _touches(event: PlayedNote, note: PlayedNote, line: PerformedPart) -> bool:
    """Whether a sound may be a note of the ornament on another."""
    main = line.main_notes[note.main_index]
    pitch = main.sounding_midi if math.isnan(note.midi) else note.midi
    apart = event.midi - pitch
    if main.written.ornament == "trill":
        return -SAME_PITCH < apart < 2.7
    return main.written.ornament is not None and abs(apart) < 2.7


def _rows(features: Features, a: float, b: float) -> slice:
    return slice(max(0, round(a / features.step_s)), max(0, round(b / features.step_s)))


def _best_run(mask: npt.NDArray[np.bool_], gain: npt.NDArray[np.floating]) -> tuple[float, int, int]:
    """(sum of the gain, frames, the first of them) of the run of True whose gain is largest; zeros where
    there is none.
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    runs = [
        (float(gain[a:b].sum()), int(b - a), int(a)) for a, b in zip(edges[::2], edges[1::2], strict=True)
    ]
    return max(runs, default=(0.0, 0, 0))


def _grace(
    index: int,
    event: PlayedNote,
    before: PlayedNote | None,
    grace: int,
    main: int,
    mixture: SpectralDecomposition,
) -> HeardOrnament:
    """Whether the spectra around the beginning of a note need the grace note's pitch, or another's in its
    place.

    On the pitch of the note before, the ear can tell only that it is missing: where that pitch has died away
    before the main note begins.
    """
    start = event.on_s - ORNAMENTS.grace_before_s
    room: list[PlayedNote] = []
    if before is not None and not math.isnan(before.midi):
        start = max(start, before.on_s + 0.06)
        room = [before] if event.on_s - before.off_s < ORNAMENTS.room_s else []
    until = max(event.off_s, event.next_s)  # a grace note behind its main note may seem to end it
    end = min(
        event.on_s + max(ORNAMENTS.grace_after_s, ORNAMENTS.after_share * (until - event.on_s)), until - 0.02
    )
    frames, times = mixture.frames(start, max(end, start + 0.05))
    own = mixture.own(event)
    parts = [own, mixture.noise, *(mixture.ending(e) for e in room)]
    _, misfit = decompose(frames, parts)
    loud = 20.0 * np.log10(frames.sum(axis=1) / own.sum() + 1e-9) > -ORNAMENTS.grace_below_db
    previous = room[-1].midi if room else None

    def needed(pitch: float) -> tuple[float, int, int]:
        with_it, left = decompose(frames, [*parts, shift_spectrum(own, pitch - event.midi)])
        gain = misfit - left
        return _best_run((with_it[:, -1] > ORNAMENTS.grace_part) & (gain > ORNAMENTS.grace_gain) & loud, gain)

    tuning = event.midi - round(event.midi) if abs(event.midi - main) < SAME_PITCH else 0.0
    gain, length, begin = needed(grace + tuning)
    hidden = grace == main or (previous is not None and abs(previous - grace) < SAME_PITCH)
    gone = False
    if hidden and grace != main:
        last = (times > event.on_s - ORNAMENTS.gone_s) & (times <= event.on_s)
        there = (
            decompose(frames[last], [own, mixture.noise, shift_spectrum(own, float(grace - main))])[0][:, -1]
            * frames[last].sum(axis=1)
            / own.sum()
        )
        gone = bool(len(there)) and float(there.max()) < ORNAMENTS.gone
        hidden = not gone
    other = 0.0
    if gain < ORNAMENTS.slip_gain:
        tried = [
            p
            for p in range(grace - 5, grace + 6)
            if abs(p - main) > 0 and p != grace and (previous is None or abs(p - previous) > SAME_PITCH)
        ]
        other = max((needed(p + tuning)[0] for p in tried), default=0.0)
    doubtful = (
        int((misfit[loud] > ORNAMENTS.unexplained).sum()) >= ORNAMENTS.unexplained_frames or not loud.any()
    )
    return HeardOrnament(
        index=index,
        kind="grace",
        heard=gain >= ORNAMENTS.grace_needed,
        hidden=hidden,
        certain=gone or (gain < ORNAMENTS.grace_none and not doubtful),
        gone=gone,
        length_s=length * mixture.step_s,
        after_s=float(times[begin]) - event.on_s if length else 0.0,
        slipped=other > ORNAMENTS.slip_gain and other > ORNAMENTS.slip_ratio * gain,
    )


def _plainly_begun(event: PlayedNote, before: PlayedNote | None, usual: float, features: Features) -> bool:
    """Whether a note has its own attack (`usual`: this player's) and none comes shortly before it: else it
    may be slurred from its grace note.
    """
    start = max(
        event.on_s - ORNAMENTS.earlier_s,
        (before.on_s if before is not None else 0.0) + ORNAMENTS.attack_room_s,
    )
    window = features.flux[
        round(start / features.hop_s) : round((event.on_s - ORNAMENTS.attack_room_s) / features.hop_s)
    ]
    return event.attack > ORNAMENTS.own_attack * usual and float(window.max(initial=0.0)) < max(
        ORNAMENTS.own_attack * usual, ORNAMENTS.least_attack
    )


def _figure(
    index: int,
    event: PlayedNote,
    before: PlayedNote | None,
    kind: str,
    main: int,
    up: int,
    down: int,
    mixture: SpectralDecomposition,
) -> HeardOrnament:
    """Which of the neighbouring notes a turn or a mordent touched, and which first; `turns` counts them,
    `first` is "upper", "main" or "lower".
    """
    room = (
        [before]
        if before is not None and not math.isnan(before.midi) and event.on_s - before.off_s < ORNAMENTS.room_s
        else []
    )
    length = event.next_s - event.on_s  # the pitch moves: the event may seem to end with the figure
    over = min(ORNAMENTS.figure_s, 0.55 * length)
    frames, times = mixture.frames(event.on_s - 0.04, event.on_s + over)
    # The note as it sounds when the figure is over.
    late, _ = mixture.frames(event.on_s + over, event.on_s + max(over + 0.02, min(0.8 * length, over + 0.4)))
    own = late.mean(axis=0) + 1e-9
    parts = [own, mixture.noise, *(mixture.ending(e) for e in room)]
    _, misfit = decompose(frames, parts)
    heard: dict[str, tuple[float, float]] = {}
    wanted, hidden = FIGURES[kind], False
    for name, step in (("upper", up), ("lower", down)):
        if room and abs(room[-1].midi - main - step) < SAME_PITCH:
            # The room still has that pitch of the note before; but it dies away there, and a figure makes it
            # rise.
            risen, at = _rise(
                decompose(frames, [own, mixture.noise, shift_spectrum(own, float(step))])[0][:, -1],
                times,
                event.on_s,
            )
            hidden |= risen < ORNAMENTS.risen and (name in wanted or risen > ORNAMENTS.still)
            heard[name] = (ORNAMENTS.grace_needed if risen >= ORNAMENTS.risen else 0.0), at
            continue
        shares, left = decompose(frames, [*parts, shift_spectrum(own, float(step))])
        gain = np.where(
            (shares[:, -1] > ORNAMENTS.grace_part) & (misfit - left > ORNAMENTS.grace_gain),
            misfit - left,
            0.0,
        )
        heard[name] = float(gain.sum()), float((gain * times).sum() / max(gain.sum(), 1e-9))
    touched = [n for n, (gain, _) in heard.items() if gain >= ORNAMENTS.grace_needed]
    nothing = all(gain < ORNAMENTS.grace_none for gain, _ in heard.values())
    first = min(touched, key=lambda n: heard[n][1]) if len(touched) == 2 else touched[0] if touched else ""
    right = first == wanted[0] and len(touched) >= len(wanted)
    return HeardOrnament(
        index=index,
        kind=kind,
        heard=right,
        turns=len(touched),
        hidden=hidden,
        certain=(nothing or bool(touched)) and not hidden,
        first=first,
    )


def _rise(
    share: npt.NDArray[np.floating], times: npt.NDArray[np.floating], on_s: float
) -> tuple[float, float]:
    """(by how much the share of a tone rises at most after a note's onset, when it had risen most)."""
    after = times > on_s
    if not after.any():
        return 0.0, on_s
    smooth = np.convolve(share, np.ones(2) / 2, mode="same")[after]
    rise = smooth - np.minimum.accumulate(smooth)
    return float(rise.max()), float(times[after][rise.argmax()])


def _trill(index: int, event: PlayedNote, main: int, features: Features) -> HeardOrnament:
    end = min(event.off_s + 0.03, event.next_s)
    rows = _rows(features, event.on_s, end)
    low = features.salience[rows, main - features.low]
    high = np.maximum(
        features.salience[rows, main + 1 - features.low], features.salience[rows, main + 2 - features.low]
    )
    sounding = features.best[rows] > 0.5
    difference = np.convolve((high - low) * sounding, np.ones(3) / 3, mode="same")
    state, turns, dwell, last_turn = -1, 0, 0, 0
    dwell_frames = max(2, round(ORNAMENTS.trill_dwell_s / features.step_s))
    begins = np.sign(difference) * (np.abs(difference) > ORNAMENTS.trill_lean)
    first = next(
        (
            begins[k]
            for k in range(len(begins) - dwell_frames + 1)
            if begins[k] and (begins[k : k + dwell_frames] == begins[k]).all()
        ),
        0.0,
    )
    for k, value in enumerate(difference):
        side = 1 if value > ORNAMENTS.trill_lean else -1 if value < -ORNAMENTS.trill_lean else 0
        if side == -state:
            dwell += 1
            if dwell >= dwell_frames:
                state, dwell, turns, last_turn = side, 0, turns + 1, k
        else:
            dwell = 0
    inner = difference[3:-3] if len(difference) > 12 else difference
    depth = float(np.subtract(*np.percentile(inner, [90, 10]))) if len(inner) else 0.0
    inside = features.flux[
        round((event.on_s + ORNAMENTS.trill_dwell_s) / features.hop_s) : round(end / features.hop_s)
    ]
    gap = round(ORNAMENTS.trill_dwell_s / features.hop_s)
    return HeardOrnament(
        index=index,
        kind="trill",
        heard=turns >= 3,
        turns=turns,
        attacks=len(pick_peaks(inside, ORNAMENTS.turn_attack, gap)),
        share=last_turn / max(len(difference), 1),
        certain=depth < ORNAMENTS.plain_depth,
        first="upper" if first > 0 else "main" if first < 0 else "",
    )
