"""Values of MEI attributes: lengths, ornaments, signatures, tempo words."""

from __future__ import annotations

import re
from collections.abc import Iterator
from fractions import Fraction
from typing import Any

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.model import Mark, Note
from jeweller.notation.values import TYPE_QUARTERS

Element = Any


TEMPO_UNIT = {"1": "whole", "2": "half", "4": "quarter", "8": "eighth", "16": "16th"}


def read_words(element: Element) -> str:
    """All words inside an element, with single spaces.

    >>> from lxml import etree
    >>> read_words(etree.fromstring("<tempo>Not too <rend>fast</rend></tempo>"))
    'Not too fast'
    """
    return " ".join("".join(element.itertext()).split())


def read_number(text: str | None, default: int) -> int:
    """A whole number of an attribute; `default` where it is none.

    >>> read_number("3", 1), read_number(None, 1), read_number("x", 1)
    (3, 1, 1)
    """
    match = re.match(r"\s*-?\d{1,4}", text or "")
    return int(match[0]) if match else default


def read_slur_number(element: Element) -> int:
    """A small number that the two ends of a slur share: its place among the slurs of its bar, at most five
    are told apart.

    >>> from lxml import etree
    >>> bar = etree.fromstring("<measure><slur/><tie/><slur/></measure>")
    >>> [read_slur_number(slur) for slur in bar.iter("slur")]
    [0, 1]
    """
    parent = element.getparent()
    return [e for e in parent if e.tag == "slur"].index(element) % 5 if parent is not None else 0


def is_inside(element: Element, tag: str) -> bool:
    """Whether an element lies in another of that tag.

    >>> from lxml import etree
    >>> chord = etree.fromstring("<chord><note/></chord>")
    >>> is_inside(chord[0], "chord"), is_inside(chord, "beam")
    (True, False)
    """
    return any(a.tag == tag for a in element.iterancestors())


def read_ratio(tuplet: Element) -> tuple[int, int]:
    """(actual, normal) of a tuplet.

    >>> from lxml import etree
    >>> read_ratio(etree.fromstring('<tuplet num="3" numbase="2"/>'))
    (3, 2)
    """
    return max(1, min(64, read_number(tuplet.get("num"), 3))), max(
        1, min(64, read_number(tuplet.get("numbase"), 2))
    )


def read_duration(element: Element) -> Fraction:
    """Quarters of a note, rest or chord by its value and dots. Raises ScoreError.

    >>> from lxml import etree
    >>> read_duration(etree.fromstring('<note dur="4" dots="1"/>'))
    Fraction(3, 2)
    """
    text = element.get("dur") or element.get("dur.default") or "4"
    if text in ("breve", "long"):
        base = TYPE_QUARTERS[text]
    elif text.isdigit() and int(text) in (1, 2, 4, 8, 16, 32, 64, 128, 256):
        base = Fraction(4, int(text))
    else:
        raise ScoreError(
            _("A duration in this file cannot be read ({text!r}); it is damaged.").format(text=text[:20])
        )
    dots = max(0, min(4, read_number(element.get("dots"), 0))) or len(element.findall("dot"))
    return base * (2 - Fraction(1, 2**dots))


def read_ornament(element: Element) -> str:
    """The ornament that a control event stands for.

    >>> from lxml import etree
    >>> read_ornament(etree.fromstring('<mordent form="upper"/>'))
    'inverted_mordent'
    """
    form = element.get("form", "")
    if element.tag == "mordent":
        return "inverted_mordent" if form == "upper" else "mordent"
    if element.tag == "turn":
        return "inverted_turn" if form == "lower" else "turn"
    return "trill"


def read_tempo(element: Element, at: Fraction) -> Iterator[Mark]:
    """The marks of a tempo event: its words, and its speed where it says one.

    >>> from fractions import Fraction
    >>> from lxml import etree
    >>> [m.value for m in read_tempo(etree.fromstring('<tempo mm="60" mm.unit="2"/>'), Fraction(0))]
    [120.0]
    """
    text, per_minute = read_words(element), element.get("mm") or ""
    if re.fullmatch(r"\d{1,3}(\.\d+)?", per_minute):
        unit = TEMPO_UNIT.get(element.get("mm.unit", "4"), "quarter")
        dots = min(1, read_number(element.get("mm.dots"), 0))
        bpm = float(per_minute) * float(TYPE_QUARTERS[unit]) * (1.5 if dots else 1.0)
        if 10 <= bpm <= 600:
            yield Mark(kind="tempo", offset=at, value=bpm, beat_unit=unit + "." * dots, per_minute=per_minute)
    elif re.fullmatch(r"\d{1,3}(\.\d+)?", element.get("midi.bpm") or ""):
        yield Mark(kind="tempo", offset=at, value=float(element.get("midi.bpm")))
    words = re.split(r"[(=]|\s[𝅗𝅘♩♪]", text)[0].strip()
    if words and not words.isdigit():
        yield Mark(kind="words", offset=at, text=words[:120])


