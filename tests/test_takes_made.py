"""Making takes, without a window: plans, tracks, when a take may be over, ladders, what is kept of a player."""

from __future__ import annotations

import dataclasses
import tempfile
import unittest
from pathlib import Path
from typing import Any, cast

import numpy as np

from jeweller.audio.clicks import TrackClick, remove_clicks
from jeweller.audio.latency import find_latency, probe, tapped_latency
from jeweller.booth.attempts import BoothTake
from jeweller.booth.first_sight import step_after
from jeweller.booth.ladder import (
    SpeedLadder,
    first_speed,
    joined,
    layers_for,
    next_rung,
    wider,
    worst_bar,
)
from jeweller.booth.own_view import OwnMark, OwnView, agree
from jeweller.booth.plan import ClickKind, CountKind, Help, Music, TakePlan, cut_bars
from jeweller.booth.settings import STOP
from jeweller.booth.stopping import LevelMeter, Loudness, Moment, StopWatch
from jeweller.booth.track import Track, prepare, render_track
from jeweller.errors import ScoreError
from jeweller.library.journal import PlayerJournal, forget_player
from jeweller.notation.model import Score
from jeweller.report_format import TakeReport
from tests.support import TempCase, checked_take, part_of

FOUR = "C5/1 D5/1 E5/1 F5/1 | G5/2 E5/2 | F5/1 r/2 C5/1 | D5/1 r/1 C5/2"


def music(text: str = FOUR, **options: Any) -> Music:
    part = part_of(text, **options)
    return Music(title="A test", part=part, score=Score("A test", (part,), ""))


def take(number: int, bpm: float = 90.0, *, clean: bool = True, stopped: bool = False) -> BoothTake:
    """A take with the findings of the one that is checked in the tests, or with none."""
    report = cast(TakeReport, dict(checked_take().report))
    if clean or stopped:
        report["findings"] = []
    if stopped:
        report["notes"] = [
            cast(Any, {**n, "verdict": "not_heard"}) if k > 6 else n for k, n in enumerate(report["notes"])
        ]
        report["heard"] = {**report["heard"], "bars": "1-3", "whole": False}
    return BoothTake(number=number, plan=TakePlan(bpm=bpm), report=report)


