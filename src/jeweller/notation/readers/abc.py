"""ABC notation (the open text format, version 2.1) → `Score`: one tune or a tunebook, each voice a part.

Source: the ABC standard 2.1. What is not understood is left out and told with its place, so that an editor
can show it there. An accidental holds for its own octave to the end of the bar. Reads text only;
`jeweller.notation.readers.detect` decodes the bytes.
"""

from __future__ import annotations

import dataclasses
import re
from fractions import Fraction
from typing import Any

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.ids import note_id, pitch_token, unique
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar, Note, Part, Score
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.readers.abc_cures import DOT_BEHIND, cure_of, slip_at
from jeweller.notation.readers.abc_fields import ALTER
from jeweller.notation.readers.abc_head import NOTE, Problem, tell_problems, tunes_of
from jeweller.notation.readers.abc_signs import AbcSigns
from jeweller.notation.readers.abc_slips import tell_length, tell_loose, tell_open
from jeweller.notation.readers.abc_voice import AbcTune, AbcVoice
from jeweller.notation.values import guess_type

MOST_SLASHES = 8  # behind a note: shorter is none that is written
HIGHEST = 108  # MIDI: no instrument of a band plays higher
MAX_TUNES, MAX_NOTES, MAX_BARS = 2000, 100_000, 5000
ACCIDENTAL = {1: "sharp", 2: "double-sharp", 0: "natural", -1: "flat", -2: "flat-flat"}

TOKEN = re.compile(
    r"(?P<space>[ \t`]+)|(?P<inline>\[(?=[A-Za-z]:)[^\]]*\])"
    r"|(?P<bar>:*\|+\]?:*(?:\[?[1-9][0-9,-]*)?|\[\||:+\[?[1-9][0-9,-]*|::+|\[[1-9][0-9,-]*|\|\])"
    r'|(?P<text>"[^"]*")|(?P<deco>![^!\s]*!|\+[^+\s]*\+)|(?P<grace>\{/?[^}]*\})|(?P<tuplet>\([2-9](?::[0-9]*){0,2})'
    r"|(?P<note>(?:\^\^|\^|__|_|=)?[A-Ga-g][,']*(?:[0-9]*/*[0-9]*))|(?P<rest>[zx](?:[0-9]*/*[0-9]*))|(?P<bars>[ZX][0-9]*)"
    r"|(?P<chord>\[[^\]|:]*\](?:[0-9]*/*[0-9]*))|(?P<broken><+|>+)|(?P<slur>\.?\()|(?P<close>\))|(?P<tie>\.?-)|(?P<lone>[.~TMPHLSO])"
    r"|(?P<nothing>[uvy$*]|y[0-9]*)"
)
REST = re.compile(r"[zx]([0-9]*)(/*)([0-9]*)")
LENGTH = re.compile(r"([0-9]*)(/*)([0-9]*)")
BAR_SIGN = re.compile(r"(.*?)(?:\[?([1-9][0-9,-]*))?")


def _matched(pattern: re.Pattern[str], text: str) -> re.Match[str]:
    """The match of a token that was told apart by the same letters. Raises ScoreError."""
    match = pattern.fullmatch(text)
    if match is None:
        raise ScoreError(_("“{text}” is not understood here.").format(text=text[:12]))
    return match


def read_abc(text: str) -> list[Score]:
    """Every tune of the text, with what was not understood among its warnings. Raises ScoreError where there
    is none.

    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> score.title, [n.pitch.name for n in score.parts[0].bars[0].notes]
    ('A line', ['F4', 'G4', 'A4', 'B♭4'])
    """
    scores = []
    for tune in tunes_of(text)[:MAX_TUNES]:
        score, problems = parse_tune(tune.text, first_line=tune.line)
        if score.parts:
            scores.append(dataclasses.replace(score, warnings=tell_problems(problems)))
    if not scores:
        raise ScoreError(_("There are no notes in this ABC text."))
    return scores


def parse_tune(text: str, *, first_line: int = 1) -> tuple[Score, tuple[Problem, ...]]:
    """One tune, and what was not understood of it, in the order of the text. Nothing in the text raises.

    >>> score, problems = parse_tune("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A|")
    >>> len(problems)
    0
    """
    reader = Reader(first_line)
    reader.read(text)
    return reader.score(), tuple(sorted(reader.problems, key=lambda p: (p.line, p.column)))


