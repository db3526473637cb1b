"""The microphone port, and its simulated stand-in.

A port pushes mono float32 blocks with the time (in seconds, on a clock that never goes back) at which the
block's last frame was there; from that the recorder knows what is missing. `SimulatedMicrophone` plays
samples into the same port, in real time or as fast as it is asked to, late, with drop-outs, or until it
vanishes.
"""

from __future__ import annotations

import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Generator, Sequence
from typing import TYPE_CHECKING, Any

from jeweller.audio.ports import DISCARDS
from jeweller.i18n import N_, _

if TYPE_CHECKING:
    import miniaudio
    import numpy as np
    import numpy.typing as npt

    Samples = npt.NDArray[np.float32]
    Push = Callable[[Samples, float], None]  # a block, and when its last frame was there (seconds)
BLOCK_S = 0.02
RATE = 44100


class Microphone(ABC):
    """Where sound comes from. `name`, `rate` and `channel` (1 is the first; 0 all of `channels` as one) say
    what is used; `simulated` that nobody is heard.
    """

    name = ""
    rate = RATE
    channels = 1
    channel = 0
    simulated = False

    @abstractmethod
    def start(self, push: Push, ended: Callable[[str], None]) -> None:
        """Begins to push blocks until `stop`. `ended` is called once with a sentence where the sound ends by
        itself, by a device that is pulled out ("" where a simulated one has no more to play). Both are
        called in another thread. Raises OSError.
        """

    @abstractmethod
    def stop(self) -> None:
        """Stops; returns when no further block is pushed."""

    def now(self) -> float:
        """Seconds now, on the clock of the blocks."""
        return time.monotonic()


def one_channel(block: Samples, channel: int) -> Samples:
    """Frames of several channels, (n, channels) → (n,): channel 1 is the first, 0 their mean.

    >>> import numpy as np
    >>> stereo = np.array([[0.5, 0.0], [0.25, 0.75]], np.float32)
    >>> one_channel(stereo, 2).tolist(), one_channel(stereo, 0).tolist()
    ([0.0, 0.75], [0.25, 0.5])
    """
    mixed: Samples = block.mean(axis=1) if not channel else block[:, channel - 1].copy()
    return mixed


class SimulatedMicrophone(Microphone):
    """Plays `samples` (mono, or one column a channel, at `rate` a second) into the port.

    `latency_s`: silence before them, as of a slow device; `drops`: (second, seconds) of what a device loses,
    while its clock goes on; `vanishes_s`: when it is pulled out; `says_rate`: a rate that it claims and has
    not; `endless`: after them it is silent, until something is played to it (`play`) or a loudspeaker sounds
    that it hears (`hear`), on every channel. With `real_time` it takes as long as the sound lasts, divided by
    `speed`; else it is driven by `run`, on a clock of its own.
    """

    name = N_("simulated microphone")
    simulated = True

    def __init__(
        self,
        samples: Samples | None = None,
        rate: int = RATE,
        *,
        real_time: bool = True,
        speed: float = 1.0,
        latency_s: float = 0.0,
        drops: Sequence[tuple[float, float]] = (),
        vanishes_s: float | None = None,
        says_rate: int | None = None,
        endless: bool = False,
    ) -> None:
        import numpy as np

        self.true_rate, self.real_time, self.speed = rate, real_time, speed
        self.rate = says_rate or rate
        self.drops, self.vanishes_s, self.endless = tuple(drops), vanishes_s, endless
        self.latency_s = latency_s
        self.hurry_s = 0.0  # until then it goes as fast as it is listened to
        self.channels = samples.shape[1] if samples is not None and samples.ndim == 2 else 1
        self._sound: Samples = np.zeros((0, self.channels), np.float32)
        if samples is not None:
            self._mix(samples, round(latency_s * rate))
        self._at = 0
        self._began = time.monotonic()
        self._mixing = threading.Lock()
        self._push: Push | None = None
        self._ended: Callable[[str], None] | None = None
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._heard_from = 0.0

    def now(self) -> float:
        return (time.monotonic() - self._began) * self.speed if self.real_time else self._at / self.true_rate

    def start(self, push: Push, ended: Callable[[str], None]) -> None:
        self.stop()
        self._push, self._ended, self._at = push, ended, 0
        self._began = time.monotonic()
        self._stop.clear()
        if self.real_time:
            self._thread = threading.Thread(target=self._play, daemon=True)
            self._thread.start()

    def _play(self) -> None:
        block_s = round(BLOCK_S * self.true_rate) / self.true_rate
        while not self._stop.is_set():
            over = self._at / self.true_rate + block_s  # a block is there when its last frame has sounded
            if self._at / self.true_rate < self.hurry_s:
                self._began = time.monotonic() - over / self.speed
            else:
                self._stop.wait(max(0.0, over - self.now()) / self.speed)
            if self._stop.is_set() or not self._block():
                return

    def _block(self) -> bool:
        import numpy as np

        if self._push is None or self._ended is None:
            return False
        first, count = self._at, round(BLOCK_S * self.true_rate)
        if self.vanishes_s is not None and first >= self.vanishes_s * self.true_rate:
            ended, self._push = self._ended, None
            ended(_("The microphone is gone."))
            return False
        if first >= len(self._sound) and not self.endless:
            ended, self._push = self._ended, None
            ended("")
            return False
        self._at += count
        if not any(at <= first / self.true_rate < at + lost for at, lost in self.drops):
            with self._mixing:
                block = self._sound[first : first + count].copy()
            if self.endless:
                block = np.pad(block, ((0, count - len(block)), (0, 0)))
            self._push(one_channel(block, self.channel), self._at / self.true_rate)
        return True

    def _mix(self, samples: Samples, first: int) -> None:
        import numpy as np

        if len(self._sound) < first + len(samples):
            self._sound = np.pad(self._sound, ((0, first + len(samples) - len(self._sound)), (0, 0)))
        self._sound[first : first + len(samples)] += np.asarray(samples, np.float32).reshape(len(samples), -1)

    def play(self, samples: Samples, at_s: float) -> None:
        """Somebody plays `samples` (at the microphone's own rate) from a second of its clock on."""
        with self._mixing:
            first = max(round(at_s * self.true_rate), self._at)
            self._mix(samples, first)

    def hear(self, block: Samples, rate: int, first: int) -> None:
        """What a loudspeaker plays, block by block: heard `latency_s` later. `first`: its frame number."""
        import numpy as np

        if not len(block):
            return
        if first == 0:
            self._heard_from = self.now() + self.latency_s
        at = self._heard_from + first / rate
        begin = int(np.ceil(at * self.true_rate))
        times = (
            begin / self.true_rate - at + np.arange(int(len(block) / rate * self.true_rate)) / self.true_rate
        )
        heard = np.interp(times, np.arange(len(block)) / rate, block, right=0.0)
        with self._mixing:
            self._mix(heard.astype(np.float32), max(begin, 0))

    def run(self, seconds: float) -> None:
        """Plays so many seconds at once (not in real time)."""
        until = self._at + seconds * self.true_rate
        while self._at < until and self._block():
            pass

    def stop(self) -> None:
        self._stop.set()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join(1.0)
        self._thread = None
        self._push = None


