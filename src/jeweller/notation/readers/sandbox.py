"""Opening a notation file safely: the bytes go to a child process with limits on time, memory and files, a
plain Score comes back.

The child (`python -m jeweller.notation.readers.sandbox`) reads the bytes from its standard input and never
opens the file itself; it may use 20 s of processor time and 1 GB, may write no file, and answers in JSON,
never in pickles.
"""

from __future__ import annotations

import dataclasses
import functools
import hashlib
import json
import os
import resource
import signal
import subprocess
import sys
from fractions import Fraction
from pathlib import Path
from typing import Any

from jeweller.errors import ScoreError
from jeweller.files import parse_json, read_regular, shown_name, shown_text
from jeweller.i18n import N_, _
from jeweller.notation.model import Part, Score
from jeweller.serialization import from_plain, to_plain

CHILD_SECONDS = 20
CHILD_BYTES = 1024 * 2**20
FILE_BYTES = 64 * 2**20
TOO_LONG = N_("{name} takes too long to read and was given up; the file is probably damaged.")


def load_score(path: str | os.PathLike[str], tune: str | None = None) -> Score:
    """Reads a notation file: of a tunebook the tune asked for by its title or its number from 1, else the
    first. Raises ScoreError with one sentence.

    >>> import tempfile
    >>> folder = tempfile.TemporaryDirectory()
    >>> book = Path(folder.name) / "book.abc"
    >>> text = "X:1\\nT:First\\nL:1/4\\nK:C\\nCDEF|\\n\\nX:2\\nT:Second\\nL:1/4\\nK:G\\nGABc|\\n"
    >>> written = book.write_text(text)
    >>> load_score(book, "Second").title, load_score(book, "2").title
    ('Second', 'Second')
    >>> folder.cleanup()
    """
    scores = load_scores(path)
    if len(scores) == 1 and tune is None:
        return scores[0]
    if tune is None:
        rest = _("{name} holds {n} tunes; this is the first, “{title}”").format(
            name=Path(path).name, n=len(scores), title=scores[0].title
        )
        return dataclasses.replace(scores[0], warnings=(rest, *scores[0].warnings))
    if tune.isdigit() and 1 <= int(tune) <= len(scores):
        return scores[int(tune) - 1]
    found = next((s for s in scores if tune.casefold() in s.title.casefold()), None)
    if found is None:
        titles = ", ".join(f"{k} {s.title}" for k, s in enumerate(scores[:20], 1))
        raise ScoreError(
            (
                _("There is no tune “{tune}” in {file}; it holds {titles} and more.")
                if len(scores) > 20
                else _("There is no tune “{tune}” in {file}; it holds {titles}.")
            ).format(tune=tune, file=Path(path).name, titles=titles)
        )
    return found


def load_scores(path: str | os.PathLike[str], *, grid: Fraction | None = None) -> tuple[Score, ...]:
    """Every score of a notation file; `grid` in quarters for a MIDI file, None: chosen by fit. Raises
    ScoreError with one sentence that says what, where and what to do.

    >>> import tempfile
    >>> folder = tempfile.TemporaryDirectory()
    >>> book = Path(folder.name) / "book.abc"
    >>> text = "X:1\\nT:First\\nL:1/4\\nK:C\\nCDEF|\\n\\nX:2\\nT:Second\\nL:1/4\\nK:G\\nGABc|\\n"
    >>> written = book.write_text(text)
    >>> [score.title for score in load_scores(book)]
    ['First', 'Second']
    >>> folder.cleanup()
    """
    path = Path(path)
    try:
        if path.is_dir():
            raise ScoreError(
                _(
                    "{name} is a folder; choose a notation file (.musicxml, .mxl, .mei, .abc, .krn, .mid)."
                ).format(name=shown_name(path))
            )
        data = read_regular(path, FILE_BYTES)
    except FileNotFoundError as error:
        raise ScoreError(_("There is no file {path}.").format(path=shown_text(str(path)))) from error
    except OSError as error:
        raise ScoreError(
            _("{name} cannot be read: {value}.").format(name=shown_name(path), value=error.strerror or error)
        ) from error
    except ValueError as error:
        raise ScoreError(
            _("{name} is too large; a notation file of more than 64 MB is not opened.").format(
                name=shown_name(path)
            )
        ) from error
    return _load_cached(_Bytes(data), shown_name(path), grid)


class _Bytes:
    """The bytes of a file, told apart by their SHA-256: a cache keeps the sum, and lets the bytes go."""

    def __init__(self, data: bytes) -> None:
        self.data: bytes = data
        self.sha256 = hashlib.sha256(data).digest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Bytes) and self.sha256 == other.sha256

    def __hash__(self) -> int:
        return hash(self.sha256)


@functools.lru_cache(maxsize=32)
def _load_cached(file: _Bytes, name: str, grid: Fraction | None) -> tuple[Score, ...]:
    data, file.data = file.data, b""
    return _load_bytes(data, name, grid)


