"""Lines that were read as one piece of music: pitches by clef, key and accidentals, bars that add up, and
what is doubted of each note.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.instruments.table import Instrument
from jeweller.notation.ids import note_id, pitch_token, unique
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar, Mark, Note, Part, Score
from jeweller.notation.pitch import STEPS, Pitch, key_alter
from jeweller.notation.transposition import diatonic_of
from jeweller.omr.line import ReadBar, ReadLine, ReadMark, ReadNote, normal_of
from jeweller.omr.primitives import Box
from jeweller.omr.symbols import ACCIDENTALS
from jeweller.omr.words import SPEED

ACCIDENTAL_NAMES = {"double_sharp": "double-sharp", "double_flat": "flat-flat"}
# the diatonic number of the lowest line, by clef sign and line
LOWEST = {("G", 2): 30, ("F", 4): 18, ("C", 3): 24, ("C", 4): 22, ("C", 1): 28, ("C", 2): 26, ("C", 5): 20}


@dataclass(frozen=True)
class Doubt:
    """What a reader is not sure of: a note by its id and place on the page, or a bar that does not add up."""

    note: str
    bar: str
    page: int  # from 0
    line: int  # of the piece, from 0
    box: Box
    sure: float
    why: tuple[str, ...]


@dataclass(frozen=True)
class NotePlace:
    """Where a note is printed: its page, from 0, and its head's box there."""

    note: str
    page: int
    box: Box
    spot: tuple[int, int, int]  # its line of the piece, its bar in it, its place in the bar


@dataclass(frozen=True)
class ReadPiece:
    """A piece as it was read, with its doubts and where its notes stand."""

    score: Score
    doubts: tuple[Doubt, ...]
    places: tuple[NotePlace, ...]

    @property
    def muddled(self) -> bool:
        """Whether most bars do not add up: this is not what the reader can read."""
        bad = len({doubt.bar for doubt in self.doubts if not doubt.note})
        return bad > max(1, 0.5 * sum(bool(bar.notes) for bar in self.score.parts[0].bars))


class _State:
    """What holds from bar to bar."""

    def __init__(self) -> None:
        self.clef = ("G", 2, 0)
        self.fifths = 0
        self.metre = (4, 4)
        self.altered: dict[int, int] = {}
        self.tied: dict[int, int] = {}  # place → alteration of a note tied over


def make_piece(lines: Sequence[ReadLine], title: str, instrument: Instrument | None) -> ReadPiece:
    """One piece of some lines that follow one another."""
    state, seen = _State(), dict[str, int]()
    bars: list[Bar] = []
    doubts: list[Doubt] = []
    places: list[NotePlace] = []
    read = [(k, line.page, j, bar) for k, line in enumerate(lines) for j, bar in enumerate(line.bars)]
    number = 0 if read and _is_pickup(read) else 1
    pickup = number == 0
    for at, (line, page, place, bar) in enumerate(read):
        state.altered = {}
        state.clef = bar.clef or state.clef
        state.fifths = state.fifths if bar.fifths is None else bar.fifths
        state.metre = bar.metre or state.metre
        repeats = max((n.bars for n in bar.notes), default=0) or 1
        for turn in range(repeats):
            made = _make_bar(
                bar,
                str(number),
                (page, line, place),
                state,
                seen,
                doubts,
                places,
                pickup=pickup and number == 0,
                last=at == len(read) - 1,
                first=turn == 0,
            )
            bars.append(made)
            number += 1
    name = instrument.name if instrument is not None else title
    part = Part(
        id="P1",
        name=name or "Part",
        instrument=instrument.name if instrument is not None else "",
        diatonic=diatonic_of(instrument.chromatic) if instrument is not None else 0,
        chromatic=instrument.chromatic if instrument is not None else 0,
        bars=tuple(bars),
        percussion=state.clef[0] == "percussion",
    )
    return ReadPiece(Score(title, (part,)), tuple(doubts), tuple(places))


def _is_pickup(read: Sequence[tuple[int, int, int, ReadBar]]) -> bool:
    first = read[0][3]
    metre = first.metre or (4, 4)
    whole = Metre(*metre).length
    filled = sum((n.quarters for n in first.notes if not n.chord), Fraction(0))
    if not first.notes or any(n.is_rest and n.type == "whole" for n in first.notes) or filled >= whole:
        return False
    last = read[-1][3]
    end = sum((n.quarters for n in last.notes if not n.chord), Fraction(0))
    return filled + end == whole or filled <= whole / 2


