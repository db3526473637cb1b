"""`jeweller make`, `jeweller look` and `jeweller sheet`: exercises made, parts looked over, parts printed."""

from __future__ import annotations

import argparse
import dataclasses
import sys
from pathlib import Path

from jeweller.audio.encode import write_sound
from jeweller.cli.choices import parse_choices
from jeweller.difficulty.analysis import analyse_part
from jeweller.difficulty.ensemble import describe_ensemble
from jeweller.documents.check_documents import write_documents
from jeweller.documents.parts import SheetSettings, instrument_of, render_parts
from jeweller.documents.text_lines import (
    ALL_COUNTINGS,
    LINES,
    OWN_WORDS,
    SOLFEGES,
    TextLineSettings,
    read_words,
)
from jeweller.errors import SettingError
from jeweller.exercises.make import BAND
from jeweller.exercises.pages import make_page
from jeweller.exercises.parts import best_octave, write_for_instrument
from jeweller.exercises.request import BOUNDS, CHOICES, KINDS, SPANS, USES, ExerciseRequest, apply_choices
from jeweller.files import json_text, write_bytes
from jeweller.i18n import _, ngettext
from jeweller.instruments.table import Instrument, instruments, require_instrument
from jeweller.notation.model import Score
from jeweller.notation.readers.sandbox import choose_part, load_score
from jeweller.phrases import name_bars
from jeweller.serialization import to_plain
from jeweller.synthesis.model import sounded


def players(names: list[str]) -> list[Instrument]:
    """The instruments named; "band" stands for a whole band, "all" for the whole table. Raises ScoreError."""
    out: list[Instrument] = []
    for name in names or ["flute"]:
        out += (
            [require_instrument(i) for i in BAND]
            if name == "band"
            else instruments()
            if name == "all"
            else [require_instrument(name)]
        )
    return list(dict.fromkeys(out))


def run_make(options: argparse.Namespace) -> int:
    if options.list:
        print_choices()
        return 0
    choices = {"kind": options.kind}
    if options.key:
        choices["tonic"] = options.key
    if options.written:
        choices["concert"] = "no"
    choices |= parse_choices(options.set)
    first = apply_choices(ExerciseRequest(), choices)
    requests = [first, *[_then(first, text) for text in options.then]]
    made = make_page(requests, players(options.players))
    print(made.score.title)
    for part in made.score.parts:
        print(
            _("  {name}: {n} bars, {note_count} notes").format(
                name=part.name, n=len(part.bars), note_count=part.note_count
            )
        )
    for sentence in made.told:
        print(_("  note: {sentence}").format(sentence=sentence))
    return write_parts(made.score, options)


def _then(first: ExerciseRequest, text: str) -> ExerciseRequest:
    """One more exercise on the page, like the first but for what is said of it. Raises DrillError."""
    kind, *choices = [piece.strip() for piece in text.split(";")]
    return apply_choices(first, {"kind": kind} | parse_choices(choices))


def _read(options: argparse.Namespace) -> Score:
    """The score that was named; what was not understood of it is said beside what is printed."""
    score = load_score(options.file, options.tune)
    for warning in score.warnings:
        print(_("jeweller: note: {warning}").format(warning=warning), file=sys.stderr)
    return score


def run_sheet(options: argparse.Namespace) -> int:
    score = _read(options)
    if options.part:
        score = dataclasses.replace(score, parts=(choose_part(score, options.part),))
    if options.player:
        instrument, part = require_instrument(options.player), choose_part(score, options.part)
        octaves = options.octaves if options.octaves is not None else best_octave(part, instrument)
        score = dataclasses.replace(score, parts=(write_for_instrument(part, instrument, octaves=octaves),))
        if octaves:
            print(
                (
                    ngettext(
                        "  note: {n} octave higher than it sounded.",
                        "  note: {n} octaves higher than it sounded.",
                        octaves,
                    )
                    if octaves > 0
                    else ngettext(
                        "  note: {n} octave lower than it sounded.",
                        "  note: {n} octaves lower than it sounded.",
                        -octaves,
                    )
                ).format(n=abs(octaves))
            )
    return write_parts(score, options)


