"""A class in a period: every bench through the steps, shared kit as queues, many times over.

Period 1. A bench has one pair of hands. It does the first step of the handout whose portions are
          ready and whose kit is free; if all kit is taken it queues for the first one.
Period 2. Kit is held while hands are on it; what a portion stays in or on (an oven shelf, a hotplate,
          a vacuum outlet) is held while it waits, too.
          What stands in its place and nothing follows in the meeting may stay overnight: the bench
          is done once its hands are off.
Period 3. Hands-on minutes scatter from step to step and from bench to bench, lognormally around the
          handout's; waiting does not. How much is a guess until enough runs were timed; common
          practice, no source.
          Where runs were timed, their own minutes and spread stand in (see ``learn``).
Period 4. Every run is drawn from a seed, so that the same class gives the same answer.
"""

from __future__ import annotations

import bisect
import math
import random
import statistics
from collections.abc import Callable, Generator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import simpy
from simpy.resources.resource import Request

from helvor.core.engine.plan.branches import branches
from helvor.core.engine.plan.timeline import touches, touches_all
from helvor.core.record.procedure import Procedure, Step

STEP_SPREAD, BENCH_SPREAD = 0.25, 0.15
"""Standard deviation of the logarithm of hands-on minutes, of steps and of benches (Period 3)."""
RUNS = 200
HELD_WAITING = ("oven", "hotplate", "vacuum", "suction", "evaporator", "hood", "chamber", "ice bath", "water bath")
"""Kit that a portion stays in or on while it waits (Period 2)."""
USUAL_COUNTS: dict[str, int] = {
    "balance": 4,
    "oven": 4,
    "hotplate": 12,
    "vacuum": 6,
    "hood": 4,
    "evaporator": 1,
    "UV cabinet": 1,
    "melting block": 2,
}
"""Kit that classes share, and how many there usually are (an oven counts by shelves). Common practice."""


def shared_kit(procedure: Procedure, counted: Mapping[str, int]) -> dict[str, int]:
    """Kit of a procedure that its benches share, by the names it uses, with counts: the class's, else the usual ones.

    Args:
        counted: how many the class has, by name, whatever its capitals.
    """
    known = {name.casefold(): count for name, count in (*USUAL_COUNTS.items(), *counted.items())}
    names = dict.fromkeys(name for step in procedure.steps for name in (*step.kit, step.place) if name)
    return {name: known[name.casefold()] for name in names if name.casefold() in known}


def meeting_of(procedure: Procedure, topics: Mapping[int, str], number: int) -> int:
    """Which of a procedure's own meetings a meeting of the class is.

    Its first is the class's first meeting with its title for a topic, or this one where there is none.

    Args:
        topics: of the class's meetings, by their numbers.
    """
    first = min((n for n, topic in topics.items() if topic.casefold() == procedure.title.casefold()), default=number)
    own = max((step.meeting for step in procedure.steps), default=1)
    return max(1, min(own, number - first + 1))


@dataclass(frozen=True, slots=True)
class Setting:
    """The class and its period.

    Attributes:
        benches: how many; minutes: of the period; talk: before anybody starts; clean_up: at its end.
        kit: name → how many there are; what is not named is no bottleneck.
        stagger: minutes between the starts of one bench and the next.
        times: step id → hands-on minutes and their spread where runs were timed; else the handout's.
        turned: every second bench begins with the branch that the handout puts last.
    """

    benches: int
    minutes: float
    kit: Mapping[str, int]
    talk: float = 10.0
    clean_up: float = 10.0
    stagger: float = 0.0
    times: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    turned: bool = False


@dataclass(frozen=True, slots=True)
class Block:
    """A step of a bench in time, minutes from the start: it queued, hands went on, hands were free, it was over."""

    step: int
    queued: float
    starts: float
    hands_until: float
    ends: float
    kit: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Queue:
    """A kind of shared kit: minutes that all benches queued for it, the longest of one, how busy it was (0 to 1)."""

    kit: str
    count: int
    minutes: float
    longest: float
    busy: float


