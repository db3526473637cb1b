"""`jeweller.score/1`: what was understood of a notation file, as a dictionary for `jeweller score FILE
--json`.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from jeweller.notation.model import Part, Score
from jeweller.notation.performance import playing_order


def score_summary(score: Score) -> dict[str, Any]:
    """Every part with its notes in order of performance; bars counts written bars.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> told = score_summary(read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0])
    >>> told["title"], len(told["parts"])
    ('A line', 1)
    """
    return {
        "schema": "jeweller.score/1",
        "title": score.title,
        "warnings": list(score.warnings),
        "parts": [_part(p) for p in score.parts],
    }


def _number(value: Fraction) -> float | int:
    return int(value) if value.denominator == 1 else round(float(value), 6)


def _part(part: Part) -> dict[str, Any]:
    notes: list[dict[str, Any]] = []
    passes: dict[int, int] = {}
    last_end: dict[str, Any] = {"at": None, "note": None}
    onset = Fraction(0)
    for index in playing_order(part.bars):
        bar = part.bars[index]
        passes[index] = passes.get(index, 0) + 1
        for n in bar.notes:
            if n.is_rest:
                continue
            at = onset + n.offset
            joined = last_end["note"]
            if (
                n.tie_stop
                and joined is not None
                and last_end["at"] == at
                and joined["_pitch"] == n.pitch
                and not n.cue
            ):
                joined["_quarters"] += n.duration
                joined["fermata"] = joined["fermata"] or n.fermata
            else:
                joined = {
                    "id": n.id,
                    "bar": bar.number,
                    "pass": passes[index],
                    "offset_q": _number(n.offset),
                    "_quarters": n.duration,
                    "_pitch": n.pitch,
                    "written": n.pitch.name if n.pitch else None,
                    "written_midi": n.pitch.midi if n.pitch else None,
                    "sounding_midi": n.pitch.midi + part.chromatic if n.pitch else None,
                    "grace": n.grace,
                    "cue": n.cue,
                    "unpitched": n.unpitched,
                    "ornament": n.ornament,
                    "fermata": n.fermata,
                    "slur_start": bool(n.slur_starts),
                    "slur_stop": bool(n.slur_stops),
                    "articulations": list(n.articulations),
                    "dynamics": _dynamics(part, index, n.offset),
                }
                notes.append(joined)
            last_end = {"at": at + n.duration, "note": joined if n.tie_start else None}
        onset += bar.length
    for note in notes:
        note["duration_q"] = _number(note.pop("_quarters"))
        note.pop("_pitch")
    return {
        "id": part.id,
        "name": part.name,
        "instrument": part.instrument,
        "transpose_semitones": part.chromatic,
        "bars": len(part.bars),
        "notes": notes,
    }


def _dynamics(part: Part, bar_index: int, offset: Fraction) -> str | None:
    """The dynamic mark in force at a place, None before the first."""
    for i in range(bar_index, -1, -1):
        marks = [
            m for m in part.bars[i].marks if m.kind == "dynamics" and (i < bar_index or m.offset <= offset)
        ]
        if marks:
            return max(marks, key=lambda m: m.offset).text
    return None
