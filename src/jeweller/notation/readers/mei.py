"""MEI → `Score`, by a plain walk over the elements; and Humdrum, which an engraver's library turns into MEI
first.

Runs only in the child process of `jeweller.notation.readers.sandbox`. Source: the MEI guidelines, versions 3
to 5 (attributes that changed their name are read under both). What is not understood is listed in
`Score.warnings`.
"""

from __future__ import annotations

import dataclasses
import re
from fractions import Fraction
from typing import Any

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.engraver import ENGRAVER, new_toolkit
from jeweller.notation.ids import PLAIN, unique
from jeweller.notation.model import Bar, Note, Part, Score
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.readers.mei_marks import MeiMarks, MeiStaff
from jeweller.notation.readers.mei_values import (
    Element,
    order_by_time,
    read_articulations,
    read_duration,
    read_number,
    read_ornament,
    read_ornament_attribute,
    read_ratio,
    read_signature,
    read_slur_number,
    read_slurs,
    read_words,
)
from jeweller.notation.readers.musicxml import MAX_BARS, MAX_NOTES, one_voice
from jeweller.notation.readers.musicxml_file import parse_xml
from jeweller.notation.values import guess_type

ACCIDENTALS = {
    "s": (1, "sharp"),
    "f": (-1, "flat"),
    "n": (0, "natural"),
    "ss": (2, "double-sharp"),
    "x": (2, "double-sharp"),
    "ff": (-2, "flat-flat"),
    "nf": (-1, "natural-flat"),
    "ns": (1, "natural-sharp"),
}
ARTIC = {
    "stacc": "staccato",
    "stacciss": "staccatissimo",
    "ten": "tenuto",
    "acc": "accent",
    "marc": "strong-accent",
    "spicc": "spiccato",
    "stress": "stress",
    "unstress": "unstress",
}
PASSED = {
    "beam",
    "tuplet",
    "graceGrp",
    "bTrem",
    "fTrem",
    "ligature",
    "app",
    "lem",
    "choice",
    "sic",
    "corr",
    "orig",
    "reg",
    "supplied",
    "unclear",
    "add",
}
GRACE_TYPE = {"4": "quarter", "16": "16th", "32": "32nd"}
DIGIT_ID = re.compile(rb"""(\bxml:id\s*=\s*["'])(?=[0-9])""")


def read_humdrum(text: str) -> Score:
    """Humdrum `**kern` → Score. Raises ScoreError.

    >>> kern = "**kern\\n*clefG2\\n*k[b-]\\n*M4/4\\n4f\\n4g\\n4a\\n4b-\\n==\\n*-\\n"
    >>> read_humdrum(kern).parts[0].note_count
    4
    """
    with ENGRAVER:
        toolkit = new_toolkit()
        toolkit.setInputFrom("humdrum")
        if not toolkit.loadData(text):
            raise ScoreError(_("This Humdrum file cannot be read; it is probably damaged."))
        found = toolkit.getMEI().encode()
    return read_mei(found)


def _named(data: bytes) -> bytes:
    """The file with ids that may stand in XML: some programs write some that begin with a digit."""
    if not DIGIT_ID.search(data):
        return data
    return re.sub(rb"""(["'\s]#)(?=[0-9])""", rb"\1_", DIGIT_ID.sub(rb"\1_", data))


def read_mei(data: bytes) -> Score:
    """The bytes of an MEI file → Score. Raises ScoreError.

    >>> staff = '<staff n="1"><layer><note pname="c" oct="5" dur="4"/></layer></staff>'
    >>> definition = '<scoreDef><staffGrp><staffDef n="1" lines="5" clef.shape="G"/></staffGrp></scoreDef>'
    >>> music = f'<score>{definition}<section><measure n="1">{staff}</measure></section></score>'
    >>> file = f"<mei><music><body><mdiv>{music}</mdiv></body></music></mei>".encode()
    >>> read_mei(file).parts[0].note_count
    1
    """
    root = parse_xml(_named(data), "MEI")
    for element in root.iter():
        if isinstance(element.tag, str) and "}" in element.tag:
            element.tag = element.tag.split("}", 1)[1]
        for name in [n for n in element.attrib if n.endswith("}id")]:
            element.set("id", element.get(name))
    if root.tag != "mei" and root.find(".//score") is None:
        raise ScoreError(
            _("This is an XML file but no MEI score (it begins with <{tag}>).").format(tag=str(root.tag)[:40])
        )
    score = root.find(".//music//score")
    if score is None:
        raise ScoreError(_("This MEI file holds no score."))
    title = next(
        (read_words(t) for t in root.iterfind("meiHead/fileDesc/titleStmt/title") if read_words(t)), ""
    )
    composer = next((read_words(c) for c in root.iter("composer")), "")
    return _Reader(score).read(title[:200], composer[:200])