def read_signature(element: Element) -> dict[str, Any]:
    """What a definition says of key, metre and clef, in attributes or in elements.

    >>> from lxml import etree
    >>> read_signature(etree.fromstring('<scoreDef keysig="2s" meter.count="3" meter.unit="4"/>'))
    {'fifths': 2, 'mode': 'major', 'beats': 3, 'beat_type': 4}
    """
    out: dict[str, Any] = {}
    key, meter, clef = (element.find(t) for t in ("keySig", "meterSig", "clef"))
    sig = (key.get("sig") if key is not None else None) or element.get("keysig") or element.get("key.sig")
    match = re.fullmatch(r"([0-7])([sf]?)", sig or "")
    if match:
        out["fifths"] = int(match[1]) * (-1 if match[2] == "f" else 1)
        mode = (key.get("mode") if key is not None else None) or element.get("key.mode") or ""
        out["mode"] = "minor" if mode == "minor" else "major"
    count = (meter.get("count") if meter is not None else None) or element.get("meter.count")
    unit = (meter.get("unit") if meter is not None else None) or element.get("meter.unit")
    symbol = (meter.get("sym") if meter is not None else None) or element.get("meter.sym")
    if count and unit and re.fullmatch(r"[\d+ ]{1,10}", count) and unit in ("1", "2", "4", "8", "16", "32"):
        beats = sum(int(b) for b in count.split("+") if b.strip())
        if 0 < beats <= 64:
            out["beats"], out["beat_type"] = beats, int(unit)
    elif symbol in ("common", "cut"):
        out["beats"], out["beat_type"] = (4, 4) if symbol == "common" else (2, 2)
    shape = clef.get("shape") if clef is not None else element.get("clef.shape")
    if shape:
        source, prefix = (clef, "") if clef is not None else (element, "clef.")
        sign = shape if shape in ("G", "F", "C") else "percussion" if shape == "perc" else "G"
        octaves = {"8": 1, "15": 2}.get(source.get(prefix + "dis") or "", 0) * (
            -1 if source.get(prefix + "dis.place") == "below" else 1
        )
        out["clef"] = (
            sign,
            max(1, min(5, read_number(source.get(prefix + "line"), {"G": 2, "F": 4, "C": 3}.get(sign, 2)))),
            octaves,
        )
    return out


def order_by_time(notes: tuple[Note, ...]) -> tuple[Note, ...]:
    """The notes in order of time, grace notes before the note they belong to.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> notes = read_abc("T:A line\\nL:1/4\\nK:C\\nC E|")[0].parts[0].bars[0].notes
    >>> [n.pitch.letter for n in order_by_time(notes[::-1])]
    ['C', 'E']
    """
    return tuple(sorted(notes, key=lambda n: n.offset))


def read_slurs(element: Element, which: str) -> tuple[str, ...]:
    """The slurs that begin ("i") or end ("t") on a note by its own attribute, as "i1 t2".

    >>> from lxml import etree
    >>> read_slurs(etree.fromstring('<note slur="i1 t2"/>'), "i")
    ('1',)
    """
    return tuple(
        s[1:] or "1"
        for s in (element.get("slur") or "").split()
        if s[:1] == which and (s[1:] or "1").isdigit()
    )


def read_articulations(element: Element) -> list[str]:
    """The articulations on a note, in the abbreviations of MEI.

    >>> from lxml import etree
    >>> read_articulations(etree.fromstring('<note artic="stacc"><artic artic="acc"/></note>'))
    ['stacc', 'acc']
    """
    return [
        *(element.get("artic") or "").split(),
        *(a for child in element.iterfind("artic") for a in (child.get("artic") or "").split()),
    ]


def read_ornament_attribute(element: Element) -> str | None:
    """An ornament given as an attribute of its note ("A" trill, "M" mordent, "S" turn).

    >>> from lxml import etree
    >>> read_ornament_attribute(etree.fromstring('<note ornam="M"/>'))
    'mordent'
    """
    return {
        "A": "trill",
        "a": "trill",
        "M": "mordent",
        "m": "inverted_mordent",
        "S": "turn",
        "s": "inverted_turn",
    }.get((element.get("ornam") or "")[:1])
