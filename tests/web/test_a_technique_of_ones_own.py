"""A house's own technique: one folder, named in the environment, and nothing else is touched."""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_it_is_carried_through_every_part_of_the_house(server):
    environment = os.environ | {"HELVOR_TECHNIQUES": "tests.web.steam", "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}
    for name in ("PYTEST_XDIST_WORKER", "PYTEST_CURRENT_TEST", "PYTEST_ADDOPTS"):
        environment.pop(name, None)
    ran = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "tests/web/carried_through.py"],
        cwd=ROOT,
        env=environment,
        capture_output=True,
        text=True,
        timeout=300,
        check=False,
    )
    assert ran.returncode == 0, ran.stdout[-4000:] + ran.stderr[-2000:]
