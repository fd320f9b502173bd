"""The text of a document that comes in, read in a process of its own."""

from __future__ import annotations

from helvor.core.record.entry import Problem
from helvor.exchange.document_in import MOST_BYTES, BadDocument, is_plain, plain_text
from helvor.notebook.apart import run_apart


def text_of(name: str, content: bytes) -> str:
    """The text of a document, with a limit on memory and time.

    Raises:
        BadDocument: with one sentence.
        Busy: other files are read just now.
    """
    if not content:
        raise BadDocument(f"{name or 'The file'} is empty: choose another, or paste the text.")
    if len(content) > MOST_BYTES:
        raise BadDocument(f"{name} is larger than {MOST_BYTES // 1_000_000} MB: paste the part with the procedure.")
    if is_plain(content):
        return plain_text(name, content)
    try:
        return str(run_apart("document", name, content)["text"])
    except Problem as unfit:
        raise BadDocument(str(unfit)) from unfit