@dataclass(frozen=True, slots=True)
class Fit:
    """Whether it fits.

    Attributes:
        median, late: minutes from the start at which the last bench is done, clean-up too: in half
            of all runs, and in nine of ten.
        fits: part of the runs that end within the period.
        alone: minutes that a single bench needs, talk and clean-up too.
        queues: the worst first; lanes: each bench's blocks in the run without any scatter.
    """

    setting: Setting
    median: float
    late: float
    fits: float
    alone: float
    queues: tuple[Queue, ...]
    lanes: tuple[tuple[Block, ...], ...]
    runs: int

    @property
    def bottleneck(self) -> Queue | None:
        """The kit that holds the class up most, if any does."""
        return self.queues[0] if self.queues and self.queues[0].minutes >= 1 else None


@dataclass(frozen=True, slots=True)
class _Plan:
    """A procedure's steps of one meeting as the simulation needs them."""

    steps: tuple[Step, ...]
    after: tuple[tuple[int, ...], ...]
    before: tuple[tuple[int, ...], ...]
    needs: tuple[tuple[str, ...], ...]
    held: tuple[bool, ...]
    waits: tuple[float, ...]
    stays: tuple[bool, ...]
    """Put somewhere to wait, with nothing after it in this meeting (Period 2)."""
    hands: tuple[float, ...]
    spread: tuple[float, ...]
    rank: tuple[int, ...]
    """Which ready step goes first, of a bench that takes the branches the other way round."""


def _plan(procedure: Procedure, meeting: int, setting: Setting) -> _Plan:
    kit = setting.kit
    steps = tuple(s for s in procedure.steps if s.doer == "bench" and s.meeting == meeting)
    known = {name.casefold(): name for name in kit}
    after: list[tuple[int, ...]] = []
    needs = []
    behind: list[set[int]] = []
    for i, step in enumerate(steps):
        all_of_them = {j for j in range(i) if set(touches_all(steps[j])) & set(touches(step))}
        # What a later one of them waits for anyway need not be waited for twice.
        implied = set[int]().union(*(behind[j] for j in all_of_them)) if all_of_them else set[int]()
        behind.append(all_of_them | implied)
        after.append(tuple(sorted(all_of_them - implied)))
        named = dict.fromkeys(name.casefold() for name in (*step.kit, *((step.place,) if step.place else ())))
        needs.append(tuple(sorted(known[name] for name in named if name in known)))
    before = tuple(tuple(k for k, waited in enumerate(after) if i in waited) for i in range(len(steps)))
    return _Plan(
        steps,
        tuple(after),
        before,
        tuple(needs),
        tuple(any(name.casefold() in HELD_WAITING for name in need) for need in needs),
        tuple(float(step.waits) for step in steps),
        tuple(bool(step.place) and not before[i] for i, step in enumerate(steps)),
        tuple(setting.times.get(step.id, (float(step.hands), 0.0))[0] for step in steps),
        tuple(setting.times.get(step.id, (0.0, STEP_SPREAD))[1] for step in steps),
        _turned(steps),
    )


def _turned(steps: Sequence[Step]) -> tuple[int, ...]:
    """The order of steps with the last branch first, each branch in itself as it is."""
    of = branches(steps)
    order = sorted(range(len(steps)), key=lambda i: (-of[i], i))
    return tuple(order.index(i) for i in range(len(steps)))


@dataclass(slots=True)
class _Run:
    """One run under way."""

    env: simpy.Environment
    kit: dict[str, simpy.Resource]
    waited: dict[str, float]
    longest: dict[str, float]
    used: dict[str, float]
    lanes: list[list[Block]] = field(default_factory=list)
    ends: list[float] = field(default_factory=list)

    def queued(self, name: str, minutes: float) -> None:
        self.waited[name] += minutes
        self.longest[name] = max(self.longest[name], minutes)


