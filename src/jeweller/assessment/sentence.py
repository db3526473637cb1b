"""Sentences about findings: places and amounts put into them."""

from __future__ import annotations

from typing import Any

from jeweller.assessment.finding import Finding
from jeweller.i18n import _, ngettext
from jeweller.phrases import bar_beat, how_often, name_bars, note_name

Texts = tuple[str, str]  # for the teacher, for the player


def describe_place(finding: Finding) -> str:
    """Where it is: its bars where it comes several times, else bar and beat."""
    if finding.count > 1 and finding.places:
        return name_bars(finding.places)
    return bar_beat(finding.bar, finding.beat)


def by_hands(finding: Finding, **ways: str) -> str:
    """The sentence, in the language of the catalogue, for what the instrument is played with: `slide`,
    `valves`, `flute`, `reed`, `recorder`, `mallets` or `sticks`; `other` for any that has none of its own.
    """
    return _(ways.get(str(finding.detail.get("hands", "")), ways["other"]))


def fill_in(message: str | tuple[str, str], finding: Finding, **values: Any) -> str:
    """A sentence with its place and values; of a pair the one that fits the number of times."""
    said = _(message) if isinstance(message, str) else ngettext(*message, finding.count)
    of = values.pop("of", 0) or finding.detail.get("of", 0) or finding.count
    often = how_often(finding.count, of)
    # A letter alone was spelled out before: only names of pitches are still those of the report.
    values = {k: note_name(v) if isinstance(v, str) and v[-1:].isdigit() else v for k, v in values.items()}
    return said.format(at=describe_place(finding), times=finding.count, of=of, often=often, **values)
