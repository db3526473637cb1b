"""The loudspeaker port, and its simulated stand-in.

A port pulls mono float32 blocks from a callback. `SimulatedSpeaker` keeps what reached it, in real time or as
fast as it is asked to; it is what tests listen to, and what a machine without a sound device plays to.
"""

from __future__ import annotations

import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Generator, Sequence
from typing import TYPE_CHECKING

from jeweller.i18n import N_, _

if TYPE_CHECKING:
    import miniaudio
    import numpy as np
    import numpy.typing as npt

    Samples = npt.NDArray[np.float32]
    Pull = Callable[[int], Samples]  # asked for n frames; fewer than n means the end
BLOCK = 512
DISCARDS = "Discard all samples"  # how ALSA calls the device that is there where there is none


class Speaker(ABC):
    """Where sound goes. `name` is what the window shows; `silent` says that nobody hears it."""

    name = ""
    silent = False

    def look(self) -> bool:
        """Whether somebody hears it. To find out may take a moment."""
        return not self.silent

    @abstractmethod
    def start(self, rate: int, pull: Pull) -> None:
        """Begins to pull blocks at `rate` frames a second, until `pull` returns fewer than asked for or
        `stop` is called.
        """

    @abstractmethod
    def stop(self) -> None:
        """Stops; returns when no further block is pulled."""


class SimulatedSpeaker(Speaker):
    """Keeps what it was given in `heard`. With `real_time` it takes as long as the sound lasts, divided by
    `speed`; else it is driven by `run`. `listener` is told each block, its rate and its first frame: a
    simulated microphone in the same room.
    """

    name = N_("no sound device")
    silent = True

    def __init__(self, real_time: bool = True, speed: float = 1.0) -> None:
        self.real_time, self.speed = real_time, speed
        self.listener: Callable[[Samples, int, int], None] | None = None
        self._given = 0
        self.heard: list[Samples] = []
        self.rate = 0
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._pull: Pull | None = None

    def start(self, rate: int, pull: Pull) -> None:
        self.stop()
        self.rate, self._pull = rate, pull
        self.heard, self._given = [], 0
        self._stop.clear()
        if self.real_time:
            self._thread = threading.Thread(target=self._play, daemon=True)
            self._thread.start()

    def _play(self) -> None:
        begin = time.monotonic()
        while not self._stop.is_set():
            if not self._block():
                return
            self._stop.wait(max(0.0, begin + self._given / self.rate / self.speed - time.monotonic()))

    def _block(self) -> bool:
        if self._pull is None:
            return False
        block = self._pull(BLOCK)
        if self.listener is not None:
            self.listener(block, self.rate, self._given)
        self._given += len(block)
        if len(self.heard) < 60 * 60 * 100:
            self.heard.append(block)
        return len(block) == BLOCK

    def run(self, seconds: float) -> None:
        """Pulls so many seconds of sound at once (not in real time)."""
        import numpy as np

        for _unused in range(int(np.ceil(seconds * self.rate / BLOCK))):
            if self._pull is None or not self._block():
                return

    def stop(self) -> None:
        self._stop.set()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join(1.0)
        self._thread = None
        self._pull = None

    @property
    def sound(self) -> Samples:
        """All that reached the loudspeaker since the last start."""
        import numpy as np

        return np.concatenate(self.heard) if self.heard else np.zeros(0, np.float32)


class DeviceSpeaker(Speaker):
    """The computer's default output, or that of other `backends` of miniaudio. Raises OSError where there is
    none.
    """

    name = "loudspeaker"

    def __init__(self, backends: Sequence[miniaudio.Backend] = ()) -> None:
        import miniaudio

        self._backends = list(backends) or None
        try:
            devices = miniaudio.Devices(self._backends).get_playbacks()
        except miniaudio.MiniaudioError as error:
            raise OSError(str(error)) from error
        usable = [d for d in devices if self._backends or not str(d["name"]).startswith(DISCARDS)]
        if not usable:
            raise OSError(_("no output device"))
        self.name = str(usable[0]["name"])  # the usual one stands first: the delay is kept by it
        self._device: miniaudio.PlaybackDevice | None = None

    def start(self, rate: int, pull: Pull) -> None:
        import miniaudio
        import numpy as np

        self.stop()

        def blocks() -> Generator[npt.NDArray[np.float32], int, None]:
            wanted = yield np.zeros(0, np.float32)
            while True:
                block = pull(wanted)
                wanted = yield block if len(block) == wanted else np.pad(block, (0, wanted - len(block)))

        try:
            self._device = miniaudio.PlaybackDevice(
                output_format=miniaudio.SampleFormat.FLOAT32,
                nchannels=1,
                sample_rate=rate,
                buffersize_msec=60,
                backends=self._backends,
            )
            generator = blocks()
            next(generator)
            self._device.start(generator)
        except miniaudio.MiniaudioError as error:  # it was there at the start and is gone
            self._device = None
            raise OSError(str(error)) from error

    def stop(self) -> None:
        if self._device is not None:
            self._device.close()
            self._device = None


def open_speaker() -> Speaker:
    """The computer's loudspeaker, or the simulated one where there is none.

    >>> isinstance(open_speaker(), (DeviceSpeaker, SimulatedSpeaker))
    True
    """
    try:
        return DeviceSpeaker()
    except (OSError, ImportError):
        return SimulatedSpeaker()


class FoundSpeaker(Speaker):
    """What `open_speaker` finds, when it is first needed: the window is there before that."""

    def __init__(self) -> None:
        self._found: Speaker | None = None
        self._lock = threading.Lock()

    def _speaker(self) -> Speaker:
        with self._lock:
            if self._found is None:
                self._found = open_speaker()
                self.name, self.silent = self._found.name, self._found.silent
            return self._found

    def look(self) -> bool:
        return self._speaker().look()

    def start(self, rate: int, pull: Pull) -> None:
        self._speaker().start(rate, pull)

    def stop(self) -> None:
        if self._found is not None:
            self._found.stop()
