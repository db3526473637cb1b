#!/usr/bin/env python3
"""Do the first three lines of a page say what a teacher would say first? Twelve badly played takes, each with
the order written down by hand.

    .venv/bin/python bench/pages.py [--verbose]

A case is a tune of the simulated player, the faults that are played, and the three that come first on a
teacher's page, in order: what happens often before what happens once, what throws the count before a single
note, notes before rhythm, rhythm before ornaments and sound; tuning last. Prints how many of the wanted three
are among the report's first three, and how many stand in their very place.
"""

from __future__ import annotations

import argparse
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

# (number of the tune, faults that are played, the first three in a teacher's order)
PAGES: list[tuple[int, tuple[str, ...], tuple[str, ...]]] = [
    (
        900,
        ("missed_accidental", "rest_short", "cracked", "tuned_high"),
        ("missed_accidental", "rest_short", "cracked"),
    ),
    (901, ("wrong_note", "restart", "dot_lost", "cracked"), ("dot_lost", "restart", "wrong_note")),
    (
        902,
        ("bar_skipped", "missed_accidental", "late", "out_of_tune"),
        ("bar_skipped", "missed_accidental", "late"),
    ),
    (903, ("rest_long", "wrong_octave", "uneven", "sagging"), ("rest_long", "wrong_octave", "uneven")),
    (904, ("dragging", "missed_note", "cut_short", "tuned_low"), ("missed_note", "dragging", "cut_short")),
    (905, ("beat_dropped", "wrong_note", "cracked", "unsteady"), ("beat_dropped", "wrong_note", "cracked")),
    (
        906,
        ("missed_accidental", "rushing", "extra_note", "cracked"),
        ("missed_accidental", "rushing", "extra_note"),
    ),
    (
        907,
        ("hesitation", "added_accidental", "grace_missed", "out_of_tune"),
        ("added_accidental", "hesitation", "grace_missed"),
    ),
    (
        908,
        ("rest_short", "wrong_partial", "tongued_in_slur", "tuned_high"),
        ("rest_short", "wrong_partial", "tongued_in_slur"),
    ),
    (
        909,
        ("dot_lost", "missed_accidental", "trill_missed", "cracked"),
        ("missed_accidental", "dot_lost", "trill_missed"),
    ),
    (910, ("restart", "held_over", "wrong_note", "fuzzy"), ("held_over", "wrong_note", "restart")),
    (911, ("rest_filled", "wrong_octave", "late", "sagging"), ("wrong_octave", "rest_filled", "late")),
]
TRIES = 60  # tunes that are looked through for one with room for all the faults
SAME = {
    "hesitation": {"beat_added"},
    "rest_long": {"beat_added", "hesitation"},
}  # names that say the same thing


def page(case: tuple[int, tuple[str, ...], tuple[str, ...]]) -> dict[str, Any]:
    """Plays and checks one case: the kinds wanted first, and the kinds of the report's lines in order."""
    from jeweller.audio.encode import write_sound
    from jeweller.notation.performance import perform_part
    from jeweller.notation.writers.musicxml import write_musicxml
    from jeweller.pipeline.check import check
    from jeweller.simulator.compose import compose
    from jeweller.simulator.faults import Planner
    from jeweller.simulator.perform import Manner, perform
    from jeweller.simulator.plan import Plan
    from jeweller.simulator.recordings import played_instruments
    from jeweller.simulator.room import Room, put_in_room
    from jeweller.synthesis import additive as synth

    number, kinds, wanted = case
    table = played_instruments()
    for k in range(TRIES):
        seed = 7_000_000 + 1000 * number + k
        rng = np.random.default_rng(seed)
        instrument = table[int(rng.integers(len(table)))]
        score = compose(seed, instrument, None)
        line = perform_part(score.title, score.parts[0])
        bpm = line.written_bpm or 90.0
        planner = Planner(line, instrument, rng, bpm)
        plans: list[Plan] = []
        for kind in kinds:
            made = planner.plan(kind)
            if not made:
                break
            plans += made
        else:
            played = perform(line, Manner(bpm=bpm), tuple(plans), seed)
            dry = synth.render(
                list(played.tones), synth.voice(instrument.sound, 40 + number % 10), played.seconds, seed, {}
            )
            sound = put_in_room(dry, synth.RATE, Room(0.4, 0.2, 35.0, -90.0), seed)
            with tempfile.TemporaryDirectory() as folder:
                (Path(folder) / "score.musicxml").write_bytes(write_musicxml(score))
                write_sound(Path(folder) / "take.wav", sound, synth.RATE)
                report = check(Path(folder) / "score.musicxml", Path(folder) / "take.wav").report
            said = [f["kind"] for f in report["findings"] if f["confidence"] >= 0.5]
            return {"number": number, "instrument": instrument.name, "wanted": wanted, "said": said}
    raise SystemExit(f"no tune has room for {kinds}")


def alike(a: str, b: str) -> bool:
    return a == b or b in SAME.get(a, ())


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--verbose", action="store_true")
    options = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(page, PAGES))
    inside = sum(any(alike(w, s) for s in r["said"][:3]) for r in rows for w in r["wanted"])
    placed = sum(alike(w, s) for r in rows for w, s in zip(r["wanted"], r["said"], strict=False))
    if options.verbose:
        for r in rows:
            print(
                r["number"], r["instrument"], "wanted", ", ".join(r["wanted"]), "| said", ", ".join(r["said"])
            )
    total = sum(len(r["wanted"]) for r in rows)
    print(
        f"of the {total} lines a teacher says first, {inside} are among the first three, {placed} "
        "in their very place; lines a page: "
        f"{np.mean([len(r['said']) for r in rows]):.1f} for {np.mean([4 for r in rows]):.0f} faults"
    )


if __name__ == "__main__":
    main()
