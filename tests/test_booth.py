"""The booth through the real window, with a simulated microphone: takes, keys, ladders, help, faults."""

from __future__ import annotations

import os
import signal
import unittest
from unittest import mock

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from jeweller.audio.recorder import PART, TakeRecorder
from jeweller.booth.plan import ClickKind, CountKind, Help
from jeweller.gui.places.booth.model import BoothStage
from jeweller.simulator.guest import play_line
from tests.booth_support import BoothCase

KEY = Qt.Key


class Takes(BoothCase):
    def test_one_key_from_the_count_to_what_is_to_be_mended_and_once_more(self) -> None:
        self.plan(count=CountKind.NUMBERS, click=ClickKind.OFF)
        QTest.keyClick(self.booth, KEY.Key_Return)
        session = self.counting()
        self.assertEqual(self.booth.moments.state.text(), "Counting in; not yet recording")
        self.assertFalse(list(self.journal_folder.glob("*.wav")))
        counts = {self.booth.moments.count.count}
        self.wait(lambda: counts.add(self.booth.moments.count.count) or session.recording)
        self.assertGreater(len(counts & {"1", "2", "3", "4"}), 2)
        self.microphones[-1].play(
            play_line(session.line, session.track.spq, "flute", 44100, wrong=(2, 6)), session.downbeat_s
        )
        self.wait(lambda: "Recording" in self.booth.moments.state.text())
        self.assertEqual(len(list(self.journal_folder.glob(f"*{PART}"))), 1)
        self.assertFalse(list(self.journal_folder.glob("*count*")))  # no click, nothing is kept of the count
        self.verdict()
        take = self.model.take
        assert take is not None and take.report is not None and take.path is not None
        self.assertEqual(
            [(f["kind"], f["bar"]) for f in take.findings], [("wrong_note", "1"), ("wrong_note", "3")]
        )
        self.assertEqual(take.report["take"]["file"], take.path.name)
        self.wait(lambda: [p.name for p in self.journal_folder.glob("*.wav")] == [take.path.name])
        self.assertEqual(take.path.stat().st_mode & 0o777, 0o600)
        self.assertIs(self.booth.pages.currentWidget(), self.booth.loupe)
        assert self.booth.loupe.review is not None
        self.assertEqual(len(self.booth.loupe.review.shown), 2)
        QTest.keyClick(self.booth, KEY.Key_S)
        self.assertAlmostEqual(self.model.plan.bpm, 102.0)
        self.take(wrong=(6,))
        self.assertIn("Better than take 1: Bar 1: E5 is right now.", self.booth.told.text())
        self.assertEqual(self.model.log.takes[1].plan.bpm, 102.0)
        self.assertEqual([e["clean"] for e in self.model.journal.entries("take")], [False, False])

    def test_only_the_bad_bar_then_joined_then_wider(self) -> None:
        self.take(wrong=(6,))
        self.window.key_b()
        self.assertEqual(self.model.plan.bars, "3")
        self.take()
        assert self.model.take is not None
        self.assertTrue(self.model.take.clean, self.model.take.findings)
        QTest.keyClick(self.booth, KEY.Key_J)
        self.assertEqual(self.model.plan.bars, "3-4")
        QTest.keyClick(self.booth, KEY.Key_W)
        self.assertEqual(self.model.plan.bars, "")

    def test_it_ends_by_itself_when_the_player_stops_and_says_where(self) -> None:
        self.take(stop_after=6)
        assert self.model.take is not None
        self.assertEqual((self.model.take.stopped_at, self.model.take.clean), ("3", False))
        self.assertEqual(self.model.take.sentence, "stopped at bar 3")

    def test_a_take_is_ended_by_the_key_and_given_up_by_escape(self) -> None:
        self.play()
        session = self.counting()
        self.wait(lambda: session.seconds > 3.0)
        self.booth.enter()
        self.verdict()
        assert self.model.take is not None
        self.assertNotEqual(self.model.take.stopped_at, "")
        self.play()
        self.wait(lambda: self.model.runner.session is not None and self.model.runner.session.recording)
        self.window.escape()
        self.assertEqual(self.model.stage, BoothStage.READY)
        self.assertEqual(len(self.model.log.takes), 1)
        self.assertFalse(list(self.journal_folder.glob(f"*{PART}")))

    def test_clicks_are_judged_by_the_delay_that_was_measured(self) -> None:
        self.set_latency(0.18)
        self.plan(click=ClickKind.ON)
        self.take()
        assert self.model.take is not None and self.model.take.report is not None
        self.assertEqual(self.model.take.findings, [])
        self.assertIsNotNone(self.model.take.report["settings"]["click"])

    def test_somebody_late_behind_the_click_is_told_so(self) -> None:
        self.set_latency(0.05)
        self.plan(click=ClickKind.ON)
        self.booth.enter()
        session = self.counting()
        sound = play_line(session.line, session.track.spq, "flute", 44100)
        self.microphones[-1].play(sound, session.downbeat_s + 0.05 + 0.2)
        self.verdict()
        assert self.model.take is not None
        self.assertEqual([f["kind"] for f in self.model.take.findings], ["off_click"])

    def test_a_loud_click_is_none_of_the_player_and_the_count_is_forgotten(self) -> None:
        self.arguments["latency_s"] = 0.3
        self.in_one_room, self.speaker.speed, self.arguments["speed"] = True, 4.0, 4.0
        self.set_latency(0.3)
        self.plan(click=ClickKind.ON)
        self.booth.enter()
        session = self.counting()
        self.assertIn("the click is listened to", self.booth.moments.state.text())
        sound = play_line(session.line, session.track.spq, "flute", 44100)
        self.microphones[-1].play(0.3 * sound, session.downbeat_s + session.latency_s)
        self.wait(lambda: bool(list(self.journal_folder.glob("*count*"))), what="for the count-in")
        self.verdict()
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertIn("The click of the loudspeaker", " ".join(take.report["take"]["warnings"]))
        self.assertEqual(take.findings, [])
        self.wait(lambda: not list(self.journal_folder.glob("*count*")), what="for it to go")

    def test_what_the_loudspeaker_plays_is_none_of_the_player(self) -> None:
        self.arguments["latency_s"] = 0.3
        self.in_one_room = True
        self.set_latency(0.3)
        self.plan(help=Help.TOGETHER, click=ClickKind.OFF)
        self.booth.enter()
        session = self.counting()
        self.verdict()
        take = self.model.take
        assert take is not None
        self.assertFalse(take.clean)  # nobody played, whatever sounded
        if take.report is not None:
            self.assertEqual(take.report["settings"]["support"], "with_model")
        self.assertTrue(session.track.sounds_along)

    def test_who_plays_together_with_the_model_is_judged_without_it(self) -> None:
        self.arguments["latency_s"] = 0.3
        self.in_one_room, self.speaker.speed, self.arguments["speed"] = True, 2.0, 2.0
        self.set_latency(0.3)
        self.plan(help=Help.TOGETHER, click=ClickKind.OFF)
        self.take(wrong=(6,))
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertEqual([(f["kind"], f["bar"]) for f in take.findings], [("wrong_note", "3")])
        self.assertIn("was taken out", " ".join(take.report["take"]["warnings"]))
        self.assertIn("together with the model", take.made)

    def test_a_rhythm_struck_on_the_space_key(self) -> None:
        self.speaker.speed, self.arguments["speed"] = 2.0, 2.0
        self.model.set_plan(keys=True, click=ClickKind.OFF, bars="1-2")
        self.booth.enter()
        session = self.counting()
        self.assertTrue(self.booth.moments.rail.isVisible())
        due = [float(n.onset) * session.track.spq for n in session.line.main_notes]
        for at in due:
            self.wait(lambda at=at: session.track_s - session.track.downbeat_s >= at - 0.01, 30)
            self.window.play()
        self.verdict()
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertTrue(take.report["settings"]["rhythm_only"])
        self.assertNotIn("wrong_note", [f["kind"] for f in take.findings])
        self.assertEqual(len(session.strokes), len(due))


