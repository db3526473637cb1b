#!/usr/bin/env python3
"""Makes a bank for the simulated player of single notes that real players recorded.

    tools/recorded_bank.py TARGET NAME=FOLDER [NAME=FOLDER ...]

FOLDER holds one sound file a note, called after its pitch (`A4.mp3`, `As3.wav`: A♯3). The banks are for the
bench alone and are not part of the program. Free ones are, on the npm registry, the packages
`tonejs-instrument-*-mp3` (flute, clarinet, bassoon, saxophone, trumpet, french-horn, trombone, tuba; MIT):
unpack each with `npm pack`.
"""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path

import numpy as np
from render_samples import RATE, SECONDS, cents_off, encode

from jeweller.audio.decode import decode
from jeweller.notation.pitch import Pitch

BEFORE_S = 0.005  # kept before the sound
STARTS = 0.15  # of its peak: from here a file sounds; long notes are begun more slowly than short ones
SILENT_DB = 30.0  # odd partials so far below the even ones are not there
LEAST_S = 2.8  # shorter files are left out: the sampler loops from 1.2 to 2.7 s


def note_of(path: Path) -> int | None:
    """The MIDI note a file is called after."""
    found = re.fullmatch(r"([A-G])([sb#]?)(\d)", path.stem)
    if found is None:
        return None
    alter = {"": 0, "s": 1, "#": 1, "b": -1}[found[2]]
    return Pitch(found[1], alter, int(found[3])).midi


def sounds_octave_up(x: np.ndarray, midi: int) -> bool:
    """Whether nothing sounds at the odd partials: some files are called after the octave below."""
    body = x[int(0.4 * RATE) :].astype(np.float64)
    size = 1 << 18
    power = np.abs(np.fft.rfft(body * np.hanning(len(body)), size))

    def peak(partial: int) -> float:
        at = 440.0 * 2 ** ((midi - 69) / 12) * partial * size / RATE
        return float(20 * np.log10(power[round(0.985 * at) : round(1.015 * at) + 1].max() + 1e-12))

    return bool(np.mean([peak(k) for k in (1, 3, 5)]) < np.mean([peak(k) for k in (2, 4, 6)]) - SILENT_DB)


def main(target: str, folders: dict[str, str]) -> None:
    out = Path(target)
    out.mkdir(parents=True, exist_ok=True)
    index: dict[str, object] = {}
    for name, folder in folders.items():
        pieces, notes, at = [], [], 0
        files = {m: p for p in sorted(Path(folder).iterdir()) if (m := note_of(p)) is not None}
        for written, path in sorted(files.items()):
            midi = written
            x = decode(path, RATE).samples
            begin = max(0, int(np.argmax(np.abs(x) > STARTS * np.abs(x).max())) - int(BEFORE_S * RATE))
            x = x[begin : begin + int(SECONDS * RATE)]
            if len(x) < LEAST_S * RATE:
                continue
            x = 0.5 * x / np.abs(x).max()
            midi += 12 * int(sounds_octave_up(x, midi))
            notes.append({"midi": midi, "start": at, "length": len(x), "cents": round(cents_off(x, midi), 1)})
            pieces.append(x)
            at += len(x)
        encode(out / f"{name}.ogg", np.concatenate(pieces))
        index[name] = {"rate": RATE, "notes": notes}
        print(name, [(n["midi"], n["cents"]) for n in notes])
    (out / "index.json").write_text(json.dumps(index, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1], dict(entry.split("=", 1) for entry in sys.argv[2:]))
