"""A class as a research archive: a zip that is an RO-Crate, with every entry, file, table and drawing, and their sums.

Archive 1. ``ro-crate-metadata.json`` names every file with its size, its type and its SHA-256, after RO-Crate 1.1
           (https://w3id.org/ro/crate/1.1).
Archive 2. ``class.json`` and what lies under ``files/`` are all that is needed to bring the class in again; tables and
           drawings are for reading.
Archive 3. What comes in is looked at before it is unpacked: how many files, how large unpacked, no path that leads out,
           and each file against its sum.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import PurePosixPath
from typing import IO, Any
from uuid import UUID

from helvor.core.record.entry import Problem
from helvor.exchange.records import BadRecord, ClassRecord, read_record
from helvor.notebook.apart import run_apart

METADATA, RECORD, FILES = "ro-crate-metadata.json", "class.json", "files"
MOST_FILES = 6000
MOST_BYTES = 1_000_000_000
"""Unpacked, all together. A bomb of a few kilobytes unpacks to more."""
MOST_RECORD = 60_000_000
MOST_GROWS = 40
"""Times its size that an archive may unpack to: pictures hardly shrink, records to a twentieth."""


@dataclass(frozen=True, slots=True)
class Part:
    """A file of the archive: its path, what it is, its media type and its content."""

    path: str
    name: str
    media: str
    content: bytes


def crate(title: str, about: str, institution: str, at: datetime, parts: list[Part]) -> dict[str, Any]:
    """The metadata of an archive (Archive 1)."""
    files = [
        {
            "@id": part.path,
            "@type": "File",
            "name": part.name,
            "encodingFormat": part.media,
            "contentSize": str(len(part.content)),
            "sha256": hashlib.sha256(part.content).hexdigest(),
        }
        for part in parts
    ]
    return {
        "@context": [
            "https://w3id.org/ro/crate/1.1/context",
            {"sha256": "https://w3id.org/ro/terms/workflow-run#sha256"},
        ],
        "@graph": [
            {
                "@id": METADATA,
                "@type": "CreativeWork",
                "conformsTo": {"@id": "https://w3id.org/ro/crate/1.1"},
                "about": {"@id": "./"},
            },
            {
                "@id": "./",
                "@type": "Dataset",
                "name": title,
                "description": about,
                "datePublished": at.isoformat(),
                "publisher": {"@id": "#institution"},
                "license": {"@id": "#rights"},
                "hasPart": [{"@id": part.path} for part in parts],
            },
            {"@id": "#institution", "@type": "Organization", "name": institution},
            {
                "@id": "#rights",
                "@type": "CreativeWork",
                "name": "Rights",
                "description": "Ask the institution before passing it on: it may hold names of students.",
            },
            *files,
        ],
    }


def write(out: IO[bytes], title: str, about: str, institution: str, at: datetime, parts: Iterable[Part]) -> None:
    """Write the archive; the same content at the same moment gives the same bytes."""
    kept = sorted(parts, key=lambda part: part.path)
    metadata = json.dumps(crate(title, about, institution, at, kept), ensure_ascii=False, indent=1).encode()
    when = at.timetuple()[:6]
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, content in ((METADATA, metadata), *((part.path, part.content) for part in kept)):
            info = zipfile.ZipInfo(path, when)
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, content)


def read(source: IO[bytes]) -> tuple[ClassRecord, dict[UUID, bytes]]:
    """The class of an archive and the contents of its files (Archive 2 and 3).

    Raises:
        BadRecord: it is no archive, or is not whole, with what is wrong.
    """
    try:
        with zipfile.ZipFile(source) as archive:
            infos = archive.infolist()
            if len(infos) > MOST_FILES:
                raise BadRecord([("archive", f"It contains {len(infos)} files; the limit is {MOST_FILES}.")])
            if sum(info.file_size for info in infos) > MOST_BYTES:
                raise BadRecord([("archive", "Unpacked it would be larger than 1 GB. Nothing was imported.")])
            packed = sum(info.compress_size for info in infos)
            if sum(info.file_size for info in infos) > MOST_GROWS * packed + 1_000_000:
                raise BadRecord([("archive", "Unpacked it would be far too large. Nothing was imported.")])
            if any(info.flag_bits & 1 for info in infos):
                raise BadRecord([("archive", "It is protected with a password: save it without one.")])
            names = {info.filename for info in infos}
            if RECORD not in names:
                raise BadRecord([("archive", f"There is no {RECORD} in it: this is not the archive of a class.")])
            record = read_record(_member(archive, RECORD, MOST_RECORD))
            if not isinstance(record, ClassRecord):
                raise BadRecord([(RECORD, "This is not the record of a class: choose a class archive.")])
            by_id = {PurePosixPath(name).parts[1]: name for name in names if _is_file(name)}
            contents: dict[UUID, bytes] = {}
            for file in record.files:
                name = by_id.get(str(file.id))
                if name is None:
                    raise BadRecord([(file.name, "The archive does not contain this file.")])
                content = _member(archive, name, 64_000_000)
                if hashlib.sha256(content).hexdigest() != file.sha256:
                    raise BadRecord([(file.name, "It has changed since the archive was written.")])
                contents[file.id] = content
            return record, contents
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, ValueError) as wrong:
        if isinstance(wrong, BadRecord):
            raise
        raise BadRecord([("archive", "This is not a zip file, or it is damaged.")]) from wrong


def try_apart(name: str, content: bytes) -> dict[str, Any]:
    """Read an archive through in a process of its own, so that one that takes too much takes it there.

    What is wrong with a light one is said, with its places, by who reads it next.
    """
    with contextlib.suppress(BadRecord):
        read(io.BytesIO(content))
    return {"read": True}


def read_bounded(name: str, content: bytes) -> tuple[ClassRecord, dict[UUID, bytes]]:
    """The same as :func:`read`, once a process with a limit on memory and time has opened it.

    Raises:
        BadRecord: also where it takes too much to open.
        Busy: other files are read just now.
    """
    try:
        run_apart("archive", name, content)
    except Problem as much:
        raise BadRecord([("archive", str(much))]) from much
    return read(io.BytesIO(content))


def _is_file(name: str) -> bool:
    parts = PurePosixPath(name).parts
    return len(parts) == 3 and parts[0] == FILES and ".." not in parts


def _member(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """A member, read no further than it says it is long: what it says may be a lie."""
    with archive.open(name) as member:
        content = member.read(most + 1)
    if len(content) > most:
        raise BadRecord(
            [(name, f"Unpacked it is larger than {most // 1_000_000} MB, the limit. Nothing was imported.")]
        )
    return content
