"""Frozen dataclasses to and from plain JSON values, by their type annotations. Fractions are written
"n/d".
"""

from __future__ import annotations

import dataclasses
import functools
import math
import types
import typing
from collections.abc import Callable
from fractions import Fraction
from typing import Any, TypeVar

T = TypeVar("T")


def to_plain(value: Any, *, lean: bool = False) -> Any:
    """Dataclasses, tuples and Fractions as JSON values; `lean` leaves out what is as by default."""
    if isinstance(value, str | int | float) or value is None:
        return value
    if isinstance(value, list | tuple):
        return [to_plain(v, lean=lean) for v in value]
    if isinstance(value, Fraction):
        return f"{value.numerator}/{value.denominator}"
    if isinstance(value, dict):
        return {k: to_plain(v, lean=lean) for k, v in value.items()}
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        given = ((name, getattr(value, name), default) for name, default in _fields(type(value)))
        return {name: to_plain(v, lean=lean) for name, v, default in given if not lean or v != default}
    return value


@functools.cache
def _fields(cls: type) -> tuple[tuple[str, Any], ...]:
    """The names of a dataclass's fields with their defaults."""
    return tuple((f.name, f.default) for f in dataclasses.fields(cls))


def from_plain(cls: type[T], value: Any) -> T:
    """The inverse of `to_plain` for the type `cls`. Raises TypeError, ValueError or KeyError where the value
    does not fit.
    """
    return typing.cast(T, _decoder(typing.cast(Any, cls))(value))


@functools.cache
def _decoder(kind: Any) -> Callable[[Any], Any]:
    """What turns a plain value into one of a type: looked up once a type, as scores hold thousands of
    notes.
    """
    origin, args = typing.get_origin(kind), typing.get_args(kind)
    if origin in (types.UnionType, typing.Union):
        inner = _decoder(next(a for a in args if a is not type(None)))
        return lambda value: None if value is None else inner(value)
    if origin is tuple:
        items = [_decoder(a) for a in args if a is not Ellipsis]
        if args[-1] is Ellipsis:
            item = items[0]
            return lambda value: tuple([item(v) for v in value])
        return lambda value: tuple([decode(v) for decode, v in zip(items, value, strict=True)])
    if origin is list:
        each = _decoder(args[0])
        return lambda value: [each(v) for v in value]
    if dataclasses.is_dataclass(kind):
        make = typing.cast(type, kind)
        fields = {name: _decoder(hint) for name, hint in typing.get_type_hints(make).items()}
        return lambda value: make(**{k: fields[k](v) for k, v in value.items() if k in fields})
    if kind is Fraction:
        return Fraction
    if kind is float:
        return _finite
    return _exactly(kind) if kind in (str, int, bool) else lambda value: value


def _exactly(kind: type) -> Callable[[Any], Any]:
    def decode(value: Any) -> Any:
        if type(value) is not kind:
            raise TypeError(f"{value!r:.40} is no {kind.__name__}")
        return value

    return decode


def _finite(value: Any) -> float:
    if type(value) not in (float, int) or not math.isfinite(value):
        raise TypeError(f"{value!r:.40} is no number")
    return float(value)
