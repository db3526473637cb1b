"""The traps of a part: what could trip the player, where, and how often. Each names the printed notes it lies
on, so that a check can answer it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from fractions import Fraction

from jeweller.difficulty.simplifications import find_lookalikes
from jeweller.difficulty.technique import technique_traps
from jeweller.difficulty.trap import Trap, main_notes, trap_of
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.fingerings import note_midi
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Bar, Note, Part
from jeweller.notation.pitch import key_alter, key_letters, key_name
from jeweller.phrases import joined_notes, key_said, note_name

VALUES = {
    Fraction(1, 4): N_("a sixteenth note"),
    Fraction(1, 2): N_("an eighth note"),
    Fraction(3, 4): N_("a dotted eighth note"),
    Fraction(1): N_("a quarter note"),
    Fraction(3, 2): N_("a dotted quarter note"),
    Fraction(2): N_("a half note"),
    Fraction(3): N_("a dotted half note"),
}
CROSSED = 5  # semitones from which another register of brass is far away
LEAP = 7  # semitones from which a leap is one
REPEATED = 3  # notes on one pitch, after which the line moves
SHORT_OFF = Fraction(1, 2)
JUMPS = {
    "dacapo": N_("D.C.: from the beginning"),
    "dalsegno": N_("D.S.: from the sign"),
    "to_coda": N_("To Coda: jump to the coda"),
    "fine": N_("Fine: the end the second time"),
}


# In the order in which they are looked for on the page.
KINDS = (
    "key",
    "metre",
    "pickup",
    "altered",
    "printed",
    "carried",
    "range",
    "outside",
    "register",
    "technique",
    "leap",
    "repeated",
    "rest",
    "tie",
    "dotted",
    "off the beat",
    "tuplet",
    "slur",
    "ornament",
    "fermata",
    "breath",
    "dynamics",
    "words",
    "repeat",
    "jump",
    "look-alike",
)


def find_traps(
    part: Part, instrument: Instrument | None = None, known: frozenset[int] = frozenset()
) -> list[Trap]:
    """Every trap of a part, in the order of KINDS. `known`: written MIDI notes that the player has learnt;
    where it is empty no note is called new.
    """
    technique = list(technique_traps(part, instrument))
    said = {n for t in technique if t.kind == "register" for n in t.notes}
    found = [
        *_signature(part),
        *_accidentals(part),
        *_pitches(part, instrument, known, said),
        *technique,
        *_lengths(part),
        *_signs(part),
        *_form(part),
    ]
    return sorted(found, key=lambda t: KINDS.index(t.kind))


def _name(note: Note) -> str:
    return note_name(note.pitch.name) if note.pitch else ""


def _spelled(fifths: int) -> str:
    return joined_notes(key_letters(fifths)) or _("no sharps or flats")


def _signature(part: Part) -> Iterator[Trap]:
    before: Bar | None = None
    pitched = any(n.pitch is not None for b in part.bars for n in b.notes)
    for bar in part.bars:
        since = "{what}" if before is None else _("from bar {number} on: {what}")
        if pitched and bar.fifths != (before.fifths if before is not None else 0):
            yield Trap(
                kind="key",
                what=since.format(
                    number=bar.number,
                    what=_("{key}: {letters}").format(
                        key=key_said(key_name(bar.fifths, bar.mode)), letters=_spelled(bar.fifths)
                    ),
                ),
                bars=(bar.number,),
            )
        if (bar.beats, bar.beat_type) != ((before.beats, before.beat_type) if before is not None else (4, 4)):
            yield Trap(
                kind="metre",
                what=since.format(number=bar.number, what=f"{bar.beats}/{bar.beat_type}"),
                bars=(bar.number,),
            )
        before = bar
    first, last = part.bars[0], part.bars[-1]
    if first.implicit and first.length < first.metre.length:
        message = (
            _("begins with {beats} before the first bar; the last bar makes it up")
            if last.length + first.length == first.metre.length
            else _("begins with {beats} before the first bar")
        )
        yield Trap(
            kind="pickup",
            what=message.format(beats=_beats(first.length, first)),
            bars=(first.number,),
        )


def _beats(quarters: Fraction, bar: Bar) -> str:
    """How long a pickup is: a note value where there is one, else beats."""
    if quarters in VALUES:
        return _(VALUES[quarters])
    beats = quarters * Fraction(bar.beat_type, 4)
    return ngettext("{n} beat", "{n} beats", 1 if beats <= 1 else 2).format(n=beats)


def _accidentals(part: Part) -> Iterator[Trap]:
    """Notes the key alters, printed accidentals, and those that an accidental before them in the bar alters
    still.
    """
    by_key: dict[str, list[tuple[Bar, Note]]] = {}
    printed: dict[str, list[tuple[Bar, Note]]] = {}
    carried: dict[str, list[tuple[Bar, Note]]] = {}
    for bar in part.bars:
        state: set[tuple[str, int]] = set()
        for n in bar.notes:
            if n.pitch is None or n.cue or n.tie_stop:
                continue
            key = (n.pitch.step, n.pitch.octave)
            if n.accidental and not n.cautionary:
                printed.setdefault(n.pitch.letter + ("♮" if n.pitch.alter == 0 else ""), []).append((bar, n))
                state.add(key)
            elif key in state:
                carried.setdefault(n.pitch.letter + ("♮" if n.pitch.alter == 0 else ""), []).append((bar, n))
            elif n.pitch.alter and key_alter(n.pitch.step, bar.fifths) == n.pitch.alter:
                by_key.setdefault(n.pitch.letter, []).append((bar, n))
    for letter, pairs in by_key.items():
        yield trap_of("altered", _("{letter} by the key signature").format(letter=note_name(letter)), pairs)
    for letter, pairs in printed.items():
        yield trap_of("printed", _("{letter} printed").format(letter=note_name(letter)), pairs)
    for letter, pairs in carried.items():
        yield trap_of(
            "carried",
            _("{letter} still, by the accidental before it in the bar").format(letter=note_name(letter)),
            pairs,
        )


def _pitches(
    part: Part, instrument: Instrument | None, known: frozenset[int], said: Collection[str]
) -> Iterator[Trap]:
    notes = [(b, n) for b, n in main_notes(part) if n.pitch is not None and not n.tie_stop]
    if not notes:
        return
    midi = [n.pitch.midi for _unused, n in notes if n.pitch]
    high, low = max(midi), min(midi)
    ends = (_("the highest note is {note}"), high), (_("the lowest note is {note}"), low)
    for message, value in ends if high > low else ():
        there = [x for x, m in zip(notes, midi, strict=True) if m == value]
        yield trap_of("range", message.format(note=_name(there[0][1])), there)
    if instrument is not None:
        yield from _on_instrument(notes, midi, instrument, said)
    if known:
        for value in sorted({m for m in midi if m not in known}):
            there = [x for x, m in zip(notes, midi, strict=True) if m == value]
            yield trap_of(
                "range",
                _("{note} is new for this player").format(note=_name(there[0][1])),
                there,
            )
    leaps = []
    runs: list[tuple[Bar, Note]] = []
    same = 1
    adjacent = _adjacent(part)
    for a, b in zip(notes, notes[1:], strict=False):
        if (a[1].id, b[1].id) not in adjacent:
            same = 1
            continue
        if abs(b[1].known_pitch.midi - a[1].known_pitch.midi) >= LEAP:
            leaps.append(b)
        if b[1].pitch == a[1].pitch:
            same += 1
        else:
            if same >= REPEATED:
                runs.append(b)
            same = 1
    if leaps:
        yield trap_of("leap", _("a leap of a fifth or more to this note"), leaps)
    if runs:
        yield trap_of("repeated", _("after several notes alike the line moves"), runs)


def _adjacent(part: Part) -> set[tuple[str, str]]:
    """Pairs of note ids with no rest between them."""
    out: set[tuple[str, str]] = set()
    last: str | None = None
    for _unused, n in main_notes(part):
        if n.is_rest:
            last = None
        elif not n.tie_stop:
            if last is not None:
                out.add((last, n.id))
            last = n.id
    return out


def _on_instrument(
    notes: list[tuple[Bar, Note]], midi: list[int], instrument: Instrument, said: Collection[str]
) -> Iterator[Trap]:
    if instrument.written_range("advanced"):
        low, high = instrument.low - instrument.chromatic, instrument.high - instrument.chromatic
        outside = [x for x, m in zip(notes, midi, strict=True) if not low <= m <= high]
        if outside:
            yield trap_of(
                "outside",
                _("outside the range of the {name}").format(name=instrument.said),
                outside,
            )
    steps = list(zip(notes[1:], midi[1:], midi, strict=False))
    crossings = [
        x
        for x, here, before in steps
        if instrument.register(here) != instrument.register(before)
        and (instrument.family == "woodwind" or abs(here - before) >= CROSSED)
    ]
    over = [
        x for x, here, before in steps if instrument.has_break and _over_the_break(instrument, before, here)
    ]
    if over:
        yield trap_of("register", _("crosses the break"), over)
        crossings = [x for x in crossings if x not in over]
    crossings = [x for x in crossings if x[1].id not in said]
    if crossings:
        yield trap_of("register", _("another register from here"), crossings)


def _over_the_break(instrument: Instrument, a: int, b: int) -> bool:
    """Whether a step goes from the notes below an instrument's break to those above it, or back."""
    upper = note_midi(next(first for name, first in instrument.registers if name == "clarion"))
    return min(a, b) < upper <= max(a, b)


