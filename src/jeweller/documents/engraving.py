"""Engraving with Verovio, of MusicXML that we wrote ourselves, and the geometry of what was engraved.

Page units: a staff space is 18, a staff 72 high. The SVG is rewritten so that Qt and PDF writers show all of
it: the nested <svg> becomes a scaled <g>, text is flattened to one level of <tspan>, music glyphs in text
become signs of our own font. Colours are the tokens INK; `Engraving.svg` fills them in.
"""

from __future__ import annotations

import dataclasses
import functools
import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lxml import etree

from jeweller.documents.line_breaks import even_lines
from jeweller.documents.svg_tidy import bare, flatten_text, is_open_path
from jeweller.documents.theme import Theme
from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.engraver import ENGRAVER, new_toolkit
from jeweller.notation.model import Part, Score
from jeweller.notation.writers.musicxml import regular_lines, rest_blocks, write_musicxml

SPACE = 18.0  # staff space in page units
HALF_HEAD = 10.8  # half the width of a notehead
Element = Any  # lxml's stubs make every attribute optional; what the engraver writes is known
EXERCISE_GAP = 30.0  # page units between two exercises
TEXT_GAP = 16.0
RAIL_GAP = 16.0  # between the lowest ink of a system and its rail
RAIL_HEIGHT = 58.0
_SVG = "{http://www.w3.org/2000/svg}"
_TRANSLATED = re.compile(r"translate\(-?[\d.]+[, ]\s*(-?[\d.]+)\)")
_BEGUN = re.compile(r"^M\s*-?[\d.]+[ ,]\s*(-?[\d.]+)")
SLACK = 120.0  # page units: how far a mark may reach from where it begins
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")


OVER_NOTES = ("trill", "mordent", "turn", "fermata")  # printed over a note: no mark may lie on them
SIGN_WIDTH, SIGN_DROP = 24.0, 6.0  # page units: how wide they are, and how far below their origin they reach


@dataclass(frozen=True, kw_only=True)
class NoteBox:
    """Centre of a notehead or rest in page units, its system, and the written bar's index."""

    x: float
    y: float
    system: int
    bar: int
    top: float
    bottom: float


@dataclass(frozen=True, kw_only=True)
class BarBox:
    index: int
    system: int
    left: float
    right: float
    first_x: float  # where its first note or rest stands


@dataclass(frozen=True, kw_only=True)
class SystemBox:
    """A system: top and bottom staff line, its edges, the lowest and highest ink."""

    top: float
    bottom: float
    left: float
    right: float
    lowest: float
    highest: float

    @property
    def rail(self) -> float:
        """Top of the timing rail."""
        return self.lowest + RAIL_GAP


@dataclass(frozen=True, kw_only=True)
class Engraving:
    width: float
    height: float
    defs: str
    frame: str  # the groups around the systems, with SYSTEMS in their place
    inks: tuple[str, ...]  # one for each system
    notes: dict[str, NoteBox]
    bars: tuple[BarBox, ...]
    systems: tuple[SystemBox, ...]
    scale: float  # page units in a unit of the drawing
    bar_count: int  # written bars, those within a block of rests too
    words: tuple[tuple[float, float, float], ...] = ()  # (left, right, base line) of every text and sign

    def svg(
        self,
        theme: Theme,
        overlay: str = "",
        *,
        under: str = "",
        background: bool = False,
        top: float = 0.0,
        height: float | None = None,
        system: int | None = None,
    ) -> str:
        """A whole SVG document in the theme's ink, with an overlay above the notes and a layer `under` them;
        `top` and `height` cut out a band, `system` draws one alone.
        """
        ink = "".join(self.inks) if system is None else self.inks[system]
        if system is not None and height is not None:
            overlay, under = near(overlay, top, top + height), near(under, top, top + height)
        body = self.defs + self.frame.replace("SYSTEMS", ink)
        height = self.height if height is None else height
        ground = (
            f'<rect x="0" y="{top}" width="{self.width}" height="{height}" fill="{theme.paper}"/>'
            if background
            else ""
        )
        return (
            '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
            f'viewBox="0 {top:.1f} {self.width:.1f} {height:.1f}" '
            f'width="{self.width:.1f}" '
            f'height="{height:.1f}">{ground}{under}{body.replace("INK", theme.ink)}{overlay}</svg>'
        )

    def layer(self, overlay: str) -> str:
        """An SVG document of the page's size with the overlay alone."""
        return (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {self.width:.1f} '
            f'{self.height:.1f}" width="{self.width:.1f}" '
            f'height="{self.height:.1f}">{overlay}</svg>'
        )


@functools.cache
def _toolkit() -> Any:
    return new_toolkit()


