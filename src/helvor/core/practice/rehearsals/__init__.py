"""The stories that can be rehearsed, each a procedure that ships."""

from __future__ import annotations

from helvor.core.practice.rehearsal import Story
from helvor.core.practice.rehearsals.chalk import CHALK
from helvor.core.practice.rehearsals.crystals import CRYSTALS
from helvor.core.practice.rehearsals.iron import IRON
from helvor.core.practice.rehearsals.powder import POWDER
from helvor.core.practice.rehearsals.sulfate import SULFATES
from helvor.core.practice.rehearsals.tablet import TABLET
from helvor.core.practice.rehearsals.three import THREE
from helvor.core.quantities.reading import Unreadable

STORIES: dict[str, Story] = {one.key: one for one in (POWDER, TABLET, CHALK, SULFATES, THREE, IRON, CRYSTALS)}


def story(key: str) -> Story:
    """The story of a key.

    Raises:
        Unreadable: there is none.
    """
    if key not in STORIES:
        raise Unreadable("There is no such practice run.")
    return STORIES[key]