def _lengths(part: Part) -> Iterator[Trap]:
    main = main_notes(part)
    empty = [all(n.is_rest for n in b.notes) for b in part.bars]
    whole = {id(b) for b, silent in zip(part.bars, empty, strict=True) if silent}
    rests = [x for x in main if x[1].is_rest and id(x[0]) not in whole]
    if rests:
        yield trap_of("rest", _("a rest to be counted"), rests)
    yield from _bars_of_rest(part, empty)
    ties = [x for x in main if x[1].tie_start and not x[1].tie_stop]
    if ties:
        yield trap_of("tie", _("tied to the next: not played again"), ties)
    dotted = [
        (b, n)
        for (b, n), (_after, short) in zip(main, main[1:], strict=False)
        if n.dots
        and not n.is_rest
        and b.metre.beat.numerator != 3
        and n.duration < 2 * b.metre.beat
        and short.duration < n.duration / 2
    ]
    if dotted:
        yield trap_of("dotted", _("a dotted note and the short one after it"), dotted)
    off = [
        (b, n)
        for b, n in main
        if not n.is_rest
        and not n.tie_stop
        and not n.tuplet
        and n.offset % b.metre.beat
        and n.duration > SHORT_OFF
        and n.offset % b.metre.beat + n.duration > b.metre.beat
    ]
    known = [x for x in off if _is_syncopation(x, main)]
    if known:
        yield trap_of("off the beat", _("syncopation: short, long, short"), known)
    others = [x for x in off if x not in known]
    if others:
        yield trap_of("off the beat", _("begins off the beat and holds over it"), others)
    tuplets = [x for x in main if x[1].tuplet and x[1].tuplet_mark == "start"]
    if tuplets:
        yield trap_of("tuplet", _("triplets or the like"), tuplets)


