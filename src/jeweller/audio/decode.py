"""Any recording a phone or a computer makes → mono float32 samples at the rate asked for (PyAV: wav, flac,
ogg, opus, mp3, m4a, webm, mp4, mov).
"""

from __future__ import annotations

import hashlib
import os
import stat
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from jeweller.audio.cut_off import missing_seconds
from jeweller.errors import Cancelled, TakeError
from jeweller.files import open_regular, shown_name, shown_text
from jeweller.i18n import _

if TYPE_CHECKING:
    from av.audio.stream import AudioStream
    from av.container import InputContainer

Samples = npt.NDArray[np.float32]
MAX_SECONDS = 20 * 60.0  # longer files are cut here, with a warning
RATES = (4000, 400_000)  # Hz between which a file's rate means what it says
MIN_SECONDS = 0.5  # nothing shorter can hold a take
AT_ONCE = 16384  # frames resampled at once: the packets of a file are far shorter
PROBE_BYTES = 1 << 16
CUT_S = 0.2  # missing at the end of a file, from which on it is told


@dataclass(frozen=True, kw_only=True)
class Recording:
    """Decoded mono sound. `rate` is that of `samples`; `source_rate` that of the file."""

    samples: Samples  # shape (n,), float32
    rate: int
    source_rate: int
    channels: int
    sha256: str = ""  # of the file: a check fills it in
    warnings: tuple[str, ...] = ()

    @property
    def duration(self) -> float:
        return len(self.samples) / self.rate


def _read_frames(
    container: InputContainer,
    stream: AudioStream,
    rate: int,
    cancelled: Callable[[], bool],
    warnings: list[str],
) -> list[Samples]:
    """Pieces of sound, mono at `rate` Hz, as far as they can be read; adds why there are no more of them."""
    import av

    pieces: list[Samples] = []
    layout = "mono" if int(stream.channels or 1) == 1 else "stereo"
    resampler, waiting = av.AudioResampler(format="fltp", layout=layout, rate=rate), av.AudioFifo()

    def resample(frame: av.AudioFrame | None) -> int:
        found = [_mono(part.to_ndarray()) for part in resampler.resample(frame)]
        pieces.extend(found)
        return sum(len(piece) for piece in found)

    total = 0
    try:
        for frame in container.decode(stream):
            if cancelled():
                raise Cancelled
            frame.pts = None  # a gap in a file's own times is no gap in the sound
            waiting.write(frame)
            while (block := waiting.read(AT_ONCE)) is not None:
                total += resample(block)
            if total > MAX_SECONDS * rate:
                warnings.append(_("only the first twenty minutes of the recording are used"))
                break
    except (av.error.FFmpegError, OSError, ValueError, EOFError):
        warnings.append(_("the recording is damaged or cut off; what could be read is used"))
    try:
        if (block := waiting.read(0, partial=True)) is not None:
            resample(block)
        resample(None)
    except (av.error.FFmpegError, ValueError):
        pass
    return pieces


def _read_rest(
    container: InputContainer,
    stream: AudioStream,
    rate: int,
    known: Samples,
    cancelled: Callable[[], bool],
    warnings: list[str],
) -> list[Samples]:
    """What `_read_frames` gives, of which the beginning is `known`: the last second of that is read again, to
    see that the file is the same still; nothing where it is not, or where its places cannot be told.
    """
    source = int(stream.rate or 0)
    begin = len(known) * source // rate - source
    whole = float(container.duration or 0) / 1_000_000
    if begin < source or not stream.codec.name.startswith("pcm_") or whole > MAX_SECONDS:
        return []
    container.seek(begin, stream=stream)
    first = next(container.decode(stream), None)
    if (
        first is None
        or first.pts is None
        or first.pts * rate % source
        or stream.time_base != Fraction(1, source)
    ):
        return []
    at = first.pts * rate // source
    joint = at + rate // 8  # what is before it in the file sounds in the first of these samples
    container.seek(begin, stream=stream)
    rest = np.concatenate(
        [np.zeros(0, np.float32), *_read_frames(container, stream, rate, cancelled, warnings)]
    )
    both, again = known[joint:], rest[joint - at : len(known) - at]
    same = len(both) > rate // 2 and np.array_equal(both, again) and bool(np.any(both != both[0]))
    return [known[:joint], rest[joint - at :]] if same else []


