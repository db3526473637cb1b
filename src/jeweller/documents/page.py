"""The marked part as one HTML page that stands alone; PDF and PNG are printed from the same page."""

from __future__ import annotations

import base64
import contextlib
import functools
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Any

from jinja2 import Environment, PackageLoader, select_autoescape

from jeweller.assessment.finding import is_sure
from jeweller.assessment.messages import FACET_NAMES, cause_words, localized
from jeweller.assets import FONTS
from jeweller.documents.annotations import draw_marks
from jeweller.documents.engraving import Engraving, engrave
from jeweller.documents.mark_canvas import View
from jeweller.documents.plain_text import SHOWN_FIRST, good_sentence, player_words, sureness
from jeweller.documents.theme import PRINTED, SANS, SERIF, SIGNS, Theme, shape_svg
from jeweller.i18n import _, chosen_language
from jeweller.instruments.table import said_instrument
from jeweller.notation.performance import PerformedPart
from jeweller.phrases import beat_name, capitalized, key_said
from jeweller.report.advice import choose_faults, choose_tuning
from jeweller.report.heard import heard_of, heard_sentence
from jeweller.report.localized import localized_report
from jeweller.report_format import ReportFinding, TakeReport

PAGE_UNITS = 1850.0  # width of the engraving on an A4 page: a staff is 7 mm high
FONT_FILES = (
    ("AtkinsonHyperlegibleNext-Regular", SANS, 400),
    ("AtkinsonHyperlegibleNext-SemiBold", SANS, 600),
    ("SourceSerif4-Regular", SERIF, 400),
    ("SourceSerif4-SemiBold", SERIF, 600),
    ("JewellerSigns", SIGNS, 400),
)


def _played(report: TakeReport) -> str:
    """How fast it was played, and how fast it is written, where that is said, in printed beats."""
    beat = report["score"]["beat_unit_q"]
    written = report["score"]["written_bpm"]
    message = (
        _("played at {played:.0f} (written {written:.0f}) {beat} a minute")
        if written
        else _("played at {played:.0f} {beat} a minute")
    )
    played = (report["tempo"]["played_bpm"] or 0) / beat
    return message.format(played=played, written=(written or 0) / beat, beat=beat_name(beat))


@functools.cache
def environment() -> Environment:
    environment = Environment(
        loader=PackageLoader("jeweller", "assets/templates"),
        autoescape=select_autoescape(["html"]),
        trim_blocks=True,
    )
    environment.globals.update(
        _=_,
        language=lambda: chosen_language().replace("_", "-"),
        capitalized=capitalized,
        key_said=key_said,
        said_instrument=said_instrument,
    )
    return environment


@functools.cache
def fonts() -> tuple[tuple[str, int, str], ...]:
    return tuple(
        (family, weight, base64.b64encode((FONTS / f"{name}.ttf").read_bytes()).decode())
        for name, family, weight in FONT_FILES
    )


def render_page(template: str, theme: Theme, **values: Any) -> str:
    """A page as HTML that stands alone: a template with its values, in the colours of a theme."""
    page = environment().get_template(template)
    return page.render(t=theme, fonts=fonts(), sans=SANS, serif=SERIF, signs=SIGNS, **values)


def bands(engraving: Engraving) -> list[tuple[float, float]]:
    """(top, height) of one band for each system: with its rail, and the words above it."""
    out = []
    edges = [0.0]
    for before, after in zip(engraving.systems, engraving.systems[1:], strict=False):
        edges.append(min(before.rail + 78.0, after.highest))
    edges.append(engraving.height)
    for top, bottom in zip(edges, edges[1:], strict=False):
        out.append((top, bottom - top))
    return out


