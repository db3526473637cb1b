"""What a notation file leaves unsaid because a reader of the page sees it: the brackets of tuplets, and what
stands above the first part for all.

Notation programs write speeds, "rit.", D.C., segno and fine into the top part of a score only; each player's
part needs them.
"""

from __future__ import annotations

import dataclasses
from typing import Any

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.barring import bracket_tuplets
from jeweller.notation.model import Bar, Mark, Part, Score
from jeweller.notation.performance import TEMPO_WORDS

LONGEST_BAR = 32  # quarters, where the metre asks for less than a quarter of it
HIGHEST_OCTAVE, LAST_ENDING = 9, 99
FLAGS = ("repeat_start", "ending_start", "segno", "coda", "fine", "to_coda", "dacapo", "dalsegno")


def complete_score(score: Score) -> Score:
    """The score with each tuplet bracketed, and with what one part has and all must keep in each part. Note
    ids stay.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> len(complete_score(score).parts)
    1
    """
    parts = [dataclasses.replace(p, bars=tuple(_bracketed(b) for b in p.bars)) for p in score.parts]
    return dataclasses.replace(score, parts=tuple(_shared(parts)))


def require_possible(score: Score) -> Score:
    """The score, where every format could hold it: no bar far longer than its metre, no pitch that nothing
    plays. Raises ScoreError.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> require_possible(score) is score
    True
    """
    for part in score.parts:
        for bar in part.bars:
            metre = bar.metre.length
            if bar.length > metre * 4 and bar.length > LONGEST_BAR:
                raise ScoreError(
                    _(
                        "Bar {number} is {length:g} quarters long where the metre asks for {metre:g}; "
                        "the file is damaged."
                    ).format(number=bar.number, length=float(bar.length), metre=float(metre))
                )
            if any(not 1 <= n <= LAST_ENDING for n in bar.ending):
                raise ScoreError(
                    _("Bar {number} belongs to an ending that no music has; the file is damaged.").format(
                        number=bar.number
                    )
                )
            for note in bar.notes:
                if note.pitch is not None and not 0 <= note.pitch.octave <= HIGHEST_OCTAVE:
                    raise ScoreError(
                        _(
                            "A pitch in this file cannot be played (step {step!r}, octave {octave}); "
                            "it is damaged."
                        ).format(step=note.pitch.step, octave=note.pitch.octave)
                    )
    return score


def _bracketed(bar: Bar) -> Bar:
    missing = any(n.tuplet for n in bar.notes) and not any(n.tuplet_mark for n in bar.notes)
    # Two voices in a bar would have to be told apart; such a bar stays as it is.
    return (
        dataclasses.replace(bar, notes=tuple(bracket_tuplets(bar.notes)))
        if missing and len({n.voice for n in bar.notes}) == 1
        else bar
    )


def _shared(parts: list[Part]) -> list[Part]:
    """Parts whose bars go side by side with the same signs of the road, speeds and tempo words in all; others
    as they are.
    """
    lengths = [[b.length for b in p.bars] for p in parts]
    if len(parts) < 2 or any(row != lengths[0] for row in lengths):
        return parts
    columns = [_column([p.bars[k] for p in parts]) for k in range(len(lengths[0]))]
    return [dataclasses.replace(p, bars=tuple(column[i] for column in columns)) for i, p in enumerate(parts)]


def _column(bars: list[Bar]) -> list[Bar]:
    flags: dict[str, Any] = {name: True for name in FLAGS if any(getattr(b, name) for b in bars)}
    times = max(b.repeat_times for b in bars)
    ending = next((b.ending for b in bars if b.ending), ())
    stop = next((b.ending_stop for b in bars if b.ending_stop), "")
    marks = [
        m
        for b in bars
        for m in b.marks
        if m.kind == "tempo" or (m.kind == "words" and m.text.casefold().startswith(TEMPO_WORDS))
    ]
    out = []
    for bar in bars:
        more = tuple(m for m in dict.fromkeys(marks) if not any(_same(m, own) for own in bar.marks))
        out.append(
            dataclasses.replace(
                bar, repeat_times=times, ending=ending, ending_stop=stop, marks=(*more, *bar.marks), **flags
            )
        )
    return out


def _same(mark: Mark, own: Mark) -> bool:
    return (
        mark.kind == own.kind
        and mark.offset == own.offset
        and (mark.kind == "tempo" or mark.text == own.text)
    )


__all__ = ["complete_score"]