def decode(
    path: str | os.PathLike[str],
    rate: int,
    cancelled: Callable[[], bool] = lambda: False,
    known: Samples | None = None,
) -> Recording:
    """Decodes the first sound track to mono at `rate` Hz. A file cut off in the middle gives what it holds,
    with a warning. Of a recording that grows what was decoded before (`known`) is not decoded again.

    Raises TakeError with a sentence where nothing can be used, Cancelled when `cancelled()` turns true.

    >>> import tempfile
    >>> import numpy as np
    >>> from jeweller.audio.encode import write_sound
    >>> folder = tempfile.TemporaryDirectory()
    >>> write_sound(Path(folder.name) / "take.wav", np.zeros(44100, np.float32), 44100)
    >>> decode(Path(folder.name) / "take.wav", 22050).samples.shape
    (22050,)
    >>> folder.cleanup()
    """
    import av

    path = Path(path)
    _require_file(path)
    av.logging.set_level(av.logging.PANIC)
    warnings: list[str] = []
    try:
        # the file itself is handed over, not its name: a name with a colon is no address to be fetched
        with open_regular(path) as file:
            missing = missing_seconds(file)
            file.seek(0)
            # what was read before needs no long look at what it is
            look = {"probesize": str(PROBE_BYTES)} if known is not None else {}
            with av.open(file, mode="r", metadata_errors="ignore", options=look) as container:
                if not container.streams.audio:
                    raise TakeError(_("{name} holds no sound track.").format(name=shown_name(path)))
                stream = container.streams.audio[0]
                source_rate, channels = int(stream.rate or 0), int(stream.channels or 1)
                if not RATES[0] <= source_rate <= RATES[1]:
                    raise TakeError(_not_readable(path))
                pieces = []
                if known is not None:
                    pieces = _read_rest(container, stream, rate, known, cancelled, warnings)
                    if not pieces:
                        warnings.clear()
                        container.seek(0, stream=stream)
                if not pieces:
                    pieces = _read_frames(container, stream, rate, cancelled, warnings)
                expected = float(container.duration or 0) / 1_000_000
    except (av.error.FFmpegError, OSError, ValueError, AttributeError) as error:
        raise TakeError(_not_readable(path)) from error
    if not pieces:
        raise TakeError(_not_readable(path))
    samples = _joined(pieces, known)
    seconds = len(samples) / rate
    expected = max(expected, seconds + missing if missing > CUT_S else 0.0)
    if not warnings and expected < 24 * 3600 and (missing > CUT_S or expected > seconds + 1.0):
        warnings.append(
            _("the recording is cut off: {seconds:.0f} of {expected:.0f} seconds could be read").format(
                seconds=seconds, expected=expected
            )
        )
    if seconds < MIN_SECONDS:
        raise TakeError(
            _("{name} lasts only {seconds:.1f} seconds; that is too short to hold a take.").format(
                name=shown_name(path), seconds=seconds
            )
        )
    return Recording(
        samples=samples,
        rate=rate,
        source_rate=source_rate,
        channels=channels,
        warnings=tuple(warnings),
    )


def _joined(pieces: list[Samples], known: Samples | None) -> Samples:
    """All pieces as one, each let go of as it is taken over; what is no number is silence (of what is `known`
    that was seen to).
    """
    samples = np.empty(sum(len(p) for p in pieces), np.float32)
    at = 0
    for k, piece in enumerate(pieces):
        seen_to = known is not None and np.shares_memory(piece, known)
        samples[at : at + len(piece)] = (
            piece if seen_to else np.nan_to_num(piece, nan=0.0, posinf=1.0, neginf=-1.0)
        )
        at, pieces[k] = at + len(piece), piece[:0]
    return samples


def _require_file(path: Path) -> None:
    """Raises TakeError where there is no file with something in it."""
    try:
        told = path.stat()
    except OSError as error:
        raise TakeError(_("There is no file {path}.").format(path=shown_text(str(path)))) from error
    if stat.S_ISDIR(told.st_mode):
        raise TakeError(_("{name} is a folder; choose a recording.").format(name=shown_name(path)))
    if not stat.S_ISREG(told.st_mode):
        raise TakeError(_not_readable(path))
    if told.st_size == 0:
        raise TakeError(_("{name} is empty.").format(name=shown_name(path)))


def _not_readable(path: Path) -> str:
    return _(
        "{name} is not a sound file that can be read, or it was cut off before its index was "
        "written. Try to send or export it again."
    ).format(name=shown_name(path))


def _mono(block: npt.NDArray[np.float32]) -> Samples:
    """(channels, n) → (n,): the mean, or the louder channel where the two would cancel."""
    if block.shape[0] == 1:
        return block[0].astype(np.float32, copy=False)
    mixed = block.mean(axis=0)
    power = (block.astype(np.float64) ** 2).mean(axis=1)
    if (mixed.astype(np.float64) ** 2).mean() < 0.1 * power.max():
        return block[int(power.argmax())].astype(np.float32)
    return mixed.astype(np.float32)


def file_hash(path: str | os.PathLike[str]) -> str:
    """SHA-256 of a file's bytes.

    >>> import os
    >>> file_hash(os.devnull)[:12]
    'e3b0c44298fc'
    """
    with open(path, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()
