"""What recording and tuning reach: the tuner's error over its range, its cost, recordings killed; planted
delays; loud clicks; the time from the last note of three minutes to the verdict; clean answers that are
called wrong.

python -m bench.booth [--takes N] [--answers N] [--kills N] [--clicked N] [--ahead N]

Exits with 1 where a figure falls short.
"""

from __future__ import annotations

import argparse
import dataclasses
import os
import random
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

import numpy as np

from jeweller.audio.backing import remove_backing
from jeweller.audio.decode import decode
from jeweller.audio.encode import write_sound
from jeweller.audio.latency import find_latency, probe
from jeweller.audio.microphone import SimulatedMicrophone
from jeweller.audio.ports import SimulatedSpeaker
from jeweller.audio.recorder import PART, TakeRecorder, recover
from jeweller.booth.echo import check_answers, echo_track
from jeweller.booth.plan import ClickKind, Music, TakePlan
from jeweller.booth.session import SessionState, TakeSession, WantedCheck
from jeweller.booth.track import model_of, prepare, render_track
from jeweller.booth.verdict import Terms, ask, listen_along
from jeweller.features.settings import DEFAULT as HEAR
from jeweller.pipeline.ahead import know_ahead
from jeweller.pipeline.check import check, open_line
from jeweller.pipeline.workers import Task, TaskState, WorkerPool
from jeweller.simulator.classroom_lines import scale_of, score_of, tune
from jeweller.simulator.perform import Manner, perform
from jeweller.simulator.recordings import played_instruments
from jeweller.simulator.room import Room, put_in_room
from jeweller.synthesis import sampler
from jeweller.warmup.tuner import Samples, Tuner

RATE = 44100
TONES = {  # sizes of the partials
    "pure": (1.0,),
    "flute": (1.0, 0.3, 0.1, 0.03),
    "clarinet": (1.0, 0.05, 0.6, 0.05, 0.4, 0.05, 0.2, 0.05, 0.1),
    "brass": (0.5, 0.8, 1.0, 0.9, 0.7, 0.5, 0.4, 0.3, 0.2, 0.15, 0.1, 0.05),
    "weak fundamental": (0.05, 1.0, 0.8, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1),
}
ASKED = {None: 1.0, 20.0: 2.0}  # noise so many dB below → cents
A_SECOND, SHARE, LOST_S = 15.0, 0.08, 1.0
DELAY_MS, VERDICT_S = 3.0, 2.0
TURN_S = 2.5  # in which eight seconds are played, until the last twenty
CLICK_DB = (-12.0, -6.0, 0.0)
CLICK_HEARD = 0.1  # of the loudspeaker in the microphone
RECORDING = """
import sys
from pathlib import Path
import numpy as np
from jeweller.audio.microphone import SimulatedMicrophone
from jeweller.audio.recorder import TakeRecorder
take = TakeRecorder(Path(sys.argv[1]), 44100)
def push(block, at):
    take.push(block, at)
    print(f"{at:.3f}", flush=True)
SimulatedMicrophone(np.full(44100 * 60, 0.25, np.float32)).start(push, print)
sys.stdin.read()
"""


def tone(
    hz: float, partials: tuple[float, ...], seconds: float = 0.8, noise_db: float | None = None
) -> Samples:
    """A steady tone, with noise so many dB below it; the same for the same pitch."""
    rng = np.random.default_rng(round(100 * hz))
    t = np.arange(round(seconds * RATE)) / RATE
    sound = np.zeros(len(t))
    for h, size in enumerate(partials, 1):
        if h * hz < 0.45 * RATE:
            sound += size * np.sin(2 * np.pi * h * hz * t + rng.uniform(0, 2 * np.pi))
    sound *= 0.2 / np.sqrt(np.mean(sound**2))
    if noise_db is not None:
        sound += rng.normal(0, 0.2 * 10 ** (-noise_db / 20), len(t))
    return sound.astype(np.float32)


def tuner_errors(noise_db: float | None, rng: np.random.Generator) -> tuple[float, float]:
    """The worst error and the median one (cents); a tone that is not heard is an octave off."""
    errors = []
    for hz in np.geomspace(30.0, 2500.0, 160):
        for partials in TONES.values():
            exact = hz * 2 ** (rng.uniform(-0.5, 0.5) / 12)
            for reading in Tuner(RATE).push(tone(exact, partials, noise_db=noise_db)):
                errors.append(1200.0 if reading.hz is None else abs(1200 * np.log2(reading.hz / exact)))
    return float(np.max(errors)), float(np.median(errors))


