"""The cases of a classroom: what a beginner does with a line, and what a teacher would say of it."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.assets import SOUNDS
from jeweller.instruments.table import Instrument
from jeweller.simulator.classroom_case import Case, make_case, make_manner, make_tune
from jeweller.simulator.classroom_lines import few_pitches, scale_of, score_of, tune, wrap
from jeweller.simulator.plan import Performance
from jeweller.synthesis import sampler

F = Fraction
Samples = npt.NDArray[np.float32]
FAMILIES = (
    "few pitches",
    "few pitches, one fault",
    "octave",
    "fingering",
    "metre and lengths",
    "incomplete",
    "road",
    "tempo",
    "beside",
    "articulation",
    "dying tone",
)


# ---- few pitches


def _few(instrument: Instrument, rng: np.random.Generator) -> Case:
    scale = scale_of(instrument, -2, rng)
    score = score_of(
        instrument, few_pitches(rng), scale, fifths=-2, bpm=float(rng.uniform(72, 110)), title="First notes"
    )
    return make_case(instrument, score, rng)


def _few_faulty(instrument: Instrument, rng: np.random.Generator) -> Case:
    case = _few(instrument, rng)
    at = int(rng.integers(2, len(case.acts) - 2))
    way = str(rng.choice(["wrong", "missed", "hesitation", "extra"]))
    act = case.acts[at]
    case.name = way
    if way == "wrong":
        act.midi += float(rng.choice([-2, 2, 1, 3]))
        case.expect(("wrong_note", "missed_accidental", "added_accidental", "wrong_partial"), [at])
    elif way == "missed":
        act.silent = True
        case.expect(("missed_note",), [at])
    elif way == "hesitation":
        act.pause_after = float(rng.uniform(1.6, 2.6)) * case.local
        case.expect(("hesitation", "beat_added", "rest_long"), [at, at + 1])
    else:
        act.ioi += case.local
        act.extra.append((act.ioi - case.local, 0.85 * case.local, act.midi))
        case.expect(("extra_note", "beat_added", "restart"), [at, at + 1])
    return case


# ---- pitches


def _octave(instrument: Instrument, rng: np.random.Generator) -> Case:
    case = make_tune(instrument, rng, bars=int(rng.integers(12, 20)))
    notes = case.line.main_notes
    pitches = sorted({n.sounding_midi for n in notes})
    counts = {p: [i for i, n in enumerate(notes) if n.sounding_midi == p] for p in pitches}
    down = -19 if instrument.id == "clarinet" else -12
    way = str(rng.choice(["pitch", "register", "once", "clean"], p=[0.4, 0.35, 0.15, 0.1]))
    case.name = way
    if way == "pitch":
        some = [p for p in pitches if 3 <= len(counts[p]) <= len(notes) // 3] or [pitches[-1]]
        # what overblows fails where the register above begins: among the higher pitches
        places = counts[some[-1 - int(rng.integers(0, max(1, len(some) // 2)))]]
    elif way == "register":
        k = int(rng.integers(len(pitches) // 3, max(len(pitches) // 3 + 1, 2 * len(pitches) // 3)))
        places = [i for i, n in enumerate(notes) if n.sounding_midi >= pitches[k]]
    elif way == "once":
        places = [int(rng.integers(2, len(notes) - 2))]
    else:
        places = []
    down = down if way != "once" else -12
    places = [i for i in places if notes[i].sounding_midi + down >= instrument.low]  # it has no lower ones
    for i in places:
        case.acts[i].midi += down
    if places:
        case.expect(("wrong_octave", "wrong_partial"), places, "register_lost" if way == "register" else None)
    return case


def _fingering(instrument: Instrument, rng: np.random.Generator) -> Case:
    way = str(rng.choice(["neighbour", "key before"]))
    case = make_tune(
        instrument, rng, bars=int(rng.integers(12, 20)), fifths=1 if way == "key before" else None
    )
    notes = case.line.main_notes
    case.name = way
    if way == "neighbour":
        pitches = sorted({n.sounding_midi for n in notes})
        counts = {p: [i for i, n in enumerate(notes) if n.sounding_midi == p] for p in pitches}
        some = [p for p in pitches if 3 <= len(counts[p]) <= 8] or [pitches[len(pitches) // 2]]
        p = some[int(rng.integers(len(some)))]
        step = int(rng.choice([-1, 1]))
        for i in counts[p]:
            case.acts[i].midi = p + step + 0.01 * case.manner.tuning_cents
        case.expect(("wrong_note", "missed_accidental", "added_accidental", "wrong_partial"), counts[p])
    else:  # in G after F: B flat is kept, F sharp forgotten
        kept = [i for i, n in enumerate(notes) if n.written.pitch and n.written.pitch.step == "B"]
        lost = [i for i, n in enumerate(notes) if n.written.pitch and n.written.pitch.step == "F"]
        for i in (*kept, *lost):
            case.acts[i].midi -= 1
        if kept or lost:
            case.expect(
                ("missed_accidental", "added_accidental", "wrong_note"),
                sorted((*kept, *lost)),
                "previous_key",
            )
    return case


# ---- counting


def _metre(instrument: Instrument, rng: np.random.Generator) -> Case:
    way = str(rng.choice(["four in three", "threes short", "rests left out"]))
    beats = 3 if way == "four in three" else 4
    cells = {"four in three": "plain", "threes short": "three", "rests left out": "rests"}[way]
    case = make_tune(instrument, rng, bars=int(rng.integers(10, 17)), beats=beats, cells=cells)
    notes, local = case.line.main_notes, case.local
    case.name = way
    places: list[int] = []
    for i, note in enumerate(notes[:-1]):
        act = case.acts[i]
        rest = float(notes[i + 1].onset - note.end)
        if way == "four in three":
            if notes[i + 1].bar_index != note.bar_index:
                act.ioi += local
                act.sound += 0.95 * local if rest == 0 else 0.0
                places.append(i)
        elif way == "threes short" and note.duration == 3:
            act.ioi -= local
            act.sound = min(act.sound, 0.93 * act.ioi)
            places.append(i)
        elif way == "rests left out" and rest == 1:
            act.ioi -= local
            places.append(i)
    kinds = {
        "four in three": ("metre", "beat_added", "held_over", "rest_long"),
        "threes short": ("beat_dropped", "cut_short"),
        "rests left out": ("rest_short", "beat_dropped"),
    }[way]
    cause = {
        "four in three": "counts_in_another_metre",
        "threes short": "long_notes_short",
        "rests left out": "rests_not_counted",
    }[way]
    if places:
        case.expect(kinds, places, cause)
    return case


def _incomplete(instrument: Instrument, rng: np.random.Generator) -> Case:
    case = make_tune(instrument, rng, bars=16)
    notes = case.line.main_notes
    way = str(rng.choice(["first half", "from the middle", "some bars", "gap"]))
    case.name = way
    first, last = {
        "first half": (0, int(rng.integers(6, 11))),
        "from the middle": (int(rng.integers(6, 10)), 16),
        "some bars": (2, int(rng.integers(6, 10))),
        "gap": (0, 16),
    }[way]
    inside = [i for i, n in enumerate(notes) if first <= n.bar_index < last]
    if way == "gap":
        k = int(rng.integers(5, 10))
        left = [i for i, n in enumerate(notes) if k <= n.bar_index < k + 2]
        inside = [i for i in inside if i not in left]
        case.expect(("bar_skipped",), left)
    else:
        case.heard = (notes[inside[0]].bar, notes[inside[-1]].bar)
    case.sequence = [(i, False) for i in inside]
    return case


def _road(instrument: Instrument, rng: np.random.Generator) -> Case:
    way = str(
        rng.choice(
            ["past fine", "no da capo", "no repeat", "second ending first", "ties struck", "as written"]
        )
    )
    row_case = make_tune(instrument, rng, bars=12 if way != "ties struck" else 10)
    bars = list(row_case.score.parts[0].bars)
    title = "The road through"
    if way in ("past fine", "no da capo"):
        bars[5] = dataclasses.replace(bars[5], fine=True, double_bar=True)
        bars[-1] = dataclasses.replace(bars[-1], dacapo=True)
    elif way in ("no repeat", "as written"):
        bars[7] = dataclasses.replace(bars[7], repeat_times=2)
    elif way == "second ending first":
        bars[6] = dataclasses.replace(
            bars[6], ending=(1,), ending_start=True, ending_stop="stop", repeat_times=2
        )
        bars[7] = dataclasses.replace(bars[7], ending=(2,), ending_start=True, ending_stop="discontinue")
    if way == "ties struck":
        scale = scale_of(instrument, -1, rng)
        row = tune(rng, 7, 10)
        ties: list[int] = []
        k = 0
        while k < len(row):
            if row[k][0] is not None and row[k][1] == 1 and len(ties) < 4 and k % 3 == 1:
                row.insert(k + 1, (row[k][0], F(1)))
                ties.append(k)
                k += 1
            k += 1
        total = sum((length for _degree, length in row), F(0))
        if total % 4:
            row.append((row[-1][0], 4 - total % 4))
        score = score_of(
            instrument, row, scale, fifths=-1, bpm=float(rng.uniform(70, 96)), ties=ties, title="Ties"
        )
    else:
        tempo = row_case.line.written_bpm or 84.0
        bars[0] = dataclasses.replace(bars[0], marks=())
        score = wrap(instrument, bars, tempo, title)
    case = make_case(instrument, score, rng)
    notes = case.line.main_notes
    case.name = way
    order = [(i, False) for i in range(len(notes))]
    first = [i for i, n in enumerate(notes) if n.passing == 1]
    second = [i for i, n in enumerate(notes) if n.passing == 2]
    if way == "past fine":
        on = [i for i in first if notes[i].bar_index > 5]
        case.sequence = [*order, *((i, True) for i in on)]
        case.expect(("past_fine",), [*on, second[-1]])
    elif way == "no da capo":
        case.sequence = [(i, False) for i in first]
        case.expect(("jump_skipped",), [*second, first[-1]])
    elif way == "no repeat":
        case.sequence = [(i, False) for i in range(len(notes)) if i not in second]
        case.expect(("repeat_skipped",), [*second, second[0] - 1])
    elif way == "second ending first":
        ending = [i for i, n in enumerate(notes) if n.bar == bars[6].number]
        later = [i for i, n in enumerate(notes) if n.bar == bars[7].number]
        before = [i for i in range(len(notes)) if i < ending[0]]
        case.sequence = [(i, False) for i in before] + [(i, False) for i in range(later[0], len(notes))]
        case.expect(("wrong_ending",), [*ending, *later])
    elif way == "ties struck":
        places = []
        for i, n in enumerate(notes):
            if len(n.tied_ids) > 1 and n.duration == 2:
                act, gap = case.acts[i], float(rng.uniform(0.05, 0.12))
                half = 0.5 * act.ioi
                act.sound = half - gap
                act.extra.append((half, 0.9 * half, act.midi))
                places.append(i)
        if places:
            case.expect(("tie_struck",), places)
    return case


# ---- time, sounds beside, joins, breath


def _tempo(instrument: Instrument, rng: np.random.Generator) -> Case:
    unsteady = bool(rng.random() < 0.4)
    bpm = float(rng.uniform(66, 100))
    case = make_tune(instrument, rng, bars=16, manner=make_manner(rng, bpm, unsteady=unsteady))
    notes = case.line.main_notes
    faster = bool(rng.random() < 0.5)
    sizes = [0.2, 0.3] if unsteady else [0.12, 0.2, 0.3]
    way = str(rng.choice(["over bars", "and back", "near", "ritardando"], p=[0.4, 0.3, 0.2, 0.1]))
    size = 0.04 if way == "near" else float(rng.choice(sizes))
    begin = int(rng.integers(4, 8))
    span = 2 if way == "and back" else 9
    case.name = f"{way} {size:g} {'faster' if faster else 'slower'}{' unsteady' if unsteady else ''}"
    if way == "ritardando":
        last = [i for i, n in enumerate(notes) if n.bar_index >= 14]
        for k, i in enumerate(last):
            case.acts[i].ioi *= 1 + 0.25 * (k + 1) / len(last)
            case.acts[i].sound *= 1 + 0.25 * (k + 1) / len(last)
        return case
    places = [i for i, n in enumerate(notes) if begin <= n.bar_index < begin + span]
    onset = float(notes[places[0]].onset)
    for i in places:
        part = min(1.0, (float(notes[i].onset) - onset + 1.0) / (4.0 if way == "and back" else 8.0))
        factor = math.exp(-math.log1p(size) * part) if faster else math.exp(math.log1p(size) * part)
        case.acts[i].ioi *= factor
        case.acts[i].sound *= factor
    if way != "near":
        case.expect(("rushing",) if faster else ("dragging",), places)
    return case


def _beside(instrument: Instrument, rng: np.random.Generator) -> Case:
    case = make_tune(
        instrument, rng, bars=int(rng.integers(8, 13)), cells=str(rng.choice(["plain", "rests"]))
    )
    way = str(
        rng.choice(
            ["talk after", "talk before", "student after", "student before", "student in rest", "count"]
        )
    )
    case.name = way
    manner = case.manner
    if way in ("talk before", "student before", "count"):
        case.manner = dataclasses.replace(manner, lead_s=float(rng.uniform(4.5, 7.0)))
    if way in ("talk after", "student after"):
        case.after_s = float(rng.uniform(3.0, 6.0))
    if way.startswith("student"):
        other = str(rng.choice(["flute", "clarinet", "trumpet", "trombone", instrument.sound]))
        phrase = [int(rng.integers(-5, 8)) for _ in range(int(rng.integers(4, 9)))]

        def play(dry: Samples, rate: int, played: Performance) -> None:
            ends = [t.off_s for t in played.notes if t.off_s is not None]
            begins = [t.on_s for t in played.notes if t.on_s is not None]
            beat = case.local
            if way == "student after":
                at, most = max(ends) + 0.7, 99
            elif way == "student before":
                at, most = 0.3, int((min(begins) - 0.8) / (0.5 * beat))
            else:
                gaps = [
                    (b - a, a)
                    for a, b in zip(sorted(ends), [*sorted(begins)[1:], 0.0], strict=False)
                    if b - a > 0.5 * beat
                ]
                if not gaps:
                    return
                room, at = max(gaps)
                most = max(1, int(room / (0.5 * beat)))
            home = case.line.main_notes[0].sounding_midi
            folder = SOUNDS
            name = other if (folder / f"{other}.ogg").exists() else "flute"
            tones = [
                sampler.Tone(
                    on_s=at + 0.5 * beat * k,
                    off_s=at + 0.5 * beat * (k + 0.9),
                    midi=float(home + step),
                    level_db=-9.0,
                )
                for k, step in enumerate(phrase[:most])
            ]
            seconds = len(dry) / rate - 0.01
            tones = [t for t in tones if t.off_s < seconds - 0.1]
            if tones:
                wave = sampler.render(tones, name, seconds)
                dry[: len(wave)] += wave[: len(dry)] * float(rng.uniform(0.3, 0.7))

        case.beside = play
    return case


def _articulation(instrument: Instrument, rng: np.random.Generator) -> Case:
    way = str(rng.choice(["all slurred", "all detached", "as written"]))
    case = make_tune(instrument, rng, bars=12)
    if way == "all detached":
        bars = [dataclasses.replace(b, notes=_slurred(b.notes)) for b in case.score.parts[0].bars]
        tempo = case.line.written_bpm or 84.0
        bars[0] = dataclasses.replace(bars[0], marks=())
        case = make_case(instrument, wrap(instrument, bars, tempo, "Slurs"), rng)
    notes = case.line.main_notes
    case.name = way
    places = []
    for i, note in enumerate(notes[:-1]):
        act, after = case.acts[i], case.acts[i + 1]
        rest = notes[i + 1].onset > note.end
        if way == "all slurred" and not rest and note.sounding_midi != notes[i + 1].sounding_midi:
            act.sound, after.tongued = act.ioi + 0.02, False
            places.append(i + 1)
        elif way == "all detached" and note.slurred_to_next:
            act.sound, after.tongued = 0.8 * act.ioi, True
            places.append(i + 1)
    if way == "all slurred":
        case.expect(("slurred_over_tongue", "not_detached"), places)
    elif way == "all detached" and places:
        case.expect(("not_joined", "tongued_in_slur"), places)
    return case


def _slurred(notes: Sequence[Any]) -> tuple[Any, ...]:
    """Two and two notes of a bar under a slur."""
    out = list(notes)
    k = 0
    while k + 1 < len(out):
        a, b = out[k], out[k + 1]
        if a.pitch is not None and b.pitch is not None and a.pitch != b.pitch:
            out[k] = dataclasses.replace(a, slur_starts=("1",))
            out[k + 1] = dataclasses.replace(b, slur_stops=("1",))
            k += 2
        else:
            k += 1
    return tuple(out)


def _dying(instrument: Instrument, rng: np.random.Generator) -> Case:
    case = make_tune(instrument, rng, bars=int(rng.integers(10, 15)), cells="long")
    share = float(rng.uniform(0.4, 0.55))
    places = []
    case.name = "half"
    if rng.random() < 0.15:
        case.name, share = "as written", 1.0
    for i, note in enumerate(case.line.main_notes):
        if note.duration >= 2 and share < 1.0:
            case.acts[i].sound = share * float(note.duration) * case.local
            places.append(i)
    if places:
        case.expect(("cut_short",), places, "air")
    return case


MAKERS: dict[str, Callable[[Instrument, np.random.Generator], Case]] = {
    "few pitches": _few,
    "few pitches, one fault": _few_faulty,
    "octave": _octave,
    "fingering": _fingering,
    "metre and lengths": _metre,
    "incomplete": _incomplete,
    "road": _road,
    "tempo": _tempo,
    "beside": _beside,
    "articulation": _articulation,
    "dying tone": _dying,
}
