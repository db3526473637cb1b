"""Whether the plan finds what helps: a simulated player with a hidden cause practises what the polish list
says; the fault goes when the drill that mends it is among it, else it comes again in the next take, of
another piece on the same instrument.

python -m bench.helped [--cases N] [--kinds A,B] [--sessions N] [--places N]

`--places`: in how many places of a piece the cause strikes: once, or as often as a habit does. The drill
that mends a cause is given here, by kind and cause, not by the program's table. Exits with 1 where a kind is
helped in fewer than nine cases of ten.
"""

from __future__ import annotations

import argparse
import os
import tempfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

from jeweller.assessment.settings import make_settings
from jeweller.errors import JewellerError
from jeweller.pipeline.check import Options, check
from jeweller.practice.polish import count_in_vain, make_polish_list, thing_of
from jeweller.practice.remedies import RemedyTable, load_remedies
from jeweller.report_format import TakeReport
from jeweller.simulator.classroom import FAMILIES, make_classroom_take, name_classroom_case
from jeweller.simulator.faults import COMMON
from jeweller.simulator.recordings import make_take
from jeweller.simulator.truth import SimulatedTake, write_take

ASKED = 0.9
TOLD = "told"  # there is nothing to practise: that the list says it is what helps
MINUTES = 30
LOOKED_AT = 40  # takes that are looked through for the same cause again
# What mends a cause, else a kind.
MENDS_CAUSE = {
    "forgot_key_signature": "say_scale",
    "previous_key": "say_scale",
    "accidental_not_carried": "reminders",
    "register_lost": "octaves",
    "rest_miscounted": "count_clap",
    "neighbour_fingering": "from_safe",
    "neighbour_slide_position": "from_safe",
}
MENDS = {
    "wrong_note": "switch",
    "extra_note": "switch",
    "missed_note": "slow_bar",
    "missed_accidental": "reminders",
    "added_accidental": "reminders",
    "wrong_octave": "octaves",
    "wrong_partial": "from_safe",
    "cracked": "from_safe",
    "dot_lost": "one_note",
    "dot_overdone": "one_note",
    "uneven": "one_note",
    "late": "far_slow_click",
    "early": "far_slow_click",
    "rushing": "far_slow_click",
    "dragging": "far_slow_click",
    "off_click": "shrinking",
    "rest_short": "count_clap",
    "rest_long": "count_clap",
    "rest_filled": "count_clap",
    "beat_added": "count_clap",
    "beat_dropped": "count_clap",
    "cut_short": "count_clap",
    "held_over": "count_clap",
    "hesitation": "slow_bar",
    "restart": "slow_bar",
    "trill_missed": "trill_slow",
    "trill_thin": "trill_slow",
    "grace_missed": "grace_without",
    "grace_slipped": "grace_without",
    "breath_in_slur": "breaths",
    "sagging": "long_tones",
    "unsteady": "long_tones",
    "out_of_tune": "long_tones",
    "fuzzy": "long_tones",
    "tuned_high": "long_tones",
    "tuned_low": "long_tones",
    "dynamics_flat": "long_tones",
    "bar_skipped": "bars_joined",
    "repeat_skipped": "point_way",
    "breath_every_note": "breaths",
    "not_detached": "one_note",
    "slurred_over_tongue": "one_note",
    "not_joined": "slow_bar",
    "tongued_in_slur": "slow_bar",
    "trill_start": "trill_slow",
    "ornament_wrong": "trill_slow",
    "tie_struck": "count_clap",
    "metre": "count_clap",
    "past_fine": "point_way",
    "jump_skipped": "point_way",
    "wrong_ending": "point_way",
    "wrong_tempo": "far_slow_click",
    "wrong_transposition": TOLD,
}
# What only the player of a classroom does: by family and case.
CLASSROOM = {
    "tie_struck": ("road", "ties struck"),
    "past_fine": ("road", "past fine"),
    "jump_skipped": ("road", "no da capo"),
    "wrong_ending": ("road", "second ending first"),
    "metre": ("metre and lengths", "four in three"),
}
OTHER_SPEED = {"wrong_tempo": 1.4}  # of what is asked for to what is played


