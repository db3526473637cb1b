"""Ids of printed notes: stable, readable, unique within a score."""

from __future__ import annotations

import re
from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from jeweller.notation.pitch import Pitch

PLAIN = re.compile(r"[A-Za-z_][\w.-]{0,63}")  # what a file's own id must look like to be kept
_ALTER = {-2: "bb", -1: "b", 0: "", 1: "s", 2: "ss"}


def note_id(part: str, bar: str, offset: Fraction, what: str) -> str:
    """ "p1.b3.q1-2.Bb4": part, bar, quarters into the bar, what is there.

    >>> from fractions import Fraction
    >>> note_id("P1", "3", Fraction(3, 2), "C5")
    'P1.3.q3-2.C5'
    """
    place = f"{offset.numerator}" if offset.denominator == 1 else f"{offset.numerator}-{offset.denominator}"
    return f"{part}.{bar}.q{place}.{what}"


def pitch_token(pitch: Pitch | None) -> str:
    """A pitch in the letters of an id.

    >>> from jeweller.notation.pitch import Pitch
    >>> pitch_token(Pitch("B", -1, 4)), pitch_token(None)
    ('Bb4', 'rest')
    """
    return f"{pitch.step}{_ALTER[pitch.alter]}{pitch.octave}" if pitch is not None else "rest"


def unique(wanted: str, seen: dict[str, int]) -> str:
    """The id, with a number where it is taken; it is taken from then on. `seen`: ids that are taken, with the
    last number that was tried behind each.

    >>> seen = {}
    >>> unique("a", seen), unique("a", seen), unique("a.2", seen)
    ('a', 'a.2', 'a.2.2')
    """
    found, k = wanted, seen.get(wanted, 1)
    while found in seen:
        k += 1
        found = f"{wanted}.{k}"
    seen[wanted] = k
    seen.setdefault(found, 1)
    return found


def ids_of(finding: Mapping[str, Any]) -> list[str]:
    """The printed notes and rests that a finding of a report lies on, which its key holds.

    >>> ids_of({"kind": "wrong_note", "key": "wrong_note:P1.3.q0.C5,P1.3.q1.D5:1"})
    ['P1.3.q0.C5', 'P1.3.q1.D5']
    """
    ids = str(finding["key"]).removeprefix(f"{finding['kind']}:").rpartition(":")[0]
    return ids.split(",") if ids else []
