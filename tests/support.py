"""Shared by the tests: music from short text, sounds of an additive synthesis that the program does not know,
and a base for window tests.
"""

from __future__ import annotations

import contextlib
import faulthandler
import functools
import gc
import os
import re
import resource
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtTest import QTest

from jeweller.alignment.align import align
from jeweller.assessment.assess import assess
from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding
from jeweller.assessment.settings import AssessmentSettings
from jeweller.features.extraction import Features
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Bar, Mark, Note, Part, Score
from jeweller.notation.performance import PerformedPart, perform_part
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.values import guess_type
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.notes.build import build_note_tables
from jeweller.notes.evidence import add_evidence
from jeweller.notes.table import NoteTable
from jeweller.pipeline import workers
from jeweller.pipeline.check import Checked

if TYPE_CHECKING:
    from jeweller.gui.shell.window import Window

RATE = 22050
SIGNS = {-1: "flat", 0: "natural", 1: "sharp"}

RESERVE: list[workers._Worker] = []  # idle processes that a closed window leaves to the next
KEPT = 3


def share_workers() -> None:
    """Windows of one test process hand their idle workers on: to start one takes seconds, and each test has a
    window of its own.
    """
    start, dismiss = workers._start, workers.WorkerPool._dismiss

    def lent(niceness: int) -> workers._Worker:
        while RESERVE:
            worker = RESERVE.pop()
            if worker.process.is_alive():
                return worker
        return start(niceness)

    def given_back(pool: workers.WorkerPool, worker: workers._Worker) -> None:
        if worker.task is None and worker.process.is_alive() and len(RESERVE) < KEPT:
            pool._workers.remove(worker)
            RESERVE.append(worker)
        else:
            dismiss(pool, worker)

    workers._start, workers.WorkerPool._dismiss = lent, given_back  # type: ignore[method-assign]


share_workers()


def table_of(line: PerformedPart, features: Features, **options: Any) -> NoteTable:
    """The note table of the last attempt, without its evidence; `options` are those of `align`."""
    return build_note_tables(align(line, features, **options), features)[-1]


def assess_heard(
    table: NoteTable,
    features: Features,
    instrument: Instrument,
    settings: AssessmentSettings | None = None,
) -> tuple[list[Finding], AssessmentContext]:
    """The evidence of a table measured, and assessed."""
    settings = settings or AssessmentSettings()
    brass = instrument.family == "brass"
    return assess(add_evidence(table, features, settings.evidence_limits, brass=brass), instrument, settings)


def part_of(
    music: str,
    *,
    fifths: int = 0,
    beats: int = 4,
    beat_type: int = 4,
    chromatic: int = 0,
    bpm: float | None = 90,
    name: str = "Flute",
    flags: dict[int, dict[str, object]] | None = None,
) -> Part:
    """A part from bars like "C5/1 r/.5 Bb4/.5( C5/2)": pitch, quarters, and ( ) slur, t trill, m mordent, f
    fermata, _ tie, {X} grace, . staccato.
    """
    bars = []
    texts = [b.split() for b in music.strip().split("|")]
    for k, tokens in enumerate(texts):
        notes: list[Note] = []
        at = Fraction(0)
        state = {s: key_alter(s, fifths) for s in "CDEFGAB"}
        tie = bool(bars) and bool(bars[-1].notes) and bars[-1].notes[-1].tie_start
        for token in tokens:
            match = re.fullmatch(r"(?:\{(\w+)\})?([A-G][b#n]?\d|r)/([\d./]+)([()tmf._]*)", token)
            assert match, token
            for text, grace in ((match[1], True), (match[2], False)):
                if not text:
                    continue
                pitch, accidental = None, None
                if text != "r":
                    alter = {"b": -1, "#": 1, "n": 0}.get(text[1], key_alter(text[0], fifths))
                    pitch = Pitch(text[0], alter, int(text[-1]))
                    if state[pitch.step] != alter:
                        accidental, state[pitch.step] = SIGNS[alter], alter
                length, marks = Fraction(match[3]), match[4]
                kind, dots, tuplet = guess_type(Fraction(1, 2) if grace else length)
                notes.append(
                    Note(
                        id=f"n{k}-{len(notes)}",
                        offset=at,
                        duration=Fraction(0) if grace else length,
                        pitch=pitch,
                        type=kind,
                        dots=dots,
                        tuplet=tuplet,
                        grace=grace,
                        accidental=accidental,
                        slur_starts=("1",) * ("(" in marks and not grace),
                        slur_stops=("1",) * (")" in marks and not grace),
                        ornament={"t": "trill", "m": "mordent"}.get(next((m for m in marks if m in "tm"), ""))
                        if not grace
                        else None,
                        fermata="f" in marks,
                        tie_start="_" in marks,
                        tie_stop=tie,
                        articulations=("staccato",) * ("." in marks),
                    )
                )
                tie = "_" in marks
            at += Fraction(match[3])
        tempo = (Mark(kind="tempo", offset=Fraction(0), value=bpm),) if bpm and k == 0 else ()
        extra = (flags or {}).get(k, {})
        bars.append(
            Bar(
                number=str(k + 1),
                length=at,
                beats=beats,
                beat_type=beat_type,
                fifths=fifths,
                mode="major",
                clef=("G", 2, 0),
                notes=tuple(notes),
                marks=tempo,
                implicit=at < Fraction(4 * beats, beat_type),
                **extra,
            )
        )  # type: ignore[arg-type]
    return Part(id="P1", name=name, instrument=name, diatonic=0, chromatic=chromatic, bars=tuple(bars))


