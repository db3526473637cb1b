"""What stands on the notes of an ABC line: slurs, ties, tuplets, grace notes, decorations."""

from __future__ import annotations

import dataclasses
import html
import re
from fractions import Fraction
from typing import Any

from jeweller.i18n import _
from jeweller.notation.metre import Metre
from jeweller.notation.model import Mark, Note
from jeweller.notation.pitch import Pitch
from jeweller.notation.readers.abc_head import CHORD, LONE, NOTE, AbcHead
from jeweller.notation.readers.abc_voice import AbcVoice
from jeweller.notation.readers.vocabulary import DECORATIONS, DYNAMICS, JUMP_WORDS, SIGNS
from jeweller.notation.values import guess_type

MOST_SLURS = 20  # open at once


class AbcSigns(AbcHead):
    """Reads the signs of a line onto its notes."""

    def _id(self, voice: AbcVoice, offset: Fraction, pitch: Pitch | None, what: str = "") -> str:
        raise NotImplementedError

    def _pitch(self, voice: AbcVoice, sign: str, letter: str, octaves: str) -> tuple[Pitch, str | None]:
        raise NotImplementedError

    def _grace(self, voice: AbcVoice, text: str, column: int) -> None:
        slash = text.startswith("{/")
        found = list(NOTE.finditer(text))
        kind = "eighth" if len(found) == 1 else "16th"
        for m in found:
            pitch, accidental = self._pitch(voice, m[1] or "", m[2], m[3])
            voice.graces.append(
                Note(
                    id=self._id(voice, voice.now, pitch, "g"),
                    offset=voice.now,
                    duration=Fraction(0),
                    pitch=pitch,
                    type=kind,
                    grace=True,
                    slash=slash or len(found) == 1,
                    accidental=accidental,
                )
            )

    def _tuplet(self, voice: AbcVoice, text: str, column: int) -> None:
        numbers = [int(n) if n else 0 for n in text[1:].split(":")]
        actual = numbers[0]
        metre = Metre(voice.beats, voice.beat_type)
        usual = {2: 3, 3: 2, 4: 3, 6: 2, 8: 3}.get(actual, 3 if metre.beam_group.numerator == 3 else 2)
        normal = (numbers[1] if len(numbers) > 1 else 0) or usual
        voice.tuplet = (actual, normal, (numbers[2] if len(numbers) > 2 else 0) or actual)
        voice.tuplet_begins = True

    def _broken(self, voice: AbcVoice, text: str, column: int) -> None:
        index = next(
            (
                k
                for k in range(len(voice.notes) - 1, -1, -1)
                if not voice.notes[k].grace and not voice.notes[k].chord
            ),
            None,
        )
        if index is None:
            self.tell(column, _("{text} stands after no note and was left out.").format(text=text))
            return
        short = Fraction(1, 2 ** min(len(text), 3))
        before, after = (2 - short, short) if text[0] == ">" else (short, 2 - short)
        for k in range(index, len(voice.notes)):
            note = voice.notes[k]
            duration = note.duration * before
            kind, dots, tuplet = guess_type(duration, note.tuplet)
            voice.notes[k] = dataclasses.replace(note, duration=duration, type=kind, dots=dots, tuplet=tuplet)
        voice.now = voice.notes[index].offset + voice.notes[index].duration
        voice.broken = (before, after)

    def _slur(self, voice: AbcVoice, text: str, column: int) -> None:
        used = {*voice.slurs, *voice.opened}
        if len(used) < MOST_SLURS:
            voice.opened.append(next(k for k in range(1, MOST_SLURS + 1) if k not in used))

    def _close(self, voice: AbcVoice, text: str, column: int) -> None:
        note = self._last(voice)
        if not voice.slurs or note is None:
            self.tell(column, _("A slur ends here that does not begin."))
            return
        self._change(voice, slur_stops=(*note.slur_stops, str(voice.slurs.pop())))

    def _tie(self, voice: AbcVoice, text: str, column: int) -> None:
        note = self._last(voice)
        if note is None or note.pitch is None:
            self.tell(column, _("A tie stands after no note and was left out."))
            return
        self._change(voice, tie_start=True)
        voice.ties.add((note.pitch.step, note.pitch.octave))
        if not voice.notes:
            return
        start = len(voice.notes) - 1
        while voice.notes[start].chord or voice.notes[start].grace:
            start -= 1
        for k, n in enumerate(voice.notes[start + 1 :], start + 1):  # of a chord every note
            if n.chord and n.pitch is not None:
                voice.notes[k] = dataclasses.replace(n, tie_start=True)
                voice.ties.add((n.pitch.step, n.pitch.octave))

    def _last(self, voice: AbcVoice) -> Note | None:
        """The last main note of the bar in hand, or of the bar before."""
        notes = voice.notes or (list(voice.bars[-1].notes) if voice.bars else [])
        return next((n for n in reversed(notes) if not n.grace and not n.chord and not n.is_rest), None)

    def _change(self, voice: AbcVoice, **changes: Any) -> None:
        """Changes the note of `_last`."""
        last = self._last(voice)
        if voice.notes:
            k = next(i for i in range(len(voice.notes) - 1, -1, -1) if voice.notes[i] is last)
            voice.notes[k] = dataclasses.replace(voice.notes[k], **changes)
        elif last is not None:
            notes = [dataclasses.replace(n, **changes) if n is last else n for n in voice.bars[-1].notes]
            voice.bars[-1] = dataclasses.replace(voice.bars[-1], notes=tuple(notes))

    def _text(self, voice: AbcVoice, text: str, column: int) -> None:
        words = html.unescape(text[1:-1])
        if words[:1] in "^_<>@" and len(words) > 1:
            self._words(
                voice,
                re.sub(r"^@[-\d.,]*", "", words) if words[0] == "@" else words[1:],
                above=words[0] != "_",
            )
        elif not CHORD.fullmatch(words) and len(words) > 2:  # a chord symbol is nothing that one player plays
            self._words(voice, words)

    def _words(self, voice: AbcVoice, text: str, *, above: bool = True) -> None:
        text = " ".join(text.split())
        if not text:
            return
        for pattern, flag in JUMP_WORDS:
            if pattern.match(text):
                voice.flags[flag] = True
        voice.marks.append(Mark(kind="words", offset=voice.now, text=text[:120], above=above))

    def _deco(self, voice: AbcVoice, text: str, column: int) -> None:
        self._decorate(voice, text[1:-1], column)

    def _lone(self, voice: AbcVoice, text: str, column: int) -> None:
        self._decorate(voice, LONE[text], column)

    def _decorate(self, voice: AbcVoice, name: str, column: int) -> None:
        if name in DYNAMICS:
            voice.marks.append(Mark(kind="dynamics", offset=voice.now, text=name, above=False))
        elif name in SIGNS:
            what = SIGNS[name]
            if what.startswith("wedge "):
                voice.marks.append(Mark(kind="wedge", offset=voice.now, text=what[6:], above=False))
            elif what == "breath":
                if self._last(voice) is not None:
                    self._change(voice, breath_after=True)
            else:
                voice.flags[what] = True
        elif name in DECORATIONS:
            voice.decorations.append(name)
        elif not re.fullmatch(
            r"[0-5]|upbow|downbow|open|thumb|snap|plus|arpeggio|[a-z]*phrase|\w*line", name
        ):
            self.tell(column, _("The sign !{name}! is not known and was left out.").format(name=name[:20]))

    def _decorated(self, voice: AbcVoice, column: int) -> dict[str, Any]:
        out: dict[str, Any] = {}
        articulations = []
        for name in voice.decorations:
            field_, value = DECORATIONS[name]
            if field_ == "articulation":
                articulations.append(value)
            else:
                out[field_] = value
        voice.decorations = []
        if articulations:
            out["articulations"] = tuple(dict.fromkeys(articulations))
        return out
