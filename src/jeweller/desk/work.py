"""What worker processes run: plain functions, importable without a window."""

from __future__ import annotations

import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from jeweller.check import Checked, Options, check
from jeweller.errors import Cancelled, JewellerError
from jeweller.player.model import sounded
from jeweller.player.room import write_sound
from jeweller.score.load import ENDINGS, load_scores
from jeweller.score.model import Part, Score
from jeweller.sheet.leave import render_sheets, write_documents
from jeweller.sheet.parts import SheetSettings, instrument_of, render_parts


def check_take(score: str, take: str, options: Options, progress: Callable[[float, str], None], cancelled: Callable[[], bool]) -> Checked:
    return check(score, take, options, progress=progress, cancelled=cancelled)


def write_pages(report: dict, line: object, findings: list, targets: dict[str, str], player: str,  # type: ignore[type-arg]
                progress: Callable[[float, str], None], cancelled: Callable[[], bool]) -> list[Path]:  # fmt: skip
    progress(0.2, "writing")
    return write_documents(render_sheets(report, line, list(targets), findings, player), targets)  # type: ignore[arg-type]


def write_sheet(score: Score, settings: SheetSettings, targets: dict[str, str], progress: Callable[[float, str], None],
                cancelled: Callable[[], bool]) -> list[Path]:  # fmt: skip
    progress(0.2, "writing")
    return write_documents(render_parts(score, list(targets), settings), targets)


def read_many(paths: list[str], progress: Callable[[float, str], None], cancelled: Callable[[], bool]) -> list[tuple[Score, ...] | str]:
    """The scores of many notation files and of those in folders; a sentence for each that cannot be read."""
    files = [f for p in map(Path, paths) for f in (sorted(q for q in p.rglob("*") if q.suffix.casefold() in ENDINGS) if p.is_dir() else [p])]
    out: list[tuple[Score, ...] | str] = []
    for k, file in enumerate(files):
        if cancelled():
            raise Cancelled
        progress(k / len(files), file.name)
        try:
            out.append(load_scores(file))
        except JewellerError as error:
            out.append(str(error))
    return out


def write_part_sound(part: Part, path: str, progress: Callable[[float, str], None], cancelled: Callable[[], bool]) -> list[Path]:
    progress(0.2, "playing")
    model = sounded(part, instrument_of(part).sound or "flute", count_in=True)
    target = Path(path)
    write_sound(target, model.samples, model.rate)
    return [target]


def run_job(connection: Connection, stop: Any, function: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
    """In the worker process: runs the function with `progress` and `cancelled`, answers through the connection."""
    try:
        result = function(*arguments, progress=lambda share, what: connection.send(("progress", share, what)), cancelled=stop.is_set)
        connection.send(("done", result))
    except Cancelled:
        connection.send(("cancelled",))
    except JewellerError as error:
        connection.send(("failed", str(error)))
    except Exception:  # noqa: BLE001 -- a fault of the program: the window shows it and stays usable
        connection.send(("failed", f"A fault of the program; what was open is safe. Please report it with these lines:\n{traceback.format_exc(limit=-3)}"))
    finally:
        connection.close()