def _load_bytes(data: bytes, name: str, grid: Fraction | None) -> tuple[Score, ...]:
    environment = {k: v for k, v in os.environ.items() if k not in ("PYTHONSTARTUP", "PYTHONINSPECT")}
    command = [
        sys.executable,
        "-P",
        "-m",
        "jeweller.notation.readers.sandbox",
        *([str(grid)] if grid else []),
    ]
    try:
        run = subprocess.run(
            command, input=data, capture_output=True, timeout=CHILD_SECONDS + 10, env=environment, check=False
        )
    except subprocess.TimeoutExpired:
        raise ScoreError(_(TOO_LONG).format(name=name)) from None
    try:
        answer = parse_json(run.stdout)
    except ValueError:
        slow = run.returncode in (-signal.SIGXCPU, -signal.SIGKILL)
        told = _(TOO_LONG) if slow else _("{name} cannot be read; it is probably damaged.")
        raise ScoreError(told.format(name=name)) from None
    if "error" in answer:
        raise ScoreError(f"{name}: {answer['error']}")
    return tuple(from_plain(Score, s) for s in answer["scores"])


def choose_part(score: Score, wanted: str | None = None) -> Part:
    """The part named (by name, instrument, id or number from 1), or the first with notes. Raises ScoreError,
    naming the parts there are.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> choose_part(score, "1").note_count
    4
    >>> names = tuple(dataclasses.replace(score.parts[0], name=n) for n in ("Flute", "Trumpet in B♭"))
    >>> choose_part(dataclasses.replace(score, parts=names), "trumpet in Bb").name
    'Trumpet in B♭'
    """
    names = ", ".join(f"{i + 1} {p.name}" for i, p in enumerate(score.parts))
    if wanted:
        if wanted.isdigit():
            if 1 <= int(wanted) <= len(score.parts):
                return score.parts[int(wanted) - 1]
            raise ScoreError(
                _("There is no part {wanted}; the score has {names}.").format(wanted=wanted, names=names)
            )
        for same in (str.__eq__, lambda a, b: a.startswith(b), lambda a, b: b in a):
            for part in score.parts:
                if any(same(_plain(t), _plain(wanted)) for t in (part.name, part.instrument, part.id)):
                    return part
        raise ScoreError(
            _("There is no part “{wanted}”; the score has {names}.").format(wanted=wanted, names=names)
        )
    for part in score.parts:
        if part.note_count:
            return part
    raise ScoreError(_("This score has no notes."))


def _plain(name: str) -> str:
    """A name as it is typed: “Trumpet in Bb” is “Trumpet in B♭”."""
    return " ".join(name.casefold().replace("♭", "b").replace("♯", "#").split())


def usable_part(score: Score, wanted: str | None = None, *, rhythm_only: bool = False) -> Part:
    """`choose_part`, refusing parts a single melody instrument's take cannot be checked against (not for
    their rhythm alone). Raises ScoreError.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> score = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|")[0]
    >>> usable_part(score, None).note_count
    4
    """
    part = choose_part(score, wanted)
    if not part.note_count:
        raise ScoreError(_("The part “{name}” has no notes.").format(name=part.name))
    if part.has_chords and not rhythm_only and not part.percussion:
        bar = next(b.number for b in part.bars for n in b.notes if n.chord and not n.cue)
        raise ScoreError(
            _(
                "The part “{name}” has chords (the first in bar {bar}); Jeweller follows one note "
                "at a time. Choose a part with single notes."
            ).format(name=part.name, bar=bar)
        )
    return part


def answer_for(data: bytes, grid: Fraction | None) -> dict[str, Any]:
    """What the child process answers for the bytes of a file: {"scores": …}, or {"error": a sentence}
    whatever a damaged file does to a reader.

    >>> answer_for(b"PK", None)["error"][:28]
    'This is no notation file tha'
    """
    from jeweller.notation.readers import detect as opening

    try:
        return {"scores": [to_plain(s, lean=True) for s in opening.read(data, grid)]}
    except ScoreError as error:
        return {"error": str(error)}
    except (MemoryError, RecursionError):
        return {"error": _("it needs more memory than a score ever does; it is probably damaged.")}
    except Exception:  # noqa: BLE001 -- readers are many, and so are the ways to damage a file
        return {"error": _("it cannot be read; it is probably damaged.")}


def limit_child(seconds: int) -> None:
    """Limits this process, which reads foreign bytes: its processor time, `CHILD_BYTES`, no file written.

    >>> limited = "from jeweller.notation.readers.sandbox import limit_child; limit_child(5); "
    >>> asked = limited + "import resource; print(resource.getrlimit(resource.RLIMIT_FSIZE))"
    >>> subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True).stdout.strip()
    '(0, 0)'
    """
    resource.setrlimit(resource.RLIMIT_AS, (CHILD_BYTES, CHILD_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _child() -> int:
    data = sys.stdin.buffer.read()
    limit_child(CHILD_SECONDS)
    answer = answer_for(data, Fraction(sys.argv[1]) if len(sys.argv) > 1 else None)
    sys.stdout.write(json.dumps(answer))
    return 0


if __name__ == "__main__":
    sys.exit(_child())
