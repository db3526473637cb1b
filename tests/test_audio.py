"""Decoding every format, recordings that are cut or wrong, slowing down, the transport and the simulated
loudspeaker.
"""

from __future__ import annotations

import time
import unittest
import wave
from pathlib import Path
from unittest import mock

import miniaudio
import numpy as np

from jeweller.audio.decode import _read_frames, decode
from jeweller.audio.encode import write_sound
from jeweller.audio.playback import Transport, cut, slow_down
from jeweller.audio.ports import DeviceSpeaker, FoundSpeaker, SimulatedSpeaker
from jeweller.errors import Cancelled, TakeError
from jeweller.simulator.room import Room, put_in_room
from tests.support import TempCase, play, tone


def write_wav(path: Path, channels: list[np.ndarray], rate: int, width: int = 2) -> None:
    """Signed little-endian PCM of 2, 3 or 4 bytes."""
    scaled = np.stack(channels, axis=1) * (2 ** (8 * width - 1) - 1)
    raw = (
        scaled.astype("<i4").tobytes()
        if width == 4
        else scaled.astype("<i4").reshape(-1, 1).view("u1").reshape(-1, 4)[:, :width].tobytes()
    )
    with wave.open(str(path), "wb") as file:
        file.setnchannels(len(channels))
        file.setsampwidth(width)
        file.setframerate(rate)
        file.writeframes(raw)


def frequency(x: np.ndarray, rate: int) -> float:
    spectrum = np.abs(np.fft.rfft(x * np.hanning(len(x)), 1 << 18))
    return float(spectrum.argmax()) * rate / (1 << 18)


