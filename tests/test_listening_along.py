"""A worker that listens along while a take is recorded: what it is asked, what it answers, when it gives up."""

from __future__ import annotations

import dataclasses
import threading
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from jeweller.alignment.decoder import decode_path
from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.audio.recorder import PART, SNAPSHOT, Dropout, TakeRecorder
from jeweller.booth.plan import ClickKind, Music, TakePlan
from jeweller.booth.session import WantedCheck, is_whole
from jeweller.booth.verdict import Terms, _asked, ask, check_attempt, give_up, is_too_early, listen_along
from jeweller.errors import Cancelled, TakeError
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.files import parse_json
from jeweller.notation.model import Score
from jeweller.pipeline.ahead import KnownAhead, know_ahead
from jeweller.pipeline.check import Checked, Options, check
from jeweller.simulator.guest import play_line
from tests.support import TempCase, part_of

MUSIC = "C5/1 D5/1 E5/1 F5/1 | G5/2 E5/2 | F5/1 D5/1 E5/1 C5/1 | D5/1 r/1 C5/2"
RATE, BPM, LEAD_S = 44100, 120.0, 0.5


class Listening(TempCase):
    def setUp(self) -> None:
        super().setUp()
        part = part_of(MUSIC, bpm=BPM)
        self.music = Music(title="A test", part=part, score=Score("A test", (part,), ""))
        self.plan = TakePlan(bpm=BPM, click=ClickKind.OFF)
        self.score = str(self.music.write(self.plan, self.folder))
        self.asking = self.folder / "take.ask"
        self.recorder = TakeRecorder(self.folder / "take.wav", RATE)
        self.addCleanup(lambda: self.recorder.part.exists() and self.recorder.discard())
        self.told: list[tuple[float, str]] = []
        self.answer: list[Any] = []
        rng = np.random.default_rng(1)
        self.sound = np.concatenate(
            [
                np.zeros(round(LEAD_S * RATE), np.float32),
                play_line(self.music.line(self.plan), 60.0 / BPM, "flute", RATE),
                np.zeros(RATE, np.float32),
            ]
        )
        self.sound += rng.normal(0, 1e-4, len(self.sound)).astype(np.float32)
        self.at = 0

    def record(self, seconds: float) -> None:
        """What was played goes on for so long, and is in the file."""
        block = self.sound[self.at : self.at + round(seconds * RATE)]
        self.at += len(block)
        self.recorder.push(block, self.at / RATE)
        header = 100
        while self.recorder.part.stat().st_size < 2 * self.at - header:
            threading.Event().wait(0.005)

    def wanted(self, number: int) -> WantedCheck:
        path = self.folder / f"take-{number}{SNAPSHOT}"
        return WantedCheck(self.recorder.part, path, LEAD_S, 0.0)

    def test_what_is_asked_for_while_another_question_is_read_is_not_lost(self) -> None:
        ask(self.asking, self.wanted(1), ())

        def and_again(text: str) -> object:
            ask(self.asking, self.wanted(2), ())
            return parse_json(text)

        with mock.patch("jeweller.booth.verdict.parse_json", and_again):
            first = _asked(self.asking)
        second = _asked(self.asking)
        assert first is not None and second is not None
        self.assertEqual((self.wanted(1), self.wanted(2)), (first[0], second[0]))

    def listen(self, **terms: Any) -> threading.Thread:
        def run() -> None:
            try:
                self.answer.append(
                    listen_along(
                        self.score,
                        self.recorder.part,
                        self.asking,
                        Terms(plan=self.plan, **terms),
                        lambda share, what: self.told.append((share, what)),
                    )
                )
            except TakeError as error:
                self.answer.append(error)

        thread = threading.Thread(target=run)
        thread.start()
        self.addCleanup(thread.join, 20.0)
        return thread

    def not_over(self) -> list[str]:
        return [what for share, what in self.told if share < 0.0]

    def test_it_says_that_it_is_not_over_and_then_what_was_played(self) -> None:
        self.record(4.0)
        thread = self.listen()
        ask(self.asking, self.wanted(1), ())
        while not self.not_over():
            threading.Event().wait(0.01)
        self.assertEqual(self.not_over(), [f"take-1{SNAPSHOT}"])
        self.assertFalse(self.wanted(1).path.exists())  # a copy that is of no use goes
        self.record(60.0)
        ask(self.asking, self.wanted(2), ())
        thread.join(20.0)
        checked, name = self.answer[0]
        self.assertIsInstance(checked, Checked)
        self.assertEqual(name, f"take-2{SNAPSHOT}")
        self.assertEqual(checked.report["take"]["file"], "take.wav")  # as it will be called
        self.assertEqual(checked.report["findings"], [])
        self.assertTrue(self.wanted(2).path.exists())  # it becomes the take

    def test_it_goes_when_the_take_is_given_up(self) -> None:
        self.record(1.0)
        thread = self.listen()
        give_up(self.asking)
        thread.join(10.0)
        self.assertEqual(self.answer, [None])

    def test_a_newer_question_ends_the_check_of_an_older_one(self) -> None:
        self.record(60.0)
        asked = [0]

        def newer() -> bool:
            asked[0] += 1
            return asked[0] > 2

        with self.assertRaises(Cancelled):
            check_attempt(self.score, Terms(plan=self.plan), self.wanted(1), (), None, cancelled=newer)

    def test_a_take_that_is_finished_is_told_whole_or_not(self) -> None:
        self.record(4.0)
        finished = self.recorder.finish().path
        thread = self.listen()
        ask(self.asking, WantedCheck(finished, finished, LEAD_S, 0.0), ())
        thread.join(20.0)
        checked, name = self.answer[0]
        self.assertEqual(name, "take.wav")
        self.assertEqual(checked.report["heard"]["whole"], False)
        self.assertEqual(self.not_over(), [])

    def test_what_cannot_be_checked_is_a_sentence(self) -> None:
        self.recorder.push(np.zeros(3 * RATE, np.float32), 3.0)
        finished = self.recorder.finish().path
        thread = self.listen()
        ask(self.asking, WantedCheck(finished, finished, LEAD_S, 0.0), ())
        thread.join(20.0)
        self.assertRegex(str(self.answer[0]), "is silent")

    def test_where_sound_was_lost_nothing_is_judged(self) -> None:
        plan, wanted = self.plan, self.wanted(1)
        begin = round((LEAD_S + 2.0) * RATE)
        self.sound[begin : begin + RATE] = 0.0  # the second bar
        self.record(60.0)
        judged = check_attempt(self.score, Terms(plan=plan), wanted, ())
        spared = check_attempt(
            self.score, Terms(plan=plan), self.wanted(2), [Dropout(at_s=LEAD_S + 2.0, seconds=0.0)]
        )
        self.assertTrue(judged.report["findings"])
        self.assertTrue(any("lost" in w for w in spared.report["take"]["warnings"]))

    def test_the_click_is_judged_only_where_the_delay_is_known(self) -> None:
        plan = TakePlan(bpm=BPM, click=ClickKind.ON)
        wanted = self.wanted(1)
        self.assertIsNone(Terms(plan=plan).options(wanted).click)
        timed = Terms(plan=plan, timed=True).options(wanted)
        self.assertEqual(timed.click, f"120@{LEAD_S:.4f}")
        self.assertIsNone(timed.backing_from_s)
        helped = Terms(plan=plan, timed=True, track=Path("track.wav")).options(wanted)
        self.assertEqual((helped.backing, helped.backing_from_s), ("track.wav", 0.0))
        lost = Terms(plan=plan).options(wanted, [Dropout(at_s=1.0, seconds=0.5)])
        self.assertEqual(lost.lost, ((1.0, 0.5),))

    def test_the_part_is_the_one_that_grows(self) -> None:
        self.assertEqual(self.recorder.part.name, f"take{PART}")

    def test_what_is_not_written_yet_is_waited_for(self) -> None:
        sound = self.sound
        self.record(len(sound) / RATE - 3.0)  # the last notes are on their way to the disk
        wanted = dataclasses.replace(self.wanted(1), size=44 + 2 * len(sound))
        later = threading.Timer(0.4, self.recorder.push, (sound[self.at :], len(sound) / RATE))
        later.start()
        self.addCleanup(later.join)
        checked = check_attempt(self.score, Terms(plan=self.plan), wanted, ())
        self.assertEqual([n["verdict"] for n in checked.report["notes"] if n["verdict"] != "ok"], [])
        self.assertEqual(checked.report["findings"], [])

    def test_what_came_after_it_was_asked_is_none_of_it(self) -> None:
        last = self.music.line(self.plan).main_notes[-1]
        begins = LEAD_S + float(last.onset) * 60.0 / BPM
        self.record(begins - 0.05)  # it may be over: the last note is about to begin
        asked = 44 + 2 * self.at
        self.record(0.4)  # and has begun when the check is
        wanted = dataclasses.replace(self.wanted(1), size=asked)
        checked = check_attempt(self.score, Terms(plan=self.plan), wanted, ())
        self.assertFalse(is_whole(checked.report))
        late = check_attempt(self.score, Terms(plan=self.plan), self.wanted(2), ())
        self.assertTrue(is_whole(late.report))  # which would have ended the take


