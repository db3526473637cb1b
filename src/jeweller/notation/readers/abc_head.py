"""The head of an ABC tune: its fields, its voices, what they are set to."""

from __future__ import annotations

import dataclasses
import html
import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.model import Mark
from jeweller.notation.readers.abc_fields import read_key, read_length, read_metre, read_tempo
from jeweller.notation.readers.abc_voice import AbcTune, AbcVoice

LONE = {
    ".": "staccato",
    "~": "roll",
    "T": "trill",
    "M": "lowermordent",
    "P": "uppermordent",
    "H": "fermata",
    "L": "accent",
    "S": "segno",
    "O": "coda",
}


CHORD = re.compile(r"\(?[A-Ga-g][#b♯♭]?\S{0,8}|N\.?C\.?|[0-9<>,;. ]+")


NOTE = re.compile(r"(\^\^|\^|__|_|=)?([A-Ga-g])([,']*)([0-9]*)(/*)([0-9]*)")


CLEFS = {
    "treble": ("G", 2),
    "bass": ("F", 4),
    "tenor": ("C", 4),
    "alto": ("C", 3),
    "perc": ("percussion", 2),
    "none": ("G", 2),
}


TOLD = 20  # problems that are told one by one
SILENT_FIELDS = "ABDFGHIJNORSUWXZmrsPuw"  # say nothing about what is played


@dataclass(frozen=True)
class Problem:
    """What was not understood: 1-based line and column in the text, and a sentence."""

    line: int
    column: int
    text: str


def tell_problems(problems: Sequence[Problem]) -> tuple[str, ...]:
    """A sentence each, with its place; of many the first, and how many more.

    >>> tell_problems([Problem(5, 1, "This is not understood.")])
    ('line 5, column 1: This is not understood.',)
    """
    told = [
        _("line {line}, column {column}: {text}").format(line=p.line, column=p.column, text=p.text)
        for p in problems[:TOLD]
    ]
    if len(problems) > TOLD:
        told.append(_("and {n} more of the kind").format(n=len(problems) - TOLD))
    return tuple(told)


@dataclass(frozen=True)
class TuneText:
    """One tune of a tunebook, as it stands in the text from `line` (1-based) on."""

    line: int
    text: str


def tunes_of(text: str) -> list[TuneText]:
    """The tunes of a text, each from its X: field to the next; a text without any X: is one tune.

    >>> [t.line for t in tunes_of("X:1\\nT:One\\nK:C\\nC|\\n\\nX:2\\nT:Two\\nK:C\\nD|")]
    [1, 6]
    """
    lines = text.splitlines()
    starts = [k for k, line in enumerate(lines) if line.startswith("X:")] or [0]
    return [
        TuneText(a + 1, "\n".join(lines[a:b])) for a, b in zip(starts, [*starts[1:], len(lines)], strict=True)
    ]


