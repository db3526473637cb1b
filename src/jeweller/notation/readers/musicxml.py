"""MusicXML (partwise and timewise, `.xml`, `.musicxml`, `.mxl`) → `Score`, by a plain walk over the elements.

Runs only in the child process of `jeweller.notation.readers.sandbox`: the bytes may be damaged or hostile.
Nothing outside the bytes is ever opened. Times are cumulated in divisions and turned into exact quarter
notes; what is not understood is listed in `Score.warnings`.
"""

from __future__ import annotations

import dataclasses
import re
from collections import Counter
from fractions import Fraction
from typing import Any

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.ids import PLAIN, note_id, pitch_token, unique
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar, Mark, Note, Part, Score
from jeweller.notation.pitch import STEPS, Pitch
from jeweller.notation.readers.musicxml_file import Element, int_of, parse_xml, text_of, to_partwise, unpack
from jeweller.notation.readers.musicxml_marks import MarkReader
from jeweller.notation.readers.vocabulary import ARTICULATIONS
from jeweller.notation.transposition import move_bar
from jeweller.notation.values import TYPE_QUARTERS, guess_type

MAX_BARS = 5000
MAX_NOTES = 100_000

_ORNAMENTS = {
    "trill-mark": "trill",
    "mordent": "mordent",
    "inverted-mordent": "inverted_mordent",
    "turn": "turn",
    "inverted-turn": "inverted_turn",
    "delayed-turn": "turn",
    "shake": "trill",
    "tremolo": "tremolo",
    "schleifer": "schleifer",
}


def read(data: bytes) -> Score:
    """The bytes of a notation file → Score. Raises ScoreError with a sentence for the user.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> from jeweller.notation.writers.musicxml import write_musicxml
    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> len(read(write_musicxml(score)).parts[0].bars)
    1
    """
    if not data.strip():
        raise ScoreError(_("This file is empty."))
    root = parse_xml(unpack(data))
    for element in root.iter():
        if isinstance(element.tag, str) and "}" in element.tag:
            element.tag = element.tag.split("}", 1)[1]
    if root.tag == "score-timewise":
        root = to_partwise(root)
    if root.tag != "score-partwise":
        raise ScoreError(
            _("This is an XML file but no MusicXML score (it begins with <{tag}>).").format(
                tag=str(root.tag)[:40]
            )
        )
    warnings: list[str] = []
    title = text_of(root, "work/work-title") or text_of(root, "movement-title")
    composer = next(
        (c.text or "" for c in root.iterfind("identification/creator") if c.get("type") == "composer"), ""
    )
    if not title:
        credits_ = [c.text or "" for c in root.iterfind("credit/credit-words")]
        title = credits_[0] if credits_ else ""
    names = {p.get("id", ""): p for p in root.iterfind("part-list/score-part")}
    parts = []
    seen: dict[str, int] = {}
    for index, element in enumerate(root.iterfind("part")):
        parts.append(_PartReader(element, names.get(element.get("id", "")), index, seen, warnings).read())
    if not parts:
        raise ScoreError(_("This MusicXML file holds no part."))
    return Score(
        " ".join(title.split())[:200],
        tuple(parts),
        " ".join(composer.split())[:200],
        tuple(dict.fromkeys(warnings)),
    )


