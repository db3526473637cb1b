"""The bytes of a notation file of any format we read → its scores. The format is told by the content, never
by the name.

Runs only in the child process of `jeweller.notation.readers.sandbox`: the bytes may be damaged or hostile.
"""

from __future__ import annotations

import re
from fractions import Fraction

from jeweller.errors import ScoreError
from jeweller.i18n import N_, _
from jeweller.notation.model import Score
from jeweller.notation.readers import abc, mei, musicxml
from jeweller.notation.readers.completion import complete_score, require_possible
from jeweller.notation.readers.musicxml_file import unpack

FORMATS = N_("MusicXML (.musicxml, .xml, .mxl), MEI (.mei), ABC (.abc), Humdrum (.krn) and MIDI (.mid)")
BINARY = {
    b"%PDF": N_("a PDF, a picture of the music"),
    b"\x89PNG": N_("a picture"),
    b"\xff\xd8\xff": N_("a picture"),
    b"RIFF": N_("a sound file"),
    b"OggS": N_("a sound file"),
    b"fLaC": N_("a sound file"),
    b"ID3": N_("a sound file"),
}


def read(data: bytes, grid: Fraction | None = None) -> list[Score]:
    """Every score in the bytes: a tunebook holds several. `grid` (quarters) is that of a MIDI file, None:
    chosen by fit. Raises ScoreError.

    >>> [s.title for s in read(b"X:1\\nT:A line\\nM:4/4\\nL:1/4\\nK:C\\nC D E F|")]
    ['A line']
    """
    if not data.strip(b" \t\r\n\0"):
        raise ScoreError(_("This file is empty."))
    if data[:4] == b"MThd" or (data[:4] == b"RIFF" and data[8:12] == b"RMID"):
        from jeweller.notation.readers import midi  # its library takes as long to load as all the others

        return [require_possible(midi.read_midi(data, grid))]
    for head, what in BINARY.items():
        if data.startswith(head):
            raise ScoreError(
                _("This is {what}; Jeweller reads {formats}.").format(what=what, formats=FORMATS)
            )
    xml = unpack(data)
    text = decode(xml)
    if text.lstrip().startswith("<"):
        root = re.search(
            r"<(?:\w+:)?([A-Za-z][\w-]*)[\s>/]",
            re.sub(r"<\?.*?\?>|<!--.*?-->|<!.*?>", "", text[:20000], flags=re.S),
        )
        return [
            require_possible(
                complete_score(
                    mei.read_mei(xml) if root is not None and root[1] == "mei" else musicxml.read(xml)
                )
            )
        ]
    if re.search(r"^\*\*(kern|recip)", text, re.M):
        return [require_possible(complete_score(mei.read_humdrum(text)))]
    if re.search(r"^X:\s*\d*", text, re.M) or re.search(r"^K:\s*\S", text, re.M):
        return [require_possible(complete_score(s)) for s in abc.read_abc(text)]
    raise ScoreError(
        _("This is no notation file that can be read. Jeweller reads {formats}.").format(formats=FORMATS)
    )


def decode(data: bytes) -> str:
    """Text by its byte-order mark, else as UTF-8, else as Latin-1; line ends as they are.

    >>> decode("Prélude".encode("utf-16"))
    'Prélude'
    """
    for mark, name in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(mark):
            return data.decode(name, errors="replace")
    nuls = data[:200].count(0)
    if nuls > len(data[:200]) // 4:
        return data.decode("utf-16-le" if data[1:2] == b"\0" else "utf-16-be", errors="replace")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")
