"""What a worker process runs around a plain function: progress, the answer, or why there is none."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from jeweller.errors import Cancelled, JewellerError
from jeweller.i18n import use_language
from jeweller.log import log_fault, start_log


def run_job(
    connection: Connection, stop: Any, function: Callable[..., Any], arguments: tuple[Any, ...], language: str
) -> None:
    """In the worker process: runs the function with `progress` and `cancelled`, answers through the
    connection.
    """
    use_language(language)
    try:
        result = function(
            *arguments,
            progress=lambda share, what: connection.send(("progress", share, what)),
            cancelled=stop.is_set,
        )
        connection.send(("done", result))
    except Cancelled:
        connection.send(("cancelled",))
    except JewellerError as error:
        connection.send(("failed", str(error)))
    except Exception as error:  # noqa: BLE001 -- a fault of the program: the window shows it and stays usable
        start_log()
        connection.send(("failed", log_fault(error, "in a worker process")))
    finally:
        connection.close()
