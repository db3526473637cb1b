"""The sheet that marks are drawn on: places on the engraving, lines, words, the timing rails."""

from __future__ import annotations

import bisect
from dataclasses import dataclass

from jeweller.assessment.finding import is_sure
from jeweller.documents.engraving import Engraving, NoteBox
from jeweller.documents.theme import Theme, text_svg
from jeweller.notation.performance import PerformedPart
from jeweller.report_format import ReportNote, TakeReport

BAR_Y, BAR_HEIGHT = 34.0, 13.0  # the heard notes on the rail


@dataclass(frozen=True, kw_only=True)
class Hit:
    """A place that can be chosen: a finding's mark, or a note."""

    kind: str  # "finding" or "note"
    key: str
    x: float
    y: float
    radius: float


@dataclass(frozen=True, kw_only=True)
class View:
    """What is shown: facets (None for all), the chosen finding or note, rail and pitch line, the pass of
    repeated bars.
    """

    facets: frozenset[str] | None = None
    chosen: str | None = None
    rail: bool = True
    unsure: bool = True
    passing: int = 1
    dismissed: frozenset[str] = frozenset()
    system: int | None = None  # the only one that has a rail


class Ruler:
    """Places in the line ↔ places on the page."""

    def __init__(self, engraving: Engraving, line: PerformedPart) -> None:
        self.engraving, self.line = engraving, line
        self.anchors = self._anchors()
        self.starts = [float(b.onset) for b in line.bars]

    def _anchors(self) -> list[list[tuple[float, float]]]:
        """For each written bar: (quarters from its start, x), ascending, ending with the bar line."""
        out = []
        for index, bar in enumerate(self.line.part.bars):
            box = self.engraving.bars[index]
            points = {
                float(n.offset): self.engraving.notes[n.id].x
                for n in bar.notes
                if n.id in self.engraving.notes and not n.grace and not n.whole_bar
            }
            points.setdefault(0.0, box.first_x)
            after = self.engraving.bars[index + 1] if index + 1 < len(self.engraving.bars) else None
            points[float(bar.length)] = (
                after.first_x if after is not None and after.system == box.system else box.right - 4
            )
            out.append(sorted(points.items()))
        return out

    def x_at(self, bar: int, q: float) -> tuple[float, int]:
        """(x, system) of a place `q` quarters from the start of a written bar; beyond its ends the line goes
        on in the neighbouring bars.
        """
        while bar + 1 < len(self.anchors) and q > self.anchors[bar][-1][0]:
            q -= self.anchors[bar][-1][0]
            bar += 1
        while bar > 0 and q < 0:
            bar -= 1
            q += self.anchors[bar][-1][0]
        points = self.anchors[bar]
        q = min(max(q, points[0][0]), points[-1][0])
        for (q0, x0), (q1, x1) in zip(points, points[1:], strict=False):
            if q <= q1:
                return (x0 + (x1 - x0) * (q - q0) / max(q1 - q0, 1e-9), self.engraving.bars[bar].system)
        return points[-1][1], self.engraving.bars[bar].system

    def at(self, quarters: float) -> tuple[float, int]:
        """(x, system) of a place in the line, quarters from its start; in repeated bars of the pass it
        belongs to.
        """
        k = max(0, bisect.bisect_right(self.starts, quarters + 1e-9) - 1)
        bar = self.line.bars[k]
        return self.x_at(bar.index, min(quarters - self.starts[k], float(bar.length)))


