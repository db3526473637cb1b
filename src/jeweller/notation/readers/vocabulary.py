"""The signs and words that notation formats have in common, and what they are to us."""

from __future__ import annotations

import re

ARTICULATIONS = frozenset(
    {
        "staccato",
        "staccatissimo",
        "tenuto",
        "accent",
        "strong-accent",
        "detached-legato",
        "spiccato",
        "stress",
        "unstress",
    }
)
DYNAMICS = frozenset({"ppp", "pp", "p", "mp", "mf", "f", "ff", "fff", "sf", "sfz", "fp"})
JUMP_WORDS = (
    (re.compile(r"^\W*(d\s*\.?\s*c\b|da\s*capo)", re.I), "dacapo"),
    (re.compile(r"^\W*(d\s*\.?\s*s\b|dal\s*segno)", re.I), "dalsegno"),
    (re.compile(r"^\W*(to\s*coda|al\s*coda|alla\s*coda)", re.I), "to_coda"),
    (re.compile(r"^\W*fine\W*$", re.I), "fine"),
)
# ABC decorations on a note: the field of a note that they set, and its value.
DECORATIONS: dict[str, tuple[str, str | bool]] = {
    "staccato": ("articulation", "staccato"),
    "wedge": ("articulation", "staccatissimo"),
    "tenuto": ("articulation", "tenuto"),
    **dict.fromkeys(("accent", ">", "emphasis"), ("articulation", "accent")),
    **dict.fromkeys(("^", "marcato"), ("articulation", "strong-accent")),
    **dict.fromkeys(("fermata", "invertedfermata"), ("fermata", True)),
    "trill": ("ornament", "trill"),
    **dict.fromkeys(("roll", "turn", "turnx"), ("ornament", "turn")),
    **dict.fromkeys(("invertedturn", "invertedturnx"), ("ornament", "inverted_turn")),
    **dict.fromkeys(("mordent", "lowermordent"), ("ornament", "mordent")),
    **dict.fromkeys(("uppermordent", "pralltriller"), ("ornament", "inverted_mordent")),
}
# And those at a place: a bar's flag, a wedge, a breath.
SIGNS = {
    "segno": "segno",
    "coda": "coda",
    "fine": "fine",
    "D.C.": "dacapo",
    "D.S.": "dalsegno",
    "dacapo": "dacapo",
    "dacoda": "to_coda",
    "breath": "breath",
    "D.C.alfine": "dacapo",
    "D.C.alcoda": "dacapo",
    "D.S.alfine": "dalsegno",
    "D.S.alcoda": "dalsegno",
    **dict.fromkeys(("crescendo(", "<("), "wedge crescendo"),
    **dict.fromkeys(("diminuendo(", ">("), "wedge diminuendo"),
    **dict.fromkeys(("crescendo)", "<)", "diminuendo)", ">)"), "wedge stop"),
}
