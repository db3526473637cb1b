"""The endings of sound files: the one list that the window, a batch and what comes into the library go by.

What a file is, its content tells; an ending only decides which files of a folder are looked at.
"""

from __future__ import annotations

import os
from pathlib import PurePath

RECORDING_ENDINGS = (
    ".wav",
    ".flac",
    ".ogg",
    ".oga",
    ".opus",
    ".mp3",
    ".m4a",
    ".m4v",
    ".mp4",
    ".mov",
    ".3gp",
    ".3g2",
    ".aac",
    ".aif",
    ".aiff",
    ".amr",
    ".caf",
    ".mka",
    ".mkv",
    ".webm",
    ".wma",
)


def is_recording(path: str | os.PathLike[str]) -> bool:
    """Whether a file is taken for a recording by its name.

    >>> is_recording("Rosa.MOV"), is_recording("rosa.musicxml")
    (True, False)
    """
    return PurePath(path).suffix.casefold() in RECORDING_ENDINGS


PLAYBACK_RATE = 48_000  # Hz: what sounds are rendered at and played at
