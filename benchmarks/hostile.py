"""What hostile uploads cost in memory, and how long a dead database takes to come back, as ratios in one run.

The service is the command itself with its children, as people start it; PostgreSQL's own memory is told apart.
"""

from __future__ import annotations

import http.client
import io
import json
import os
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
from collections import Counter
from pathlib import Path
from uuid import uuid4

import numpy as np
from harness import Client
from openpyxl import Workbook
from PIL import Image

from helvor.notebook.server import LocalServer, free_port

ROOT = Path(__file__).resolve().parents[1]
AT_ONCE = 10
AIM_MB = 400


def _png(size: int) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (size, size), "white").save(out, "PNG")
    return out.getvalue()


def _grey() -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.zeros((4800, 4800), "uint16")).save(out, "PNG")
    return out.getvalue()


def _jpeg() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (8000, 6000), "white").save(out, "JPEG", quality=30)
    return out.getvalue()


def _workbook() -> bytes:
    """A row number out of this world."""
    plain, out, book = io.BytesIO(), io.BytesIO(), Workbook()
    book.active.append(["bench", "Rf"])
    book.active.append(["1", "0.4"])
    book.save(plain)
    with zipfile.ZipFile(plain) as before, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as after:
        for info in before.infolist():
            held = before.read(info)
            if info.filename.endswith("sheet1.xml"):
                held = held.replace(b'r="2"', b'r="2000000000"').replace(b"A1:B2", b"A1:B2000000000")
            after.writestr(info.filename, held)
    return out.getvalue()