MOST_BARS = 400  # of a part that is engraved in one piece
KEPT = 16  # engravings
# The engraver keeps its options and its score between two calls: one part at a time, whatever the thread.


def engrave(
    part: Part,
    width: float = 1900.0,
    *,
    rails: bool = True,
    room: float = 0.0,
    bars_per_line: int = 0,
    block_rests: bool = False,
) -> Engraving:
    """Engraves one part on one endless page of `width` page units, with room for a timing rail, or for `room`
    page units of text, under each system. `bars_per_line` bars stand in a line (0: as many as fit, no line
    much emptier than the others). With `block_rests` bars of rest stand as one with their number: the first
    of them has a box, the others none. The last engravings are kept: a class plays the same piece, and a
    thread makes ready what the window draws.
    """
    return _engrave(part, width, rails, room, bars_per_line, block_rests)


@functools.lru_cache(maxsize=KEPT)
def _engrave(
    part: Part, width: float, rails: bool, room: float, bars_per_line: int, block_rests: bool
) -> Engraving:
    sections = [piece for section in exercises_of(part) for piece in _in_pieces(section)]
    if len(sections) > 1:
        drawn = [_engrave(p, width, rails, room, bars_per_line, block_rests) for p in sections]
        return _stacked(
            drawn, room + (TEXT_GAP if room else 0.0) + (RAIL_GAP + RAIL_HEIGHT if rails else 0.0)
        )
    starts = regular_lines(part, bars_per_line)
    spacing = 13.0 if rails else 6.0 + round(room / 9.0)
    if not bars_per_line:
        filled = _drawn(part, width, spacing, room, frozenset(), block_rests)
        lines = itertools.groupby(filled.bars, key=lambda b: b.system)
        widths = [[b.right - b.left for b in line] for _system, line in lines]
        starts = {filled.bars[k].index for k in even_lines(widths)}
        if not starts:
            return filled
    return _drawn(part, width, spacing, room, frozenset(starts), block_rests)


def exercises_of(part: Part) -> list[Part]:
    """The exercises of a part, each a part of its own: every heading begins one."""
    starts = [k for k, b in enumerate(part.bars) if b.heading and k]
    return [
        dataclasses.replace(part, bars=part.bars[begin:end])
        for begin, end in itertools.pairwise([0, *starts, len(part.bars)])
    ]


