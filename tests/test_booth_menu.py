"""What else can be chosen in the booth: the sentence's words, the menu, notes to make something up on."""

from __future__ import annotations

import unittest
from typing import Any
from unittest import mock

import numpy as np
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from jeweller import i18n
from jeweller.audio.encode import write_sound
from jeweller.booth.plan import ClickKind, CountKind, Help
from jeweller.gui.places.booth.menu import fill_more
from jeweller.gui.widgets.note_choice import read_notes
from jeweller.i18n import SOURCE, in_language
from jeweller.simulator.guest import play_line
from tests.booth_support import BoothCase


def typed(text: str, *, ok: bool = True) -> Any:
    """Somebody types `text` where words are asked for."""
    return mock.patch.object(QInputDialog, "getText", return_value=(text, ok))


class Menu(BoothCase):
    def offer(self, words: str) -> Any:
        """The action of the menu whose words begin so."""
        self.menu = QMenu()
        fill_more(self.menu, self.booth)
        return next(a for a in self.menu.actions() if a.text().startswith(words))

    def test_notes_to_make_something_up_on(self) -> None:
        with mock.patch.object(self.model, "make_up") as begun:
            with typed("d5, C5 C5"):
                self.offer("Make something up").trigger()
            begun.assert_called_once_with((72, 74))
            begun.reset_mock()
            for told in ("C5", "x y", ""):
                with typed(told):
                    self.offer("Make something up").trigger()
                self.assertEqual(self.window.last_trouble, "Choose at least two notes of the part.")
            with typed("C5 D5", ok=False):
                self.offer("Make something up").trigger()
            begun.assert_not_called()

    def test_the_written_notes_of_a_transposing_part(self) -> None:
        self.model.music = None
        music = self.shelf_piece("Clarinet in B♭", -2)
        self.booth._shelf = None
        self.booth.open_piece(music, "Clarinet in B♭")
        self.wait(lambda: self.model.music is not None)
        with mock.patch.object(self.model.turns, "make_up") as begun:
            self.model.make_up((72, 74))
        self.assertEqual(begun.call_args[0][-1], (70, 72))  # as they sound

    def shelf_piece(self, name: str, chromatic: int) -> Any:
        from jeweller.notation.model import Score
        from tests.booth_support import MUSIC
        from tests.support import part_of

        part = part_of(MUSIC, bpm=120, name=name, chromatic=chromatic)
        return self.shelf.add(Score("For the clarinet", (part,), "")).id

    def test_an_input_and_a_channel_of_it(self) -> None:
        devices = self.window.devices

        def offered() -> list[str]:
            return [a.text() for a in self.offer("Microphone").menu().actions() if a.text()]

        with mock.patch.object(devices, "inputs", return_value={"One": 1, "Two": 2}):
            self.assertEqual(offered(), ["The usual one", "One", "Two"])
            next(a for a in self.offer("Microphone").menu().actions() if a.text() == "Two").trigger()
            self.assertEqual(offered()[3:], ["All channels as one", "Channel 1 alone", "Channel 2 alone"])
            self.offer("Microphone").menu().actions()[-1].trigger()
            self.assertEqual((devices.wanted, devices.channel), ("Two", 2))
        self.arguments["samples"] = np.zeros((10, 2), np.float32)
        self.booth.enter()
        self.counting()
        self.assertEqual(self.microphones[-1].channel, 2)
        source = self.booth.moments.source
        self.wait(lambda: source.text())
        self.assertEqual(source.text(), "simulated microphone, channel 2, 44100 samples a second")
        devices.choose("One")  # another input begins with all of its channels
        self.assertEqual(devices.channel, 0)

    def test_the_ladder_and_the_keys_are_switched_on_and_off(self) -> None:
        ladder = self.offer("Speed ladder")
        self.assertIn("120", ladder.text())
        ladder.trigger()
        assert self.model.ladder is not None
        self.assertTrue(self.offer("Speed ladder").isChecked())
        self.offer("Speed ladder").trigger()
        self.assertIsNone(self.model.ladder)
        self.offer("Strike the rhythm").trigger()
        self.assertTrue(self.model.plan.keys)
        self.booth.sentence.words["layer"].picked.emit("clap")  # another way to do it ends that
        self.assertFalse(self.model.plan.keys)

    def test_only_a_take_can_be_put_on_the_bench(self) -> None:
        self.assertFalse(self.offer("Put the take on the bench").isEnabled())
        self.plan(click=ClickKind.OFF, bars="1")
        self.take()
        self.assertTrue(self.offer("Put the take on the bench").isEnabled())


