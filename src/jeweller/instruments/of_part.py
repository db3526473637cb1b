"""The fingerings of a part: which is proposed for each of its notes, and how its trills are played."""

from __future__ import annotations

from jeweller.instruments.choose import Fingering, Trill, choose, trill
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part
from jeweller.notation.pitch import STEPS, Pitch, key_alter


def fingerings_of(part: Part, instrument: Instrument) -> dict[str, Fingering]:
    """The proposed fingering of each note that has one."""
    notes = [n for bar in part.bars for n in bar.notes if not n.chord and not n.cue and not n.tie_stop]
    found = choose(
        instrument, [n.pitch.midi if n.pitch is not None else None for n in notes], note_seconds(part)
    )
    trills = trills_of(part, instrument)
    return {
        n.id: trills[n.id].main if n.id in trills else f
        for n, f in zip(notes, found, strict=True)
        if f is not None
    }


def note_seconds(part: Part) -> list[float] | None:
    """How long each note lasts that a fingering is proposed for; None where no tempo is written."""
    per_quarter, out = 0.0, []
    for bar in part.bars:
        for mark in bar.marks:
            if mark.kind == "tempo" and mark.value:
                per_quarter = 60.0 / mark.value
        out += [
            float(n.duration) * per_quarter for n in bar.notes if not n.chord and not n.cue and not n.tie_stop
        ]
    return out if per_quarter else None


def trills_of(part: Part, instrument: Instrument) -> dict[str, Trill]:
    """How each trill is fingered, to the next note of the key above, where few fingers do it."""
    found = {}
    for bar in part.bars:
        for n in bar.notes:
            if n.ornament == "trill" and n.pitch is not None and not n.cue:
                step = STEPS[(n.pitch.diatonic + 1) % 7]
                upper = Pitch(step, key_alter(step, bar.fifths), (n.pitch.diatonic + 1) // 7)
                made = trill(instrument, n.pitch.midi, upper.midi)
                if made is not None:
                    found[n.id] = made
    return found
