"""Plates of known truth, read from their photographs.

Source of the truth: tests/photographs.py, which shares nothing with the reader. Perspective up to
20°, uneven light, shadows, noise, JPEG, pencil, 1 to 8 lanes, faint and touching spots.
"""

import io
import statistics

import numpy as np
import pytest
from PIL import Image

from helvor.core.techniques.planar.photo.read import read_photo
from tests.photographs import any_scene, take

pytestmark = pytest.mark.slow


def pairs(scene, proposal):
    """Each true spot with the one found for it, or None; and what was found beside them."""
    left, matched = list(proposal.spots), []
    for blob in scene.spots:
        near = [s for s in left if abs(s.up - blob.y) < 2.5 and abs(s.x - blob.x) < 3]
        best = min(near, key=lambda s: abs(s.up - blob.y) + 0.5 * abs(s.x - blob.x), default=None)
        if best is not None:
            left.remove(best)
        matched.append((blob, best))
    return matched, left


def test_spots_are_found_where_they_are():
    seeds = range(100, 122)
    there = found = false = 0
    off = []
    for seed in seeds:
        scene = any_scene(seed, (750, 1000))
        picture = np.asarray(Image.open(io.BytesIO(take(scene).content)).convert("RGB"))
        proposal, _ = read_photo(picture, scene.width, scene.height)
        matched, extra = pairs(scene, proposal)
        there += len(matched)
        found += sum(spot is not None for _, spot in matched)
        false += len(extra)
        assert proposal.origin is not None and proposal.front is not None, seed
        off += [abs(proposal.rf(spot) - scene.rf(blob)) for blob, spot in matched if spot is not None]
    assert there > 150
    assert found / there >= 0.95
    assert false / len(seeds) <= 0.3
    assert statistics.quantiles(off, n=20)[-1] <= 0.02
