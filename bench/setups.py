#!/usr/bin/env python3
"""How much loudness and tone of a take differ where nothing changed: one simulated player, one set-up, the
same line twice, and then two lines.

    .venv/bin/python bench/setups.py [LINES]

The 90th percentile of each difference is what `library.progress.SOUNDS` must lie above, so that nine of ten
takes without a change say nothing.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import numpy as np

from jeweller.audio.encode import write_sound
from jeweller.library.progress import SOUNDS
from jeweller.notation.performance import perform_part
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import check
from jeweller.simulator.compose import compose
from jeweller.simulator.perform import Manner, perform
from jeweller.simulator.recordings import played_instruments
from jeweller.synthesis import additive as synth


def main() -> None:
    lines = int(sys.argv[1]) if len(sys.argv) > 1 else 24
    again: dict[str, list[float]] = {name: [] for name, *_ in SOUNDS}
    other: dict[str, list[float]] = {name: [] for name, *_ in SOUNDS}
    with tempfile.TemporaryDirectory() as folder:
        for k in range(lines):
            instrument = played_instruments()[k % len(played_instruments())]
            voice, sounds = synth.voice(instrument.sound, k), []
            for seed in (700_000 + 2 * k, 700_001 + 2 * k):
                score = compose(seed, instrument)
                line = perform_part(score.title, score.parts[0])
                path = Path(folder) / "score.musicxml"
                path.write_bytes(write_musicxml(score))
                for take in range(2):
                    played = perform(line, Manner(bpm=line.written_bpm or 90.0), (), seed + 10_000 * take)
                    write_sound(
                        Path(folder) / "take.wav",
                        synth.render(list(played.tones), voice, played.seconds, seed + take),
                        synth.RATE,
                    )
                    sounds.append(check(path, Path(folder) / "take.wav").report["sound"])
            for name in again:
                for a, b, kept in ((0, 1, again), (2, 3, again), (0, 2, other), (1, 3, other)):
                    if sounds[a][name] is not None and sounds[b][name] is not None:
                        kept[name].append(abs(sounds[a][name] - sounds[b][name]))
    print(
        f"{'':12} {'same line: told from':>22} {'50 %':>6} {'90 %':>6} {'another: told from':>22} "
        f"{'50 %':>6} {'90 %':>6}"
    )
    for name, here, elsewhere, *_ in SOUNDS:
        figures = [np.percentile(kept[name], share) for kept in (again, other) for share in (50, 90)]
        print(
            f"{name:12} {here:22.2f} {figures[0]:6.2f} {figures[1]:6.2f} {elsewhere:22.2f} "
            f"{figures[2]:6.2f} {figures[3]:6.2f}"
        )


if __name__ == "__main__":
    main()