class _Reader(MeiMarks):
    def __init__(self, score: Element) -> None:
        self.score = score
        self.staves: dict[str, MeiStaff] = {}
        self.warnings: list[str] = []
        self.seen: dict[str, int] = {}
        self.total = self.measures = 0
        self.ending: tuple[int, ...] = ()
        self.first_of_ending = False
        self.repeat_next = False
        # By id of a note: what control events elsewhere in the file say of it, and the tuplet that it lies
        # in.
        self.said: dict[str, dict[str, Any]] = {}
        self.spans: dict[str, tuple[int, int]] = {}
        self._controls()

    def _say(self, note: str, element: Element, *, begins: bool) -> None:
        said = self.said.setdefault(note, {"slur_starts": (), "slur_stops": ()})
        tag = element.tag
        if tag == "slur":
            key = "slur_starts" if begins else "slur_stops"
            said[key] = (*said[key], str(1 + read_slur_number(element)))
        elif tag == "tie":
            said["tie_start" if begins else "tie_stop"] = True
        elif tag == "fermata":
            said["fermata"] = True
        elif tag == "breath":
            said["breath_after"] = True
        else:
            said["ornament"] = read_ornament(element)

    def read(self, title: str, composer: str) -> Score:
        for child in self.score:
            self._walk(child)
        if not self.staves or not any(s.bars for s in self.staves.values()):
            raise ScoreError(_("This MEI file holds no bars."))
        parts = []
        for k, staff in enumerate(self.staves.values()):
            bars, left, warning = one_voice(staff.bars)
            if warning:
                self._warn(staff, warning)
            if bars and not any(b.final_bar for b in bars):
                bars[-1] = dataclasses.replace(bars[-1], final_bar=True)
            bars = [dataclasses.replace(b, notes=order_by_time(b.notes)) for b in bars]
            name = staff.name or _("Part {k}").format(k=k + 1)
            parts.append(
                Part(
                    id=f"P{k + 1}",
                    name=name,
                    instrument=staff.name,
                    diatonic=staff.diatonic,
                    chromatic=staff.chromatic,
                    bars=tuple(bars),
                    voices_left_out=left,
                )
            )
        return Score(title, tuple(parts), composer, tuple(dict.fromkeys(self.warnings)))

    def _warn(self, staff: MeiStaff, text: str) -> None:
        self.warnings.append(f"{staff.name or _('staff {n}').format(n=staff.n)}: {text}")

    def _walk(self, element: Element) -> None:
        tag = element.tag
        if tag == "scoreDef":
            self._score_def(element)
        elif tag in ("section", "pb", "sb", "lem", "app"):
            for child in element:
                self._walk(child)
        elif tag == "ending":
            self.ending = tuple(
                int(n) for n in re.findall(r"\d{1,2}", element.get("n") or element.get("label") or "1")
            ) or (1,)
            self.first_of_ending = True
            for child in element:
                self._walk(child)
            for staff in self.staves.values():
                if staff.bars:
                    last = staff.bars[-1]
                    staff.bars[-1] = dataclasses.replace(
                        last, ending_stop="stop" if last.repeat_times else "discontinue"
                    )
            self.ending = ()
        elif tag == "staffDef":
            self._staff_def(element, {})
        elif tag == "measure":
            self._measure(element)

    # ---- signatures

    def _score_def(self, element: Element) -> None:
        common = read_signature(element)
        for staff in self.staves.values():
            _apply(staff, common)
        for definition in element.iter("staffDef"):
            self._staff_def(definition, common)
        bpm = element.get("midi.bpm")
        self.bpm = float(bpm) if bpm and re.fullmatch(r"\d{1,3}(\.\d+)?", bpm) else None

    def _staff_def(self, element: Element, common: dict[str, Any]) -> None:
        n = element.get("n", "1")
        if n not in self.staves:
            if len(self.staves) >= 64:
                raise ScoreError(_("This score has more than 64 staves; it is probably damaged."))
            self.staves[n] = MeiStaff(n=n)
            _apply(self.staves[n], common)
        staff = self.staves[n]
        label = element.find("label")
        group = element.getparent()
        name = (read_words(label) if label is not None else "") or element.get("label") or ""
        if not name and group is not None and group.tag == "staffGrp":
            name = (
                (read_words(group.find("label")) if group.find("label") is not None else "")
                or group.get("label")
                or ""
            )
        staff.name = name[:80] or staff.name
        staff.chromatic = max(-36, min(36, read_number(element.get("trans.semi"), staff.chromatic)))
        staff.diatonic = max(
            -21,
            min(
                21,
                read_number(
                    element.get("trans.diat"),
                    staff.diatonic if staff.diatonic else round(staff.chromatic * 7 / 12),
                ),
            ),
        )
        _apply(staff, read_signature(element))

    # ---- one bar

    def _measure(self, element: Element) -> None:
        self.measures += 1
        if self.measures > MAX_BARS:
            raise ScoreError(
                _("This score has more than {max_bars} bars and is not opened.").format(max_bars=MAX_BARS)
            )
        number = (element.get("n") or str(self.measures)).strip()[:12]
        left, right = element.get("left", ""), element.get("right", "")
        flags: dict[str, Any] = {"repeat_start": self.repeat_next or left in ("rptstart", "rptboth")}
        self.repeat_next = right in ("rptstart", "rptboth")
        if right in ("rptend", "rptboth"):
            flags["repeat_times"] = 2
        flags["double_bar"], flags["final_bar"] = right == "dbl", right == "end"
        if self.first_of_ending:
            flags["ending_start"], self.first_of_ending = True, False
        marks = self._marks(element, flags)
        by_staff = {s.get("n", "1"): s for s in element.iterfind("staff")}
        for k, (n, staff) in enumerate(self.staves.items()):
            notes: list[Note] = []
            length = Fraction(0)
            found = by_staff.get(n)
            repeated = 1
            for layer in found.iterfind("layer") if found is not None else ():
                reader = _Layer(self, staff, layer.get("n", "1"), number)
                reader.read(layer)
                notes += reader.notes
                length, repeated = max(length, reader.now), max(repeated, reader.bars)
            staff.open_ties = {(x.pitch.step, x.pitch.octave) for x in notes if x.tie_start and x.pitch}
            self.total += len(notes)
            if self.total > MAX_NOTES:
                raise ScoreError(
                    _("This score has more than {max_notes} notes and is not opened.").format(
                        max_notes=MAX_NOTES
                    )
                )
            metre = Fraction(4 * staff.beats, staff.beat_type)
            length = length or metre
            if length > 4 * metre and length > 32:
                raise ScoreError(
                    _(
                        "Bar {number} is {length:g} quarters long where the metre asks for "
                        "{metre:g}; the file is damaged."
                    ).format(number=number, length=float(length), metre=float(metre))
                )
            implicit = element.get("metcon") == "false" or (not staff.bars and length < metre)
            here = tuple(m for m, which in marks if which in ("", n) and (which or k == 0))
            for again in range(min(repeated, MAX_BARS)):
                staff.bars.append(
                    Bar(
                        number=number if not again else f"{number}+{again}",
                        length=length,
                        beats=staff.beats,
                        beat_type=staff.beat_type,
                        fifths=staff.fifths,
                        mode=staff.mode,
                        clef=staff.clef,
                        notes=tuple(dataclasses.replace(x, id=self.unique(x.id)) for x in notes)
                        if again
                        else tuple(notes),
                        marks=here if not again else (),
                        implicit=implicit,
                        ending=self.ending,
                        **flags,
                    )
                )

    def unique(self, wanted: str) -> str:
        return unique(wanted if PLAIN.fullmatch(wanted) else "n", self.seen)


