"""One note in words: where it is, what is written, what is said of it. For those who have it read to them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction

from jeweller.assessment.finding import is_sure
from jeweller.assessment.messages import kind_name, localized
from jeweller.difficulty.traps import VALUES
from jeweller.i18n import N_, _
from jeweller.notation.model import Bar, Note, Part
from jeweller.phrases import bar_beat, capitalized, note_name
from jeweller.report_format import ReportFinding, ReportNote

OF_ONE_PLACE = 3  # notes; a finding over more is named at each of them, and not told whole
VERDICTS = {
    "ok": N_("As written."),
    "wrong": N_("Not as written."),
    "missed": N_("Missed."),
    "not_heard": N_("Not in this take."),
}


def note_words(note: ReportNote, beat: float, findings: Sequence[ReportFinding]) -> str:
    """A note of a report at its beat (1-based), with the findings that stand and name it.

    >>> note = {"id": "n1", "bar": "3", "pass": 1, "duration_q": 1.0, "written": "B♭4", "grace": False}
    >>> note_words(note | {"verdict": "ok"}, 2.0, ())
    'Bar 3, beat 2: B♭4, a quarter note. As written.'
    """
    place = bar_beat(note["bar"], beat)
    if note["pass"] > 1:
        place = _("{place}, time {passing}").format(place=place, passing=note["pass"])
    length = Fraction(note["duration_q"]).limit_denominator(48)
    what = _written(place, note["written"] or "", length, grace=note["grace"])
    said = [_of_note(f) for f in findings if note["id"] in f["notes"]]
    return " ".join([what, *(said or [_(VERDICTS[note["verdict"]])])])


def part_words(part: Part) -> Iterator[tuple[str, str]]:
    """(id, words) of every note and rest of a part, as they stand on the page.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("X:1\\nT:A line\\nM:3/4\\nL:1/4\\nK:Bb\\nB z c|")[0].parts[0]
    >>> [words for _unused, words in part_words(part)][:2]
    ['Bar 1, beat 1: B♭4, a quarter note.', 'Bar 1, beat 2: rest, a quarter note.']
    """
    for index, bar in enumerate(part.bars):
        lead = bar.metre.length - bar.length if bar.implicit and index == 0 else Fraction(0)
        for note in bar.notes:
            yield note.id, _of_part(bar, note, max(lead, Fraction(0)))


def _of_part(bar: Bar, note: Note, lead: Fraction) -> str:
    place = bar_beat(bar.number, float((note.offset + lead) / bar.metre.beat) + 1)
    name = note.pitch.name if note.pitch is not None else note.stroke if note.unpitched else _("rest")
    return _written(place, name, note.duration, grace=note.grace)


def _written(place: str, name: str, length: Fraction, *, grace: bool) -> str:
    value = (
        _("a grace note")
        if grace
        else _(VALUES[length])
        if length in VALUES
        else _("{quarters:g} quarters").format(quarters=float(length))
    )
    place, name = capitalized(place), note_name(name)
    return f"{place}: {name}, {value}." if name else f"{place}: {value}."


def _of_note(f: ReportFinding) -> str:
    text = localized(f)["text"]
    if f["count"] > 1 or len(f["notes"]) > OF_ONE_PLACE:
        text = capitalized(kind_name(f["kind"])) + "."
    return text if is_sure(f["confidence"]) else _("Listen here: {text}").format(text=text)
