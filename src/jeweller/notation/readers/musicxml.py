"""MusicXML (partwise and timewise, `.xml`, `.musicxml`, `.mxl`) → `Score`, by a plain walk over the elements.

Runs only in the child process of `jeweller.notation.readers.sandbox`: the bytes may be damaged or hostile.
Nothing outside the bytes is ever opened. Times are cumulated in divisions and turned into exact quarter
notes; what is not understood is listed in `Score.warnings`.
"""

from __future__ import annotations

import dataclasses
import io
import re
import zipfile
from collections import Counter
from fractions import Fraction
from typing import Any

from lxml import etree

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.ids import PLAIN, note_id, pitch_token, unique
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar, Mark, Note, Part, Score
from jeweller.notation.pitch import STEPS, Pitch
from jeweller.notation.readers.vocabulary import ARTICULATIONS, JUMP_WORDS
from jeweller.notation.values import TYPE_QUARTERS, guess_type

MAX_BYTES = 64 * 2**20  # of XML text: far beyond any band score
MAX_BARS = 5000
MAX_NOTES = 100_000
Element = Any

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


def unpack(data: bytes) -> bytes:
    """The XML bytes of a `.mxl` archive (or `data` itself where it is no archive). Raises ScoreError."""
    if data[:4] != b"PK\x03\x04":
        return data
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            sizes = {i.filename: i.file_size for i in archive.infolist()}
            name = _rootfile(archive, sizes)
            if sizes[name] > MAX_BYTES:
                raise ScoreError(
                    _(
                        "The score in this .mxl file would unpack to {sizes} MB; more than 64 MB is "
                        "not opened."
                    ).format(sizes=sizes[name] // 2**20)
                )
            with archive.open(name) as member:
                text = member.read(MAX_BYTES + 1)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise ScoreError(
            _(
                "This .mxl file is damaged and cannot be unpacked ({error}). Export it again from "
                "the notation program."
            ).format(error=error)
        ) from error
    if len(text) > MAX_BYTES:
        raise ScoreError(_("The score in this .mxl file unpacks to more than 64 MB and is not opened."))
    return text


def _rootfile(archive: zipfile.ZipFile, sizes: dict[str, int]) -> str:
    name = ""
    if sizes.get("META-INF/container.xml", MAX_BYTES) < 2**20:
        root = parse_xml(archive.read("META-INF/container.xml"))
        for element in root.iter("{*}rootfile"):
            if (
                element.get("media-type", "application/vnd.recordare.musicxml+xml")
                == "application/vnd.recordare.musicxml+xml"
            ):
                name = element.get("full-path", "")
                break
    if not name:
        name = next(
            (n for n in sizes if n.lower().endswith((".xml", ".musicxml")) and not n.startswith("META-INF/")),
            "",
        )
    if name.startswith(("/", "\\")) or ".." in re.split(r"[/\\]", name) or ":" in name:
        raise ScoreError(_("This .mxl file points outside itself and is not opened."))
    if name not in sizes:
        raise ScoreError(_("This .mxl file holds no score. Export it again from the notation program."))
    return name


def parse_xml(data: bytes, what: str = "MusicXML") -> Element:
    """Well-formed XML → root element, without entities, network or external files. Raises ScoreError."""
    if len(data) > MAX_BYTES:
        raise ScoreError(_("This file is larger than 64 MB; a score of that size is not opened."))
    parser = etree.XMLParser(
        resolve_entities=False,
        no_network=True,
        load_dtd=False,
        huge_tree=False,
        remove_comments=True,
        remove_pis=True,
    )
    try:
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise ScoreError(
            _("This is not a readable {what} file: {why}.").format(
                what=what, why=str(error).splitlines()[0] if str(error) else _("it is empty")
            )
        ) from error
    dtd: Any = root.getroottree().docinfo.internalDTD
    if dtd is not None and any(True for _unused in dtd.iterentities()):
        raise ScoreError(
            _("This file defines its own XML entities, which a score never needs; it is not opened.")
        )
    return root


def read(data: bytes) -> Score:
    """The bytes of a notation file → Score. Raises ScoreError with a sentence for the user."""
    if not data.strip():
        raise ScoreError(_("This file is empty."))
    root = parse_xml(unpack(data))
    for element in root.iter():
        if isinstance(element.tag, str) and "}" in element.tag:
            element.tag = element.tag.split("}", 1)[1]
    if root.tag == "score-timewise":
        root = _to_partwise(root)
    if root.tag != "score-partwise":
        raise ScoreError(
            _("This is an XML file but no MusicXML score (it begins with <{tag}>).").format(
                tag=str(root.tag)[:40]
            )
        )
    warnings: list[str] = []
    title = _text(root, "work/work-title") or _text(root, "movement-title")
    composer = next(
        (c.text or "" for c in root.iterfind("identification/creator") if c.get("type") == "composer"), ""
    )
    if not title:
        credits_ = [c.text or "" for c in root.iterfind("credit/credit-words")]
        title = credits_[0] if credits_ else ""
    names = {p.get("id", ""): p for p in root.iterfind("part-list/score-part")}
    parts = []
    seen: set[str] = set()
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


def _to_partwise(root: Element) -> Element:
    new = etree.Element("score-partwise")
    parts: dict[str, Element] = {}
    for child in root:
        if child.tag != "measure":
            new.append(child)
            continue
        for part in child.iterfind("part"):
            key = part.get("id", "")
            if key not in parts:
                parts[key] = etree.Element("part", id=key)
            bar = etree.SubElement(parts[key], "measure", dict(child.attrib))
            bar.extend(list(part))
    new.extend(parts.values())
    return new


def _text(element: Element, path: str) -> str:
    found = element.find(path)
    return (found.text or "").strip() if found is not None else ""


def _int(text: str | None, default: int, low: int, high: int) -> int:
    try:
        return min(high, max(low, int(float(text or default))))
    except (ValueError, OverflowError):
        return default


def _numbers(text: str | None) -> tuple[int, ...]:
    found: list[int] = []
    for piece in re.split(r"[,\s]+", text or ""):
        match = re.fullmatch(r"(\d{1,2})(?:-(\d{1,2}))?\.?", piece)
        if match:
            found.extend(range(int(match[1]), int(match[2] or match[1]) + 1))
    return tuple(found)


def one_voice(bars: list[Bar]) -> tuple[list[Bar], tuple[str, ...], str]:
    """Keeps the voice that holds most notes, and of equals the first: (bars, the voices left out, what is to
    be said of it).
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


class _PartReader:
    """Walks one <part>: keeps the signature in force and the time within the bar."""

    def __init__(
        self, element: Element, head: Element | None, index: int, seen: set[str], warnings: list[str]
    ) -> None:
        self.element, self.index, self.seen, self.warnings = element, index, seen, warnings
        self.name = _text(head, "part-name") if head is not None else ""
        self.instrument = (
            _text(head, "score-instrument/instrument-name") if head is not None else ""
        ) or self.name
        struck = list(head.iterfind("score-instrument")) if head is not None else []
        self.struck = (
            {s.get("id", ""): _text(s, "instrument-name") for s in struck} if len(struck) > 1 else {}
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
        self.warnings.append(f"{self.name or f'part {self.index + 1}'}: {text}")

    def read(self) -> Part:
        measures = self.element.findall("measure")
        if len(measures) > MAX_BARS:
            raise ScoreError(
                _("This score has {n} bars; more than {max_bars} are not opened.").format(
                    n=len(measures), max_bars=MAX_BARS
                )
            )
        bars: list[Bar] = []
        total = 0
        for i, measure in enumerate(measures):
            bars.append(self.read_bar(measure, i))
            total += len(bars[-1].notes)
            if total > MAX_NOTES:
                raise ScoreError(
                    _("This part has more than {max_notes} notes and is not opened.").format(
                        max_notes=MAX_NOTES
                    )
                )
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
            diatonic=self.diatonic,
            chromatic=self.chromatic,
            bars=tuple(bars),
            percussion=unpitched > pitched,
            voices_left_out=left_out,
        )

    # ---- one bar
    # -------------------------------------------------------------------------------------------------

    def read_bar(self, measure: Element, index: int) -> Bar:
        self.now = self.longest = Fraction(0)
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
        text = _text(element, "divisions")
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
            self.fifths = _int(_text(key, "fifths"), 0, -7, 7)
            self.mode = "minor" if _text(key, "mode") == "minor" else "major"
        time = element.find("time")
        if time is not None and time.find("beats") is not None:
            beats = sum(_int(b, 0, 0, 64) for t in time.iterfind("beats") for b in (t.text or "").split("+"))
            beat_type = _int(_text(time, "beat-type"), 4, 0, 64)
            if not 0 < beats <= 64 or beat_type not in (1, 2, 4, 8, 16, 32, 64):
                raise ScoreError(
                    _("The metre {text}/{text2} cannot be read; the file is damaged.").format(
                        text=_text(time, "beats")[:12], text2=_text(time, "beat-type")[:12]
                    )
                )
            self.beats, self.beat_type = beats, beat_type
        for clef in element.iterfind("clef"):
            if clef.get("number", "1") != "1":
                continue
            sign = _text(clef, "sign") or "G"
            default = {"G": 2, "F": 4, "C": 3}.get(sign, 2)
            self.clef = (
                sign if sign in ("G", "F", "C", "percussion", "TAB", "none") else "G",
                _int(_text(clef, "line"), default, 1, 5),
                _int(_text(clef, "clef-octave-change"), 0, -2, 2),
            )
        transpose = element.find("transpose")
        if transpose is not None:
            octave = _int(_text(transpose, "octave-change"), 0, -3, 3)
            self.chromatic = _int(_text(transpose, "chromatic"), 0, -36, 36) + 12 * octave
            self.diatonic = _int(_text(transpose, "diatonic"), 0, -21, 21) + 7 * octave

    def _duration(self, element: Element) -> Fraction:
        text = _text(element, "duration")
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
            _text(element, "type"),
        )
        if modification is None or kind not in TYPE_QUARTERS:
            return duration
        actual, normal = (
            _int(_text(modification, "actual-notes"), 3, 1, 64),
            _int(_text(modification, "normal-notes"), 2, 1, 64),
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
        if chord and self.notes:
            start = self.notes[-1].offset
        elif grace is None:
            self.now += duration
            self.longest = max(self.longest, self.now)
        if element.findtext("staff", "1").strip() != self.staff:
            if self.staff == "1" and "staves" not in self.flags:
                self.warn("written on several staves: the first is used")
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
                _int(_text(modification, "actual-notes"), 3, 1, 64),
                _int(_text(modification, "normal-notes"), 2, 1, 64),
            )
        type_ = _text(element, "type")
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
            _text(element, "unpitched/display-step").upper()[:1]
            + _text(element, "unpitched/display-octave")[:1]
        )
        instrument = element.find("instrument")
        name = self.struck.get(instrument.get("id", ""), "") if instrument is not None else ""
        return name or (_("line {place}").format(place=place) if place else ""), place

    def _pitch(self, element: Element) -> Pitch:
        step, octave = _text(element, "step").upper(), _text(element, "octave")
        try:
            alter = float(_text(element, "alter") or 0)
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
            self.warn("quarter tones are read as the nearest semitone")
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

    # ---- directions and bar lines
    # --------------------------------------------------------------------------------

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
        unit, dotted = _text(element, "beat-unit"), element.find("beat-unit-dot") is not None
        match = re.search(r"\d+(\.\d+)?", _text(element, "per-minute"))
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
            self.warn(f"a speed of {match[0]} is not believed")

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
                self.flags["repeat_times"] = _int(repeat.get("times"), 2, 2, 20)
        ending = element.find("ending")
        if ending is not None:
            if ending.get("type") == "start":
                self.ending = _numbers(ending.get("number")) or _numbers(ending.text) or (1,)
                self.flags["ending_start"] = True
            elif ending.get("type") in ("stop", "discontinue"):
                self.ending_closes = True
                self.flags["ending_stop"] = ending.get("type")
        style = _text(element, "bar-style")
        if element.get("location", "right") == "right":
            if style == "light-light":
                self.flags["double_bar"] = True
            elif style == "light-heavy" and repeat is None:
                self.flags["final_bar"] = True
        for name in ("segno", "coda"):
            if element.find(name) is not None:
                self.flags[name] = True