def _apply(staff: MeiStaff, signature: dict[str, Any]) -> None:
    for name, value in signature.items():
        setattr(staff, name, value)


class _Layer:
    """The events of one layer of one bar."""

    def __init__(self, owner: _Reader, staff: MeiStaff, voice: str, bar: str) -> None:
        self.owner, self.staff, self.voice, self.bar = owner, staff, voice[:8], bar
        self.now = Fraction(0)
        self.bars = 1
        self.notes: list[Note] = []
        self.state: dict[tuple[str, int], int] = {}

    def read(self, parent: Element, tuplet: tuple[int, int] | None = None, *, grace: bool = False) -> None:
        for element in parent:
            tag = element.tag
            if tag in PASSED:
                ratio = tuplet
                if tag == "tuplet":
                    ratio = read_ratio(element)
                begin = len(self.notes)
                self.read(element, ratio, grace=grace or tag == "graceGrp")
                if tag == "tuplet" and len(self.notes) > begin:
                    self.notes[begin] = dataclasses.replace(self.notes[begin], tuplet_mark="start")
                    self.notes[-1] = dataclasses.replace(self.notes[-1], tuplet_mark="stop")
            elif tag in ("note", "chord", "rest", "space"):
                self._event(element, tuplet, grace)
            elif tag in ("mRest", "mSpace", "multiRest"):
                length = Fraction(4 * self.staff.beats, self.staff.beat_type)
                kind, dots, _unused = guess_type(length)
                self.notes.append(
                    Note(
                        id=self._id(element),
                        offset=Fraction(0),
                        duration=length,
                        pitch=None,
                        type=kind,
                        dots=dots,
                        whole_bar=True,
                        voice=self.voice,
                    )
                )
                self.now = length
                self.bars = max(1, read_number(element.get("num"), 1)) if tag == "multiRest" else 1
            elif tag in ("mRpt", "beatRpt", "halfmRpt"):
                self._repeat(tag)
            elif tag in ("clef", "keySig", "meterSig"):
                wrapper = element.getparent().makeelement("staffDef")
                wrapper.append(element.__copy__())
                _apply(self.staff, read_signature(wrapper))

    def _repeat(self, tag: str) -> None:
        """A sign that says: the same again."""
        before = self.staff.bars[-1] if self.staff.bars else None
        if tag != "mRpt" or before is None:
            self.owner._warn(
                self.staff,
                _("bar {bar}: a sign to repeat a beat is not understood and was left out").format(
                    bar=self.bar
                ),
            )
            return
        self.notes += [dataclasses.replace(n, id=self.owner.unique(n.id)) for n in before.notes]
        self.now = before.length

    def _id(self, element: Element) -> str:
        return self.owner.unique(
            element.get("id") or f"m{self.owner.measures}.s{self.staff.n}.n{len(self.notes) + 1}"
        )

    def _event(self, element: Element, tuplet: tuple[int, int] | None, grace: bool) -> None:
        grace = grace or bool(element.get("grace"))
        tuplet = tuplet or self.owner.spans.get(element.get("id", ""))
        duration = (
            Fraction(0)
            if grace
            else read_duration(element) * (Fraction(tuplet[1], tuplet[0]) if tuplet else 1)
        )
        if element.tag == "space":
            self.now += duration
            return
        kind, dots, ratio = (
            (GRACE_TYPE.get(element.get("dur", ""), "eighth"), 0, None)
            if grace
            else guess_type(duration, tuplet)
        )
        members = [element] if element.tag != "chord" else element.findall("note")
        own = self.owner.said.get(element.get("id", ""), {})
        for k, member in enumerate(members):
            pitch, accidental = self._pitch(member) if element.tag != "rest" else (None, None)
            said = {**own, **self.owner.said.get(member.get("id", ""), {})}
            tie = (member.get("tie") or element.get("tie") or "")[:1]
            key = (pitch.step, pitch.octave) if pitch else None
            artic = [ARTIC[a] for e in (element, member) for a in read_articulations(e) if a in ARTIC]
            tied_over = key in self.staff.open_ties and not self.notes
            self.notes.append(
                Note(
                    id=self._id(member),
                    offset=self.now,
                    duration=duration,
                    pitch=pitch,
                    type=kind,
                    dots=dots,
                    tuplet=ratio,
                    grace=grace,
                    slash=grace and (element.get("grace") == "unacc" or element.get("stem.mod") == "1slash"),
                    cue=element.get("cue") == "true",
                    chord=k > 0,
                    voice=self.voice,
                    tie_start=bool(said.get("tie_start")) or tie in ("i", "m"),
                    tie_stop=bool(said.get("tie_stop")) or tie in ("m", "t") or tied_over,
                    slur_starts=(*said.get("slur_starts", ()), *read_slurs(element, "i")),
                    slur_stops=(*said.get("slur_stops", ()), *read_slurs(element, "t")),
                    articulations=tuple(dict.fromkeys(artic)),
                    ornament=said.get("ornament") or read_ornament_attribute(element),
                    fermata=bool(said.get("fermata"))
                    or bool(element.get("fermata"))
                    or element.find("fermata") is not None,
                    breath_after=bool(said.get("breath_after")),
                    accidental=accidental,
                )
            )
        self.now += duration

    def _pitch(self, element: Element) -> tuple[Pitch, str | None]:
        step = (element.get("pname") or "").upper()
        octave = element.get("oct") or ""
        if step not in tuple("CDEFGAB") or not re.fullmatch(r"\d", octave):
            raise ScoreError(
                _(
                    "A pitch in this file cannot be played (step {step!r}, octave {octave!r}); it is damaged."
                ).format(step=step[:4], octave=octave[:12])
            )
        child = element.find("accid")
        printed = element.get("accid") or (child.get("accid") if child is not None else None)
        sounding = element.get("accid.ges") or (child.get("accid.ges") if child is not None else None)
        key = (step, int(octave))
        if printed in ACCIDENTALS:
            alter, name = ACCIDENTALS[printed]
            self.state[key] = alter
            return Pitch(step, alter, int(octave)), name
        if sounding in ACCIDENTALS:
            return Pitch(step, ACCIDENTALS[sounding][0], int(octave)), None
        return Pitch(step, self.state.get(key, key_alter(step, self.staff.fifths)), int(octave)), None