def tuner_cost(seconds: float = 20.0) -> tuple[float, float]:
    """Readings a second, and the share of one core that they take."""
    sound = np.tile(tone(220.0, TONES["brass"], noise_db=30.0), round(seconds / 0.8))
    tuner, begin, count = Tuner(RATE), time.process_time(), 0
    for k in range(0, len(sound), 882):
        count += len(tuner.push(sound[k : k + 882]))
    return count / seconds, (time.process_time() - begin) / seconds


def killed(times: int) -> tuple[float, int]:
    """Recordings killed at random moments: the most that was lost (s), and how many were lost wholly."""
    draw, worst, gone = random.Random(19), 0.0, 0
    for _unused in range(times):
        with tempfile.TemporaryDirectory() as folder:
            child = subprocess.Popen(
                [sys.executable, "-c", RECORDING, str(Path(folder) / "take.wav")],
                stdout=subprocess.PIPE,
                stdin=subprocess.PIPE,
            )
            assert child.stdout is not None
            child.stdout.readline()
            time.sleep(draw.uniform(0.3, 2.5))
            child.kill()
            played = float(child.communicate()[0].split()[-1])
            found = recover(Path(folder))
            gone += not found
            worst = max(worst, played - (found[0].seconds if found else 0.0))
    return worst, gone


def recording_cost(seconds: float = 30.0) -> float:
    """The share of one core that writing a take needs."""
    sound = tone(220.0, TONES["brass"], 1.0)
    with tempfile.TemporaryDirectory() as folder:
        begin = time.process_time()
        take = TakeRecorder(Path(folder) / "take.wav", RATE)
        for k in range(round(seconds / 0.02)):
            at = k * 882 % (len(sound) - 882)
            take.push(sound[at : at + 882], 0.02 * (k + 1))
        take.finish()
        return (time.process_time() - begin) / seconds


def delays(rng: np.random.Generator) -> float:
    """The worst error (ms) of planted delays from 20 to 300 ms, in rooms with echo and noise."""
    worst = 0.0
    for planted in np.linspace(0.02, 0.3, 15):
        for noise in (0.001, 0.01, 0.03):
            late = np.pad(0.3 * probe(RATE), (round(planted * RATE), RATE))
            heard = late + 0.25 * np.roll(late, 900) + rng.normal(0, noise, len(late))
            found = find_latency(heard.astype(np.float32), RATE)
            worst = max(worst, np.inf if found is None else abs(found.seconds - planted))
    return 1000.0 * worst


def played(music: Music, plan: TakePlan, rng: np.random.Generator, seed: int) -> Samples:
    """The bars of a plan as a person plays them, in a room, from the first count on; at `RATE`."""
    line = music.line(plan)
    manner = Manner(
        bpm=plan.bpm,
        drift=float(rng.uniform(0.008, 0.02)),
        jitter_s=float(rng.uniform(0.005, 0.012)),
        tuning_cents=float(rng.uniform(-6, 6)),
        lead_s=0.0,
    )
    performance = perform(line, manner, (), seed)
    sound = next(i.sound for i in played_instruments() if i.name == music.part.instrument)
    dry = sampler.render(list(performance.tones), sound, performance.seconds)
    room = Room(float(rng.uniform(0.2, 0.6)), 0.15, float(rng.uniform(30, 48)))
    heard = put_in_room(dry, sampler.RATE, room, seed)
    at = np.arange(round(len(heard) * RATE / sampler.RATE)) / RATE
    return np.interp(at, np.arange(len(heard)) / sampler.RATE, heard).astype(np.float32)


def three_minutes(number: int, click: ClickKind = ClickKind.START) -> tuple[Music, TakePlan]:
    """A line of three minutes for one of the instruments."""
    rng = np.random.default_rng((19, number))
    table = played_instruments()
    instrument = table[number % len(table)]
    score = score_of(instrument, tune(rng, 10, 64), scale_of(instrument, 0, rng), bpm=84.0)
    plan = TakePlan(bpm=84.0 + float(rng.uniform(-1, 1)), click=click)
    return Music(title="Three minutes", part=score.parts[0], score=score), plan