@dataclass(slots=True)
class _Ready:
    """The steps of one bench that may begin: how many each still waits for, and from when it is ready."""

    plan: _Plan
    rank: Sequence[int] | None
    unmet: list[int]
    at: list[float]
    ends: list[float]
    open_: list[int]

    @classmethod
    def of(cls, plan: _Plan, start: float, rank: Sequence[int] | None) -> _Ready:
        """Everything that waits for nothing is ready from the start."""
        unmet = [len(before) for before in plan.after]
        open_ = [i for i, count in enumerate(unmet) if not count]
        return cls(plan, rank, unmet, [start] * len(unmet), [0.0] * len(unmet), open_)

    def choose(self, run: _Run, now: float) -> Generator[simpy.Event, object, int]:
        """The first ready step whose kit is free; else the first ready one; −1 where none is ready yet."""
        fallback = -1
        for i in self.open_ if self.rank is None else sorted(self.open_, key=self.rank.__getitem__):
            if self.at[i] > now + 1e-9:
                continue
            needs = self.plan.needs[i]
            if not needs:
                return i
            if now > run.env.now:
                yield run.env.timeout(now - run.env.now)
            if all(run.kit[name].count < run.kit[name].capacity for name in needs):
                return i
            if fallback < 0:
                fallback = i
        return fallback

    def over(self, i: int, over: float) -> None:
        """A step is over; what waited for it alone is ready."""
        self.ends[i] = over
        self.open_.remove(i)
        for following in self.plan.before[i]:
            self.unmet[following] -= 1
            if not self.unmet[following]:
                self.at[following] = max(self.ends[j] for j in self.plan.after[following])
                bisect.insort(self.open_, following)


def _bench(
    run: _Run, plan: _Plan, hands: Sequence[float], start: float, lane: list[Block] | None, rank: Sequence[int] | None
) -> Generator[simpy.Event, object, None]:
    """One bench. Its own clock runs ahead of the others' until it wants kit: only there they meet."""
    env = run.env
    now = last = start
    ready = _Ready.of(plan, start, rank)
    while ready.open_:
        i = yield from ready.choose(run, now)
        if i < 0:
            now = min(ready.at[step] for step in ready.open_)
            continue
        asked = now
        requests = []
        for name in plan.needs[i]:
            since = env.now
            request = run.kit[name].request()
            yield request
            requests.append((name, request))
            run.queued(name, env.now - since)
            now = env.now
        begun = now
        now += hands[i]
        over = now + plan.waits[i]
        if requests:
            yield env.timeout(now - env.now)
            _give_back(run, plan.held[i], requests, begun, now, over)
        last = max(last, now if plan.stays[i] else over)
        ready.over(i, over)
        if lane is not None:
            lane.append(Block(i, asked, begun, now, over, plan.needs[i]))
    run.ends.append(last)


def _give_back(
    run: _Run, held: bool, requests: Sequence[tuple[str, Request]], begun: float, now: float, over: float
) -> None:
    """Kit is free again, or when what waits in it is over (Period 2)."""
    for name, request in requests:
        stays = held and over > now and name.casefold() in HELD_WAITING
        run.used[name] += (over if stays else now) - begun
        if stays:
            run.env.process(_later(run, name, request, over - now))
        else:
            run.kit[name].release(request)


def _later(run: _Run, name: str, request: Request, minutes: float) -> Generator[simpy.Event, object, None]:
    yield run.env.timeout(minutes)
    run.kit[name].release(request)


def _once(plan: _Plan, setting: Setting, rng: random.Random | None) -> _Run:
    env = simpy.Environment()
    names = {name for need in plan.needs for name in need}
    run = _Run(
        env,
        {name: simpy.Resource(env, max(1, setting.kit[name])) for name in names},
        dict.fromkeys(names, 0.0),
        dict.fromkeys(names, 0.0),
        dict.fromkeys(names, 0.0),
    )
    for bench in range(setting.benches):
        lane: list[Block] | None = None
        if rng is None:
            lane = []
            run.lanes.append(lane)
            hands = list(plan.hands)
        else:
            pace = math.exp(rng.gauss(0, BENCH_SPREAD))
            hands = [
                minutes * pace * math.exp(rng.gauss(0, spread))
                for minutes, spread in zip(plan.hands, plan.spread, strict=True)
            ]
        rank = plan.rank if setting.turned and bench % 2 else None
        env.process(_bench(run, plan, hands, setting.talk + setting.stagger * bench, lane, rank))
    env.run()
    return run


