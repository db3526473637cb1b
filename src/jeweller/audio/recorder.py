"""A take recorded straight to disk, so that nothing of what was played a second ago can be lost.

What comes from the microphone is appended to a WAV file whose header says from the first byte on that it is
as long as it gets, so it can be read however it was cut off; every half second it is on the disk itself. A
file that was not finished is made whole by `recover`.
"""

from __future__ import annotations

import fcntl
import math
import os
import queue
import struct
import threading
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING

from jeweller.files import sync_folder
from jeweller.i18n import _

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Samples = npt.NDArray[np.float32]
PART = ".part.wav"  # ends the name of a take that is not finished
HEADER = 44  # bytes
WIDTH = 2  # bytes a sample
ENDLESS = 0xFFFFFFFF
SYNC_S = 0.5  # of sound, at most, that only the system has and the disk has not
LATE_S = 0.06  # a clock ahead of what came by more than its usual is a drop-out: blocks come every 0.02 s
SETTLED = 8  # blocks: so long a lag must stand; one late block alone is caught up with
CLIPPED = 0.999  # of full scale
SNAPSHOT = ".snapshot.wav"  # ends the name of a copy of what was recorded so far
PACE_BLOCKS, PACE_WINDOWS = 50, 4  # of blocks: a second; so many ends of them are needed
PACE_WRONG = 0.015  # of the rate: clocks of devices differ by a hundredth of it at most
LEAST_S = 0.2  # a shorter piece of sound is no take


@dataclass(frozen=True)
class Dropout:
    """Sound that the device lost: where in the recording (seconds, silence stands there), and how much."""

    at_s: float
    seconds: float


@dataclass(frozen=True)
class Recorded:
    """A finished recording. `clipped`: share of its samples at full scale, 0..1; `trouble`: in a sentence
    what ended it, "" where it was stopped.
    """

    path: Path
    rate: int
    seconds: float
    dropouts: tuple[Dropout, ...] = ()
    clipped: float = 0.0
    trouble: str = ""


def _header(rate: int, data_bytes: int) -> bytes:
    whole = ENDLESS if data_bytes == ENDLESS else data_bytes + HEADER - 8
    return struct.pack(
        "<4sI4s4sIHHIIHH4sI",
        b"RIFF",
        whole,
        b"WAVE",
        b"fmt ",
        16,
        1,
        1,
        rate,
        rate * WIDTH,
        WIDTH,
        8 * WIDTH,
        b"data",
        data_bytes,
    )


@dataclass
class _Pace:
    """Whether the device delivers as many frames a second as it says: its lag changes in every window of
    blocks alike; what is lost now and then is in some of them.
    """

    rate: int
    lags: list[tuple[float, float]] = field(default_factory=list)  # (second, lag) at the ends of windows
    blocks: int = 0
    frames: int = 0

    def add(self, count: int, at_s: float) -> None:
        self.blocks, self.frames = self.blocks + 1, self.frames + count
        if self.blocks % PACE_BLOCKS == 0:
            self.lags.append((at_s, at_s - self.frames / self.rate))

    @property
    def rate_found(self) -> float | None:
        """The rate it really has, frames a second, where that is another; None while it is not known."""
        if len(self.lags) < PACE_WINDOWS:
            return None
        pairs = zip(self.lags, self.lags[1:], strict=False)
        drifts = sorted((b[1] - a[1]) / (b[0] - a[0]) for a, b in pairs)
        always = drifts[0] > PACE_WRONG or drifts[-1] < -PACE_WRONG
        return self.rate * (1.0 - median(drifts)) if always else None


@dataclass
class _Gaps:
    """Finds what the device lost: its clock is ahead of its frames, and stays so."""

    rate: int
    lag: float | None = None  # seconds: the least that the clock was ahead, lately
    frames: int = 0
    recent: list[tuple[float, float]] = field(default_factory=list)  # (lag, second in the recording)
    found: list[Dropout] = field(default_factory=list)

    def add(self, count: int, at_s: float) -> None:
        self.frames += count
        lag = at_s - self.frames / self.rate
        if self.lag is None:
            self.lag = lag
            return
        self.recent.append((lag, (self.frames - count) / self.rate))
        if len(self.recent) < SETTLED:
            return
        least = min(x for x, _at in self.recent)
        if least - self.lag > LATE_S:
            at = next(at for x, at in self.recent if x - self.lag > LATE_S)
            self.found.append(Dropout(at, least - self.lag))
            self.lag = least
            self.recent.clear()
            return
        self.lag = least  # two clocks drift apart, slowly
        self.recent.pop(0)