def seconds_to_verdict(number: int, pool: WorkerPool, click: ClickKind) -> float:
    """From the end of the last note to the verdict. All but the end is played three times as fast."""
    music, plan = three_minutes(number, click)
    rng = np.random.default_rng((20, number))
    sound = played(music, plan, rng, number)
    loud = np.flatnonzero(np.abs(sound) > 0.05 * np.abs(sound).max())
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        microphone = SimulatedMicrophone(endless=True)
        noise = rng.normal(0, 1e-4, len(sound) + 20 * RATE).astype(np.float32)
        prepared = prepare(music, plan, folder)
        track = prepared.track
        count = folder / "count.wav"
        session = TakeSession(
            microphone, SimulatedSpeaker(), track, music.line(plan), folder / "take.wav", count_path=count
        )
        terms = Terms(
            plan=plan,
            track=prepared.track_path if track.sounds_along else None,
            clicks=track.click_track(count),
        )
        arguments = (str(prepared.score), folder / f"take{PART}", folder / "take.ask", terms)
        pool.add([Task(key=number, function=listen_along, arguments=arguments)])
        session.begin()
        while not np.isfinite(session.began_s):
            time.sleep(0.001)
        microphone.play(noise, 0.0)
        microphone.play(sound, session.downbeat_s)
        microphone.play(CLICK_HEARD * track.samples, session.began_s)
        last = session.downbeat_s + loud[-1] / RATE
        ended: float | None = None
        wanted: WantedCheck | None = None
        known: dict[str, WantedCheck] = {}
        began = time.monotonic()
        end = began + 300.0
        while session.state != SessionState.DONE and time.monotonic() < end:
            asked = session.poll()
            # faster than it is played, but no faster than it can be listened to along
            turn = int((time.monotonic() - began) / TURN_S)
            microphone.hurry_s = min(last - 20.0, 8.0 * (turn + 1))
            if ended is None and microphone.now() >= last:
                ended = time.monotonic()
            if asked is not None:
                wanted = known[asked.path.name] = asked
                ask(folder / "take.ask", wanted, session.dropouts)
            for news in pool.poll(0.01):
                if wanted is None:
                    continue
                if news.state == TaskState.DONE:
                    checked, checked_name = news.result
                    session.told(known[checked_name], checked.report)
                elif news.state == TaskState.PROGRESS and news.share < 0:
                    session.told(known[news.what], None)
                elif news.state == TaskState.FAILED:
                    session.told(wanted, None)
                elif news.state == TaskState.AGAIN:
                    print(f"take {number}: whoever listened along died", flush=True)
                    ask(folder / "take.ask", wanted, session.dropouts)
                elif news.state == TaskState.DIED:
                    return float("inf")
        if session.state != SessionState.DONE:
            return float("inf")
        took = time.monotonic() - ended if ended is not None else 0.0  # while the last note died away
        time.sleep(0.3)  # the part is let go of in a thread
        return took


def clicks_called(count: int, level_db: float | None, *, removed: bool = True) -> list[str]:
    """What is found in `count` takes without a fault, with a click that stands so loud in the microphone
    beside the player's peak (None: not at all), taken out or not; the loudspeaker's clock is 30 millionths
    off.
    """
    said, table = [], played_instruments()
    for number in range(count):
        rng = np.random.default_rng((23, number))
        instrument = table[number % len(table)]
        score = score_of(instrument, tune(rng, 2, 16), scale_of(instrument, 0, rng), bpm=84.0)
        plan = TakePlan(bpm=84.0, click=ClickKind.ON)
        music = Music(title="Clicked", part=score.parts[0], score=score)
        track = render_track(music, plan)
        sound = played(music, plan, rng, number)
        at = np.arange(round(len(track.samples) * RATE / track.rate)) * (1 + 30e-6) * track.rate / RATE
        clicks = np.interp(at, np.arange(len(track.samples)), track.samples)
        clicks = put_in_room(clicks.astype(np.float32), RATE, Room(0.35, 0.15, 90.0), number)
        first = round((track.downbeat_s + 0.06) * RATE)
        heard = rng.normal(0, 2e-4, max(len(clicks), first + len(sound)) + RATE)
        heard[first : first + len(sound)] += sound
        if level_db is not None:
            gain = np.abs(sound).max() / np.abs(clicks).max() * 10 ** (level_db / 20)
            heard[round(0.06 * RATE) : round(0.06 * RATE) + len(clicks)] += gain * clicks
        heard *= 0.8 / np.abs(heard).max()
        cut = round((track.downbeat_s - 60.0 / plan.bpm + 0.06) * RATE)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_sound(folder / "take.wav", heard[cut:].astype(np.float32), RATE)
            write_sound(folder / "count.wav", heard[:cut].astype(np.float32), RATE)
            options = plan.options(None, None)
            if removed:
                options = dataclasses.replace(options, clicks=track.click_track(folder / "count.wav"))
            findings = check(music.write(plan, folder), folder / "take.wav", options).report["findings"]
            said += [f["kind"] for f in findings]
    return said


