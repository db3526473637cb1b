"""A tuning session: what was held, what was moved, and what it changed; cold at first, looked at again when
warm.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from statistics import median

from jeweller.i18n import _
from jeweller.instruments.table import Instrument
from jeweller.warmup.settings import TONE_LIMITS
from jeweller.warmup.tendency import HeldTone, NoteTendency, TuningMove, advise, advise_valves, tendencies


@dataclass(frozen=True)
class LoggedMove:
    """A move that was made: when (seconds of the session), what, and how the notes lay before it and after
    it (cents, the middle of all); `after` None until it is measured.
    """

    at_s: float
    sentence: str
    before: float
    after: float | None = None


@dataclass
class TuningSession:
    """Tones are told to it as they are held; `now` gives seconds."""

    instrument: Instrument
    now: Callable[[], float]
    tones: list[tuple[float, HeldTone]] = field(default_factory=list)  # (when, tone) since the last move
    moves: list[LoggedMove] = field(default_factory=list)
    first_s: float | None = None
    tuned_s: float | None = None  # when it was last measured after a move

    def add(self, tone: HeldTone) -> None:
        at = self.now()
        if self.first_s is None:
            self.first_s = at
        self.tones.append((at, tone))
        if self.moves and self.moves[-1].after is None and self.enough:
            last = self.moves[-1]
            self.moves[-1] = LoggedMove(last.at_s, last.sentence, last.before, self.middle)
            self.tuned_s = at

    @property
    def notes(self) -> list[NoteTendency]:
        """How each note lies, since the last move."""
        return tendencies(t for _at, t in self.tones)

    @property
    def middle(self) -> float:
        """How the instrument lies as a whole, cents."""
        return median(t.cents for t in self.notes) if self.tones else 0.0

    @property
    def enough(self) -> bool:
        """Whether enough notes were held to advise by."""
        return len(self.notes) >= 3 or len(self.tones) >= 4

    @property
    def cold(self) -> bool:
        """Whether the instrument is not warm yet: it will rise."""
        return self.first_s is None or self.now() - self.first_s < TONE_LIMITS.cold_s

    @property
    def advice(self) -> TuningMove | None:
        return advise(self.notes, self.instrument) if self.enough else None

    def moved(self) -> None:
        """The advice was followed: measure anew."""
        advice = self.advice
        if advice is not None:
            self.moves.append(LoggedMove(self.now(), advice.sentence, self.middle))
            self.tones.clear()

    @property
    def due_again(self) -> bool:
        """Whether it is worth measuring again: it was tuned cold, or long ago."""
        if self.tuned_s is None or self.first_s is None:
            return False
        since = self.now() - self.tuned_s
        was_cold = self.tuned_s - self.first_s < TONE_LIMITS.cold_s
        return since > TONE_LIMITS.again_s or (was_cold and not self.cold)

    @property
    def sentences(self) -> list[str]:
        """What there is to say now, most needed first."""
        out = []
        if self.due_again:
            out.append(_("It is warmer now than when it was tuned: hold the notes once more."))
        elif self.cold and self.tones:
            out.append(_("Still cold: it will rise as it warms. Play on, tune for good later."))
        if self.tones and not self.enough:
            out.append(_("Hold a few more notes: one note is not the whole instrument."))
        advice = self.advice
        if advice is not None:
            out.append(advice.sentence)
            if advice.way:
                out.append(
                    _(
                        "Best compromise: the notes then lie {after:.0f} cents from in tune instead of "
                        "{before:.0f}."
                    ).format(after=advice.after, before=advice.before)
                )
        elif self.enough:
            out.append(_("In tune as a whole. What is left is for lips and ears, note by note."))
        out += advise_valves(self.notes, self.instrument) if self.enough else []
        if self.moves and self.moves[-1].after is not None:
            last = self.moves[-1]
            out.append(
                _("After the last move: {after:+.0f} cents as a whole, before {before:+.0f}.").format(
                    after=last.after, before=last.before
                )
            )
        return out
