"""The window as a screen reader has it: a display, a session bus and the accessibility bus of a desktop, and a
reader that walks what the program tells there.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jeepney import DBusAddress, HeaderFields, MatchRule, Properties, message_bus, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection

BUS_LAUNCHER = Path("/usr/libexec/at-spi-bus-launcher")
ACCESSIBLE, ACTION = "org.a11y.atspi.Accessible", "org.a11y.atspi.Action"
# The states that are asked for here, by their numbers in the specification of AT-SPI.
STATES = {"checked": 4, "focusable": 11, "showing": 25}


@dataclass
class Node:
    """One thing that a screen reader meets."""

    reader: Reader
    where: tuple[str, str]
    role: str
    name: str
    description: str
    states: frozenset[str]
    children: list[Node] = field(default_factory=list)

    def every(self) -> Iterator[Node]:
        yield self
        for child in self.children:
            yield from child.every()

    def press(self) -> None:
        """The first thing that can be done with it."""
        self.reader.call(self.where, ACTION, "DoAction", "i", (0,))


class Reader:
    """A screen reader's connection to the accessibility bus. Raises OSError where there is none."""

    def __init__(self, address: str) -> None:
        self.bus: DBusConnection = open_dbus_connection(address)

    def call(
        self,
        where: tuple[str, str],
        interface: str,
        method: str,
        kinds: str = "",
        values: tuple[Any, ...] = (),
    ) -> tuple[Any, ...]:
        address = DBusAddress(where[1], bus_name=where[0], interface=interface)
        message = new_method_call(address, method, kinds or None, values)
        reply = self.bus.send_and_get_reply(message, timeout=20)
        if reply.header.message_type.name == "error":
            raise OSError(f"{method} of {where}: {reply.body}")
        return tuple(reply.body)

    def applications(self) -> list[tuple[str, str]]:
        root = ("org.a11y.atspi.Registry", "/org/a11y/atspi/accessible/root")
        return [tuple(c) for c in self.call(root, ACCESSIBLE, "GetChildren")[0]]

    def look(self, where: tuple[str, str]) -> Node:
        """What is there now, and all that shows below it."""
        told = Properties(DBusAddress(where[1], bus_name=where[0], interface=ACCESSIBLE))
        name, description = (
            str(self.bus.send_and_get_reply(told.get(n), timeout=20).body[0][1])
            for n in ("Name", "Description")
        )
        bits = self.call(where, ACCESSIBLE, "GetState")[0]
        states = frozenset(n for n, k in STATES.items() if bits[k // 32] >> (k % 32) & 1)
        (role,) = self.call(where, ACCESSIBLE, "GetRoleName")
        node = Node(self, where, role, name, description, states)
        if role in ("application", "frame") or "showing" in states:
            children = self.call(where, ACCESSIBLE, "GetChildren")[0]
            node.children = [self.look((c[0], c[1])) for c in children if c[1] != "/org/a11y/atspi/null"]
        return node

    def wait(self, ready: Callable[[], Any], seconds: float = 40.0) -> Any:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            with contextlib.suppress(OSError):
                if found := ready():
                    return found
            time.sleep(0.1)
        raise TimeoutError("waited in vain")

    @contextlib.contextmanager
    def hearing(self) -> Iterator[list[tuple[str, str, str]]]:
        """What is announced meanwhile: (event, detail, words)."""
        registry = DBusAddress(
            "/org/a11y/atspi/registry",
            bus_name="org.a11y.atspi.Registry",
            interface="org.a11y.atspi.Registry",
        )
        for event in (
            "object:announcement",
            "focus:",
            "object:state-changed:focused",
        ):  # nobody speaks unasked
            self.bus.send_and_get_reply(new_method_call(registry, "RegisterEvent", "sass", (event, [], "")))
        rule = MatchRule(type="signal", interface="org.a11y.atspi.Event.Object")
        self.bus.send_and_get_reply(message_bus.AddMatch(rule))
        heard: list[tuple[str, str, str]] = []
        with self.bus.filter(rule) as queue:
            yield heard
            end = time.monotonic() + 1.0
            while time.monotonic() < end:
                with contextlib.suppress(TimeoutError):
                    signal = self.bus.recv_until_filtered(queue, timeout=0.3)
                    heard.append(
                        (signal.header.fields[HeaderFields.member], signal.body[0], str(signal.body[3][1]))
                    )


@contextlib.contextmanager
def desktop() -> Iterator[tuple[dict[str, str], Callable[[], Reader]]]:
    """A display and its buses: (environment of programs on it, what makes a reader)."""
    with contextlib.ExitStack() as stack:
        home = stack.enter_context(tempfile.TemporaryDirectory())
        read, write = os.pipe()
        _started(
            stack,
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
            write,
        )
        os.close(write)
        with os.fdopen(read) as pipe:
            display = f":{pipe.readline().strip()}"
        bus = _started(stack, ["dbus-daemon", "--session", "--nofork", "--print-address"])
        assert bus.stdout is not None
        environment = {
            **{k: v for k, v in os.environ.items() if k != "QT_QPA_PLATFORM"},
            "DISPLAY": display,
            "DBUS_SESSION_BUS_ADDRESS": bus.stdout.readline().strip(),
            "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
            "QT_QPA_PLATFORM": "xcb",
            **dict.fromkeys(
                ("HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_RUNTIME_DIR"), home
            ),
        }
        _started(stack, [str(BUS_LAUNCHER), "--launch-immediately"], environment=environment)
        session = open_dbus_connection(environment["DBUS_SESSION_BUS_ADDRESS"])
        stack.callback(session.close)

        def reader() -> Reader:
            a11y = DBusAddress("/org/a11y/bus", bus_name="org.a11y.Bus", interface="org.a11y.Bus")
            reply = session.send_and_get_reply(new_method_call(a11y, "GetAddress"), timeout=20)
            return Reader(str(reply.body[0]))

        yield environment, reader


def _started(
    stack: contextlib.ExitStack,
    command: list[str],
    keep: int | None = None,
    environment: dict[str, str] | None = None,
) -> subprocess.Popen[str]:
    process = subprocess.Popen(
        command,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        env=environment,
        pass_fds=() if keep is None else (keep,),
    )

    def end() -> None:
        process.terminate()
        process.wait(10)
        if process.stdout is not None:
            process.stdout.close()

    stack.callback(end)
    return process
