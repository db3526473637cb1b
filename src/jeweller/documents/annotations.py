"""The marks on the part and the timing rail, as an SVG overlay in page units, from a report and an engraving.

The way a careful teacher marks paper: a shape per facet beside the notes, the heard pitch as a triangle at
its own place, a numeral for what to say first. Right notes stay in plain ink. What is unsure is drawn in hair
lines with a small question mark.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from jeweller.assessment.finding import SKIPPED_KINDS, is_sure
from jeweller.documents.engraving import RAIL_HEIGHT, SPACE, Engraving, NoteBox
from jeweller.documents.mark_canvas import Hit, MarkCanvas, View
from jeweller.documents.theme import Theme, shape_svg
from jeweller.notation.performance import PerformedPart
from jeweller.notation.pitch import Pitch, spell
from jeweller.phrases import note_name
from jeweller.report_format import ReportFinding, ReportNote, TakeReport

HALF = SPACE / 2
SIGN = {-2: "𝄫", -1: "♭", 0: "♮", 1: "♯", 2: "𝄪"}
# of the whole take: no place on the part
WHOLE = "tuned_high", "tuned_low", "wrong_transposition", "off_click", "wrong_tempo"
VEIL = 0.62  # how much of a bar that was not heard the paper covers
NUMBERED = 3  # so many findings carry a numeral on the part


@dataclass
class Overlay:
    """What lies over the notes, and the washes under them."""

    svg: str = ""
    under: str = ""
    hits: list[Hit] = field(default_factory=list)


class _Drawer(MarkCanvas):
    # ---- places

    # ---- drawing

    def draw(self, findings: Sequence[ReportFinding]) -> Overlay:
        chosen = next((f for f in findings if f["key"] == self.view.chosen), None)
        if chosen is not None:
            self._wash(chosen)
        elif self.view.chosen:
            self._wash_note(self.view.chosen)
        if self.view.rail:
            self._rails()
        self._veil_unheard()
        number = 0
        for f in findings:
            sure = is_sure(f["confidence"]) and f["kind"] not in WHOLE[:2]
            if sure:
                number += 1
            if self.view.facets is not None and f["facet"] not in self.view.facets:
                continue
            if f["key"] in self.view.dismissed or (not sure and not self.view.unsure):
                continue
            self._finding(f, number if sure else 0)
        for n in self.report["notes"]:
            box = self.box(n["id"])
            if box is not None and n["pass"] == self._pass_of(n):
                self.hits.append(Hit(kind="note", key=n["id"], x=box.x, y=box.y, radius=16.0))
        return Overlay("".join(self.out), "".join(self.under), self.hits)

    def _veil_unheard(self) -> None:
        """Bars that the take does not hold are pale: what is said is not said of them."""
        heard: set[int] = set()
        unheard: set[int] = set()
        for n in self.report["notes"]:
            box = self.box(n["id"])
            if box is not None and not n["grace"]:
                (unheard if n["verdict"] == "not_heard" else heard).add(box.bar)
        for index in sorted(unheard - heard):
            bar = self.e.bars[index]
            system = self.e.systems[bar.system]
            self.out.append(
                f'<rect x="{bar.left + 3:.1f}" y="{system.highest - 34:.1f}" '
                f'width="{bar.right - bar.left - 6:.1f}" '
                f'height="{system.rail + RAIL_HEIGHT - system.highest + 34:.1f}" '
                f'fill="{self.theme.paper}" fill-opacity="{VEIL}"/>'
            )

    def _wash(self, f: ReportFinding) -> None:
        for index in self._bars_of(f):
            self._wash_bar(index)

    def _wash_note(self, note_id: str) -> None:
        box = self.box(note_id)
        if box is not None:
            self.under.append(
                f'<rect x="{box.x - 17:.1f}" y="{box.y - 17:.1f}" width="34" height="34" rx="6" '
                f'fill="{self.theme.wash}" fill-opacity="0.75"/>'
            )

    def _wash_bar(self, index: int) -> None:
        bar = self.e.bars[index]
        system = self.e.systems[bar.system]
        height = system.rail + RAIL_HEIGHT - system.top + 36
        self.under.append(
            f'<rect x="{bar.left + 3:.1f}" y="{system.top - 30:.1f}" '
            f'width="{bar.right - bar.left - 6:.1f}" height="{height:.1f}" rx="8" '
            f'fill="{self.theme.wash}" fill-opacity="0.55"/>'
        )

    def _bars_of(self, f: ReportFinding) -> list[int]:
        found = []
        for note_id in f["notes"]:
            box = self.box(note_id)
            if box is not None and box.bar not in found:
                found.append(box.bar)
        if not found and f["kind"] not in WHOLE:
            found = [k for k, b in enumerate(self.line.part.bars) if b.number == f["bar"]][:1]
        return found[:6]

    # ---- the rail

    # ---- findings

    def _finding(self, f: ReportFinding, number: int) -> None:
        colour = self.theme.facets[f["facet"]]
        sure = is_sure(f["confidence"])
        width = (3.2 if f["key"] == self.view.chosen else 2.4) if sure else 1.1
        before = len(self.hits)
        draw = {
            "accidentals": self._accidental,
            "notes": self._pitch,
            "count": self._count,
            "rhythm": self._rhythm,
            "ornaments": self._over,
            "articulation": self._over,
            "sound": self._over,
        }[f["facet"]]
        draw(f, colour, width)
        if len(self.hits) == before:
            return
        first = self.hits[before]
        if not sure:
            self.text(first.x + 17, first.y - 12, "?", 20, colour, weight=600)
        if 0 < number <= NUMBERED:
            self._numeral(number, first, colour)

    def _numeral(self, number: int, hit: Hit, colour: str) -> None:
        system = min(
            self.e.systems,
            key=lambda s: 0 if s.highest - 60 <= hit.y <= s.rail + RAIL_HEIGHT else abs(s.top - hit.y),
        )
        y = min(hit.y - 36, system.top - 26)
        y = self.free_y(hit.x, y, -24)
        self.out.append(
            f'<circle cx="{hit.x:.1f}" cy="{y:.1f}" r="14" fill="{self.theme.paper}" '
            f'stroke="{colour}" stroke-width="2.2"/>'
        )
        self.text(hit.x, y + 7, str(number), 21, colour, weight=700)
        self.hits.append(Hit(kind="finding", key=hit.key, x=hit.x, y=y, radius=16))

    def _boxes(self, f: ReportFinding) -> list[tuple[ReportNote, NoteBox]]:
        return [(self.by_id[i], b) for i in f["notes"] if i in self.by_id and (b := self.box(i)) is not None]

    def _heard_pitch(self, n: ReportNote) -> Pitch | None:
        if n["heard"] is None or n["heard"]["midi"] is None:
            return None
        written = self.line_notes[n["id"]].written.known_pitch
        offset = self.report["tuning"]["offset_cents"] or 0.0
        midi = round(n["heard"]["midi"] - offset / 100) - self.line.part.chromatic
        fifths = self.line.bars[self.line_notes[n["id"]].bar_index].bar.fifths
        return spell(midi, fifths, written if abs(midi - written.midi) <= 1 else None)

    def _triangle(self, x: float, y: float, colour: str, width: float, name: str, ring: bool = False) -> None:
        """Points at the place on the staff where it sounded, from the left of the notehead."""
        filled = colour if width > 1.5 else "none"
        self.path(
            f"M {x - 15:.1f} {y - 8:.1f} L {x:.1f} {y:.1f} L {x - 15:.1f} {y + 8:.1f} Z", colour, 1.4, filled
        )
        if ring:
            self.path(f"M {x - 26:.1f} {y:.1f} a 17 17 0 1 0 34 0 a 17 17 0 1 0 -34 0", colour, width)
        if name:
            self.text(x + 42, y + 7, name, 21, colour, anchor="start", weight=600)

    def _pitch(self, f: ReportFinding, colour: str, width: float) -> None:
        if f["kind"] == "extra_note":
            self._extra(f, colour, width)
            return
        for n, box in self._boxes(f):
            self.path(f"M {box.x - 17:.1f} {box.y:.1f} a 17 15 0 1 0 34 0 a 17 15 0 1 0 -34 0", colour, width)
            if f["kind"] == "missed_note":
                self.path(
                    f"M {box.x - 14:.1f} {box.y + 14:.1f} L {box.x + 14:.1f} {box.y - 14:.1f}", colour, width
                )
            else:
                heard, written = self._heard_pitch(n), self.line_notes[n["id"]].written.pitch
                if heard is not None and written is not None:
                    if f["kind"] == "wrong_octave":
                        up = heard.midi > written.midi
                        y = box.y + (-34 if up else 34)
                        tip = -12 if up else 12
                        self.path(
                            f"M {box.x:.1f} {y - tip:.1f} L {box.x:.1f} {y + tip:.1f} M "
                            f"{box.x - 7:.1f} {y + tip * 0.3:.1f} L {box.x:.1f} {y + tip:.1f} "
                            f"L {box.x + 7:.1f} {y + tip * 0.3:.1f}",
                            colour,
                            width,
                        )
                        self.text(box.x + 14, y + 7, "8", 19, colour, anchor="start", weight=600)
                    else:
                        steps = heard.diatonic - written.diatonic
                        y = box.y - steps * HALF
                        self._triangle(box.x - 20, y, colour, width, note_name(heard.letter))
            self.hits.append(Hit(kind="finding", key=f["key"], x=box.x, y=box.y, radius=18))
        if not self.hits or self.hits[-1].key != f["key"]:
            self._at_bar(f, colour, width)

    def _extra(self, f: ReportFinding, colour: str, width: float) -> None:
        for k in f["extras"]:
            extra = self.report["extras"][k]
            after = self.by_id.get(extra["after_note"] or "")
            base = after or next(n for n in self.report["notes"] if n["bar"] == f["bar"])
            note, box = self.line_notes[base["id"]], self.box(base["id"])
            if box is None:
                continue
            index = self.line.bars[note.bar_index].index
            beat = self.line.bars[note.bar_index].beat
            x, _ = self.x_at(index, max(0.0, (f["beat"] - 1) * float(beat)))
            if after is not None:
                x = max(x, box.x + 26)
            written = note.written.pitch
            # a stroke too many has no pitch: it stands at the height of the note before
            if written is None or extra["midi"] is None:
                self._triangle(x + 8, box.y, colour, width, "", ring=True)
                self.hits.append(Hit(kind="finding", key=f["key"], x=x, y=box.y, radius=20))
                continue
            heard = spell(
                round(extra["midi"] - (self.report["tuning"]["offset_cents"] or 0) / 100)
                - self.line.part.chromatic,
                self.line.bars[note.bar_index].bar.fifths,
            )
            y = box.y - (heard.diatonic - written.diatonic) * HALF
            self._triangle(x + 8, y, colour, width, "", ring=True)
            self.text(x, y - 22, note_name(heard.letter), 21, colour, weight=600)
            self.hits.append(Hit(kind="finding", key=f["key"], x=x, y=y, radius=20))

    def _accidental(self, f: ReportFinding, colour: str, width: float) -> None:
        for n, box in self._boxes(f):
            written = self.line_notes[n["id"]].written.pitch
            heard = self._heard_pitch(n)
            if written is None:
                continue
            printed = self.line_notes[n["id"]].written.accidental is not None
            x = box.x - (52 if printed else 36)
            self.path(
                (
                    f"M {x:.1f} {box.y - 24:.1f} L {x + 17:.1f} {box.y:.1f} L {x:.1f} {box.y + 24:.1f} "
                    f"L {x - 17:.1f} {box.y:.1f} Z"
                ),
                colour,
                width,
                self.theme.paper,
            )
            alter = written.alter if f["kind"] == "missed_accidental" or heard is None else heard.alter
            self.text(x, box.y + 9, SIGN.get(alter, "♮"), 27, colour)
            if f["kind"] == "added_accidental":
                self.path(f"M {x - 13:.1f} {box.y + 18:.1f} L {x + 13:.1f} {box.y - 18:.1f}", colour, width)
            self.hits.append(Hit(kind="finding", key=f["key"], x=x, y=box.y, radius=24))
        if not self.hits or self.hits[-1].key != f["key"]:
            self._at_bar(f, colour, width)

    def _place(self, f: ReportFinding) -> tuple[float, int]:
        bars = [b for b in self.line.bars if b.number == f["bar"] and b.passing == f["pass"]] or [
            b for b in self.line.bars if b.number == f["bar"]
        ]
        bar = bars[0]
        lead = float(bar.bar.metre.length - bar.length) if bar.bar.implicit and bar.index == 0 else 0.0
        return self.x_at(bar.index, max(0.0, (f["beat"] - 1) * float(bar.beat) - lead))

    def _at_bar(self, f: ReportFinding, colour: str, width: float) -> None:
        x, system = self._place(f)
        y = self.free_y(x, self.e.systems[system].top - 40, -26)
        self.out.append(
            shape_svg(f["facet"], x, y, 24, colour, width=width, unsure=not is_sure(f["confidence"]))
        )
        self.hits.append(Hit(kind="finding", key=f["key"], x=x, y=y, radius=18))

    def _count(self, f: ReportFinding, colour: str, width: float) -> None:
        d = f["detail"]
        boxes = [b for _, b in self._boxes(f)]
        if f["kind"] in {*SKIPPED_KINDS, "restart"} and boxes:
            for system in sorted({b.system for b in boxes}):
                mine = [b for b in boxes if b.system == system]
                x0, x1 = min(b.x for b in mine) - 18, max(b.x for b in mine) + 18
                y = self.e.systems[system].bottom + 22
                self.path(
                    f"M {x0:.1f} {y - 10:.1f} L {x0:.1f} {y:.1f} L {x1:.1f} {y:.1f} L {x1:.1f} {y - 10:.1f}",
                    colour,
                    width,
                )
                if f["kind"] == "restart":
                    self.path(
                        f"M {x0 + 12:.1f} {y - 7:.1f} L {x0:.1f} {y:.1f} L {x0 + 12:.1f} {y + 7:.1f}",
                        colour,
                        width,
                    )
                else:
                    top = self.e.systems[system].top
                    self.path(
                        f"M {x0:.1f} {y - 14:.1f} L {x1:.1f} {top + 4:.1f}", colour, width * 0.6, dash="6 6"
                    )
                self.hits.append(Hit(kind="finding", key=f["key"], x=(x0 + x1) / 2, y=y, radius=18))
            return
        x, system = (boxes[0].x, boxes[0].system) if boxes and f["kind"] != "hesitation" else self._place(f)
        s = self.e.systems[system]
        if f["kind"] == "hesitation":
            x -= 24
            for side in (x - 5, x + 5):
                self.path(
                    f"M {side:.1f} {s.top - 12:.1f} L {side:.1f} {s.bottom + 12:.1f}", colour, width * 0.7
                )
            self.text(x, s.bottom + 34, f"+{d.get('beats', 0):.2g}", 20, colour, weight=600)
            self.hits.append(Hit(kind="finding", key=f["key"], x=x, y=s.top - 14, radius=20))
            return
        y = s.bottom + 26
        self.path(
            (
                f"M {x - 22:.1f} {y - 12:.1f} L {x - 22:.1f} {y:.1f} L {x + 22:.1f} {y:.1f} L "
                f"{x + 22:.1f} {y - 12:.1f}"
            ),
            colour,
            width,
        )
        written, heard = d.get("written_beats"), d.get("heard_beats")
        if written is not None and heard is not None:
            self.text(x, y - 6, f"{written:g}", 19, colour, weight=600)
            self.text(x, y + 20, f"{round(heard * 2) / 2:g}", 19, colour, weight=600)
        self.hits.append(Hit(kind="finding", key=f["key"], x=x, y=y, radius=22))

    def _rhythm(self, f: ReportFinding, colour: str, width: float) -> None:
        boxes = self._boxes(f)
        if f["kind"] in ("rushing", "dragging", "uneven", "dot_lost") and boxes:
            for system in sorted({b.system for _, b in boxes}):
                mine = [b for _, b in boxes if b.system == system]
                groups = (
                    [mine]
                    if f["kind"] != "dot_lost"
                    else [[m for m in mine if m.bar == k] for k in sorted({m.bar for m in mine})]
                )
                for group in groups:
                    x0, x1 = min(b.x for b in group) - 8, max(b.x for b in group) + 8
                    y = self.free_y(x0, self.e.systems[system].top - 30, -24)
                    self.path(
                        f"M {x0:.1f} {y:.1f} L {x1:.1f} {y:.1f}",
                        colour,
                        width * 0.6,
                        dash="2 7" if f["kind"] in ("uneven", "dot_lost") else "14 6",
                    )
                    self.path(f"M {x0 - 5:.1f} {y + 9:.1f} L {x0 + 5:.1f} {y - 9:.1f}", colour, width + 1.2)
                    self.hits.append(Hit(kind="finding", key=f["key"], x=x0, y=y, radius=18))
            return
        for _, box in boxes:
            y = self.free_y(box.x, min(box.top, self.e.systems[box.system].top) - 20, -24)
            self.path(f"M {box.x - 7:.1f} {y + 11:.1f} L {box.x + 7:.1f} {y - 11:.1f}", colour, width + 1.2)
            self.hits.append(Hit(kind="finding", key=f["key"], x=box.x, y=y, radius=16))
            if "beats" in f["detail"] and self.view.rail:
                s = self.e.systems[box.system]
                self.text(
                    box.x + 4,
                    s.rail + 62,
                    f"{abs(f['detail']['beats']):.2g} beat {f['kind']}",
                    18,
                    colour,
                    anchor="start",
                    weight=600,
                )
        if not boxes:
            self._at_bar(f, colour, width)

    def _over(self, f: ReportFinding, colour: str, width: float) -> None:
        boxes = self._boxes(f)
        if not boxes:
            if f["kind"] not in WHOLE:
                self._at_bar(f, colour, width)
            return
        for _, box in boxes:
            y = self.free_y(box.x, min(box.top, self.e.systems[box.system].top) - 26, -24)
            self.out.append(
                shape_svg(f["facet"], box.x, y, 24, colour, width=width, unsure=not is_sure(f["confidence"]))
            )
            if "cents" in f["detail"]:
                self.text(box.x, y - 14, f"{f['detail']['cents']:+d}", 18, colour, weight=600)
            self.hits.append(Hit(kind="finding", key=f["key"], x=box.x, y=y, radius=18))


def draw_marks(
    engraving: Engraving,
    line: PerformedPart,
    report: TakeReport,
    theme: Theme,
    view: View | None = None,
    findings: Sequence[ReportFinding] | None = None,
) -> Overlay:
    """The overlay for a report's findings (or those given), most important first."""
    return _Drawer(engraving, line, report, theme, view or View()).draw(
        report["findings"] if findings is None else findings
    )


def staff_place(
    engraving: Engraving, line: PerformedPart, report: TakeReport, note: ReportNote, midi: float
) -> float:
    """The height of a sounding pitch (MIDI, float) beside a note, on the staff of that note: between two
    semitones it lies between their places.
    """
    box = engraving.notes[note["score_id"]]
    offset = (report["tuning"]["offset_cents"] or 0.0) / 100
    apart = midi - offset - (note["sounding_midi"] or 0)
    return box.y - apart * 7 / 12 * HALF
