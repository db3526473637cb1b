"""Whether a recording was cut off: what its own header says it holds, against what is there. Decoders read
on to the end of the file and say nothing.
"""

from __future__ import annotations

import os
import struct
from typing import BinaryIO

TAIL = 66_000  # bytes: more than the longest page of an Ogg file
LAST_PAGE = 4  # the flag of the page that ends a stream
UNKNOWN = (0, 0xFFFFFFFF)  # sizes written by programs that do not know them yet
SOME_S = 1.0  # said to be missing where it is not known how much


def missing_seconds(file: BinaryIO) -> float:
    """How much is missing at the end of a RIFF or an Ogg file, seconds; 0 where nothing is, or nothing is
    known. The place in the file is another afterwards.

    >>> import io
    >>> told = struct.pack("<IHHIIHH", 16, 1, 1, 1000, 2000, 2, 16)
    >>> head = b"RIFF" + struct.pack("<I", 2036) + b"WAVEfmt " + told + b"data" + struct.pack("<I", 2000)
    >>> missing_seconds(io.BytesIO(head + bytes(1000)))
    0.5
    """
    file.seek(0)
    head = file.read(12)
    if head[:4] in (b"RIFF", b"RF64") and head[8:12] == b"WAVE":
        return _of_wave(file)
    if head[:4] == b"OggS":
        return _of_ogg(file)
    return 0.0


def _of_wave(file: BinaryIO) -> float:
    size = file.seek(0, os.SEEK_END)
    at, rate = 12, 0
    while at + 8 <= size:
        file.seek(at)
        head = file.read(8)
        if len(head) < 8:
            return 0.0
        name, length = head[:4], struct.unpack("<I", head[4:])[0]
        if name == b"fmt " and length >= 16:
            told = file.read(16)
            rate = struct.unpack("<I", told[8:12])[0] if len(told) == 16 else 0
        if name == b"data":
            there = size - at - 8
            return max(0, length - there) / rate if rate and length not in UNKNOWN else 0.0
        at += 8 + length + length % 2
    return 0.0


def _of_ogg(file: BinaryIO) -> float:
    """Its last page says that it is the last, and is whole."""
    size = file.seek(0, os.SEEK_END)
    file.seek(max(0, size - TAIL))
    tail = file.read(TAIL)
    at = tail.rfind(b"OggS")
    while at >= 0 and at + 27 > len(tail):
        at = tail.rfind(b"OggS", 0, at)
        if at < 0:
            break
    if at < 0:
        return SOME_S
    flags, segments = tail[at + 5], tail[at + 26]
    lengths = tail[at + 27 : at + 27 + segments]
    whole = len(lengths) == segments and at + 27 + segments + sum(lengths) <= len(tail)
    return 0.0 if flags & LAST_PAGE and whole else SOME_S
