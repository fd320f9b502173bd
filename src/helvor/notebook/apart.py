"""Work on files from outside in a process of its own, with a limit on its memory and its time.

What a file can make a decoder do, it does there: the process that serves only waits, and hears a picture or a
sentence. One file is worked on at a time; who waits too long is told to come again.

The answer is one line of JSON and the bytes that it names, so nothing that the other process says is ever run.
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
from importlib import import_module
from pathlib import Path
from threading import Lock
from typing import Any

from helvor.core.record.entry import Problem

MEMORY = 640 * 1024 * 1024
"""Bytes of address space. A picture of 24 million pixels takes a good half of it while it is made smaller."""
SECONDS = 20
PATIENCE = 30.0
"""Seconds that a file waits for those before it."""
TASKS = {
    "photograph": ("helvor.notebook.pictures", "photograph", "Unfit"),
    "beside a step": ("helvor.notebook.pictures", "beside_a_step", "Unfit"),
    "archive": ("helvor.exchange.archive", "try_apart", "BadRecord"),
    "workbook": ("helvor.exchange.table_in", "workbook_in_parts", "BadTable"),
    "document": ("helvor.exchange.document_parts", "text_in_parts", "BadDocument"),
}
"""What can be done apart: a function of a name and bytes that returns numbers, words, lists of them, and bytes, and the
exception whose sentence is for the person."""
_ONE_AT_A_TIME = Lock()
_SOURCE = str(Path(__file__).parents[2])


class Busy(Exception):
    """Others are worked on; it is worth trying again in a few seconds."""


def run_apart(task: str, name: str, content: bytes) -> dict[str, Any]:
    """Do one of :data:`TASKS` with a file.

    Raises:
        Problem: the file is not fit for it, or it would take too much memory or time; with a sentence.
        Busy: others were worked on for :data:`PATIENCE` seconds.
    """
    if not _ONE_AT_A_TIME.acquire(timeout=PATIENCE):
        raise Busy
    try:
        done = subprocess.run(
            [sys.executable, "-m", "helvor.notebook.apart", task, name.encode("utf-8", "replace").hex()],
            input=content,
            capture_output=True,
            timeout=SECONDS,
            check=False,
            cwd="/",
            env={"PYTHONPATH": _SOURCE, "PATH": os.environ.get("PATH", ""), "LC_ALL": "C.UTF-8"},
        )
    except subprocess.TimeoutExpired as slow:
        raise Problem("file", f"{name} takes too long to read. Save it again, smaller.") from slow
    finally:
        _ONE_AT_A_TIME.release()
    head, _, rest = done.stdout.partition(b"\n")
    if done.returncode != 0 or not head:
        # Killed for its memory or its time, or a decoder that fell over: the file is what is wrong with it.
        raise Problem("file", f"{name} cannot be read: it is damaged or too large. Save it again, smaller.")
    said = json.loads(head)
    if "unfit" in said:
        raise Problem("file", said["unfit"])
    found: dict[str, Any] = said["found"]
    for key, size in said["bytes"]:
        found[key], rest = rest[:size], rest[size:]
    return found


def _child(task: str, name: str) -> None:
    """In the other process: limits first, then the work, then the answer."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    module, function, unfit = TASKS[task]
    home = import_module(module)
    content = sys.stdin.buffer.read()
    try:
        found = getattr(home, function)(name, content)
    except MemoryError:
        said: dict[str, Any] = {"unfit": f"{name} takes too much memory to open. Save it again, smaller."}
        parts: list[bytes] = []
    except getattr(home, unfit) as sentence:
        said, parts = {"unfit": str(sentence)}, []
    else:
        blobs = {key: value for key, value in found.items() if isinstance(value, bytes)}
        plain = {key: value for key, value in found.items() if key not in blobs}
        said, parts = {"found": plain, "bytes": [[key, len(value)] for key, value in blobs.items()]}, [*blobs.values()]
    out = sys.stdout.buffer
    out.write(json.dumps(said).encode() + b"\n")
    for part in parts:
        out.write(part)
    out.flush()


if __name__ == "__main__":
    _child(sys.argv[1], bytes.fromhex(sys.argv[2]).decode())