def run_look(options: argparse.Namespace) -> int:
    score = _read(options)
    if options.band:
        print(score.title or Path(options.file).name)
        for sentence in describe_ensemble(score) or [
            _("No two parts share a rhythm, and nothing is altered.")
        ]:
            print(f"  {sentence}")
        return 0
    part = choose_part(score, options.part)
    over = analyse_part(
        part, require_instrument(options.instrument) if options.instrument else instrument_of(part)
    )
    if options.json:
        text = json_text(
            {"schema": "jeweller.look/1", "title": score.title, "part": part.name, **to_plain(over)}
        )
        if options.json == "-":
            print(text, end="")
        else:
            write_bytes(Path(options.json), text.encode("utf-8"))
        return 0
    print(f"{score.title or Path(options.file).name} · {part.name}")
    why = f" ({', '.join(over.reasons)})" if over.reasons else ""
    besides = (
        _(", and {outside_scale}").format(outside_scale=", ".join(over.outside_scale))
        if over.outside_scale
        else ""
    )
    print(
        (over.scale + besides + "; " if over.scale else "")
        + _("reads {level}{why}; begin at {begin} of {written} {beat} a minute").format(
            level=_(over.level), why=why, begin=over.beats[0], written=over.beats[1], beat=over.beat
        )
    )
    print(_("Traps"))
    for trap in over.traps:
        print(
            (_("  {what}, {count} times ({bars})") if trap.count > 1 else _("  {what} ({bars})")).format(
                what=trap.what, count=trap.count, bars=name_bars(trap.bars)
            )
        )
    if over.lighter:
        print(_("Lighter"))
        for light in over.lighter:
            print(
                f"  {light.what}"
                if light.kind in ("repeat", "sequence")
                else _("  {what} (bar {bar})").format(what=light.what, bar=light.bars[0])
            )
    print(_("A path"))
    for sentence in over.path:
        print(f"  {sentence}")
    return 0


def write_parts(score: Score, options: argparse.Namespace) -> int:
    """Writes the documents asked for. Raises SettingError, JewellerError."""
    lines, blank = (
        tuple(w.strip() for w in text.split(",") if w.strip()) for text in (options.under, options.blank)
    )
    for name in (*lines, *blank):
        if name not in LINES:
            raise SettingError(
                _("There is no line “{name}” to write under the notes; there are {lines}.").format(
                    name=name, lines=", ".join(LINES)
                )
            )
    words = _own_words(Path(options.words)) if options.words else ()
    counting = OWN_WORDS if words else options.counting
    if counting not in (*ALL_COUNTINGS, OWN_WORDS):
        raise SettingError(
            _("There is no way of counting “{counting}”; there are {countings}.").format(
                counting=options.counting, countings=", ".join(ALL_COUNTINGS)
            )
        )
    if options.solfege not in SOLFEGES:
        raise SettingError(
            _("There is no solfège “{solfege}”; there are {schools}.").format(
                solfege=options.solfege, schools=", ".join(SOLFEGES)
            )
        )
    settings = SheetSettings(
        under=TextLineSettings(
            (*lines, *(b for b in blank if b not in lines)),
            blank,
            counting,
            solfege=options.solfege,
            words=words,
        ),
        big=options.big,
    )
    targets = {
        k: getattr(options, k)
        for k in ("musicxml", "mei", "midi", "pdf", "png", "html")
        if getattr(options, k)
    }
    if options.wav:
        part = score.parts[0]
        if len(score.parts) > 1:
            print(
                _("  note: only {name} sounds in {wav}; --part or --for chooses another.").format(
                    name=part.name, wav=options.wav
                )
            )
        model = sounded(part, instrument_of(part).sound or "flute", bpm=options.speed, count_in=True)
        write_sound(Path(options.wav), model.samples, model.rate)
        print(options.wav)
    for path in write_documents(render_parts(score, list(targets), settings), targets):
        print(path)
    return 0


def _own_words(path: Path) -> tuple[tuple[str, str], ...]:
    """The words of a table. Raises SettingError."""
    try:
        words = read_words(path.read_text("utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise SettingError(_("{name} cannot be read: {error}.").format(name=path.name, error=error)) from None
    if not words:
        raise SettingError(
            _("{name} holds no words; it is JSON, as in {example}.").format(
                name=path.name, example='{"quarter note": "walk", "eighth note": "run"}'
            )
        )
    return words


def print_choices() -> None:
    print("KIND")
    for name, what in KINDS.items():
        print(f"  {name:12} {what}")
    print("--set NAME=VALUE")
    for field in dataclasses.fields(ExerciseRequest):
        if field.name == "kind":
            continue
        if field.name in CHOICES:
            what = ", ".join(CHOICES[field.name])
        elif field.name in BOUNDS:
            what = _("{bounds} to {bounds2}").format(
                bounds=BOUNDS[field.name][0], bounds2=BOUNDS[field.name][1]
            )
        else:
            what = {
                "tonic": _("a letter with its sign: B♭ or Bb"),
                "concert": _("yes or no"),
                "span": _("{spans}, or register NAME").format(spans=", ".join(SPANS)),
                "figure": _("degrees: 1 2 3 1"),
                "other": _("a note"),
                "uses": ", ".join(USES),
                "pickup": _("yes or no"),
                "progression": _("degrees: 1 4 5 1"),
            }[field.name]
        default = getattr(ExerciseRequest(), field.name)
        print(f"  {field.name:13} {what}  [{', '.join(default) if isinstance(default, tuple) else default}]")


__all__ = ["players", "run_look", "run_make", "run_sheet"]
