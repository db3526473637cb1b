"""The same work on a Dask cluster: not more in flight than a scheduler carries lightly, and taken up again
where the scheduler was started anew. Needs the package `distributed`, which few have: loaded here alone.
"""

from __future__ import annotations

import collections
import logging
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from jeweller.errors import JewellerError
from jeweller.i18n import _
from jeweller.pipeline.workers import TRIES

if TYPE_CHECKING:
    from distributed import Client, Security

IN_FLIGHT = 2_000  # jobs: all workers of a large cluster stay busy, and no report waits long for its reader
CONNECT_S = 5.0
AWAY_S = 120.0  # how long a scheduler may be away before the run is given up
ROUNDS_IN_VAIN = 3  # a scheduler that goes as often before one job is done ends the run
LOUD = ("distributed", "distributed.client", "distributed.batched", "distributed.comm")
CERTIFICATES = ("ca.pem", "cert.pem", "key.pem")

Item = TypeVar("Item")


def run_on_cluster(
    items: Sequence[Item],
    function: Callable[[Item], Any],
    address: str,
    *,
    certificates: Path | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    away_s: float = AWAY_S,
) -> Iterator[tuple[Item, Any]]:
    """Runs a function on each item and yields (item, what came of it) as it is known; what came may be the
    exception that ended it. `certificates` is a folder with `ca.pem`, `cert.pem` and `key.pem` for an address
    that begins with `tls://`. Raises JewellerError where no cluster answers, or not any more.
    """
    waiting = collections.deque(items)
    security = _security(address, certificates)
    vain, first = 0, True
    while waiting:
        client = _connected(address, security, 0.0 if first else away_s)
        first, before = False, len(waiting)
        with client:
            yield from _flight(client, waiting, function, cancelled)
        vain = vain + 1 if len(waiting) == before else 0
        if vain == ROUNDS_IN_VAIN:
            raise _gone(address)


def _flight(
    client: Client,
    waiting: collections.deque[Item],
    function: Callable[[Item], Any],
    cancelled: Callable[[], bool],
) -> Iterator[tuple[Item, Any]]:
    """Until all is done, or the scheduler goes: then what is not done waits again."""
    from distributed import as_completed

    flying: dict[Any, Item] = {}

    def send() -> Any:
        item = waiting.popleft()
        future = client.submit(function, item, pure=False, retries=TRIES - 1)
        flying[future] = item
        return future

    landed = as_completed([send() for _unused in range(min(IN_FLIGHT, len(waiting)))], loop=client.loop)
    for future in landed:
        item = flying.pop(future)
        came: Any
        try:
            came = future.exception() if future.status == "error" else future.result(timeout=CONNECT_S)
            lost = future.status not in ("error", "finished")
        except Exception:  # noqa: BLE001 -- the way to the scheduler broke: cancelled, timed out, closed
            lost = True
        if lost:
            waiting.extendleft([*flying.values(), item])
            return
        future.release()
        yield item, came
        if cancelled():
            client.cancel(list(flying))
            waiting.clear()
            return
        if waiting:
            landed.add(send())


def _connected(address: str, security: Security, patience_s: float) -> Client:
    """Raises JewellerError."""
    from distributed import Client

    end = time.monotonic() + patience_s
    while True:
        try:
            return Client(address, timeout=f"{CONNECT_S:g}s", security=security, set_as_default=False)
        except (OSError, ValueError, TimeoutError, RuntimeError) as error:
            if patience_s and time.monotonic() > end:
                raise _gone(address) from error
            if not patience_s:
                raise JewellerError(
                    _("No cluster answers at {scheduler} ({error}).").format(scheduler=address, error=error)
                ) from error
        time.sleep(1.0)


def _gone(address: str) -> JewellerError:
    return JewellerError(
        _(
            "The cluster at {scheduler} does not answer any more. What is done is kept: the same command "
            "goes on from there."
        ).format(scheduler=address)
    )


def _security(address: str, certificates: Path | None) -> Security:
    """Raises JewellerError."""
    try:
        from distributed import Security
    except ImportError:
        raise JewellerError(
            _("--scheduler needs the package “distributed”; install it beside Jeweller and try again.")
        ) from None
    for name in LOUD:  # what is lost is told by this module, in a sentence
        logging.getLogger(name).setLevel(logging.CRITICAL)
    if certificates is None:
        if address.startswith("tls:"):
            raise JewellerError(
                _("{scheduler} wants certificates: name their folder with --certificates.").format(
                    scheduler=address
                )
            )
        return Security()
    if not address.startswith("tls:"):
        raise JewellerError(
            _("Certificates are for an address that begins with tls://; {scheduler} does not.").format(
                scheduler=address
            )
        )
    authority, own, key = (certificates / name for name in CERTIFICATES)
    for file in (authority, own, key):
        if not file.is_file():
            raise JewellerError(
                _("{folder} holds no {name}; wanted are {names}.").format(
                    folder=certificates, name=file.name, names=", ".join(CERTIFICATES)
                )
            )
    return Security(
        tls_ca_file=str(authority),
        tls_client_cert=str(own),
        tls_client_key=str(key),
        require_encryption=True,
    )
