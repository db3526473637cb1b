#!/usr/bin/env python3
"""How well words are told from music: the shares that `jeweller.features.speech` goes by, over two folders of
recordings.

    .venv/bin/python bench/speech.py WORDS_FOLDER MUSIC_FOLDER

Recordings are looked for below the folders; any that can be opened will do.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

from jeweller.audio.decode import decode
from jeweller.audio.formats import is_recording
from jeweller.features.settings import DEFAULT, SPEECH
from jeweller.features.speech import measure_held_and_voiced


def main() -> None:
    for name, folder, words in (("words", sys.argv[1], True), ("music", sys.argv[2], False)):
        paths = sorted(p for p in Path(folder).rglob("*") if is_recording(p))
        found = np.array([measure_held_and_voiced(decode(p, DEFAULT.rate).samples) for p in paths])
        told = (found[:, 0] < SPEECH.tones) & (found[:, 1] > SPEECH.voiced)
        held, voiced = (np.percentile(found[:, k], (0, 5, 50, 95, 100)).round(2) for k in (0, 1))
        print(
            f"{name}: {len(paths)}; told right {int((told == words).sum())}; held {held}, voiced "
            f"{voiced} (least, 5 %, half, 95 %, most)"
        )


if __name__ == "__main__":
    main()