class Ahead(TempCase):
    """What was known while it was recorded saves work, and changes nothing."""

    def setUp(self) -> None:
        super().setUp()
        text = " | ".join(["C5/1 D5/1 E5/1 F5/1", "G5/2 E5/2", "F5/1 D5/.5 E5/.5 C5/1 A4/1"] * 4)
        part = part_of(text, bpm=BPM)
        self.music = Music(title="A test", part=part, score=Score("A test", (part,), ""))
        self.plan = TakePlan(bpm=BPM, click=ClickKind.OFF)
        self.score = self.music.write(self.plan, self.folder)
        self.line = self.music.line(self.plan)
        self.take = self.folder / "take.wav"

    def known(self, sound: Any, until_s: float) -> KnownAhead:
        """The take is written, and known to so many seconds."""
        noise = np.random.default_rng(1).normal(0, 1e-4, len(sound) + RATE)
        noise[: len(sound)] += sound
        write_sound(self.take, noise.astype(np.float32), RATE)
        samples = decode(self.take, HEAR.rate).samples
        ahead: KnownAhead | None = None
        for end in np.arange(6.0, until_s + 0.01, 6.0):
            ahead = know_ahead(samples[: round(end * HEAR.rate)], self.line, ahead)
        assert ahead is not None and ahead.way is not None
        return ahead

    def test_spectra_of_another_beginning_are_not_kept(self) -> None:
        noise = np.random.default_rng(2).normal(0, 0.1, 9 * HEAR.rate).astype(np.float32)
        before = know_ahead(noise[: 6 * HEAR.rate], self.line, None)
        other = noise.copy()
        other[: HEAR.rate] *= 0.5  # clicks were taken out otherwise
        for sound in (noise, other):
            now, fresh = (know_ahead(sound, self.line, known) for known in (before, None))
            assert now is not None and fresh is not None
            self.assertTrue(np.array_equal(now.spectra.rows(0, 256), fresh.spectra.rows(0, 256)))

    def searches(self, ahead: KnownAhead | None, **options: Any) -> tuple[Any, int]:
        """(the report, how many steps of the way no search looked for again)."""
        known: list[int] = []

        def decoded(*given: Any, **named: Any) -> Any:
            known.append(len(named["known"]))
            return decode_path(*given, **named)

        with mock.patch("jeweller.alignment.align.decode_path", decoded):
            report = check(self.score, self.take, Options(**options), ahead=ahead).report
        return report, min(known)

    def same(self, ahead: KnownAhead) -> Any:
        """The report, which is that of the finished recording, most of the way through it known before."""
        report, known = self.searches(ahead)
        self.assertGreater(known, 10)
        afterwards, known = self.searches(None)
        self.assertEqual(known, 0)
        self.assertEqual(report["notes"], afterwards["notes"])
        self.assertEqual(report["findings"], afterwards["findings"])
        return report

    def test_the_same_report_with_less_to_search(self) -> None:
        sound = play_line(self.line, 60.0 / BPM, "flute", RATE, wrong=(7, 30))
        report = self.same(
            self.known(np.concatenate([sound[: 9 * RATE], sound[8 * RATE + RATE // 3 :]]), 30.0)
        )
        self.assertTrue(report["findings"])

    def test_whoever_begins_again_after_what_is_known_is_followed(self) -> None:
        sound = play_line(self.line, 60.0 / BPM, "flute", RATE)
        again = np.concatenate([sound[: 20 * RATE], np.zeros(RATE // 2, np.float32), sound])
        report = self.same(self.known(again, 36.0))
        self.assertEqual(report["notes"][-1]["verdict"], "ok")

    def test_a_way_is_of_no_use_where_silence_was_put_in(self) -> None:
        ahead = self.known(play_line(self.line, 60.0 / BPM, "flute", RATE), 30.0)
        whole = decode(self.take, RATE).samples
        gap = np.zeros(RATE // 2, np.float32)
        write_sound(self.take, np.concatenate([whole[: 3 * RATE], gap, whole[3 * RATE :]]), RATE)
        self.assertEqual(self.searches(ahead)[1], 0)

    def test_a_way_through_another_part_is_of_no_use(self) -> None:
        sound = play_line(self.line, 60.0 / BPM, "flute", RATE)
        write_sound(self.take, sound, RATE)
        shorter = self.music.line(TakePlan(bpm=BPM, bars="1-2"))
        ahead = know_ahead(decode(self.take, HEAR.rate).samples[: 5 * HEAR.rate], shorter, None)
        report, known = self.searches(ahead)
        self.assertEqual(known, 0)
        self.assertEqual(report["findings"], [])

    def test_what_cannot_be_over_yet_is_not_checked(self) -> None:
        sound = play_line(self.line, 60.0 / BPM, "flute", RATE)
        ahead = self.known(sound[: 10 * RATE], 10.0)
        # eighteen seconds of music stood before the player at the sixth second
        self.assertTrue(is_too_early(ahead, self.line, 12.0))
        self.assertFalse(is_too_early(ahead, self.line, 16.0))
        self.assertFalse(is_too_early(None, self.line, 1.0))

    def test_a_way_that_seems_to_go_back_at_its_end_may_be_over(self) -> None:
        known = self.known(play_line(self.line, 60.0 / BPM, "flute", RATE), 29.5)
        assert known.way is not None
        steps = known.way.path.steps
        back = dataclasses.replace(steps[-1], item=2)  # its last note sounds like that of an earlier bar
        path = dataclasses.replace(known.way.path, steps=(*steps[:-1], back))
        ahead = dataclasses.replace(known, way=dataclasses.replace(known.way, path=path))
        now_s = float(known.way.at_s[-1])
        self.assertFalse(is_too_early(ahead, self.line, now_s + 1.0))
        again = dataclasses.replace(path, steps=tuple(dataclasses.replace(s, item=2) for s in steps[-30:]))
        once_more = dataclasses.replace(known, way=dataclasses.replace(known.way, path=again))
        self.assertTrue(is_too_early(once_more, self.line, now_s + 1.0))

    def test_it_gives_way_when_the_verdict_is_asked_for(self) -> None:
        samples = play_line(self.line, 60.0 / BPM, "flute", HEAR.rate)
        before = know_ahead(samples[: 8 * HEAR.rate], self.line, None)
        asked: list[bool] = []

        def soon() -> bool:  # not while it listens, but before the way is found
            asked.append(True)
            return len(asked) > 3

        given_way = know_ahead(samples, self.line, before, cancelled=soon)
        assert before is not None and given_way is not None
        self.assertLess(len(asked), 6)
        self.assertGreater(len(given_way.heard.samples), len(before.heard.samples))  # what was heard is kept
        self.assertIs(given_way.way, before.way)

    def test_a_check_gives_way_while_it_judges_too(self) -> None:
        write_sound(self.take, play_line(self.line, 60.0 / BPM, "flute", RATE), RATE)
        told: list[str] = []

        def asked() -> bool:
            return told[-1:] == ["judging"]

        with self.assertRaises(Cancelled):
            check(self.score, self.take, cancelled=asked, progress=lambda share, what: told.append(what))


if __name__ == "__main__":
    unittest.main()
