"""Somebody to play into the simulated microphone: the part as written, with slips where they are planned. It
plays when it is counted in, as a player does.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from jeweller.notation.performance import PerformedPart
from jeweller.synthesis.sampler import RATE, Tone, render

Samples = npt.NDArray[np.float32]


def play_line(
    line: PerformedPart,
    spq: float,
    sound: str,
    rate: int,
    *,
    wrong: Sequence[int] = (),
    stop_after: int | None = None,
    gain: float = 0.5,
) -> Samples:
    """A line as a player plays it, from its first beat on, at `rate`. `spq`: seconds a quarter; main notes of
    the indexes `wrong` come a tone too high; `stop_after`: the last note that is played.
    """
    tones = []
    notes = line.main_notes if stop_after is None else line.main_notes[: stop_after + 1]
    for k, note in enumerate(notes):
        on = float(note.onset) * spq
        length = float(note.duration) * spq * (1.0 if note.slurred_to_next else 0.9)
        tones.append(
            Tone(
                on_s=on,
                off_s=on + length,
                midi=note.sounding_midi + (2 if k in wrong else 0),
                level_db=0.0,
                slurred=note.slurred_from_previous and k > 0,
            )
        )
    seconds = tones[-1].off_s + 0.4
    samples = render(tones, sound, seconds)
    samples = gain * samples / max(1e-6, float(np.abs(samples).max()))
    at = np.arange(round(seconds * rate)) / rate
    return np.interp(at, np.arange(len(samples)) / RATE, samples).astype(np.float32)
