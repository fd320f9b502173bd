"""How well and how fast a photograph of a plate is read, beside scikit-image's plain blob finder.

Each reader works in a process of its own on one core. The plain finder is helped: it is given the
plate straightened by its true corners, in grey, and only has to find dark (or bright) blobs.
"""

from __future__ import annotations

import argparse
import json
import os
import pickle
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

PIXELS = (3000, 4000)
AIMS = "aims: found ≥ 95 %, false ≤ 0.3 a plate, 95 % of |ΔRf| ≤ 0.02, ≤ 2.5 s, ≤ 600 MB"


def score(photo: dict[str, object], spots: list[tuple[float, float]], lines: object) -> tuple[int, int, list[float]]:
    """Found, false, and how far each Rf is off; *spots* as (x, up) in mm, *lines* gives origin and front at x."""
    left, found, off = list(spots), 0, []
    for x, up, rf in photo["spots"]:
        near = [s for s in left if abs(s[1] - up) < 2.5 and abs(s[0] - x) < 3]
        if near:
            best = min(near, key=lambda s: abs(s[1] - up) + 0.5 * abs(s[0] - x))
            left.remove(best)
            found += 1
            bottom, front = lines(best[0])
            off.append(abs((best[1] - bottom) / (front - bottom) - rf))
    return found, len(left), off


def ours(photo: dict[str, object]) -> tuple[list[tuple[float, float]], object]:
    """The whole way, from the file on."""
    from helvor.notebook.photographs import Asked, propose  # noqa: PLC0415

    asked = Asked(width=photo["width"], height=photo["height"])
    p, _ = propose(photo["content"], photo["light"], asked)
    return [(s.x, s.up) for s in p.spots], lambda x: (p.origin.at(x), p.front.at(x))


def plain(photo: dict[str, object]) -> tuple[list[tuple[float, float]], object]:
    """Blobs of a plate that is straightened by its true corners already."""
    import io  # noqa: PLC0415

    from PIL import Image  # noqa: PLC0415
    from skimage.color import rgb2gray  # noqa: PLC0415
    from skimage.feature import blob_log  # noqa: PLC0415
    from skimage.transform import ProjectiveTransform, warp  # noqa: PLC0415

    px = 4
    w, h = photo["width"], photo["height"]
    picture = np.asarray(Image.open(io.BytesIO(photo["content"])).convert("RGB").reduce(2))
    flat = np.array([[0, 0], [w * px, 0], [w * px, h * px], [0, h * px]], dtype=float)
    grey = rgb2gray(
        warp(
            picture,
            ProjectiveTransform.from_estimate(flat, np.array(photo["corners"]) / 2),
            output_shape=(round(h * px), round(w * px)),
        )
    )
    blobs = blob_log(grey if photo["light"] == "365" else 1 - grey, min_sigma=4, max_sigma=12, threshold=0.03)
    return [(c / px, h - r / px) for r, c, _ in blobs], lambda x: (photo["origin"], photo["front"])


def work(which: str, folder: Path) -> None:
    """Read every picture of a folder on one core; say what came of it as JSON."""
    os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    photos = [pickle.loads(path.read_bytes()) for path in sorted(folder.glob("*.pickle"))]
    reader = {"ours": ours, "plain": plain}[which]
    reader(photos[0])  # libraries loaded
    there = found = false = 0
    off: list[float] = []
    seconds = []
    for photo in photos:
        start = time.perf_counter()
        spots, lines = reader(photo)
        seconds.append(time.perf_counter() - start)
        hits, extra, errors = score(photo, spots, lines)
        there, found, false = there + len(photo["spots"]), found + hits, false + extra
        off += errors
    # What getrusage says would count the parent's memory before this program took over.
    peak = int(
        next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM")).split()[1]
    )
    print(
        json.dumps(
            {
                "found": found / there,
                "false": false / len(photos),
                "off": float(np.percentile(off, 95)) if off else None,
                "median": statistics.median(seconds),
                "worst": max(seconds),
                "mb": peak / 1024,
                "spots": there,
            }
        )
    )


def main() -> None:
    """Make the pictures, let both readers read them, print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--plates", type=int, default=16)
    parser.add_argument("--work", choices=["ours", "plain"])
    parser.add_argument("--folder", type=Path)
    arguments = parser.parse_args()
    if arguments.work:
        work(arguments.work, arguments.folder)
        return
    from tests.photographs import any_scene, take  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as name:
        for seed in range(arguments.plates):
            scene = any_scene(500 + seed, PIXELS)
            photo = take(scene)
            says = {
                "content": photo.content,
                "width": scene.width,
                "height": scene.height,
                "light": scene.light,
                "corners": photo.corners,
                "origin": scene.origin,
                "front": scene.front,
                "spots": [(s.x, s.y, scene.rf(s)) for s in scene.spots],
            }
            Path(name, f"{seed:03}.pickle").write_bytes(pickle.dumps(says))
        print(f"\n## Photographs of 12 megapixels, {arguments.plates} plates\n")
        print("| reader | found | false a plate | 95 % of abs(ΔRf) | median s | worst s | peak MB |")
        print("|---|---|---|---|---|---|---|")
        for which, title in (
            ("ours", "whole reading, opening included"),
            ("plain", "plain `blob_log`, straightened for it"),
        ):
            command = [sys.executable, __file__, "--work", which, "--folder", name]
            r = json.loads(subprocess.run(command, check=True, capture_output=True, text=True).stdout)
            quality = f"{100 * r['found']:.1f} % | {r['false']:.2f} | {r['off']:.4f}"
            print(f"| {title} | {quality} | {r['median']:.2f} | {r['worst']:.2f} | {r['mb']:.0f} |")
        print(f"\n{AIMS}; {r['spots']} spots.")


if __name__ == "__main__":
    main()
