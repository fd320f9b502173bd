"""All starts, by key, in the order that they are offered in."""

from __future__ import annotations

from helvor.core.starts import filtering, liquids, solids
from helvor.core.starts.start import Start

STARTS: dict[str, Start] = {start.key: start for start in (*filtering.STARTS, *liquids.STARTS, *solids.STARTS)}