def line_of(music: str, **options: object) -> PerformedPart:
    return perform_part("A test", part_of(music, **options))  # type: ignore[arg-type]


def score_file(folder: Path, part: Part, name: str = "score.musicxml") -> Path:
    path = folder / name
    path.write_bytes(write_musicxml(Score("A test", (part,), "")))
    return path


def tone(
    midi: float, seconds: float, rate: int = RATE, partials: tuple[float, ...] = (1.0, 0.6, 0.4, 0.25, 0.15)
) -> np.ndarray:
    """A steady tone with partials, soft edges of 12 ms."""
    t = np.arange(int(seconds * rate)) / rate
    f = 440.0 * 2 ** ((midi - 69) / 12)
    x = sum(a * np.sin(2 * np.pi * f * (k + 1) * t) for k, a in enumerate(partials) if f * (k + 1) < rate / 2)
    edge = np.minimum(np.minimum(t / 0.012, (t[::-1] + 1 / rate) / 0.03), 1.0)
    return (0.2 * np.asarray(x) * edge).astype(np.float32)


def play(
    events: list[tuple[float, float, float]], seconds: float, rate: int = RATE, noise: float = 0.0005
) -> np.ndarray:
    """(onset s, length s, MIDI) → sound, with a little noise."""
    out = np.random.default_rng(3).standard_normal(int(seconds * rate)).astype(np.float32) * noise
    for on, length, midi in events:
        x = tone(midi, length, rate)
        a = int(on * rate)
        out[a : a + len(x)] += x[: max(0, len(out) - a)]
    return out.astype(np.float32)


def straight(
    line: PerformedPart, bpm: float, lead: float = 0.8, share: float = 0.88
) -> list[tuple[float, float, float]]:
    """The line played exactly: what `play` takes."""
    spq = 60.0 / bpm
    return [
        (lead + float(n.onset) * spq, float(n.duration) * spq * share, n.sounding_midi)
        for n in line.main_notes
    ]


def sounding(events: list[tuple[float, float, float]]) -> np.ndarray:
    return play(events, max(on + length for on, length, _ in events) + 1.0)


def changed(
    events: list[tuple[float, float, float]], index: int, **changes: float
) -> list[tuple[float, float, float]]:
    """A copy with one event changed: `by` semitones, `later` s for it alone, `shift` s for it and all after,
    `length` times as long.
    """
    out = list(events)
    on, length, midi = out[index]
    out[index] = (
        on + changes.get("later", 0.0),
        length * changes.get("length", 1.0),
        midi + changes.get("by", 0.0),
    )
    if "shift" in changes:
        out[index:] = [(a + changes["shift"], b, c) for a, b, c in out[index:]]
    return out


