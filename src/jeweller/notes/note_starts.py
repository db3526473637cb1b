"""A second, local hearing where notes begin: did another pitch sound for a moment before the note spoke?

A crack catches another partial, or squeaks; fingers that do not move together let a neighbour sound. Both are
short, clear, and neither the note before nor a grace note. Told by the pitch line where it is clear, and by
the spectrum (`jeweller.notes.decomposition`) where the room blurs it.
"""

from __future__ import annotations

import dataclasses

import numpy as np
import numpy.typing as npt

from jeweller.features.extraction import Features
from jeweller.features.robust import median, percentile
from jeweller.notes.decomposition import SpectralDecomposition, decompose, shift_spectrum
from jeweller.notes.detail_settings import NOTE_STARTS
from jeweller.notes.settings import SAME_PITCH
from jeweller.notes.table import NoteTable, PlayedNote, StartSound

Row = npt.NDArray[np.float64]


def measure_starts(
    following: NoteTable, features: Features, mixture: SpectralDecomposition, *, brass: bool
) -> list[StartSound]:
    """The notes whose start caught another pitch."""
    caught = NOTE_STARTS.caught if brass else NOTE_STARTS.squeaks
    found: list[StartSound] = []
    graces = following.line.graces
    events = following.events
    place = {id(e): k for k, e in enumerate(events)}
    main_notes = following.line.main_notes
    for i in range(len(main_notes)):
        event = following.event_of(i)
        if event is None or np.isnan(event.midi) or event.clarity < 0.5 or main_notes[i].written.ornament:
            continue
        k = place[id(event)]
        before = next((e for e in reversed(events[:k]) if e.index is not None), None)
        touched: list[float] = []
        aside = [float(g.sounding_midi) for g in graces[i]]
        if before is not None and before.index is not None and main_notes[before.index].written.ornament:
            steps = (
                NOTE_STARTS.trill_steps
                if main_notes[before.index].written.ornament == "trill"
                else NOTE_STARTS.ornament_steps
            )
            touched = [main_notes[before.index].sounding_midi + d for d in steps]
        silent = _silence_before(event, features)  # then nothing of the note before is left
        start = (
            _start(i, event, before, aside, touched, features)
            if silent is None
            else _start(i, event, None, aside, touched, features, silent)
        )
        if start is not None or (
            not main_notes[i].slurred_from_previous and not aside and _doubtful(event, features)
        ):
            room = (
                [] if silent is not None else [e for e in events[max(0, k - 2) : k] if not np.isnan(e.midi)]
            )
            start = _made_up(i, event, room, start, caught, mixture)
        if start is not None:
            found.append(start)
    return found


def _silence_before(event: PlayedNote, f: Features) -> float | None:
    """When it was silent shortly before a note, the room's sound included; None where it was not."""
    a, b = (
        round((event.on_s - NOTE_STARTS.silent_from_s) / f.hop_s),
        round((event.on_s - NOTE_STARTS.silent_to_s) / f.hop_s),
    )
    if a < 0 or b <= a or float(f.level[a:b].min()) > event.level_db - NOTE_STARTS.silent_db:
        return None
    return (a + int(f.level[a:b].argmin())) * f.hop_s


def _doubtful(event: PlayedNote, f: Features) -> bool:
    """Whether the first moments of a note are not clearly the note itself."""
    a, b = round((event.on_s - 0.02) / f.step_s), round((event.on_s + NOTE_STARTS.speaks_s) / f.step_s)
    ratio = round(f.step_s / f.hop_s)
    pitch, best, level = f.f0[a:b], f.best[a:b], f.level[a * ratio : b * ratio : ratio][: b - a]
    clear = (np.abs(pitch - event.midi) < SAME_PITCH) & (best > NOTE_STARTS.surely_the_note)
    return (
        int((~clear[: len(level)] & (level > event.level_db - NOTE_STARTS.sounding_db)).sum())
        >= NOTE_STARTS.doubtful
    )


