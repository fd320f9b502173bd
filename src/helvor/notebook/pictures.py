"""Decoding pictures that came from outside. Runs in a process of its own: see :mod:`helvor.notebook.apart`.

It imports little, so that the process is there quickly, and every sentence it raises is for the person.
"""

from __future__ import annotations

import io
import struct
from typing import Any

from PIL import Image, ImageOps, UnidentifiedImageError

MAX_PIXELS, MAX_WHOLE_PIXELS = 60_000_000, 24_000_000
"""Of a JPEG, which is decoded smaller at once, and of what has to be whole in memory."""
LEAST_PX = 240
SHOWN_PX = 1000
LONGEST_PX = 2400
THUMBNAIL_PX = 360
MEDIA = {"JPEG": "image/jpeg", "PNG": "image/png", "WEBP": "image/webp"}
_SUFFIXES = {"JPEG": ("jpg", "jpeg", "jpe", "jfif"), "PNG": ("png",), "WEBP": ("webp",)}
_ORIENTATION = 0x0112
_HEIC = (b"heic", b"heix", b"hevc", b"heim", b"heis", b"mif1", b"msf1", b"avif", b"avis")
_BROKEN = (
    UnidentifiedImageError,
    OSError,
    ValueError,
    SyntaxError,
    EOFError,
    KeyError,
    struct.error,
    Image.DecompressionBombError,
)
"""What the decoder raises of files that are none, or that were made to trip it."""


class Unfit(Exception):
    """Why a picture is not taken: one sentence for the person."""


def photograph(name: str, content: bytes) -> dict[str, Any]:
    """Look at a photograph of a plate.

    Returns:
        ``media``; ``content``, the same pixels without what is not pixels; ``shown``, a JPEG of at most
        :data:`SHOWN_PX`, upright, of ``wide`` × ``high`` pixels.

    Raises:
        Unfit: it is too large or small, no picture, another kind than its name says, animated, or broken.
    """
    _no_heic(name, content)
    try:
        with Image.open(io.BytesIO(content), formats=["JPEG", "PNG", "WEBP"]) as opened:
            # Phones put a second picture for depth behind the first: the first is the photograph.
            kind = "JPEG" if opened.format == "MPO" else opened.format or ""
            _fits(name, kind, opened)
            orientation = int(opened.getexif().get(_ORIENTATION, 1))
            # Decoded smaller where the format can; a broken end shows here all the same.
            small = ImageOps.exif_transpose(_made_small(opened, SHOWN_PX)).convert("RGB")
        kept = bare(kind, content, orientation)
    except _BROKEN as trouble:
        raise Unfit(
            f"{name} cannot be read: it is damaged, or not a JPEG, PNG or WebP. Take the picture again."
        ) from trouble
    small.thumbnail((SHOWN_PX, SHOWN_PX))
    return {
        "media": MEDIA[kind],
        "content": kept,
        "shown": _written(small, "JPEG", 86),
        "wide": small.width,
        "high": small.height,
    }


def beside_a_step(name: str, content: bytes) -> dict[str, Any]:
    """Write a picture anew from its pixels alone.

    Returns:
        ``media``, ``content`` of at most :data:`LONGEST_PX`, ``thumbnail``.

    Raises:
        Unfit: it is too large, or no picture.
    """
    _no_heic(name, content)
    try:
        with Image.open(io.BytesIO(content), formats=list(MEDIA)) as opened:
            kind = opened.format or ""
            most = MAX_PIXELS if kind == "JPEG" else MAX_WHOLE_PIXELS
            if opened.width * opened.height > most:
                raise Unfit(f"{name} has over {most // 1_000_000} million pixels: make it smaller first.")
            # Made small before it is turned: a picture twice in memory is what fills it.
            picture = ImageOps.exif_transpose(_made_small(opened, LONGEST_PX))
            picture.load()
    except _BROKEN as trouble:
        raise Unfit(f"{name} is not a JPEG, PNG or WebP picture, a PDF, CSV or spectrum file.") from trouble
    if (kind == "JPEG" and picture.mode not in ("RGB", "L")) or picture.mode not in ("RGB", "RGBA", "L", "LA", "P"):
        picture = picture.convert("RGB")
    picture.thumbnail((LONGEST_PX, LONGEST_PX))
    small = picture.convert("RGB")
    small.thumbnail((THUMBNAIL_PX, THUMBNAIL_PX))
    # A new picture from the pixels alone: Pillow would carry some of the old one's data along.
    alone = Image.new(picture.mode, picture.size)
    alone.paste(picture)
    if picture.mode == "P" and (palette := picture.getpalette()):
        alone.putpalette(palette)
    return {"media": MEDIA[kind], "content": _written(alone, kind), "thumbnail": _written(small, "JPEG")}


def _no_heic(name: str, content: bytes) -> None:
    if content[4:8] == b"ftyp" and content[8:12] in _HEIC:
        raise Unfit(
            f"{name} is a HEIC picture, which cannot be read here. Set the camera to JPEG (\u201cmost "
            "compatible\u201d) "
            "and take it again, or send a screenshot of it."
        )


