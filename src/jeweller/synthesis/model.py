"""The model: how the part should sound, on the right instrument, at a given speed or in the take's own
time.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.audio.clicks import click_hz, click_wave
from jeweller.notation.model import Note, Part
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.swing import swung
from jeweller.synthesis.percussion import RATE as STROKE_RATE
from jeweller.synthesis.percussion import render as render_strokes
from jeweller.synthesis.sampler import RATE, Tone, render


@dataclass(frozen=True)
class Model:
    """The model's sound and where each main note begins in it, seconds."""

    samples: npt.NDArray[np.float32]
    rate: int
    onsets: tuple[float, ...]


def play_model(
    line: PerformedPart, sound: str, when: Callable[[float], float], *, lead_s: float = 0.0
) -> Model:
    """Renders the line. `when` gives the second at which a place in the line (quarters) falls; notes without
    pitch are struck, whatever the sound. Eighths swing where the line asks for it.
    """
    line = swung(line)
    if all(n.written.unpitched for n in line.main_notes):
        return _struck(line, lambda q: when(q) + lead_s)
    tones: list[Tone] = []
    onsets = []
    for main, (note, graces) in enumerate(zip(line.main_notes, line.graces, strict=True)):
        on, end = when(float(note.onset)) + lead_s, when(float(note.end)) + lead_s
        onsets.append(on)
        short = bool({"staccato", "staccatissimo"} & set(note.written.articulations))
        length = (end - on) * (0.5 if short else 1.0 if note.slurred_to_next else 0.92)
        for k, grace in enumerate(graces):
            at = on - 0.08 * (len(graces) - k)
            tones.append(Tone(on_s=at, off_s=at + 0.08, midi=grace.sounding_midi, level_db=-2.0))
        if note.written.ornament == "trill":
            from jeweller.notation.pitch import in_key

            up = 1 if in_key(note.written_midi + 1, line.bars[note.bar_index].bar.fifths) else 2
            at, k = on, 0
            while at < on + length - 0.04:
                step = min(0.09, on + length - at)
                tones.append(
                    Tone(
                        on_s=at,
                        off_s=at + step,
                        midi=note.sounding_midi + (up if k % 2 else 0),
                        level_db=0.0,
                        slurred=k > 0,
                    )
                )
                at, k = at + step, k + 1
        else:
            tones.append(
                Tone(
                    on_s=on,
                    off_s=on + length,
                    midi=note.sounding_midi,
                    level_db=0.0,
                    slurred=(note.slurred_from_previous and main > 0) or bool(graces),
                    vibrato_cents=6.0 if length > 0.7 else 0.0,
                )
            )
    seconds = (max(t.off_s for t in tones) if tones else 0.0) + 0.4
    samples = render(sorted(tones, key=lambda t: t.on_s), sound, seconds)
    return Model(0.7 * samples / max(float(np.abs(samples).max()), 1e-6), RATE, tuple(onsets))


STROKES = {"Cymbals": "Suspended cymbal", "Snare drum": "Snare drum", "Bass drum": "Bass drum"}


def sounded(part: Part, sound: str, *, bpm: float | None = None, count_in: bool = False) -> Model:
    """A part as it should sound, at its own speed or at `bpm` quarters a minute, after a bar of clicks with
    `count_in`.

    Of an echo drill only what the program plays sounds; the bars to answer in are silent.
    """
    line = perform_part("", _calls(part), rhythm_only=part.percussion)
    spq = 60.0 / (bpm or line.written_bpm or 90.0)
    beat = float(line.beat) * spq
    beats = round(float(line.bars[0].bar.metre.length / line.beat)) if count_in else 0
    pickup = line.bars[0].bar.metre.length - line.bars[0].length if line.bars[0].bar.implicit else 0
    lead = beats * beat + (float(pickup) * spq if count_in else 0.0)
    model = play_model(line, sound, lambda q: q * spq, lead_s=lead)
    samples = model.samples.copy()
    for k in range(round(lead / beat)):
        click = 0.5 * click_wave(click_hz(k % max(beats, 1) == 0), model.rate)
        at = int(k * beat * model.rate)
        end = min(len(samples), at + len(click))
        samples[at:end] += click[: end - at]
    return Model(samples, model.rate, model.onsets)


def _calls(part: Part) -> Part:
    """Of a part with small notes: these to be played, all others silent."""
    if not any(n.cue for b in part.bars for n in b.notes):
        return part

    def turned(n: Note) -> Note:
        if n.cue:
            return dataclasses.replace(n, cue=False)
        return dataclasses.replace(
            n, pitch=None, unpitched=False, tie_start=False, tie_stop=False, accidental=None
        )

    return dataclasses.replace(
        part, bars=tuple(dataclasses.replace(b, notes=tuple(turned(n) for n in b.notes)) for b in part.bars)
    )


def _struck(line: PerformedPart, when: Callable[[float], float]) -> Model:
    onsets = tuple(when(float(n.onset)) for n in line.main_notes)
    strokes = [
        (at, STROKES.get(n.written.stroke, "Tap"), 0.0) for at, n in zip(onsets, line.main_notes, strict=True)
    ]
    return Model(render_strokes(strokes, onsets[-1] + 1.5, 1), STROKE_RATE, onsets)