def simulate(
    procedure: Procedure,
    meeting: int,
    setting: Setting,
    *,
    runs: int = RUNS,
    seed: int = 1,
    on: Callable[[float], None] = lambda part: None,
) -> Fit:
    """Run a class through a meeting's steps many times (Period 1 to 4).

    Args:
        procedure: what is done; only its benches' steps of that meeting count.
        meeting: its number.
        setting: the class.
        runs: how often; seed: where chance begins.
        on: told now and then how much is done, 0 to 1.
    """
    plan = _plan(procedure, meeting, setting)
    plain = _once(plan, setting, None)
    rng = random.Random(seed)  # noqa: S311  a drawing of lots, nothing secret
    ends, waited = [], dict.fromkeys(plain.waited, 0.0)
    longest = dict.fromkeys(plain.waited, 0.0)
    used = dict.fromkeys(plain.waited, 0.0)
    for number in range(runs):
        run = _once(plan, setting, rng)
        ends.append(max(run.ends, default=0.0) + setting.clean_up)
        for name in waited:
            waited[name] += run.waited[name] / runs
            longest[name] += run.longest[name] / runs
            used[name] += run.used[name] / runs
        if number % 10 == 9:
            on((number + 1) / runs)
    ends.sort()
    span = max(statistics.median(ends) - setting.talk - setting.clean_up, 1.0) if ends else 1.0
    queues = sorted(
        (
            Queue(name, setting.kit[name], waited[name], longest[name], min(1.0, used[name] / span / setting.kit[name]))
            for name in waited
        ),
        key=lambda queue: (-queue.minutes, queue.kit),
    )
    return Fit(
        setting,
        statistics.median(ends) if ends else 0.0,
        ends[min(len(ends) - 1, math.ceil(0.9 * len(ends)) - 1)] if ends else 0.0,
        sum(end <= setting.minutes for end in ends) / len(ends) if ends else 0.0,
        max(_once(plan, replace(setting, benches=1), None).ends, default=0.0) + setting.clean_up,
        tuple(queues),
        tuple(tuple(lane) for lane in plain.lanes),
        runs,
    )


@dataclass(frozen=True, slots=True)
class Overnight:
    """What still waits at the end of the period: how many benches, the step, and minutes past the end."""

    number: int
    kind: str
    place: str
    benches: int
    minutes: float


def overnight(procedure: Procedure, meeting: int, fit: Fit) -> list[Overnight]:
    """Steps put somewhere to wait beyond the period, without any scatter: they stay over until the next meeting.

    Only what nothing follows in this meeting (Period 2): where hands are still to be put on, it does not fit.
    """
    numbers = {step.id: number for number, step in enumerate(procedure.steps, start=1)}
    plan = _plan(procedure, meeting, fit.setting)
    steps = plan.steps
    late: dict[int, list[float]] = {}
    for lane in fit.lanes:
        for block in lane:
            if plan.stays[block.step] and block.hands_until <= fit.setting.minutes < block.ends:
                late.setdefault(block.step, []).append(block.ends - fit.setting.minutes)
    return [
        Overnight(numbers[steps[i].id], steps[i].kind, steps[i].place, len(past), max(past))
        for i, past in sorted(late.items())
    ]


@dataclass(frozen=True, slots=True)
class Change:
    """What one change would bring: in words, the median end with it, and minutes gained."""

    words: str
    median: float
    gained: float


def changes(procedure: Procedure, meeting: int, fit: Fit, *, runs: int = 40, seed: int = 1) -> list[Change]:
    """One more of the bottleneck, a stagger, another order: what each would bring, the most first."""
    setting, worst = fit.setting, fit.bottleneck
    if worst is None:
        return []
    ideas = {f"one more {worst.kit}": replace(setting, kit={**setting.kit, worst.kit: worst.count + 1})}
    if setting.stagger == 0:
        ideas |= {f"benches start {m:g} min apart": replace(setting, stagger=m) for m in (1.0, 2.0)}
    if not setting.turned and len(set(branches(_plan(procedure, meeting, setting).steps))) > 1:
        ideas["every second bench begins with the last branch"] = replace(setting, turned=True)
    base = simulate(procedure, meeting, setting, runs=runs, seed=seed).median
    found = []
    for words, changed in ideas.items():
        median = simulate(procedure, meeting, changed, runs=runs, seed=seed).median
        found.append(Change(words, median, base - median))
    return sorted(found, key=lambda change: -change.gained)