def _made_small(opened: Image.Image, most: int) -> Image.Image:
    """The picture at most so long a side; grey of 16 bits as the 8 bits that it looks like, not cut off white."""
    if opened.mode.startswith("I"):
        opened = _eight_bits(opened)
    else:
        opened.draft("RGB", (most, most))
    opened.thumbnail((most, most))
    return opened


def _eight_bits(grey: Image.Image) -> Image.Image:
    """The upper byte of each pixel; of 32 bits the one that says something."""
    wide, size = 4 if grey.mode == "I" else 2, grey.size
    most = grey.getextrema()[1]
    upper = 1 if grey.mode != "I" or not isinstance(most, int | float) or most > 255 else 0
    if grey.mode == "I;16B":
        upper = 0
    # Of the raw bytes, for a copy in 32 bits would take twice the memory.
    return Image.frombytes("L", size, grey.tobytes()[upper::wide])


def _written(picture: Image.Image, kind: str, quality: int = 88) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **({"quality": quality} if kind != "PNG" else {"optimize": True}))
    return out.getvalue()


def _fits(name: str, kind: str, opened: Image.Image) -> None:
    suffix = name.rpartition(".")[2].casefold()
    known = {s: k for k, suffixes in _SUFFIXES.items() for s in suffixes}
    if known.get(suffix, kind) != kind or ("." in name and suffix not in known):
        raise Unfit(f"{name} holds a {kind} picture, but its name says otherwise: rename the file.")
    if getattr(opened, "n_frames", 1) > 1 and opened.format != "MPO":
        raise Unfit(f"{name} is animated. Take a single photograph.")
    # A JPEG is decoded smaller at once; the others have to be whole in memory.
    most = MAX_PIXELS if kind == "JPEG" else MAX_WHOLE_PIXELS
    if opened.width * opened.height > most:
        raise Unfit(
            f"{name} has {opened.width * opened.height / 1e6:.0f} million pixels; the limit is {most // 1_000_000}"
            f"{'' if kind == 'JPEG' else ', or 60 of a JPEG'}.",
        )
    if min(opened.size) < LEAST_PX:
        raise Unfit(
            f"{name} is {opened.width} × {opened.height} pixels: too few to read a plate. Take a larger picture."
        )


def bare(kind: str, content: bytes, orientation: int = 1) -> bytes:
    """The same picture without what is not pixels: place, camera, notes, thumbnails.

    Args:
        kind: JPEG, PNG or WEBP.
        content: the file.
        orientation: of its EXIF data, 1 to 8; the only thing of it that is kept.
    """
    if kind == "JPEG":
        return _bare_jpeg(content, orientation)
    if kind == "PNG":
        out, at = [content[:8]], 8
        while at + 8 <= len(content):
            size = struct.unpack(">I", content[at : at + 4])[0]
            ends = content[at + 4 : at + 8] == b"IEND"
            if content[at + 4 : at + 8] not in (b"eXIf", b"tEXt", b"zTXt", b"iTXt", b"tIME"):
                out.append(content[at : at + 12 + size])
            at += 12 + size
            if ends:
                break  # what lies behind is no part of the picture
        return b"".join(out)
    chunks, at = [], 12
    over = min(len(content), 8 + struct.unpack("<I", content[4:8])[0])
    while at + 8 <= over:  # what lies behind is no part of the picture
        size = struct.unpack("<I", content[at + 4 : at + 8])[0]
        end = at + 8 + size + size % 2
        if content[at : at + 4] not in (b"EXIF", b"XMP "):
            chunks.append(content[at:end])
        at = end
    body = b"WEBP" + b"".join(chunks)
    return b"RIFF" + struct.pack("<I", len(body)) + body


def _bare_jpeg(content: bytes, orientation: int) -> bytes:
    out, at = [content[:2]], 2
    if orientation != 1:
        exif = Image.Exif()
        exif[_ORIENTATION] = orientation
        body = exif.tobytes()
        out.append(b"\xff\xe1" + struct.pack(">H", len(body) + 2) + body)
    while at + 4 <= len(content) and content[at] == 0xFF:
        marker = content[at + 1]
        if marker == 0xDA:  # pixels from here on
            break
        size = struct.unpack(">H", content[at + 2 : at + 4])[0]
        # APP0 is the format's own header, APP2 its colours, APP14 how they are coded.
        if not (0xE1 <= marker <= 0xEF and marker not in (0xE2, 0xEE)) and marker != 0xFE:
            segment = content[at : at + 2 + size]
            if not segment[4:8].startswith(b"MPF"):
                out.append(segment)
        at += 2 + size
    return b"".join([*out, content[at : _jpeg_ends(content, at)]])


def _jpeg_ends(content: bytes, at: int) -> int:
    """Where a JPEG is over, from its first scan on: a second picture, its place, anything may lie behind it."""
    while at + 2 <= len(content):
        found = content.find(b"\xff", at)
        if found < 0 or found + 1 >= len(content):
            break
        marker = content[found + 1]
        if marker == 0xD9:
            return found + 2
        if marker == 0xFF:
            at = found + 1  # filling
        elif marker == 0x00 or 0xD0 <= marker <= 0xD7:
            at = found + 2  # a byte of the pixels, or a restart between them
        elif found + 4 <= len(content):
            at = found + 2 + struct.unpack(">H", content[found + 2 : found + 4])[0]  # tables, or the next scan
        else:
            break
    return len(content)