def _made_up(
    index: int,
    event: PlayedNote,
    before: list[PlayedNote],
    heard: StartSound | None,
    caught: tuple[float, ...],
    mixture: SpectralDecomposition,
) -> StartSound | None:
    """`heard`, or another tone in the start of a note, with what the spectrum says of it."""
    own = mixture.own(event)
    room = [e for e in before if event.on_s - e.off_s < NOTE_STARTS.room_s and e.off_s - e.on_s > 0.05]
    frames, times = mixture.frames(
        event.on_s - NOTE_STARTS.from_s, min(event.on_s + NOTE_STARTS.until_s, event.off_s - 0.02)
    )
    known = [own, mixture.noise, *(mixture.ending(e) for e in room)]
    scale = frames.sum(axis=1)
    loud = 20.0 * np.log10(scale / own.sum() + 1e-9) > -NOTE_STARTS.sounding_db
    shares, misfit = decompose(frames, known)
    weights = np.array([k.sum() for k in known])
    left = np.maximum(frames - (shares * scale[:, None] / weights) @ np.array(known), 0.0)[loud].sum(axis=0)
    tones = {
        c: shift_spectrum(own, c)
        for c in caught
        if not (room and abs(event.midi + c - room[-1].midi) < SAME_PITCH)
    }
    like = {
        c: float(left @ tone / np.sqrt((tone @ tone) * (left @ left) + 1e-12)) for c, tone in tones.items()
    }
    tried = [
        c for c in sorted(like, key=lambda c: -like[c])[: NOTE_STARTS.tried] if like[c] > NOTE_STARTS.like
    ]
    if heard is not None:
        apart = heard.midi - event.midi
        tried = [c for c in tried if abs(c - apart) > SAME_PITCH] + [apart]
        tones[apart] = shift_spectrum(own, apart)
    best: StartSound | None = heard
    for c in tried:
        # What the room holds of that very pitch is no reason to leave it out.
        others = [
            k for k, e in zip(known[2:], room, strict=True) if abs(e.midi - event.midi - c) > SAME_PITCH
        ]
        shares_with, misfit_with = decompose(frames, [own, mixture.noise, *others, tones[c]])
        base = misfit if len(others) == len(room) else decompose(frames, [own, mixture.noise, *others])[1]
        gain = base - misfit_with
        run = _most(
            np.where((shares_with[:, -1] > NOTE_STARTS.part) & (gain > NOTE_STARTS.gain) & loud, gain, 0.0)
        )
        if run is None:
            continue
        a, b = run
        found = StartSound(
            index=index,
            midi=event.midi + c,
            on_s=float(times[a]),
            off_s=float(times[b - 1]) + mixture.step_s,
            clarity=0.0,
            below_db=0.0,
            spread=0.0,
            attack=event.attack,
            held_s=(b - a) * mixture.step_s,
            gain=float(gain[a:b].sum()),
            part=float(shares_with[a:b, -1].mean()),
            after=float(shares_with[b : b + 6, 0].mean()) if b < len(times) else 0.0,
            edge=a == 0,
        )
        if heard is not None and abs(c - (heard.midi - event.midi)) <= SAME_PITCH:
            found = dataclasses.replace(
                heard,
                held_s=found.held_s,
                gain=found.gain,
                part=found.part,
                after=found.after,
                edge=found.edge,
            )
        if best is None or found.gain > best.gain:
            best = found
    return best


