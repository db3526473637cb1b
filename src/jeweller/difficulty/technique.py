"""What a part asks of the hands, the lips and the breath on its instrument: traps by the fingerings proposed
for it, mutes, places to breathe, notes far from the staff, two names for one key.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Sequence
from fractions import Fraction

from jeweller.difficulty.trap import Trap, main_notes, trap_of
from jeweller.i18n import _, ngettext
from jeweller.instruments.choose import Fingering
from jeweller.instruments.fingerings import REGISTER, keys_by_finger
from jeweller.instruments.of_part import fingerings_of
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Bar, Note, Part
from jeweller.phrases import note_name

FAR_SHIFT = 4  # positions of a slide between two notes
LONG_TUBE = frozenset({"1-3", "1-2-3"})  # valves whose tube is too short: the third slide goes out
CLOSE_PARTIAL = 8  # from here on partials lie a tone apart
TOGETHER = 3  # fingers that move at once with a register key
LEDGERS = 2  # lines beyond the staff that must be counted
QUICK = Fraction(1)  # quarters: what is longer leaves time
BREATH_S = 9.0  # a beginner's breath, at the written tempo
BREATH_SOON_S = 5.0
MUTE_S = 3.0  # what it takes to put a mute in
USUAL_BPM = 90.0
MUTED = re.compile(r"\b(con sord|mutes?\b|with mute|muted|stopped|gestopft|\+)", re.IGNORECASE)
UNMUTED = re.compile(r"\b(senza sord|open|mutes? (out|off)|without mute)\b", re.IGNORECASE)
WINDS = ("woodwind", "brass")

Pairs = list[tuple[Bar, Note]]


def technique_traps(part: Part, instrument: Instrument | None) -> Iterator[Trap]:
    """Traps that lie in the instrument; of an unknown one those that every player meets."""
    notes = [(b, n) for b, n in main_notes(part) if n.pitch is not None and not n.tie_stop]
    if not notes:
        return
    yield from _far_from_the_staff(notes)
    yield from _two_names(notes)
    if instrument is None:
        return
    yield from _mutes(part, instrument)
    if instrument.family not in WINDS:
        return
    yield from _breaths(part)
    chosen = fingerings_of(part, instrument)
    steps = [
        (x, chosen[a[1].id], chosen[x[1].id])
        for a, x in _joined(part)
        if a[1].id in chosen and x[1].id in chosen
    ]
    if instrument.fundamental is not None:
        yield from _brass(notes, steps, instrument)
    else:
        yield from _woodwind(steps, instrument)


def _joined(part: Part) -> Iterator[tuple[tuple[Bar, Note], tuple[Bar, Note]]]:
    """Notes that follow each other with no rest between."""
    before: tuple[Bar, Note] | None = None
    for bar, n in main_notes(part):
        if n.is_rest:
            before = None
        elif not n.tie_stop:
            if before is not None:
                yield before, (bar, n)
            before = (bar, n)


def _brass(
    notes: Pairs, steps: Sequence[tuple[tuple[Bar, Note], Fingering, Fingering]], instrument: Instrument
) -> Iterator[Trap]:
    if instrument.slide:
        far = [x for x, a, b in steps if abs(a.position - b.position) >= FAR_SHIFT]
        if far:
            yield trap_of("technique", _("a long way on the slide to this note"), far)
    else:
        sharp = [
            (b, n)
            for b, n in notes
            if n.duration > QUICK
            and (ways := instrument.ways(n.known_pitch.midi + instrument.chromatic))
            and instrument.valve_drops[ways[0].drop] in LONG_TUBE
        ]
        if sharp:
            yield trap_of("technique", _("valves 1-3 or 1-2-3, which are sharp: the third slide out"), sharp)
    easy = (instrument.written_range("beginner") or (0, 0))[1]
    close = [
        x
        for x, ways in ((x, instrument.ways(x[1].known_pitch.midi + instrument.chromatic)) for x in notes)
        if ways and ways[0].partial >= CLOSE_PARTIAL and x[1].known_pitch.midi > easy
    ]
    if close:
        yield trap_of("technique", _("high, where notes of one fingering lie close: hear it first"), close)


def _woodwind(
    steps: Sequence[tuple[tuple[Bar, Note], Fingering, Fingering]], instrument: Instrument
) -> Iterator[Trap]:
    fingers = keys_by_finger(instrument.id)
    slides, together = [], []
    for x, a, b in steps:
        if any((a.keys & f) and (b.keys & f) and not a.keys & b.keys & f for f in fingers):
            slides.append(x)
        changed = a.keys ^ b.keys
        if (
            not instrument.has_break
            and changed & REGISTER
            and len(changed & frozenset("1234567")) >= TOGETHER
        ):
            together.append(x)
    if together:
        yield trap_of("register", _("the register key and several fingers at once"), together)
    if slides:
        yield trap_of("technique", _("the same little finger goes from key to key"), slides)


def _far_from_the_staff(notes: Pairs) -> Iterator[Trap]:
    far = []
    for bar, n in notes:
        sign, line, octave = bar.clef
        step, at = {"F": (3, 3), "C": (0, 4)}.get(sign, (4, 4))
        up = n.known_pitch.diatonic - (7 * (at + octave) + step) + 2 * (line - 1)
        if sign in ("G", "F", "C") and (up <= -2 * LEDGERS or up >= 8 + 2 * LEDGERS):
            far.append((bar, n))
    if far:
        yield trap_of("technique", _("two ledger lines or more"), far)


def _two_names(notes: Pairs) -> Iterator[Trap]:
    """One key under two names: G♯ and A♭."""
    letters: dict[int, dict[str, Pairs]] = {}
    for bar, n in notes:
        pitch = n.known_pitch
        letters.setdefault(pitch.midi % 12, {}).setdefault(pitch.letter, []).append((bar, n))
    for names in letters.values():
        if len(names) > 1:
            first, *_others, last = names
            yield trap_of(
                "printed",
                _("{one} and {other} are the same key").format(one=note_name(first), other=note_name(last)),
                [x for name in (first, last) for x in names[name][:1]],
            )


def _seconds(part: Part) -> float:
    """A quarter, at the written tempo."""
    written = (m.value for b in part.bars for m in b.marks if m.kind == "tempo" and m.value)
    return 60.0 / next(written, USUAL_BPM)


def _breaths(part: Part) -> Iterator[Trap]:
    """Long stretches without a rest or a breath mark, and after which notes there is most time for one."""
    quarter = _seconds(part)
    stretch: Pairs = []
    places: Pairs = []
    spent = 0.0
    for x in [*main_notes(part), None]:
        if x is None or x[1].is_rest or x[1].breath_after:
            if spent > BREATH_S:
                places += _best_places(stretch, quarter)
            stretch, spent = [], 0.0
            continue
        stretch.append(x)
        spent += float(x[1].duration) * quarter
    if places:
        yield trap_of(
            "breath", _("no rest here for long: a good place to breathe is after this note"), places
        )


def _best_places(stretch: Pairs, quarter: float) -> Pairs:
    """After which notes of a stretch to breathe: long ones, at the end of a slur and of a bar rather."""
    out: Pairs = []
    since, best, best_at = 0.0, -1.0, None
    for k, ((bar, n), following) in enumerate(zip(stretch, [*stretch[1:], None], strict=True)):
        since += float(n.duration) * quarter
        if since >= BREATH_SOON_S and not n.tie_start and following is not None:
            ends_bar = following[0] is not bar
            worth = float(n.duration) + 1.0 * ends_bar + 1.0 * bool(n.slur_stops)
            if worth > best:
                best, best_at = worth, k
        if since > BREATH_S and best_at is not None:
            out.append(stretch[best_at])
            since = float(sum(m.duration for _bar, m in stretch[best_at + 1 : k + 1])) * quarter
            best, best_at = -1.0, None
    return out


def _mutes(part: Part, instrument: Instrument) -> Iterator[Trap]:
    """Where a mute goes in and comes out, and how long there is for it."""
    quarter = _seconds(part)
    silent = Fraction(0)
    for bar in part.bars:
        notes = [n for n in bar.notes if not n.grace and not n.chord]
        for mark in bar.marks:
            if mark.kind != "words" or not (UNMUTED.search(mark.text) or MUTED.search(mark.text)):
                continue
            if not instrument.mutes:
                if instrument.family == "brass" or "mute" in mark.text.casefold():
                    yield Trap(kind="words", what=_("asks for a mute, which it has not"), bars=(bar.number,))
                continue
            here = itertools.takewhile(lambda n: n.is_rest, (n for n in notes if n.offset >= mark.offset))
            rest = float(silent + sum((n.duration for n in here), Fraction(0))) * quarter
            what = _("the mute comes out") if UNMUTED.search(mark.text) else _("the mute goes in")
            time = (
                _("no rest to do it in")
                if rest < 0.5
                else ngettext("{n} second for it", "{n} seconds for it", round(rest)).format(n=round(rest))
            )
            yield Trap(
                kind="technique" if rest < MUTE_S else "words", what=f"{what}: {time}", bars=(bar.number,)
            )
        sounding = [n for n in notes if not n.is_rest]
        silent = silent + bar.length if not sounding else _rest_at_end(notes)


def _rest_at_end(notes: Sequence[Note]) -> Fraction:
    """How long it is silent before the bar ends."""
    rests = itertools.takewhile(lambda n: n.is_rest, reversed(notes))
    return sum((n.duration for n in rests), Fraction(0))