class Tracks(unittest.TestCase):
    def beats(self, click: ClickKind, text: str = FOUR, **options: Any) -> tuple[Track, list[float]]:
        track = render_track(music(text, **options), TakePlan(bpm=60.0, click=click))
        return track, [round(c - track.downbeat_s, 2) for c in track.clicks_s]

    def test_where_clicks_sound(self) -> None:
        self.assertEqual(len(self.beats(ClickKind.ON)[1]), 16)
        self.assertEqual(self.beats(ClickKind.OFF)[1], [])
        self.assertEqual(self.beats(ClickKind.FIRST)[1], [0.0, 4.0, 8.0, 12.0])
        self.assertEqual(self.beats(ClickKind.START)[1], [float(k) for k in range(8)])
        track, fading = self.beats(ClickKind.FADING)
        self.assertLess(len(fading), 12)
        loud = [
            float(np.abs(track.samples[round(c * track.rate) :][: track.rate // 20]).max())
            for c in track.clicks_s
        ]
        self.assertLess(loud[-1], loud[2] / 2)
        self.assertLess(max(loud), 0.2)  # low, for the ears

    def test_what_is_taken_out_of_a_take_before_it_is_heard(self) -> None:
        def made(**chosen: Any) -> tuple[bool, bool]:
            with tempfile.TemporaryDirectory() as folder:
                prepared = prepare(music(), TakePlan(**chosen), Path(folder))
                return prepared.track.sounds_along, prepared.track.click_track(Path("count.wav")) is not None

        self.assertEqual(made(click=ClickKind.ON), (False, True))
        self.assertEqual(made(click=ClickKind.OFF), (False, False))
        self.assertEqual(made(click=ClickKind.OFF, help=Help.TOGETHER), (True, False))

    def test_the_count_in(self) -> None:
        track = render_track(music(), TakePlan(bpm=60.0, count_bars=2))
        self.assertEqual([c.said for c in track.cues], ["1", "2", "3", "4"] * 2)
        self.assertEqual([c.breath for c in track.cues], [False] * 7 + [True])
        self.assertAlmostEqual(track.downbeat_s - track.cues[-1].at_s, 1.0)
        words = render_track(music(), TakePlan(count=CountKind.WORDS, words="now breathe in"))
        self.assertEqual([c.said for c in words.cues], ["", "now", "breathe", "in"])

    def test_before_a_pickup_it_counts_on_to_where_it_begins(self) -> None:
        track, clicks = self.beats(ClickKind.ON, "C5/1 | D5/1 E5/1 F5/1 G5/1 | C5/3")
        self.assertEqual([c.said for c in track.cues], ["1", "2", "3", "4", "1", "2", "3"])
        self.assertEqual([b.number for b in track.beats][:5], [4, 1, 2, 3, 4])
        self.assertEqual(clicks[0], 0.0)

    def test_bars_are_cut_out_without_ties_that_lead_nowhere(self) -> None:
        part = part_of("C5/2 D5/2_ | D5/2 E5/2_ | E5/4")
        alone = cut_bars(part, "2")
        (bar,) = alone.bars
        self.assertEqual([(n.tie_start, n.tie_stop) for n in bar.notes], [(False, False)] * 2)
        tied = part_of("C5/4_ | C5/1 D5/1_ D5/1 E5/1_ | E5/4")
        inside = cut_bars(tied, "2").bars[0].notes
        self.assertEqual([n.tie_start for n in inside], [False, True, False, False])
        self.assertEqual([n.tie_stop for n in inside], [False, False, True, False])
        with self.assertRaisesRegex(ScoreError, "There are no bars 3-9 in this part"):
            cut_bars(part, "3-9")


class Stopping(unittest.TestCase):
    def watch(self, text: str = FOUR, click: ClickKind = ClickKind.OFF, **options: Any) -> StopWatch:
        plan = TakePlan(bpm=60.0, click=click)
        m = music(text)
        return StopWatch(m.line(plan), render_track(m, plan), 10.0, 0.0, **options)

    def feed(
        self, watch: StopWatch, spans: list[tuple[float, float]], until: float
    ) -> list[tuple[float, Moment]]:
        """What it says, where it changes; it is loud in `spans` (seconds)."""
        said: list[tuple[float, Moment]] = []
        for k in range(round(until / 0.02)):
            at = 0.02 * k
            watch.push(-20.0 if any(a <= at < b for a, b in spans) else -75.0, at)
            moment = watch.look(at)
            if moment != Moment.GOES_ON:
                said.append((round(at, 2), moment))
                if moment in (Moment.STOPPED, Moment.NOBODY):
                    break
        return said

    def test_it_may_be_over_when_the_last_note_may_have_been(self) -> None:
        said = self.feed(self.watch(), [(10.0, 26.0)], 27.0)
        self.assertEqual(len(said), 1)
        self.assertAlmostEqual(said[0][0], 26.0 + STOP.ends_s, delta=0.05)
        self.assertEqual(said[0][1], Moment.MAY_BE_OVER)

    def test_a_rest_before_the_end_asks_and_what_follows_asks_again(self) -> None:
        said = self.feed(self.watch(), [(10.0, 23.0), (24.0, 26.0)], 27.0)
        self.assertEqual([m for _at, m in said], [Moment.MAY_BE_OVER] * 2)

    def test_clicks_in_a_last_note_do_not_end_it(self) -> None:
        watch = self.watch("C5/4 | D5/4 | E5/4 | C5/4", ClickKind.ON)
        watch.downbeat_s = 10.0
        said = self.feed(watch, [(10.0, 26.0)], 27.0)
        self.assertEqual([m for _at, m in said], [Moment.MAY_BE_OVER])
        self.assertGreater(said[0][0], 26.0)

    def test_an_early_rest_is_no_end_and_whoever_stops_is_waited_for(self) -> None:
        said = self.feed(self.watch(), [(10.0, 14.0)], 40.0)
        self.assertEqual([m for _at, m in said], [Moment.STOPPED])
        self.assertAlmostEqual(said[0][0], 14.0 + 2 * STOP.rests_slack + STOP.stopped_s, delta=0.1)

    def test_nobody(self) -> None:
        self.assertEqual([m for _at, m in self.feed(self.watch(), [], 40.0)], [Moment.NOBODY])

    def test_silent_layers_end_by_their_time(self) -> None:
        said = self.feed(self.watch(by_time=True), [], 40.0)
        self.assertAlmostEqual(said[0][0], 26.0 + STOP.settle_s, delta=0.05)

    def test_the_level_in_words(self) -> None:
        for size, said in (
            (0.0, Loudness.SILENT),
            (0.01, Loudness.QUIET),
            (0.3, Loudness.FINE),
            (1.0, Loudness.CLIPPED),
        ):
            meter = LevelMeter()
            meter.push(np.full(882, size, np.float32))
            self.assertEqual(meter.said, said)


class Ladders(unittest.TestCase):
    def test_clean_runs_and_bad_ones(self) -> None:
        ladder = SpeedLadder(goal_bpm=100.0)
        clean = [take(k, 90.0) for k in range(3)]
        self.assertEqual(next_rung(ladder, clean[:2]).bpm, 90.0)
        self.assertEqual(next_rung(ladder, clean).bpm, 95.0)
        self.assertTrue(next_rung(ladder, [take(k, 100.0) for k in range(3)]).reached)
        bad = [take(k, 90.0, clean=False) for k in range(2)]
        self.assertEqual(next_rung(ladder, [*clean, *bad]).bpm, 81.0)
        self.assertEqual(next_rung(ladder, [*clean[:2], bad[0], clean[2]]).bpm, 90.0)

    def test_a_take_that_stops_half_way_is_not_clean(self) -> None:
        stopped = take(1, 90.0, stopped=True)
        self.assertEqual((stopped.clean, stopped.stopped_at), (False, "3"))
        rung = next_rung(SpeedLadder(goal_bpm=90.0), [stopped])
        self.assertEqual(rung.sentence, "Stopped at bar 3: the same speed, through to the end.")
        self.assertEqual(step_after(stopped), -1)

    def test_where_the_errors_vanish(self) -> None:
        bad = take(1, 90.0, clean=False)
        self.assertLess(first_speed([bad], 90.0), 90.0)
        self.assertEqual(first_speed([take(2, 80.0), take(3, 70.0, clean=False)], 90.0), 80.0)
        self.assertEqual(first_speed([take(1, 70.0)], 90.0), 90.0)

    def test_places_from_a_bar_to_the_whole(self) -> None:
        m = music(" | ".join(["C5/4"] * 10))
        self.assertEqual(joined(m, "3"), "3-4")
        self.assertEqual(joined(m, "10"), "9-10")
        way, bars = [], "3"
        while bars:
            bars = wider(m, bars)
            way.append(bars)
        self.assertEqual(way, ["3-4", "1-4", ""])
        bad = take(1, clean=False)
        self.assertIn(
            worst_bar(bad), [f["bar"] for f in bad.findings] + [p for f in bad.findings for p in f["places"]]
        )
        self.assertEqual(layers_for(bad)[-1], "play")
        self.assertEqual(layers_for(take(2)), ())

    def test_the_player_and_the_check(self) -> None:
        report = take(1, clean=False).report
        assert report is not None
        found = {bar for f in take(1, clean=False).findings for bar in f["places"] or [f["bar"]]}
        all_of_them = agree(OwnView(tuple(OwnMark(b) for b in found)), report)
        self.assertEqual(all_of_them.share, 1.0)
        nothing = agree(OwnView(()), report)
        self.assertEqual((nothing.share, set(nothing.check_only)), (0.0, found))


class Latencies(unittest.TestCase):
    def test_delays_in_a_noisy_room_and_none_where_nothing_is_heard(self) -> None:
        rng = np.random.default_rng(5)
        for planted in (0.02, 0.11, 0.3):
            late = np.pad(0.2 * probe(44100), (round(planted * 44100), 44100))
            heard = late + 0.3 * np.roll(late, 1200) + rng.normal(0, 0.02, len(late))
            found = find_latency(heard.astype(np.float32), 44100)
            assert found is not None
            self.assertAlmostEqual(found.seconds, planted, delta=0.001)
        self.assertIsNone(find_latency(rng.normal(0, 0.1, 5 * 44100).astype(np.float32), 44100))

    def test_taps_say_it_less_surely(self) -> None:
        rng = np.random.default_rng(6)
        clicks = [0.6 * k for k in range(16)]
        taps = [c + 0.14 + float(rng.normal(0, 0.02)) for c in clicks[2:]]
        found = tapped_latency(clicks, taps)
        assert found is not None
        self.assertAlmostEqual(found.seconds, 0.14, delta=0.02)
        self.assertGreater(found.error_s, 0.002)
        self.assertIsNone(tapped_latency(clicks, taps[:4]))


class Journals(TempCase):
    def test_what_is_kept_of_a_player_goes_with_the_player(self) -> None:
        journal = PlayerJournal(self.folder, 7)
        journal.add("tone", {"seconds": 4.5})
        with journal.path.open("a") as file:
            file.write('{"kind": "tone", "cut off')
        self.assertEqual([e["seconds"] for e in journal.entries("tone")], [4.5])
        self.assertEqual(journal.folder.stat().st_mode & 0o777, 0o700)
        self.assertEqual(journal.path.stat().st_mode & 0o777, 0o600)
        journal.new_take().write_bytes(b"x")
        self.assertEqual(len({journal.new_take() for _k in range(2)}), 1)
        forget_player(self.folder, 7)
        self.assertFalse(journal.folder.exists())

    def test_a_plan_is_kept_as_words(self) -> None:
        self.assertEqual(dataclasses.asdict(TakePlan(click=ClickKind.FIRST))["click"], "first")


class Clicked(unittest.TestCase):
    """Clicks of a loudspeaker in a room, behind somebody who plays."""

    RATE = 22050

    def room(self, ppm: float, *, loud: float = 1.0, seconds: float = 40.0) -> tuple[Any, Any, Any, Any]:
        rng = np.random.default_rng(3)
        times = [0.5 * k + 0.2 for k in range(int(2 * seconds))]
        every = [TrackClick(t, 1200.0 if k % 4 else 1600.0) for k, t in enumerate(times)]
        size = round((seconds + 1) * self.RATE)
        clicks = np.zeros(size)
        t = np.arange(round(0.2 * self.RATE)) / self.RATE
        for c in every:
            at = (c.at_s * (1 + ppm * 1e-6) + 0.0711) * self.RATE
            first = int(np.ceil(at))
            late = t + (first - at) / self.RATE
            wave = np.sin(2 * np.pi * c.hz * late) * np.exp(-late / 0.02)
            clicks[first : first + len(t)] += loud * wave
        player = 1e-3 * rng.normal(size=size)
        for k, begin in enumerate(range(round(2.3 * self.RATE), size - self.RATE, self.RATE // 2)):
            n = np.arange(self.RATE // 2) / self.RATE
            player[begin : begin + len(n)] += 0.5 * np.sin(2 * np.pi * 440 * 2 ** (k % 12 / 12) * n)
        return clicks, player, every[:4], every[4:]

    def left_db(self, ppm: float) -> float:
        clicks, player, count, later = self.room(ppm)
        cut = round(1.6 * self.RATE)
        heard = (clicks + player).astype(np.float32)
        left, there = remove_clicks(heard[cut:], heard[:cut], self.RATE, count, later)
        self.assertTrue(there)
        return float(10 * np.log10(np.sum((left - player[cut:]) ** 2) / np.sum(clicks[cut:] ** 2)))

    def test_they_go_and_the_player_stays(self) -> None:
        self.assertLess(self.left_db(0.0), -17.0)

    def test_also_where_the_clocks_of_two_devices_drift_apart(self) -> None:
        for ppm in (-60.0, 60.0):
            self.assertLess(self.left_db(ppm), -15.0)

    def test_clicks_that_are_all_alike_are_found_at_their_first(self) -> None:
        every = [TrackClick(0.5 * k, 1200.0) for k in range(16)]
        t = np.arange(1764) / self.RATE
        heard = np.zeros(9 * self.RATE, np.float32)
        for c in every:
            first = round((c.at_s + 0.2) * self.RATE)
            heard[first : first + len(t)] += np.sin(2 * np.pi * 1200 * t) * np.exp(-t / 0.02)
        cut = 2 * self.RATE
        left, there = remove_clicks(heard[cut:], heard[:cut], self.RATE, every[:4], every[4:])
        self.assertTrue(there)
        self.assertLess((left**2).sum(), 0.05 * (heard[cut:] ** 2).sum())

    def test_what_is_known_of_the_beginning_stays_true(self) -> None:
        clicks, player, count, later = self.room(40.0)
        heard, cut, half = (clicks + player).astype(np.float32), round(1.6 * self.RATE), 20 * self.RATE
        whole, _there = remove_clicks(heard[cut:], heard[:cut], self.RATE, count, later)
        begun, _there = remove_clicks(heard[cut : cut + half], heard[:cut], self.RATE, count, later)
        sure = half - self.RATE // 2
        self.assertTrue(np.array_equal(whole[:sure], begun[:sure]))

    def test_where_no_click_is_heard_nothing_is_touched(self) -> None:
        _clicks, player, count, later = self.room(0.0)
        heard, cut = player.astype(np.float32), round(1.6 * self.RATE)
        left, there = remove_clicks(heard[cut:], heard[:cut], self.RATE, count, later)
        self.assertFalse(there)
        self.assertIs(left.base if left.base is not None else left, heard)


if __name__ == "__main__":
    unittest.main()
