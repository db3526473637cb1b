"""Care lists and cautions: what is done before and after playing, and what to mind, in short rows that a
teacher may change. Open JSON (`care.json`); a changed copy lies in the library.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jeweller.errors import SettingError
from jeweller.files import json_text, parse_json, write_bytes
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument

SHIPPED = Path(__file__).parent / "care.json"
LISTS = {
    "together": N_("Put together"),
    "ready": N_("Ready to play"),
    "away": N_("Put away"),
    "reed": N_("Reed care"),
}
PLACES = {  # where a caution stands
    "tuner": N_("while tuning"),
    "tone": N_("at long tones"),
    "range": N_("at high notes"),
    "buzz": N_("at mouthpiece or reed alone"),
    "breath": N_("at breathing"),
    "booth": N_("in the booth"),
    "lists": N_("beside the lists"),
}
GROUPS = {  # whom it is for
    "all": N_("everybody"),
    "woodwind": N_("woodwinds"),
    "brass": N_("brass"),
    "percussion": N_("percussion"),
    "other": N_("other instruments"),
    "reed": N_("who plays a reed"),
    "strap": N_("who needs a strap or a stand"),
    "heavy": N_("who carries something heavy"),
}
STRAP_BELOW, HEAVY_BELOW = 55, 45  # sounding MIDI number of the lowest note: the larger the instrument
MOST_ROWS, MOST_WORDS = 20, 200  # rows of a list; characters of a row


@dataclass(frozen=True)
class CareTable:
    """`lists` by kind of instrument and name; `cautions` as (where, for whom, text)."""

    lists: dict[str, dict[str, list[str]]]
    cautions: list[tuple[str, list[str], str]]

    def list_for(self, instrument: Instrument, name: str) -> list[str]:
        """The rows of a list, in the language that is chosen.

        >>> from jeweller.instruments.table import require_instrument
        >>> load_care(None).list_for(require_instrument("trombone"), "away")[0]
        'Slide locked; water out.'
        """
        return [_(row) for row in self.lists.get(care_kind(instrument), {}).get(name, [])]

    def cautions_for(self, instrument: Instrument, where: str) -> list[str]:
        """What to mind at a place of the program: "tuner", "tone", "range", "buzz", "breath", "booth" or
        "lists".
        """
        groups = _groups(instrument)
        return [_(text) for at, who, text in self.cautions if at == where and groups & set(who)]


def care_kind(instrument: Instrument) -> str:
    """Which lists are an instrument's.

    >>> from jeweller.instruments.table import require_instrument
    >>> [care_kind(require_instrument(i)) for i in ("oboe", "horn", "snare drum", "alto saxophone")]
    ['double reed', 'valves', 'sticks', 'saxophone']
    """
    if instrument.hands != "reed":
        return instrument.hands
    if instrument.tuning in ("reed", "bocal"):
        return "double reed"
    return "saxophone" if instrument.id.endswith("saxophone") else "clarinet"


def _groups(instrument: Instrument) -> set[str]:
    kind = care_kind(instrument)
    groups = {"all", instrument.family, kind}
    if kind in ("clarinet", "saxophone", "double reed"):
        groups.add("reed")
    if kind == "saxophone" or (instrument.family != "percussion" and instrument.low < STRAP_BELOW):
        groups.add("strap")
    if instrument.low < HEAVY_BELOW or instrument.family == "percussion":
        groups.add("heavy")
    return groups


def load_care(library: Path | None) -> CareTable:
    """The table of a library, or the shipped one where it has none. Raises SettingError where the library's
    cannot be read.
    """
    path = library / "care.json" if library is not None else SHIPPED
    if not path.exists():
        path = SHIPPED
    try:
        return read_care(parse_json(path.read_text(encoding="utf-8")))
    except (OSError, ValueError) as error:
        raise SettingError(
            _("{name} is no table of care lists: {error}.").format(name=path, error=error)
        ) from error


def read_care(data: Any) -> CareTable:
    """Raises ValueError where it is none."""
    if not isinstance(data, dict) or not isinstance(data.get("lists"), dict):
        raise ValueError(_("it has no lists"))
    lists = {}
    for kind, named in data["lists"].items():
        if not isinstance(named, dict):
            raise ValueError(kind)
        lists[str(kind)] = {name: _rows(rows) for name, rows in named.items() if name in LISTS}
    cautions = []
    for row in data.get("cautions", []):
        if not isinstance(row, dict) or not isinstance(row.get("text"), str):
            raise ValueError(_("a caution has no text"))
        cautions.append((str(row.get("where", "")), [str(w) for w in row.get("who", [])], row["text"]))
    return CareTable(lists, cautions)


def _rows(rows: Any) -> list[str]:
    if not isinstance(rows, list) or not all(isinstance(r, str) for r in rows):
        raise ValueError(_("a list holds something else than words"))
    return [r.strip()[:MOST_WORDS] for r in rows if r.strip()][:MOST_ROWS]


def save_care(library: Path, table: CareTable) -> None:
    """Keeps a changed table in the library. Raises OSError."""
    data = {
        "lists": table.lists,
        "cautions": [{"where": at, "who": who, "text": text} for at, who, text in table.cautions],
    }
    write_bytes(library / "care.json", json_text(data).encode("utf-8"), private=True)


def with_cautions(table: CareTable, rows: Sequence[tuple[str, list[str], str]]) -> CareTable:
    """The table with other cautions; rows without words go."""
    kept = [(at, who, text.strip()[:MOST_WORDS]) for at, who, text in rows if text.strip()]
    return CareTable(table.lists, kept)


def with_list(table: CareTable, instrument: Instrument, name: str, rows: list[str]) -> CareTable:
    """The table with another list for the instruments of this kind."""
    kind = care_kind(instrument)
    lists = {k: dict(v) for k, v in table.lists.items()}
    lists.setdefault(kind, {})[name] = _rows(rows)
    return CareTable(lists, table.cautions)
