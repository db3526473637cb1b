"""Recording: the simulated microphone, a take straight to disk, what a device loses, and ends that come suddenly."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from bench.booth import RECORDING

from jeweller.audio.decode import decode
from jeweller.audio.microphone import DeviceMicrophone, SimulatedMicrophone
from jeweller.audio.recorder import PART, TakeRecorder, recover

RATE = 44100
TONE = (0.5 * np.sin(2 * np.pi * 440.0 * np.arange(3 * RATE) / RATE)).astype(np.float32)


class Recording(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "take.wav"

    def record(
        self, microphone: SimulatedMicrophone, seconds: float = 60.0
    ) -> tuple[TakeRecorder, list[str]]:
        take, ends = TakeRecorder(self.path, microphone.rate), []
        microphone.start(take.push, ends.append)
        microphone.run(seconds)
        return take, ends

    def test_what_was_played_is_in_the_file_and_its_end_is_told(self) -> None:
        take, ends = self.record(SimulatedMicrophone(TONE, real_time=False, latency_s=0.25))
        self.assertEqual((ends, self.path.exists()), ([""], False))
        done = take.finish()
        self.assertEqual((done.path, done.dropouts, done.trouble), (self.path, (), ""))
        self.assertEqual(self.path.stat().st_mode & 0o777, 0o600)
        heard = decode(self.path, RATE)
        self.assertAlmostEqual(heard.duration, 3.25, delta=0.03)
        self.assertLess(float(np.abs(heard.samples[: int(0.2 * heard.rate)]).max()), 1e-3)

    def test_one_channel_of_an_input_that_has_several(self) -> None:
        two = np.stack([np.zeros_like(TONE), TONE], axis=1)
        for channel, loudest in ((0, 0.5), (1, 0.0), (2, 1.0)):
            microphone = SimulatedMicrophone(two, real_time=False)
            microphone.channel = channel
            take, _ends = self.record(microphone)
            heard = decode(take.finish().path, RATE).samples
            self.assertAlmostEqual(float(np.abs(heard).max() / np.abs(TONE).max()), loudest, delta=0.02)

    def test_a_device_is_opened_with_its_channels_only_where_one_is_chosen(self) -> None:
        found = {"name": "Two inputs", "id": 1, "formats": [{"channels": 2}, {"channels": 1}]}
        frames = np.array([[0.25, 0.5], [0.0, 1.0]], np.float32)
        for channel, opened, sent, pushed in (
            (0, 1, frames[:, :1], [0.25, 0.0]),
            (2, 2, frames, [0.5, 1.0]),
        ):
            with (
                mock.patch("miniaudio.Devices") as devices,
                mock.patch("miniaudio.CaptureDevice") as device,
            ):
                devices.return_value.get_captures.return_value = [found]
                microphone, blocks = DeviceMicrophone(), list[np.ndarray]()
                microphone.channel = channel
                microphone.start(lambda block, _at, into=blocks: into.append(block), lambda _why: None)
                self.assertEqual((microphone.channels, device.call_args.kwargs["nchannels"]), (2, opened))
                device.return_value.start.call_args.args[0].send(sent.tobytes())
            self.assertEqual([b.tolist() for b in blocks], [pushed])

    def test_drop_outs_are_found_where_they_are(self) -> None:
        drops = ((0.8, 0.2), (2.0, 0.1))
        take, _ends = self.record(SimulatedMicrophone(TONE, real_time=False, drops=drops))
        done = take.finish()
        self.assertEqual(len(done.dropouts), 2)
        for (at, lost), gap in zip(drops, done.dropouts, strict=True):
            self.assertAlmostEqual(gap.at_s, at, delta=0.03)
            self.assertAlmostEqual(gap.seconds, lost, delta=0.03)
        self.assertAlmostEqual(done.seconds, 3.0, delta=0.05)  # silence stands where sound was lost
        heard = decode(done.path, RATE).samples
        self.assertLess(float(np.abs(heard[round(0.86 * RATE) : round(0.94 * RATE)]).max()), 1e-3)

    def test_clocks_that_drift_apart_lose_nothing(self) -> None:
        take = TakeRecorder(self.path, RATE)
        for k in range(2000):
            take.push(np.zeros(882, np.float32), 0.0201 * (k + 1))
        self.assertEqual(take.finish().dropouts, ())

    def test_a_device_at_another_rate_than_it_says_is_told(self) -> None:
        long = np.tile(TONE, 4)
        wrong = SimulatedMicrophone(long, real_time=False, says_rate=48000)
        take, _ends = self.record(wrong)
        self.assertIn("delivers 44100 samples a second and says 48000", take.finish().trouble)
        drops = ((2.0, 0.6), (5.0, 0.6))
        self.path.unlink()
        take, _ends = self.record(SimulatedMicrophone(long, real_time=False, drops=drops))
        self.assertEqual(take.finish().trouble, "")

    def test_one_block_that_comes_late_is_no_drop_out(self) -> None:
        take = TakeRecorder(self.path, RATE)
        block = np.zeros(882, np.float32)
        for k in range(100):
            take.push(block, 0.02 * (k + 1) + (0.15 if k % 9 == 4 else 0.0) + 1e-5 * k)
        self.assertEqual(take.finish().dropouts, ())

    def test_a_device_that_is_pulled_out_leaves_the_take(self) -> None:
        take, ends = self.record(SimulatedMicrophone(TONE, real_time=False, vanishes_s=1.5))
        self.assertEqual(ends, ["The microphone is gone."])
        done = take.finish(ends[0])
        self.assertAlmostEqual(done.seconds, 1.5, delta=0.03)
        self.assertEqual(done.trouble, ends[0])

    def test_full_scale_is_told(self) -> None:
        take, _ends = self.record(SimulatedMicrophone(np.clip(4 * TONE, -1, 1), real_time=False))
        self.assertGreater(take.finish().clipped, 0.3)

    def test_a_full_disk_ends_the_take_and_keeps_what_there_is(self) -> None:
        written, write = [], os.write

        def fills_up(file: int, data: bytes) -> int:
            written.append(len(data))
            if sum(written) > 100_000:
                raise OSError(28, "No space left on device")
            return write(file, data)

        with mock.patch("jeweller.audio.recorder.os.write", fills_up):
            take, _ends = self.record(SimulatedMicrophone(TONE, real_time=False))
            done = take.finish()
        self.assertIn("No space left on device", done.trouble)
        self.assertAlmostEqual(decode(done.path, RATE).duration, done.seconds, delta=0.01)
        self.assertGreater(done.seconds, 0.9)

    def test_nothing_is_left_of_a_take_that_is_discarded(self) -> None:
        take, _ends = self.record(SimulatedMicrophone(TONE, real_time=False), 1.0)
        take.discard()
        self.assertEqual(list(self.path.parent.iterdir()), [])

    def test_a_killed_recording_is_whole_to_the_last_second(self) -> None:
        for wait in (0.8, 1.3):
            child = subprocess.Popen(
                [sys.executable, "-c", RECORDING, str(self.path)],
                stdout=subprocess.PIPE,
                stdin=subprocess.PIPE,
            )
            assert child.stdout is not None and child.stdin is not None
            child.stdout.readline()
            time.sleep(wait)
            child.send_signal(signal.SIGKILL)
            played = float(child.stdout.read().split()[-1])
            child.stdout.close()
            child.stdin.close()
            child.wait()
            self.assertEqual([p.name for p in self.path.parent.iterdir()], [f"take{PART}"])
            cut = decode(self.path.with_name(f"take{PART}"), RATE)  # can be heard as it is, too
            (done,) = recover(self.path.parent)
            self.assertAlmostEqual(cut.duration, done.seconds, delta=0.03)
            self.assertEqual(done.path, self.path)
            self.assertGreater(done.seconds, played - 1.0)
            heard = decode(self.path, RATE)
            self.assertAlmostEqual(heard.duration, done.seconds, delta=0.01)
            self.assertAlmostEqual(float(np.median(heard.samples)), 0.25, delta=0.01)
            self.path.unlink()

    def test_what_holds_nothing_is_swept_away(self) -> None:
        (self.path.parent / f"cut{PART}").write_bytes(b"RIFF")
        take = TakeRecorder(self.path, RATE)
        take._blocks.put(None)
        self.assertEqual(recover(self.path.parent), [])  # it is still recorded
        self.assertTrue(take.part.exists())
        os.close(take._file)  # killed before any sound
        self.assertEqual(recover(self.path.parent), [])
        self.assertEqual(list(self.path.parent.iterdir()), [])


if __name__ == "__main__":
    unittest.main()
