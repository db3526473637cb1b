"""Makes the scanned method page of the demo: exercises of our own, engraved, laid on a scanner a little askew.

.venv/bin/python tools/make_demo_page.py        (from the project's folder)
"""

from __future__ import annotations

import dataclasses
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))
sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

import numpy as np
from bench.spoil import scan
from PIL import Image

from jeweller.assets import DEMO
from jeweller.documents.page import html_to_pdf
from jeweller.documents.parts import parts_page
from jeweller.notation.model import Bar, Part, Score
from jeweller.notation.readers.abc import read_abc
from jeweller.omr.pdf import render_page

DPI = 200.0
TUNES = (
    ("21", "M:4/4\nL:1/4\nK:F\nF G A F|G A B2|A G F E|F4|]"),
    ("22", "M:3/4\nL:1/4\nK:Bb\nB3|c2 d|e d c|B3|d2 c|B2 A|G A c|B3|]"),
    ("23", "M:4/4\nL:1/8\nK:C\nc2 c d e2 z2|f2 e d c4|z2 G2 A2 B2|c d e d c4|]"),
    ("24", "M:2/4\nL:1/8\nK:G\n(GA) (Bc)|d2 .d.B|c>B A2|G4|(3BAG (3AGF|G2 z2|D2 ^C2|D4|]"),
    ("25", "M:6/8\nL:1/8\nK:F\n|:c2A F2A|B2G G3|A2F D2E|F3 F2z:|"),
    ("26", "M:4/4\nL:1/4\nK:Eb\n!f!E G B>A|G2 F2|!p!=A B c d|e2 z2|B/c/ d/B/ A G|!fermata!E4|]"),
)  # fmt: skip


def exercises() -> Part:
    """The exercises one below the other, each with its number."""
    bars: list[Bar] = []
    first: Part | None = None
    for number, music in TUNES:
        part = read_abc(f"X:1\nT:{number}\n{music}\n")[0].parts[0]
        first = first or part
        for k, bar in enumerate(part.bars):
            name = f"{len(bars) + 1}"
            notes = tuple(dataclasses.replace(n, id=f"{number}.{n.id}") for n in bar.notes)
            bars.append(
                dataclasses.replace(bar, number=name, notes=notes, heading=f"{number}." if not k else "")
            )
    assert first is not None
    return dataclasses.replace(first, bars=tuple(bars), name="Clarinet in B♭")


def main() -> None:
    pdf = html_to_pdf(parts_page(Score("Page 9: crossing the lock", (exercises(),))))
    page = scan(render_page(pdf, 0, 300.0), np.random.default_rng(9))
    small = Image.fromarray(page)
    small = small.resize(
        (round(small.width * DPI / 300), round(small.height * DPI / 300)), Image.Resampling.BOX
    )
    path = DEMO / "page-9.jpg"
    small.save(path, "JPEG", quality=62, dpi=(round(DPI), round(DPI)))
    print(f"{path.name}: {path.stat().st_size / 1024:.0f} KB")


if __name__ == "__main__":
    main()