def _most(gain: np.ndarray) -> tuple[int, int] | None:  # type: ignore[type-arg]
    """The stretch of frames with a gain that sums to most."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (gain > 0).astype(np.int8), [0]])))
    runs = list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))
    return max(runs, key=lambda r: float(gain[r[0] : r[1]].sum())) if runs else None


def _same(pitch: Row, other: float) -> npt.NDArray[np.bool_]:
    """Whether each pitch, (n,), is heard of a tone of another: the same, or a multiple of its period."""
    apart = other - pitch[:, None] - np.array(NOTE_STARTS.folded)
    return np.asarray((np.abs(apart) < SAME_PITCH).any(axis=1))


def _partial(pitch: Row, other: float) -> npt.NDArray[np.bool_]:
    """Whether each pitch, (n,), is an octave, or an octave and a fifth, over another."""
    return np.asarray((np.abs(pitch[:, None] - other - np.array([12.0, 19.0])) < SAME_PITCH).any(axis=1))


def _start(
    index: int,
    event: PlayedNote,
    before: PlayedNote | None,
    graces: list[float],
    touched: list[float],
    f: Features,
    from_s: float = 0.0,
) -> StartSound | None:
    a = max(event.on_s - NOTE_STARTS.before_s, from_s)
    if before is not None:
        a = max(a, before.on_s + 0.09, before.off_s - 0.10)
    b = min(event.on_s + NOTE_STARTS.after_s, event.on_s + 0.6 * (event.off_s - event.on_s))
    lo, hi = max(0, round(a / f.step_s)), min(len(f.f0), round(b / f.step_s))
    ratio = round(f.step_s / f.hop_s)
    floor = max(event.level_db - NOTE_STARTS.below_db, f.floor_db + 6.0)
    best: tuple[int, int] | None = None
    k = lo
    heard = slice(lo, min(len(f.f0), hi + 12))
    pitches = f.f0[heard].astype(np.float64)
    own_at = (lo + np.flatnonzero(_same(pitches, event.midi) & (f.best[heard] > 0.6))).tolist()
    level = f.level[np.minimum((lo + np.arange(len(pitches))) * ratio, len(f.level) - 1)]
    other = _other(pitches, f.best[heard], event, before, graces, touched)
    begins, goes_on = (other & ~(level < floor)).tolist(), (other & (level > floor)).tolist()
    while k < hi:
        if not begins[k - lo]:
            k += 1
            continue
        m = k
        while (
            m < hi + 6 and m < len(f.f0) and goes_on[m - lo] and abs(pitches[m - lo] - pitches[k - lo]) < 0.8
        ):
            m += 1
        settles = any(m <= o <= m + NOTE_STARTS.settle_s / f.step_s for o in own_at)
        if (
            settles
            and (m - k) * f.step_s <= NOTE_STARTS.longest_s
            and (best is None or m - k > best[1] - best[0])
        ):
            best = (k, m)
        k = m + 1
    if best is None or (best[1] - best[0]) * f.step_s < NOTE_STARTS.least_s:
        return None
    rows = slice(*best)
    pitch = f.f0[rows]
    flux = f.flux[max(0, best[0] * ratio - 8) : best[0] * ratio + 8]
    return StartSound(
        index=index,
        midi=median(pitch),
        on_s=best[0] * f.step_s,
        off_s=best[1] * f.step_s,
        clarity=median(f.best[rows]),
        below_db=event.level_db - median(f.level[best[0] * ratio : best[1] * ratio]),
        spread=percentile(pitch, 90) - percentile(pitch, 10),
        attack=float(flux.max()) if len(flux) else 0.0,
    )


def _other(
    pitch: Row,
    clear: npt.NDArray[np.float32],
    event: PlayedNote,
    before: PlayedNote | None,
    graces: list[float],
    touched: list[float],
) -> npt.NDArray[np.bool_]:
    """(n,) whether each frame holds a clear pitch that is neither the note nor what belongs before it."""
    other = ~np.isnan(pitch) & ~(clear < NOTE_STARTS.clear) & ~_same(pitch, event.midi)
    # An octave up is another partial only for a player whose note is not as good as an octave up itself.
    if event.octave_up > NOTE_STARTS.half_full:
        other &= ~_partial(pitch, event.midi)
    if before is not None:
        other &= ~_same(pitch, before.midi)
        if before.octave_up > NOTE_STARTS.half_full:
            other &= ~_partial(pitch, before.midi)
    for grace in graces:
        folded = np.array(NOTE_STARTS.folded)
        other &= ~_same(pitch, grace) & ~(np.abs(pitch[:, None] - grace - folded) < SAME_PITCH).any(axis=1)
    for tone in touched:
        other &= ~_same(pitch, tone)
    return other


def move_short_notes(following: NoteTable, starts: list[StartSound]) -> tuple[NoteTable, list[StartSound]]:
    """The following with notes that were not found, but sound for a moment where the next note begins, and
    the starts without these.

    Too short a note is not heard in tune: within `HARDLY_HEARD` semitones it is taken for the written one.
    """
    notes = following.line.main_notes
    events, last_try, left = list(following.events), list(following.last_try), []
    for s in starts:
        i, k = s.index - 1, last_try[s.index]
        if (
            i < 1
            or k is None
            or last_try[i] is not None
            or last_try[i - 1] is None
            or s.midi != s.midi
            or abs(s.midi - notes[i].sounding_midi) > NOTE_STARTS.hardly_heard
            or events[k].on_s > s.off_s
        ):
            left.append(s)
            continue
        after = events[k]
        short = dataclasses.replace(
            after,
            index=i,
            before=i,
            on_s=min(s.on_s, after.on_s),
            off_s=s.off_s,
            next_s=s.off_s,
            attack=max(s.attack, after.attack),
            midi=float(notes[i].sounding_midi),
            spread=s.spread,
            clarity=s.clarity,
            expected_clarity=s.clarity,
            octave_up=0.0,
            twelfth_up=0.0,
        )
        events[k : k + 1] = [short, dataclasses.replace(after, on_s=s.off_s)]
        last_try = [x if x is None or x < k else x + 1 for x in last_try]
        last_try[i] = k
    return dataclasses.replace(following, events=tuple(events), last_try=tuple(last_try)), left