def _make_bar(
    bar: ReadBar,
    number: str,
    where: tuple[int, int, int],
    state: _State,
    seen: dict[str, int],
    doubts: list[Doubt],
    places: list[NotePlace],
    *,
    pickup: bool,
    last: bool,
    first: bool,
) -> Bar:
    length = Metre(*state.metre).length
    now = Fraction(0)
    notes: list[Note] = []
    at: list[tuple[float, Fraction]] = []
    previous = Fraction(0)
    for k, read in enumerate(bar.notes):
        whole_bar = read.is_rest and read.type == "whole" and len([n for n in bar.notes if not n.grace]) == 1
        quarters = length if whole_bar else read.quarters
        offset = previous if read.chord else now
        at.append((read.box.left, offset))
        pitch = _pitch(read, state)
        found = note_id("P1", number, offset, ("g" if read.grace else "") + pitch_token(pitch))
        identity = unique(found, seen)
        notes.append(_note(read, identity, offset, quarters, pitch, whole_bar=whole_bar))
        if first:
            places.append(NotePlace(identity, where[0], read.box, (*where[1:], k)))
            if read.sure < 1.0:
                doubts.append(Doubt(identity, number, *where[:2], read.box, read.sure, tuple(read.doubts)))
        if not read.chord and not read.grace:
            previous = now
            now += quarters
    short = pickup or (last and now < length)
    if now != length and not short and bar.notes:
        doubts.append(
            Doubt(
                "",
                number,
                *where[:2],
                Box(bar.left, bar.notes[0].box.top, bar.right, bar.notes[0].box.bottom),
                0.2,
                ("bar",),
            )
        )
    signs = set(bar.signs)
    return Bar(
        number=number,
        length=now if (short or now != length) and now else length,
        beats=state.metre[0],
        beat_type=state.metre[1],
        fifths=state.fifths,
        mode="major",
        clef=state.clef,
        notes=tuple(notes),
        marks=tuple(_mark(mark, at, now) for mark in bar.marks),
        implicit=pickup,
        repeat_start=bar.repeat_start,
        repeat_times=2 if bar.repeat_end else 0,
        ending=bar.ending,
        ending_start=bar.ending_start,
        ending_stop=bar.ending_stop,
        segno="segno" in signs,
        coda="coda" in signs,
        fine="fine" in signs,
        to_coda="to_coda" in signs,
        dacapo="dacapo" in signs,
        dalsegno="dalsegno" in signs,
        double_bar=bar.double,
        final_bar=bar.final,
    )


def _pitch(read: ReadNote, state: _State) -> Pitch | None:
    if read.place is None or state.clef[0] == "percussion":
        return None
    diatonic = LOWEST.get((state.clef[0], state.clef[1]), 30) + 7 * state.clef[2] + read.place
    step, octave = STEPS[diatonic % 7], diatonic // 7
    if read.accidental:
        alter = ACCIDENTALS[read.accidental]
        state.altered[diatonic] = alter
    elif read.tie_stop and diatonic in state.tied and diatonic not in state.altered:
        alter = state.tied[diatonic]
    else:
        alter = state.altered.get(diatonic, key_alter(step, state.fifths))
    if read.tie_start:
        state.tied[diatonic] = alter
    return Pitch(step, alter, octave)


def _note(
    read: ReadNote,
    identity: str,
    offset: Fraction,
    quarters: Fraction,
    pitch: Pitch | None,
    *,
    whole_bar: bool,
) -> Note:
    return Note(
        id=identity,
        offset=offset,
        duration=quarters,
        pitch=pitch,
        unpitched=pitch is None and not read.is_rest,
        type=read.type,
        dots=read.dots,
        tuplet=(read.tuplet, normal_of(read.tuplet)) if read.tuplet else None,
        tuplet_mark="start" if read.tuplet_begins else "stop" if read.tuplet_ends else "",
        grace=read.grace,
        slash=read.slash,
        chord=read.chord,
        tie_start=read.tie_start,
        tie_stop=read.tie_stop,
        slur_starts=tuple(str(k + 1) for k in range(read.slur_starts)),
        slur_stops=tuple(str(k + 1) for k in range(read.slur_stops)),
        articulations=tuple(dict.fromkeys(read.articulations)),
        ornament=read.ornament or None,
        fermata=read.fermata,
        breath_after=read.breath_after,
        accidental=ACCIDENTAL_NAMES.get(read.accidental, read.accidental) or None,
        whole_bar=whole_bar,
        head=read.head,
    )


def _mark(mark: ReadMark, at: Sequence[tuple[float, Fraction]], end: Fraction) -> Mark:
    offset = next((o for x, o in at if x >= mark.x - 4.0), end if mark.text == "stop" else Fraction(0))
    speed = SPEED.search(mark.text) if mark.kind == "words" else None
    if speed is not None:
        return Mark(
            kind="tempo", offset=offset, value=float(speed[1]), beat_unit="quarter", per_minute=speed[1]
        )
    return Mark(kind=mark.kind, offset=offset, text=mark.text[:120], above=mark.above)