class AbcHead:
    """Reads fields and tells of what is not understood."""

    heads: dict[str, str]
    number: Any
    problems: list[Problem]
    tune: AbcTune
    voice: AbcVoice | None
    voices: dict[str, AbcVoice]

    def close_bar(
        self, voice: AbcVoice, flags: dict[str, Any] | None = None, *, ends_ending: bool = False
    ) -> None:
        raise NotImplementedError

    def tell(self, column: int, text: str) -> None:
        self.problems.append(Problem(self.number, column, text))

    def head(self, key: str, value: str, column: int) -> None:
        t = self.tune
        if key == "T":
            t.titles.append(html.unescape(value))
        elif key == "C":
            t.composer = html.unescape(value)
        elif key == "M":
            t.beats, t.beat_type, t.free = self.metre(value, column)
        elif key == "L":
            t.unit = self.length(value, column)
        elif key == "Q":
            t.tempo = self.tempo(value, column)
        elif key == "V":
            name, _unused, rest = value.partition(" ")
            self.heads[name] = rest
        elif key == "K":
            self.key(t, value, column)
        elif key not in SILENT_FIELDS:
            self.tell(1, _("The field {key}: is not known and was left out.").format(key=key))

    def body_field(self, key: str, value: str, column: int) -> None:
        if key == "V":
            self.choose_voice(value)
            return
        if key == "T":
            return
        if key in SILENT_FIELDS or key == "+":
            return
        voice = self.current()
        if key == "K":
            self.key(voice, value, column)
        elif key == "M":
            if voice.notes:
                self.close_bar(voice)
            voice.beats, voice.beat_type, voice.free = self.metre(value, column)
        elif key == "L":
            voice.unit = self.length(value, column)
        elif key == "Q":
            mark = self.tempo(value, column)
            if mark is not None:
                voice.marks.append(dataclasses.replace(mark, offset=voice.now))
        else:
            self.tell(1, _("The field {key}: is not known and was left out.").format(key=key))

    def current(self) -> AbcVoice:
        if self.voice is None:
            return self.choose_voice(next(iter(self.heads), "1"))
        return self.voice

    def choose_voice(self, value: str) -> AbcVoice:
        name, _unused, rest = value.strip().partition(" ")
        name = name or "1"
        if name not in self.voices:
            if len(self.voices) >= 64:
                raise ScoreError(_("This tune has more than 64 voices; it is probably damaged."))
            self.voices[name] = AbcVoice(name, self.tune)
            rest = f"{self.heads.get(name, '')} {rest}"
        self.voice = chosen = self.voices[name]
        if rest.strip():
            self.voice_properties(chosen, rest)
        return chosen

    def voice_properties(self, voice: AbcVoice, text: str) -> None:
        quoted = re.search(r'(?:name|nm)="([^"]*)"', text)
        plain = re.search(r"(?:name|nm)=([^\s\"]+)", text)
        if quoted or plain:
            voice.name = (quoted or plain)[1]  # type: ignore[index]
        self.clef(voice, text)

    def clef(self, into: AbcTune | AbcVoice, text: str) -> None:
        match = re.search(r"(?:clef=\s*|^|\s)(treble|bass|tenor|alto|perc|none)([+-]8)?", text)
        if match:
            sign, line = CLEFS[match[1]]
            into.clef = (sign, line, {"+8": 1, "-8": -1}.get(match[2] or "", 0))
        match = re.search(r"transpose=(-?\d{1,2})", text)
        if match:
            into.chromatic = int(match[1])
        match = re.search(r"octave=(-?\d)", text)
        if match and isinstance(into, AbcVoice):
            into.octave = int(match[1])

    def metre(self, value: str, column: int) -> tuple[int, int, bool]:
        found = read_metre(value)
        first, _unused, rest = value.strip().partition(" ")
        if found is None and rest and read_metre(first) is not None:
            self.tell(column, _("The music behind the metre is left out: it begins on the next line."))
            return read_metre(first) or (4, 4, False)
        if found is None:
            self.tell(
                column,
                _("The metre “{strip}” is not understood; 4/4 is taken.").format(strip=value.strip()[:20]),
            )
        return found or (4, 4, False)

    def length(self, value: str, column: int) -> Fraction | None:
        found = read_length(value)
        if found is None:
            self.tell(
                column,
                _("The unit of length “{value}” is not understood; write one such as 1/8.").format(
                    value=value[:20]
                ),
            )
        return found

    def tempo(self, value: str, column: int) -> Mark | None:
        found = read_tempo(value)
        if found is None:
            self.tell(
                column,
                _("The speed “{value}” is not understood; write it as 1/4=96.").format(value=value[:30]),
            )
        return found

    def key(self, into: AbcTune | AbcVoice, value: str, column: int) -> None:
        found = read_key(value)
        if isinstance(into, AbcVoice) and into.notes and into.now == 0:
            into.begin_bar()
        if found.told:
            self.tell(column, found.told)
        if found.fifths is not None:
            into.fifths, into.mode, into.altered = found.fifths, found.mode, {}
        into.altered.update(found.altered)
        self.clef(into, found.rest)
