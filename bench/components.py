"""Components of the ear that can be switched off one at a time, to see what each is worth."""

from __future__ import annotations

import contextlib
import dataclasses
from collections.abc import Iterator
from typing import Any
from unittest import mock

from jeweller.alignment import settings as follow_settings


def _settings(**changes: Any) -> Any:
    return dataclasses.replace(follow_settings.DEFAULT, **changes)


ABLATIONS: dict[str, Any] = {
    "duration prior": lambda: _settings(ioi_spread=50.0, carried_spreads=(50.0,) * 4),
    "tempo carried by the way": lambda: _settings(carried_gains=(0.0,) * 4),
    "jumps": lambda: _settings(jump_cost=1e6, back_cost=1e6),
    "notes broken off": lambda: _settings(broken_cost=1e6),
    "insertions": lambda: _settings(extra_cost=1e6),
    "attacks": lambda: _settings(repeat_reward=0.0, change_reward=0.0, inside_cost=0.0, fresh_cost=0.0),
    "silence counts": lambda: _settings(silence_rate=0.0),
    "between two semitones": lambda: _settings(near_semitones=0.5),
}

# Second hearings, by the function that is replaced and what by.
SECOND: dict[str, tuple[str, Any]] = {
    "starts by spectra": (
        "jeweller.notes.note_starts._made_up",
        lambda index, event, before, heard, caught, mixture: heard,
    ),
    "notes not found explained again": (
        "jeweller.notes.build.repair_alignment",
        lambda events, jumps, items, spq: (events, jumps),
    ),
    "all ways weighed": ("jeweller.alignment.align.weigh_ways", lambda *a: None),
    "one confidence from all measures": ("jeweller.assessment.assess.weigh", lambda case, found: found),
    "habits": ("jeweller.assessment.assess.explain_habits", lambda case, found: list(found)),
    "tones covered by a noise": ("jeweller.notes.measure.NoteMeasurer._covered", lambda *a: False),
    "ways that go elsewhere and come back": ("jeweller.alignment.align.find_excursions", lambda way: []),
    "blurred notes looked at again": ("jeweller.notes.doubts.written_sounded", lambda *a: False),
}


@contextlib.contextmanager
def switched_off(name: str) -> Iterator[None]:
    """Runs a check without one component. An empty name changes nothing."""
    if not name:
        yield
        return
    if name in SECOND:
        where, instead = SECOND[name]
        with mock.patch(where, instead):
            yield
        return
    from jeweller.alignment.align import align
    from jeweller.pipeline import check

    changed = ABLATIONS[name]()
    with mock.patch.object(check, "align", lambda *a, **k: align(*a, **(k | {"settings": changed}))):
        yield
