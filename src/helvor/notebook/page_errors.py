"""Why a page cannot be read or written."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from helvor.core.record.entry import Entry, Payload

if TYPE_CHECKING:
    from helvor.notebook.page_rows import Page


class NotYours(Exception):
    """The page is not there, or not for this account: nobody is told which."""


class EntryIdTaken(Exception):
    """The id belongs to an entry that says something else.

    Attributes:
        before: the page up to the entry that has the id, which is the last of them; empty where it is not on the
            same page: then nobody is told what it says.
        sent: what was sent now.
        page: where.
    """

    def __init__(self, before: Sequence[Entry] = (), sent: Payload | None = None, page: Page | None = None) -> None:
        super().__init__("the id belongs to another entry")
        self.before = tuple(before)
        self.sent = sent
        self.page = page


class NotWorkedOut(Exception):
    """What is in ink on a page stands, but a fault of ours keeps it from being worked out."""

    def __init__(self, page: Page) -> None:
        super().__init__(f"{page.address} cannot be worked out")
        self.page = page
