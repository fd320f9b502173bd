"""Templates. Each page has a typed context; an unknown name in a template is an error."""

from __future__ import annotations

import hashlib
import re
import secrets
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, fields
from datetime import datetime
from functools import cache, lru_cache, wraps
from importlib.resources import files
from pathlib import Path
from threading import Lock
from typing import Any, TypeVar
from uuid import uuid4
from zoneinfo import ZoneInfo

from fastapi import Request
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup, escape
from starlette.responses import HTMLResponse

from helvor.core.engine.run.account import BASIS_WORDS
from helvor.core.hazards.substances import hazards_of, label_of
from helvor.core.quantities.formula import parse_equation, readable
from helvor.core.quantities.measured import Measured, shown
from helvor.core.quantities.reading import Unreadable, round_to
from helvor.core.record.finding import level_word
from helvor.core.record.line_help import SECTIONS
from helvor.core.techniques.registered import STEP_KINDS
from helvor.notebook.classes import ClassRow, Meeting
from helvor.web.house_words import in_house_words
from helvor.web.security import Visitor

WEB = Path(str(files("helvor.web")))
STATIC = WEB / "static"


@dataclass(frozen=True, slots=True, kw_only=True)
class Shell:
    """What the frame around every page shows.

    Attributes:
        visitor: who is signed in, or None on the sign-in page.
        place: the key of the place that the page is at, of :func:`places_of`; empty at none.
        class_row: the class that the page is about, for the top bar.
        meeting: its next or latest meeting.
        now: for showing dates.
    """

    visitor: Visitor | None
    place: str
    class_row: ClassRow | None = None
    meeting: Meeting | None = None


@cache
def version_of(name: str) -> str:
    """A short hash of a static file, so that browsers may keep it for good."""
    return hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:10]


def static_url(name: str) -> str:
    return f"/static/{name}?v={version_of(name)}"


@lru_cache(maxsize=4096)
def rf_markup(text: str) -> Markup:
    """Set Rf, Rs and R_M with a lowered letter, and *readings* in the face for numbers."""
    safe = str(escape(text))
    safe = re.sub(r"\b(h?)R(f|s)\b", r"\1R<sub>\2</sub>", safe)
    safe = safe.replace("R_M", "R<sub>M</sub>").replace("K_D", "K<sub>D</sub>")
    # A number and its unit stay on one line.
    safe = re.sub(r"(?<=\d) (?=(?:mm|cm|mL|mg|kg|g|mol|mmol|min|h|°C|nm|%)(?!\w))", "\u00a0", safe)
    safe = safe.replace(" ± ", "\u00a0±\u00a0")
    return Markup(re.sub(r"\*([^*]+)\*", r'<b class="num">\1</b>', safe))  # noqa: S704  escaped above


def day(moment: datetime, zone: str) -> str:
    """``Tue 24 Nov`` in the class's own time zone."""
    local = moment.astimezone(ZoneInfo(zone))
    return f"{local:%a} {local.day} {local:%b}"


def clock(moment: datetime, zone: str) -> str:
    return f"{moment.astimezone(ZoneInfo(zone)):%H:%M}"


def measured(number: Measured, most: int = 6) -> str:
    """A worked-out number with the digits it has."""
    return shown(number, most=most)


def _equation(text: str) -> str:
    """An equation set as chemists do, or as it was written where it cannot be read."""
    try:
        return str(parse_equation(text))
    except Unreadable:
        return text


def places_of(row: ClassRow | None, role: str) -> list[tuple[str, str, str]]:
    """The places of the top bar: key, words, address. A tablet has its bench, a class its own places."""
    if role == "bench":
        return [
            ("bench", "Bench", "/"),
            ("calculators", "Calculators", "/calculators"),
            ("practice", "Practice", "/practice"),
        ]
    here = f"/classes/{row.id}" if row is not None else ""
    everywhere = [
        ("today", "Today", "/"),
        ("plan", "Procedures", "/procedures"),
        ("calculators", "Calculators", "/calculators"),
    ]
    of_class = [("prep", "Prep", f"{here}/prep"), ("bench", "Class", here), ("review", "Results", f"{here}/results")]
    return [
        *everywhere,
        *(of_class if row is not None else [("bench", "My bench", "/find?q=front")]),
        ("shelf", "Reference data", "/reference-data"),
        ("practice", "Practice", "/practice"),
    ]


