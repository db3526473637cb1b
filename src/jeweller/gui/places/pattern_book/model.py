"""What the pattern book is, with no widget: where its music comes from, what is pencilled on it, and
for whom it is looked over.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jeweller.difficulty.analysis import PartAnalysis, analyse_part, scale_unknown
from jeweller.difficulty.ensemble import compare_parts, describe_ensemble
from jeweller.difficulty.trap import Trap
from jeweller.documents.parts import instrument_of
from jeweller.errors import JewellerError
from jeweller.exercises.pages import make_page
from jeweller.i18n import _
from jeweller.instruments.table import require_instrument
from jeweller.notation.transposition import diatonic_of

if TYPE_CHECKING:
    from jeweller.exercises.request import ExerciseRequest
    from jeweller.instruments.table import Instrument
    from jeweller.notation.model import Part, Score
    from jeweller.repertoire.shelf import Piece

REMINDER = 24  # letters of a reminder above a note
SCALE_SHOWN = 6  # new notes of a scale that are named


@dataclass(frozen=True, kw_only=True)
class Overview:
    """What is to be seen in a part: its analysis (None without notes), what its scale asks of the player it
    is looked over for, and what its parts have against each other.
    """

    analysis: PartAnalysis | None
    scale: str
    across: list[str]

    @property
    def outside(self) -> tuple[str, ...]:
        """The notes that the instrument does not have."""
        traps = self.analysis.traps if self.analysis is not None else ()
        return next((t.notes for t in traps if t.kind == "outside"), ())


class PatternModel:
    """The music that is shown, by the way it came: `way` is one of `WAYS`; `score` is None where there is
    none; `told` are sentences about it.
    """

    def __init__(self) -> None:
        self.way = "make"
        self.opened: tuple[Score, ...] = ()
        self.opened_path = ""
        self.shelved: Score | None = None
        self.shelf_id = ""
        self.score: Score | None = None
        self.told: tuple[str, ...] = ()
        self.page: tuple[ExerciseRequest, ...] = ()  # the exercises before the one that is being made
        self.reminders: dict[str, str] = {}  # words by note id
        self._reminded: tuple[str, object] = ("", "")  # the music that the reminders belong to
        # for whom it is looked over, and the written notes they have learnt
        self.player, self.known = "", frozenset[int]()

    def make(self, request: ExerciseRequest, players: Sequence[Instrument]) -> None:
        """Music made by a sentence, after what was put on the page before."""
        requests = (*self.page, request)
        self._begin((requests, tuple(players)))
        try:
            made = make_page(requests, players)
        except JewellerError as error:
            self.told = (str(error),)
        else:
            self.score, self.told = made.score, made.told

    def write(self, typed: Score | None, instrument_id: str) -> None:
        """Music that was typed in, for an instrument."""
        self._begin("")
        self.score = write_for(typed, instrument_id) if typed is not None else None

    def open_tune(self, index: int) -> None:
        """One tune of the file that is open."""
        self._begin((self.opened_path, index))
        if self.opened:
            self.score = self.opened[max(0, index)]
            self.told = self.score.warnings

    def look_over(self, score: Score | None, page: tuple[str, int]) -> None:
        """A piece that was read from a page of a file."""
        self._begin(page)
        self.score = score

    def take_from_shelf(self, piece: Piece | None) -> None:
        """The piece that was taken from the shelf."""
        self._begin(self.shelf_id)
        self.score = self.shelved
        self.told = (piece.background,) if piece is not None and piece.background else ()

    def _begin(self, music: object) -> None:
        """Reminders belong to the music they were written on."""
        self.told, self.score = (), None
        if (self.way, music) != self._reminded:
            self.reminders, self._reminded = {}, (self.way, music)

    def survey(self, part: Part | None) -> Overview:
        """What is to be seen in a part of the music."""
        known = self.known if self.player else frozenset()
        analysis = None
        if part is not None and part.note_count > 0:
            analysis = analyse_part(part, instrument_of(part), known)
        across = (
            describe_ensemble(self.score)
            if self.score is not None and len(self.score.parts) > 1 and self.way != "make"
            else []
        )
        return Overview(
            analysis=analysis,
            scale=self._describe_scale(part, known),
            across=across,
        )

    def _describe_scale(self, part: Part | None, known: frozenset[int]) -> str:
        if not self.player:
            return ""
        missing = scale_unknown(part, known) if part is not None else ()
        if not missing:
            return _("{player} knows every note of its scale.").format(player=self.player)
        notes = ", ".join(missing[:SCALE_SHOWN]) + (" …" if len(missing) > SCALE_SHOWN else "")
        return _("Of its scale {notes} are new for {player}.").format(notes=notes, player=self.player)

    def describe_bar(self, bar: int) -> str:
        """What every part has in a bar, each in its own letters; empty where there is one part."""
        if self.score is None or len(self.score.parts) < 2:
            return ""
        first = self.score.parts[0]
        number = first.bars[bar].number if bar < len(first.bars) else str(bar + 1)
        parts = "; ".join(f"{x.part} {' '.join(x.own)}" for x in compare_parts(self.score, bar, bar))
        return _("Bar {number}: {parts}.").format(number=number, parts=parts)

    def remind(self, note: str, words: str) -> None:
        """Words pencilled above a note; none takes them away."""
        if words.strip():
            self.reminders[note] = words.strip()[:REMINDER]
        else:
            self.reminders.pop(note, None)

    def pencilled(self, ticked: Sequence[Trap]) -> dict[str, str]:
        """What stands above notes (by id): reminders, and the numbers of the ticked traps."""
        marks = dict(self.reminders)
        for k, trap in enumerate(ticked, 1):
            for note in trap.notes:
                marks[note] = f"{marks[note]} {k}" if note in marks else str(k)
        return marks

    @property
    def file_name(self) -> str:
        """A name for its files, without an ending."""
        title = self.score.title if self.score is not None else ""
        return "".join(c if c.isalnum() or c in " -♭♯" else "-" for c in title).strip() or "sheet"


def write_for(score: Score, instrument_id: str) -> Score:
    """The score with its nameless parts as parts of an instrument."""
    instrument = require_instrument(instrument_id)
    name, chromatic = instrument.name, instrument.chromatic
    parts = [
        dataclasses.replace(
            p, name=name, instrument=name, chromatic=chromatic, diatonic=diatonic_of(chromatic)
        )
        if not p.instrument
        else p
        for p in score.parts
    ]
    return dataclasses.replace(score, parts=tuple(parts))
