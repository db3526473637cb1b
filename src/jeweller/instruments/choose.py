"""Which of several fingerings to propose for each note of a line: the usual one, as it is taught. Another
only where it saves a finger from sliding from key to key, or in quick notes a change of fingers against each
other, or a slide a long way; never for its own sake.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from jeweller.instruments.fingerings import chart, keys_by_finger, trill_chart
from jeweller.instruments.table import FingeringWay, Instrument

UNUSUAL = 0.9  # what an alternate costs, so that it must save a slide of a finger, or a change in quick notes
LATER = 0.02  # more for each one further down in its chart
FAST_S = 0.16  # seconds that a quick note lasts at the most
FAR = 0.3  # of a quick slide's way, for each position
TRILLED = 2  # fingers that a trill may move
HANDS = (frozenset({"T", "1", "2", "3"}), frozenset("4567"))


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
    return Fingering(frozenset(instrument.valve_drops[way.drop].split("-")) - {"open"}, 0, way.side, text)


def _keys_text(keys: frozenset[str]) -> str:
    """The keys in the order of the hands: left thumb, left, right; "–" where none is held."""
    order = {
        k: n
        for n, k in enumerate(("V", "T", "Thalf", "TB♭", "R", "8va", "8va2", "W", "1half", "1", "2", "3"))
    }
    left = sorted((k for k in keys if k in order), key=lambda k: order[k])
    right = sorted(k for k in keys if k in "4567" or k in ("6half", "7half"))
    rest = sorted(keys - set(left) - set(right))
    return " ".join([*left, *(["|"] if right and left else []), *right, *rest]) or "–"


def _cost(a: Fingering, b: Fingering, fingers: Sequence[frozenset[str]], fast: bool) -> float:
    """What going from one fingering to the next costs: a finger that slides from key to key; in quick notes
    fingers of a hand that change against each other, and the way of a slide.
    """
    held = [(a.keys & keys, b.keys & keys) for keys in fingers]
    slides = sum(bool(x) and bool(y) and not x & y for x, y in held)
    if not fast:
        return float(slides)
    changes = sum(bool((a.keys - b.keys) & hand) and bool((b.keys - a.keys) & hand) for hand in HANDS)
    return slides + changes + FAR * abs(a.position - b.position)


def choose(
    instrument: Instrument, written: Sequence[int | None], seconds: Sequence[float] | None = None
) -> list[Fingering | None]:
    """The fingerings proposed for a row of written notes (None: a rest), which last so many seconds each, by
    the way through all of them that costs least.

    >>> from jeweller.instruments.table import require_instrument
    >>> [f.text for f in choose(require_instrument("trombone"), [58, 60, 62]) if f]
    ['1', '3', '1']
    """
    fingers = keys_by_finger(instrument.id)
    out: list[Fingering | None] = [None] * len(written)
    begin = 0
    while begin < len(written):
        options = [fingerings(instrument, n) if n is not None else () for n in written[begin:]]
        length = next((k for k, o in enumerate(options) if not o), len(options))
        if length:
            fast = [s <= FAST_S for s in seconds[begin : begin + length]] if seconds else [False] * length
            # Other valves than the usual are for tuning and trills.
            usual = [o[:1] for o in options[:length]] if instrument.valves else options[:length]
            out[begin : begin + length] = _path(usual, fingers, fast)
        begin += max(1, length)
    return out


def _path(
    options: list[tuple[Fingering, ...]], fingers: Sequence[frozenset[str]], fast: list[bool]
) -> list[Fingering]:
    def own(k: int) -> float:
        return UNUSUAL * (k > 0) + LATER * k

    cost = [[own(k) for k in range(len(options[0]))]]
    back: list[list[int]] = []
    for m, (before, here) in enumerate(zip(options, options[1:], strict=False)):
        row, came = [], []
        for k, fingering in enumerate(here):
            ways = [cost[-1][j] + _cost(other, fingering, fingers, fast[m]) for j, other in enumerate(before)]
            best = min(range(len(ways)), key=ways.__getitem__)
            row.append(ways[best] + own(k))
            came.append(best)
        cost.append(row)
        back.append(came)
    at = min(range(len(cost[-1])), key=cost[-1].__getitem__)
    path = [options[-1][at]]
    for k in range(len(back) - 1, -1, -1):
        at = back[k][at]
        path.append(options[k][at])
    return path[::-1]
