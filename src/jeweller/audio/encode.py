"""Mono samples → a sound file, by the file's ending (PyAV)."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float32]


def write_sound(path: Path, samples: Array, rate: int, bit_rate: int | None = None) -> None:
    """Encodes mono samples by the file's ending: wav (16 bit), flac, ogg (Opus), mp3, m4a (AAC), webm
    (Opus); at `bit_rate` bits a second where it is given.

    >>> import tempfile
    >>> import numpy as np
    >>> from jeweller.audio.decode import decode
    >>> folder = tempfile.TemporaryDirectory()
    >>> write_sound(Path(folder.name) / "a.flac", np.zeros(22050, np.float32), 22050)
    >>> decode(Path(folder.name) / "a.flac", 22050).samples.shape
    (22050,)
    >>> folder.cleanup()
    """
    import av

    codec, usual = {
        ".wav": ("pcm_s16le", 0),
        ".flac": ("flac", 0),
        ".ogg": ("libopus", 48000),
        ".opus": ("libopus", 48000),
        ".webm": ("libopus", 48000),
        ".mp3": ("libmp3lame", 96000),
        ".m4a": ("aac", 96000),
        ".mp4": ("aac", 96000),
        ".mov": ("aac", 96000),
    }[path.suffix.lower()]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, layout="mono")
        if bit_rate or usual:
            stream.bit_rate = bit_rate or usual
        wanted = stream.format.name
        size = 960 if codec == "libopus" else 1152 if codec == "libmp3lame" else 1024
        resampler = av.AudioResampler(format=wanted, layout="mono", rate=rate)
        for start in range(0, len(samples), size):
            frame = av.AudioFrame.from_ndarray(
                samples[None, start : start + size], format="fltp", layout="mono"
            )
            frame.sample_rate, frame.pts, frame.time_base = rate, start, Fraction(1, rate)
            for part in resampler.resample(frame):
                container.mux(stream.encode(part))
        container.mux(stream.encode(None))
