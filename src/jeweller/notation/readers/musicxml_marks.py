"""What stands above and between the notes of a MusicXML part: directions, tempo, repeats."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Any

from jeweller.i18n import _
from jeweller.notation.model import Mark
from jeweller.notation.readers.musicxml_file import Element, int_of, split_numbers, text_of
from jeweller.notation.readers.vocabulary import JUMP_WORDS
from jeweller.notation.values import TYPE_QUARTERS


class MarkReader:
    """Reads directions, sounds and bar lines into the bar at hand."""

    now: Fraction  # quarters from the beginning of the bar
    marks: list[Mark]
    flags: dict[str, Any]
    ending_closes: bool

    divisions: Fraction
    ending: tuple[int, ...]

    def warn(self, text: str) -> None:
        raise NotImplementedError

    def read_direction(self, element: Element) -> None:
        above = element.get("placement") != "below"
        offset = self.now
        shift = element.findtext("offset")
        if shift:
            try:
                offset = max(Fraction(0), self.now + Fraction(shift.strip()) / self.divisions)
            except (ValueError, ZeroDivisionError):
                offset = self.now
        sound = element.find("sound")
        tempo_said = sound is not None and sound.get("tempo") is not None
        for kind in element.iterfind("direction-type"):
            for child in kind:
                if child.tag == "words":
                    self._words(" ".join((child.text or "").split()), offset, above)
                elif child.tag == "dynamics":
                    name = next(
                        (str(d.tag) if d.tag != "other-dynamics" else (d.text or "") for d in child), ""
                    )
                    self.marks.append(Mark(kind="dynamics", offset=offset, text=name[:12], above=above))
                elif child.tag == "wedge":
                    if child.get("type") in ("crescendo", "diminuendo", "stop"):
                        self.marks.append(
                            Mark(kind="wedge", offset=offset, text=child.get("type"), above=above)
                        )
                elif child.tag == "metronome":
                    self._metronome(child, offset, tempo_said)
                elif child.tag in ("segno", "coda"):
                    self.flags[str(child.tag)] = True
        if sound is not None:
            self.read_sound(sound)

    def _words(self, text: str, offset: Fraction, above: bool) -> None:
        if not text:
            return
        for pattern, flag in JUMP_WORDS:
            if pattern.match(text):
                self.flags[flag] = True
        self.marks.append(Mark(kind="words", offset=offset, text=text[:120], above=above))

    def _metronome(self, element: Element, offset: Fraction, tempo_said: bool) -> None:
        unit, dotted = text_of(element, "beat-unit"), element.find("beat-unit-dot") is not None
        match = re.search(r"\d+(\.\d+)?", text_of(element, "per-minute"))
        quarters = TYPE_QUARTERS.get(unit)
        if not match or quarters is None:
            return
        bpm = float(match[0]) * float(quarters) * (1.5 if dotted else 1.0)
        if 10 <= bpm <= 600:
            self.marks.append(
                Mark(
                    kind="tempo",
                    offset=offset,
                    value=bpm,
                    beat_unit=unit + ("." if dotted else ""),
                    per_minute=match[0],
                )
            )
        else:
            self.warn(_("a speed of {speed} is not believed").format(speed=match[0]))

    def read_sound(self, element: Element) -> None:
        for name, flag in (
            ("dacapo", "dacapo"),
            ("dalsegno", "dalsegno"),
            ("tocoda", "to_coda"),
            ("fine", "fine"),
            ("segno", "segno"),
            ("coda", "coda"),
        ):
            if element.get(name) not in (None, "no"):
                self.flags[flag] = True
        try:
            bpm = float(element.get("tempo", "nan"))
        except ValueError:
            return
        if 10 <= bpm <= 600 and not any(m.kind == "tempo" and m.offset == self.now for m in self.marks):
            self.marks.append(Mark(kind="tempo", offset=self.now, value=bpm))

    def read_barline(self, element: Element) -> None:
        repeat = element.find("repeat")
        if repeat is not None:
            if repeat.get("direction") == "forward":
                self.flags["repeat_start"] = True
            elif repeat.get("direction") == "backward":
                self.flags["repeat_times"] = int_of(repeat.get("times"), 2, 2, 20)
        ending = element.find("ending")
        if ending is not None:
            if ending.get("type") == "start":
                self.ending = split_numbers(ending.get("number")) or split_numbers(ending.text) or (1,)
                self.flags["ending_start"] = True
            elif ending.get("type") in ("stop", "discontinue"):
                self.ending_closes = True
                self.flags["ending_stop"] = ending.get("type")
        style = text_of(element, "bar-style")
        if element.get("location", "right") == "right":
            if style == "light-light":
                self.flags["double_bar"] = True
            elif style == "light-heavy" and repeat is None:
                self.flags["final_bar"] = True
        for name in ("segno", "coda"):
            if element.find(name) is not None:
                self.flags[name] = True