def practise(job: tuple[str, int, int, int]) -> tuple[str, int, str]:
    """(kind, the session in which something helped or 0, what was tried) of one player."""
    kind, case, sessions, places = job
    table, cause, told = load_remedies(None), "", list[tuple[list[str], list[str]]]()
    tried: list[str] = []
    first, instrument = 1000 * case, ""
    for session in range(1, sessions + 1):
        found = _next_take(kind, first, instrument, places, cause if session > 1 else None)
        if found is None:
            return kind, -1, "no such fault"
        take, first, cause = found
        instrument = take.instrument.id
        mends = MENDS_CAUSE.get(cause, MENDS.get(kind, ""))
        report = _heard(take, OTHER_SPEED.get(kind))
        if told and report is not None:  # what came again counts before the next list is made
            told[-1][1].extend(thing_of(f) for f in report["findings"])
        drills, worked = _listed(take, report, table, count_in_vain(told))
        if mends in drills or (mends == TOLD and any(thing.startswith(f"{kind}|") for thing in worked)):
            return kind, session, mends
        tried += [f"{mends} wanted, {' '.join(drills) or 'nothing'} given"]
        told.append((worked, []))
    return kind, 0, "; ".join(tried)


def _next_take(
    kind: str, first: int, instrument: str, places: int, cause: str | None
) -> tuple[SimulatedTake, int, str] | None:
    """(a take behind take `first` with the fault, by the same cause where that is known; its number; the
    cause); None where none is found.
    """
    if kind in CLASSROOM:
        family, case = CLASSROOM[kind]
        begin = first - first % len(FAMILIES) + FAMILIES.index(family)
        for number in range(begin, begin + 100 * LOOKED_AT, len(FAMILIES)):
            name, who = name_classroom_case("tune", number)
            if number > first and name == case and instrument in ("", who):
                return make_classroom_take("tune", number), number, ""
        return None
    for number in range(first + 1, first + LOOKED_AT):
        if kind in OTHER_SPEED:
            return make_take("tune", number, faults=0, instrument=instrument), number, ""
        take = make_take("tune", number, kinds=(kind,), faults=places, instrument=instrument)
        planted = [f.get("cause") or "" for f in take.truth["faults"] if f["kind"] == kind]
        if planted and cause in (None, planted[0]):
            return take, number, planted[0]
    return None


def _heard(take: SimulatedTake, faster: float | None) -> TakeReport | None:
    """What the ear says of a take, where it was asked for `faster` than it was played; None where it cannot
    follow.
    """
    with tempfile.TemporaryDirectory() as name:
        folder = write_take(take, Path(name))
        recording = next(p for p in folder.glob("take.*"))
        try:
            asked = make_settings(changes=take.truth.get("asked", {}))  # as the school of its trills
            asked_bpm = take.truth["bpm"] * faster if faster is not None else None
            options = Options(settings=asked, instrument=take.instrument.id, tempo_bpm=asked_bpm)
            return check(folder / "score.musicxml", recording, options).report
        except JewellerError:
            return None


def _listed(
    take: SimulatedTake, report: TakeReport | None, table: RemedyTable, in_vain: dict[str, int]
) -> tuple[list[str], list[str]]:
    """(the drills of the list, what is worked at)."""
    if report is None:
        return [], []
    made = make_polish_list(report, take.line.part, take.instrument, MINUTES, table, in_vain)
    drills = [i.drill.kind for i in made.items if i.drill is not None]
    return drills, [thing_of(i.finding) for i in made.items]


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--cases", type=int, default=10)
    parser.add_argument("--kinds", default="")
    parser.add_argument("--sessions", type=int, default=3)
    parser.add_argument("--places", type=int, default=1)
    options = parser.parse_args()
    kinds = [k for k in options.kinds.split(",") if k] or [
        k for k in (*COMMON, *CLASSROOM, *OTHER_SPEED) if k in MENDS
    ]
    jobs = [(kind, case, options.sessions, options.places) for kind in kinds for case in range(options.cases)]
    short = False
    with ProcessPoolExecutor(2) as pool:
        every = list(pool.map(practise, jobs, chunksize=2))
    print(f"{'kind':20} {'cases':>5} " + " ".join(f"{s}." for s in range(1, options.sessions + 1)) + "  not")
    for kind in kinds:
        rows = [(session, what) for k, session, what in every if k == kind and session >= 0]
        counted = Counter(session for session, _what in rows)
        helped = sum(n for session, n in counted.items() if session)
        short |= not rows or helped < ASKED * len(rows)
        shares = " ".join(f"{counted[s]:2d}" for s in range(1, options.sessions + 1))
        print(f"{kind:20} {len(rows):5d} {shares} {counted[0]:4d}")
        for session, what in rows:
            if not session:
                print(f"    {what}")
    raise SystemExit(int(short))


if __name__ == "__main__":
    main()
