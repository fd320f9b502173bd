"""What a rack of 96 tubes costs: its page beside the barest one, its pools, and the bands of five compounds."""

from __future__ import annotations

import argparse
import platform
import statistics
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

from harness import compare, database, served

from helvor import demo
from helvor.core.laws.column.model import Compound, bands, in_tubes
from helvor.core.laws.column.pools import Tube, cost_of, exchanged, propose
from helvor.core.quantities.reading import parse
from helvor.core.techniques.column.entries import Pooled, TubesFilled, TubesSpotted
from helvor.notebook import classes, pages, procedures
from helvor.notebook.database import connect
from helvor.notebook.migrate import migrate
from helvor.notebook.pages import Draft
from helvor.shelf.procedures import shipped_procedure

TUBES = 96
NAMES = ("a", "b", "c", "d", "e", "f")
AIMS = {"rack page": 5.0}


def took(work: Callable[[], object], times: int = 200) -> float:
    """Median of one call, ms."""
    measured = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        measured.append(time.perf_counter() - began)
    return 1e3 * statistics.median(measured)


def shown(number: int) -> dict[str, int]:
    """What a tube shows: six compounds in turn, each over some sixteen tubes, neighbours overlapping."""
    found = {}
    for place, name in enumerate(NAMES):
        away = abs(number - (8 + 16 * place))
        if away <= 9:
            found[name] = 4 if away < 4 else 2 if away < 7 else 1
    return found


def fill(url: str) -> UUID:
    """A demo database with a run of 96 tubes on the front bench."""
    with connect(url) as conn:
        migrate(conn)
        demo.load(conn)
        row = conn.execute("SELECT id FROM account WHERE email = %s", [demo.EMAIL]).fetchone()
        assert row is not None
        me, key = row[0], uuid4()
        procedures.add_procedure(conn, me, key, shipped_procedure("colours-of-iron"), "made")
        procedures.put_in_use(conn, me, key, 1)
        bench = classes.front_bench(conn, me).id
        run = procedures.start_runs(conn, me, "Ines Marlow", key, [bench], uuid4())[0]
        says = [TubesFilled(step="s6", first=n, last=n, volume=parse("5 mL", "volume")) for n in range(1, TUBES + 1)]
        says += [
            TubesSpotted(step="s7", first=n, last=n, compound=name, strength=strength)
            for n in range(1, TUBES + 1)
            for name, strength in shown(n).items()
        ]
        says.append(Pooled(step="s8", first=1, last=12, portion="pool A"))
        at = datetime.now(UTC)
        drafts = [Draft(uuid4(), one, at=at + timedelta(seconds=i)) for i, one in enumerate(says)]
        pages.append(conn, me, "Ines Marlow", run, lambda entries: drafts)
        conn.commit()
    return UUID(str(run))


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=60)
    rounds = parser.parse_args().rounds
    print(f"\n## A rack of {TUBES} tubes, {rounds} rounds, Python {platform.python_version()}\n")
    tubes = [Tube(n, 5.0, 5.0 * (n - 1), seen=shown(n)) for n in range(1, TUBES + 1)]
    masses = dict.fromkeys(NAMES, 20.0)
    five = [Compound(name, 20.0, (0.1 + 0.1 * i, 0.2 + 0.1 * i)) for i, name in enumerate(NAMES[:5])]
    ends = [5.0 * (i + 1) for i in range(200)]

    def pooling() -> object:
        pools = propose(tubes, masses)
        return cost_of(pools, tubes, masses), exchanged(tubes)

    def model() -> object:
        return [in_tubes(band, ends) for band in bands(five, [200.0, 800.0], 20.0, capacity=60.0)]

    print(
        f"Pools of {TUBES} tubes × {len(NAMES)} compounds: {took(pooling):.1f} ms (aim ≤ 20). "
        f"Five compounds over 200 tubes: {took(model):.1f} ms (aim ≤ 20).\n"
    )
    with database() as url:
        run = fill(url)
        with served(url) as server:
            client = server.client
            asks = {
                "bare page": lambda _: client.ask("GET", "/bare")[0],
                "rack page": lambda _: client.ask("GET", f"/runs/{run}?step=s6")[0],
            }
            compare(asks, AIMS, rounds)


if __name__ == "__main__":
    main()
