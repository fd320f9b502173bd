"""Where the crafts' parts of a run's page are put together; a new craft adds its name here."""

from __future__ import annotations

from collections.abc import Callable

from markupsafe import Markup

from helvor.web.filtration import forms as filtration_forms
from helvor.web.filtration import instrument as filtration
from helvor.web.run.crafts import AtStep, CraftOnPage, Reader

CRAFTS_ON_PAGE = (CraftOnPage(filtration_forms.READERS, filtration.INSTRUMENTS),)

CRAFT_READERS: dict[str, Reader] = {kind: read for craft in CRAFTS_ON_PAGE for kind, read in craft.readers.items()}
INSTRUMENTS: dict[str, Callable[[AtStep], Markup]] = {
    kind: draw for craft in CRAFTS_ON_PAGE for kind, draw in craft.instruments.items()
}