def initials(name: str) -> str:
    """``Ines Marlow`` → ``IM``"""
    words = name.split() or ["?"]
    return (words[0][0] + (words[-1][0] if len(words) > 1 else "")).upper()


FRESH_ID = f"fresh-{secrets.token_hex(16)}"
"""Stands in a rendered form for the id of the entry that it will send; nobody outside can know it."""


def with_fresh_ids(text: str) -> str:
    """Give every form that is about to leave an id of its own, so that what was drawn once can be sent often."""
    head, *rest = text.split(FRESH_ID)
    return "".join([head, *(part for after in rest for part in (str(uuid4()), after))])


class TheVery:
    """An object compared by what it is, not by what it holds; kept, so that no other gets its address."""

    __slots__ = ("it",)

    def __init__(self, it: object) -> None:
        self.it = it

    def __eq__(self, other: object) -> bool:
        return isinstance(other, TheVery) and self.it is other.it

    def __hash__(self) -> int:
        return id(self.it)


D = TypeVar("D")
R = TypeVar("R")


def drawn_once(
    most: int, ink: Callable[[Any], object], about: Callable[[Any], Any]
) -> Callable[[Callable[[D], R]], Callable[[D], R]]:
    """Draw a thing once for as long as its ink does not change, for the *most* things asked for last.

    Args:
        ink: the worksheet of what is drawn. A page that nobody has written on since gives the very
            same one (:mod:`helvor.core.record.remembered`); that is what is compared.
        about: all else that the drawing depends on; compared by value.
    """

    def wrap(draw: Callable[[D], R]) -> Callable[[D], R]:
        kept: OrderedDict[tuple[TheVery, Any], R] = OrderedDict()
        lock = Lock()

        @wraps(draw)
        def ask(of: D) -> R:
            key = (TheVery(ink(of)), about(of))
            with lock:
                known = kept.get(key)
                if known is not None:
                    kept.move_to_end(key)
                    return known
            drawn = draw(of)
            with lock:
                kept[key] = drawn
                while len(kept) > most:
                    kept.popitem(last=False)
            return drawn

        return ask

    return wrap


def _environment() -> Environment:
    environment = Environment(
        loader=FileSystemLoader([WEB / "templates", WEB]),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
    )
    icons = {kind.key: kind.icon for kind in STEP_KINDS.values() if kind.icon}
    environment.globals.update(
        static=static_url,
        places_of=places_of,
        fresh_id=lambda: FRESH_ID,
        own_icons=icons,
        step_kinds=STEP_KINDS,
        line_help=SECTIONS,
    )
    environment.filters.update(
        hazards=hazards_of,
        on_label=label_of,
        chem=rf_markup,
        day=day,
        clock=clock,
        mm=_mm,
        decimals=round_to,
        measured=measured,
        formula=readable,
        equation=_equation,
        level_word=level_word,
        basis=BASIS_WORDS.__getitem__,
        initials=initials,
        pair=lambda word: (word, word),
    )
    return environment


def _mm(value: float) -> str:
    """A coordinate for a drawing: up to three decimals, none that are not needed."""
    return f"{value:.3f}".rstrip("0").rstrip(".")


ENVIRONMENT = _environment()


def render(template: str, page: Any) -> str:
    """Render a page's dataclass with its template."""
    return ENVIRONMENT.get_template(template).render({f.name: getattr(page, f.name) for f in fields(page)})


def fragment(template: str, page: Any) -> Markup:
    """The same as a part of another page."""
    return Markup(render(template, page))  # noqa: S704  the template escapes


def html(template: str, page: Any, *, status: int = 200, headers: dict[str, str] | None = None) -> HTMLResponse:
    return sent(render(template, page), status=status, headers=headers)


def sent(drawn: str, *, status: int = 200, headers: dict[str, str] | None = None) -> HTMLResponse:
    """An answer with what was drawn; its forms get their ids as it leaves."""
    return HTMLResponse(with_fresh_ids(in_house_words(drawn)), status_code=status, headers=headers)


def is_htmx(request: Request) -> bool:
    return request.headers.get("hx-request") == "true"
