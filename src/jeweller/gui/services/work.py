"""What worker processes run: plain functions, importable without a window."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.documents.check_documents import render_sheets, write_documents
from jeweller.documents.feedback_sheet import (
    Clip,
    FeedbackSettings,
    FeedbackSheet,
    choose_findings,
    format_feedback_text,
    render_feedback_html,
    render_feedback_pdf,
)
from jeweller.documents.parts import SheetSettings, instrument_of, render_parts
from jeweller.documents.sound_clips import compressed, sound_address
from jeweller.documents.theme import Theme
from jeweller.eartraining.hidden import EarRequest, HiddenTake, hide, hide_three
from jeweller.errors import JewellerError, LedgerError
from jeweller.files import write_bytes
from jeweller.i18n import _
from jeweller.instruments.table import require_instrument
from jeweller.library.assignments import answer_chosen_traps, criteria_of
from jeweller.library.exports import FeedbackData, collect_feedback
from jeweller.library.intake import candidates, recognise
from jeweller.library.library import Library
from jeweller.library.tray import music_of
from jeweller.notation.formats import ENDINGS
from jeweller.notation.model import Part, Score
from jeweller.notation.performance import PerformedPart
from jeweller.notation.readers.sandbox import load_scores
from jeweller.omr.page import PagesRead, parse_pages
from jeweller.omr.sandbox import read_pages
from jeweller.pipeline.check import Checked, Options, check
from jeweller.repertoire.shelf import Shelf
from jeweller.report_format import ReportFinding, TakeReport
from jeweller.synthesis.model import play_model, sounded

MOST_HELD_AGAINST = 60  # parts that one recording is held against: more take longer than asking
CLIP_RATE = 22050  # samples a second of the sounds in a slip


def check_take(
    score: str,
    take: str,
    options: Options,
    progress: Callable[[float, str], None],
) -> Checked:
    return check(score, take, options, progress=progress)


def write_pages(
    report: TakeReport,
    line: PerformedPart,
    findings: list[ReportFinding],
    targets: dict[str, str],
    player: str,
    theme: Theme,
    progress: Callable[[float, str], None],
) -> list[Path]:
    progress(0.2, "writing")
    return write_documents(render_sheets(report, line, list(targets), findings, player, theme=theme), targets)


def write_sheet(
    score: Score,
    settings: SheetSettings,
    targets: dict[str, str],
    progress: Callable[[float, str], None],
) -> list[Path]:
    progress(0.2, "writing")
    return write_documents(render_parts(score, list(targets), settings), targets)


def read_many(paths: list[str], progress: Callable[[float, str], None]) -> list[tuple[Score, ...] | str]:
    """The scores of many notation files and of those in folders; a sentence for each that cannot be read."""
    files = [
        f
        for p in map(Path, paths)
        for f in (sorted(q for q in p.rglob("*") if q.suffix.casefold() in ENDINGS) if p.is_dir() else [p])
    ]
    out: list[tuple[Score, ...] | str] = []
    for k, file in enumerate(files):
        progress(k / len(files), file.name)
        try:
            out.append(load_scores(file))
        except JewellerError as error:
            out.append(str(error))
    return out


def write_part_sound(part: Part, path: str, progress: Callable[[float, str], None]) -> list[Path]:
    progress(0.2, "playing")
    model = sounded(part, instrument_of(part).sound or "flute", count_in=True)
    target = Path(path)
    write_sound(target, model.samples, model.rate)
    return [target]


def write_slips(
    library: Path,
    tray: int,
    takes: list[int] | None,
    settings: FeedbackSettings,
    kind: str,
    target: str,
    theme: Theme,
    progress: Callable[[float, str], None],
) -> list[Path]:
    """The slips of a tray: "pdf" all in one file; "html" (with sound) and "text" a file a player, in a
    folder. The library is only read.
    """
    opened = Library(library, read_only=True)
    try:
        told = collect_feedback(opened, tray, takes)
        if not told:
            raise LedgerError(_("No take of this tray is checked yet: there is nothing to write."))
        slips = []
        for k, data in enumerate(told):
            progress(0.9 * k / len(told), data.player)
            slips.append(_slip(opened, data, sounds=kind == "html"))
        if kind == "pdf":
            write_bytes(Path(target), render_feedback_pdf(slips, settings, theme=theme))
            return [Path(target)]
        folder = Path(target)
        folder.mkdir(parents=True, exist_ok=True)
        paths: list[Path] = []
        for slip in slips:
            name = (
                "".join(
                    c if c.isalnum() or c in " -" else "-" for c in f"{slip.player} - {slip.title}"
                ).strip(" -")[:100]
                or "slip"
            )
            path = folder / f"{name}.{'html' if kind == 'html' else 'txt'}"
            path = path if path not in paths else path.with_stem(f"{path.stem} {len(paths) + 1}")
            write_bytes(
                path,
                (
                    render_feedback_html([slip], settings, theme=theme)
                    if kind == "html"
                    else format_feedback_text(slip, settings, theme=theme)
                ).encode("utf-8"),
            )
            paths.append(path)
        return paths
    finally:
        opened.close()


def recognise_many(
    library: Path,
    takes: list[tuple[str, str]],
    progress: Callable[[float, str], None],
) -> dict[str, tuple[str, str]]:
    """By the path of a recording, (piece, part) that it follows; `takes` are paths with the id of the
    player's instrument. What follows none is left out.
    """
    shelf = Shelf(library / "shelf")
    scores = [(p.id, shelf.score(p.id)) for p in shelf.pieces.values() if not p.passage_of]
    out = {}
    for k, (path, instrument) in enumerate(takes):
        progress(k / len(takes), Path(path).name)
        among = candidates(scores, require_instrument(instrument) if instrument else None)
        found = recognise(Path(path), among[:MOST_HELD_AGAINST])
        if found is not None:
            out[path] = (found.piece, found.part.name)
    return out


def train_takes(
    request: EarRequest, three: bool, folder: str, progress: Callable[[float, str], None]
) -> tuple[tuple[HiddenTake, ...], int]:
    """Takes to train the ear on, and which of them is asked about. Their sounds lie in files: megabytes that
    pass through a pipe hold the window.
    """
    takes, asked = hide_three(request, progress) if three else ((hide(request, progress),), 0)
    kept = []
    for k, take in enumerate(takes):
        np.save(sound_of(folder, request, k), take.samples)
        kept.append(dataclasses.replace(take, samples=take.samples[:0]))
    return tuple(kept), asked


def sound_of(folder: str, request: EarRequest, number: int) -> str:
    """Where the sound of a take to train the ear on lies."""
    return str(Path(folder) / f"{request.seed}-{number}.npy")


def write_page(
    make: Callable[..., bytes],
    arguments: tuple[Any, ...],
    target: str,
    progress: Callable[[float, str], None],
) -> Path:
    """A page that `make` makes of the arguments, as a file."""
    progress(0.2, "writing")
    write_bytes(Path(target), make(*arguments))
    return Path(target)


def _slip(library: Library, data: FeedbackData, *, sounds: bool) -> FeedbackSheet:
    """One slip with its music, and, where asked for, what its bars sounded like and how they should."""
    music, report = music_of(library, data.hand.take), data.hand.report
    if report is None:
        raise LedgerError(_("No take of this tray is checked yet: there is nothing to write."))
    slip = FeedbackSheet(
        player=data.player,
        title=data.title,
        part=data.hand.take.part,
        report=report,
        line=music,
        findings=data.shown,
        comment=data.comment,
        comments=data.hand.standing.comments,
        mark=data.mark,
    )
    kinds = criteria_of(library.assignment_of(library.tray(data.hand.take.tray_id)), data.hand.take.piece)
    slip = dataclasses.replace(slip, asked=tuple(answer_chosen_traps(kinds, music, report, data.hand.shown)))
    if not sounds:
        return slip
    clips = {}
    sound = decode(library.recording(data.hand.take), CLIP_RATE)
    spq = 60.0 / (report["tempo"]["played_bpm"] or 80.0)
    things = choose_findings(slip)
    instrument = instrument_of(music.part)
    model = play_model(music, instrument.sound or "flute", lambda q: q * spq) if things else None
    for f in things:
        start, end = data.hand.span(f["key"])
        notes = [n for n in music.notes if n.bar == f["bar"] and n.passing == f["pass"]]
        played = sound.samples[round(start * sound.rate) : round(end * sound.rate)]
        should = (
            model.samples[
                round(float(notes[0].onset) * spq * model.rate) : round(
                    float(notes[-1].end) * spq * model.rate
                )
            ]
            if model and notes
            else None
        )
        clips[f["key"]] = Clip(
            sound_address(compressed(played, sound.rate)),
            sound_address(compressed(should, model.rate)) if should is not None and model is not None else "",
        )
    return dataclasses.replace(slip, clips=clips)


def read_page_lines(path: str, pages: str, progress: Callable[[float, str], None]) -> PagesRead:
    """The lines on pages of a file, "4-6", or all of them. Raises JewellerError."""
    return read_pages(path, parse_pages(pages), progress)
