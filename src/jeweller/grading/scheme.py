"""Marking schemes: what each facet weighs, and how a mark is added up.

What a finding takes off its facet: its severity, more for a habit (a quarter of it for every further place),
spread over the length played (per eight bars). A facet can lose no more than all of its weight. Unsure
findings and tuning advice take nothing off.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from jeweller.assessment.finding import FACETS, UNMARKED, Finding, is_sure
from jeweller.errors import SettingError
from jeweller.i18n import N_, _
from jeweller.report_format import FacetMark, MarkPart, ReportMark

OUT_OF = 20
BARS_UNIT = 8.0  # a slip weighs fully in eight bars, half in sixteen
HABIT_SHARE = 0.25
FACETS_ALL = tuple(FACETS)


UNHEARD = {"left_out": N_("left out of the mark"), "not_played": N_("counts as not played")}
FORMS = {"number": N_("out of a number"), "bands": N_("in words"), "letters": N_("in letters")}


@dataclass(frozen=True, kw_only=True)
class Scheme:
    """How a mark is made: what each facet weighs, which facets count, what every further place of a habit
    costs, out of how many, and its form.
    """

    name: str
    title: str
    weights: dict[str, float]  # by facet, summing to 1
    facets: tuple[str, ...] = FACETS_ALL
    habit_share: float = HABIT_SHARE
    out_of: int = OUT_OF
    form: str = "number"  # of FORMS: how the mark is told
    unheard: str = "left_out"  # of UNHEARD: what becomes of bars that the take does not hold


LETTERS = ((0.93, "A"), (0.80, "B"), (0.60, "C"), (0.40, "D"), (0.0, "E"))


def _weights(**heavy: float) -> dict[str, float]:
    base = {
        "notes": 3.0,
        "accidentals": 3.0,
        "count": 3.0,
        "rhythm": 3.0,
        "ornaments": 1.0,
        "articulation": 1.0,
        "sound": 1.0,
    } | heavy
    total = sum(base.values())
    return {facet: base[facet] / total for facet in FACETS}


SCHEMES = {
    s.name: s
    for s in (
        Scheme(name="even", title=N_("Even weights"), weights=_weights()),
        Scheme(
            name="rhythm-first",
            title=N_("Rhythm first"),
            weights=_weights(count=5.0, rhythm=5.0, notes=2.0, accidentals=2.0),
        ),
        Scheme(
            name="notes-first",
            title=N_("Notes first"),
            weights=_weights(notes=5.0, accidentals=5.0, count=2.0, rhythm=2.0),
        ),
        Scheme(name="sound-first", title=N_("Sound first"), weights=_weights(sound=5.0, articulation=3.0)),
    )
}
BANDS = (
    (0.93, N_("polished")),
    (0.80, N_("nearly there")),
    (0.60, N_("taking shape")),
    (0.0, N_("still in the rough")),
)


def find_scheme(name: str) -> Scheme:
    """By name. Raises SettingError, naming what there is.

    >>> find_scheme("rhythm-first").title
    'Rhythm first'
    """
    if name not in SCHEMES:
        raise SettingError(
            _("There is no marking scheme “{name}”; choose {schemes}.").format(
                name=name, schemes=", ".join(SCHEMES)
            )
        )
    return SCHEMES[name]


def scheme_of(told: Mapping[str, Any]) -> Scheme:
    """A scheme as an assignment has it: the name of one, with what differs from it (weights, facets,
    habit_share, out_of, form, unheard). Raises SettingError.

    >>> scheme_of({"scheme": "even", "out_of": 10}).out_of
    10
    """
    scheme = find_scheme(str(told.get("scheme", "even")))
    weights = told.get("weights")
    if weights:
        total = sum(max(0.0, float(weights.get(f, 0.0))) for f in FACETS)
        if total <= 0:
            raise SettingError(_("At least one facet must weigh something."))
        scheme = replace(scheme, weights={f: max(0.0, float(weights.get(f, 0.0))) / total for f in FACETS})
    out_of = int(told.get("out_of", scheme.out_of))
    habit = float(told.get("habit_share", scheme.habit_share))
    form = str(told.get("form", scheme.form))
    unheard = str(told.get("unheard", scheme.unheard))
    if not 2 <= out_of <= 1000 or not 0 <= habit <= 1 or form not in FORMS or unheard not in UNHEARD:
        raise SettingError(
            _(
                "A mark is out of 2 to 1000, a further place of a habit costs 0 to 1 of the first, "
                "and its form is one of number, bands, letters."
            )
        )
    return replace(
        scheme,
        facets=tuple(told.get("facets") or scheme.facets),
        habit_share=habit,
        out_of=out_of,
        form=form,
        unheard=unheard,
    )


def letter_of(value: float, out_of: float) -> str:
    """A mark as a letter.

    >>> letter_of(18.6, 20), letter_of(18.5, 20)
    ('A', 'B')
    """
    return next(letter for limit, letter in LETTERS if value / out_of >= limit)


def compute_deduction(finding: Finding, bars: int, habit_share: float = HABIT_SHARE) -> float:
    """What a finding takes off its facet, 0..1.

    >>> from jeweller.assessment.finding import Finding
    >>> where = {"bar": "1", "passing": 1, "beat": 1.0, "at_s": 0.0, "until_s": 1.0}
    >>> wrong = Finding(kind="wrong_note", confidence=0.9, severity=0.6, notes=(), score_ids=(), **where)
    >>> round(compute_deduction(wrong, 8), 3)
    0.36
    """
    if not is_sure(finding.confidence) or finding.kind in UNMARKED:
        return 0.0
    return (
        finding.severity
        * (1.0 + habit_share * (finding.count - 1))
        * min(1.0, BARS_UNIT / max(bars, 1))
        * 0.6
    )


def add_up_mark(
    findings: Sequence[Finding], scheme: Scheme, bars: int, asked: dict[str, int], heard: float = 1.0
) -> ReportMark:
    """The report's `mark`: value, out_of, band, scheme, and its parts with the reason for each. `heard`: the
    share of the notes that the take holds, which counts where the scheme counts the others as not played.

    >>> mark = add_up_mark([], find_scheme("even"), 8, {"notes": 12})
    >>> mark["value"], mark["band"]
    (20.0, 'polished')
    """
    parts: list[MarkPart] = []
    share = 0.0
    # A facet that the part does not ask counts all the same where something is surely wrong in it.
    faulty = {f.facet for f in findings if compute_deduction(f, bars, scheme.habit_share) > 0}
    counted = {
        f: w
        for f, w in scheme.weights.items()
        if (asked.get(f, 0) or f in faulty) and f in scheme.facets and w > 0
    }
    total = sum(counted.values()) or 1.0
    for facet, weight in counted.items():
        mine = [f for f in findings if f.facet == facet]
        losses = [(f, compute_deduction(f, bars, scheme.habit_share)) for f in mine]
        loss = min(1.0, sum(v for _unused, v in losses))
        worst = [f.text for f, v in sorted(losses, key=lambda p: -p[1]) if v > 0]
        points = scheme.out_of * weight / total
        share += weight / total * (1.0 - loss)
        parts.append(
            {
                "facet": facet,
                "weight": round(points, 2),
                "taken_off": round(points * loss, 2),
                "why": worst[0] if worst else "clean",
            }
        )
    played = heard if scheme.unheard == "not_played" else 1.0
    share = share if counted else 1.0
    value = round(scheme.out_of * share * played * 2) / 2
    band = next(b for limit, b in BANDS if value / scheme.out_of >= limit)
    mark: ReportMark = {
        "value": value,
        "out_of": scheme.out_of,
        "band": band,
        "scheme": scheme.name,
        "bars": bars,
        "parts": parts,
    }
    if played < 1:
        mark["not_played"] = round(scheme.out_of * share * (1.0 - played), 2)
    return mark


def facet_marks(
    findings: Sequence[Finding],
    bars: int,
    asked: dict[str, int],
    wrong: dict[str, int],
    habit_share: float = HABIT_SHARE,
) -> dict[str, FacetMark]:
    """The report's `facets`: asked, right, mark (None where nothing was asked and nothing found).

    >>> facet_marks([], 8, {"notes": 12}, {})["notes"]
    {'asked': 12, 'right': 12, 'mark': 1.0}
    """
    out: dict[str, FacetMark] = {}
    for facet in FACETS:
        loss = min(1.0, sum(compute_deduction(f, bars, habit_share) for f in findings if f.facet == facet))
        n = asked.get(facet, 0)
        out[facet] = {
            "asked": n,
            "right": max(0, n - wrong.get(facet, 0)),
            "mark": round(1.0 - loss, 3) if n or loss > 0 else None,
        }
    return out