class MarkCanvas:
    """Draws on an engraving, and knows where it is free."""

    def __init__(
        self, engraving: Engraving, line: PerformedPart, report: TakeReport, theme: Theme, view: View
    ) -> None:
        self.e, self.line, self.report, self.theme, self.view = engraving, line, report, theme, view
        self.out: list[str] = []
        self.under: list[str] = []
        self.hits: list[Hit] = []
        self.by_id = {n["id"]: n for n in report["notes"]}
        self.passes: dict[str, list[int]] = {}  # in which passes each printed note is played
        for n in report["notes"]:
            self.passes.setdefault(n["score_id"], []).append(n["pass"])
        self.line_notes = {n.id: n for n in line.notes}
        self.x_at = Ruler(engraving, line).x_at
        self.taken: list[tuple[float, float]] = []

    def box(self, note_id: str) -> NoteBox | None:
        note = self.line_notes.get(note_id)
        return self.e.notes.get(note.score_id) if note is not None else None

    def free_y(self, x: float, y: float, step: float) -> float:
        """A height near `y` where no other mark, no printed word and no note stands at `x` yet."""
        notes = [n for n in self.e.notes.values() if abs(n.x - x) < 34]
        while (
            any(abs(x - tx) < 30 and abs(y - ty) < 26 for tx, ty in self.taken)
            or any(left - 16 < x < right + 16 and -14 < ty - y < 44 for left, right, ty in self.e.words)
            or any(n.top - 14 < y < n.bottom + 14 for n in notes)
        ):
            y += step
        self.taken.append((x, y))
        return y

    def text(
        self,
        x: float,
        y: float,
        content: str,
        size: float,
        colour: str,
        *,
        anchor: str = "middle",
        serif: bool = False,
        weight: int = 400,
        italic: bool = False,
    ) -> None:
        self.out.append(
            text_svg(x, y, content, size, colour, anchor=anchor, serif=serif, weight=weight, italic=italic)
        )

    def path(self, d: str, colour: str, width: float, fill: str = "none", dash: str = "") -> None:
        dashes = f' stroke-dasharray="{dash}"' if dash else ""
        self.out.append(
            f'<path d="{d}" fill="{fill}" stroke="{colour}" stroke-width="{width:g}" '
            f'stroke-linecap="round" stroke-linejoin="round"{dashes}/>'
        )

    def _pass_of(self, note: ReportNote) -> int:
        passes = self.passes[note["score_id"]]
        return self.view.passing if self.view.passing in passes else passes[0]

    def _rails(self) -> None:
        t = self.theme
        only = self.view.system
        for number, system in enumerate(self.e.systems):
            if only is not None and number != only:
                continue
            self.path(
                f"M {system.left:.1f} {system.rail:.1f} L {system.right:.1f} {system.rail:.1f}", t.faint, 1.2
            )
        beat = float(self.line.beat)
        for index, bar in enumerate(self.line.part.bars):
            box = self.e.bars[index]
            if only is not None and box.system != only:
                continue
            system = self.e.systems[box.system]
            lead = float(bar.metre.length - bar.length) if bar.implicit and index == 0 else 0.0
            beats = round(float(bar.length) / beat)
            for k in range(beats):
                x, _ = self.x_at(index, k * beat)
                first = k == 0 and not lead
                self.path(
                    f"M {x:.1f} {system.rail:.1f} L {x:.1f} {system.rail + (12 if first else 7):.1f}",
                    t.quiet,
                    1.6 if first else 1.1,
                )
                # Beside its line: where a note came lies under it.
                count = str(round(lead / beat) + k + 1)
                self.text(x + 4, system.rail + 24, count, 20, t.quiet, anchor="start")
            if box.left > system.left + 5:
                self.text(
                    box.left - 3,
                    system.rail - 6,
                    bar.number,
                    22,
                    t.quiet,
                    anchor="end",
                    serif=True,
                    italic=True,
                )
        off = {
            i
            for f in self.report["findings"]
            if f["kind"] in ("early", "late") and is_sure(f["confidence"])
            for i in f["notes"]
        }
        for n in self.report["notes"]:
            if n["grace"] or n["heard"] is None or n["timing"] is None or n["pass"] != self._pass_of(n):
                continue
            place = self.box(n["id"])
            if only is None or place is None or place.system == only:
                self._rail_note(n, n["id"] in off)

    def _rail_note(self, n: ReportNote, off: bool) -> None:
        note = self.line_notes[n["id"]]
        box = self.box(n["id"])
        if box is None:
            return
        t = self.theme
        system = self.e.systems[box.system]
        timing = n["timing"]
        if timing is None:
            return
        shift = timing["deviation_beats"] * float(self.line.beat)
        length = min(timing["length_ratio"], 2.5) * n["duration_q"]
        bar_index = self.line.bars[note.bar_index].index
        x0, s0 = self.x_at(bar_index, n["offset_q"] + shift)
        x1, s1 = self.x_at(bar_index, n["offset_q"] + shift + length)
        if s0 != box.system:
            x0 = self.e.bars[box.bar].first_x - 18 if shift < 0 else system.right
        if s1 != box.system:
            x1 = system.right
        y = system.rail + BAR_Y
        colour = t.facets["rhythm"] if off else t.quiet
        self.path(f"M {box.x:.1f} {system.rail + 3:.1f} L {x0:.1f} {y:.1f}", colour, 2.4 if off else 0.8)
        self.out.append(
            f'<rect x="{x0:.1f}" y="{y:.1f}" width="{max(x1 - x0 - 2, 3):.1f}" '
            f'height="{BAR_HEIGHT}" rx="3" fill="{colour}" '
            f'fill-opacity="{0.85 if off else 0.32}"/>'
        )
        self.out.append(f'<rect x="{x0:.1f}" y="{y:.1f}" width="3" height="{BAR_HEIGHT}" fill="{colour}"/>')
