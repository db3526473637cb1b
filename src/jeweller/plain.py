"""Frozen dataclasses to and from plain JSON values, by their type annotations. Fractions are written "n/d"."""

from __future__ import annotations

import dataclasses
import functools
import types
import typing
from fractions import Fraction
from typing import Any, TypeVar

T = TypeVar("T")


def to_plain(value: Any) -> Any:
    """Dataclasses, tuples and Fractions as JSON values."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {f.name: to_plain(getattr(value, f.name)) for f in dataclasses.fields(value)}
    if isinstance(value, Fraction):
        return f"{value.numerator}/{value.denominator}"
    if isinstance(value, list | tuple):
        return [to_plain(v) for v in value]
    if isinstance(value, dict):
        return {k: to_plain(v) for k, v in value.items()}
    return value


@functools.cache
def _hints(cls: type) -> dict[str, Any]:
    return typing.get_type_hints(cls)


def from_plain(cls: type[T], value: Any) -> T:
    """The inverse of `to_plain` for the type `cls`. Raises TypeError, ValueError or KeyError where the value does not fit."""
    return typing.cast(T, _decode(cls, value))


def _decode(kind: Any, value: Any) -> Any:
    origin = typing.get_origin(kind)
    if origin in (types.UnionType, typing.Union):
        inner = [a for a in typing.get_args(kind) if a is not type(None)]
        return None if value is None else _decode(inner[0], value)
    if origin is tuple:
        args = typing.get_args(kind)
        if len(args) == 2 and args[1] is Ellipsis:
            return tuple(_decode(args[0], v) for v in value)
        return tuple(_decode(a, v) for a, v in zip(args, value, strict=True))
    if dataclasses.is_dataclass(kind):
        hints = _hints(typing.cast(type, kind))
        return typing.cast(type, kind)(**{k: _decode(hints[k], v) for k, v in value.items() if k in hints})
    if kind is Fraction:
        return Fraction(value)
    if kind is float:
        return float(value)
    return value
