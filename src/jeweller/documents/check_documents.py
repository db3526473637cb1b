"""What a check can be written as: HTML, PDF, PNG, MIDI of the notes heard, MusicXML with the findings above
the notes.
"""

from __future__ import annotations

import io
import os
from collections.abc import Mapping, Sequence
from pathlib import Path

import mido

from jeweller.assessment.finding import is_sure
from jeweller.assessment.messages import localized
from jeweller.documents.page import marked_page, page_names, replace_page_names
from jeweller.documents.theme import PRINTED, Theme
from jeweller.files import write_bytes
from jeweller.i18n import _
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.pipeline.check import Checked
from jeweller.report_format import ReportFinding, TakeReport


def heard_midi(report: TakeReport) -> bytes:
    """The notes heard as a MIDI file: one tick is a millisecond, pitch bends carry the cents."""
    file = mido.MidiFile(ticks_per_beat=500)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=500_000, time=0))
    name = _("{part}, as heard").format(part=report["score"]["part"])
    track.append(
        mido.MetaMessage(
            "track_name",
            name=name.encode("latin-1", "replace").decode("latin-1"),
            time=0,
        )
    )
    sounds = [
        (h["on_s"], h["off_s"], h["midi"], h["level_db"])
        for n in report["notes"]
        if (h := n["heard"]) is not None and h["midi"] is not None
    ]
    sounds += [
        (e["on_s"], e["off_s"], e["midi"], e["level_db"] or 0.0)
        for e in report["extras"]
        if e["midi"] is not None
    ]
    loudest = max((s[3] for s in sounds), default=0.0)
    events: list[tuple[int, int, mido.Message]] = []
    for on, off, midi, level in sounds:
        note = min(127, max(0, round(midi)))
        bend = max(-8191, min(8191, round((midi - note) * 4096)))
        start, stop = round(on * 1000), max(round(on * 1000) + 1, round(off * 1000))
        velocity = max(20, min(120, round(100 + 2 * (level - loudest))))
        events += [
            (start, 1, mido.Message("pitchwheel", pitch=bend)),
            (start, 2, mido.Message("note_on", note=note, velocity=velocity)),
            (stop, 0, mido.Message("note_off", note=note)),
        ]
    now = 0
    for at, _order, message in sorted(events, key=lambda e: (e[0], e[1])):
        track.append(message.copy(time=at - now))
        now = at
    buffer = io.BytesIO()
    file.save(file=buffer)
    return buffer.getvalue()


def annotated_musicxml(line: PerformedPart, findings: Sequence[ReportFinding]) -> bytes:
    """The part with each sure finding as words above its first note."""
    texts: dict[str, str] = {}
    known = {n.id for b in line.part.bars for n in b.notes}
    by_id = {n.id: n.score_id for n in line.notes}
    for f in map(localized, findings):
        if not is_sure(f["confidence"]):
            continue
        targets = [by_id[i] for i in f["notes"] if i in by_id] or [
            n.id for b in line.part.bars if b.number == f["bar"] for n in b.notes
        ]
        target = next((i for i in targets if i in known), None)
        if target is not None:
            texts[target] = f"{texts[target]}; {f['text']}" if target in texts else f["text"]
    return write_musicxml(Score(line.title, (line.part,)), texts=texts)


def render_sheets(
    report: TakeReport,
    line: PerformedPart,
    kinds: Sequence[str],
    findings: Sequence[ReportFinding] | None = None,
    player: str = "",
    *,
    theme: Theme = PRINTED,
) -> dict[str, list[bytes]]:
    """The documents asked for, by kind; PNG has a page each."""
    findings = list(report["findings"] if findings is None else findings)
    out = (
        replace_page_names(marked_page(report, line, findings, player=player, theme=theme), kinds)
        if {"html", "pdf", "png"} & set(kinds)
        else {}
    )
    if "midi" in kinds:
        out["midi"] = [heard_midi(report)]
    if "musicxml" in kinds:
        out["musicxml"] = [annotated_musicxml(line, findings)]
    return out


def write_documents(
    documents: Mapping[str, list[bytes]], targets: Mapping[str, str | os.PathLike[str]]
) -> list[Path]:
    """Writes each document to its target, first under another name. Raises JewellerError."""
    written = []
    for kind, pages in documents.items():
        for path, data in zip(page_names(Path(targets[kind]), len(pages)), pages, strict=True):
            write_bytes(path, data)
            written.append(path)
    return written


def write_sheets(checked: Checked, targets: Mapping[str, str], theme: Theme = PRINTED) -> list[Path]:
    """The documents of a check, by kind (html, pdf, png, midi, musicxml), to files."""
    return write_documents(render_sheets(checked.report, checked.line, list(targets), theme=theme), targets)