def _is_syncopation(x: tuple[Bar, Note], main: list[tuple[Bar, Note]]) -> bool:
    """Whether a note stands between two that are half as long."""
    k = main.index(x)
    beside = main[max(0, k - 1)], main[min(len(main) - 1, k + 1)]
    return all(n.duration * 2 == x[1].duration and not n.is_rest for _bar, n in beside)


def _bars_of_rest(part: Part, empty: list[bool]) -> Iterator[Trap]:
    """Rests of whole bars, each run of them once."""
    k = 0
    while k < len(empty):
        end = k
        while end < len(empty) and empty[end]:
            end += 1
        if end > k:
            bars, n = part.bars[k:end], end - k
            yield Trap(
                kind="rest",
                what=ngettext(
                    "{n} bar of rest, from bar {bar}", "{n} bars of rest, from bar {bar}", n
                ).format(n=n, bar=bars[0].number),
                bars=tuple(b.number for b in bars),
                notes=tuple(x.id for b in bars for x in b.notes if x.is_rest),
            )
        k = max(end, k + 1)


def _signs(part: Part) -> Iterator[Trap]:
    every = [(b, n) for b in part.bars for n in b.notes if not n.cue]
    for kind, what, chosen in (
        ("slur", _("a slur begins"), [x for x in every if x[1].slur_starts]),
        ("ornament", _("a grace note"), [x for x in every if x[1].grace]),
        ("ornament", _("a trill, mordent or turn"), [x for x in every if x[1].ornament]),
        ("fermata", _("held: a fermata"), [x for x in every if x[1].fermata]),
        ("breath", _("a breath mark"), [x for x in every if x[1].breath_after]),
    ):
        if chosen:
            yield trap_of(kind, what, chosen)
    marks = [(b, m) for b in part.bars for m in b.marks]
    levels = [(b.number, m.text) for b, m in marks if m.kind == "dynamics"]
    if levels:
        yield Trap(
            kind="dynamics",
            what=_("loudness: {levels}").format(levels=", ".join(dict.fromkeys(t for _unused, t in levels))),
            bars=tuple(dict.fromkeys(n for n, _unused in levels)),
            count=len(levels),
        )
    wedges = [b.number for b, m in marks if m.kind == "wedge" and m.text != "stop"]
    if wedges:
        yield Trap(
            kind="dynamics",
            what=_("getting louder or softer"),
            bars=tuple(dict.fromkeys(wedges)),
            count=len(wedges),
        )
    for b, m in marks:
        if m.kind == "words":
            yield Trap(kind="words", what=f"“{m.text}”", bars=(b.number,))


def _form(part: Part) -> Iterator[Trap]:
    repeats = [b.number for b in part.bars if b.repeat_times]
    if repeats:
        yield Trap(kind="repeat", what=_("a repeat sign: go back"), bars=tuple(repeats), count=len(repeats))
    endings = [b.number for b in part.bars if b.ending_start]
    if endings:
        yield Trap(kind="repeat", what=_("first and second endings"), bars=tuple(endings), count=len(endings))
    for flag, what in JUMPS.items():
        bars = tuple(b.number for b in part.bars if getattr(b, flag))
        if bars:
            yield Trap(kind="jump", what=_(what), bars=bars, count=len(bars))
    for here, earlier, differs in find_lookalikes(part):
        notes = tuple(n.id for n in differs)
        yield Trap(
            kind="look-alike",
            what=_("bar {here} is like bar {earlier}, but not the same").format(here=here, earlier=earlier),
            bars=(here,),
            notes=notes,
        )
