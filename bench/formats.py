#!/usr/bin/env python3
"""Opens many notation files that nobody here wrote and compares what is understood with what a musicology
toolkit understands.

    pip install music21                       # not needed by Jeweller, nothing of it is kept
    bench/formats.py [--limit 200] [--kinds abc,krn,mxl,xml,mid] [--verbose]

The toolkit's own bundled corpus is read by both. A part agrees where the toolkit has a part whose sounding
notes (as printed, ties not merged, top note of a chord, no grace and cue notes) have the same pitches and the
same lengths in the same order.
"""

from __future__ import annotations

import argparse
import time
import warnings
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import Any


def ours(path: str) -> list[list[tuple[int, Fraction]]]:
    """The parts of every score of a file: (sounding pitch, quarters)."""
    from jeweller.notation.readers.sandbox import load_scores

    out = []
    for score in load_scores(path):
        for part in score.parts:
            notes: list[tuple[int, Fraction]] = []
            for bar in part.bars:
                for n in bar.notes:
                    if n.pitch is None or n.grace or n.cue:
                        continue
                    sounding = n.pitch.midi + part.chromatic
                    if n.chord:
                        notes[-1] = (max(notes[-1][0], sounding), notes[-1][1])
                    else:
                        notes.append((sounding, n.duration))
            out.append(notes)
    return out


def theirs(path: str) -> list[list[tuple[int, Fraction]]]:
    import music21

    warnings.simplefilter("ignore")
    parsed = music21.converter.parse(path, forceSource=True)
    scores = list(parsed.scores) if isinstance(parsed, music21.stream.Opus) else [parsed]
    out = []
    for score in scores:
        for part in score.parts if score.parts else [score]:
            moved = part.toSoundingPitch() if part.atSoundingPitch is False else part
            notes = []
            for n in moved.recurse().notes:
                if n.duration.isGrace or isinstance(n, music21.harmony.Harmony | music21.note.Unpitched):
                    continue
                if n.style.noteSize == "cue" or not n.pitches:
                    continue
                notes.append(
                    (max(p.midi for p in n.pitches), Fraction(n.quarterLength).limit_denominator(96))
                )
            out.append(notes)
    return out


def compare(path: str) -> dict[str, Any]:
    begin = time.perf_counter()
    result: dict[str, Any] = {"path": path, "kind": Path(path).suffix.lower().lstrip(".")}
    try:
        mine = ours(path)
    except Exception as error:  # noqa: BLE001 what fails is counted and named
        return result | {
            "state": "not opened",
            "why": str(error)[:200],
            "seconds": time.perf_counter() - begin,
        }
    result["seconds"] = time.perf_counter() - begin
    try:
        other = theirs(path)
    except Exception as error:  # noqa: BLE001
        return result | {"state": "not opened by the toolkit", "why": repr(error)[:200]}
    other, mine = [p for p in other if p], [p for p in mine if p]
    waiting = list(other)
    agree = 0
    for part in mine:
        if part in waiting:
            waiting.remove(part)
            agree += 1
    why = ""
    if agree < len(mine) and waiting:
        part = next(p for p in mine if p not in other)
        near = max(waiting, key=lambda w: sum(a == b for a, b in zip(part, w, strict=False)))
        at = next(
            (k for k, (a, b) in enumerate(zip(part, near, strict=False)) if a != b), min(len(part), len(near))
        )
        why = (
            f"{len(part)} and {len(near)} notes; from note {at + 1}: ours "
            f"{[(p, str(q)) for p, q in part[at : at + 4]]}, theirs "
            f"{[(p, str(q)) for p, q in near[at : at + 4]]}"
        )
    return result | {
        "state": "agree" if agree == len(mine) == len(other) else "differ",
        "parts": len(mine),
        "agree": agree,
        "of": len(other),
        "why": why,
    }


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--limit", type=int, default=200)
    parser.add_argument("--kinds", default="abc,krn,mxl,xml,mid")
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--verbose", action="store_true")
    options = parser.parse_args()
    import music21

    folder = Path(music21.__file__).parent / "corpus"
    files: list[str] = []
    kinds = options.kinds.split(",")
    for kind in kinds:
        found = sorted(str(p) for p in folder.rglob(f"*.{kind}") if p.stat().st_size < 400_000)
        share = max(1, options.limit // len(kinds))
        files += found[:: max(1, len(found) // share)][:share]
    with ProcessPoolExecutor(options.workers) as pool:
        results = list(pool.map(compare, files, chunksize=4))
    for r in results:
        if options.verbose and r["state"] != "agree":
            print(
                Path(r["path"]).relative_to(folder),
                r["state"],
                f"{r.get('agree', '')}/{r.get('parts', '')}/{r.get('of', '')}",
                r["why"],
            )
    for kind in kinds:
        mine = [r for r in results if r["kind"] == kind]
        states = Counter(r["state"] for r in mine)
        parts, agree = sum(r.get("parts", 0) for r in mine), sum(r.get("agree", 0) for r in mine)
        print(
            f"{kind}: {len(mine)} files: "
            + ", ".join(f"{n} {s}" for s, n in states.most_common())
            + f"; {agree} of {parts} parts agree"
        )


if __name__ == "__main__":
    main()
