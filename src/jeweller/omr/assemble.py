"""From the signs of one staff to its notes: what belongs to which head, by where printed music puts it.

All distances are in staff spaces.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from jeweller.omr.line import ReadNote
from jeweller.omr.primitives import Box, DrawnLine
from jeweller.omr.symbols import ACCIDENTALS, HEADS, Beam, StaffSigns, Symbol

GRACE = 0.82  # of the height of an ordinary head, up to which a head is a small one
STEM_REACH = 0.35  # from a head's edge to its stem
BEAM_REACH = 0.4  # from a stem to a beam that it carries
FLAG_REACH = 0.5
DOT_FAR = 2.2  # from a head's right edge to its last dot
ACCIDENTAL_FAR = 2.4  # from an accidental's right edge to its head, others between them counted
MARK_ACROSS = 0.9  # how far beside the middle of its head an articulation may stand
MARK_FAR = 7.0  # and how far above or below it
OFF_PLACE = 0.35  # steps by which a head may stand off its line or space and leave no doubt
DOT_NEAR = 1.8  # from a bar line to its repeat dots


class Assembly:
    """One staff while it is put together."""

    def __init__(self, signs: StaffSigns) -> None:
        self.signs, self.staff = signs, signs.staff
        self.space = signs.staff.space
        self.used: set[int] = set()  # symbols that belong to something
        heads = [s for s in signs.symbols if s.kind in HEADS]
        heights = sorted(s.box.height for s in heads if s.kind in ("head_black", "head_half"))
        # most heads of a line are of one size; small ones are fewer
        self.head_height = heights[int(0.7 * len(heights))] if heights else self.space
        self.notes: list[ReadNote] = []
        self.stem_of: dict[int, DrawnLine] = {}  # by note
        self.stem_up: dict[int, bool] = {}

    def read(self) -> list[ReadNote]:
        """The notes and rests from left to right, with what belongs to each."""
        for k, symbol in enumerate(self.signs.symbols):
            if symbol.kind in HEADS and self._says_speed(symbol):
                self.used.add(k)
            elif symbol.kind in HEADS:
                self._head(symbol)
            elif symbol.kind.startswith("rest_"):
                self._rest(symbol)
        self.notes.sort(key=lambda n: (n.x, -(n.place or 0)))
        self._stems()
        self._chords()
        self._lengths()
        self._dots()
        self._accidentals()
        self._marks()
        return self.notes

    def _says_speed(self, symbol: Symbol) -> bool:
        """Whether a head is the unit of a metronome mark: words that begin with "=" follow it."""
        return any(
            "=" in word.text[:3]
            and -0.5 * self.space < word.box.left - symbol.box.right < 5.0 * self.space
            and abs(word.box.y - symbol.box.y) < 3.0 * self.space
            for word in self.signs.words
        )

    def _head(self, symbol: Symbol) -> None:
        exact = self.staff.place(symbol.box.y)
        place = round(exact)
        kind = {"head_whole": "whole", "head_half": "half", "head_breve": "breve"}.get(symbol.kind, "quarter")
        note = ReadNote(box=symbol.box, place=place, type=kind)
        note.head = "x" if symbol.kind == "head_x" else ""
        note.doubt("head", symbol.sure)
        off = abs(exact - place)
        if off > OFF_PLACE:
            note.doubt("place", max(0.1, 1.0 - (off - OFF_PLACE) / 0.15))
        if kind != "whole" and symbol.box.height < GRACE * max(self.head_height, 0.9 * self.space):
            note.grace = True
        self.notes.append(note)

    def _rest(self, symbol: Symbol) -> None:
        kind = symbol.kind.removeprefix("rest_")
        if kind in ("whole", "half"):
            # one and the same block: it hangs from a line, or lies on one
            hangs = self.staff.place(symbol.box.top)
            lies = self.staff.place(symbol.box.bottom)
            to_hang = min(abs(hangs - line) for line in (8, 6, 4, 10))
            to_lie = min(abs(lies - line) for line in (4, 2, 6))
            if abs(to_hang - to_lie) > 0.2:
                kind = "whole" if to_hang < to_lie else "half"
        names = {"8": "eighth", "16": "16th", "32": "32nd"}
        note = ReadNote(box=symbol.box, place=None, type=names.get(kind, kind))
        note.doubt("rest", symbol.sure)
        self.notes.append(note)

    def _stems(self) -> None:
        reach = STEM_REACH * self.space
        for k, note in enumerate(self.notes):
            if note.is_rest or note.type in ("whole", "breve"):
                continue
            box = note.box
            best: tuple[float, DrawnLine, bool] | None = None
            for stem in self.signs.stems:
                x, top, bottom = stem.x0, min(stem.y0, stem.y1), max(stem.y0, stem.y1)
                if not box.top - reach <= bottom or not box.bottom + reach >= top:
                    continue
                beside = min(abs(x - box.left), abs(x - box.right))
                if beside > reach:
                    continue
                up = abs(x - box.right) < abs(x - box.left)
                length = (box.y - top) if up else (bottom - box.y)
                if length < 0.8 * self.space:
                    up, length = (not up, max(box.y - top, bottom - box.y))
                    beside += 0.2 * self.space
                if length < 0.8 * self.space:
                    continue
                if best is None or beside < best[0]:
                    best = beside, stem, box.y - top > bottom - box.y
            if best is not None:
                self.stem_of[k], self.stem_up[k] = best[1], best[2]
            elif not note.grace:
                note.doubt("stem", 0.5)

    def _chords(self) -> None:
        """Heads on one stem sound together: the highest is the note of the line."""
        by_stem: dict[int, list[int]] = {}
        for k, stem in self.stem_of.items():
            by_stem.setdefault(id(stem), []).append(k)
        for members in by_stem.values():
            if len(members) > 1:
                members.sort(key=lambda k: -(self.notes[k].place or 0))
                for k in members[1:]:
                    self.notes[k].chord = True

    def _lengths(self) -> None:
        flags = [s for s in self.signs.symbols if s.kind.startswith("flag_")]
        group_of: dict[int, int] = {}
        for k, stem in self.stem_of.items():
            note = self.notes[k]
            if note.type == "half":
                continue
            up = self.stem_up[k]
            end = min(stem.y0, stem.y1) if up else max(stem.y0, stem.y1)
            beams = self._beams_at(stem, note.box, end)
            if beams:
                note.beams = len(_levels(beams, stem.x0, self.space))
                for beam in beams:
                    note.group = group_of.setdefault(
                        id(beam), note.group if note.group >= 0 else len(group_of)
                    )
            else:
                reach = FLAG_REACH * self.space
                for flag in flags:
                    near = abs(flag.box.left - stem.x0) < reach or abs(flag.box.x - stem.x0) < reach
                    tall = flag.box.top - 1.5 * reach <= end <= flag.box.bottom + 1.5 * reach
                    if near and tall:
                        note.beams = {"8": 1, "16": 2, "32": 3}[flag.kind.split("_")[1]]
                        note.doubt("flag", flag.sure)
                        break
            if note.beams:
                note.type = ("quarter", "eighth", "16th", "32nd", "64th")[min(note.beams, 4)]
        self._join_groups()

    def _join_groups(self) -> None:
        """Notes that share any beam are one group."""
        number = 0
        last: ReadNote | None = None
        shared: list[set[int]] = []
        for k, note in enumerate(self.notes):
            if note.group < 0 or note.chord:
                continue
            stem = self.stem_of[k]
            end = min(stem.y0, stem.y1) if self.stem_up[k] else max(stem.y0, stem.y1)
            own = {id(b) for b in self._beams_at(stem, note.box, end)}
            if last is None or not shared or not (own & shared[-1]) or last.grace != note.grace:
                number += 1
            shared.append(own)
            note.group, last = number, note

    def _beams_at(self, stem: DrawnLine, head: Box, end: float) -> list[Beam]:
        reach = BEAM_REACH * self.space
        low, high = sorted((head.y, end))
        out = []
        for beam in self.signs.beams:
            if not beam.x0 - reach <= stem.x0 <= beam.x1 + reach:
                continue
            y = beam.height_at(stem.x0)
            if low - 0.7 * self.space <= y <= high + 0.7 * self.space and abs(y - head.y) > 0.7 * self.space:
                out.append(beam)
        return out

    def _dots(self) -> None:
        repeats = {k for _x, pair in repeat_dots(self.signs) for k in pair}
        dots = [
            (k, s)
            for k, s in enumerate(self.signs.symbols)
            if s.kind in ("dot", "staccato") and k not in repeats
        ]
        for k, dot in sorted(dots, key=lambda v: v[1].box.x):
            if any(
                abs(dot.box.x - note.box.x) < 0.35 * self.space
                and 0.75 * self.space < abs(dot.box.y - note.box.y) < 3.0 * self.space
                for note in self.notes
                if not note.is_rest
            ):
                continue  # over or under a head: it is to be short
            best: tuple[float, ReadNote] | None = None
            for note in self.notes:
                gap = (dot.box.left - note.box.right) / self.space
                if note.chord or not -0.1 <= gap <= DOT_FAR:
                    continue
                if note.grace:
                    continue
                away = (dot.box.y - note.box.y) / self.space
                if note.is_rest:
                    near = note.box.top - 0.2 * self.space <= dot.box.y <= note.box.bottom + 0.2 * self.space
                else:
                    near = -0.85 <= away <= 0.65
                between = any(
                    other is not note and note.x < other.x < dot.box.x and not other.chord
                    for other in self.notes
                )
                if near and not between and (best is None or gap < best[0]):
                    best = gap, note
            if best is not None:
                best[1].dots = min(best[1].dots + 1, 3)
                best[1].doubt("dot", dot.sure)
                self.used.add(k)

    def _accidentals(self) -> None:
        signs = [(k, s) for k, s in enumerate(self.signs.symbols) if s.kind in ACCIDENTALS]
        for k, sign in signs:
            place = self.staff.place(accidental_height(sign))
            best: tuple[float, ReadNote] | None = None
            for note in self.notes:
                if note.is_rest:
                    continue
                gap = (note.box.left - sign.box.right) / self.space
                if -0.3 <= gap <= ACCIDENTAL_FAR and abs(place - (note.place or 0)) < 0.9:
                    if any(
                        o is not note and not o.chord and not o.grace and sign.box.x < o.x < note.x
                        for o in self.notes
                    ):
                        continue
                    if best is None or gap < best[0]:
                        best = gap, note
            if best is not None:
                best[1].accidental = sign.kind
                best[1].doubt("accidental", sign.sure)
                self.used.add(k)

    def _marks(self) -> None:
        """Articulations, ornaments and fermatas over or under the nearest head."""
        for k, sign in enumerate(self.signs.symbols):
            if k in self.used:
                continue
            base = sign.kind.removesuffix("_above").removesuffix("_below")
            if base in ARTICULATIONS:
                note = self._under(sign, rests=False)
                if note is not None and self._stands_off(sign, note):
                    note.articulations.append(ARTICULATIONS[base])
                    self.used.add(k)
            elif base in ORNAMENTS:
                note = self._under(sign, rests=False)
                if note is not None:
                    note.ornament = ORNAMENTS[base]
                    self.used.add(k)
            elif base == "fermata":
                note = self._under(sign, rests=True)
                if note is not None:
                    note.fermata = True
                    self.used.add(k)
            elif base in ("breath", "caesura"):
                before = [n for n in self.notes if n.box.right <= sign.box.right and not n.chord]
                if before:
                    before[-1].breath_after = True
                    self.used.add(k)

        for word in self.signs.words:
            if re.fullmatch(r"tr\.?", word.text.strip()):
                note = self._under(Symbol("trill", word.box), rests=False)
                if note is not None:
                    note.ornament = "trill"

    def _stands_off(self, sign: Symbol, note: ReadNote) -> bool:
        return abs(sign.box.y - note.box.y) > 0.6 * self.space

    def _under(self, sign: Symbol, *, rests: bool) -> ReadNote | None:
        best: tuple[float, ReadNote] | None = None
        for note in self.notes:
            if note.chord or (note.is_rest and not rests):
                continue
            across = abs(sign.box.x - note.box.x) / self.space
            far = abs(sign.box.y - note.box.y) / self.space
            if across <= MARK_ACROSS and far <= MARK_FAR + 2.0 * (sign.kind.startswith("fermata")):
                worth = across + 0.05 * far
                if best is None or worth < best[0]:
                    best = worth, note
        return best[1] if best is not None else None


ARTICULATIONS = {
    "accent": "accent",
    "staccato": "staccato",
    "dot": "staccato",
    "tenuto": "tenuto",
    "staccatissimo": "staccatissimo",
    "marcato": "strong-accent",
}
ORNAMENTS = {"trill": "trill", "turn": "turn", "short_trill": "inverted-mordent", "mordent": "mordent"}


def accidental_height(sign: Symbol) -> float:
    """The height of the place that an accidental alters: a flat's belly, the middle of the others."""
    box = sign.box
    return box.bottom - 0.29 * box.height if sign.kind in ("flat", "double_flat") else box.y


def repeat_dots(signs: StaffSigns) -> list[tuple[float, tuple[int, int]]]:
    """Where two dots stand above one another around the middle line, beside a bar line, and which symbols
    they are.
    """
    staff = signs.staff
    dots = [(k, s) for k, s in enumerate(signs.symbols) if s.kind in ("dot", "staccato")]
    out = []
    for k, upper in dots:
        if abs(staff.place(upper.box.y) - 5.0) > 0.5:
            continue
        for j, lower in dots:
            if (
                abs(staff.place(lower.box.y) - 3.0) < 0.5
                and any(abs(line.x - upper.box.x) < DOT_NEAR * staff.space for line in signs.bar_lines)
                and abs(lower.box.x - upper.box.x) < 0.25 * staff.space
            ):
                out.append((upper.box.x, (k, j)))
    return out


def _levels(beams: Iterable[Beam], x: float, space: float) -> list[float]:
    """The heights at which beams cross a stem, each once."""
    heights: list[float] = []
    for y in sorted(beam.height_at(x) for beam in beams):
        if not heights or y - heights[-1] > 0.35 * space:
            heights.append(y)
    return heights
