"""Parts on paper: one part, or a whole band's, each on its own page, with lines under the notes; as HTML,
PDF, PNG, MusicXML, MEI, MIDI.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from jeweller.documents.engraving import engrave, written_mei
from jeweller.documents.page import PAGE_UNITS, render_page, replace_page_names
from jeweller.documents.text_lines import (
    PLACES_LEGEND,
    TextLineSettings,
    draw_text_above,
    draw_text_below,
    rows_height,
)
from jeweller.documents.theme import PRINTED, Theme
from jeweller.i18n import _
from jeweller.instruments.table import Instrument, instrument_for
from jeweller.notation.drums import DRUM_SET
from jeweller.notation.model import Part, Score
from jeweller.notation.writers.midi import write_midi
from jeweller.notation.writers.musicxml import write_musicxml

BIG = 0.68  # of the usual page width in engraving units: notes half as large again


@dataclass(frozen=True, kw_only=True)
class SheetSettings:
    """How parts are printed."""

    under: TextLineSettings = field(default_factory=TextLineSettings)
    big: bool = False  # notes to be read from a distance
    bars_per_line: int = 0  # 0: as many as fit
    reminders: tuple[tuple[str, str], ...] = ()  # (id of a note, words pencilled above it)
    theme: Theme = PRINTED


def instrument_of(part: Part) -> Instrument:
    """The instrument of a part, by its name and transposition."""
    pitches = [n.pitch.midi + part.chromatic for b in part.bars for n in b.notes if n.pitch is not None] or [
        60
    ]
    return instrument_for(part.instrument or part.name, part.chromatic, min(pitches), max(pitches))


def parts_page(score: Score, settings: SheetSettings | None = None) -> str:
    """Every part of a score as one HTML page that stands alone; in print each begins a new page."""
    settings = settings or SheetSettings()
    pages = []
    for part in score.parts:
        instrument = instrument_of(part)
        room = rows_height(settings.under, instrument)
        engraving = engrave(
            part,
            PAGE_UNITS * (BIG if settings.big else 1.0),
            rails=False,
            room=room,
            bars_per_line=settings.bars_per_line,
            block_rests=True,
        )
        overlay = draw_text_below(engraving, part, settings.under, instrument, settings.theme)
        overlay += draw_text_above(engraving, dict(settings.reminders), settings.theme.brass)
        systems = []
        top = 0.0
        for k, system in enumerate(engraving.systems):
            bottom = system.lowest + room + 30.0
            if k + 1 < len(engraving.systems):
                bottom = min(max(bottom, system.lowest + 20.0), engraving.systems[k + 1].highest)
            systems.append(engraving.svg(settings.theme, overlay, top=top, height=bottom - top, system=k))
            top = bottom
        legend = drum_legend(part) or (_(PLACES_LEGEND) if "places" in settings.under.lines else "")
        pages.append({"title": score.title, "name": part.name, "systems": systems, "legend": legend})
    return render_page(
        "parts.html",
        settings.theme,
        pages=pages,
        title=score.title,
    )


def drum_legend(part: Part) -> str:
    """What each place on the staff of a drum set is, of what is struck in the part; "" for others."""
    struck = {n.stroke for b in part.bars for n in b.notes if n.stroke}
    if len(struck) < 3 or not struck <= DRUM_SET.keys():
        return ""
    return ", ".join(f"{_(v.name)} {_(v.where)}" for v in DRUM_SET.values() if v.name in struck)


def render_parts(
    score: Score, kinds: Sequence[str], settings: SheetSettings | None = None
) -> dict[str, list[bytes]]:
    """The documents asked for (html, pdf, png, musicxml, mei, midi), by kind; PNG has a page each."""
    out = (
        replace_page_names(parts_page(score, settings), kinds) if {"html", "pdf", "png"} & set(kinds) else {}
    )
    if "musicxml" in kinds:
        out["musicxml"] = [write_musicxml(score, bars_per_line=(settings or SheetSettings()).bars_per_line)]
    if "mei" in kinds:
        out["mei"] = [written_mei(score)]
    if "midi" in kinds:
        out["midi"] = [write_midi(score, lambda part: instrument_of(part).sound)]
    return out