def _archive() -> bytes:
    """Ninety megabytes of nothing in a small zip."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("class.json", b" " * 90_000_000)
    return out.getvalue()


def memory_of(process: int) -> tuple[float, float]:
    """MB that a process and its children hold: the service's, and PostgreSQL's."""
    parents: dict[int, int] = {}
    held: dict[int, tuple[str, float]] = {}
    for folder in Path("/proc").iterdir():
        if not folder.name.isdigit():
            continue
        try:
            status = (folder / "status").read_text()
            name, parent = re.search(r"Name:\s+(.*)", status), re.search(r"PPid:\s+(\d+)", status)
            # Each page's share: a child that was just forked holds nothing of its own yet.
            share = re.search(r"Pss:\s+(\d+) kB", (folder / "smaps_rollup").read_text())
        except OSError:
            continue
        if name and parent and share:
            parents[int(folder.name)] = int(parent[1])
            held[int(folder.name)] = (name[1], int(share[1]) / 1024)

    def ours(one: int) -> bool:
        while one > 1:
            if one == process:
                return True
            one = parents.get(one, 0)
        return False

    mine = [held[one] for one in held if ours(one)]
    database = sum(mb for name, mb in mine if name.startswith("postgres"))
    return sum(mb for _, mb in mine) - database, database


class Watch(threading.Thread):
    """The most memory that was held while it ran."""

    def __init__(self, process: int) -> None:
        super().__init__(daemon=True)
        self.process, self.most, self.over = process, 0.0, threading.Event()

    def run(self) -> None:
        while not self.over.wait(0.02):
            self.most = max(self.most, memory_of(self.process)[0])


def upload(client: Client, path: str, name: str, content: bytes) -> int:
    """Send a file as a browser's form does; the status of the answer."""
    border, parts = uuid4().hex, []
    for key, value in (("csrf", client.headers["X-CSRF-Token"]), ("entry", str(uuid4()))):
        parts.append(f'--{border}\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{value}\r\n'.encode())
    parts.append(f'--{border}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode())
    body = b"".join([*parts, content, f"\r\n--{border}--\r\n".encode()])
    connection = http.client.HTTPConnection("127.0.0.1", client.connection.port, timeout=120)
    kind = {"Content-Type": f"multipart/form-data; boundary={border}"}
    connection.request("POST", path, body, client.headers | kind)
    answer = connection.getresponse()
    answer.read()
    return answer.status


def all_at_once(client: Client, path: str, name: str, content: bytes) -> Counter[int]:
    """Ten uploads of one file; how often each status came back."""
    met: Counter[int] = Counter()

    def one() -> None:
        met[upload(client, path, name, content)] += 1

    threads = [threading.Thread(target=one) for _ in range(AT_ONCE)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return met


def when_ready(port: int, began: float) -> float:
    """Seconds until the database answers through the application."""
    while True:
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
        try:
            connection.request("GET", "/ready")
            if connection.getresponse().status == 200:
                return time.monotonic() - began
        except OSError:
            pass
        time.sleep(0.05)


def main() -> None:
    """Start the demo, send it what is hostile, kill its database."""
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        port = free_port()
        command = [sys.executable, "-m", "helvor", "demo", "--port", str(port)]
        environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "HELVOR_VAR": folder}
        with subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL) as process:
            when_ready(port, time.monotonic())
            client = Client(port)
            home = client.ask("GET", "/")[2].decode()
            class_page = re.search(r"/classes/[0-9a-f-]{36}", home)
            assert class_page is not None
            board = client.ask("GET", class_page[0])[2].decode()
            run, plate = (re.search(rf"/{kind}/[0-9a-f-]{{36}}", board) for kind in ("runs", "plates"))
            run_page, plate_page = run[0] if run else "", plate[0] if plate else ""
            idle = memory_of(process.pid)[0]
            print(f"\n{AT_ONCE} at once; the service at rest holds {idle:.0f} MB\n")
            print(
                f"| upload | kB each | answers | peak MB | ÷ at rest | aim ≤ {AIM_MB} MB |\n|---|---|---|---|---|---|"
            )
            for words, path, name, content in (
                ("PNG of 23 million pixels", f"{run_page}/files", "a.png", _png(4800)),
                ("PNG of 36 million pixels", f"{run_page}/files", "a.png", _png(6000)),
                ("grey of 16 bits, 23 million", f"{run_page}/files", "g.png", _grey()),
                ("JPEG of 48 million pixels", f"{run_page}/files", "p.jpg", _jpeg()),
                ("the same on a plate", f"{plate_page}/photo/files", "p.jpg", _jpeg()),
                ("workbook with row 2·10⁹", f"{class_page[0]}/import/files", "r.xlsx", _workbook()),
                ("archive of 90 MB in 90 kB", f"{class_page[0]}/import/files", "c.zip", _archive()),
                ("12 MB of noise", f"{run_page}/files", "n.png", os.urandom(12_000_000)),
            ):
                watch = Watch(process.pid)
                watch.start()
                met = all_at_once(client, path, name, content)
                watch.over.set()
                watch.join()
                said = ", ".join(f"{count} × {status}" for status, count in sorted(met.items()))
                kept = "yes" if watch.most <= AIM_MB else "**no**"
                print(
                    f"| {words} | {len(content) / 1000:.0f} | {said} | {watch.most:.0f} | {watch.most / idle:.1f}"
                    f" | {kept} |"
                )
            restart(folder, port)
            began = time.monotonic()
            process.send_signal(signal.SIGTERM)
            process.wait()
            print(f"\nSIGTERM to the end: {time.monotonic() - began:.1f} s (aim ≤ 5).")


def restart(folder: str, port: int) -> None:
    """Kill the private database, and hold the time until it serves again against that of a plain start."""
    with tempfile.TemporaryDirectory() as other:
        Path(other).chmod(0o755)
        plain = LocalServer(Path(other) / "postgres")
        plain.start()
        plain.stop()
        began = time.monotonic()
        plain.start()
        start = time.monotonic() - began
        plain.stop()
    killed = int((Path(folder) / "postgres" / "data" / "postmaster.pid").read_text().splitlines()[0])
    os.kill(killed, signal.SIGKILL)
    began = time.monotonic()
    time.sleep(0.05)
    back = when_ready(port, began)
    address = json.loads((Path(folder) / "running.json").read_text())["address"]
    print(f"\nDatabase killed to {address}/ready: {back:.1f} s, {back / start:.1f} × a plain start of it.")


if __name__ == "__main__":
    main()
