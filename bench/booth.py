"""What recording and tuning reach: the tuner's error over its range, its cost, recordings killed.

python -m bench.booth [KILLS]

Exits with 1 where a figure falls short.
"""

from __future__ import annotations

import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from jeweller.audio.recorder import recover
from jeweller.warmup.tuner import Samples, Tuner

RATE = 44100
TONES = {  # sizes of the partials
    "pure": (1.0,),
    "flute": (1.0, 0.3, 0.1, 0.03),
    "clarinet": (1.0, 0.05, 0.6, 0.05, 0.4, 0.05, 0.2, 0.05, 0.1),
    "brass": (0.5, 0.8, 1.0, 0.9, 0.7, 0.5, 0.4, 0.3, 0.2, 0.15, 0.1, 0.05),
    "weak fundamental": (0.05, 1.0, 0.8, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1),
}
ASKED = {None: 1.0, 20.0: 2.0}  # noise so many dB below → cents
A_SECOND, SHARE, LOST_S = 15.0, 0.08, 1.0
RECORDING = """
import sys
from pathlib import Path
import numpy as np
from jeweller.audio.microphone import SimulatedMicrophone
from jeweller.audio.recorder import TakeRecorder
take = TakeRecorder(Path(sys.argv[1]), 44100)
def push(block, at):
    take.push(block, at)
    print(f"{at:.3f}", flush=True)
SimulatedMicrophone(np.full(44100 * 60, 0.25, np.float32)).start(push, print)
sys.stdin.read()
"""


def tone(
    hz: float, partials: tuple[float, ...], seconds: float = 0.8, noise_db: float | None = None
) -> Samples:
    """A steady tone, with noise so many dB below it; the same for the same pitch."""
    rng = np.random.default_rng(round(100 * hz))
    t = np.arange(round(seconds * RATE)) / RATE
    sound = np.zeros(len(t))
    for h, size in enumerate(partials, 1):
        if h * hz < 0.45 * RATE:
            sound += size * np.sin(2 * np.pi * h * hz * t + rng.uniform(0, 2 * np.pi))
    sound *= 0.2 / np.sqrt(np.mean(sound**2))
    if noise_db is not None:
        sound += rng.normal(0, 0.2 * 10 ** (-noise_db / 20), len(t))
    return sound.astype(np.float32)


def tuner_errors(noise_db: float | None, rng: np.random.Generator) -> tuple[float, float]:
    """The worst error and the median one (cents); a tone that is not heard is an octave off."""
    errors = []
    for hz in np.geomspace(30.0, 2500.0, 160):
        for partials in TONES.values():
            exact = hz * 2 ** (rng.uniform(-0.5, 0.5) / 12)
            for reading in Tuner(RATE).push(tone(exact, partials, noise_db=noise_db)):
                errors.append(1200.0 if reading.hz is None else abs(1200 * np.log2(reading.hz / exact)))
    return float(np.max(errors)), float(np.median(errors))


def tuner_cost(seconds: float = 20.0) -> tuple[float, float]:
    """Readings a second, and the share of one core that they take."""
    sound = np.tile(tone(220.0, TONES["brass"], noise_db=30.0), round(seconds / 0.8))
    tuner, begin, count = Tuner(RATE), time.process_time(), 0
    for k in range(0, len(sound), 882):
        count += len(tuner.push(sound[k : k + 882]))
    return count / seconds, (time.process_time() - begin) / seconds


def killed(times: int) -> tuple[float, int]:
    """Recordings killed at random moments: the most that was lost (s), and how many were lost wholly."""
    draw, worst, gone = random.Random(19), 0.0, 0
    for _unused in range(times):
        with tempfile.TemporaryDirectory() as folder:
            child = subprocess.Popen(
                [sys.executable, "-c", RECORDING, str(Path(folder) / "take.wav")],
                stdout=subprocess.PIPE,
                stdin=subprocess.PIPE,
            )
            assert child.stdout is not None
            child.stdout.readline()
            time.sleep(draw.uniform(0.3, 2.5))
            child.kill()
            played = float(child.communicate()[0].split()[-1])
            found = recover(Path(folder))
            gone += not found
            worst = max(worst, played - (found[0].seconds if found else 0.0))
    return worst, gone


def main() -> None:
    rng, short = np.random.default_rng(19), False
    for noise_db, most in ASKED.items():
        worst, middle = tuner_errors(noise_db, rng)
        short |= worst > most
        where = "steady tones" if noise_db is None else f"{noise_db:g} dB of noise"
        print(f"tuner, 30 to 2500 Hz, {where}: worst {worst:.3f} cents (asked {most:g}), median {middle:.4f}")
    a_second, share = tuner_cost()
    short |= a_second < A_SECOND or share > SHARE
    print(f"tuner: {a_second:.1f} readings a second (asked {A_SECOND:g})")
    print(f"tuner: {100 * share:.1f} % of a core (asked {100 * SHARE:g})")
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    worst, gone = killed(kills)
    short |= worst > LOST_S or gone > 0
    print(f"recording, {kills} kills: {worst:.2f} s lost at most (asked {LOST_S:g}), {gone} lost wholly")
    raise SystemExit(int(short))


if __name__ == "__main__":
    main()
