"""The remedy table: for a kind of finding, what an instrument is played with and a cause, what to look at,
what to try first and next, which drill, what to mind. Open JSON (`remedies.json`); a changed copy lies in the
library, and where a row of it is missing or foreign the shipped one stands in.
"""

from __future__ import annotations

import dataclasses
import functools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jeweller.assessment.finding import KINDS
from jeweller.errors import SettingError
from jeweller.files import json_text, parse_json, write_bytes
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.practice.drills import DRILLS

SHIPPED = Path(__file__).parent / "remedies.json"
HANDS = ("valves", "slide", "flute", "recorder", "reed", "mallets", "sticks", "other")
NAMED_DRILLS = (*DRILLS, "none")
BLOWN = ("breaths", "long_tones", "octaves")  # drills that want air
# How something went wrong, where no cause is known and it makes a difference to what helps.
MANNERS = {
    "too_high": N_("came out too high"),
    "too_low": N_("came out too low"),
    "another_pitch": N_("another pitch than its neighbours"),
}
WHOLE = ("tuning", "memory")  # schools with a word for every session
MOST_WORDS = 240  # characters of a sentence
FORMAT = 1  # of a table; raised where a field comes to mean something else


@dataclass(frozen=True, kw_only=True)
class Remedy:
    """A row: kinds of finding, what the instrument is played with, the cause ("" any), and what to do."""

    kinds: tuple[str, ...]
    hands: tuple[str, ...]
    cause: str = ""
    look: str
    first: str
    next: str
    drill: str
    caution: str = ""

    @property
    def name(self) -> str:
        """By which a changed row is known again: what it is for, not what it says."""
        return f"{' '.join(self.kinds)}|{' '.join(self.hands)}|{self.cause}"


@dataclass(frozen=True, kw_only=True)
class School:
    """A matter on which teachers disagree: for which kinds of finding, and what may be said, by name."""

    key: str
    name: str
    kinds: tuple[str, ...]
    choices: dict[str, str]


@dataclass(frozen=True)
class RemedyTable:
    """`rows` in the order in which they are tried; `foreign` names what could not be used of a changed
    table.
    """

    rows: tuple[Remedy, ...]
    foreign: tuple[str, ...] = ()

    def remedies_for(
        self, kind: str, instrument: Instrument, cause: str | None = None, manner: str = ""
    ) -> list[Remedy]:
        """What to try: the row for this cause, then the one for the manner in which it went wrong (one of
        MANNERS), then the one for any; never empty.

        >>> from jeweller.instruments.table import require_instrument
        >>> table, horn = load_remedies(None), require_instrument("horn")
        >>> [r.drill for r in table.remedies_for("missed_accidental", horn, "previous_key")]
        ['say_scale', 'reminders']
        """
        hands = instrument.hands
        fitting = [r for r in self.rows if kind in r.kinds and hands in r.hands]
        own = [r for why in (cause, manner) if why for r in fitting if r.cause == why]
        return [*own, *(r for r in fitting if not r.cause)]


@functools.cache
def _shipped() -> dict[str, Any]:
    """What came with the program: it is asked for at each thing of each list."""
    return dict(parse_json(SHIPPED.read_text(encoding="utf-8")))