def _in_pieces(part: Part) -> list[Part]:
    """A long part in pieces, engraved one below the other: the engraver's page ends somewhere, and its time
    grows faster than the part. Where a piece begins the metre is printed again, and a slur is cut.
    """
    if len(part.bars) <= MOST_BARS:
        return [part]
    count = -(-len(part.bars) // MOST_BARS)
    each = -(-len(part.bars) // count)
    return [
        dataclasses.replace(part, bars=part.bars[begin : begin + each])
        for begin in range(0, len(part.bars), each)
    ]


def _stacked(drawn: Sequence[Engraving], under: float) -> Engraving:
    """Exercises below one another, as one engraving; `under` is the room each system needs below it."""
    inks: list[str] = []
    notes: dict[str, NoteBox] = {}
    bars: list[BarBox] = []
    systems: list[SystemBox] = []
    words: list[tuple[float, float, float]] = []
    bottom, count = drawn[0].systems[0].highest, 0
    for one in drawn:
        down = bottom - one.systems[0].highest
        first = len(systems)
        inks += [f'<g transform="translate(0 {down / one.scale:.1f})">{ink}</g>' for ink in one.inks]
        notes |= {
            key: dataclasses.replace(
                n,
                y=n.y + down,
                top=n.top + down,
                bottom=n.bottom + down,
                system=n.system + first,
                bar=n.bar + count,
            )
            for key, n in one.notes.items()
        }
        bars += [dataclasses.replace(b, index=b.index + count, system=b.system + first) for b in one.bars]
        systems += [
            dataclasses.replace(
                s,
                top=s.top + down,
                bottom=s.bottom + down,
                lowest=s.lowest + down,
                highest=s.highest + down,
            )
            for s in one.systems
        ]
        words += [(left, right, y + down) for left, right, y in one.words]
        bottom, count = systems[-1].lowest + under + EXERCISE_GAP, count + one.bar_count
    return dataclasses.replace(
        drawn[0],
        defs="".join(dict.fromkeys(one.defs for one in drawn)),
        height=systems[-1].rail + RAIL_HEIGHT + 20,
        inks=tuple(inks),
        notes=notes,
        bars=tuple(bars),
        systems=tuple(systems),
        words=tuple(words),
        bar_count=count,
    )


def _drawn(
    part: Part, width: float, spacing: float, room: float, starts: frozenset[int], block_rests: bool
) -> Engraving:
    xml = write_musicxml(Score("", (part,)), names=False, line_starts=starts, block_rests=block_rests).decode(
        "utf-8"
    )
    blocks = rest_blocks(part) if block_rests else {}
    within = {k + j for k, n in blocks.items() for j in range(1, n)}
    options = {
        "pageWidth": int(max(width, 500)),
        "pageHeight": 60000,
        "adjustPageHeight": True,
        "scale": 100,
        "header": "none",
        "footer": "none",
        "breaks": "line" if starts else "auto",
        "svgViewBox": True,
        "svgRemoveXlink": False,
        "expandNever": True,
        "pageMarginLeft": 40,
        "pageMarginRight": 40,
        "pageMarginTop": 70,
        "pageMarginBottom": 30 + int(RAIL_HEIGHT + RAIL_GAP + 20),
        "mnumInterval": 0,
        "justificationSystem": 0.0,
        "spacingSystem": spacing,
        "minLastJustification": 0.3 if part.bars[0].heading else 0.65,
        "spacingNonLinear": 0.5,
        "spacingLinear": 0.35 if not room else 0.5,
        "xmlIdSeed": 7,
        "svgFormatRaw": True,
    }
    with ENGRAVER:
        tk = _toolkit()
        tk.setOptions(options)
        if not tk.loadData(xml):
            raise ValueError("the engraver refused a part that Jeweller wrote")
        svg = tk.renderToSVG(1)
    return _rewrite(svg, [k for k in range(len(part.bars)) if k not in within], len(part.bars))


def written_mei(score: Score) -> bytes:
    """The score as MEI, which the engraver makes of the MusicXML we write. The ids of bars and notes stay."""
    with ENGRAVER:
        tk = _toolkit()
        tk.resetOptions()
        if not tk.loadData(write_musicxml(score).decode("utf-8")):
            raise ValueError("the engraver refused a score that Jeweller wrote")
        text: str = tk.getMEI()
    return text.encode("utf-8")


def _rewrite(svg: str, indexes: Sequence[int], bar_count: int) -> Engraving:
    root: Element = etree.fromstring(svg.encode("utf-8"), etree.XMLParser(huge_tree=True))
    view = [float(v) for v in root.get("viewBox").split()]
    inner = root.find(f"{_SVG}svg")
    if inner is None:
        raise ScoreError(_("This part cannot be engraved."))
    scale = view[2] / float(inner.get("viewBox").split()[2])
    for style in root.iter(f"{_SVG}style"):
        style.text = ""
    for g in list(inner.iter(f"{_SVG}g")):
        classes = (g.get("class") or "").split()
        if "placeholder" in classes:
            g.getparent().remove(g)
    for text in inner.iter(f"{_SVG}text"):
        flatten_text(text)
    for tag in ("path", "polygon", "rect", "ellipse", "polyline"):
        for element in inner.iter(f"{_SVG}{tag}"):
            if element.get("stroke") is None:
                element.set("stroke", "INK")
            if element.get("fill") in (None, "currentColor"):
                element.set("fill", "INK" if tag != "polyline" and not is_open_path(element) else "none")
    margin = next(g for g in inner.iter(f"{_SVG}g") if g.get("class") == "page-margin")
    dx, dy = (float(v) for v in _NUMBER.findall(margin.get("transform")))
    notes, bars, systems = _geometry(margin, dx, dy, scale, indexes)
    words = []
    for text in margin.iter(f"{_SVG}text"):
        x, y = (float(text.get("x", "0")) + dx) * scale, (float(text.get("y", "0")) + dy) * scale
        width = sum(0.52 * float(r.get("font-size", "0")) * len(r.text or "") for r in text) * scale
        words.append((x, x + width, y))
    for g in margin.iter(f"{_SVG}g"):
        if (g.get("class") or "").split()[:1] in ([kind] for kind in OVER_NOTES):
            for use in g.iter(f"{_SVG}use"):
                x, y = (float(v) for v in _NUMBER.findall(use.get("transform"))[:2])
                left = (x + dx) * scale
                words.append((left, left + SIGN_WIDTH, (y + dy) * scale + SIGN_DROP))
    defs = "".join(etree.tostring(d, encoding="unicode") for d in root.iterfind(f"{_SVG}defs"))
    inks = []
    for system in [g for g in margin if g.get("class") == "system"]:
        inks.append(bare(etree.tostring(system, encoding="unicode")))
        margin.remove(system)
    frame = (
        f'<g transform="scale({scale:g})" fill="INK" color="INK"><g '
        f'transform="{margin.get("transform")}">SYSTEMS</g></g>'
    )
    if len(bars) != len(indexes):
        raise ScoreError(_("This part cannot be engraved."))
    height = max(view[3], systems[-1].rail + RAIL_HEIGHT + 20)
    return Engraving(
        width=view[2],
        height=height,
        defs=bare(defs),
        frame=frame,
        inks=tuple(inks),
        notes=notes,
        bars=tuple(bars),
        systems=tuple(systems),
        words=tuple(words),
        scale=scale,
        bar_count=bar_count,
    )


def near(overlay: str, top: float, bottom: float) -> str:
    """The elements of an overlay that are drawn between two heights: what lies on other systems only makes a
    page slow.
    """
    if not overlay:
        return ""
    kept = []
    for element in etree.fromstring(
        f'<g xmlns:xlink="http://www.w3.org/1999/xlink">{overlay}</g>', etree.XMLParser(huge_tree=True)
    ):
        place = _TRANSLATED.search(element.get("transform", "")) or _BEGUN.search(element.get("d", ""))
        y = (
            float(place[1])
            if place is not None
            else float(element.get("y", element.get("cy", element.get("y1", top))))
        )
        if top - SLACK <= y <= bottom + SLACK:
            kept.append(etree.tostring(element, encoding="unicode", with_tail=False))
    return bare("".join(kept))


def _geometry(
    margin: Element, dx: float, dy: float, scale: float, indexes: Sequence[int]
) -> tuple[dict[str, NoteBox], list[BarBox], list[SystemBox]]:
    notes: dict[str, NoteBox] = {}
    bars: list[BarBox] = []
    systems: list[SystemBox] = []
    for system in (g for g in margin if g.get("class") == "system"):
        lines: list[tuple[float, float, float]] = []
        for measure in (
            g for g in system.iter(f"{_SVG}g") if (g.get("class") or "").split()[:1] == ["measure"]
        ):
            staff = next(g for g in measure if (g.get("class") or "").split()[:1] == ["staff"])
            rows = [[float(v) for v in _NUMBER.findall(p.get("d"))] for p in staff.iterfind(f"{_SVG}path")]
            left, right = (rows[0][0] + dx) * scale, (rows[0][2] + dx) * scale
            lines.extend(((r[1] + dy) * scale, left, right) for r in rows)
            xs = []
            index = indexes[min(len(bars), len(indexes) - 1)]
            for g in staff.iter(f"{_SVG}g"):
                kind = (g.get("class") or "").split()[:1]
                if kind not in (["note"], ["rest"], ["mRest"]) or g.get("id") is None:
                    continue
                use = g.find(f"{_SVG}g/{_SVG}use") if kind == ["note"] else g.find(f"{_SVG}use")
                if use is None:
                    continue
                x, y = (float(v) for v in _NUMBER.findall(use.get("transform"))[:2])
                px, py = (x + dx) * scale + (HALF_HEAD if kind == ["note"] else 9.0), (y + dy) * scale
                if kind == ["mRest"]:
                    px = (left + right) / 2
                stems = [
                    float(v)
                    for p in g.iterfind(f"{_SVG}g/{_SVG}path")
                    for v in _NUMBER.findall(p.get("d"))[1::2]
                ]
                ys = [(v + dy) * scale for v in stems] + [py - 9, py + 9]
                notes[g.get("id")] = NoteBox(
                    x=px, y=py, system=len(systems), bar=index, top=min(ys), bottom=max(ys)
                )
                if px > 0:
                    xs.append(px)
            bars.append(
                BarBox(
                    index=index,
                    system=len(systems),
                    left=left,
                    right=right,
                    first_x=min(xs, default=left + 20),
                )
            )
        top, bottom = min(r[0] for r in lines), max(r[0] for r in lines)
        lowest, highest = _reach(system, dy, scale)
        systems.append(
            SystemBox(
                top=top,
                bottom=bottom,
                left=min(r[1] for r in lines),
                right=max(r[2] for r in lines),
                lowest=max(bottom, lowest),
                highest=min(top, highest),
            )
        )
    return notes, bars, systems


def _reach(system: Element, dy: float, scale: float) -> tuple[float, float]:
    """Lowest and highest ink of a system: glyph origins, path points and text base lines, with half a space
    of slack.
    """
    ys: list[float] = []
    for element in system.iter():
        if element.tag == f"{_SVG}use":
            ys.append(float(_NUMBER.findall(element.get("transform"))[1]))
        elif element.tag == f"{_SVG}path":
            ys.extend(float(v) for v in _NUMBER.findall(element.get("d"))[1::2])
        elif element.tag == f"{_SVG}text":
            ys.append(float(element.get("y", "0")))
    return (max(ys) + dy) * scale + 9, (min(ys) + dy) * scale - 24
