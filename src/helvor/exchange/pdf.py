"""Reports on paper: markup to PDF, tagged so that it can be read aloud, with our own fonts and nothing from outside."""

from __future__ import annotations

import mimetypes
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, Literal

from PIL import ImageFile
from weasyprint import CSS, HTML
from weasyprint.urls import FatalURLFetchingError, URLFetcher, URLFetcherResponse

# WeasyPrint lets Pillow take broken pictures, for the whole process. Ours are whole; a photograph that
# somebody sends cut short must go on being refused.
ImageFile.LOAD_TRUNCATED_IMAGES = False

Paper = Literal["A4", "Letter"]
SCHEME = "https://helvor.invalid/"
"""Base of what a report names, files that ship with it: a name that RFC 2606 keeps from ever being anybody's."""


class NotOurs(ValueError):
    """A report named something that does not ship with it."""


class _OwnFiles(URLFetcher):  # type: ignore[misc]  # untyped library
    """Our own files, and pictures that stand in the markup itself; anything else stops the report."""

    def __init__(self, files: Path) -> None:
        super().__init__(allowed_protocols=("data", "https"))
        self._files = files.resolve()

    def fetch(self, url: str, headers: Any = None) -> Any:
        if url.startswith("data:"):
            return super().fetch(url, headers)
        path = (self._files / url.removeprefix(SCHEME)).resolve()
        if not url.startswith(SCHEME) or not path.is_relative_to(self._files) or not path.is_file():
            raise FatalURLFetchingError(f"a report does not fetch {url[:60]}")
        media = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
        return URLFetcherResponse(url, path.read_bytes(), {"Content-Type": media})


def pdf(parts: Iterable[str], paper: Paper, files: Path, done: Callable[[int], None] = lambda count: None) -> bytes:
    """One PDF of one or several whole documents, one after another.

    Args:
        parts: each a whole HTML document; *files* is the folder of what ships.
        done: is told after each how many are laid out.

    Raises:
        NotOurs: a part names something that does not ship with it.
    """
    fetcher = _OwnFiles(files)
    sheet = CSS(string=f"@page {{ size: {paper} }}", url_fetcher=fetcher)
    laid_out = []
    for count, part in enumerate(parts, start=1):
        try:
            laid_out.append(HTML(string=part, base_url=SCHEME, url_fetcher=fetcher).render(stylesheets=[sheet]))
        except FatalURLFetchingError as wrong:  # no Exception of Python's, so that the library lets it through
            raise NotOurs(str(wrong)) from wrong
        done(count)
    first, *rest = laid_out
    pages = [page for document in (first, *rest) for page in document.pages]
    content: bytes = first.copy(pages).write_pdf(pdf_variant="pdf/ua-1")
    return content