def seconds_at(part: Path, size: int) -> float:
    """How long a recording is, or was, when its file holds `size` bytes; 0 where there is no such file.

    >>> import tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     part = Path(folder) / "take.part.wav"
    ...     written = part.write_bytes(_header(44100, ENDLESS))
    ...     seconds_at(part, HEADER + WIDTH * 44100)
    1.0
    """
    try:
        with part.open("rb") as file:
            head = file.read(HEADER)
    except OSError:
        return 0.0
    rate = struct.unpack_from("<I", head, 24)[0] if len(head) == HEADER else 0
    return max(0, size - HEADER) / (WIDTH * rate) if rate else 0.0


class TakeRecorder:
    """Writes one take. `push` may be called from the thread of the device: it only hands over; the disk is
    waited for in a thread of the recorder's own.

    `trouble` is a sentence as soon as something went wrong (the disk is full); what was written until then
    stays.
    """

    def __init__(self, path: Path, rate: int) -> None:
        self.path, self.rate = path, rate
        self.part = path.with_name(path.name.removesuffix(".wav") + PART)
        self.trouble = ""
        self.seconds = 0.0
        self.peak = 0.0  # of the newest block, 0..1
        self.began_s = math.inf  # of the device's clock: when the first frame was there
        self._gaps = _Gaps(rate)
        self._pace = _Pace(rate)
        self._clipped = self._count = self._unsynced = 0  # samples, samples, bytes
        self._blocks: queue.SimpleQueue[bytes | None] = queue.SimpleQueue()
        self._file = os.open(self.part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
        fcntl.flock(self._file, fcntl.LOCK_EX)  # whoever recovers leaves it alone while it is recorded
        os.write(self._file, _header(rate, ENDLESS))
        os.fsync(self._file)
        self._writer = threading.Thread(target=self._write, daemon=True)
        self._writer.start()

    def push(self, block: Samples, at_s: float) -> None:
        """A block of sound (mono, -1..1) whose last frame was there at `at_s` (s, the device's clock)."""
        import numpy as np

        if self.trouble or not len(block):
            return
        size = np.abs(block)
        self.peak = float(size.max())
        self._clipped += int(np.count_nonzero(size >= CLIPPED))
        self._count += len(block)
        self.seconds = self._count / self.rate
        if not self._gaps.found:  # a block may come late, none comes early: the least says it
            self.began_s = min(self.began_s, at_s - self.seconds)
        self._gaps.add(len(block), at_s)
        self._pace.add(len(block), at_s)
        found = self._pace.rate_found
        if found is not None:
            self.trouble = _(
                "The microphone delivers {found:.0f} samples a second and says {rate}: what it records is "
                "out of tune and out of time. Choose another input."
            ).format(found=found, rate=self.rate)
            return
        self._blocks.put((np.clip(block, -1.0, 1.0) * 32767.0).astype("<i2").tobytes())

    def _write(self) -> None:
        try:
            while (data := self._blocks.get()) is not None:
                self._unsynced += len(data)
                while data:
                    data = data[os.write(self._file, data) :]
                if self._unsynced >= SYNC_S * self.rate * WIDTH:
                    os.fdatasync(self._file)
                    self._unsynced = 0
        except OSError as error:
            self.trouble = _("The recording could not be written any further: {error}.").format(
                error=error.strerror
            )

    @property
    def size(self) -> int:
        """Bytes that the file has once all is written that was pushed so far: a disk may be slow."""
        return HEADER + WIDTH * self._count

    @property
    def dropouts(self) -> tuple[Dropout, ...]:
        """What the device lost so far."""
        lost, out = 0.0, []
        for gap in self._gaps.found:
            out.append(Dropout(gap.at_s + lost, gap.seconds))
            lost += gap.seconds
        return tuple(out)

    def finish(self, trouble: str = "") -> Recorded:
        """Ends the take and gives the file its name. `trouble`: what ended it."""
        self.close()
        told = self.trouble or trouble
        dropouts = self.dropouts
        if dropouts:
            _fill(self.part, self.part, dropouts)
        whole = _make_whole(self.part, self.path)
        return Recorded(self.path, self.rate, whole, dropouts, self._clipped / max(1, self._count), told)

    def discard(self) -> None:
        """Ends the take and leaves nothing of it."""
        self.close()
        self.part.unlink(missing_ok=True)

    def close(self) -> None:
        """Ends the take and leaves it as it is, unfinished."""
        self._blocks.put(None)
        self._writer.join()
        os.close(self._file)


def _make_whole(part: Path, path: Path, *, safe: bool = True) -> float:
    """Writes how long a file is into its header and gives it its name; its length in seconds. `safe`: it is
    on the disk when this returns.
    """
    with part.open("r+b") as file:
        head = file.read(HEADER)
        rate = struct.unpack_from("<I", head, 24)[0] if len(head) == HEADER else 0
        count = (file.seek(0, os.SEEK_END) - HEADER) // WIDTH
        if rate:
            file.truncate(HEADER + count * WIDTH)
            file.seek(0)
            file.write(_header(rate, count * WIDTH))
            if safe:
                os.fsync(file.fileno())
    part.replace(path)
    if safe:
        sync_folder(path.parent)
    return count / rate if rate else 0.0


def _fill(source: Path, target: Path, lost: Sequence[Dropout], size: int | None = None) -> None:
    """Writes a recording with silence where the device lost sound, so that its time is that of the room."""
    data = source.read_bytes()[:size]
    rate = struct.unpack_from("<I", data, 24)[0]
    sound, pieces, before = data[HEADER:], [data[:HEADER]], 0
    gone = 0.0
    for gap in lost:
        at = min(len(sound), round((gap.at_s - gone) * rate) * WIDTH)
        pieces += [sound[before:at], bytes(round(gap.seconds * rate) * WIDTH)]
        before, gone = at, gone + gap.seconds
    filled = target.with_name(target.name + ".fill")
    with open(os.open(filled, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, 0o600), "wb") as file:
        file.write(b"".join([*pieces, sound[before:]]))
    filled.replace(target)


def snapshot(part: Path, path: Path, lost: Sequence[Dropout] = (), size: int | None = None) -> float:
    """A whole file of what a take that is still recorded holds so far, with silence where the device lost
    sound; of `size` bytes of it where that is given. Its length in seconds. Raises OSError.

    >>> import tempfile, numpy as np
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     take = TakeRecorder(Path(folder) / "take.wav", 22050)
    ...     take.push(np.zeros(22050, np.float32), 1.0)
    ...     take.finish().path.replace(take.part) and snapshot(take.part, Path(folder) / f"1{SNAPSHOT}")
    1.0
    """
    _fill(part, path, lost, size)
    return _make_whole(path, path, safe=False)


def settle(path: Path) -> None:
    """A file and its name are on the disk when this returns. Raises OSError.

    >>> settle(Path(__file__))
    """
    file = os.open(path, os.O_RDONLY)
    try:
        os.fsync(file)
    finally:
        os.close(file)
    sync_folder(path.parent)


def recover(folder: Path) -> list[Recorded]:
    """Makes whole what a program that ended suddenly left in a folder; what holds nearly nothing goes.

    >>> import tempfile
    >>> recover(Path(tempfile.gettempdir()) / "no such folder")
    []
    """
    found = []
    for left in (*folder.glob(f"*{SNAPSHOT}"), *folder.glob("*.fill")):
        left.unlink()
    for part in sorted(folder.glob(f"*{PART}")):
        with part.open("rb") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:  # another window records it
                continue
            head = file.read(HEADER)
        rate = struct.unpack_from("<I", head, 24)[0] if len(head) == HEADER else 0
        if not rate or (part.stat().st_size - HEADER) / WIDTH / rate < LEAST_S:
            part.unlink()
            continue
        path = part.with_name(part.name.removesuffix(PART) + ".wav")
        seconds = _make_whole(part, path)
        found.append(
            Recorded(path, rate, seconds, trouble=_("The program ended while this take was recorded."))
        )
    return found