def sounding_along() -> tuple[float, float]:
    """(seconds that taking a model out of three minutes takes, dB that is left of it)."""
    music, plan = three_minutes(3)
    rng = np.random.default_rng(25)
    sound = played(music, plan, rng, 3)
    model = model_of(music, plan)
    at = np.arange(round(len(model) * HEAR.rate / sampler.RATE)) * sampler.RATE / HEAR.rate
    model = np.interp(at, np.arange(len(model)), model).astype(np.float32)
    player = np.interp(np.arange(len(sound) // 2) * 2.0, np.arange(len(sound)), sound).astype(np.float32)
    heard = put_in_room(model, HEAR.rate, Room(0.35, 0.15, 90.0), 3)
    size = max(len(heard) + 1800, len(player) + 900)
    along, alone = np.zeros(size, np.float32), rng.normal(0, 2e-4, size).astype(np.float32)
    along[1800 : 1800 + len(heard)] = 0.3 * heard * np.abs(player).max() / np.abs(heard).max()
    alone[900 : 900 + len(player)] += player
    begin = time.perf_counter()
    left = remove_backing(along + alone, model, HEAR.rate, 1800 / HEAR.rate).samples
    took = time.perf_counter() - begin
    return took, 10 * float(np.log10(np.sum((left - alone) ** 2) / np.sum(along**2)))


def known_ahead(count: int) -> tuple[int, int, float]:
    """(takes with a slip that were checked with what was known while they were recorded, those whose findings
    differ from a check of the finished recording, the share of the time that the check took).
    """
    differ, took = 0, [0.0, 0.0]
    for number in range(count):
        music, plan = three_minutes(number)
        rng = np.random.default_rng((24, number))
        sound = played(music, plan, rng, number)
        cuts = np.sort(rng.integers(RATE, len(sound) - RATE, 6))  # a stumble here and there
        pieces = np.split(sound, cuts)
        lost = [p[: -int(rng.uniform(0.1, 0.9) * RATE)] if k % 2 else p for k, p in enumerate(pieces)]
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_sound(folder / "take.wav", np.concatenate(lost), RATE)
            score = music.write(plan, folder)
            options = plan.options(None, None)
            _score, line, _instrument = open_line(score, options)
            samples = decode(folder / "take.wav", HEAR.rate).samples
            ahead = None
            for end in range(8 * HEAR.rate, len(samples) - 2 * HEAR.rate, 8 * HEAR.rate):
                ahead = know_ahead(samples[:end], line, ahead, tempo_bpm=options.tempo_bpm)
                if ahead is not None:
                    ahead = dataclasses.replace(ahead, decoded=samples[: end - HEAR.rate // 2])
            found = []
            for k, known in enumerate((ahead, None)):
                begin = time.perf_counter()
                found.append(check(score, folder / "take.wav", options, ahead=known).report["findings"])
                took[k] += time.perf_counter() - begin
            differ += found[0] != found[1]
    return count, differ, took[0] / took[1]


def answers(count: int) -> tuple[int, int, list[str]]:
    """(clean answers of one to three pitches, called wrong, what was said of them), on every instrument."""
    done = wrong = 0
    said: list[str] = []
    table = played_instruments()
    number = 0
    while done < count:
        rng = np.random.default_rng((21, number))
        instrument = table[number % len(table)]
        pitches = int(rng.integers(1, 4))
        scale = scale_of(instrument, int(rng.integers(-3, 3)), rng)
        home = int(rng.integers(0, 5))
        cells = ((1, 1, 1, 1), (2, 1, 1), (1, 1, 2), (2, 2), (4,), (1, 0.5, 0.5, 2), (0.5, 0.5, 1, 1, 1))
        row = []
        for _bar in range(8):
            for length in cells[int(rng.integers(len(cells)))]:
                row.append((home + int(rng.integers(pitches)), Fraction(length)))
        score = score_of(instrument, row, scale, bpm=80.0)
        music = Music(title="Answers", part=score.parts[0], score=score)
        plan = TakePlan(bpm=80.0, click=ClickKind.OFF)
        made = echo_track(music, plan)
        sound = np.zeros(round((made.track.end_s + 1.0) * RATE), np.float32)
        for k, phrase in enumerate(made.phrases):
            answer = played(music, TakePlan(bpm=80.0, bars=phrase.bars), rng, 1000 * number + k)
            at = round((phrase.answer_s + float(rng.uniform(-0.05, 0.12))) * RATE)
            sound[at : at + len(answer)] += answer[: len(sound) - at]
        sound += rng.normal(0, 2e-4, len(sound)).astype(np.float32)
        with tempfile.TemporaryDirectory() as name:
            take = Path(name) / "take.wav"
            write_sound(take, sound, RATE)
            found = check_answers(music, plan, made.phrases, take, 0.0, Path(name))
        done += len(found)
        bad = [a for a in found if not a.clean]
        wrong += len(bad)
        said += [f"{instrument.name} {number}/{a.bars}: {a.sentence}" for a in bad]
        number += 1
    return done, wrong, said


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--takes", type=int, default=50)
    parser.add_argument("--answers", type=int, default=200)
    parser.add_argument("--kills", type=int, default=50)
    parser.add_argument("--clicked", type=int, default=24, help="takes with a loud click")
    parser.add_argument("--ahead", type=int, default=12, help="takes checked with and without what was known")
    parser.add_argument("--click", choices=list(ClickKind), default=ClickKind.START, help="of the takes")
    options = parser.parse_args()
    rng, short = np.random.default_rng(19), False
    for noise_db, most in ASKED.items():
        worst, middle = tuner_errors(noise_db, rng)
        short |= worst > most
        where = "steady tones" if noise_db is None else f"{noise_db:g} dB of noise"
        print(f"tuner, 30 to 2500 Hz, {where}: worst {worst:.3f} cents (asked {most:g}), median {middle:.4f}")
    a_second, share = tuner_cost()
    short |= a_second < A_SECOND or share > SHARE
    print(f"tuner: {a_second:.1f} readings a second (asked {A_SECOND:g})")
    print(f"tuner: {100 * share:.1f} % of a core (asked {100 * SHARE:g})")
    print(f"recording: {100 * recording_cost():.1f} % of a core")
    worst_ms = delays(rng)
    short |= worst_ms > DELAY_MS
    print(f"delays of 20 to 300 ms: worst error {worst_ms:.2f} ms (asked {DELAY_MS:g})")
    if options.kills:
        worst, gone = killed(options.kills)
        short |= worst > LOST_S or gone > 0
        print(
            f"recording, {options.kills} kills: {worst:.2f} s lost at most (asked {LOST_S:g}), "
            f"{gone} lost wholly"
        )
    if options.answers:
        done, wrong, said = answers(options.answers)
        short |= wrong > done / 200
        print(f"clean answers of one to three pitches: {wrong} of {done} called wrong (asked 1 of 200)")
        for sentence in said:
            print(f"    {sentence}")
    if options.clicked:
        usual = len(clicks_called(options.clicked, None))
        for level_db in CLICK_DB:
            called = len(clicks_called(options.clicked, level_db))
            short |= called > usual + options.clicked / 24
            left_in = len(clicks_called(options.clicked, level_db, removed=False))
            print(
                f"a click {level_db:g} dB beside the player's peak, {options.clicked} takes without a fault: "
                f"{called} findings, {left_in} where it is left in, {usual} without a click"
            )
    if options.ahead:
        done, differ, share = known_ahead(options.ahead)
        print(
            f"takes with stumbles, checked by what was known ahead: {differ} of {done} differ, in "
            f"{100 * share:.0f} % of the time"
        )
        seconds, left_db = sounding_along()
        print(f"a model taken out of three minutes: {seconds:.1f} s, {left_db:.0f} dB of it are left")
    if options.takes:
        pool, click = WorkerPool(workers=1), ClickKind(options.click)
        each = [seconds_to_verdict(k, pool, click) for k in range(options.takes)]
        took = sorted(each)
        pool.stop()
        short |= took[-1] > VERDICT_S
        print(
            f"last note to verdict, takes of three minutes, click {click.value}: median "
            f"{took[len(took) // 2]:.2f} s, worst {took[-1]:.2f} s of {len(took)} (asked {VERDICT_S:g})"
        )
        print("each: " + " ".join(f"{s:.2f}" for s in each))
    raise SystemExit(int(short))


if __name__ == "__main__":
    main()
