"""Several exercises on a page: one after another in each player's part, each under its own heading."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

from jeweller.errors import DrillError
from jeweller.exercises.make import MadeExercise, make_exercise, title_of
from jeweller.exercises.request import ExerciseRequest
from jeweller.i18n import _
from jeweller.instruments.table import Instrument, find_instrument
from jeweller.notation.model import Bar, Part, Score

MOST = 60  # exercises on a page


def keys_of(request: ExerciseRequest) -> tuple[str, ...]:
    """The keys an exercise is made in; a drum pattern has none."""
    return request.keys if request.kind != "drums" else request.keys[:1]


def make_page(requests: Sequence[ExerciseRequest], players: Sequence[Instrument]) -> MadeExercise:
    """Every exercise for every player, in one score. Raises DrillError where one of them is for nobody."""
    asked = [dataclasses.replace(r, tonic=key) for r in requests for key in keys_of(r)]
    if len(asked) == 1:
        return make_exercise(asked[0], players)
    if len(asked) > MOST:
        raise DrillError(_("A page holds up to {most} exercises, not {n}.").format(most=MOST, n=len(asked)))
    told: list[str] = []
    rows: dict[str, list[Part]] = {}
    for number, request in enumerate(asked, 1):
        made = make_exercise(request, players)
        told += [f"{number}. {sentence}" for sentence in made.told]
        for part in made.score.parts:
            if number > 1 and request.bpm == asked[number - 2].bpm:
                part = _without_tempo(part)
            rows.setdefault(part.name, []).append(_headed(part, number, _own_title(request, part)))
    parts = tuple(_joined(part_rows) for part_rows in rows.values())
    return MadeExercise(Score(_page_title(asked), parts), tuple(dict.fromkeys(told)))


def _own_title(request: ExerciseRequest, part: Part) -> str:
    """What an exercise is called in this player's part: in this player's key."""
    instrument = find_instrument(part.name)
    return title_of(request, [instrument] if instrument is not None else [])


def _headed(part: Part, number: int, title: str) -> Part:
    """The part with a heading over its first bar, and ids of its own."""
    bars = [
        dataclasses.replace(b, notes=tuple(dataclasses.replace(n, id=f"x{number}.{n.id}") for n in b.notes))
        for b in part.bars
    ]
    bars[0] = dataclasses.replace(bars[0], heading=f"{number}. {title}")
    return dataclasses.replace(part, bars=tuple(bars))


def _without_tempo(part: Part) -> Part:
    """The part without its metronome mark: the one before it still holds."""
    first = part.bars[0]
    marks = tuple(m for m in first.marks if m.kind != "tempo")
    return dataclasses.replace(part, bars=(dataclasses.replace(first, marks=marks), *part.bars[1:]))


def _joined(parts: Sequence[Part]) -> Part:
    """One part after another, the bars numbered on."""
    bars: list[Bar] = []
    for part in parts:
        bars += [dataclasses.replace(b, number=str(len(bars) + k)) for k, b in enumerate(part.bars, 1)]
    return dataclasses.replace(parts[0], bars=tuple(bars))


def _page_title(asked: Sequence[ExerciseRequest]) -> str:
    first = asked[0]
    if first.kind == "scale" and len({dataclasses.replace(r, tonic="") for r in asked}) == 1:
        return _("{scale} scales").format(scale=_(first.scale).capitalize())
    return _("Exercises")