def marked_page(
    report: TakeReport,
    line: PerformedPart,
    findings: Sequence[ReportFinding] | None = None,
    *,
    theme: Theme = PRINTED,
    player: str = "",
    rail: bool = True,
) -> str:
    """The page: the part with its marks, the findings in plain sentences, what was good, a word to the
    player.
    """
    findings = [localized(f) for f in (report["findings"] if findings is None else findings)]
    report = localized_report(report)
    engraving = engrave(line.part, PAGE_UNITS, rails=rail)
    overlay = draw_marks(engraving, line, report, theme, View(rail=rail), findings)
    svg = [
        engraving.svg(theme, overlay.svg, top=top, height=height, system=k)
        for k, (top, height) in enumerate(bands(engraving))
    ]
    shown = [_shown(f, k, theme) for k, f in enumerate(choose_faults(findings), 1)]
    tuning = [f["text"] for f in choose_tuning(findings)]
    unsure = [_shown(f, 0, theme) for f in findings if not is_sure(f["confidence"])]
    return render_page(
        "marked.html",
        theme,
        report=report,
        systems=svg,
        first=shown[:SHOWN_FIRST],
        further=shown[SHOWN_FIRST:],
        unsure=unsure,
        tuning=tuning,
        heard=heard_sentence(heard_of(report)),
        good=good_sentence(report),
        played=_played(report),
        to_player=player_words({**report, "findings": findings}),
        player=player,
    )


def _shown(f: ReportFinding, number: int, theme: Theme) -> dict[str, Any]:
    colour = theme.facets[f["facet"]]
    icon = (
        f'<svg viewBox="-12 -12 24 24" width="16" height="16">{shape_svg(f["facet"], 0, 0, 19, colour)}</svg>'
    )
    return {
        "number": number,
        "facet": _(FACET_NAMES[f["facet"]]),
        "colour": colour,
        "icon": icon,
        "text": f["text"],
        "sure": sureness(f["confidence"]),
        "cause": cause_words(f["cause"]),
    }


def html_to_pdf(html: str) -> bytes:
    """The page as PDF (A4)."""
    import logging

    logging.getLogger("weasyprint").setLevel(logging.CRITICAL)
    logging.getLogger("fontTools").setLevel(logging.CRITICAL)
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    # Only what stands in the page itself is loaded: never a file or an address.
    return bytes(HTML(string=html, url_fetcher=URLFetcher(allowed_protocols=("data",))).write_pdf())


def join_pdfs(parts: Sequence[bytes]) -> bytes:
    """One PDF of several, in their order."""
    import io

    import pypdfium2

    whole = pypdfium2.PdfDocument.new()
    try:
        for part in parts:
            with contextlib.closing(pypdfium2.PdfDocument(part)) as document:
                whole.import_pages(document)
        out = io.BytesIO()
        whole.save(out)
        return out.getvalue()
    finally:
        whole.close()


def pdf_to_png(pdf: bytes, dpi: int = 130) -> list[bytes]:
    """Each page of a PDF as PNG bytes."""
    import io

    import pypdfium2

    pages = []
    document = pypdfium2.PdfDocument(pdf)
    try:
        for page in document:
            buffer = io.BytesIO()
            page.render(scale=dpi / 72).to_pil().save(buffer, format="PNG")
            pages.append(buffer.getvalue())
    finally:
        document.close()
    return pages


def replace_page_names(html: str, kinds: Collection[str]) -> dict[str, list[bytes]]:
    """A page as the documents asked for among html, pdf and png; PNG has a page each."""
    out: dict[str, list[bytes]] = {}
    pdf = html_to_pdf(html) if {"pdf", "png"} & set(kinds) else b""
    if "html" in kinds:
        out["html"] = [html.encode("utf-8")]
    if "pdf" in kinds:
        out["pdf"] = [pdf]
    if "png" in kinds:
        out["png"] = pdf_to_png(pdf)
    return out


def page_names(path: Path, count: int) -> list[Path]:
    """File names for `count` pages: the name itself for one, name-1, name-2 ... for more."""
    return (
        [path] if count == 1 else [path.with_name(f"{path.stem}-{k + 1}{path.suffix}") for k in range(count)]
    )