class Ladders(BoothCase):
    def test_up_only_when_clean_three_times_and_down_after_two_bad_ones(self) -> None:
        self.model.set_plan(bars="1")
        self.take(wrong=(2,))
        self.model.set_ladder(120.0)
        start = self.model.plan.bpm
        self.assertLess(start, 120.0)
        for _k in range(3):
            self.assertEqual(self.model.plan.bpm, start)
            self.take()
        self.assertGreater(self.model.plan.bpm, start)
        fast = self.model.plan.bpm
        for _k in range(2):
            self.take(wrong=(2,))
        self.assertLess(self.model.plan.bpm, fast)

    def test_the_player_says_first_and_both_are_compared(self) -> None:
        self.model.set_own_first(True)
        self.take(wrong=(2, 6))
        self.assertEqual(self.model.stage, BoothStage.OWN_VIEW)
        self.assertIsNot(self.booth.pages.currentWidget(), self.booth.loupe)
        self.booth._bar_chosen(0)
        self.booth._bar_chosen(1)
        self.booth.own_view.facets["notes"].click()
        self.booth.own_view.good.setText("the long note, by blowing on")
        QTest.keyClick(self.booth, KEY.Key_Return)
        self.assertEqual(self.model.stage, BoothStage.VERDICT)
        told = self.booth.told.text()
        for words in ("Bar 1: both.", "Bar 3: only the check.", "Bar 2: only you (Notes).", "by blowing on"):
            self.assertIn(words, told)
        (entry,) = self.model.journal.entries("own view")
        self.assertAlmostEqual(entry["share"], 0.5)

    def test_an_echo_is_checked_phrase_by_phrase(self) -> None:
        self.plan(click=ClickKind.OFF)
        self.model.echo()
        session = self.counting()
        self.assertTrue(session.track.sounds_along)
        music = self.model.music
        assert music is not None
        turns = self.model.turns._echo
        assert turns is not None
        for k, phrase in enumerate(turns.phrases):
            if k == 2:
                continue  # not answered
            alone = music.line(type(self.model.plan)(bars=phrase.bars))
            sound = play_line(alone, session.track.spq, "flute", 44100, wrong=(1,) if k == 1 else ())
            self.microphones[-1].play(sound, session.began_s + phrase.answer_s)
        self.wait(lambda: self.model.stage == BoothStage.ECHO, 60, "for the answers")
        self.assertEqual([a.clean for a in self.model.turns.answers], [True, False, None, True])
        self.assertIn("2 of 4 phrases came back right. 2:", self.booth.told.text())
        self.assertEqual(self.booth.sheet.paper.marked, {1, 2})

    def test_an_echo_of_the_fingers_is_heard_by_nobody(self) -> None:
        self.plan(bars="1", click=ClickKind.OFF, bpm=200.0)
        self.model.echo("fingers")
        self.wait(lambda: self.model.stage == BoothStage.ECHO, 40, "for its end")
        self.assertEqual(self.booth.told.text(), "Fingered through to the end.")
        self.assertFalse(list(self.journal_folder.glob("*.wav")))

    def test_two_bars_of_takes_are_compared_by_a_click(self) -> None:
        for wrong in ((2,), (), (6,)):
            self.take(wrong=wrong)
        self.booth.strip.strip.beside.emit(1)
        told = self.booth.told.text()
        self.assertIn("Better than take 1: Bar 1: E5 is right now.", told)
        self.assertIn("New beside take 1:", told)
        self.booth.strip.strip.chosen.emit(2)
        self.assertEqual(self.model.log.shown, 2)

    def test_made_up_on_two_notes_only_time_and_notes_count(self) -> None:
        self.model.make_up((72, 74))
        session = self.counting()
        rng = np.random.default_rng(2)
        beat = session.track.spq
        sound = np.zeros(round(16 * beat * 44100) + 44100, np.float32)
        for k in range(16):
            midi = 76 if k == 5 else int(rng.choice((72, 74)))
            t = np.arange(round(0.8 * beat * 44100)) / 44100
            edge = np.minimum(1, np.minimum(t / 0.01, (t[-1] - t) / 0.02))
            tone = 0.3 * edge * np.sin(2 * np.pi * 440 * 2 ** ((midi - 69) / 12) * t)
            at = round(k * beat * 44100)
            sound[at : at + len(tone)] += tone.astype(np.float32)
        self.microphones[-1].play(sound, session.downbeat_s)
        self.wait(lambda: self.model.stage == BoothStage.ECHO, 60, "for what was heard")
        self.assertIn("16 notes, 16 of them in time. Besides the chosen notes: E5.", self.model.turns.made_up)

    def test_the_first_note_is_found_and_is_no_part_of_the_take(self) -> None:
        QTest.keyClick(self.booth, KEY.Key_F)
        self.wait(lambda: self.model.finder.hearing.listening)
        t = np.arange(2 * 44100) / 44100
        microphone = self.microphones[-1]
        for hz, at in ((587.33, 0.2), (523.25, 3.0)):
            microphone.play((0.3 * np.sin(2 * np.pi * hz * t)).astype(np.float32), microphone.now() + at)
        self.wait(lambda: self.model.finder.last is not None)
        assert self.model.finder.last is not None
        self.assertIn("That is D5; it begins on C5.", self.model.finder.last.sentence)
        self.wait(lambda: self.model.stage == BoothStage.READY, what="for the right note")
        self.assertFalse(list(self.journal_folder.glob("*.wav")))

    def test_first_sight_is_looked_over_played_once_and_leads_on(self) -> None:
        other = self.shelf.add(self.shelf.score(self.piece.id))
        self.model.first_sight()
        self.assertEqual(self.model.stage, BoothStage.LOOKING)
        self.take()
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertEqual((take.plan.reading, take.report["settings"]["reading"]), ("sight", "sight"))
        self.assertEqual(self.model.plan.reading, "practised")
        piece, sentence = self.model.next_sight(self.shelf)
        self.assertEqual((piece.id if piece else "", "harder" in sentence), (other.id, True))


