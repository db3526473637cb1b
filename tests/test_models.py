"""What the loupe and the pattern book know, with no widget."""

from __future__ import annotations

import unittest

from jeweller.exercises.request import ExerciseRequest
from jeweller.gui.places.loupe.selection import LEAD_BEATS, TAIL_BEATS, Selection
from jeweller.gui.places.pattern_book.model import PatternModel, write_for
from jeweller.instruments.table import require_instrument
from jeweller.notation.model import Score
from jeweller.pipeline.review import Review
from tests.support import part_of
from tests.test_ledger import checked_take


class Chosen(unittest.TestCase):
    def setUp(self) -> None:
        self.review = Review(checked_take(), None)
        self.chosen = Selection()
        self.chosen.open(self.review)

    def test_the_first_finding_then_those_not_decided_round_and_round(self) -> None:
        shown = self.review.shown
        self.assertEqual(self.chosen.chosen, next(s.key for s in shown if s.number == 1))
        for s in shown[:-1]:
            self.review.dismiss(s.key)
        last = shown[-1].key
        self.chosen.choose(last)
        self.assertIsNone(self.chosen.next_open())
        self.chosen.choose(shown[0].key)
        self.assertEqual(self.chosen.next_open(), last)
        self.review.dismiss(last)
        self.assertIsNone(self.chosen.next_open())

    def test_what_is_played(self) -> None:
        total, beat = self.review.checked.recording.duration, self.review.beat_seconds()
        place = self.chosen.seconds()
        assert place is not None
        begin = max(0.0, place[0] - LEAD_BEATS * beat)
        self.assertEqual(self.chosen.stretch(False), (begin, total))
        self.assertEqual(
            self.chosen.stretch(False, both=True), (begin, min(total, place[1] + TAIL_BEATS * beat))
        )
        note = self.chosen.note_id
        assert note is not None
        self.assertEqual(self.chosen.stretch(True), self.review.bar_span(note))
        self.chosen.play_from = 1.5
        self.assertEqual(self.chosen.stretch(False), (1.5, total))
        self.chosen.span = (2.0, 3.0)
        self.assertEqual(self.chosen.stretch(True), (2.0, 3.0))
        self.chosen.choose(None)
        self.assertEqual(self.chosen.stretch(False), (0.0, total))

    def test_a_place_in_the_sound_means_a_finding_or_the_note_there(self) -> None:
        place = self.chosen.seconds()
        assert place is not None
        self.assertEqual(self.chosen.key_at(place[0]), self.chosen.chosen)
        ids = [n["id"] for n in self.review.report["notes"] if not n["grace"]]
        self.chosen.choose(ids[-1])
        self.assertEqual((self.chosen.next_note(1), self.chosen.next_note(-1)), (ids[-1], ids[-2]))


class Shown(unittest.TestCase):
    def test_reminders_are_for_the_music_they_were_written_on(self) -> None:
        model, flute = PatternModel(), [require_instrument("flute")]
        model.make(ExerciseRequest(), flute)
        assert model.score is not None
        note = model.score.parts[0].bars[0].notes[0].id
        model.remind(note, "  breathe  ")
        self.assertEqual(model.pencilled([]), {note: "breathe"})
        model.make(ExerciseRequest(), flute)
        self.assertEqual(model.reminders, {note: "breathe"})
        model.make(ExerciseRequest(tonic="F"), flute)
        self.assertEqual(model.reminders, {})

    def test_bars_of_a_band_and_a_line_written_for_an_instrument(self) -> None:
        model = PatternModel()
        model.make(ExerciseRequest(), [require_instrument("flute"), require_instrument("clarinet")])
        self.assertRegex(model.describe_bar(1), "^Bar 2: Flute .*; Clarinet in B♭ .*[.]$")
        self.assertEqual(model.survey(None).across, [])
        typed = write_for(Score("", (part_of("C5/4", name=""),)), "clarinet").parts[0]
        self.assertEqual((typed.name, typed.chromatic), ("Clarinet in B♭", -2))
