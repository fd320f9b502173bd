"""The techniques on a run's page: forms of their own and an instrument for their steps.

An instrument renders itself from its own typed context; the run's page only puts it in its
place. A new technique adds its name to ``TECHNIQUES_ON_PAGE``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from uuid import UUID

from markupsafe import Markup

from helvor.core.engine.run.record import Run
from helvor.core.engine.run.work_out import RunWorksheet, StepSeen
from helvor.core.record.entry import Payload
from helvor.notebook.page_rows import Page
from helvor.web.forms import Form

Reader = Callable[[Form, Run, UUID | None], Payload]


@dataclass(frozen=True, slots=True)
class AtStep:
    """What an instrument may look at: the page, its worksheet, the step that is shown."""

    page: Page
    sheet: RunWorksheet
    seen: StepSeen
    view: str
    csrf: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TechniqueForm:
    """A form of a technique's own kind, with what was typed and what is wrong with it."""

    form: TechniqueFields


@dataclass(frozen=True, slots=True)
class TechniqueFields:
    """What the fields show."""

    kind: str
    values: Mapping[str, list[str]]
    errors: Mapping[str, str]
    fields: tuple[OwnField, ...] = ()


@dataclass(frozen=True, slots=True)
class OwnField:
    """A field of a form that needs no template of its own: its name, the words beside it, its unit."""

    name: str
    label: str
    unit: str = ""


@dataclass(frozen=True)
class TechniqueOnPage:
    """A technique's part of the page.

    Attributes:
        readers: kind of entry → how its form is read.
        titles: kind of entry → what its form is called.
        form: the template of its forms' fields; without one they are *fields*, by kind of entry.
        values: a standing entry → its form's fields.
        instruments: kind of step → its instrument.
    """

    titles: Mapping[str, str] = field(default_factory=dict)
    form: str = ""
    fields: Mapping[str, tuple[OwnField, ...]] = field(default_factory=dict)
    values: Callable[[Payload], dict[str, list[str]]] | None = None
    readers: Mapping[str, Reader] = field(default_factory=dict)
    instruments: Mapping[str, Callable[[AtStep], Markup]] = field(default_factory=dict)