def one_voice(bars: list[Bar]) -> tuple[list[Bar], tuple[str, ...], str]:
    """Keeps the voice that holds most notes, and of equals the first: (bars, the voices left out, what is to
    be said of it).

    >>> from fractions import Fraction
    >>> from jeweller.notation.readers.abc import read_abc
    >>> bars = list(read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c4|")[0].parts[0].bars)
    >>> [len(b.notes) for b in one_voice(bars)[0]]
    [4, 1]
    """
    count = Counter(n.voice for b in bars for n in b.notes if not n.is_rest and not n.cue)
    voices = sorted({n.voice for b in bars for n in b.notes}, key=lambda v: (len(v), v))
    if len(voices) <= 1:
        return bars, (), ""
    best = max(voices, key=lambda v: (count[v], -voices.index(v)))
    # A bar may be written in another voice alone: there that voice is the line.
    kept = []
    for bar in bars:
        here = {n.voice for n in bar.notes if not n.is_rest}
        use = best if best in here or not here else min(here, key=voices.index)
        if not here and bar.notes:
            here_all = {n.voice for n in bar.notes}
            use = best if best in here_all else min(here_all, key=voices.index)
        kept.append(dataclasses.replace(bar, notes=tuple(n for n in bar.notes if n.voice == use)))
    left = tuple(v for v in voices if v != best and count[v])
    return (
        kept,
        left,
        _("several voices: voice {best} is used, the others are left out").format(best=best) if left else "",
    )


