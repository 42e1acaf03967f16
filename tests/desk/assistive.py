"""What an assistive tool sees of a program: its accessibility tree over AT-SPI, the open standard of Linux desktops."""

from __future__ import annotations

import contextlib
import os
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from types import TracebackType
from typing import Any

from jeepney import DBusAddress, Properties, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection

ACCESSIBLE = "org.a11y.atspi.Accessible"
SHOWING, FOCUSABLE = 25, 11
"""Numbers of states in AT-SPI's AtspiStateType."""


@dataclass(frozen=True)
class Seen:
    """One thing in the tree: what it is, what it is called, whether it shows and takes the focus; where it stands."""

    role: str
    name: str
    shows: bool
    focusable: bool
    path: tuple[str, ...]


class Bus:
    """A session bus of its own, on which programs tell what they show."""

    def __enter__(self) -> Bus:
        self._daemon = subprocess.Popen(
            ["dbus-daemon", "--session", "--nofork", "--print-address=1"], stdout=subprocess.PIPE, text=True
        )
        assert self._daemon.stdout is not None
        self.environment = {
            **os.environ,
            "DBUS_SESSION_BUS_ADDRESS": self._daemon.stdout.readline().strip(),
            "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
        }
        session = open_dbus_connection(self.environment["DBUS_SESSION_BUS_ADDRESS"])
        launcher = DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus")
        (address,) = session.send_and_get_reply(new_method_call(launcher, "GetAddress")).body
        session.close()
        self._bus: DBusConnection = open_dbus_connection(address)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._bus.close()
        self._daemon.terminate()
        self._daemon.wait()
        assert self._daemon.stdout is not None
        self._daemon.stdout.close()

    def program(self, seconds: float = 20) -> tuple[str, str]:
        """Bus name and path of the one program that tells of itself."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            found = self._children("org.a11y.atspi.Registry", "/org/a11y/atspi/accessible/root")
            if found:
                return found[0]
            time.sleep(0.1)
        raise TimeoutError("no program told of itself")

    def walk(self, at: tuple[str, str], path: tuple[str, ...] = ()) -> Iterator[Seen]:
        """Everything below."""
        name = self._get(at, "Name")
        role = self._call(at, "GetRoleName")
        low, high = self._call(at, "GetState")
        states = low | high << 32
        yield Seen(role, name, bool(states >> SHOWING & 1), bool(states >> FOCUSABLE & 1), path)
        for child in self._children(*at):
            yield from self.walk(child, (*path, name or role))

    def find(self, at: tuple[str, str], name: str) -> tuple[str, str]:
        """What is called so, below."""
        for child in self._children(*at):
            if self._get(child, "Name") == name:
                return child
            with contextlib.suppress(LookupError):
                return self.find(child, name)
        raise LookupError(name)

    def _children(self, owner: str, path: str) -> list[tuple[str, str]]:
        return list(self._call((owner, path), "GetChildren"))

    def _call(self, at: tuple[str, str], method: str) -> Any:
        address = DBusAddress(at[1], at[0], ACCESSIBLE)
        (answer,) = self._bus.send_and_get_reply(new_method_call(address, method), timeout=30).body
        return answer

    def _get(self, at: tuple[str, str], what: str) -> Any:
        address = DBusAddress(at[1], at[0], ACCESSIBLE)
        ((_, value),) = self._bus.send_and_get_reply(Properties(address).get(what), timeout=30).body
        return value
