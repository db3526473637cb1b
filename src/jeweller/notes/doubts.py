"""Second thoughts about a note: did it sound at all, was it the written pitch after all, which octave was it?

What speaks for and against, measured once; what follows from it is for the assessment.
"""

from __future__ import annotations

import math

import numpy as np

from jeweller.notes.decomposition import SpectralDecomposition, decompose, shift_spectrum
from jeweller.notes.settings import DOUBTS, SAME_PITCH, SOUNDED
from jeweller.notes.sounded import unsounded_odds
from jeweller.notes.table import NoteDoubt, NoteTable, PartialContrast, PlayedNote

OCTAVES = (12, 19, 24)  # semitones from a tone to those it may be taken for


def measure_doubts(
    table: NoteTable, decomposition: SpectralDecomposition, wrong_cents: float
) -> tuple[NoteDoubt, ...]:
    """A `NoteDoubt` for every main note. The spectra are asked only where the note seems not to have sounded,
    or sounded `wrong_cents` and more from its pitch.
    """
    out = []
    for i in range(len(table.notes)):
        event = table.event_of(i)
        if event is None:
            out.append(NoteDoubt())
            continue
        silent = not_sounded(table, i, event)
        apart = table.apart(i)
        blurred = event.clarity < DOUBTS.blurred or event.expected_clarity > DOUBTS.also_clear
        asked = (
            event.next_s - event.on_s > DOUBTS.no_room_s
            if silent
            else abs(apart) * 100 > wrong_cents and blurred
        )
        out.append(
            NoteDoubt(
                not_sounded=silent,
                written_sounded=asked and written_sounded(table, decomposition, i, event),
                after_grace_s=_after_grace(table, decomposition, i, event, apart),
            )
        )
    return tuple(out)


def measure_partials(
    table: NoteTable, decomposition: SpectralDecomposition, evenness: float
) -> tuple[PartialContrast | None, ...]:
    """How far the partials of notes stand out, for the notes whose octave is in question and those of about
    the same pitch that they are compared with. `evenness`: periodicity at half the period from which it is.
    """
    events = [table.event_of(i) for i in range(len(table.notes))]
    written = np.array([n.sounding_midi for n in table.notes])
    question, plain = [], []
    for i, event in enumerate(events):
        apart = table.apart(i)
        if event is None or math.isnan(apart):
            continue
        if abs(apart) <= SAME_PITCH:
            plain.append(i)
            if max(event.octave_up, event.twelfth_up) >= evenness:
                question.append(i)
        elif any(abs(apart + d) < SAME_PITCH for d in OCTAVES):
            question.append(i)
    near = written[question]
    wanted = {*question, *(k for k in plain if len(near) and np.abs(near - written[k]).min() <= 2)}
    out: list[PartialContrast | None] = []
    for i, event in enumerate(events):
        if event is None or i not in wanted:
            out.append(None)
            continue
        out.append(
            PartialContrast(
                second_db=decomposition.standing_out(event, 2),
                third_db=decomposition.standing_out(event, 3),
                second_above_db=decomposition.standing_out(event, 2, event.midi + 12),
                odd_db=decomposition.odd_energy(event),
                above=_an_octave_above(decomposition, event),
            )
        )
    return tuple(out)


def _an_octave_above(decomposition: SpectralDecomposition, event: PlayedNote) -> float:
    """0..1 of a note in which the pitch line runs an octave above what was heard for it."""
    f = decomposition.f
    begin = round((event.on_s + DOUBTS.speaks_s) / f.step_s)
    own = f.f0[begin : max(round((event.off_s - DOUBTS.speaks_s) / f.step_s), begin + 1)]
    apart = own - decomposition.shift - event.midi
    return float(np.mean(np.abs(apart - 12.0) < 0.5)) if len(own) else 0.0


def not_sounded(table: NoteTable, i: int, event: PlayedNote) -> float:
    """Confidence that what the way took for note i is no note at all (room, breath, the tail of the note
    before); 0 where it is one.
    """
    if table.notes[i].written.ornament:
        return 0.0  # an ornament has no one pitch
    odds = unsounded_odds(table, i, event)
    return 0.0 if odds < SOUNDED.asked else 1.0 / (1.0 + math.exp(SOUNDED.even - odds))


def written_sounded(
    table: NoteTable, decomposition: SpectralDecomposition, i: int, event: PlayedNote
) -> bool:
    """Whether the spectra of a doubtful note are the written pitch after all, in this player's voice, and as
    loud as a note: then the room blurred it.
    """
    voice = decomposition.voice(table.notes[i].sounding_midi + table.offset_cents / 100, leave=event)
    if voice is None:
        return False
    events = table.events
    k = table.last_try[i] or 0
    before = [e for e in events[max(0, k - 1) : k] if not math.isnan(e.midi) and event.on_s - e.off_s < 1.0]
    if before and abs(before[-1].midi - table.notes[i].sounding_midi) < SAME_PITCH:
        return False  # the note before may only have been held
    from_s = event.on_s + 0.03
    frames, _ = decomposition.frames(from_s, max(from_s + 0.05, min(event.next_s - 0.03, event.on_s + 0.8)))
    apart = table.apart(i)
    # What was heard stands against it, unless it is the same tone heard in another octave or at a third of
    # its pitch.
    heard = (
        []
        if math.isnan(apart)
        or abs(apart) < SAME_PITCH
        or any(abs(abs(apart) - d) < SAME_PITCH for d in (12, 19, 24))
        else [shift_spectrum(voice, apart)]
    )
    shares, _ = decompose(
        frames, [voice, decomposition.noise, *heard, *(decomposition.ending(e) for e in before)]
    )
    mine = shares[:, 0]
    loud = 20.0 * math.log10(float(frames.sum(axis=1).mean()) / float(voice.sum()) + 1e-9)
    return (
        float(mine.mean()) > DOUBTS.sounded_mean
        and float(np.sort(mine)[-3:].mean()) > DOUBTS.sounded_top
        and loud > -DOUBTS.sounded_db
    )


def _after_grace(
    table: NoteTable, decomposition: SpectralDecomposition, i: int, event: PlayedNote, apart: float
) -> float:
    """Seconds in which the written pitch sounds behind what was heard for it, where that is the grace note
    before it, held too long; else 0.
    """
    pitch = table.notes[i].sounding_midi
    if not any(abs(g.sounding_midi - pitch - apart) < 0.5 for g in table.line.graces[i]):
        return 0.0
    f = decomposition.f
    rows = slice(
        round((event.off_s - DOUBTS.after_grace_s) / f.step_s),
        round(min(event.next_s, event.off_s + DOUBTS.long_after_s) / f.step_s),
    )
    there = np.abs(f.f0[rows] - decomposition.shift - pitch - table.offset_cents / 100) < 0.5
    return int(np.sum(there)) * f.step_s
