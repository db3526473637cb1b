#!/usr/bin/env python3
"""Makes the ten sounding takes of the tests, each with its score and what is wrong in it, in tests/takes. They
are takes of the tuning set that nothing was tuned on, kept at a low bit rate. Run again only where the
simulated player changes; what the tests ask of them then has to be looked at anew.
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.simulator.recordings import make_take
from jeweller.simulator.truth import write_take

FOLDER = Path(__file__).parent.parent / "tests" / "takes"
STANDARD, ROUGH = range(900, 906), range(900, 904)
RATE, BIT_RATE = 48000, 24000


def main() -> None:
    shutil.rmtree(FOLDER, ignore_errors=True)
    with tempfile.TemporaryDirectory() as folder:
        for number, rough in [(n, False) for n in STANDARD] + [(n, True) for n in ROUGH]:
            made = write_take(make_take("tune", number, rough=rough), Path(folder))
            kept = FOLDER / f"{number}-{'rough' if rough else 'standard'}"
            kept.mkdir(parents=True)
            for name in ("score.musicxml", "truth.json"):
                shutil.copy(made / name, kept / name)
            write_sound(kept / "take.ogg", decode(next(made.glob("take.*")), RATE).samples, RATE, BIT_RATE)


if __name__ == "__main__":
    main()
