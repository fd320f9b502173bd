"""The line to an instrument: connect, say a word, hear what it answers; every trouble told, none guessed over.

Instruments are named by whoever runs Helvor, never by a page; each is an address on this machine or its network.
"""

from __future__ import annotations

import contextlib
import socket
import time
from collections.abc import Iterator
from dataclasses import dataclass

from helvor.core.devices.line import (
    ABSENT,
    ENOUGH,
    GARBLED,
    GONE,
    LONGEST,
    SILENT,
    Device,
    Garbled,
    Indication,
    Taken,
    check_reading,
    device_of,
    failed,
    indication_of,
    line_of,
    trouble,
    words_of,
)

PATIENCE = 2.0
"""Seconds that an answer may take."""
LONGEST_ANSWER = 4_000_000
"""Bytes of an answer that is a picture."""


@dataclass(frozen=True, slots=True)
class At:
    """Where an instrument is reached: its name, and the address of whoever speaks for it.

    Attributes:
        simulated: one of ours, which takes ``set`` and ``fault``, one set for each bench.
    """

    name: str
    host: str
    port: int
    simulated: bool = False


class NoLine(Exception):
    """An instrument could not be reached, or broke off; the message is one of the sentences of the core."""

    def __init__(self, words: str, **more: object) -> None:
        super().__init__(words)
        self.words, self.more = words, more

    def of(self, name: str) -> str:
        return trouble(name, self.words, **self.more)


class Line:
    """An open line to an instrument."""

    def __init__(self, sock: socket.socket) -> None:
        self._sock, self._kept = sock, b""

    def say(self, words: str) -> None:
        """Send words.

        Raises:
            NoLine: it dropped out.
        """
        try:
            self._sock.sendall(line_of(words).encode("ascii", "replace") + b"\n")
        except OSError:
            raise NoLine(GONE) from None

    def hear(self, most: int = LONGEST) -> str:
        """The next line.

        Raises:
            NoLine: nothing came in time, it broke off, or it does not end.
        """
        until = time.monotonic() + PATIENCE
        while b"\n" not in self._kept:
            if len(self._kept) > most:
                raise NoLine(GARBLED, what="a line without an end")
            left = until - time.monotonic()
            if left <= 0:
                raise NoLine(SILENT)
            self._sock.settimeout(left)
            try:
                came = self._sock.recv(65536)
            except TimeoutError:
                raise NoLine(SILENT) from None
            except OSError:
                raise NoLine(GONE) from None
            if not came:
                raise NoLine(GONE)
            self._kept += came
        line, _, self._kept = self._kept.partition(b"\n")
        return line.decode("ascii", "replace")

    def answer(self, words: str) -> str:
        """Say something and hear the words of the answer.

        Raises:
            NoLine: as :meth:`hear`, or the answer is garbled.
        """
        self.say(words)
        longest = LONGEST_ANSWER if words.startswith("picture") else LONGEST
        try:
            return " ".join(words_of(self.hear(longest), longest))
        except Garbled as garbled:
            raise NoLine(GARBLED, what=str(garbled)) from None


@contextlib.contextmanager
def connected(at: At, who: str) -> Iterator[tuple[Line, Device]]:
    """A line to an instrument, which has said who it is.

    Args:
        who: whose set, in letters and digits; a real instrument has but one and does not look at it.

    Raises:
        NoLine: nobody answers there, or something else does.
    """
    try:
        sock = socket.create_connection((at.host, at.port), PATIENCE)
    except OSError:
        raise NoLine(SILENT) from None
    with sock:
        line = Line(sock)
        line.say(f"use {at.name} for {who}" if who else f"use {at.name}")
        said = line.hear()
        if said.startswith("no "):
            raise NoLine(ABSENT)
        try:
            device = device_of(said)
        except Garbled as garbled:
            raise NoLine(GARBLED, what=str(garbled)) from None
        yield line, device


def watched(line: Line, count: int) -> Iterator[Indication]:
    """So many indications, one after the other.

    Raises:
        NoLine: it broke off, fell silent or sent what is none.
    """
    line.say(f"watch {count}")
    for _ in range(count):
        try:
            yield indication_of(line.hear())
        except Garbled as garbled:
            raise NoLine(GARBLED, what=str(garbled)) from None


def take(at: At, who: str, unit: str, wait: int = 25) -> Taken:
    """Take a reading: watch until it rests, at most *wait* indications; a doubt where it does not."""
    seen: list[Indication] = []
    try:
        with connected(at, who) as (line, device):
            for one in watched(line, wait):
                seen.append(one)
                taken = check_reading(at.name, seen, unit, device.step)
                if not taken.doubt:
                    return taken
                if len(seen) >= ENOUGH and one.state in ("over", "under", "unset"):
                    break
            return check_reading(at.name, seen, unit, device.step)
    except NoLine as lost:
        return failed(at.name, unit, lost.words, **lost.more)


@dataclass(frozen=True, slots=True)
class Seen:
    """A display as it looks now: what it is, its digits and state; *trouble* where it could not be seen."""

    at: At
    device: Device | None
    indication: Indication | None
    trouble: str = ""


def look(at: At, who: str) -> Seen:
    """One indication of an instrument, to be shown and never to be written down."""
    named = None
    try:
        with connected(at, who) as (line, device):
            named = device
            return Seen(at, device, next(watched(line, 1)))
    except NoLine as lost:
        return Seen(at, named, None, lost.of(at.name))


def do(at: At, who: str, words: str) -> str:
    """Say words to an instrument; what it answers: ``done``, ``no …`` with its reason, or what it saw.

    Raises:
        NoLine: it could not be reached, or broke off.
    """
    with connected(at, who) as (line, _):
        return line.answer(words)
