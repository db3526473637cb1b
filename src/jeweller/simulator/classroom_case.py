"""A case of the classroom while it is being made: a line, how it is played, what is to be said of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.instruments.table import Instrument
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.simulator.classroom_lines import scale_of, score_of, tune
from jeweller.simulator.perform import plain_acts
from jeweller.simulator.plan import Manner, Performance, SoundedNote

F = Fraction
Samples = npt.NDArray[np.float32]


@dataclass(kw_only=True)
class Case:
    """One case while it is being made. `sequence`: the notes in the order they are played, each with whether
    it is outside what is written; None: as written.
    """

    instrument: Instrument
    score: Score
    line: PerformedPart
    acts: list[SoundedNote]
    manner: Manner
    rng: np.random.Generator
    name: str = "clean"
    sequence: list[tuple[int, bool]] | None = None
    expected: list[dict[str, Any]] = field(default_factory=list)
    before_s: float = 0.0  # silence that is put before and after the music, for what sounds beside it
    after_s: float = 0.0
    beside: Callable[[Samples, int, Performance], None] | None = None
    heard: tuple[str, str] | None = None  # the bars that were played, where they are not all

    def expect(self, kinds: Iterable[str], notes: Iterable[int], cause: str | None = None) -> None:
        bars = list(dict.fromkeys(self.line.main_notes[i].bar for i in notes))
        self.expected.append({"kinds": list(kinds), "bars": bars, "cause": cause})

    @property
    def local(self) -> float:
        """Seconds a quarter."""
        return 60.0 / self.manner.bpm


def make_manner(rng: np.random.Generator, bpm: float, *, unsteady: bool | None = None) -> Manner:
    rough = bool(rng.random() < 0.4) if unsteady is None else unsteady
    return Manner(
        bpm=bpm,
        drift=float(rng.uniform(0.02, 0.035) if rough else rng.uniform(0.008, 0.02)),
        jitter_s=float(rng.uniform(0.012, 0.02) if rough else rng.uniform(0.005, 0.012)),
        tongued_share=float(rng.uniform(0.8, 0.93)),
        tuning_cents=float(rng.uniform(-8, 8)),
        spread_cents=float(rng.uniform(4, 11)),
        vibrato_cents=float(rng.choice([0.0, 0.0, 8.0])),
        lead_s=float(rng.uniform(0.8, 2.0)),
        dynamics=False,
    )


def make_case(
    instrument: Instrument, score: Score, rng: np.random.Generator, manner: Manner | None = None
) -> Case:
    line = perform_part(score.title, score.parts[0])
    manner = manner or make_manner(rng, (line.written_bpm or 84.0) * float(rng.uniform(0.65, 1.1)))
    return Case(
        instrument=instrument,
        score=score,
        line=line,
        acts=plain_acts(line, manner, rng, flat=True),
        manner=manner,
        rng=rng,
    )


def make_tune(
    instrument: Instrument,
    rng: np.random.Generator,
    *,
    bars: int = 0,
    beats: int = 4,
    cells: str = "plain",
    fifths: int | None = None,
    size: int = 0,
    manner: Manner | None = None,
) -> Case:
    key = int(rng.choice([-3, -2, -1, 0, 1])) if fifths is None else fifths
    scale = scale_of(instrument, key, rng)
    row = tune(
        rng,
        size or min(len(scale), int(rng.integers(6, 10))),
        bars or int(rng.integers(8, 17)),
        beats,
        cells=cells,
    )
    score = score_of(
        instrument, row, scale, fifths=key, beats=beats, bpm=float(rng.uniform(70, 104)), title="A tune"
    )
    return make_case(instrument, score, rng, manner)
