"""Takes with hidden faults: what is hidden is there, plain is plainer than subtle, what is marked is held against
it; and the page in the real window.
"""

from __future__ import annotations

import unittest

import numpy as np
from PySide6.QtWidgets import QLabel

from jeweller.assessment.finding import FACETS
from jeweller.booth.own_view import OwnMark
from jeweller.eartraining.hearing import LATELY, answer, answer_lines, score_words, scores
from jeweller.eartraining.hidden import (
    LEVELS,
    PLAIN_KINDS,
    SUBTLE_KINDS,
    EarRequest,
    HiddenFault,
    hide,
    plainness,
    plan_hidden,
    trained_instruments,
)
from jeweller.errors import DrillError
from jeweller.gui.places.practice.ear_model import EarStage, EarWay
from jeweller.gui.places.practice.view import EAR_WAY
from jeweller.notation.performance import perform_part
from jeweller.simulator.compose import compose
from tests.booth_support import BoothCase


class Hidden(unittest.TestCase):
    def test_each_facet_and_level_hides_what_was_asked_for(self) -> None:
        instruments = trained_instruments()
        for k, facet in enumerate(FACETS):
            level = list(LEVELS)[k % len(LEVELS)]
            request = EarRequest(instrument=instruments[k].id, facet=facet, level=level, seed=k)
            take = hide(request)
            kinds = {"plain": PLAIN_KINDS, "subtle": SUBTLE_KINDS}.get(level)
            for fault in take.faults:
                self.assertEqual(fault.facet, facet)
                if kinds is not None:
                    self.assertIn(fault.kind, kinds[facet])
                self.assertTrue(set(fault.bars) <= {b.number for b in take.score.parts[0].bars})
            self.assertTrue(take.faults, request)

    def test_plain_is_farther_off_than_subtle(self) -> None:
        instrument = trained_instruments()[0]
        sizes = {"plain": 0.0, "subtle": 0.0}
        for seed in range(12):
            score = compose(seed, instrument)
            line = perform_part(score.title, score.parts[0])
            for level in sizes:
                request = EarRequest(instrument=instrument.id, facet="rhythm", level=level)
                plans = plan_hidden(request, instrument, line, np.random.default_rng(seed))
                if plans and plans[0].kind == "uneven":
                    sizes[level] = max(sizes[level], plainness(plans[0]))
        self.assertGreater(sizes["plain"], sizes["subtle"])
        self.assertGreater(sizes["subtle"], 0.0)

    def test_several_are_of_different_kinds_and_the_same_request_gives_the_same_take(self) -> None:
        request = EarRequest(instrument="trumpet", faults=3, level="between", seed=5)
        take = hide(request)
        self.assertEqual(len({f.kind for f in take.faults}), 3)
        self.assertEqual(hide(request).faults, take.faults)
        self.assertNotEqual(hide(EarRequest(instrument="trumpet", seed=6)).faults, take.faults)
        with self.assertRaises(DrillError):
            hide(EarRequest(instrument="xylophone"))


