"""The stories that can be rehearsed, each a procedure that ships."""

from __future__ import annotations

from helvor.bench.practice.rehearsal import Story
from helvor.bench.practice.rehearsals.chalk import CHALK
from helvor.bench.practice.rehearsals.crystals import CRYSTALS
from helvor.bench.practice.rehearsals.iron import IRON
from helvor.bench.practice.rehearsals.powder import POWDER
from helvor.bench.practice.rehearsals.sulfate import SULFATES
from helvor.bench.practice.rehearsals.tablet import TABLET
from helvor.bench.practice.rehearsals.three import THREE
from helvor.bench.quantity import Unreadable

STORIES: dict[str, Story] = {one.key: one for one in (POWDER, TABLET, CHALK, SULFATES, THREE, IRON, CRYSTALS)}


def story(key: str) -> Story:
    """The story of a key.

    Raises:
        Unreadable: there is none.
    """
    if key not in STORIES:
        raise Unreadable("There is no such practice run.")
    return STORIES[key]
