"""Messages between a worker and its owner: whatever can be pickled, its large arrays through shared memory
instead of the pipe, so that whoever owns a window does not stand at the pipe while a recording comes through.
"""

from __future__ import annotations

import os
import pickle
from multiprocessing.connection import Connection
from multiprocessing.reduction import recv_handle, send_handle
from typing import Any

LARGE = 1 << 18  # bytes from which an array does not go through the pipe


def send_message(connection: Connection, message: object) -> None:
    """Sends a message through one end of a `multiprocessing.Pipe`. Raises OSError where nobody is there.

    >>> import numpy as np
    >>> from multiprocessing import Pipe
    >>> here, there = Pipe()
    >>> send_message(there, ("done", 3))
    >>> receive_message(here)
    ('done', 3)
    """
    large: list[memoryview] = []

    def keep(buffer: pickle.PickleBuffer) -> bool:
        """Whether the buffer stays in the pickle."""
        try:
            raw = buffer.raw()
        except BufferError:  # it does not lie in one piece
            return True
        if raw.nbytes < LARGE:
            return True
        large.append(raw)
        return False

    data = pickle.dumps(message, protocol=5, buffer_callback=keep)
    sizes = [raw.nbytes for raw in large]
    if not large:
        connection.send(sizes)
        connection.send_bytes(data)
        return
    memory = os.memfd_create("message")
    try:  # all is there before the first of it is heard of
        for raw in large:
            while raw.nbytes:
                raw = raw[os.write(memory, raw) :]
        connection.send(sizes)
        connection.send_bytes(data)
        send_handle(connection, memory, None)
    finally:
        os.close(memory)


def receive_message(connection: Connection) -> Any:
    """The next message of `send_message`; waits for it. Raises EOFError, OSError where nobody is there."""
    sizes = connection.recv()
    data = connection.recv_bytes()
    if not sizes:
        return pickle.loads(data)
    memory = recv_handle(connection)
    try:
        buffers, at = [bytearray(size) for size in sizes], 0
        for buffer in buffers:
            rest = memoryview(buffer)
            while rest.nbytes:
                read = os.preadv(memory, [rest], at)
                if not read:
                    raise EOFError
                rest, at = rest[read:], at + read
    finally:
        os.close(memory)
    return pickle.loads(data, buffers=buffers)
