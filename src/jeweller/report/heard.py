"""How much of the part a take holds: which bars were heard, of how many, and what was left out in between."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from jeweller.assessment.finding import SKIPPED_KINDS, is_sure
from jeweller.i18n import _, ngettext
from jeweller.report_format import HeardPart, ReportFinding, ReportNote, TakeReport


def measure_heard(
    notes: Sequence[ReportNote],
    findings: Iterable[ReportFinding],
    judged: Collection[str] | None = None,
    bars: int | None = None,
) -> HeardPart:
    """What was heard of the notes that are judged (ids; None: all), in `bars` bars (None: those with notes).

    >>> note = {"grace": False, "pass": 1, "verdict": "ok"}
    >>> notes = [{**note, "id": str(k), "bar": str(k)} for k in range(1, 5)]
    >>> notes[3]["verdict"] = "not_heard"
    >>> measure_heard(notes, ())
    {'bars': '1-3', 'of': 4, 'notes': 3, 'notes_of': 4, 'gaps': [], 'whole': False}
    """
    main = [n for n in notes if not n["grace"] and (judged is None or n["id"] in judged)]
    left_out = (f for f in findings if f["kind"] in SKIPPED_KINDS and is_sure(f["confidence"]))
    skipped = {i for f in left_out for i in f["notes"]}
    reached = [k for k, n in enumerate(main) if n["verdict"] != "not_heard" and n["id"] not in skipped]
    count = bars if bars is not None else len(dict.fromkeys((n["bar"], n["pass"]) for n in main))
    if not reached:
        return {"bars": "", "of": count, "notes": 0, "notes_of": len(main), "gaps": [], "whole": not main}
    first, last = main[reached[0]]["bar"], main[reached[-1]]["bar"]
    gaps: list[list[str]] = []
    there = {(main[k]["bar"], main[k]["pass"]) for k in reached}
    open_gap = False
    for n in main[reached[0] : reached[-1]]:
        missing = (n["bar"], n["pass"]) not in there
        if missing and not open_gap:
            gaps.append([])
        if missing and n["bar"] not in gaps[-1]:
            gaps[-1].append(n["bar"])
        open_gap = missing
    return {
        "bars": f"{first}-{last}",
        "of": count,
        "notes": len([k for k in reached if main[k]["verdict"] != "missed"]),
        "notes_of": len(main),
        "gaps": [f"{g[0]}-{g[-1]}" if len(g) > 1 else g[0] for g in gaps],
        "whole": not gaps and reached[0] == 0 and reached[-1] == len(main) - 1,
    }


def heard_of(report: TakeReport) -> HeardPart:
    """What a report says was heard; of one of an earlier version what can be told from its notes.

    >>> heard_of(checked.report)["bars"]
    '1-5'
    """
    return report["heard"] if "heard" in report else measure_heard(report["notes"], report["findings"])


def share_of(heard: HeardPart) -> float:
    """0..1: how many of the notes that are judged were heard; 1 of a take that holds the whole part.

    >>> share_of({"bars": "1-8", "of": 16, "notes": 24, "notes_of": 48, "gaps": [], "whole": False})
    0.5
    """
    return 1.0 if heard["whole"] or not heard["notes_of"] else heard["notes"] / heard["notes_of"]


def heard_sentence(heard: HeardPart) -> str:
    """Which bars were heard, as a sentence; "" where all of them were.

    >>> part = {"bars": "1-8", "of": 16, "notes": 24, "notes_of": 48, "gaps": ["3", "5-6"], "whole": False}
    >>> heard_sentence(part)
    'Heard: bars 1 to 8 of 16. Left out: bars 3, 5–6.'
    >>> heard_sentence({**part, "of": 8})
    'Heard: all but bars 3, 5–6.'
    """
    if heard["whole"]:
        return ""
    first, _dash, last = heard["bars"].partition("-")
    if not first:
        return _("Nothing of the part was heard.")
    if heard["gaps"] and spans_all(heard):
        return _("Heard: all but {bars}.").format(bars=gaps_of(heard))
    if first == last:
        said = _("Heard: bar {bar} of {of}.").format(bar=first, of=heard["of"])
    else:
        said = _("Heard: bars {first} to {last} of {of}.").format(first=first, last=last, of=heard["of"])
    if heard["gaps"]:
        said += " " + _("Left out: {bars}.").format(bars=gaps_of(heard))
    return said


def spans_all(heard: HeardPart) -> bool:
    """Whether the first bar heard and the last are those of the part.

    >>> spans_all({"bars": "1-8", "of": 16, "notes": 24, "notes_of": 48, "gaps": [], "whole": False})
    False
    """
    first, _dash, last = heard["bars"].partition("-")
    return first.isdecimal() and last.isdecimal() and int(last) - int(first) + 1 == heard["of"]


def gaps_of(heard: HeardPart) -> str:
    """The bars left out between the first bar heard and the last, in words.

    >>> gaps_of({"bars": "1-8", "of": 8, "notes": 40, "notes_of": 48, "gaps": ["3"], "whole": False})
    'bar 3'
    """
    many = len(heard["gaps"]) + any("-" in g for g in heard["gaps"])
    gaps = ", ".join(g.replace("-", "–") for g in heard["gaps"])
    return ngettext("bar {bars}", "bars {bars}", many).format(bars=gaps)
