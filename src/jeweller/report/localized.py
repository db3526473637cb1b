"""A report as it is shown: its sentences in the language that is chosen. The report keeps its words."""

from __future__ import annotations

from jeweller.assessment.messages import localized
from jeweller.i18n import SOURCE, _, chosen_language
from jeweller.report_format import TakeReport


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
        "good": [{**g, "what": _(g["what"])} for g in report["good"]],
    }