class Faults(BoothCase):
    def test_no_microphone_is_a_sentence(self) -> None:
        with mock.patch.object(self.window.devices, "_make", side_effect=OSError("no microphone")):
            self.booth.enter()
        self.assertIn("No microphone can be opened (no microphone).", self.window.last_trouble)
        self.assertEqual(self.model.stage, BoothStage.READY)

    def test_a_device_that_is_pulled_out_leaves_the_take(self) -> None:
        self.arguments["vanishes_s"] = 7.0
        self.play()
        self.verdict()
        take = self.model.take
        assert take is not None and take.path is not None
        self.assertTrue(take.path.exists())
        self.assertEqual(self.window.last_trouble, "The microphone is gone. The take so far is safe.")

    def test_what_the_device_loses_is_said_and_never_judged(self) -> None:
        self.play()
        microphone = self.microphones[-1]
        session = self.counting()
        microphone.drops = ((session.downbeat_s + 1.9, 0.5),)
        self.verdict()
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertEqual(take.findings, [])
        assert session.recorded is not None
        self.assertEqual(len(session.recorded.dropouts), 1)
        self.assertTrue(any("The device lost 0.5 s" in w for w in take.report["take"]["warnings"]))

    def test_a_sleeping_machine_and_a_full_disk_end_the_take_with_a_sentence(self) -> None:
        session = self.play()
        self.wait(lambda: session.seconds > 3.0)
        session.asleep = lambda: session._asleep_s + 60.0
        self.verdict()
        self.assertIn("The computer was asleep", self.window.last_trouble)
        session = self.play()
        self.wait(lambda: session.seconds > 3.0)
        assert session._recorder is not None
        session._recorder.trouble = "The recording could not be written any further: full."
        self.wait(lambda: len(self.model.log.takes) == 2)
        self.assertIn("any further: full. The take so far is safe.", self.window.last_trouble)

    def test_a_take_is_judged_though_who_listens_along_dies(self) -> None:
        session = self.play()
        self.wait(lambda: session.last_note_s is not None, what="for a question")
        for process_id in self.window.jobs._pool.process_ids:
            os.kill(process_id, signal.SIGKILL)
        self.verdict()
        take = self.model.take
        assert take is not None and take.report is not None
        self.assertEqual(take.findings, [])

    def test_nobody_plays(self) -> None:
        self.booth.enter()
        self.counting()
        self.wait(lambda: self.model.stage != BoothStage.TAKING, 40)
        self.assertEqual(len(self.model.log.takes), 1)
        assert self.model.take is not None
        self.assertFalse(self.model.take.clean)

    def test_what_was_recorded_when_it_was_killed_comes_back_at_the_next_start(self) -> None:
        path = self.model.journal.new_take()
        recorder = TakeRecorder(path, 44100)
        recorder.push(np.full(3 * 44100, 0.2, np.float32), 3.0)
        recorder._blocks.put(None)
        recorder._writer.join()
        os.close(recorder._file)
        self.window.recover_takes()
        self.assertIn(
            "The program ended while a take was recorded. 3 seconds of it are safe", self.window.last_trouble
        )
        self.assertTrue(path.exists())


