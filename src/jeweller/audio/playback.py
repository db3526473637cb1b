"""Playing a stretch of sound through a port: slower without changing pitch, in a loop, with its position in
the source's own time.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jeweller.audio.ports import SimulatedSpeaker, Speaker

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Samples = npt.NDArray[np.float32]

# attacks come so much late at half speed (measured on what reaches the loudspeaker); cut off in front
LATE_S = 0.006
BLOCK_S = 0.07  # of the stretcher: short enough for tongued attacks, long enough for the tuba
FADE_S = 0.008  # against clicks where a stretch begins, ends or loops


def slow_down(samples: Samples, rate: int, speed: float) -> Samples:
    """The same pitch at `speed` (0.25..1) times the speed; length n / speed.

    >>> import numpy as np
    >>> slow_down(np.zeros(22050, np.float32), 22050, 0.5).shape
    (44100,)
    """
    import numpy as np

    if abs(speed - 1.0) < 1e-6:
        return samples
    from python_stretch import Signalsmith

    stretch = Signalsmith.Stretch()
    stretch.configure(1, int(BLOCK_S * rate), int(BLOCK_S * rate / 4))
    stretch.timeFactor = speed
    # Silence behind the sound flushes the stretcher; its own delay is cut off in front.
    out = np.asarray(stretch.process(np.pad(samples, (0, rate // 4))[None, :]))[0]
    late = round(LATE_S * rate * (1.0 / speed - 1.0))
    return np.ascontiguousarray(out[late : late + int(len(samples) / speed)], dtype=np.float32)


@dataclass(frozen=True, kw_only=True)
class Stretch:
    """One thing to play: samples, the place in the source it begins at, and its speed."""

    samples: Samples
    rate: int
    start_s: float
    speed: float
    label: str = "take"


def cut(
    samples: Samples, rate: int, start_s: float, end_s: float, speed: float, label: str = "take"
) -> Stretch:
    """The part from `start_s` to `end_s` of a sound, slowed down, with soft edges.

    >>> import numpy as np
    >>> len(cut(np.zeros(1000, np.float32), 100, 2.0, 4.0, 1.0, "take").samples)
    200
    """
    import numpy as np

    a, b = max(0, int(start_s * rate)), min(len(samples), int(end_s * rate))
    piece = slow_down(samples[a:b], rate, speed).copy() if b > a else np.zeros(0, np.float32)
    n = min(int(FADE_S * rate), len(piece) // 2)
    if n:
        ramp = np.linspace(0.0, 1.0, n, dtype=np.float32)
        piece[:n] *= ramp
        piece[-n:] *= ramp[::-1]
    return Stretch(samples=piece, rate=rate, start_s=max(start_s, 0.0), speed=speed, label=label)


class Transport:
    """Plays stretches one after another through a speaker. Thread safe: the port pulls from its own
    thread.
    """

    def __init__(self, speaker: Speaker) -> None:
        self.speaker = speaker
        self._lock = threading.Lock()
        self._queue: list[Stretch] = []
        self._index = self._at = 0
        self._loop = False
        self._playing = False

    @property
    def playing(self) -> bool:
        return self._playing

    def play(self, stretches: list[Stretch], loop: bool = False) -> None:
        """Plays what is given, in order; again and again with `loop`. All must have one rate."""
        self.stop()
        stretches = [s for s in stretches if len(s.samples)]
        if not stretches:
            return
        with self._lock:
            self._queue, self._index, self._at, self._loop, self._playing = stretches, 0, 0, loop, True
        try:
            self.speaker.start(stretches[0].rate, self._pull)
        except OSError:  # the device is gone: the position still runs, and the window says that it is silent
            self.speaker = SimulatedSpeaker()
            self.speaker.start(stretches[0].rate, self._pull)

    def stop(self) -> None:
        self._playing = False
        self.speaker.stop()

    def position(self) -> tuple[str, float] | None:
        """(what is playing, seconds in its source), None where nothing plays."""
        with self._lock:
            if not self._playing or self._index >= len(self._queue):
                return None
            s = self._queue[self._index]
            return s.label, s.start_s + self._at / s.rate * s.speed

    def _pull(self, wanted: int) -> Samples:
        import numpy as np

        out = np.zeros(wanted, np.float32)
        filled = 0
        with self._lock:
            while filled < wanted and self._playing:
                if self._index >= len(self._queue):
                    if not self._loop:
                        self._playing = False
                        break
                    self._index = self._at = 0
                s = self._queue[self._index]
                n = min(wanted - filled, len(s.samples) - self._at)
                out[filled : filled + n] = s.samples[self._at : self._at + n]
                filled += n
                self._at += n
                if self._at >= len(s.samples):
                    self._index, self._at = self._index + 1, 0
        return out if filled == wanted else out[:filled]