def load_remedies(library: Path | None) -> RemedyTable:
    """The table of a library over the shipped one. Raises SettingError where the library's cannot be read at
    all.
    """
    shipped = _read(_shipped())[0]
    path = library / "remedies.json" if library is not None else None
    if path is None or not path.exists():
        return RemedyTable(tuple(shipped))
    try:
        rows, foreign = _read(parse_json(path.read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError, AttributeError) as error:
        raise SettingError(
            _("{name} is no table of remedies: {error}.").format(name=path, error=error)
        ) from error
    known, changed, own = {r.name for r in shipped}, dict[str, Remedy](), list[Remedy]()
    for row in rows:  # a second row for the same is one of the teacher's own
        if row.name in known and row.name not in changed:
            changed[row.name] = row
        else:
            own.append(row)
    return RemedyTable((*own, *(changed.get(r.name, r) for r in shipped)), tuple(foreign))


def drills_after(drill: str, instrument: Instrument) -> list[str]:
    """Other drills for the same, where one did not help; none that the instrument cannot do.

    >>> from jeweller.instruments.table import require_instrument
    >>> drills_after("octaves", require_instrument("flute"))
    ['from_safe', 'long_tones']
    >>> drills_after("octaves", require_instrument("xylophone"))
    ['from_safe']
    """
    after = _shipped()["after"].get(drill, [])
    blown = instrument.hands not in ("mallets", "sticks", "other")
    return [d for d in after if blown or d not in BLOWN]


def load_schools() -> tuple[School, ...]:
    """The schools there are to choose from.

    >>> [s.key for s in load_schools()]
    ['foot', 'tuning', 'trills', 'graces', 'memory']
    """
    return tuple(
        School(key=key, name=s["name"], kinds=tuple(s["kinds"]), choices=dict(s["choices"]))
        for key, s in _shipped()["schools"].items()
    )


def school_words(chosen: Mapping[str, str], kind: str) -> list[str]:
    """What the schools that were chosen have to say of a kind of finding; of "" what they say of the whole.

    >>> school_words({"foot": "tap", "memory": "reading"}, "rushing")
    ['Tap the beat with the foot.']
    """
    return [
        _(s.choices[chosen[s.key]])
        for s in load_schools()
        if chosen.get(s.key) in s.choices and (kind in s.kinds if kind else s.key in WHOLE)
    ]


def remedies_text(rows: Sequence[Remedy]) -> str:
    """Rows as a file holds them."""
    return _text([dataclasses.asdict(r) for r in rows])


def read_remedies(text: str) -> tuple[list[Remedy], list[str]]:
    """(the rows of a file that can be used, what of it cannot, in sentences). Raises SettingError where it is
    no such file.
    """
    try:
        return _read(parse_json(text))
    except (ValueError, TypeError, AttributeError) as error:
        raise SettingError(_("This is no table of remedies: {error}.").format(error=error)) from error


def save_remedies(library: Path, rows: Sequence[Remedy]) -> None:
    """Keeps in the library what is not as it came with the program: rows that say something else, and rows of
    one's own, each behind the shipped one that is for the same. Rows that only a newer version knows stay.
    Raises OSError.
    """
    shipped = {r.name: r for r in load_remedies(None).rows}
    names = [r.name for r in rows]
    own = sorted(
        (r for r in rows if shipped.get(r.name) != r or names.count(r.name) > 1),
        key=lambda r: shipped.get(r.name) != r,
    )
    path = library / "remedies.json"
    text = _text([*(dataclasses.asdict(r) for r in own), *_foreign_rows(path)])
    write_bytes(path, text.encode("utf-8"), private=True)


def _text(rows: list[dict[str, Any]]) -> str:
    return json_text({"format": FORMAT, "rows": rows})


def _foreign_rows(path: Path) -> list[dict[str, Any]]:
    """Those of a table that another version wrote and this one cannot use."""
    try:
        rows = parse_json(path.read_text(encoding="utf-8"))["rows"]
    except (OSError, ValueError, TypeError, KeyError):
        return []
    return [r for r in rows if isinstance(r, dict) and not _read({"rows": [r]})[0]]


def _read(data: Any) -> tuple[list[Remedy], list[str]]:
    """(rows that can be used, what cannot). Raises ValueError where it is no table."""
    if not isinstance(data, dict) or not isinstance(data.get("rows"), list):
        raise ValueError(_("it has no rows"))
    rows, foreign = [], []
    written = data.get("format", FORMAT)
    if isinstance(written, int) and written > FORMAT:
        foreign.append(_("a newer Jeweller wrote the table"))
    for number, row in enumerate(data["rows"], 1):
        try:
            rows.append(_row(row))
        except (ValueError, KeyError, TypeError) as error:
            foreign.append(_("row {number}: {error}").format(number=number, error=error))
    return rows, foreign


def _row(row: Any) -> Remedy:
    kinds, hands = tuple(row["kinds"]), tuple(row["hands"])
    unknown = [*(k for k in kinds if k not in KINDS), *(h for h in hands if h not in HANDS)]
    if unknown or row["drill"] not in NAMED_DRILLS:
        raise ValueError(_("{what} is not known").format(what=", ".join(unknown) or row["drill"]))
    texts = {
        name: str(row.get(name, "")).strip()[:MOST_WORDS] for name in ("look", "first", "next", "caution")
    }
    if not texts["first"]:
        raise ValueError(_("it says nothing to try"))
    return Remedy(kinds=kinds, hands=hands, cause=str(row.get("cause", "")), drill=row["drill"], **texts)
