"""Choices of the command line that several commands take."""

from __future__ import annotations

from collections.abc import Iterable

from jeweller.errors import JewellerError
from jeweller.i18n import _


def parse_choices(items: Iterable[str]) -> dict[str, str]:
    """What `--set NAME=VALUE` said, each time it was given. Raises JewellerError.

    >>> parse_choices(["bars=4", "metre=3/4"])
    {'bars': '4', 'metre': '3/4'}
    """
    choices = {}
    for item in items:
        name, equals, value = item.partition("=")
        if not equals:
            raise JewellerError(_("--set takes NAME=VALUE, not “{item}”.").format(item=item))
        choices[name] = value
    return choices