STROKE_S, STROKE_HZ = 0.03, 700.0


class KeyMicrophone(SimulatedMicrophone):
    """No microphone at all: each key that is struck is a short stroke in the recording."""

    name = N_("keys")

    def __init__(self) -> None:
        super().__init__(endless=True)

    def strike(self) -> None:
        """A key was struck, now."""
        import numpy as np

        t = np.arange(round(STROKE_S * self.true_rate)) / self.true_rate
        stroke = 0.5 * np.sin(2 * np.pi * STROKE_HZ * t) * np.exp(-6.0 * t / STROKE_S)
        self.play(stroke.astype(np.float32), self.now() + BLOCK_S)


class DeviceMicrophone(Microphone):
    """An input of the computer: the usual one, or the one named `wanted`. Raises OSError where there is
    none.
    """

    def __init__(self, wanted: str = "", rate: int = RATE) -> None:
        self.rate = rate
        usable = _captures()
        chosen = [d for d in usable if d["name"] == wanted] or usable
        if not chosen:
            raise OSError(_("no microphone"))
        self.name = str(chosen[0]["name"])
        self._id = chosen[0]["id"]
        self.channels = _channels_of(chosen[0])
        self._device: miniaudio.CaptureDevice | None = None

    def start(self, push: Push, ended: Callable[[str], None]) -> None:
        import miniaudio
        import numpy as np

        self.stop()
        channel = self.channel
        opened = self.channels if channel else 1  # as one: the device's own mixture

        def blocks() -> Generator[None, bytes, None]:
            while True:
                data = yield
                block = np.frombuffer(data, np.float32).reshape(-1, opened)
                push(one_channel(block, channel), time.monotonic())

        try:
            self._device = miniaudio.CaptureDevice(
                input_format=miniaudio.SampleFormat.FLOAT32,
                nchannels=opened,
                sample_rate=self.rate,
                buffersize_msec=round(1000 * BLOCK_S),
                device_id=self._id,
            )
            self._device.stop_callback = lambda: ended(_("The microphone is gone."))
            generator = blocks()
            next(generator)
            self._device.start(generator)
        except miniaudio.MiniaudioError as error:
            self._device = None
            raise OSError(str(error)) from error

    def stop(self) -> None:
        if self._device is not None:
            self._device.stop_callback = None
            self._device.close()
            self._device = None


def _captures() -> list[dict[str, Any]]:
    """The recording devices as miniaudio has them; not the one that is there where there is none."""
    import miniaudio

    try:
        found = miniaudio.Devices().get_captures()
    except miniaudio.MiniaudioError:
        return []
    return [d for d in found if not str(d["name"]).startswith(DISCARDS)]


MOST_CHANNELS = 8  # that can be chosen from


def _channels_of(device: dict[str, Any]) -> int:
    """How many a device has; two where it takes whatever it is asked for."""
    told = [int(f["channels"]) for f in device["formats"]]
    return min(max(told, default=0) or 2, MOST_CHANNELS)


def inputs() -> dict[str, int]:
    """The recording devices that can be chosen, and how many channels each has; {} where there are none.

    >>> all(isinstance(name, str) and channels > 0 for name, channels in inputs().items())
    True
    """
    return {str(d["name"]): _channels_of(d) for d in _captures()}
