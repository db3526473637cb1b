"""What stands above the notes of an MEI bar, and spans over them: tempo, dynamics, slurs, tuplets."""

from __future__ import annotations

import dataclasses
import re
from fractions import Fraction
from typing import Any

from jeweller.notation.model import Bar, Mark
from jeweller.notation.readers.mei_values import (
    Element,
    is_inside,
    read_duration,
    read_ratio,
    read_tempo,
    read_words,
)
from jeweller.notation.readers.vocabulary import JUMP_WORDS

JUMPS = {"segno": "segno", "coda": "coda", "fine": "fine", "daCapo": "dacapo", "dalSegno": "dalsegno"}


@dataclasses.dataclass
class MeiStaff:
    """One staff as it stands, and its bars so far."""

    n: str
    name: str = ""
    fifths: int = 0
    mode: str = "major"
    beats: int = 4
    beat_type: int = 4
    clef: tuple[str, int, int] = ("G", 2, 0)
    diatonic: int = 0
    chromatic: int = 0
    bars: list[Bar] = dataclasses.field(default_factory=list)
    open_ties: set[tuple[str, int]] = dataclasses.field(default_factory=set)


class MeiMarks:
    """Reads control events."""

    bpm: float | None

    measures: int
    score: Element
    spans: dict[str, tuple[int, int]]
    staves: dict[str, MeiStaff]

    def _say(self, note: str, element: Element, *, begins: bool) -> None:
        raise NotImplementedError

    def _controls(self) -> None:
        ids = {e.get("id") for e in self.score.iter("note", "chord", "rest") if e.get("id")}
        for element in self.score.iter("slur", "tie", "trill", "mordent", "turn", "fermata", "breath"):
            start, end = (element.get(n, "").lstrip("#") for n in ("startid", "endid"))
            if start in ids:
                self._say(start, element, begins=True)
            if end in ids and element.tag in ("slur", "tie"):
                self._say(end, element, begins=False)

        for layer in self.score.iter("layer") if self.score.find(".//tupletSpan") is not None else ():
            self._tuplet_spans(layer)

    def _tuplet_spans(self, layer: Element) -> None:
        """Tuplets given by their first and last note, of one layer of one bar."""
        events = [e for e in layer.iter("note", "rest", "chord", "space") if e.getparent().tag != "chord"]
        places = {e.get("id"): k for k, e in enumerate(events) if e.get("id")}
        measure = next(layer.iterancestors("measure"), None)
        for span in measure.iterfind("tupletSpan") if measure is not None else ():
            first, last = (places.get(span.get(n, "").lstrip("#")) for n in ("startid", "endid"))
            if first is not None and last is not None:
                for k in range(first, last + 1):
                    event = events[k]
                    if not event.get("id"):
                        event.set("id", f"span{len(self.spans) + 1}")
                    self.spans[event.get("id")] = read_ratio(span)

    def _marks(self, measure: Element, flags: dict[str, Any]) -> list[tuple[Mark, str]]:
        """(mark, the staff it belongs to or "") of a bar; jumps are set in `flags`."""
        out: list[tuple[Mark, str]] = []
        if (
            self.measures == 1
            and getattr(self, "bpm", None)
            and not any(t.get("mm") for t in measure.iter("tempo"))
        ):
            out.append((Mark(kind="tempo", offset=Fraction(0), value=self.bpm), ""))
        for element in measure:
            tag = element.tag
            if tag not in ("dynam", "hairpin", "tempo", "dir", "repeatMark"):
                continue
            which = (element.get("staff") or "").split(" ")[0]
            at, above = self._at(measure, element), element.get("place") != "below"
            if tag == "dynam":
                out.append(
                    (Mark(kind="dynamics", offset=at, text=read_words(element)[:12], above=False), which)
                )
            elif tag == "hairpin":
                kind = "crescendo" if element.get("form") == "cres" else "diminuendo"
                out.append((Mark(kind="wedge", offset=at, text=kind, above=False), which))
                end = re.fullmatch(r"(?:0m\+)?(\d+(?:\.\d+)?)", element.get("tstamp2") or "")
                if end:
                    out.append(
                        (
                            Mark(
                                kind="wedge", offset=self._beats(float(end[1]) - 1), text="stop", above=False
                            ),
                            which,
                        )
                    )
            elif tag == "tempo":
                mark = read_tempo(element, at)
                out += [(m, "") for m in mark]
            elif tag == "repeatMark" and element.get("func") in JUMPS:
                flags[JUMPS[element.get("func")]] = True
            else:
                text = read_words(element)
                for pattern, flag in JUMP_WORDS:
                    if pattern.match(text):
                        flags[flag] = True
                if text:
                    out.append((Mark(kind="words", offset=at, text=text[:120], above=above), which))
        return out

    def _beats(self, beats: float) -> Fraction:
        staff = next(iter(self.staves.values()))
        return max(Fraction(0), Fraction(beats).limit_denominator(96) * Fraction(4, staff.beat_type))

    def _at(self, measure: Element, element: Element) -> Fraction:
        stamp = element.get("tstamp") or ""
        if re.fullmatch(r"\d{1,3}(\.\d+)?", stamp):
            return self._beats(float(stamp) - 1)
        start = element.get("startid", "").lstrip("#")
        if not start:
            return Fraction(0)
        for layer in measure.iter("layer"):
            now = Fraction(0)
            for event in layer.iter("note", "rest", "chord", "space"):
                if event.get("id") == start:
                    return now
                if (
                    event.getparent().tag != "chord"
                    and not event.get("grace")
                    and not is_inside(event, "graceGrp")
                ):
                    now += read_duration(event) * self._tuplet_factor(event)
        return Fraction(0)

    def _tuplet_factor(self, element: Element) -> Fraction:
        ratios = [read_ratio(a) for a in element.iterancestors("tuplet")] or [
            self.spans.get(element.get("id", ""), (1, 1))
        ]
        out = Fraction(1)
        for actual, normal in ratios:
            out *= Fraction(normal, actual)
        return out