class Decoding(TempCase):
    def test_every_format_keeps_time_and_pitch(self) -> None:
        sound = play([(0.5, 1.0, 69)], 2.0, 48000)
        for ending in (".wav", ".flac", ".ogg", ".opus", ".mp3", ".m4a", ".webm", ".mp4", ".mov"):
            with self.subTest(ending):
                path = self.folder / f"take{ending}"
                write_sound(path, sound, 48000)
                got = decode(path, 22050)
                self.assertAlmostEqual(got.duration, 2.0, delta=0.08)
                onset = np.argmax(np.abs(got.samples) > 0.05) / 22050
                self.assertAlmostEqual(onset, 0.5, delta=0.03)
                self.assertAlmostEqual(frequency(got.samples[15000:30000], 22050), 440.0, delta=0.5)
                self.assertEqual(got.warnings, ())

    def test_depths_rates_and_channels(self) -> None:
        for rate in (8000, 44100, 96000):
            x = tone(69, 1.0, rate, (1.0,))
            for width in (2, 3, 4):
                with self.subTest(rate=rate, width=width):
                    write_wav(self.folder / "a.wav", [x, x], rate, width)
                    got = decode(self.folder / "a.wav", 22050)
                    self.assertEqual((got.source_rate, got.channels), (rate, 2))
                    self.assertAlmostEqual(float(np.abs(got.samples).max()), 0.2, delta=0.01)

    def test_what_is_known_of_the_beginning_is_not_decoded_again(self) -> None:
        noise = np.random.default_rng(1).normal(0, 0.1, 6 * 44100)
        write_wav(self.folder / "a.wav", [noise], 44100)
        whole = decode(self.folder / "a.wav", 22050).samples
        decoded = 0

        def counted(*given: object) -> list[np.ndarray]:
            nonlocal decoded
            pieces = _read_frames(*given)  # type: ignore[arg-type]
            decoded += sum(map(len, pieces))
            return pieces

        with mock.patch("jeweller.audio.decode._read_frames", counted):
            again = decode(self.folder / "a.wav", 22050, known=whole[: 4 * 22050]).samples
        np.testing.assert_array_equal(again, whole)
        self.assertLess(decoded, 3.2 * 22050)
        # of another take with the same second in it nothing is believed
        write_wav(self.folder / "b.wav", [np.r_[noise[:44100], noise]], 44100)
        other = decode(self.folder / "b.wav", 22050).samples
        np.testing.assert_array_equal(
            decode(self.folder / "b.wav", 22050, known=whole[: 4 * 22050]).samples, other
        )

    def test_channels_that_cancel_are_not_lost(self) -> None:
        x = tone(60, 1.0)
        write_wav(self.folder / "a.wav", [x, -x], 22050)
        self.assertGreater(float(np.abs(decode(self.folder / "a.wav", 22050).samples).max()), 0.1)

    def test_files_cut_in_the_middle(self) -> None:
        sound = play([(0.2, 7.0, 69)], 8.0, 48000)
        for ending in (".wav", ".ogg", ".mp3", ".webm"):
            with self.subTest(ending):
                path = self.folder / f"whole{ending}"
                write_sound(path, sound, 48000)
                part = self.folder / f"part{ending}"
                data = path.read_bytes()
                part.write_bytes(data[: len(data) // 2])
                got = decode(part, 22050)
                self.assertGreater(got.duration, 2.0)
                self.assertLess(got.duration, 7.5)
        path = self.folder / "whole.m4a"
        write_sound(path, sound, 48000)
        (self.folder / "part.m4a").write_bytes(path.read_bytes()[:20000])
        with self.assertRaisesRegex(TakeError, "cut off before its index was written"):
            decode(self.folder / "part.m4a", 22050)

    def test_what_is_no_recording_gets_a_sentence(self) -> None:
        (self.folder / "a.wav").write_bytes(b"RIFF nonsense")
        (self.folder / "empty.mp3").write_bytes(b"")
        write_sound(self.folder / "short.wav", tone(60, 0.2), 22050)
        for name, words in (
            ("a.wav", "not a sound file"),
            ("empty.mp3", "is empty"),
            ("short.wav", "lasts only 0.2 seconds"),
            ("none.wav", "There is no file"),
            ("", "is a folder"),
        ):
            with self.subTest(name), self.assertRaisesRegex(TakeError, words):
                decode(self.folder / name, 22050)

    def test_cancel(self) -> None:
        write_sound(self.folder / "a.wav", tone(60, 1.0), 22050)
        with self.assertRaises(Cancelled):
            decode(self.folder / "a.wav", 22050, lambda: True)


class Device(unittest.TestCase):
    """A real output device of the sound library, which throws away what it is given."""

    def test_it_pulls_what_is_played_to_the_end(self) -> None:
        transport = Transport(DeviceSpeaker([miniaudio.Backend.NULL]))
        transport.play([cut(tone(69, 0.3, 48000), 48000, 0.0, 0.3, 1.0)])
        end = time.monotonic() + 10
        while transport.playing and time.monotonic() < end:
            time.sleep(0.02)
        self.assertFalse(transport.playing)
        transport.stop()

    def test_what_discards_all_sound_is_no_device(self) -> None:
        there = [{"name": "Discard all samples (playback) or generate zero samples (capture)"}]
        for devices, silent in (([], True), (there, True), ([*there, {"name": "Analog"}], False)):
            with mock.patch.object(miniaudio.Devices, "get_playbacks", return_value=devices):
                speaker = FoundSpeaker()
                self.assertEqual((speaker.look(), speaker.silent), (not silent, silent))


class Playing(TempCase):
    def test_half_speed_keeps_pitch_and_onsets(self) -> None:
        """On what reaches the loudspeaker: pitch within 5 cents, onsets within 10 ms."""
        rate, onsets = 48000, (0.4, 1.3, 2.1)
        sound = np.zeros(3 * rate, np.float32)
        for at in onsets:
            x = tone(69, 0.5, rate)
            sound[int(at * rate) : int(at * rate) + len(x)] += x
        speaker = SimulatedSpeaker(real_time=False)
        transport = Transport(speaker)
        transport.play([cut(sound, rate, 0.0, 3.0, 0.5)])
        speaker.run(6.2)
        for speed in (0.7, 0.85):
            slow = slow_down(sound, rate, speed)
            for at in onsets:
                self.assertLess(
                    abs(self.rise(slow, rate, at / speed) - self.rise(sound, rate, at) / speed), 0.010
                )
        heard = speaker.sound
        self.assertFalse(transport.playing)
        self.assertAlmostEqual(len(heard) / rate, 6.0, delta=0.02)
        for at in onsets:
            cents = 1200 * np.log2(frequency(heard[int((2 * at + 0.2) * rate) :][: rate // 2], rate) / 440.0)
            self.assertLess(abs(cents), 5.0)
            self.assertLess(abs(self.rise(heard, rate, 2 * at) - 2 * self.rise(sound, rate, at)), 0.010)

    @staticmethod
    def rise(x: np.ndarray, rate: int, near: float) -> float:
        envelope = np.convolve(np.abs(x), np.ones(240) / 240, "same")
        a = int((near - 0.1) * rate)
        part = envelope[a : a + int(0.3 * rate)]
        return (a + int(np.argmax(part > 0.3 * part.max()))) / rate

    def test_full_speed_is_the_sound_itself(self) -> None:
        x = tone(60, 1.0)
        self.assertIs(slow_down(x, 22050, 1.0), x)

    def test_position_loop_and_one_after_the_other(self) -> None:
        rate = 22050
        sound = np.concatenate([tone(60, 1.0), tone(72, 1.0)])
        speaker = SimulatedSpeaker(real_time=False)
        transport = Transport(speaker)
        transport.play([cut(sound, rate, 0.5, 1.5, 1.0, "take"), cut(sound, rate, 0.0, 0.5, 1.0, "model")])
        speaker.run(0.5)
        label, at = transport.position() or ("", 0.0)
        self.assertEqual(label, "take")
        self.assertAlmostEqual(at, 1.0, delta=0.03)
        speaker.run(0.7)
        self.assertEqual((transport.position() or ("",))[0], "model")
        speaker.run(1.0)
        self.assertIsNone(transport.position())
        transport.play([cut(sound, rate, 0.0, 0.25, 1.0)], loop=True)
        speaker.run(2.0)
        self.assertTrue(transport.playing)
        self.assertGreaterEqual(len(speaker.sound) / rate, 2.0)
        transport.stop()
        self.assertIsNone(transport.position())

    def test_the_simulated_speaker_takes_as_long_as_the_sound(self) -> None:
        import time

        speaker = SimulatedSpeaker()
        transport = Transport(speaker)
        begin = time.monotonic()
        transport.play([cut(tone(60, 0.4), 22050, 0.0, 0.4, 1.0)])
        while transport.playing and time.monotonic() < begin + 3:
            time.sleep(0.01)
        self.assertGreater(time.monotonic() - begin, 0.3)
        transport.stop()

    def test_the_room_keeps_length_and_makes_noise(self) -> None:
        dry = tone(60, 1.0)
        wet = put_in_room(dry, 22050, Room(snr_db=20), seed=1)
        self.assertEqual(wet.shape, dry.shape)
        self.assertTrue(np.array_equal(wet, put_in_room(dry, 22050, Room(snr_db=20), seed=1)))
