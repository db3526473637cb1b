"""The two English usages: bar or measure, quarter note or crotchet. Sentences are written in one and said in
the other where they are shown.

Reports, decisions and files keep the words they were written with: a change of usage changes nothing that is
stored.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from jeweller.errors import SettingError

BARS = {"bar": "bar, bar 5", "measure": "measure, measure 5"}
VALUES = {"quarter": "whole, half, quarter, eighth", "crotchet": "semibreve, minim, crotchet, quaver"}

_QUOTED = re.compile("(“[^”]*”)")  # titles and what somebody wrote
_BAR = re.compile(r"\b([Bb])ar(s?)\b(?![ -]lines?\b)")
_NAMES = {
    "whole": "semibreve",
    "half": "minim",
    "quarter": "crotchet",
    "eighth": "quaver",
    "sixteenth": "semiquaver",
}
_PLURAL = {
    "wholes": "semibreves",
    "halves": "minims",
    "quarters": "crotchets",
    "eighths": "quavers",
    "sixteenths": "semiquavers",
}
# "half" and "whole" are words of every day too: only beside "note", or in a row of values. "A quarter of a
# beat" and "quarter tones" are no notes.
_NOTES = re.compile(
    r"\b(an |An )?(whole|half|quarter|eighth|sixteenth)( note(s?))\b"
    r"|\b(half)(?= and quarters\b)"
    r"|\b(an |An )?(quarter|eighth|sixteenth)\b(?! (?:of|tones?|beats?)\b)"
    r"|\b(wholes|halves|quarters|eighths|sixteenths)\b(?! of\b)",
    re.IGNORECASE,
)


def usage_of(names: str) -> Usage:
    """ "measure, crotchet" → Usage; what is not named stays as usual. Raises SettingError."""
    chosen = {}
    for name in filter(None, (n.strip() for n in names.split(","))):
        if name not in BARS and name not in VALUES:
            raise SettingError(f"There is no usage “{name}”; there are {', '.join((*BARS, *VALUES))}.")
        chosen["bar" if name in BARS else "values"] = name
    return Usage(**chosen)


@dataclass(frozen=True)
class Usage:
    """What a bar and the note values are called: keys of BARS and VALUES."""

    bar: str = "bar"
    values: str = "quarter"

    def said(self, text: str) -> str:
        """A sentence of the program in this usage; what stands in “ ” is left as it is."""
        if self == Usage():
            return text
        return "".join(piece if k % 2 else self._said(piece) for k, piece in enumerate(_QUOTED.split(text)))

    def _said(self, text: str) -> str:
        if self.bar == "measure":
            text = _BAR.sub(lambda m: ("Measure" if m[1] == "B" else "measure") + m[2], text)
        return _NOTES.sub(_value, text) if self.values == "crotchet" else text

    def finding(self, finding: dict[str, Any]) -> dict[str, Any]:
        """A finding of a report with its sentences in this usage; a teacher's own sentence is the
        teacher's.
        """
        if self == Usage() or (
            finding["detail"].get("by") == "teacher"
            and not finding["text"].startswith(f"Bar {finding['bar']}, beat ")
        ):
            return finding
        return {**finding, "text": self.said(finding["text"]), "advice": self.said(finding["advice"])}

    def report(self, report: dict[str, Any]) -> dict[str, Any]:
        """A report with its sentences in this usage."""
        if self == Usage():
            return report
        return {
            **report,
            "findings": [self.finding(f) for f in report["findings"]],
            "good": [{**g, "what": self.said(g["what"])} for g in report["good"]],
            "traps": [{**t, "what": self.said(t["what"])} for t in report["traps"]],
        }


def _value(found: re.Match[str]) -> str:
    article = found[1] or found[6] or ""
    name = found[2] or found[5] or found[7]
    if name is None:
        word = found[8]
        said = _PLURAL[word.lower()]
    else:
        word = name
        said = _NAMES[word.lower()] + (found[4] or "")
    return article.replace("n ", " ") + (said.capitalize() if word[0].isupper() else said)
