"""Bars cut out of a part."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence

from jeweller.notation.model import Bar


def stand_alone(bars: Sequence[Bar]) -> tuple[Bar, ...]:
    """Bars of a part as if there were no others: no repeats, no endings, no tie into the first note or out of
    the last.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A\\nM:2/4\\nL:1/2\\nK:C\\n|:c-|c-:|c|")[0].parts[0]
    >>> [(b.repeat_start, b.notes[0].tie_stop, b.notes[0].tie_start) for b in stand_alone(part.bars[1:2])]
    [(False, False, False)]
    """
    out = [
        dataclasses.replace(
            b,
            repeat_start=False,
            repeat_times=0,
            ending=(),
            ending_start=False,
            ending_stop="",
            dacapo=False,
            dalsegno=False,
            to_coda=False,
        )
        for b in bars
    ]
    if out and out[0].notes:
        first, *others = out[0].notes
        out[0] = dataclasses.replace(out[0], notes=(dataclasses.replace(first, tie_stop=False), *others))
    if out and out[-1].notes:
        *others, last = out[-1].notes
        out[-1] = dataclasses.replace(out[-1], notes=(*others, dataclasses.replace(last, tie_start=False)))
    return tuple(out)
