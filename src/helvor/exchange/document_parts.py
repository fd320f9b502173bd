"""The text of .docx, .odt and .pdf documents; runs only in a process of its own.

Document 1. Lists keep their numbers, table rows come as a line each, in the order of the page.
Document 2. What cannot be read is said in a sentence; nothing of a document is run, and nothing outside it is fetched.
Document 3. A document is looked at before it is unpacked.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from typing import Any

import docx
import odfdo
from docx.table import Table
from pypdf import PdfReader

from helvor.exchange.document_in import BadDocument

MOST_UNPACKED = 60_000_000
MOST_PAGES = 40
MOST_CHARACTERS = 200_000


def text_in_parts(name: str, content: bytes) -> dict[str, Any]:
    """The text of a document, as it comes from a process of its own.

    Raises:
        BadDocument: with one sentence.
    """
    try:
        text = _pdf(content) if content[:4] == b"%PDF" else _packed(name, content)
    except BadDocument:
        raise
    except Exception as broken:
        # Whatever a damaged document makes its reader do, it is the document that is wrong.
        raise BadDocument(f"{name} cannot be read: it is damaged. Save it again, or paste its text.") from broken
    if not text.strip():
        raise BadDocument(f"{name} has no text, only pictures perhaps: paste its words instead.")
    return {"text": text[:MOST_CHARACTERS]}


def _packed(name: str, content: bytes) -> str:
    with zipfile.ZipFile(io.BytesIO(content)) as parts:
        if sum(part.file_size for part in parts.infolist()) > MOST_UNPACKED:
            raise BadDocument(f"{name} is too large when unpacked: leave its pictures out, or paste its text.")
        names = set(parts.namelist())
    if "word/document.xml" in names:
        return "\n".join(_docx(content))
    if "content.xml" in names:
        return "\n".join(_odt(content))
    raise BadDocument(f"{name} is no document: choose a .docx, .odt, .pdf, .md or .txt file.")


def _docx(content: bytes) -> Iterator[str]:
    document = docx.Document(io.BytesIO(content))
    number = 0
    for block in document.iter_inner_content():
        if isinstance(block, Table):
            for row in block.rows:
                yield ", ".join(dict.fromkeys(cell.text.strip() for cell in row.cells if cell.text.strip()))
            continue
        text = block.text.strip()
        style = (block.style.name or "").casefold() if block.style is not None else ""
        properties = block._p.pPr
        listed = (properties is not None and properties.numPr is not None) or style.startswith("list")
        number = number + 1 if listed and text else 0 if text else number
        if style.startswith(("heading", "title")) and text:
            yield f"\n# {text}"
        else:
            yield f"{number}. {text}" if listed and text else f"{text}\n"


def _odt(content: bytes) -> Iterator[str]:
    body = odfdo.Document(io.BytesIO(content)).body
    number = 0
    for block in body.get_elements("//text:h | //text:p"):
        text = block.text_recursive.strip()
        inside = {parent.tag for parent in _above(block)}
        if block.tag == "text:h" and text:
            number = 0
            yield f"\n# {text}"
        elif "text:list-item" in inside and text:
            number += 1
            yield f"{number}. {text}"
        else:
            number = 0 if text else number
            yield f"{text}\n"


def _above(element: Any) -> Iterator[Any]:
    parent = element.parent
    while parent is not None:
        yield parent
        parent = parent.parent


def _pdf(content: bytes) -> str:
    reader = PdfReader(io.BytesIO(content))
    if reader.is_encrypted:
        raise BadDocument("This PDF asks for a password: save it without one, or paste its text.")
    if len(reader.pages) > MOST_PAGES:
        raise BadDocument(f"This PDF has more than {MOST_PAGES} pages: paste the part with the procedure.")
    return "\n".join(page.extract_text() for page in reader.pages)
