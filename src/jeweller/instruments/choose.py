"""Which of several fingerings to propose for each note of a line: those that move the fewest fingers, or the
slide the least, between neighbours.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from jeweller.instruments.fingerings import chart, trill_chart
from jeweller.instruments.table import VALVE_DROPS, FingeringWay, Instrument

UNUSUAL = 0.6  # fingers moved that an alternate must save to be proposed in place of the usual fingering
UNUSUAL_VALVES = 5.0  # the same for valves: others than the usual are for tuning and trills
TRILLED = 2  # fingers that a trill may move
SIDE = 0.5  # fingers that another side of the tube counts as


@dataclass(frozen=True)
class Fingering:
    """One fingering: the keys held (woodwind; valves "1", "2", "3"), or the position of a slide; `side` a
    thumb or trigger. `text` as it is printed.
    """

    keys: frozenset[str]
    position: int  # 1 to 7 for a slide, else 0
    side: str
    text: str


def fingerings(instrument: Instrument, written_midi: int) -> tuple[Fingering, ...]:
    """Every fingering of a written note, the usual one first; () where the table has none."""
    if instrument.fundamental is None:
        return tuple(
            Fingering(keys, 0, "", _keys_text(keys)) for keys in chart(instrument.id).get(written_midi, ())
        )
    return tuple(_brass(instrument, way) for way in instrument.ways(written_midi + instrument.chromatic))


@dataclass(frozen=True)
class Trill:
    """Two fingerings a trill goes between, and the keys or valves that move; none move where lips alone do
    it.
    """

    main: Fingering
    upper: Fingering
    moves: frozenset[str]


def trill(instrument: Instrument, main: int, upper: int) -> Trill | None:
    """The trill between two written notes that moves the fewest fingers, usual fingerings first; None where
    it takes more than TRILLED, or a slide.
    """
    if instrument.slide:
        return None
    uppers = [
        *fingerings(instrument, upper),
        *(Fingering(keys, 0, "", _keys_text(keys)) for keys in trill_chart(instrument.id).get(upper, ())),
    ]
    options = [
        (len(a.keys ^ b.keys), j + k, a, b)
        for j, a in enumerate(fingerings(instrument, main))
        for k, b in enumerate(uppers)
        if a.side == b.side
    ]
    if not options:
        return None
    moves, _, a, b = min(options, key=lambda o: o[:2])
    return Trill(a, b, a.keys ^ b.keys) if moves <= TRILLED else None


def _brass(instrument: Instrument, way: FingeringWay) -> Fingering:
    text = instrument.way_name(way)
    if instrument.slide:
        return Fingering(frozenset(), way.drop + 1, way.side, text)
    return Fingering(frozenset(VALVE_DROPS[way.drop].split("-")) - {"open"}, 0, way.side, text)


def _keys_text(keys: frozenset[str]) -> str:
    """The keys in the order of the hands: left thumb, left, right; "–" where none is held."""
    order = {
        k: n for n, k in enumerate(("T", "Thalf", "TB♭", "R", "8va", "8va2", "W", "1half", "1", "2", "3"))
    }
    left = sorted((k for k in keys if k in order), key=lambda k: order[k])
    right = sorted(k for k in keys if k in "4567" or k in ("6half", "7half"))
    rest = sorted(keys - set(left) - set(right))
    return " ".join([*left, *(["|"] if right and left else []), *right, *rest]) or "–"


def moved(a: Fingering, b: Fingering) -> float:
    """Fingers moved, or positions of the slide, between two fingerings."""
    return len(a.keys ^ b.keys) + abs(a.position - b.position) + SIDE * (a.side != b.side)


def choose(instrument: Instrument, written: Sequence[int | None]) -> list[Fingering | None]:
    """The fingerings proposed for a row of written notes (None: a rest), by the way through all of them that
    moves least.
    """
    out: list[Fingering | None] = [None] * len(written)
    begin = 0
    while begin < len(written):
        options = [fingerings(instrument, n) if n is not None else () for n in written[begin:]]
        length = next((k for k, o in enumerate(options) if not o), len(options))
        if length:
            out[begin : begin + length] = _path(
                options[:length], UNUSUAL_VALVES if instrument.valves else UNUSUAL
            )
        begin += max(1, length)
    return out


def _path(options: list[tuple[Fingering, ...]], unusual: float) -> list[Fingering]:
    cost = [[unusual * (k > 0) for k in range(len(options[0]))]]
    back: list[list[int]] = []
    for before, here in zip(options, options[1:], strict=False):
        row, came = [], []
        for k, fingering in enumerate(here):
            ways = [cost[-1][j] + moved(other, fingering) for j, other in enumerate(before)]
            best = min(range(len(ways)), key=ways.__getitem__)
            row.append(ways[best] + unusual * (k > 0))
            came.append(best)
        cost.append(row)
        back.append(came)
    at = min(range(len(cost[-1])), key=cost[-1].__getitem__)
    path = [options[-1][at]]
    for k in range(len(back) - 1, -1, -1):
        at = back[k][at]
        path.append(options[k][at])
    return path[::-1]
