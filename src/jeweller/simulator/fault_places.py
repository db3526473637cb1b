"""Where a fault can be planted: notes that are free, places that suit."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jeweller.instruments.table import Instrument
from jeweller.notation.performance import PerformedNote, PerformedPart

Rng = np.random.Generator


class FaultPlaces:
    """What every planner of faults knows of a line."""

    def __init__(
        self,
        line: PerformedPart,
        instrument: Instrument,
        rng: Rng,
        bpm: float,
        click: bool = False,
        upper_start: bool = False,
    ) -> None:
        self.click, self.upper_start, self.tuned = click, upper_start, False
        self.line, self.instrument, self.rng, self.bpm = line, instrument, rng, bpm
        self.notes = line.main_notes
        self.used: set[int] = set()
        self.beat = float(line.beat)

    def free(self, i: int, reach: int = 2) -> bool:
        return not any(k in self.used for k in range(i - reach, i + reach + 1))

    def pick(self, wanted: Callable[[int, PerformedNote], bool], reach: int = 2) -> int | None:
        found = [
            i
            for i, n in enumerate(self.notes)
            if 1 <= i < len(self.notes) - 2 and self.free(i, reach) and wanted(i, n)
        ]
        return int(self.rng.choice(found)) if found else None

    def gap(self, i: int) -> float:
        """Quarters of rest behind note i."""
        return float(self.notes[i + 1].onset - self.notes[i].end) if i + 1 < len(self.notes) else 0.0

    def ioi(self, i: int) -> float:
        return float(self.notes[i + 1].onset - self.notes[i].onset)

    def one_of(self, *amounts: float) -> float:
        return float(self.rng.choice(amounts))

    def seconds(self, quarters: float) -> float:
        return 60.0 * quarters / self.bpm
