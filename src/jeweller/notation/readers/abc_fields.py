"""The fields of ABC that say what holds: metre, unit of length, speed, key. Each None where it is not
understood.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from fractions import Fraction

from jeweller.i18n import _
from jeweller.notation.model import Mark
from jeweller.notation.values import beat_unit

ALTER = {"^": 1, "^^": 2, "=": 0, "_": -1, "__": -2}
# How many fifths a mode lies from the major of the same tonic.
MODES = {
    "": 0,
    "maj": 0,
    "ion": 0,
    "mix": -1,
    "dor": -2,
    "m": -3,
    "min": -3,
    "aeo": -3,
    "phr": -4,
    "loc": -5,
    "lyd": 1,
}
KEY = re.compile(
    r"(HP|Hp|none|(?-i:[A-G][#b]?))?\s*((?:maj|min|m(?![a-z])|ion|mix|dor|aeo|phr|loc|lyd)[a-z]*)?", re.I
)


# What may stand behind a key: altered letters, a clef, a transposition and the like.
UNUSUAL = re.compile(
    r"(\^\^|\^|__|_|=)[A-Ga-g](?![a-z])|\bexp\b|\w+=\S+|\b(treble|bass|alto|tenor|perc|none)([+-]8)?\b", re.I
)


@dataclass(frozen=True, kw_only=True)
class AbcKey:
    """What a K: field says. `fifths` None: the key stays; `altered` letters besides the signature; `rest`
    what is left (clef, transposition).
    """

    fifths: int | None
    mode: str = "major"
    altered: dict[str, int] = field(default_factory=dict)
    rest: str = ""
    told: str = ""


def read_metre(value: str) -> tuple[int, int, bool] | None:
    """(beats, beat type, whether bars may hold anything).

    >>> read_metre("6/8"), read_metre("C|"), read_metre("x")
    ((6, 8, False), (2, 2, False), None)
    """
    text = value.strip()
    if text in ("C", "C|"):
        return (4, 4, False) if text == "C" else (2, 2, False)
    if text.casefold() in ("none", ""):
        return 4, 4, True
    match = re.fullmatch(r"\(?([0-9+ ]+)\)?\s*/\s*(\d+)", text)
    if match:
        beats, beat_type = sum(int(b) for b in match[1].replace(" ", "").split("+") if b), int(match[2])
        if 0 < beats <= 64 and beat_type in (1, 2, 4, 8, 16, 32):
            return beats, beat_type, False
    return None


def read_length(value: str) -> Fraction | None:
    """The unit of length in quarters.

    >>> read_length("1/8"), read_length("x")
    (Fraction(1, 2), None)
    """
    match = re.fullmatch(r"\s*(\d{1,3})(?:\s*/\s*(\d{1,4}))?\s*", value)
    if match and int(match[1]) and int(match[2] or 1):
        return Fraction(int(match[1]) * 4, int(match[2] or 1))
    return None


def read_tempo(value: str) -> Mark | None:
    """A speed, or words where no number stands with them.

    >>> read_tempo("1/4=96").value
    96.0
    """
    words = " ".join(re.findall(r'"([^"]*)"', value))
    rest = re.sub(r'"[^"]*"', "", value).strip()
    match = re.fullmatch(r"(?:(\d+)/(\d+)\s*=\s*)?(\d+(?:\.\d+)?)", rest)
    if match:
        unit = Fraction(4 * int(match[1]), int(match[2]) or 1) if match[1] else Fraction(1)
        bpm = float(match[3]) * float(unit)
        if 10 <= bpm <= 600:
            return Mark(
                kind="tempo", offset=Fraction(0), value=bpm, beat_unit=beat_unit(unit), per_minute=match[3]
            )
    return Mark(kind="words", offset=Fraction(0), text=words) if words and not rest else None


def read_key(value: str) -> AbcKey:
    """A key by tonic and mode, with letters altered besides.

    >>> read_key("Bb").fifths, read_key("D minor").fifths
    (-2, -1)
    """
    value = value.replace("♭", "b").replace("♯", "#")
    match = KEY.match(value)
    tonic, mode = (match[1] or "", (match[2] or "").casefold()[:3]) if match else ("", "")
    rest = value[match.end() :] if match else ""
    told, fifths = "", None
    if tonic in ("HP", "Hp"):
        fifths = 2
    elif tonic.casefold() == "none":
        fifths = 0
    elif tonic:
        fifths = "FCGDAEB".index(tonic[0]) - 1 + {"#": 7, "b": -7}.get(tonic[1:], 0) + MODES.get(mode, 0)
        if not -7 <= fifths <= 7:
            told = _("The key “{value}” has more than seven signs; its equal with fewer is taken.").format(
                value=value[:20]
            )
            fifths += -12 if fifths > 7 else 12
    elif not re.search(r"clef|bass|treble|alto|tenor|transpose|octave", value):
        fifths = 0
        told = (
            _("The key “{value}” is not understood; C major is taken.").format(value=value[:20])
            if value.strip()
            else ""
        )
    left = UNUSUAL.sub("", rest).strip()
    if left and not told:
        told = _("“{left}” after the key is not understood and was left out.").format(left=left[:20])
    altered = {
        letter.upper(): ALTER[sign]
        for sign, letter in re.findall(r"(?<![a-z=])(\^\^|\^|__|_|=)([A-Ga-g])(?![a-z])", rest)
    }
    if re.search(r"\bexp\b", rest):
        fifths = 0
    return AbcKey(
        fifths=fifths,
        mode="minor" if mode in ("m", "min", "aeo") else "major",
        altered=altered,
        rest=rest if tonic else value,
        told=told,
    )
