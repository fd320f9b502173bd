"""The made-up instruments on one loopback socket, each bench with a set of its own.

A line comes in, a line goes out; ``docs/devices.md`` describes the words. ``fault`` makes an instrument drop out, send
garbage or freeze, to see what whoever reads it makes of that.
"""

from __future__ import annotations

import random
import socketserver
import threading
import time
import zlib
from collections import OrderedDict
from typing import Any

from helvor.core.devices.line import Garbled, line_of, words_of
from helvor.simulators.instruments import SET, Clock, Instrument, No

FAULTS = ("none", "drop", "garbage", "freeze")
EVERY = 0.2
"""Seconds between two indications of a watched instrument."""
MOST_SETS = 200
"""Instruments that are kept; those used longest ago are put away."""
LONGEST_WATCH = 600
"""Indications of one watch."""


class Standing:
    """An instrument with its line: the number of its last indication, its fault, and its lock."""

    def __init__(self, instrument: Instrument) -> None:
        self.instrument, self.fault, self.count = instrument, "none", 0
        self.lock = threading.Lock()
        self._last = ""
        self._chance = random.Random(instrument.seed)  # noqa: S311  made-up garbage

    def reading(self) -> str:
        """The next indication, as its words; while frozen, the last one again."""
        if self.fault == "freeze" and self._last:
            return self._last
        self.count += 1
        shown, state = self.instrument.shows()
        self._last = f"reading {self.count} {shown} {self.instrument.unit} {state}"
        return self._last

    def spoilt(self, line: str) -> str:
        """A line with some of its characters exchanged."""
        there = list(line)
        for _ in range(3):
            there[self._chance.randrange(len(there))] = self._chance.choice("0123456789?~gx")
        spoilt = "".join(there)
        return spoilt if spoilt != line else line[::-1]


class Bank(socketserver.ThreadingTCPServer):
    """The server; ``with Bank() as bank`` listens on loopback, at ``bank.port``, until the end."""

    allow_reuse_address, daemon_threads = True, True

    def __init__(self, port: int = 0, clock: Clock = time.monotonic) -> None:
        super().__init__(("127.0.0.1", port), _Line)
        self.clock = clock
        self._sets: OrderedDict[tuple[str, str], Standing] = OrderedDict()
        self._lock = threading.Lock()

    @property
    def port(self) -> int:
        return int(self.server_address[1])

    @property
    def names(self) -> list[str]:
        """Of the instruments in a set."""
        return [name for name, *_ in SET]

    def __enter__(self) -> Bank:
        threading.Thread(target=self.serve_forever, args=(0.1,), name="instruments", daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self.shutdown()
        self.server_close()

    def standing(self, name: str, who: str) -> Standing | None:
        """The instrument of that name in the set of *who*; None where there is no such instrument."""
        kept = next((one for one in SET if one[0] == name), None)
        if kept is None:
            return None
        with self._lock:
            found = self._sets.get((name, who))
            if found is None:
                seed = zlib.crc32(f"{name} {who}".encode()) % 1000
                found = self._sets[name, who] = Standing(kept[1](kept[0], kept[2], kept[3], self.clock, seed))
            self._sets.move_to_end((name, who))
            while len(self._sets) > MOST_SETS:
                self._sets.popitem(last=False)
            return found


class _Line(socketserver.StreamRequestHandler):
    """One connection: ``use NAME for WHO`` first, then words to that instrument."""

    timeout = 30
    server: Bank

    def handle(self) -> None:
        found: Standing | None = None
        try:
            while line := self.rfile.readline(400):
                try:
                    words = words_of(line.decode("ascii", "replace"))
                except Garbled:
                    self._say("no The line does not fit its check digits.")
                    continue
                if not words:
                    self._say("no Nothing was said.")
                elif words[0] == "use" and len(words) in (2, 4):
                    found = self.server.standing(words[1], words[3] if len(words) == 4 else "")
                    self._say(found.instrument.says if found else f"no There is no {words[1]} here.")
                elif found is None:
                    self._say("no Say which instrument first: use NAME.")
                elif not self._serve(found, words):
                    return
        except (TimeoutError, OSError):
            return  # whoever read has gone; the instrument stands as it stood

    def _serve(self, found: Standing, words: list[str]) -> bool:
        """Answer words to an instrument; False where the line is cut."""
        word, rest = words[0], words[1:]
        if word == "fault" and len(rest) == 1 and rest[0] in FAULTS:
            with found.lock:
                found.fault = rest[0]
            self._say("done")
        elif word == "watch" and len(rest) == 1 and rest[0].isdecimal():
            return self._watch(found, min(int(rest[0]), LONGEST_WATCH))
        elif word == "read" and not rest:
            return self._watch(found, 1)
        else:
            self._do(found, word, rest)
        return True

    def _do(self, found: Standing, word: str, rest: list[str]) -> None:
        instrument = found.instrument
        try:
            with found.lock:
                if word == "set" and len(rest) == 2:
                    instrument.put(rest[0], rest[1])
                    answer = ""
                else:
                    answer = instrument.act(word, rest)
        except No as no:
            self._say(f"no {no}")
            return
        self._say(answer or "done")

    def _watch(self, found: Standing, count: int) -> bool:
        for number in range(count):
            with found.lock:
                fault, words = found.fault, found.reading()
            if fault == "drop":
                return False
            line = line_of(words)
            self._send(found.spoilt(line) if fault == "garbage" else line)
            if number + 1 < count:
                time.sleep(EVERY)
        return True

    def _say(self, words: str) -> None:
        self._send(line_of(words))

    def _send(self, line: str) -> None:
        self.wfile.write(line.encode("ascii", "replace") + b"\n")

    def finish(self) -> None:
        try:
            super().finish()
        except OSError:
            return


def serve(port: int, say: Any) -> None:
    """Run the instruments until the process is told to stop."""
    with Bank(port) as bank:
        say(f"Made-up instruments listen on 127.0.0.1:{bank.port}.")
        threading.Event().wait()
