"""Slips to the octave or the twelfth, told by the partials that only the lower note has."""

from __future__ import annotations

import math

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import rests_on
from jeweller.assessment.limits import PITCHES_LIMITS
from jeweller.assessment.regression import log_odds
from jeweller.features.robust import median, percentile
from jeweller.notes.settings import SAME_PITCH
from jeweller.notes.table import PartialContrast, PlayedNote
from jeweller.report_format import RestsOn


def octave_measures(found: PartialContrast) -> list[float]:
    """What tells the octave above from the written note: the energy of the odd partials, the pitch line, how
    far the odd partials stand out. `bench/octaves.py` fitted a regression on them.
    """
    return [
        min(max(found.odd_db, -40.0), 0.0) / 10.0,
        found.above,
        min(max(found.second_db, -5.0), 30.0) / 10.0,
    ]


class OctaveJudge:
    """Slips to the octave or the twelfth, by the partials that only the lower note has, and by the same
    player's other notes.
    """

    def __init__(self, case: AssessmentContext) -> None:
        self.case = case
        self.plain: list[int] = []  # notes heard in their written octave
        self.below: set[int] = set()  # notes heard an octave below
        self.why: dict[int, RestsOn] = {}  # what an answer rests on
        for i in range(len(case.notes)):
            event = case.event(i)
            apart = case.apart(i)
            if event is None or math.isnan(apart):
                continue
            if abs(apart) < SAME_PITCH:
                self.plain.append(i)
            elif any(abs(apart + d) < SAME_PITCH for d in (12, 19, 24)):
                self.below.add(i)

    def judge(self, i: int, event: PlayedNote, apart: float) -> tuple[int, float] | None:
        """(semitones, confidence); 0 semitones where the written note sounded after all; None where neither
        is in question.
        """
        case = self.case
        midi = case.notes[i].sounding_midi
        for up in (12, 19):
            if abs(apart - up) < SAME_PITCH:
                return up, 0.9
        if i in self.below:
            if case.table.register_lost:
                return round(apart), PITCHES_LIMITS.plainly_low  # the part was followed only so
            if round(apart) == -12 and self._plainly_low(i, event):
                return -12, PITCHES_LIMITS.plainly_low  # whatever the others do: no sound carries as much
            if round(apart) == -12 and self._contrast(i, 12) < case.settings.octave_partials_db:
                # The partials of the lower note are not there: the period is a subharmonic.
                return self._above(i, event, 12, 1.0, event.midi + 12) or (0, 1.0)
            # A sound may carry a subharmonic: if most notes at that place do, it is the sound and not the
            # player.
            near = [
                k
                for k in (*self.plain, *self.below)
                if k != i and abs(case.notes[k].sounding_midi - midi) <= 1
            ]
            same = sum(k in self.below for k in near)
            down = round(apart)
            if event.expected_clarity > 0.55 * event.clarity:
                return (down, 0.3) if not same else (0, 1.0)
            return (0, 1.0) if near and same >= 0.34 * len(near) else (down, 0.85 if near else 0.6)
        if abs(apart) > SAME_PITCH:
            return None
        return self._octave(i, event) or self._above(i, event, 19, event.twelfth_up, event.midi)

    def _plainly_low(self, i: int, event: PlayedNote) -> bool:
        """Whether a note heard an octave low has odd partials as only a low note has; a room puts a common
        period of two notes below both, but then the written pitch is nearly as clear.
        """
        found = self.case.table.partials[i]
        if found is None or event.expected_clarity > PITCHES_LIMITS.plainly_low_share * event.clarity:
            return False
        ways = self.case.table.posteriors
        if ways is not None and ways.written[i] > 0.5:
            return False  # the written pitch fits better
        return log_odds("octave", octave_measures(found)) < PITCHES_LIMITS.plainly_low_odds

    def _octave(self, i: int, event: PlayedNote) -> tuple[int, float] | None:
        """The octave above: it is as periodic, and the partials that only the written note has are not
        there.
        """
        found = self.case.table.partials[i]
        if found is None or event.octave_up < self.case.settings.octave_evenness:
            return None
        odds = log_odds("octave", octave_measures(found)) - PITCHES_LIMITS.octave_odds
        if odds < PITCHES_LIMITS.octave_asked:
            return None
        s = self.case.settings
        self.why[i] = rests_on(
            "octave_evenness",
            event.octave_up,
            s.octave_evenness,
            PITCHES_LIMITS.evenness_error,
            "share",
            sure_at=0.0,
        )
        confidence = 1.0 / (1.0 + math.exp(-odds))
        return 12, confidence if event.off_s - event.on_s > PITCHES_LIMITS.short_s else min(confidence, 0.45)

    def _above(
        self, i: int, event: PlayedNote, up: int, fullness: float, written: float
    ) -> tuple[int, float] | None:
        """The octave or twelfth above: it is as periodic, and the partials that only the written note has do
        not stand out as the neighbours' do.
        """
        s = self.case.settings
        if fullness < s.octave_evenness:
            return None
        own = self._contrast(i, up, above=written > event.midi)
        contrast = self._usual_contrast(i, up) if fullness > PITCHES_LIMITS.fullest else 0.0
        limit = s.octave_partials_db + contrast
        if own > limit + 2.0:
            return None
        self.why[i] = rests_on(
            "octave_partials_db",
            own - contrast,
            s.octave_partials_db,
            PITCHES_LIMITS.partials_error_db,
            "dB",
            sure_at=0.0,
            below=True,
        )
        confidence = min(0.9, 1.0 / (1.0 + math.exp(-(limit - own) / PITCHES_LIMITS.partials_error_db)))
        if self._alike(i, up, own):
            confidence = min(confidence, PITCHES_LIMITS.listen)
        return up, confidence if event.off_s - event.on_s > PITCHES_LIMITS.short_s else min(confidence, 0.45)

    def _usual_contrast(self, i: int, up: int) -> float:
        """dB by which the limit is raised where the partials of notes of about the same height stand out
        far: an instrument of strong odd partials, whose octaves show more of them too.
        """
        midi = self.case.notes[i].sounding_midi
        beside = [k for k in self.plain if k != i and abs(self.case.notes[k].sounding_midi - midi) <= 2]
        near = sorted(beside, key=lambda k: abs(k - i))[: PITCHES_LIMITS.neighbours]
        usual = [self._contrast(k, up) for k in near]
        if not usual:
            return 0.0
        above = (median(usual) - PITCHES_LIMITS.usual_db) / PITCHES_LIMITS.usual_slope
        return max(0.0, min(PITCHES_LIMITS.usual_most_db, above))

    def _alike(self, i: int, up: int, own: float) -> bool:
        """Whether these partials stand out hardly more in another sounding of that pitch that is heard in its
        octave: then it is how that note sounds.
        """
        midi = self.case.notes[i].sounding_midi
        same = [k for k in self.plain if k != i and self.case.notes[k].sounding_midi == midi]
        s = self.case.settings
        # Right are those whose partials stand out, and those that are not as periodic at half the period.
        right = [
            found
            for k in same
            if (found := self._contrast(k, up)) > s.octave_partials_db
            or self._fullness(k, up) < s.octave_evenness
        ]
        return bool(right) and percentile(right, PITCHES_LIMITS.alike_share) < own + PITCHES_LIMITS.alike_db

    def _fullness(self, i: int, up: int) -> float:
        """Periodicity of note i at half (a third) of its period."""
        event = self.case.sounded(i)
        return event.octave_up if up == 12 else event.twelfth_up

    def _contrast(self, i: int, up: int, *, above: bool = False) -> float:
        """dB by which the partials of note i stand out that the octave (twelfth) above it has not; `above`:
        were the note itself an octave higher than heard.
        """
        found = self.case.table.partials[i]
        if found is None:
            return PITCHES_LIMITS.unasked_db
        return found.second_above_db if above else found.second_db if up == 12 else found.third_db
