"""How a number is declared that influences a verdict: once, with unit, bounds and reason."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator
from typing import Any


def number(default: Any, unit: str, bounds: tuple[float, float], why: str) -> Any:
    """A field of a settings class. `bounds`: between which values it means what it says; of a row of numbers,
    each of them.
    """
    return dataclasses.field(default=default, metadata={"unit": unit, "bounds": bounds, "why": why})


def numbers_of(settings: Any) -> Iterator[tuple[str, Any, dict[str, Any]]]:
    """(name, value, declaration) of every number of a settings object.

    >>> from dataclasses import dataclass
    >>> @dataclass(frozen=True)
    ... class Limits:
    ...     gap_s: float = number(0.1, "s", (0.0, 1.0), "a longer gap is a breath")
    >>> [(name, value, told["unit"]) for name, value, told in numbers_of(Limits())]
    [('gap_s', 0.1, 's')]
    """
    for field in dataclasses.fields(settings):
        if "bounds" in field.metadata:
            yield field.name, getattr(settings, field.name), dict(field.metadata)