class Leaving(BoothCase):
    def test_a_window_that_is_closed_keeps_the_take(self) -> None:
        session = self.play()
        self.wait(lambda: session.seconds > 3.0)
        self.window.close()
        (kept,) = self.journal_folder.glob("*.wav")
        self.assertGreater(kept.stat().st_size, 3 * 44100)


class Delay(BoothCase):
    def test_a_planted_delay_is_recovered_within_three_milliseconds(self) -> None:
        self.in_one_room, self.speaker.speed, self.arguments["speed"] = True, 1.0, 1.0
        self.arguments["latency_s"] = 0.137
        told: list[str] = []
        self.window.devices.measured.connect(told.append)
        found = None
        for _again in range(3):  # what a busy machine swallowed of the sound is asked for again
            told.clear()
            self.window.devices.measure()
            self.wait(lambda: bool(told), what="for the delay")
            found = self.window.devices.latency(self.microphones[-1])
            if found is not None:
                break
        assert found is not None, told
        self.assertAlmostEqual(found.seconds, 0.137, delta=0.003)

    def test_a_microphone_that_hears_nothing_is_told(self) -> None:
        told: list[str] = []
        self.window.devices.measured.connect(told.append)
        self.window.devices.measure()
        self.wait(lambda: bool(told), what="for the delay")
        self.assertIn("does not hear the loudspeaker", told[0])


if __name__ == "__main__":
    unittest.main()
