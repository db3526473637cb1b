"""`jeweller make`, `jeweller look` and `jeweller sheet`: exercises made, parts looked over, parts printed."""

from __future__ import annotations

import argparse
import dataclasses
from pathlib import Path

from jeweller.audio.encode import write_sound
from jeweller.difficulty.analysis import analyse_part
from jeweller.difficulty.ensemble import describe_ensemble
from jeweller.documents.check_documents import write_documents
from jeweller.documents.parts import SheetSettings, instrument_of, render_parts
from jeweller.documents.text_lines import COUNTINGS, LINES, TextLineSettings
from jeweller.errors import DrillError, SettingError
from jeweller.exercises.make import BAND, make_exercise
from jeweller.exercises.parts import best_octave, write_for_instrument
from jeweller.exercises.request import BOUNDS, CHOICES, KINDS, SPANS, USES, ExerciseRequest, apply_choices
from jeweller.files import json_text, write_bytes
from jeweller.instruments.table import Instrument, instruments, require_instrument
from jeweller.notation.model import Score
from jeweller.notation.readers.sandbox import choose_part, load_score
from jeweller.serialization import to_plain
from jeweller.synthesis.model import sounded
from jeweller.usage import usage_of


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
    for item in options.set:
        name, equals, value = item.partition("=")
        if not equals:
            raise DrillError(f"--set takes NAME=VALUE, not “{item}”.")
        choices[name] = value
    made = make_exercise(apply_choices(ExerciseRequest(), choices), players(options.players))
    print(made.score.title)
    for part in made.score.parts:
        print(f"  {part.name}: {len(part.bars)} bars, {part.note_count} notes")
    for sentence in made.told:
        print(f"  note: {sentence}")
    return write_parts(made.score, options)


def run_sheet(options: argparse.Namespace) -> int:
    score = load_score(options.file, options.tune)
    if options.part:
        score = dataclasses.replace(score, parts=(choose_part(score, options.part),))
    if options.player:
        instrument, part = require_instrument(options.player), choose_part(score, options.part)
        octaves = options.octaves if options.octaves is not None else best_octave(part, instrument)
        score = dataclasses.replace(score, parts=(write_for_instrument(part, instrument, octaves=octaves),))
        if octaves:
            print(
                f"  note: {abs(octaves)} octave{'s' if abs(octaves) > 1 else ''} "
                f"{'higher' if octaves > 0 else 'lower'} than it sounded."
            )
    return write_parts(score, options)


def run_look(options: argparse.Namespace) -> int:
    said = usage_of(options.words).said
    score = load_score(options.file, options.tune)
    if options.band:
        print(score.title or Path(options.file).name)
        for sentence in describe_ensemble(score) or ["No two parts share a rhythm, and nothing is altered."]:
            print(f"  {said(sentence)}")
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
    besides = f", and {', '.join(over.outside_scale)}" if over.outside_scale else ""
    print(said(f"{over.scale}{besides}; reads {over.level}{why}; begin at {over.begin_bpm} of {over.bpm:g}"))
    print("Traps")
    for trap in over.traps:
        print(
            said(
                f"  {trap.what}{f', {trap.count} times' if trap.count > 1 else ''} "
                f"(bar{'s' if len(trap.bars) > 1 else ''} {', '.join(trap.bars)})"
            )
        )
    if over.lighter:
        print("Lighter")
        for light in over.lighter:
            print(said(f"  {light.what}{'' if light.what.startswith('bar') else f' (bar {light.bars[0]})'}"))
    print("A path")
    for sentence in over.path:
        print(f"  {said(sentence)}")
    return 0


def write_parts(score: Score, options: argparse.Namespace) -> int:
    """Writes the documents asked for. Raises SettingError, JewellerError."""
    lines, blank = (
        tuple(w.strip() for w in text.split(",") if w.strip()) for text in (options.under, options.blank)
    )
    for name in (*lines, *blank):
        if name not in LINES:
            raise SettingError(
                f"There is no line “{name}” to write under the notes; there are {', '.join(LINES)}."
            )
    if options.counting not in (*COUNTINGS, "ta ti-ti"):
        raise SettingError(
            f"There is no way of counting “{options.counting}”; there are {', '.join(COUNTINGS)} "
            "and ta ti-ti."
        )
    settings = SheetSettings(
        under=TextLineSettings((*lines, *(b for b in blank if b not in lines)), blank, options.counting),
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
            print(f"  note: only {part.name} sounds in {options.wav}; --part or --for chooses another.")
        model = sounded(part, instrument_of(part).sound or "flute", bpm=options.speed, count_in=True)
        write_sound(Path(options.wav), model.samples, model.rate)
        print(options.wav)
    for path in write_documents(render_parts(score, list(targets), settings), targets):
        print(path)
    return 0


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
            what = f"{BOUNDS[field.name][0]} to {BOUNDS[field.name][1]}"
        else:
            what = {
                "tonic": "a letter with its sign: B♭ or Bb",
                "concert": "yes or no",
                "span": f"{', '.join(SPANS)}, or register NAME",
                "figure": "degrees: 1 2 3 1",
                "other": "a note",
                "uses": ", ".join(USES),
                "pickup": "yes or no",
            }[field.name]
        default = getattr(ExerciseRequest(), field.name)
        print(f"  {field.name:13} {what}  [{', '.join(default) if isinstance(default, tuple) else default}]")


__all__ = ["players", "run_look", "run_make", "run_sheet"]
