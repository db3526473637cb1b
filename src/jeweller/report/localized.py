"""A report as it is shown: its sentences in the language that is chosen. The report keeps its words."""

from __future__ import annotations

import re
from collections.abc import Sequence

from jeweller.assessment.messages import localized
from jeweller.i18n import N_, SOURCE, _, chosen_language
from jeweller.phrases import joined_notes
from jeweller.report_format import TakeReport

# What may be said to have gone well.
GOOD = (
    N_("played through from the first bar to the last"),
    N_("every note was right, all {n}"),
    N_("every note that was heard was right, {n}"),
    N_("{letters} remembered every time"),
    N_("all {n} rests counted"),
    N_("both rests counted"),
    N_("the rest was counted"),
    N_("even short notes all the way (spread {value:.0f} %)"),
    N_("tempo steady at {value:.0f}"),
    N_("the pickup came in right"),
)


def told_again(said: str, messages: Sequence[str]) -> str:
    """A sentence that was stored in the language of the source, with its numbers and notes, in the language
    that is chosen; as it is where none of the messages made it.

    >>> told_again("tempo steady at 93", GOOD)
    'tempo steady at 93'
    """
    for message in messages:
        pattern = re.sub(r"\\{(\w+)(?::[^}]*)?\\}", r"(?P<\1>.+?)", re.escape(message).replace(r"\:", ":"))
        match = re.fullmatch(pattern, said)
        if match is not None:
            values = {k: joined_notes(re.split(r", | and ", v)) for k, v in match.groupdict().items()}
            return re.sub(r"(\{\w+):[^}]*\}", r"\1}", _(message)).format(**values)
    return _(said)


def localized_report(report: TakeReport) -> TakeReport:
    """A report whose sentences can be shown.

    >>> localized_report({"findings": [], "good": []})
    {'findings': [], 'good': []}
    """
    if chosen_language() == SOURCE:
        return report
    return {
        **report,
        "findings": [localized(f) for f in report["findings"]],
        "good": [{**g, "what": told_again(g["what"], GOOD)} for g in report["good"]],
    }
