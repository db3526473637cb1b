"""A finding looked at closely: the pitch line, the loudness and the attacks around it, what is written and
what was heard there. What a person can judge a doubt by.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.pipeline.check import Checked
from jeweller.report_format import ReportFinding

Array = npt.NDArray[np.float64]
AROUND_S, LONGEST_S = 1.5, 8.0  # shown before and behind it; no more than so much of a long stretch
LEAST_S = 0.05  # of the stretch it is about
CLEAR = 0.5  # periodicity from which a frame has a pitch


@dataclass(frozen=True, kw_only=True)
class NoteBar:
    """A note as a bar: seconds from where to where, sounding MIDI pitch, its name for the player."""

    from_s: float
    to_s: float
    midi: float
    name: str


@dataclass(frozen=True, kw_only=True)
class Closeup:
    """`pitch` (T,) is sounding MIDI, NaN where none is clear, at `pitch_s` (T,); `level_db` and `attack` (L,)
    are at `level_s` (L,).
    """

    from_s: float
    to_s: float
    doubt: tuple[float, float]  # the stretch that the finding is about
    pitch_s: Array
    pitch: Array
    level_s: Array
    level_db: Array
    attack: Array
    room_db: float
    written: tuple[NoteBar, ...]
    heard: tuple[NoteBar, ...]

    @property
    def pitches(self) -> tuple[float, float]:
        """The lowest and the highest pitch that is written or was heard there."""
        found = [b.midi for b in (*self.written, *self.heard)]
        found += [float(v) for v in np.nanpercentile(self.pitch, [5, 95])] if self.has_pitch else []
        return (min(found), max(found)) if found else (60.0, 72.0)

    @property
    def has_pitch(self) -> bool:
        return bool(np.isfinite(self.pitch).any())

    def above(self, bar: NoteBar) -> bool:
        """Whether most of what was heard in a bar's time lies above it."""
        here = self.pitch[(self.pitch_s >= bar.from_s) & (self.pitch_s < bar.to_s)]
        here = here[np.isfinite(here)]
        return bool(len(here)) and float(np.median(here)) > bar.midi + 0.3


def look_closer(checked: Checked, finding: ReportFinding) -> Closeup:
    """What is known of the sound around a finding of the report; of one that tells several places around the
    first.
    """
    f, table = checked.features, checked.case.table
    until_s = finding["until_s"]
    if finding["count"] > 1 and finding["notes"]:
        event = checked.case.event(checked.case.index_of.get(finding["notes"][0], 0))
        until_s = event.off_s if event is not None else finding["at_s"]
    doubt = finding["at_s"], max(until_s, finding["at_s"] + LEAST_S)
    begin = max(0.0, doubt[0] - AROUND_S)
    end = min(f.seconds, min(doubt[1], doubt[0] + LONGEST_S) + AROUND_S)
    rows = slice(round(begin / f.step_s), round(end / f.step_s))
    fine = slice(round(begin / f.hop_s), round(end / f.hop_s))
    pitch = np.where(f.best[rows] > CLEAR, f.f0[rows], np.nan).astype(np.float64)
    told = {n["id"]: n["timing"] for n in checked.report["notes"]}
    written, last = [], None
    for i, note in enumerate(table.notes):
        spq = table.seconds_per_quarter[i]
        timing = told[note.id]
        at = timing["expected_s"] if timing is not None else None
        if at is None and last is not None:  # not heard: due so long after the note before
            at = last[0] + float(note.onset - table.notes[last[1]].onset) * spq
        if at is None:
            continue
        last = at, i
        bar = NoteBar(
            from_s=at,
            to_s=at + float(note.duration) * spq,
            midi=float(note.sounding_midi),
            name=note.written.pitch.name if note.written.pitch else "",
        )
        written.append(bar)
    heard = [
        NoteBar(from_s=e.on_s, to_s=e.off_s, midi=e.midi, name="")
        for e in table.events
        if not math.isnan(e.midi)
    ]

    def near(bars: list[NoteBar]) -> tuple[NoteBar, ...]:
        return tuple(b for b in bars if b.to_s > begin and b.from_s < end)

    return Closeup(
        from_s=begin,
        to_s=end,
        doubt=doubt,
        pitch_s=(np.arange(rows.start, rows.start + len(pitch)) * f.step_s).astype(np.float64),
        pitch=pitch,
        level_s=(np.arange(fine.start, fine.start + len(f.level[fine])) * f.hop_s).astype(np.float64),
        level_db=f.level[fine].astype(np.float64),
        attack=f.flux[fine].astype(np.float64),
        room_db=f.floor_db,
        written=near(written),
        heard=near(heard),
    )