class Words(BoothCase):
    def pick(self, key: str, value: Any) -> None:
        self.booth.sentence.words[key].picked.emit(value)

    def test_every_word_of_the_sentence_changes_the_plan(self) -> None:
        for key, word in self.booth.sentence.words.items():
            for offer in word.offers():
                if offer is None or offer[1] in (None, CountKind.WORDS, Help.OWN):  # these ask
                    continue
                before = self.model.plan
                self.pick(key, offer[1])
                self.assertTrue(word.text(), key)
                self.assertFalse(self.window.last_trouble, (key, offer))
                self.model.plan = before
        self.booth.sentence.refresh()

    def test_the_teachers_own_words_are_counted(self) -> None:
        with typed("  ready   and breathe in "):
            self.pick("count", CountKind.WORDS)
        self.assertEqual(
            (self.model.plan.count, self.model.plan.words), (CountKind.WORDS, "ready and breathe in")
        )
        for told, ok in (("", True), ("other", False)):
            self.model.set_plan(count=CountKind.NUMBERS)
            with typed(told, ok=ok):
                self.pick("count", CountKind.WORDS)
            self.assertEqual(self.model.plan.count, CountKind.NUMBERS)

    def test_a_recording_of_ones_own_sounds_along_and_is_none_of_the_player(self) -> None:
        self.plan(click=ClickKind.OFF)
        assert self.model.music is not None
        line = self.model.music.line(self.model.plan)
        path = self.folder / "along.wav"
        along = play_line(line, 60.0 / self.model.plan.bpm, "clarinet", 44100)
        write_sound(path, along, 44100)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=("", "")):
            self.pick("help", Help.OWN)
        self.assertEqual(self.model.plan.help, Help.ALONE)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.pick("help", Help.OWN)
        self.assertEqual((self.model.plan.help, self.model.plan.backing), (Help.OWN, str(path)))
        # a fifth of a second is left for a busy machine: what the loudspeaker says later is not heard
        self.arguments["latency_s"] = 0.4
        self.in_one_room, self.speaker.speed, self.arguments["speed"] = True, 2.0, 2.0
        self.set_latency(0.4)
        self.take(wrong=(2,))
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertEqual([f["kind"] for f in take.findings if f["kind"] == "wrong_note"], ["wrong_note"])
        self.assertEqual(take.report["settings"]["support"], "with_model")

    def test_a_recording_that_is_gone_is_a_sentence(self) -> None:
        self.model.set_plan(help=Help.OWN, backing=str(self.folder / "gone.wav"))
        self.booth.enter()
        self.wait(lambda: bool(self.window.last_trouble), what="for the sentence")
        self.assertIn("gone.wav", self.window.last_trouble)
        self.assertFalse(self.model.runner.running)


class Notes(unittest.TestCase):
    def test_notes_are_read_as_they_are_typed(self) -> None:
        known = {"B♭4": 70, "A♯4": 70, "F♯5": 78, "B4": 71}
        self.assertEqual(read_notes("Bb4, a#4 f♯5 b4", known), ([70, 70, 78, 71], []))
        self.assertEqual(read_notes("Cb4 B4", known), ([71], ["Cb4"]))
        self.assertEqual(read_notes(" , ", known), ([], []))

    def test_and_as_they_are_called_in_the_language(self) -> None:
        from jeweller.phrases import note_name

        with in_language("de"):
            known = {note_name(n): m for n, m in (("B♭4", 70), ("B4", 71), ("F♯4", 66))}
            self.assertEqual(read_notes("b4 h4 fis4", known)[0], [70, 71, 66])
        self.assertEqual(i18n.chosen_language(), SOURCE)


if __name__ == "__main__":
    unittest.main()
