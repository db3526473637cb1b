"""Sounds that stand in a page or a file: compressed as every browser plays them."""

from __future__ import annotations

import base64
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jeweller.audio.encode import write_sound
from jeweller.documents.parts import instrument_of
from jeweller.notation.model import Part
from jeweller.scratch import scratch_folder
from jeweller.synthesis.model import sounded


def compressed(samples: npt.NDArray[np.float32], rate: int) -> bytes:
    """Sound as a browser plays it (AAC); b"" where there is none.

    >>> compressed(np.zeros(0, np.float32), 22050)
    b''
    """
    if not len(samples):
        return b""
    with scratch_folder() as folder:
        path = Path(folder) / "clip.m4a"
        write_sound(path, np.ascontiguousarray(samples, dtype=np.float32), rate)
        return path.read_bytes()


def part_clip(part: Part, bpm: float) -> bytes:
    """A part as it should sound, after a bar of clicks, at `bpm` quarters a minute."""
    model = sounded(part, instrument_of(part).sound or "flute", bpm=bpm, count_in=True)
    return compressed(model.samples, model.rate)


def sound_address(data: bytes, kind: str = "audio/mp4") -> str:
    """Sound as an address that stands in the page itself.

    >>> sound_address(b"ab"), sound_address(b"")
    ('data:audio/mp4;base64,YWI=', '')
    """
    return f"data:{kind};base64,{base64.b64encode(data).decode()}" if data else ""
