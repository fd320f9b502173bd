"""The text of a document that comes in: plain text, Markdown, .docx, .odt, or a PDF that has text.

What is no plain text is read apart (:mod:`helvor.exchange.document_parts`).
"""

from __future__ import annotations

MOST_BYTES = 8_000_000


class BadDocument(ValueError):
    """A file that gives no text; its message is one sentence for the person."""


def is_plain(content: bytes) -> bool:
    """Whether a file is text as it stands."""
    return content[:4] != b"%PDF" and content[:2] != b"PK"


def plain_text(name: str, content: bytes) -> str:
    """A text file's text, in whatever usual encoding.

    Raises:
        BadDocument: it is none.
    """
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return content.decode("utf-16", errors="replace")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", errors="replace")
    if "\x00" in text:
        raise BadDocument(f"{name} is no text: choose a .docx, .odt, .pdf, .md or .txt file.")
    return text