class Reader(AbcSigns):
    """A tune as it is read: `voices` hold what there is so far, `problems` what was not understood."""

    def __init__(self, first_line: int) -> None:
        self.problems: list[Problem] = []
        self.tune = AbcTune()
        self.voices: dict[str, AbcVoice] = {}
        self.voice: AbcVoice | None = None
        self.number = first_line - 1
        self.count = 0
        self.ids: dict[str, int] = {}
        self.heads: dict[str, str] = {}

    def read(self, text: str, *, whole: bool = True) -> None:
        """Reads lines of a tune; where they are not the whole of it, its last bar stays open."""
        header, skipped = True, False
        for raw in text.splitlines():
            self.number += 1
            line = re.sub(r"(?<!\\)%.*$", "", raw) if not raw.startswith("%%") else ""
            if not line.strip():
                skipped = header and bool(self.tune.titles) and not raw.strip() and not raw.startswith("%")
                continue
            match = re.match(r"([A-Za-z+]):(.*)$", line)
            if match and not line.startswith(("|", "[")):
                key, value = match[1], match[2].strip()
                if header:
                    self.head(key, value, 3)
                    header = key != "K"
                else:
                    self.body_field(key, value, 3)
                continue
            if header:
                if skipped or "|" not in line:
                    continue  # free text between tunes
                self.tell(
                    1,
                    (
                        _(
                            "The music begins before a key is given: write K: and the key before "
                            "it. It is read in C major."
                        )
                    ),
                )
                header = False
            self.music(line.rstrip("\\"), 0)
        for voice in self.voices.values():
            if voice.notes and whole:
                self.close_bar(voice)
            if voice.bars and whole:
                self.problems += tell_open(voice, self.number)

    # ---- fields

    # ---- music

    def music(self, line: str, start: int) -> None:
        at = start
        while at < len(line):
            column = at + 1
            slip = slip_at(line, at)
            if slip is not None:
                at, words = slip
                self.tell(column, words)
                continue
            match = TOKEN.match(line, at)
            if match is None:
                if line[at] == "&":
                    self.tell(column, _("A second voice laid over the bar (&) is left out."))
                    at = next((k for k in range(at, len(line)) if line[k] == "|"), len(line))
                    continue
                self.tell(column, cure_of(line[at]))
                at += 1
                continue
            at = match.end()
            kind, text = str(match.lastgroup), match[0]
            if kind in ("space", "nothing"):
                continue
            if kind == "inline":
                self.body_field(text[1], text[3:-1].strip(), column + 3)
                continue
            voice = self.current()
            behind = voice.notes and line[at - 2 : at - 1].strip() and line[at : at + 1] in ("", " ", "|")
            if text == "." and behind:
                self.tell(column, _(DOT_BEHIND))
                continue
            if not voice.notes and voice.now == 0:
                voice.place = (self.number, column)
                voice.text_from = at - len(text)
            if kind == "bar":
                voice.text = line[voice.text_from : at - len(text)]
            getattr(self, f"_{kind}")(voice, text, column)

    def _duration(self, voice: AbcVoice, number: str, slashes: str, divisor: str) -> Fraction:
        value = Fraction(int(number) if number else 1)
        if slashes:
            value /= int(divisor) if divisor and int(divisor) else 2 ** min(len(slashes), MOST_SLASHES)
        return value * voice.default_unit()

    def _timed(self, voice: AbcVoice, duration: Fraction) -> tuple[Fraction, tuple[int, int] | None, str]:
        """(quarters, tuplet, its mark) of a note in a broken rhythm or a tuplet."""
        if voice.broken is not None:
            duration *= voice.broken[1]
            voice.broken = None
        if voice.tuplet is None:
            return duration, None, ""
        actual, normal, left = voice.tuplet
        mark = "start" if voice.tuplet_begins else "stop" if left == 1 else ""
        voice.tuplet_begins = False
        voice.tuplet = (actual, normal, left - 1) if left > 1 else None
        return duration * Fraction(normal, actual), (actual, normal), mark

    def _pitch(
        self, voice: AbcVoice, sign: str, letter: str, octaves: str, *, inside: bool = False
    ) -> tuple[Pitch, str | None]:
        """A pitch, and its accidental where one is printed; `inside` a chord whose first note was read."""
        step = letter.upper()
        octave = (5 if letter.islower() else 4) + octaves.count("'") - octaves.count(",") + voice.octave
        key = (step, octave)
        if sign:
            voice.state[key] = ALTER[sign]
        if key in voice.state:
            alter = voice.state[key]
        elif key in (voice.arriving if inside else voice.ties):
            alter = (
                voice.notes[-1].pitch.alter
                if voice.notes and voice.notes[-1].pitch
                else self._last_alter(voice)
            )
        else:
            alter = voice.altered.get(step, key_alter(step, voice.fifths))
        shown = sign or (
            step in voice.altered
            and voice.altered[step] != key_alter(step, voice.fifths)
            and key not in voice.state
        )
        if shown and not sign:
            voice.state[key] = alter
        return Pitch(step, alter, octave), ACCIDENTAL[alter] if shown else None

    @staticmethod
    def _last_alter(voice: AbcVoice) -> int:
        last = voice.bars[-1].notes[-1].pitch if voice.bars and voice.bars[-1].notes else None
        return last.alter if last is not None else 0

    def _note(self, voice: AbcVoice, text: str, column: int) -> None:
        self.count += 1
        if self.count > MAX_NOTES:
            raise ScoreError(
                _("This tune has more than {max_notes} notes and is not opened.").format(max_notes=MAX_NOTES)
            )
        match = _matched(NOTE, text)
        pitch, accidental = self._pitch(voice, match[1] or "", match[2], match[3])
        if pitch.octave < 0 or pitch.midi > HIGHEST:
            self.tell(
                column, _("{text} lies outside what any instrument plays and was left out.").format(text=text)
            )
            return
        duration, tuplet, mark = self._timed(voice, self._duration(voice, match[4], match[5], match[6]))
        self._put(voice, pitch, accidental, duration, tuplet, mark, column)

    def _rest(self, voice: AbcVoice, text: str, column: int) -> None:
        match = _matched(REST, text)
        duration, tuplet, mark = self._timed(voice, self._duration(voice, match[1], match[2], match[3]))
        self._put(voice, None, None, duration, tuplet, mark, column)

    def _put(
        self,
        voice: AbcVoice,
        pitch: Pitch | None,
        accidental: str | None,
        duration: Fraction,
        tuplet: tuple[int, int] | None,
        mark: str,
        column: int,
        *,
        chord: bool = False,
    ) -> None:
        if not 0 < duration <= 64:
            self.tell(column, _("This length cannot be; the note was left out."))
            return
        kind, dots, ratio = guess_type(duration, tuplet)
        given = {} if chord else self._decorated(voice, column)
        key = (pitch.step, pitch.octave) if pitch else None
        if not chord:
            if voice.ties and key is not None and key not in voice.ties:
                self.tell(
                    column, _("The tie before this note leads to another pitch: a slur is written ( ).")
                )
            voice.arriving, voice.ties = voice.ties, set()
        joined = key is not None and key in voice.arriving
        if not chord:
            voice.notes.extend(voice.graces)
            voice.graces = []
            voice.slurs.extend(voice.opened)
        note = Note(
            id=self._id(voice, voice.now, pitch),
            offset=voice.now,
            duration=duration,
            pitch=pitch,
            type=kind,
            dots=dots,
            tuplet=ratio,
            tuplet_mark=mark,
            accidental=accidental,
            tie_stop=joined,
            slur_starts=() if chord else tuple(str(s) for s in voice.opened),
            chord=chord,
            **given,
        )
        if not chord:
            voice.opened = []
        voice.notes.append(note)
        if not chord:
            voice.now += duration

    def _chord(self, voice: AbcVoice, text: str, column: int) -> None:
        inner, _unused, tail = text[1:].rpartition("]")
        pitches = list(NOTE.finditer(inner))
        if not pitches:
            self.tell(column, _("“{text}” holds no notes and was left out.").format(text=text[:12]))
            return
        match = _matched(LENGTH, tail)
        first = pitches[0]
        length = (
            self._duration(voice, first[4], first[5], first[6])
            * self._duration(voice, match[1], match[2], match[3])
            / voice.default_unit()
        )
        duration, tuplet, mark = self._timed(voice, length)
        start, tied = voice.now, set[tuple[str, int]]()
        for k, m in enumerate(pitches):
            pitch, accidental = self._pitch(voice, m[1] or "", m[2], m[3], inside=k > 0)
            end, voice.now = voice.now, start
            self._put(voice, pitch, accidental, duration, tuplet, mark if not k else "", column, chord=k > 0)
            if inner[m.end() : m.end() + 1] == "-" and voice.notes:
                voice.notes[-1] = dataclasses.replace(voice.notes[-1], tie_start=True)
                tied.add((pitch.step, pitch.octave))
            voice.now = max(end, voice.now)
        voice.ties |= tied

    def _bars(self, voice: AbcVoice, text: str, column: int) -> None:
        """Whole bars of rest."""
        count = int(text[1:] or 1)
        if count > MAX_BARS:
            self.tell(
                column, _("{count} bars of rest are more than a part has; one is taken.").format(count=count)
            )
            count = 1
        for k in range(count):
            length = Metre(voice.beats, voice.beat_type).length
            kind, dots, _unused = guess_type(length)
            voice.notes.append(
                Note(
                    id=self._id(voice, Fraction(0), None),
                    offset=Fraction(0),
                    duration=length,
                    pitch=None,
                    type=kind,
                    dots=dots,
                    whole_bar=True,
                )
            )
            voice.now = length
            if k < count - 1:
                self.close_bar(voice)
        voice.ties = set()

    # ---- bars

    def _bar(self, voice: AbcVoice, text: str, column: int) -> None:
        sign = _matched(BAR_SIGN, text)
        line, numbers = sign[1].rstrip("["), sign[2]
        ends = line.startswith(":")
        if voice.notes:
            flags: dict[str, Any] = {}
            if ends:
                flags["repeat_times"] = (
                    max(2, 1 + len(line) - len(line.lstrip(":"))) if line.strip(":") else 2
                )
            elif line.startswith("||"):
                flags["double_bar"] = True
            if line.rstrip(":").endswith("|]"):
                flags["final_bar"] = not ends
            self.close_bar(
                voice,
                flags,
                ends_ending=bool(voice.ending)
                and (ends or line.startswith(("||", "|]", "|:")) or bool(numbers)),
            )
        elif ends and voice.bars and not voice.bars[-1].repeat_times:
            voice.bars[-1] = dataclasses.replace(voice.bars[-1], repeat_times=2)
        if line.endswith(":") and line != ":" and (line.rstrip(":") != "" or line == "::"):
            voice.flags["repeat_start"] = True
        if numbers:
            voice.ending = tuple(n for piece in numbers.split(",") if piece for n in _span(piece))
            voice.flags["ending_start"] = True

    def close_bar(
        self, voice: AbcVoice, flags: dict[str, Any] | None = None, *, ends_ending: bool = False
    ) -> None:
        if len(voice.bars) >= MAX_BARS:
            raise ScoreError(
                _("This tune has more than {max_bars} bars and is not opened.").format(max_bars=MAX_BARS)
            )
        metre = Metre(voice.beats, voice.beat_type).length
        first = not voice.bars
        if first:
            voice.first_place = voice.place
        if voice.graces:  # after the last note of the bar: they stand before the next one
            voice.graces = [dataclasses.replace(g, offset=Fraction(0)) for g in voice.graces]
        implicit = voice.now < metre and (first or self._half_before_repeat(voice, metre))
        stop = (
            {"ending_stop": "stop" if (flags or {}).get("repeat_times") else "discontinue"}
            if ends_ending
            else {}
        )
        number = str(
            len(voice.bars) + (0 if voice.bars and voice.bars[0].implicit else 1)
            if not (first and implicit)
            else 0
        )
        voice.bars.append(
            Bar(
                number=number,
                length=voice.now,
                beats=voice.beats,
                beat_type=voice.beat_type,
                fifths=voice.fifths,
                mode=voice.mode,
                clef=voice.clef,
                notes=tuple(voice.notes),
                marks=tuple(voice.marks),
                implicit=implicit,
                ending=voice.ending,
                **{**voice.flags, **(flags or {}), **stop},
            )
        )
        if voice.now != metre and not implicit and not voice.free:
            self.problems.append(tell_length(voice, number, metre))
        self.problems += tell_loose(voice)
        if ends_ending:
            voice.ending = ()
        voice.flags = {}
        graces = voice.graces
        voice.begin_bar()
        voice.graces = graces

    @staticmethod
    def _half_before_repeat(voice: AbcVoice, metre: Fraction) -> bool:
        """Whether a short bar pays back a short one before it, at a repeat or at the end."""
        short = [b.length for b in voice.bars if b.length < metre]
        return bool(short) and voice.now + short[-1] == metre

    def _id(self, voice: AbcVoice, offset: Fraction, pitch: Pitch | None, what: str = "") -> str:
        index = list(self.voices.values()).index(voice) + 1
        return unique(
            note_id(f"p{index}", f"m{len(voice.bars) + 1}", offset, what + pitch_token(pitch)), self.ids
        )

    def score(self) -> Score:
        parts = []
        for k, voice in enumerate(self.voices.values()):
            if not voice.bars:
                continue
            bars = list(voice.bars)
            if not any(b.final_bar for b in bars):
                bars[-1] = dataclasses.replace(bars[-1], final_bar=True)
            name = voice.name or (
                self.tune.titles[0]
                if len(self.voices) == 1 and self.tune.titles
                else _("Part {k}").format(k=k + 1)
            )
            diatonic = round(voice.chromatic * 7 / 12)
            parts.append(
                Part(
                    id=f"P{k + 1}",
                    name=name[:80],
                    instrument=voice.name[:80],
                    diatonic=diatonic,
                    chromatic=voice.chromatic,
                    bars=tuple(bars),
                )
            )
        return Score(
            " ".join(" · ".join(self.tune.titles).split())[:200], tuple(parts), self.tune.composer[:200]
        )


def _span(piece: str) -> list[int]:
    first, _unused, last = piece.partition("-")
    return (
        list(range(int(first), min(int(last or first), int(first) + 20) + 1))
        if first.isdigit() and (not last or last.isdigit())
        else [1]
    )