class Heard(unittest.TestCase):
    FAULTS = (HiddenFault(kind="late", bars=("3",)), HiddenFault(kind="rushing", bars=("5", "6")))

    def test_bar_and_facet_make_it_heard(self) -> None:
        held = answer(self.FAULTS, [OwnMark("3", "notes"), OwnMark("6", "rhythm"), OwnMark("8", "sound")])
        self.assertEqual([f.kind for f in held.heard], ["rushing"])
        self.assertEqual([f.kind for f in held.bar_only], ["late"])
        self.assertEqual([m.bar for m in held.invented], ["8"])
        self.assertEqual([f.kind for f in answer(self.FAULTS, []).missed], ["late", "rushing"])

    def test_the_score_is_lately_against_before(self) -> None:
        entries = [{"of": ["rhythm"], "heard": []}] * 3 + [{"of": ["rhythm"], "heard": ["rhythm"]}] * LATELY
        (found,) = scores(entries)
        self.assertEqual((found.lately, found.before), ((LATELY, LATELY), (0, 3)))
        self.assertEqual(score_words(found), "Rhythm: 10 of the last 10 heard, before 0 of 3.")
        twice = scores([{"of": ["notes", "notes"], "heard": ["notes"]}])
        self.assertEqual(twice[0].lately, (1, 2))

    def test_the_answer_names_what_nobody_marked_and_what_was_not_hidden(self) -> None:
        take = hide(EarRequest(instrument="clarinet", facet="notes", seed=1))
        bar = take.faults[0].bars[0]
        other = next(b.number for b in take.score.parts[0].bars if b.number not in take.faults[0].bars)
        missed, invented = answer_lines(take, [OwnMark(other)])[:2]
        self.assertIn("You did not mark it.", missed.text)
        self.assertIn("nothing was hidden there", invented.text)
        self.assertEqual((missed.bar, invented.bar), (bar, other))
        self.assertIn("You heard it.", answer_lines(take, [OwnMark(bar, "notes")])[0].text)
        self.assertNotIn("You", answer_lines(take, None)[0].text)


class Page(BoothCase):
    def setUp(self) -> None:
        super().setUp()
        self.place = self.window.practice
        self.ear, self.page = self.place.ear, self.place.ear_page
        self.window.go("practice")
        self.place.choose_way(EAR_WAY)
        self.ear.set_way(EarWay.MARK)
        for name, value in (("instrument", "clarinet"), ("facet", "notes"), ("level", "plain")):
            self.ear.set_request(name, value)
        self.ear.draw.seed(7)
        self.addCleanup(self.ear.forget)

    def made(self) -> None:
        words, step = self.place.next_step()
        self.assertIn(words, ("Another take", "Three takes"))
        step()
        self.wait(lambda: self.ear.stage == EarStage.LISTENING, what="for the take")

    def said(self) -> str:
        return "\n".join(label.text() for label in self.page.panel.findChildren(QLabel))

    def test_what_is_marked_is_answered_and_counted(self) -> None:
        self.assertIn("The program plays a take", self.said())
        self.made()
        take = self.ear.take
        assert take is not None
        self.assertTrue(self.ear.transport.playing)
        self.assertNotIn("The program:", self.said())  # nothing is told before it is marked
        numbers = [b.number for b in take.score.parts[0].bars]
        at = numbers.index(take.faults[0].bars[0])
        self.page.sheet.paper.bar_chosen.emit(at)
        self.page.own_view.facets["notes"].click()
        self.assertEqual(self.page.sheet.paper.marked, {at})
        words, step = self.place.next_step()
        self.assertEqual(words, "That is what I hear")
        step()
        self.assertEqual(self.ear.stage, EarStage.ANSWERED)
        self.assertIn("You heard it.", self.said())
        self.assertEqual([s.lately for s in self.ear.scores], [(len(take.faults), len(take.faults))])
        self.place.toggle_play()
        self.page.hears[0].click()
        position = self.ear.transport.position()
        assert position is not None
        self.assertAlmostEqual(position[1], take.bar_s[take.faults[0].bars[0]] - 1.0, delta=0.5)
        self.window.go("booth")
        self.assertFalse(self.ear.transport.playing)

    def test_which_of_three(self) -> None:
        self.ear.set_way(EarWay.WHICH)
        self.made()
        self.assertIn("Read about one of these takes:", self.said())
        self.assertIn(self.ear.read[0], self.said())
        wrong = (self.ear.asked + 1) % 3
        self.page.play_buttons[wrong].click()
        position = self.ear.transport.position()
        self.assertEqual(position[0] if position is not None else "", str(wrong))
        self.page.say_buttons[wrong].click()
        self.assertIn(f"It was take {self.ear.asked + 1}.", self.said())
        self.assertEqual(self.ear.scores[0].lately[0], 0)
        self.made()
        self.page.say_buttons[self.ear.asked].click()
        self.assertIn("Yes: it was take", self.said())


if __name__ == "__main__":
    unittest.main()
