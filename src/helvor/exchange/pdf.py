"""Reports on paper: markup to PDF, tagged so that it can be read aloud, with our own fonts and nothing from outside."""

from __future__ import annotations

import mimetypes
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, Literal

Paper = Literal["A4", "Letter"]
SCHEME = "https://helvor.invalid/"
"""Beginning of the addresses that a report may name: files that ship with it."""


class NotOurs(ValueError):
    """A report named something that does not ship with it."""


def _fetcher(files: Path) -> Any:
    from weasyprint.urls import FatalURLFetchingError, URLFetcher, URLFetcherResponse  # noqa: PLC0415

    class OwnFiles(URLFetcher):  # type: ignore[misc]  # untyped library
        """Our own files, and pictures that stand in the markup itself; anything else stops the report."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            if url.startswith("data:"):
                return super().fetch(url, headers)
            path = (files / url.removeprefix(SCHEME)).resolve()
            if not url.startswith(SCHEME) or not path.is_relative_to(files.resolve()) or not path.is_file():
                raise FatalURLFetchingError(f"a report does not fetch {url[:60]}")
            media = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
            return URLFetcherResponse(url, path.read_bytes(), {"Content-Type": media})

    return OwnFiles(allowed_protocols=("data", "https"))


def pdf(parts: Iterable[str], paper: Paper, files: Path, done: Callable[[int], None] = lambda count: None) -> bytes:
    """One PDF of one or several whole documents, one after another.

    Args:
        parts: each a whole HTML document; *files* is the folder of what ships.
        done: is told after each how many are laid out.

    Raises:
        NotOurs: a part names something that does not ship with it.
    """
    from weasyprint import CSS, HTML  # noqa: PLC0415  takes over a second to load
    from weasyprint.urls import FatalURLFetchingError  # noqa: PLC0415

    fetcher = _fetcher(files)
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
