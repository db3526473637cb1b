"""Other readings of a part: shifted as a whole, as from another instrument's part, or read in another
clef.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.alignment.candidates import Candidates
from jeweller.alignment.decoder import decode_path
from jeweller.alignment.note_arrays import NoteArrays, make_note_arrays
from jeweller.alignment.segments import SegmentTable
from jeweller.alignment.settings import READINGS, AlignmentSettings
from jeweller.features.extraction import Features
from jeweller.notation.clefs import other_clefs, read_in_clef
from jeweller.notation.performance import PerformedPart


@dataclass(frozen=True)
class Reading:
    """The line as it would sound read in another clef."""

    clef: str
    line: PerformedPart


def _heard_midi(features: Features) -> npt.NDArray[np.float64]:
    """How many frames each MIDI pitch was heard in, (256,)."""
    heard = np.zeros(256)
    sounding = ~np.isnan(features.f0)
    np.add.at(heard, np.rint(features.f0[sounding]).astype(int), 1.0)
    return heard


def list_readings(line: PerformedPart, features: Features, s: AlignmentSettings) -> list[Reading]:
    """The few other clefs, each in the octave and transposition in which the time written on each pitch is
    most like the time heard on it.

    >>> from jeweller.alignment.settings import DEFAULT
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:C\\nA c A c|")[0].parts[0]
    >>> tone = (0.2 * np.sin(2 * np.pi * 440.0 * np.arange(22050) / 22050)).astype(np.float32)
    >>> readings = list_readings(perform_part("", part), extract_features(tone, 40, 90), DEFAULT)
    >>> [reading.clef for reading in readings]
    ['bass', 'bass', 'bass', 'bass']
    """
    heard = _heard_midi(features)
    found: list[tuple[float, Reading]] = []
    for clef in other_clefs(line):
        for add in {line.part.chromatic, 0}:
            for octave in (-24, -12, 0, 12, 24):
                read = read_in_clef(line, clef, add + octave)
                items = make_note_arrays(read)
                if items.midi.min() >= 0 and items.midi.max() < len(heard):
                    found.append(
                        (
                            float((heard[items.midi] * items.ioi_q * items.sound_share).sum()),
                            Reading(clef, read),
                        )
                    )
    found.sort(key=lambda x: -x[0])
    return [reading for _, reading in found[: s.shift_tries]]


def choose_reading(
    table: SegmentTable,
    boundaries: Candidates,
    features: Features,
    bpm: float,
    readings: list[Reading],
    cancelled: Callable[[], bool],
) -> tuple[Reading | None, int] | None:
    """The reading in another clef, or (None and) the shift in semitones, whose rough way is best, if it beats
    the written pitch clearly; else None.

    >>> from jeweller.alignment.candidates import find_candidates
    >>> from jeweller.alignment.segments import gather_evidence
    >>> from jeweller.alignment.settings import DEFAULT
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:C\\nC E D F|G E D C|")[0].parts[0]
    >>> items = make_note_arrays(perform_part("", part))
    >>> t = np.arange(11025) / 22050
    >>> hz = 440.0 * 2 ** ((items.midi + 2 - 69) / 12)  # every note a tone too high
    >>> tones = sum(np.sin(2 * np.pi * k * np.outer(hz, t)) / k for k in range(1, 8))
    >>> sound = (tones * np.minimum(0.2, 4 * (0.5 - t))).ravel().astype(np.float32)
    >>> features = extract_features(sound, 55, 80)
    >>> evidence, candidates = gather_evidence(features, DEFAULT), find_candidates(features, DEFAULT)
    >>> table = SegmentTable(items, evidence, candidates, features.step_s, DEFAULT)
    >>> choose_reading(table, candidates, features, 120.0, [], lambda: False)
    (None, 2)
    """
    shift, best, plain = _likely_shift(table, boundaries, features, bpm, cancelled)
    chosen: tuple[Reading | None, int] | None = (None, shift) if shift else None
    for reading in readings:
        score = _rough_score(table, make_note_arrays(reading.line).midi, boundaries, features, bpm, cancelled)
        if score > max(best + table.s.clef_gain, plain + table.s.shift_gain):
            chosen, best = (reading, 0), score
    return chosen


def choose_register(
    table: SegmentTable,
    boundaries: Candidates,
    features: Features,
    bpm: float,
    cancelled: Callable[[], bool],
) -> npt.NDArray[np.int64] | None:
    """The pitches, (N,), of a player who loses a register: from some written pitch up everything an octave or
    a twelfth low. None where that does not fit clearly better than the part as written, or all of it as low.

    >>> from jeweller.alignment.candidates import find_candidates
    >>> from jeweller.alignment.segments import gather_evidence
    >>> from jeweller.alignment.settings import DEFAULT
    >>> from jeweller.features.extraction import extract_features
    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:C\\nC G A G|E G A G|")[0].parts[0]
    >>> items = make_note_arrays(perform_part("", part))
    >>> t = np.arange(11025) / 22050
    >>> hz = 440.0 * 2 ** ((items.midi - 69) / 12)
    >>> tones = sum(np.sin(2 * np.pi * k * np.outer(hz, t)) / k for k in range(1, 8))
    >>> sound = (tones * np.minimum(0.2, 4 * (0.5 - t))).ravel().astype(np.float32)
    >>> features = extract_features(sound, 40, 80)
    >>> evidence, candidates = gather_evidence(features, DEFAULT), find_candidates(features, DEFAULT)
    >>> table = SegmentTable(items, evidence, candidates, features.step_s, DEFAULT)
    >>> choose_register(table, candidates, features, 120.0, lambda: False) is None
    True
    """
    midi, s = table.items.midi, table.s

    def score(pitches: npt.NDArray[np.int64]) -> float:
        return _rough_score(table, pitches, boundaries, features, bpm, cancelled)

    whole = max(score(midi - down) for down in READINGS.registers)
    best, chosen = max(score(midi) + s.shift_gain, whole + s.clef_gain), None
    heard, weight = _heard_midi(features), table.items.ioi_q * table.items.sound_share
    tried = [
        np.where(midi >= lowest, midi - down, midi)
        for down in READINGS.registers
        for lowest in np.unique(midi)[1:]
        if lowest - down >= 0
    ]
    tried.sort(key=lambda pitches: -float((heard[pitches] * weight).sum()))
    for pitches in tried[: s.shift_tries]:
        if (found := score(pitches)) > best:
            best, chosen = found, pitches
    return chosen


def _rough_score(
    table: SegmentTable,
    midi: npt.NDArray[np.int64],
    boundaries: Candidates,
    features: Features,
    bpm: float,
    cancelled: Callable[[], bool],
) -> float:
    """How well the beginning of the take fits the line with other pitches; not at all where these were not
    listened to.
    """
    columns = midi - table.evidence.low
    if columns.min() < 0 or columns.max() + READINGS.trill_reach >= table.evidence.written.shape[1]:
        return float("-inf")
    stop = int(np.searchsorted(table.time, table.s.shift_probe_s))
    moved = SegmentTable(
        dataclasses.replace(table.items, midi=midi), table.evidence, boundaries, features.step_s, table.s
    )
    return decode_path(
        moved, np.full(len(midi), 60.0 / bpm), carried=True, stop=stop, cancelled=cancelled
    ).score


def _likely_shift(
    table: SegmentTable, boundaries: Candidates, features: Features, bpm: float, cancelled: Callable[[], bool]
) -> tuple[int, float, float]:
    """Semitones by which the take may be shifted, how well that fits, and how well the written pitch does: 0
    semitones unless one beats it clearly.
    """
    s, items = table.s, table.items
    scores = {
        shift: _rough_score(table, items.midi + shift, boundaries, features, bpm, cancelled)
        for shift in {0, *_alike(items, features, s)}
    }
    best = max(scores, key=lambda k: scores[k])
    # A tone is periodic at twice and three times its period too: of two that fit alike the higher is the one
    # that sounds.
    for above in (12, 19, 24):
        if (
            best + above in scores
            and scores[best] > 0.0
            and scores[best + above] > s.shift_higher * scores[best]
        ):
            best += above
            break
    return (best if scores[best] > scores[0] + s.shift_gain else 0), scores[best], scores[0]


def _alike(items: NoteArrays, features: Features, s: AlignmentSettings) -> list[int]:
    """The few shifts under which the time written on each pitch is most like the time heard on it, and those
    an octave or a twelfth beside them.
    """
    heard = _heard_midi(features)
    written = np.zeros(256)
    np.add.at(written, items.midi, items.ioi_q * items.sound_share)
    likeness = {k: float((np.roll(written, k) * heard).sum()) for k in range(-s.shift_most, s.shift_most + 1)}
    best = sorted(likeness, key=lambda k: -likeness[k])[: s.shift_tries]
    return [k for b in best for k in (b, b + 12, b + 19, b - 12) if abs(k) <= s.shift_most]
