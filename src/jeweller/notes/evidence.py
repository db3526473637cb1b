"""All evidence about the notes of a table, measured once: after it nothing reads features or samples."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np

from jeweller.features.extraction import Features
from jeweller.features.robust import median
from jeweller.notes.clicks import find_click
from jeweller.notes.decomposition import SpectralDecomposition
from jeweller.notes.doubts import measure_doubts, measure_partials
from jeweller.notes.grid_spectra import GridSpectra
from jeweller.notes.note_starts import measure_starts, move_short_notes
from jeweller.notes.ornaments import measure_ornaments
from jeweller.notes.settings import EVIDENCE
from jeweller.notes.strokes import measure_strokes
from jeweller.notes.sustain import measure_clearness, measure_sustain
from jeweller.notes.table import NoteTable
from jeweller.notes.ties import measure_ties
from jeweller.notes.transitions import measure_transitions


@dataclass(frozen=True, kw_only=True)
class EvidenceLimits:
    """From where a note is looked at more closely. Each is a setting of the assessment: what lies beyond it
    can make no finding, so it is not measured.
    """

    wrong_cents: float
    octave_evenness: float
    run_on_db: float


def add_evidence(
    table: NoteTable,
    features: Features,
    limits: EvidenceLimits,
    *,
    brass: bool = False,
    rhythm_only: bool = False,
    listen_for_click: bool = True,
    spectra: GridSpectra | None = None,
) -> NoteTable:
    """The table with all that the assessment asks for; a transposition of the whole take is taken out of its
    pitches. `brass`: notes crack to the partials of their valves. `spectra`: those that are known of the
    beginning of this recording.
    """
    if rhythm_only:
        return dataclasses.replace(table, strokes=tuple(measure_strokes(table, features)))
    shift = find_transposition(table)
    lowest = min(n.sounding_midi for n in table.notes) + min(shift, 0)
    decomposition = SpectralDecomposition(features, table.events, lowest, shift, spectra)
    events = tuple(dataclasses.replace(e, midi=e.midi - shift) for e in table.events)
    starts = measure_starts(table, features, decomposition, brass=brass)
    starts = [dataclasses.replace(s, midi=s.midi - shift) for s in starts]
    short, starts = move_short_notes(dataclasses.replace(table, events=events, shift=shift), starts)
    return dataclasses.replace(
        short,
        doubts=measure_doubts(short, decomposition, limits.wrong_cents),
        partials=measure_partials(short, decomposition, limits.octave_evenness),
        starts=tuple(starts),
        ornaments=tuple(measure_ornaments(table, features, decomposition, shift)),
        tones=tuple(measure_sustain(table, features)),
        clearness=tuple(measure_clearness(table, features)),
        transitions=tuple(measure_transitions(short, features, limits.run_on_db)),
        ties=tuple(measure_ties(short, features)),
        click=find_click(short, features) if listen_for_click else None,
    )


def find_transposition(table: NoteTable) -> int:
    """Semitones by which nearly every note is shifted alike; 0 where it is not so."""
    heard = [(i, e) for i in range(len(table.notes)) if (e := table.event_of(i)) is not None]
    apart = [e.midi - table.notes[i].sounding_midi for i, e in heard if e.midi == e.midi]
    if len(apart) < EVIDENCE.shift_notes:
        return 0
    values, number = np.unique(np.rint(np.array(apart)).astype(int), return_counts=True)
    top = int(values[number.argmax()])
    above = [e.twelfth_up if top == -19 else e.octave_up for e in table.events if e.index is not None]
    if top in (-12, -19, -24) and median(above) > EVIDENCE.subharmonic_clarity:
        return 0  # the written pitch is there: it is the sound that carries a lower one
    low = {
        table.notes[i].sounding_midi for (i, _event), a in zip(heard, apart, strict=False) if round(a) == top
    }
    right = {
        table.notes[i].sounding_midi for (i, _event), a in zip(heard, apart, strict=False) if round(a) == 0
    }
    if top in (-12, -19, -24) and right and max(right) < min(low):
        return 0  # the lower notes are where they are written: a register is lost, the part is not another
    return top if top != 0 and number.max() >= EVIDENCE.shift_share * len(apart) else 0
