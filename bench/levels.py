"""How the levels that the program gives agree with a teacher's, on forty pieces judged beforehand.

python -m bench.levels
"""

from __future__ import annotations

from pathlib import Path

from jeweller.difficulty.analysis import HARDEST, LEVELS, analyse_part
from jeweller.instruments.table import require_instrument
from jeweller.notation.readers.abc import read_abc

PIECES = Path(__file__).parent / "pieces" / "levels.abc"
NAMES = [name for _limit, name in LEVELS] + [HARDEST]


def judged() -> list[tuple[int, str, str, str]]:
    """(number, title, level judged, level given) of each piece."""
    out = []
    for block in PIECES.read_text("utf-8").split("\nX:")[1:]:
        fields = dict(line.split(":", 1) for line in block.splitlines()[1:] if line[1:2] == ":")
        level, name = (w.strip() for w in fields["N"].split(";"))
        instrument = require_instrument(name)
        part = read_abc(f"X:{block}")[0].parts[0]
        given = analyse_part(part, instrument).level
        out.append((int(block.split("\n", 1)[0]), fields["T"].strip(), level, given))
    return out


def agreement(rows: list[tuple[int, str, str, str]]) -> tuple[int, int]:
    """How many levels are the same, and how many at most one apart."""
    apart = [abs(NAMES.index(a) - NAMES.index(b)) for _number, _title, a, b in rows]
    return sum(d == 0 for d in apart), sum(d <= 1 for d in apart)


def main() -> None:
    rows = judged()
    for number, title, level, given in rows:
        print(f"{number:3} {title:28} judged {level:12} given {given:12}{'' if level == given else ' *'}")
    for what, chosen in (
        ("fitted (odd)", [r for r in rows if r[0] % 2]),
        ("held out (even)", [r for r in rows if r[0] % 2 == 0]),
    ):
        same, near = agreement(chosen)
        print(f"{what}: the same {same} of {len(chosen)}, at most one apart {near}")


if __name__ == "__main__":
    main()
