"""What is told of a typed bar that does not add up, and of what was begun and is not ended."""

from __future__ import annotations

import dataclasses
from fractions import Fraction

from jeweller.i18n import _, ngettext
from jeweller.notation.readers.abc_cures import cure_of, flat_behind
from jeweller.notation.readers.abc_head import Problem
from jeweller.notation.readers.abc_voice import AbcVoice


def tell_length(voice: AbcVoice, number: str, metre: Fraction) -> Problem:
    """That a bar holds too much or too little.

    >>> from jeweller.notation.readers.abc import parse_tune
    >>> parse_tune("M:4/4\\nL:1/4\\nK:C\\nC D E F|C D E|F4|")[1][0].text
    'Bar 2 has 3 beats; 4/4 needs 4.'
    """
    beats = voice.now * Fraction(voice.beat_type, 4)
    told = ngettext(
        "Bar {number} has {count} beat; {beats}/{beat_type} needs {beats}.",
        "Bar {number} has {count} beats; {beats}/{beat_type} needs {beats}.",
        1 if beats <= 1 else 2,
    ).format(number=number, count=_count(beats), beats=voice.beats, beat_type=voice.beat_type)
    flat = flat_behind(voice.text) if voice.now > metre and voice.default_unit() < 1 else ""
    return Problem(*voice.place, " ".join(s for s in (told, flat) if s))


def tell_loose(voice: AbcVoice) -> list[Problem]:
    """What hangs in the air at the end of a bar.

    >>> from jeweller.notation.readers.abc import parse_tune
    >>> parse_tune("M:4/4\\nL:1/4\\nK:C\\nC D E F|C3 (3DE|")[1][-1].text
    'A group such as (3 has too few notes before the bar line.'
    """
    problems = []
    if "fermata" in voice.decorations and voice.text.rstrip().endswith("H"):
        problems.append(Problem(*voice.place, cure_of("H")))
        voice.decorations = []
    if voice.default_unit() >= 1 and (flat := flat_behind(voice.text)):
        # Quarters have no beams: two of them are written apart.
        problems.append(Problem(*voice.place, flat))
    if voice.tuplet is not None and not voice.tuplet_begins:
        problems.append(Problem(*voice.place, _("A group such as (3 has too few notes before the bar line.")))
        voice.tuplet = None
    return problems


def tell_open(voice: AbcVoice, line: int) -> list[Problem]:
    """What was begun and is not ended at the end of the music, and a first bar that may lack a note.

    >>> from jeweller.notation.readers.abc import parse_tune
    >>> parse_tune("M:4/4\\nL:1/4\\nK:C\\n(C D E F|C4|")[1][0].text
    'A slur begins that does not end: write ).'
    """
    problems, last = [], Problem(line, 1, "")
    bars = voice.bars
    if voice.slurs or voice.opened:
        problems.append(dataclasses.replace(last, text=_("A slur begins that does not end: write ).")))
    if voice.ties:
        problems.append(dataclasses.replace(last, text=_("The last tie leads to no note.")))
    starts = [k for k, b in enumerate(bars) if b.repeat_start]
    ends = [k for k, b in enumerate(bars) if b.repeat_times]
    if starts and (not ends or ends[-1] < starts[-1]):
        problems.append(
            dataclasses.replace(last, text=_("The repeat that begins with |: is not ended: write :|."))
        )
    seconds = [k for k, b in enumerate(bars) if b.ending_start and b.ending[:1] == (2,)]
    if seconds and not any(b.ending[:1] == (1,) for b in bars[: seconds[0]]):
        problems.append(
            dataclasses.replace(last, text=_("There is a second ending and no first: write [1 before it."))
        )
    first = bars[0]
    if first.implicit and len(bars) > 1 and not starts and not ends:
        missing = first.metre.length - first.length
        if bars[-1].length in (first.metre.length, Fraction(0)) and missing <= first.metre.beat:
            problems.append(
                Problem(
                    *voice.first_place,
                    _(
                        "The first bar has {count} of {beats} beats and is read as a pickup. If a note "
                        "is missing, add it."
                    ).format(count=_count(first.length * Fraction(first.beat_type, 4)), beats=first.beats),
                )
            )
    return problems


def _count(beats: Fraction) -> str:
    whole, rest = divmod(beats, 1)
    part = {Fraction(1, 2): "½", Fraction(1, 4): "¼", Fraction(3, 4): "¾"}.get(
        rest, f" {rest}" if rest else ""
    )
    return f"{whole or ''}{part}" or "0"
