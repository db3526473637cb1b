"""The same tune, made fit for a player: in another key, slower, with one thing left out, its rhythm on one
note, its beats alone. What was hard about it is then met on its own.
"""

from __future__ import annotations

import dataclasses
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction

from jeweller.errors import DrillError
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.model import Bar, Note, Part
from jeweller.notation.pitch import Pitch, key_name
from jeweller.notation.transposition import transpose_part
from jeweller.phrases import key_said
from jeweller.practice.drills import Drill, on_one_note, within
from jeweller.practice.settings import FIT
from jeweller.report_format import TakeReport

# What each way is called, how it is practised, at which share of the speed it begins.
WAYS = {
    "key": (N_("in another key"), N_("The same tune where your notes are surest."), 0.9),
    "slower": (N_("slower"), N_("As it is written, with time to think."), 0.6),
    "slurs": (N_("without slurs"), N_("Tongue every note; then put the slurs back."), 0.8),
    "graces": (N_("without grace notes and ornaments"), N_("The plain tune first; then with them."), 0.8),
    "leaps": (N_("without leaps"), N_("Far notes come an octave nearer; then where they belong."), 0.8),
    "one_note": (N_("as its rhythm on one note"), N_("Count it aloud, then play it."), 0.8),
    "skeleton": (N_("as its beats alone"), N_("One note a beat: hear where the tune goes."), 0.9),
}


def fit_tune(way: str, part: Part, instrument: Instrument, sure: Mapping[int, float] | None = None) -> Drill:
    """The tune of a part, made fit in one way, which is the kind of the drill. `sure`: how many of the notes
    at a written pitch (MIDI) this player plays right, 0..1 (`sure_notes`). Raises DrillError where that way
    changes nothing, or nothing can be made.
    """
    name, how, share = WAYS[way]
    bars = tuple(_MADE[way](part, instrument, sure or {}))
    if way != "slower" and _same(bars, part.bars):
        raise DrillError(_("There is nothing of the kind in this tune."))
    if not any(n.pitch is not None for b in bars for n in b.notes):
        raise DrillError(_("There is nothing of the kind in this tune."))
    if not within(part, bars, instrument):
        raise DrillError(_("That would leave the range of the instrument."))
    title = _(name)
    if way == "key":
        title = _("in {key}").format(key=key_said(key_name(bars[0].fifths, bars[0].mode)))
    made = dataclasses.replace(part, bars=bars)
    return Drill(kind=way, title=title, how=_(how), share=share, part=made)


def ways_for(part: Part, instrument: Instrument, sure: Mapping[int, float] | None = None) -> list[Drill]:
    """Every way that changes something."""
    out = []
    for way in WAYS:
        try:
            out.append(fit_tune(way, part, instrument, sure))
        except DrillError:
            continue
    return out


def sure_notes(reports: Sequence[TakeReport]) -> dict[int, float]:
    """How sure each written pitch is in some takes: what was right among what was played, 0..1."""
    right: dict[int, int] = defaultdict(int)
    played: dict[int, int] = defaultdict(int)
    for report in reports:
        for note in report["notes"]:
            if note["written_midi"] is None or note["grace"] or note["verdict"] == "not_heard":
                continue
            played[note["written_midi"]] += 1
            right[note["written_midi"]] += note["verdict"] == "ok"
    return {midi: right[midi] / n for midi, n in played.items()}


def propose_shift(part: Part, instrument: Instrument, sure: Mapping[int, float]) -> int:
    """By how many semitones the tune lies where this player is surest: its notes weighed by how long they
    last; what was never played is taken for middling, keys with many signs and far moves cost a little.
    Raises DrillError where it fits nowhere else.
    """
    lasts: dict[int, float] = defaultdict(float)
    for bar in part.bars:
        for n in bar.notes:
            if n.pitch is not None and not n.grace:
                lasts[n.pitch.midi] += float(n.duration)
    if not lasts:
        raise DrillError(_("There is nothing of the kind in this tune."))
    low, high = instrument.low - part.chromatic, instrument.high - part.chromatic
    total = sum(lasts.values())

    def worth(shift: int) -> float:
        sounds = sum(w * sure.get(m + shift, FIT.unknown_sure) for m, w in lasts.items()) / total
        signs = max(abs(b.fifths) for b in transpose_part(part, shift).bars)
        return sounds - FIT.sign_cost * signs - FIT.far_cost * abs(shift)

    fits = [
        s
        for s in range(-FIT.most_shift, FIT.most_shift + 1)
        if s and min(lasts) + s >= low and max(lasts) + s <= high
    ]
    if not fits:
        raise DrillError(_("That would leave the range of the instrument."))
    return max(fits, key=worth)