class _PartReader(MarkReader):
    """Walks one <part>: keeps the signature in force and the time within the bar."""

    def __init__(
        self, element: Element, head: Element | None, index: int, seen: dict[str, int], warnings: list[str]
    ) -> None:
        self.element, self.index, self.seen, self.warnings = element, index, seen, warnings
        self.name = text_of(head, "part-name") if head is not None else ""
        self.instrument = (
            text_of(head, "score-instrument/instrument-name") if head is not None else ""
        ) or self.name
        struck = list(head.iterfind("score-instrument")) if head is not None else []
        self.struck = (
            {s.get("id", ""): text_of(s, "instrument-name") for s in struck} if len(struck) > 1 else {}
        )
        self.divisions = Fraction(1)
        self.fifths, self.mode = 0, "major"
        self.beats, self.beat_type = 4, 4
        self.clef: tuple[str, int, int] = ("G", 2, 0)
        self.diatonic = self.chromatic = 0
        self.percussion = False
        self.ending: tuple[int, ...] = ()
        self.staff = "1"

    def warn(self, text: str) -> None:
        self.warnings.append(f"{self.name or _('part {n}').format(n=self.index + 1)}: {text}")

    def read(self) -> Part:
        measures = self.element.findall("measure")
        if len(measures) > MAX_BARS:
            raise ScoreError(
                _("This score has {n} bars; more than {max_bars} are not opened.").format(
                    n=len(measures), max_bars=MAX_BARS
                )
            )
        bars: list[Bar] = []
        moved: list[tuple[int, int]] = []  # how each bar's notes are transposed
        total = 0
        for i, measure in enumerate(measures):
            bars.append(self.read_bar(measure, i))
            moved.append((self.chromatic, self.diatonic))
            total += len(bars[-1].notes)
            if total > MAX_NOTES:
                raise ScoreError(
                    _("This part has more than {max_notes} notes and is not opened.").format(
                        max_notes=MAX_NOTES
                    )
                )
        chromatic, diatonic = moved[0] if moved else (0, 0)
        other = next((k for k, m in enumerate(moved) if m[0] != chromatic), None)
        if other is not None:
            self.warn(
                _("it changes its transposition in bar {number}; it is written for one throughout").format(
                    number=bars[other].number
                )
            )
            bars = [
                b if m[0] == chromatic else move_bar(b, m[0] - chromatic, m[1] - diatonic)
                for b, m in zip(bars, moved, strict=True)
            ]
        bars, left_out, warning = one_voice(bars)
        if warning:
            self.warn(warning)
        if bars and not any(b.final_bar for b in bars):
            bars[-1] = dataclasses.replace(bars[-1], final_bar=True)
        unpitched = sum(n.unpitched for b in bars for n in b.notes)
        pitched = sum(n.pitch is not None for b in bars for n in b.notes)
        return Part(
            id=self.element.get("id") or f"P{self.index + 1}",
            name=self.name or f"Part {self.index + 1}",
            instrument=self.instrument,
            diatonic=diatonic,
            chromatic=chromatic,
            bars=tuple(bars),
            percussion=unpitched > pitched,
            voices_left_out=left_out,
        )

    # ---- one bar

    def read_bar(self, measure: Element, index: int) -> Bar:
        self.now = self.longest = self.struck_at = Fraction(0)
        self.chord_begun = False
        self.notes: list[Note] = []
        self.marks: list[Mark] = []
        self.flags: dict[str, Any] = {}
        self.ending_closes = False
        for child in measure:
            if child.tag == "note":
                self.read_note(child, measure, index)
            elif child.tag in ("backup", "forward"):
                amount = self._duration(child)
                self.now = self._place(
                    max(Fraction(0), self.now - amount) if child.tag == "backup" else self.now + amount
                )
                self.longest = max(self.longest, self.now)
            elif child.tag == "attributes":
                self.read_attributes(child)
            elif child.tag == "direction":
                self.read_direction(child)
            elif child.tag == "sound":
                self.read_sound(child)
            elif child.tag == "barline":
                self.read_barline(child)
        number = (measure.get("number") or str(index + 1)).strip()[:12]
        metre = Metre(self.beats, self.beat_type).length
        length = self.longest if self.longest > 0 else metre
        if length > metre * 4 and length > 32:
            raise ScoreError(
                _(
                    "Bar {number} is {length:g} quarters long where the metre asks for {metre:g}; "
                    "the file is damaged."
                ).format(number=number, length=float(length), metre=float(metre))
            )
        notes = [
            dataclasses.replace(n, duration=length, whole_bar=True)
            if n.whole_bar and len(self.notes) == 1
            else n
            for n in self.notes
        ]
        ending = self.ending
        if self.ending_closes:
            self.ending = ()
        return Bar(
            number=number,
            length=length,
            beats=self.beats,
            beat_type=self.beat_type,
            fifths=self.fifths,
            mode=self.mode,
            clef=self.clef,
            notes=tuple(notes),
            marks=tuple(self.marks),
            implicit=measure.get("implicit") == "yes" or (index == 0 and length < metre),
            ending=ending,
            **self.flags,
        )

    def read_attributes(self, element: Element) -> None:
        text = text_of(element, "divisions")
        if text:
            try:
                self.divisions = Fraction(text)
            except (ValueError, ZeroDivisionError):
                self.divisions = Fraction(0)
            if not 0 < self.divisions <= 10**7:
                raise ScoreError(
                    _(
                        "The file gives {text} divisions to a quarter note, which cannot be; it is damaged."
                    ).format(text=text[:20])
                )
        key = element.find("key")
        if key is not None:
            self.fifths = int_of(text_of(key, "fifths"), 0, -7, 7)
            self.mode = "minor" if text_of(key, "mode") == "minor" else "major"
        time = element.find("time")
        if time is not None and time.find("beats") is not None:
            beats = sum(
                int_of(b, 0, 0, 64) for t in time.iterfind("beats") for b in (t.text or "").split("+")
            )
            beat_type = int_of(text_of(time, "beat-type"), 4, 0, 64)
            if not 0 < beats <= 64 or beat_type not in (1, 2, 4, 8, 16, 32, 64):
                raise ScoreError(
                    _("The metre {text}/{text2} cannot be read; the file is damaged.").format(
                        text=text_of(time, "beats")[:12], text2=text_of(time, "beat-type")[:12]
                    )
                )
            self.beats, self.beat_type = beats, beat_type
        for clef in element.iterfind("clef"):
            if clef.get("number", "1") != "1":
                continue
            sign = text_of(clef, "sign") or "G"
            default = {"G": 2, "F": 4, "C": 3}.get(sign, 2)
            self.clef = (
                sign if sign in ("G", "F", "C", "percussion", "TAB", "none") else "G",
                int_of(text_of(clef, "line"), default, 1, 5),
                int_of(text_of(clef, "clef-octave-change"), 0, -2, 2),
            )
        transpose = element.find("transpose")
        if transpose is not None:
            octave = int_of(text_of(transpose, "octave-change"), 0, -3, 3)
            self.chromatic = int_of(text_of(transpose, "chromatic"), 0, -36, 36) + 12 * octave
            self.diatonic = int_of(text_of(transpose, "diatonic"), 0, -21, 21) + 7 * octave

    def _duration(self, element: Element) -> Fraction:
        text = text_of(element, "duration")
        try:
            value = Fraction(text or "0") / self.divisions
        except (ValueError, ZeroDivisionError):
            raise ScoreError(
                _("A duration in this file cannot be read ({text!r}); it is damaged.").format(text=text[:20])
            ) from None
        if not 0 <= value <= 1000:
            raise ScoreError(
                _("A duration in this file is {min:g} quarters, which cannot be; it is damaged.").format(
                    min=float(min(value, Fraction(10**9)))
                )
            )
        return value

    def _unrounded(self, element: Element) -> Fraction:
        """The length of a note; that of a tuplet which the file's divisions cannot hold as its printed value
        says it.
        """
        duration, modification, kind = (
            self._duration(element),
            element.find("time-modification"),
            text_of(element, "type"),
        )
        if modification is None or kind not in TYPE_QUARTERS:
            return duration
        actual, normal = (
            int_of(text_of(modification, "actual-notes"), 3, 1, 64),
            int_of(text_of(modification, "normal-notes"), 2, 1, 64),
        )
        printed = (
            TYPE_QUARTERS[kind]
            * (2 - Fraction(1, 2 ** min(4, len(element.findall("dot")))))
            * normal
            / actual
        )
        return printed if duration and abs(printed - duration) < 1 / self.divisions else duration

    def _place(self, at: Fraction) -> Fraction:
        """A place that was reached in rounded lengths, drawn to the note or bar line within two divisions of
        it.
        """
        near = min(
            (Fraction(0), *(n.offset for n in self.notes), *(n.offset + n.duration for n in self.notes)),
            key=lambda x: abs(x - at),
        )
        return near if abs(near - at) < 2 / self.divisions and (at - near).denominator > 64 else at

    def read_note(self, element: Element, measure: Element, index: int) -> None:
        grace, cue, chord = (
            element.find("grace"),
            element.find("cue") is not None,
            element.find("chord") is not None,
        )
        duration = Fraction(0) if grace is not None else self._unrounded(element)
        start = self.now
        if chord:
            start = self.struck_at
        elif grace is None:
            self.now += duration
            self.longest = max(self.longest, self.now)
        if not chord:
            self.struck_at, self.chord_begun = start, False
        if element.findtext("staff", "1").strip() != self.staff:
            if self.staff == "1" and "staves" not in self.flags:
                self.warn(_("written on several staves: the first is used"))
            return
        pitch_element, rest = element.find("pitch"), element.find("rest")
        pitch = None
        if pitch_element is not None:
            pitch = self._pitch(pitch_element)
        unpitched = pitch is None and element.find("unpitched") is not None
        if pitch is None and not unpitched and rest is None:
            return
        stroke, display = self._struck(element) if unpitched else ("", "")
        modification = element.find("time-modification")
        tuplet = None
        if modification is not None:
            tuplet = (
                int_of(text_of(modification, "actual-notes"), 3, 1, 64),
                int_of(text_of(modification, "normal-notes"), 2, 1, 64),
            )
        type_ = text_of(element, "type")
        dots = len(element.findall("dot"))
        if type_ not in TYPE_QUARTERS:
            type_, dots, tuplet = guess_type(duration, tuplet) if grace is None else ("eighth", 0, None)
        accidental = element.find("accidental")
        found = self._notations(element)
        ties = {t.get("type") for t in element.iterfind("tie")} | {
            t.get("type") for t in element.iterfind("notations/tied")
        }
        if pitch is not None and not cue and grace is None and duration == 0:
            return
        # A chord may begin on the other staff: here its first note is the first that stands on this one.
        chord, self.chord_begun = chord and self.chord_begun, True
        self.notes.append(
            Note(
                id=self._id(element, measure, start, pitch),
                offset=start,
                duration=duration,
                pitch=pitch,
                unpitched=unpitched,
                type=type_,
                dots=dots,
                tuplet=tuplet,
                grace=grace is not None,
                slash=grace is not None and grace.get("slash") == "yes",
                cue=cue,
                chord=chord,
                voice=(element.findtext("voice") or "1").strip()[:8],
                tie_start="start" in ties,
                tie_stop="stop" in ties,
                accidental=(accidental.text or "").strip() if accidental is not None else None,
                cautionary=accidental is not None
                and "yes" in (accidental.get("cautionary"), accidental.get("parentheses")),
                beams=tuple((b.text or "").strip() for b in element.iterfind("beam")),
                whole_bar=rest is not None and (rest.get("measure") == "yes" or (start == 0 and not type_)),
                stroke=stroke,
                display=display,
                **found,
            )
        )

    def _struck(self, element: Element) -> tuple[str, str]:
        """What a note without pitch strikes, and its place on the staff."""
        place = (
            text_of(element, "unpitched/display-step").upper()[:1]
            + text_of(element, "unpitched/display-octave")[:1]
        )
        instrument = element.find("instrument")
        name = self.struck.get(instrument.get("id", ""), "") if instrument is not None else ""
        return name or (_("line {place}").format(place=place) if place else ""), place

    def _pitch(self, element: Element) -> Pitch:
        step, octave = text_of(element, "step").upper(), text_of(element, "octave")
        try:
            alter = float(text_of(element, "alter") or 0)
            pitch = Pitch(step, round(alter), int(octave))
        except (ValueError, OverflowError):
            raise ScoreError(
                _("A pitch in this file cannot be read (octave {octave!r}); it is damaged.").format(
                    octave=octave[:20]
                )
            ) from None
        if step not in STEPS or not step or abs(pitch.alter) > 2 or not 0 <= pitch.octave <= 9:
            raise ScoreError(
                _(
                    "A pitch in this file cannot be played (step {step!r}, octave {octave}); it is damaged."
                ).format(step=step[:4], octave=octave[:12])
            )
        if alter != round(alter):
            self.warn(_("quarter tones are read as the nearest semitone"))
        return pitch

    def _notations(self, element: Element) -> dict[str, Any]:
        starts: list[str] = []
        stops: list[str] = []
        articulations: list[str] = []
        ornament, tuplet_mark, fermata, breath = None, "", False, False
        for notations in element.iterfind("notations"):
            for child in notations:
                if child.tag == "slur":
                    {"start": starts, "stop": stops}.get(child.get("type", ""), []).append(
                        child.get("number", "1")
                    )
                elif child.tag == "fermata":
                    fermata = True
                elif child.tag == "tuplet":
                    tuplet_mark = child.get("type", "")
                elif child.tag == "articulations":
                    for mark in child:
                        if mark.tag in ("breath-mark", "caesura"):
                            breath = True
                        elif mark.tag in ARTICULATIONS:
                            articulations.append(str(mark.tag))
                elif child.tag == "ornaments":
                    ornament = next((_ORNAMENTS[o.tag] for o in child if o.tag in _ORNAMENTS), ornament)
        return {
            "slur_starts": tuple(starts),
            "slur_stops": tuple(stops),
            "articulations": tuple(articulations),
            "ornament": ornament,
            "tuplet_mark": tuplet_mark,
            "fermata": fermata,
            "breath_after": breath,
        }

    def _id(self, element: Element, measure: Element, start: Fraction, pitch: Pitch | None) -> str:
        wanted = element.get("id") or ""
        if not PLAIN.fullmatch(wanted):
            bar = re.sub(r"\W", "", measure.get("number", ""))
            wanted = note_id(f"p{self.index + 1}", f"b{bar}", start, pitch_token(pitch))
        return unique(wanted, self.seen)
