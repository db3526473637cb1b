#!/usr/bin/env python3
"""Cuts the wind sounds that ship with Jeweller from a General MIDI sound font: one Ogg (Opus) file an
instrument, notes every three semitones, and an index.

Needs the programs fluidsynth and a sound font (Debian: fluidsynth, fluid-soundfont-gm, MIT licence). Run
once:
    tools/render_samples.py /usr/share/sounds/sf2/FluidR3_GM.sf2 src/jeweller/assets/sounds
    tools/render_samples.py --tuning src/jeweller/assets/sounds         # measures anew only how far each
        sample is from its note
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import av
import mido
import numpy as np

from jeweller.audio.decode import decode

RATE = 48000
SECONDS = 3.2
# name -> (General MIDI program, lowest, highest sounding note)
SOUNDS = {
    "flute": (73, 60, 96),
    "oboe": (68, 58, 88),
    "clarinet": (71, 50, 89),
    "bassoon": (70, 34, 70),
    "recorder": (74, 72, 96),
    "alto-saxophone": (65, 49, 81),
    "tenor-saxophone": (66, 44, 76),
    "trumpet": (56, 52, 82),
    "horn": (60, 41, 77),
    "trombone": (57, 40, 70),
    "euphonium": (58, 40, 70),
    "tuba": (58, 28, 58),
}


def render(font: str, program: int, note: int, folder: Path) -> np.ndarray:
    midi = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    midi.tracks.append(track)
    track.append(mido.Message("program_change", program=program, time=0))
    track.append(mido.Message("note_on", note=note, velocity=92, time=0))
    track.append(mido.Message("note_off", note=note, velocity=0, time=int(960 * (SECONDS + 0.4))))
    midi.save(folder / "n.mid")
    subprocess.run(
        [
            "fluidsynth",
            "-ni",
            "-q",
            "-R",
            "0",
            "-C",
            "0",
            "-g",
            "0.8",
            "-r",
            str(RATE),
            "-F",
            str(folder / "n.wav"),
            font,
            str(folder / "n.mid"),
        ],
        check=True,
        capture_output=True,
    )
    with av.open(str(folder / "n.wav")) as container:
        blocks = [f.to_ndarray().astype(np.float32).reshape(1, -1) for f in container.decode(audio=0)]
    x = np.concatenate(blocks, axis=1)[0].reshape(-1, 2).mean(axis=1) / 32768.0
    start = int(np.argmax(np.abs(x) > 0.01 * np.abs(x).max()))
    return x[max(0, start - 44) : max(0, start - 44) + int(SECONDS * RATE)]


def encode(path: Path, samples: np.ndarray) -> None:
    with av.open(str(path), "w", format="ogg") as container:
        stream = container.add_stream("libopus", rate=48000, layout="mono")
        stream.bit_rate = 64000
        for start in range(0, len(samples), 960):
            frame = av.AudioFrame.from_ndarray(
                samples[None, start : start + 960].astype(np.float32), format="fltp", layout="mono"
            )
            frame.sample_rate = RATE
            frame.pts = start
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def cents_off(x: np.ndarray, midi: int) -> float:
    """Cents by which a sample is sharp of its note: the peak of the autocorrelation near the note's period,
    then near its multiples, each more exact.
    """
    x = x[int(0.4 * RATE) : int(1.6 * RATE)].astype(np.float64)
    power = np.abs(np.fft.rfft(x, 1 << 18)) ** 2
    alike = np.fft.irfft(power)[: len(x)] / np.arange(len(x), 0, -1)
    written = RATE / (440.0 * 2 ** ((midi - 69) / 12))
    period = written
    for times in (1, 2, 4, 8, 16):
        if times > 1 and period * times > 0.05 * RATE:
            break
        reach = max(2, int(written * (0.04 if times == 1 else 0.25)))
        first = int(period * times) - reach
        top = first + int(alike[first : first + 2 * reach].argmax())
        before, at, after = alike[top - 1 : top + 2]
        period = (top + 0.5 * (before - after) / (before - 2 * at + after)) / times
    return float(1200 * np.log2(written / period))


def tune(target: Path) -> None:
    """Writes into the index how far each sample is from its note."""
    index = json.loads((target / "index.json").read_text(encoding="utf-8"))
    for name, entry in index.items():
        samples = decode(target / f"{name}.ogg", RATE).samples
        for n in entry["notes"]:
            n["cents"] = round(cents_off(samples[n["start"] : n["start"] + n["length"]], n["midi"]), 1)
    (target / "index.json").write_text(json.dumps(index, indent=1) + "\n", encoding="utf-8")


def main(font: str, target: str) -> None:
    out = Path(target)
    out.mkdir(parents=True, exist_ok=True)
    index: dict[str, object] = {}
    with tempfile.TemporaryDirectory() as temporary:
        for name, (program, low, high) in SOUNDS.items():
            pieces, notes, at = [], [], 0
            for note in range(low, high + 1, 3):
                x = render(font, program, note, Path(temporary))
                x = 0.5 * x / np.abs(x).max()
                notes.append({"midi": note, "start": at, "length": len(x)})
                pieces.append(x)
                at += len(x)
            encode(out / f"{name}.ogg", np.concatenate(pieces))
            index[name] = {"rate": RATE, "notes": notes}
            print(name, len(notes))
    (out / "index.json").write_text(json.dumps(index, indent=1) + "\n", encoding="utf-8")
    tune(out)


if __name__ == "__main__":
    if sys.argv[1] == "--tuning":
        tune(Path(sys.argv[2]))
    else:
        main(*sys.argv[1:])