def _same(bars: Sequence[Bar], other: Sequence[Bar]) -> bool:
    def heard(some: Sequence[Bar]) -> list[object]:
        return [
            (b.fifths, n.offset, n.duration, n.pitch, n.grace, n.slur_starts, n.ornament)
            for b in some
            for n in b.notes
        ]

    return heard(bars) == heard(other)


def _each(part: Part, change: Callable[[Note], Note | None]) -> tuple[Bar, ...]:
    return tuple(
        dataclasses.replace(b, notes=tuple(m for n in b.notes if (m := change(n)) is not None))
        for b in part.bars
    )


def _other_key(part: Part, instrument: Instrument, sure: Mapping[int, float]) -> tuple[Bar, ...]:
    return transpose_part(part, propose_shift(part, instrument, sure)).bars


def _without_slurs(part: Part, _instrument: Instrument, _sure: Mapping[int, float]) -> tuple[Bar, ...]:
    return _each(part, lambda n: dataclasses.replace(n, slur_starts=(), slur_stops=()))


def _without_graces(part: Part, _instrument: Instrument, _sure: Mapping[int, float]) -> tuple[Bar, ...]:
    return _each(part, lambda n: None if n.grace else dataclasses.replace(n, ornament=None))


def _without_leaps(part: Part, _instrument: Instrument, _sure: Mapping[int, float]) -> tuple[Bar, ...]:
    """Each note in the octave that is nearest to the note before it, as it stands by then."""
    before: int | None = None

    def nearer(n: Note) -> Note:
        nonlocal before
        if n.pitch is None or n.chord:
            return n
        pitch = n.pitch
        if before is not None and abs(pitch.midi - before) > FIT.leap_semitones:
            octaves = round((before - pitch.midi) / 12)
            pitch = Pitch(pitch.step, pitch.alter, pitch.octave + octaves)
        before = pitch.midi
        return dataclasses.replace(n, pitch=pitch)

    return _each(part, nearer)


def _on_one_note(part: Part, _instrument: Instrument, sure: Mapping[int, float]) -> Sequence[Bar]:
    """On the note of the tune that is surest, and in the middle of it."""
    pitches = [n.pitch for b in part.bars for n in b.notes if n.pitch is not None]
    if not pitches:
        return part.bars
    middle = sum(p.midi for p in pitches) / len(pitches)
    best = max(pitches, key=lambda p: (round(sure.get(p.midi, FIT.unknown_sure), 1), -abs(p.midi - middle)))

    return on_one_note(part.bars, best)


def _skeleton(part: Part, _instrument: Instrument, _sure: Mapping[int, float]) -> tuple[Bar, ...]:
    """What sounds at each beat, for the beat."""
    row: list[UnbarredNote] = []
    signatures = []
    for bar in part.bars:
        signatures.append(
            BarAttributes(
                beats=bar.metre.beats,
                beat_type=bar.metre.beat_type,
                fifths=bar.fifths,
                mode=bar.mode,
                clef=bar.clef,
            )
        )
        beat, at = bar.metre.beat, Fraction(0)
        while at < bar.length:
            length = min(beat, bar.length - at)
            sounding = (n for n in bar.notes if not n.grace and not n.chord)
            here = [n for n in sounding if n.offset <= at < n.offset + n.duration]
            pitch = here[0].pitch if here else None
            row.append(UnbarredNote(length, (pitch,) if pitch is not None else ()))
            at += length
    first = part.bars[0]
    pickup = first.length if first.implicit and first.length < first.metre.length else Fraction(0)
    return lay_out_bars(row, signatures, pickup=pickup)


_MADE: dict[str, Callable[[Part, Instrument, Mapping[int, float]], Sequence[Bar]]] = {
    "key": _other_key,
    "slower": lambda part, _i, _s: part.bars,
    "slurs": _without_slurs,
    "graces": _without_graces,
    "leaps": _without_leaps,
    "one_note": _on_one_note,
    "skeleton": _skeleton,
}
