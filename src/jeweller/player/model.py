"""The model: how the part should sound, on the right instrument, at a given speed or in the take's own time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.player.sampler import RATE, Tone, render
from jeweller.score.line import Line


@dataclass(frozen=True)
class Model:
    """The model's sound and where each main note begins in it, seconds."""

    samples: npt.NDArray[np.float32]
    rate: int
    onsets: tuple[float, ...]


def play_model(line: Line, sound: str, when: Callable[[float], float], *, lead_s: float = 0.0) -> Model:
    """Renders the line. `when` gives the second at which a place in the line (quarters) falls."""
    tones: list[Tone] = []
    onsets = []
    for main, (note, graces) in enumerate(zip(line.main_notes, line.graces, strict=True)):
        on, end = when(float(note.onset)) + lead_s, when(float(note.end)) + lead_s
        onsets.append(on)
        short = bool({"staccato", "staccatissimo"} & set(note.written.articulations))
        length = (end - on) * (0.5 if short else 1.0 if note.slurred_to_next else 0.92)
        for k, grace in enumerate(graces):
            at = on - 0.08 * (len(graces) - k)
            tones.append(Tone(at, at + 0.08, grace.sounding_midi, -2.0))
        if note.written.ornament == "trill":
            from jeweller.score.pitch import in_key

            up = 1 if in_key(note.written_midi + 1, line.bars[note.bar_index].bar.fifths) else 2
            at, k = on, 0
            while at < on + length - 0.04:
                step = min(0.09, on + length - at)
                tones.append(Tone(at, at + step, note.sounding_midi + (up if k % 2 else 0), 0.0, slurred=k > 0))
                at, k = at + step, k + 1
        else:
            tones.append(
                Tone(
                    on, on + length, note.sounding_midi, 0.0, (note.slurred_from_previous and main > 0) or bool(graces), 6.0 if length > 0.7 else 0.0
                )
            )
    seconds = (max(t.off_s for t in tones) if tones else 0.0) + 0.4
    samples = render(sorted(tones, key=lambda t: t.on_s), sound, seconds)
    return Model(0.7 * samples / max(float(np.abs(samples).max()), 1e-6), RATE, tuple(onsets))
