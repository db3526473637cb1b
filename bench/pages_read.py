"""How exactly pages are read: notes right in pitch, length and bar, and lines without a fault, for pairs of a
PDF and the MusicXML file that it was engraved from.

python -m bench.pages_read FOLDER [--verbose]

FOLDER holds NAME.pdf and NAME.musicxml; any engraver may have made the page.
"""

from __future__ import annotations

import argparse
from difflib import SequenceMatcher
from pathlib import Path

from jeweller.errors import PageError
from jeweller.notation.model import Part
from jeweller.notation.readers.sandbox import load_score
from jeweller.omr.page import read_pdf

Row = tuple[str, ...]


def rows_of(part: Part) -> list[tuple[str, Row]]:
    """(bar, what counts of a note) of every note and rest, from left to right."""
    out = []
    for k, bar in enumerate(part.bars):
        for note in bar.notes:
            if note.chord or note.cue:
                continue
            pitch = note.pitch.name if note.pitch is not None else "rest"
            length = "grace" if note.grace else "bar" if note.whole_bar else str(note.duration)
            out.append((str(k), (pitch, length, "tie" if note.tie_start else "")))
    return out


def compare(wanted: Part, found: Part) -> tuple[int, int, list[str]]:
    """(notes, of them right, what is wrong)."""
    a, b = rows_of(wanted), rows_of(found)
    matcher = SequenceMatcher(None, a, b, autojunk=False)
    right = sum(size for _i, _j, size in matcher.get_matching_blocks())
    told = [
        f"bar {a[i1][0] if i1 < len(a) else '-'}: {a[i1:i2]} read as {b[j1:j2]}"
        for tag, i1, i2, j1, j2 in matcher.get_opcodes()
        if tag != "equal"
    ]
    return len(a), right, told


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument("--verbose", action="store_true")
    options = parser.parse_args()
    notes = right = pieces = whole = 0
    for pdf in sorted(options.folder.glob("*.pdf")):
        truth = load_score(pdf.with_suffix(".musicxml")).parts[0]
        try:
            read = read_pdf(pdf.read_bytes(), [], None)
        except PageError as error:
            print(f"{pdf.name}: {error}")
            read = []
        count, good, told = (
            compare(truth, read[0].score.parts[0]) if read else (len(rows_of(truth)), 0, ["nothing was read"])
        )
        notes, right, pieces, whole = (
            notes + count,
            right + good,
            pieces + 1,
            whole + (count == good and not told),
        )
        if told and options.verbose:
            print(pdf.name, *told[:12], sep="\n    ")
    share = 100 * right / max(1, notes)
    print(f"{pieces} pieces: {share:.2f} % of {notes} notes right, {whole} without a fault")


if __name__ == "__main__":
    main()
