"""What worker processes run: plain functions, importable without a window."""

from __future__ import annotations

import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from jeweller.check import Checked, Options, check
from jeweller.errors import Cancelled, JewellerError
from jeweller.score.model import Score
from jeweller.sheet.leave import render_sheets, write_documents
from jeweller.sheet.parts import SheetSettings, render_parts


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
