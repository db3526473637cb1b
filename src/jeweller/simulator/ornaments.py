"""Grace notes, trills, mordents and turns, as they are played and as they slip."""

from __future__ import annotations

import numpy as np

from jeweller.notation.performance import PerformedPart
from jeweller.notation.pitch import in_key
from jeweller.simulator.plan import Manner, SoundedNote
from jeweller.synthesis.sampler import Tone


def grace_tones(
    pitches: list[float], act: SoundedNote, on: float, sound: float, manner: Manner
) -> tuple[list[Tone], float, float]:
    """(grace tones, where the main note begins, how long it sounds)."""
    bend = act.midi - round(act.midi)
    length = manner.grace_s
    pitches = [p + bend for p in pitches]
    if act.grace == "pitch":
        pitches[-1] += act.grace_amount
    elif act.grace == "long":
        length = act.grace_amount
    if act.grace == "after":  # behind the main note instead of before it
        at = on + min(act.grace_amount, 0.45 * sound)
        middle = [
            Tone(on_s=on, off_s=at, midi=act.midi, level_db=act.level_db),
            Tone(on_s=at, off_s=at + length, midi=pitches[-1], level_db=act.level_db - 2, slurred=True),
        ]
        return middle, at + length, sound - (at + length - on)
    start = on if manner.grace_on_beat or act.grace == "long" else on - length * len(pitches)
    tones = [
        Tone(
            on_s=start + k * length,
            off_s=start + (k + 1) * length,
            midi=p,
            level_db=act.level_db - 2,
            slurred=k > 0,
        )
        for k, p in enumerate(pitches)
    ]
    begin = start + length * len(pitches)
    return tones, begin, max(0.06, sound - (begin - on))


def ornament_tones(
    line: PerformedPart,
    i: int,
    on: float,
    sound: float,
    act: SoundedNote,
    manner: Manner,
    rng: np.random.Generator,
) -> list[Tone]:
    note = line.main_notes[i]
    fifths = line.bars[note.bar_index].bar.fifths
    up = 1.0 if in_key(note.written_midi + 1, fifths) else 2.0
    down = -1.0 if in_key(note.written_midi - 1, fifths) else -2.0
    kind = note.written.ornament
    if kind == "trill":
        return _trill(on, sound, up, act, manner, rng)
    figure = {
        "mordent": (0.0, down),
        "inverted_mordent": (0.0, up),
        "turn": (up, 0.0, down),
        "inverted_turn": (down, 0.0, up),
    }.get(str(kind), (0.0, up))
    if act.ornament == "wrong":  # the other way round
        figure = tuple({up: down, down: up}.get(f, f) for f in figure)
    if act.ornament == "thin" and kind in ("turn", "inverted_turn"):
        figure = figure[:1]
    step = min(0.09, 0.5 * sound / len(figure))
    tones, at = [], on
    for k, f in enumerate(figure):
        length = step * float(np.clip(rng.normal(1.0, 0.06), 0.8, 1.2))
        tones.append(
            Tone(on_s=at, off_s=at + length + 0.01, midi=act.midi + f, level_db=act.level_db, slurred=k > 0)
        )
        at += length
    tones.append(Tone(on_s=at, off_s=on + sound, midi=act.midi, level_db=act.level_db, slurred=True))
    return tones


def _trill(
    on: float, sound: float, up: float, act: SoundedNote, manner: Manner, rng: np.random.Generator
) -> list[Tone]:
    upper = (manner.upper_start or act.ornament == "upper") and act.ornament != "main"
    stop = (3 if upper else 2) if act.ornament == "thin" else 1000  # a thin trill settles on the main note
    part = 0.3 if act.ornament == "short" else 1.0
    tones, at, k = [], on, 0
    while at < on + sound - 0.05:
        length = manner.trill_s * (1.0 if k else 1.4) * float(np.clip(rng.normal(1.0, 0.06), 0.8, 1.2))
        if on + sound - at < 0.2 or k == stop or (at - on > part * sound and (k % 2 == 0) != upper):
            length = on + sound - at
        pitch = act.midi + (up if (k % 2 == 1) != upper else 0.0)
        tones.append(
            Tone(
                on_s=at,
                off_s=at + length + 0.01,
                midi=pitch,
                level_db=act.level_db - (1.0 if k % 2 else 0.0),
                slurred=k > 0,
            )
        )
        at += length
        k += 1
    return tones