@functools.cache
def checked_take() -> Checked:
    """A check of a short take with an altered note forgotten twice, a wrong note, and a rest cut short."""
    from jeweller.audio.encode import write_sound
    from jeweller.pipeline.check import check

    part = part_of(
        "Bb4/1 C5/1 D5/1 Eb5/1 | F5/2 Eb5/2 | D5/1 C5/1 r/2 | Bb4/1 D5/1 F5/1 Eb5/1 | Bb4/4", fifths=-2
    )
    line = perform_part("A test", part)
    events = straight(line, 90)
    for index in (3, 5):
        events = changed(events, index, by=1)
    events = changed(changed(events, 2, by=4), 8, shift=-60 / 90)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_sound(folder / "take.wav", sounding(events), RATE)
        return check(score_file(folder, part), folder / "take.wav")


class TempCase(unittest.TestCase):
    """With a folder of its own."""

    def setUp(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self.addCleanup(self._folder.cleanup)
        self.folder = Path(self._folder.name)


COUNTED_S = 0.015  # an idle core of the machines this is meant for counts to 200,000


@functools.cache
def slowness() -> float:
    """How many times longer this machine takes for the same Python now; at least 1, at most 2.5."""
    took = []
    for _ in range(3):
        begin, total = time.thread_time(), 0
        for k in range(200_000):
            total += k * k % 7
        took.append(time.thread_time() - begin)
    return min(max(1.0, min(took) / COUNTED_S), 2.5)


class Watchdog:
    """Notes where the main thread was when the event loop was held: for `HELD_S` of its own work, or asleep
    for `BLOCKED_S` (waiting for a lock, a child process). What a busy machine takes away from the thread does
    not count: the system's part of its work (disks that others write to), cores given to other machines, looks
    of this thread that come late.
    """

    HELD_S, BLOCKED_S = 0.1, 0.6  # of a core that counts as fast as `COUNTED_S` says
    LOOK_S, QUIET_S = 0.02, 0.1  # how often it looks; a heart that beat so lately needs no look

    def __init__(self) -> None:
        self.held: list[str] = []
        self._main = threading.main_thread().ident or 0
        self._state = Path(f"/proc/self/task/{threading.main_thread().native_id}/stat")
        self._beat: tuple[float, float] | None = None  # when the heart beat last, and the work until then
        self._began = self._garbage = 0.0
        self._looking = False
        gc.callbacks.append(self._collected)

    def beat(self) -> None:
        """The event loop runs: nothing holds it now."""
        if self._beat is not None:
            self._beat = self._now()

    def _now(self) -> tuple[float, float]:
        """(now, seconds of work of this thread so far)."""
        work = resource.getrusage(resource.RUSAGE_THREAD).ru_utime
        return time.monotonic(), work - self._garbage - self._stolen()

    def _collected(self, phase: str, _info: dict[str, int]) -> None:
        """A collection of garbage takes as long as all tests of the process have left things to look through,
        which says nothing of the program: its time is taken out.
        """
        if threading.get_ident() == self._main:
            if phase == "start":
                self._began = time.thread_time()
            else:
                self._garbage += time.thread_time() - self._began

    def _looked(self) -> tuple[float, bool]:
        """(seconds of work so far, whether the main thread is asleep)."""
        fields = self._state.read_text().rpartition(") ")[2].split()
        work = int(fields[11]) / os.sysconf("SC_CLK_TCK")
        return work - self._garbage - self._stolen(), fields[0] == "S"

    @staticmethod
    def _stolen() -> float:
        """Seconds that the cores were given to other machines on the same host: they count as work of whoever
        ran there.
        """
        with open("/proc/stat") as file:
            return int(file.readline().split()[8]) / os.sysconf("SC_CLK_TCK")

    @contextlib.contextmanager
    def watching(self) -> Iterator[None]:
        if not self._looking:  # only in processes that open a window
            self._looking = True
            slowness()
            threading.Thread(target=self._look, daemon=True).start()
        self._beat = self._now()
        try:
            yield
        finally:
            self._beat = None

    def _look(self) -> None:
        told: tuple[float, float] | None = None
        seen: tuple[float, float] | None = None
        asleep = 0.0
        while True:
            time.sleep(self.LOOK_S)
            beat = self._beat
            if beat is None or beat is told or time.monotonic() - beat[0] < self.QUIET_S:
                continue
            if beat is not seen:
                seen, asleep = beat, 0.0
            work, sleeps = self._looked()
            # One look stands for no more than its own time: looks that come late say that the machine is busy.
            asleep += self.LOOK_S * sleeps
            worked = work - beat[1]
            if worked > self.HELD_S * slowness() or asleep > self.BLOCKED_S:
                where = self._where()
                if self._beat is beat:
                    told = beat
                    if where.startswith("support.turn"):
                        continue  # Qt itself: styling and laying out what is shown for the first time
                    self.held.append(f"{1000 * worked:.0f} ms at work, {1000 * asleep:.0f} asleep in {where}")

    def _where(self) -> str:
        """The innermost functions of the main thread. No reference to its frames is held: what they hold
        would be freed in this thread.
        """
        with tempfile.TemporaryFile("w+") as file:
            faulthandler.dump_traceback(file, all_threads=True)
            file.seek(0)
            main = file.read().split(f"Thread 0x{self._main:016x}")[-1].split("\n\n")[0]
        found = re.findall(r'File "([^"]*)", line (\d+) in (\S+)', main)
        return " < ".join(f"{Path(name).stem}.{what}:{line}" for name, line, what in found[:8])


WATCHDOG = Watchdog()


HELD = "the window was held"


class WindowCase(TempCase):
    """A real window. An exception in a slot, which Qt only prints, fails the test."""

    def run(self, result: unittest.TestResult | None = None) -> unittest.TestResult | None:
        """Once more where nothing but a held window failed it: what the program does holds the window every
        time, what the machine does (the other process of the run, a cold cache) does not.
        """
        if result is None:
            return super().run()
        result.startTest(self)
        tried = unittest.TestResult()
        for _unused in range(2):
            tried = unittest.TestResult()
            super().run(tried)
            told = [text for _case, text in (*tried.failures, *tried.errors)]
            if not told or not all(HELD in text for text in told):
                break
        result.failures.extend(tried.failures)
        result.errors.extend(tried.errors)
        for case, reason in tried.skipped:
            result.addSkip(case, reason)
        if tried.wasSuccessful() and not tried.skipped:
            result.addSuccess(self)
        result.stopTest(self)
        return result

    def setUp(self) -> None:
        super().setUp()
        from jeweller.gui.shell.app import make_app

        self.app = make_app()
        # A thread keeps the hook it was begun under: the hook must not keep this case, and what it has of Qt.
        trouble = self._trouble = list[BaseException]()
        WATCHDOG.held = []
        self._heart = QTimer()
        self._heart.timeout.connect(WATCHDOG.beat)
        self._heart.start(20)
        before = sys.excepthook

        def hook(kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> None:
            trouble.append(value)
            before(kind, value, trace)

        sys.excepthook = hook
        self.addCleanup(self._check_slots, before)

    def _check_slots(self, before: Callable[..., None]) -> None:
        sys.excepthook = before
        held, WATCHDOG.held = WATCHDOG.held, []
        if held and not self._trouble:
            raise AssertionError(f"{HELD}: " + "; ".join(held))
        if self._trouble:
            raise AssertionError(f"an exception in a slot: {self._trouble[0]!r}") from self._trouble[0]

    def open_window(self) -> Window:
        """A window of 1280x800 on a library of this case's own, shown."""
        from jeweller.audio.ports import SimulatedSpeaker
        from jeweller.gui.shell.app import open_settings
        from jeweller.gui.shell.window import Window

        settings = open_settings(self.folder / "desk.ini")
        settings.setValue("library", str(self.folder / "library"))
        window = Window(settings, SimulatedSpeaker())
        self.addCleanup(window.close)
        window.resize(1280, 800)
        window.show()
        return window

    def wait(self, ready: Callable[[], object], seconds: float = 25.0, what: str = "") -> None:
        end = time.monotonic() + seconds
        while not ready():
            self.turn(20)
            if time.monotonic() > end:
                self.fail(f"waited {seconds} s in vain {what}")
        self.turn(5)

    def turn(self, milliseconds: int) -> None:
        """Lets the event loop run (deferred deletions too), and notes where it was held for longer than a
        user should feel.
        """
        with WATCHDOG.watching():
            QTest.qWait(milliseconds)


def without(report: dict, *keys: str) -> dict:
    return {k: v for k, v in report.items() if k not in keys}
