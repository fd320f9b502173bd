"""What a run's page shows: its contexts, and how they are put together."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any
from uuid import UUID

from markupsafe import Markup

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.account import PortionMass
from helvor.core.engine.run.record import Run, WeighedOn
from helvor.core.engine.run.tares import Net
from helvor.core.engine.run.work_out import RunWorksheet, StepSeen
from helvor.core.hazards.substances import known_hazards
from helvor.core.quantities.formula import readable
from helvor.core.quantities.measured import Measured, shown
from helvor.core.quantities.working import WorkingLine
from helvor.core.record.entry import Entry, Line, Payload
from helvor.core.record.procedure import Step
from helvor.core.techniques.registered import TECHNIQUES
from helvor.notebook import classes
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.pages import worked_out
from helvor.web.rendering import Shell, fragment
from helvor.web.run.at_step import AtStep
from helvor.web.run.on_page import INSTRUMENTS, TECHNIQUE_TITLES
from helvor.web.run.scheme import Scheme, draw_scheme
from helvor.web.run.tares import TareShown, tares_shown
from helvor.web.run.words import NO_STEPS, describe

VIEWS = {"step": "Step", "record": "Mass record", "why": "Losses", "notes": "Notes and files"}

TITLES = {
    "weighed": "Weighing",
    "taken": "Amount taken",
    "volume-read": "Volume",
    "used-instead": "Used something else",
    "marked": "Skip a step",
    "noted": "Note",
    "timer-set": "Timer",
    "timer-stopped": "Stop the timer",
    "borrowed": "Continue with another bench's product",
    "late": "Started late",
    "step-added": "Add a step",
    "substance-added": "Add a substance",
    "portion-said": "Describe a portion",
    "handout-corrected": "Correct the handout",
    "struck": "Strike out",
    "acknowledged": "Continue after a Stop",
    **TECHNIQUE_TITLES,
}
PICKS = (
    "clear",
    "cloudy",
    "colourless",
    "coloured",
    "fumes",
    "no more fumes",
    "bubbles",
    "warm",
    "crystals",
    "oil",
    "powder",
    "lumps",
    "two layers",
    "spilt",
    "broken glass",
)


@dataclass(frozen=True, slots=True)
class TimerShown:
    """A running timer; ``left`` seconds, below zero once it is due."""

    key: UUID
    label: str
    due: datetime
    left: int


@dataclass(frozen=True, slots=True)
class ReadingShown:
    """An entry among the last readings."""

    entry: Entry
    says: str
    key: UUID
    struck: str
    correctable: bool


@dataclass(frozen=True, slots=True)
class PlotShown:
    """The small drying plot: a line, its dots, and the band that counts as constant."""

    line: str
    dots: list[tuple[float, float]]
    band_y: float
    band_height: float
    predicted_y: float | None


@dataclass(frozen=True, slots=True)
class PortionRow:
    """A portion in the table of weighings."""

    portion: PortionMass
    container: str
    tare: str
    gross: str
    net: str
    series: list[str]
    plot: PlotShown | None


@dataclass(frozen=True, slots=True)
class AmountRow:
    """A substance that the step adds: wanted and taken."""

    name: str
    wanted: str
    unit: str
    exact: bool
    taken: str
    key: UUID | None
    hazards: str


@dataclass(frozen=True, slots=True)
class WeighShown:
    """The balance, set for the step: what should stand on the pan and be in it."""

    container: str
    portion: str
    state: str
    tare: str
    balance: str


@dataclass(frozen=True, slots=True)
class GapShown:
    """What there is to explain, as it is said."""

    what: str
    against: str
    amount: str
    sign: str


@dataclass(frozen=True, slots=True)
class Headline:
    """The large numbers of the side sheet."""

    label: str
    value: str
    unit: str
    more: str = ""


@dataclass(frozen=True, kw_only=True)
class RunWork:
    """The part of the page that every write replaces."""

    page: Page
    sheet: RunWorksheet
    view: str
    views: dict[str, str]
    chosen: StepSeen | None
    strip: Markup
    weigh: WeighShown | None
    amounts: list[AmountRow]
    timers: list[TimerShown]
    tares: list[TareShown]
    last: list[ReadingShown]
    notes: list[ReadingShown]
    files: list[tuple[ReadingShown, e.Attached]]
    rows: list[PortionRow]
    scheme: Scheme | None
    working: list[WorkingLine]
    headlines: list[Headline]
    portions: list[str]
    states: dict[str, str]
    plates: list[tuple[UUID, str]]
    csrf: str
    said: str
    file_trouble: str
    file_room: str
    file_words: str
    line: str
    instrument: Markup
    gaps: list[GapShown]


@dataclass(frozen=True, kw_only=True)
class RunPage(Shell, RunWork):
    pass


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFormShown:
    """A form with what was typed and what is wrong with it."""

    page: Page
    kind: str
    title: str
    values: dict[str, list[str]]
    errors: dict[str, str]
    run: Run
    entry: UUID
    strikes: UUID | None
    sisters: list[WeighedOn]
    step: str
    view: str
    back: str
    about: str
    csrf: str
    states: dict[str, str]
    picks: tuple[str, ...]
    kinds: list[tuple[str, str]]
    technique: Markup


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFormFragment:
    form: RunFormShown


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFormPage(Shell):
    form: RunFormShown


@dataclass(frozen=True, slots=True, kw_only=True)
class NetShown:
    """What the balance's form would write, worked out."""

    gross: str
    tare: str
    net: str
    trouble: str
    hint: str


def only_run(page: Page) -> Page:
    if page.technique_key != "run":
        raise NotYours
    return page


def sheet_of(page: Page, entries: Sequence[Entry]) -> RunWorksheet:
    """A run, worked out.

    Raises:
        NotWorkedOut: it cannot be; what is in ink stands all the same.
    """
    sheet = worked_out(page, entries)
    assert isinstance(sheet, RunWorksheet)
    return sheet


@dataclass(frozen=True, slots=True, kw_only=True)
class Ink:
    """A reading just written, as it stands among the last ones: itself, and the one whose place it takes."""

    reading: ReadingShown | None
    replaces: UUID | None
    edit: str
    view: str


@dataclass(frozen=True, slots=True)
class StripStep:
    """A step as the strip shows it."""

    id: str
    short: str
    says: str
    done: int
    skipped: str | None
    branch: int

    @property
    def settled(self) -> bool:
        return self.done > 0 or self.skipped is not None


@dataclass(frozen=True, slots=True)
class StripShown:
    """The step strip of a run; ``chosen`` is the step in view, ``current`` the next one's number or 0."""

    page: UUID
    chosen: str
    current: int
    steps: tuple[StripStep, ...]


@lru_cache(maxsize=512)
def draw_strip(shown_strip: StripShown) -> Markup:
    """The strip drawn. Most of what is written changes nothing on it, and drawing it anew is most of an answer."""
    return fragment("run/strip.html", shown_strip)


def _strip(page: Page, sheet: RunWorksheet, chosen: StepSeen | None) -> Markup:
    if not sheet.steps:
        return Markup("")
    steps = tuple(
        StripStep(seen.step.id, seen.short, seen.says, seen.done, seen.skipped, seen.branch) for seen in sheet.steps
    )
    current = sheet.current.number if sheet.current else 0
    return draw_strip(StripShown(page.id, chosen.step.id if chosen else "", current, steps))


@dataclass(frozen=True, slots=True)
class Seen:
    """How a run is looked at, and what stands beside it.

    Attributes:
        view: which part; step: which of its steps; csrf: of who looks.
        plates: of the same bench; registered: tares of the class's register by label.
        file_trouble, file_words: what was wrong with a file, and what was typed to it; file_room: how much is left.
        line: what stands in the reading line, where an address brings it along.
    """

    view: str
    step: str
    csrf: str
    plates: Sequence[classes.PageOnBoard] = ()
    registered: Mapping[str, str] = field(default_factory=dict)
    file_trouble: str = ""
    file_room: str = ""
    file_words: str = ""
    line: str = ""


def work_of(page: Page, sheet: RunWorksheet, seen: Seen) -> dict[str, Any]:
    """Everything that the page of a run shows."""
    view, step, csrf = seen.view, seen.step, seen.csrf
    now = datetime.now(UTC)
    chosen = next((one for one in sheet.steps if one.step.id == step), None) or sheet.current
    if chosen is None and sheet.steps:
        chosen = sheet.steps[-1]
    view = view if view in VIEWS else "step"
    standing = sorted((line for line in sheet.run.lines if line.stands), key=lambda line: -line.head.seq)
    files = _shown(standing, e.Attached) if view == "notes" else []
    return {
        "page": page,
        "sheet": sheet,
        "view": view,
        "views": VIEWS,
        "chosen": chosen,
        "strip": _strip(page, sheet, chosen),
        "weigh": _weigh(chosen.step, sheet) if chosen is not None else None,
        "amounts": _amounts(chosen.step, sheet) if chosen is not None else [],
        "timers": _timers(sheet.run, now),
        "tares": tares_shown(sheet, seen.registered),
        "last": _shown(standing, READINGS, {"step": 6, "record": 400}.get(view, 0)),
        "notes": _shown(standing, e.Noted | e.Late | e.Borrowed) if view == "notes" else [],
        "files": [(reading, reading.entry.payload) for reading in files],
        "rows": _rows(sheet) if view == "record" else [],
        "scheme": draw_scheme(sheet) if view == "record" else None,
        "working": working(sheet, chosen, view),
        "headlines": headlines(sheet),
        "portions": sheet.run.portion_names,
        "states": e.STATES,
        "plates": [(p.id, f"Plate {p.number}") for p in seen.plates],
        "csrf": csrf,
        "said": "",
        "instrument": _instrument(page, sheet, chosen, view, csrf),
        "gaps": _gaps(sheet) if view == "why" else [],
        "file_trouble": seen.file_trouble,
        "file_room": seen.file_room,
        "file_words": seen.file_words,
        "line": seen.line,
    }


def _instrument(page: Page, sheet: RunWorksheet, chosen: StepSeen | None, view: str, csrf: str) -> Markup:
    """The instrument of the step that is shown, where its technique has one."""
    if chosen is None or view != "step":
        return Markup("")
    draw = INSTRUMENTS.get(chosen.step.kind)
    return draw(AtStep(page, sheet, chosen, view, csrf)) if draw else Markup("")


def _gaps(sheet: RunWorksheet) -> list[GapShown]:
    shown_gaps = []
    for gap in sheet.gaps:
        size = gap.missing if gap.missing.value > 0 else gap.missing * -1
        what = gap.portion or "the whole sample"
        shown_gaps.append(GapShown(what, gap.against, f"{shown(size)} g", gap.sign or "within"))
    return shown_gaps


def _weigh(step: Step, sheet: RunWorksheet) -> WeighShown:
    """What the balance's form starts with for a step."""
    container = " + ".join(step.container)
    portion = step.on or (step.gives[0] if step.gives else "")
    state = "empty" if step.empty else "dried" if sheet.dried_before(step) else "as is"
    tare = sheet.ledger.tares.get(frozenset(label.casefold() for label in step.container))
    known = shown(tare.mass) if tare is not None and tare.mass is not None else ""
    last = next((on.weighed.balance for on in reversed(sheet.run.weighings) if on.weighed.balance), "")
    return WeighShown(container, "" if step.empty else portion, state, known, last)


def _amounts(step: Step, sheet: RunWorksheet) -> list[AmountRow]:
    rows = []
    for name in step.adds:
        substance = sheet.run.procedure.substance(name)
        taken = sheet.ledger.taken(name)
        if substance is None:
            continue
        unit = substance.amount.unit if substance.amount else "g"
        real = (taken.volume if unit == "mL" else taken.mass) if taken else None
        rows.append(
            AmountRow(
                substance.name,
                str(substance.amount) if substance.amount else "",
                unit,
                substance.exact,
                f"{shown(real)} {unit}" if real is not None else "",
                taken.readings[-1].key if taken and taken.readings else None,
                known_hazards(substance),
            )
        )
    return rows


def _timers(run: Run, now: datetime) -> list[TimerShown]:
    names = {step.id: f"step {i}" for i, step in enumerate(run.procedure.steps, 1)}
    running = [(on, on.due) for on in run.timers if on.stopped is None]
    return [
        TimerShown(on.key, on.timer.label or names.get(on.timer.step, "timer"), due, round((due - now).total_seconds()))
        for on, due in sorted(running, key=lambda pair: pair[1])
    ]


READINGS: tuple[type[Payload], ...] = (
    e.Weighed,
    e.Taken,
    e.VolumeRead,
    e.UsedInstead,
    e.Noted,
    e.Tried,
    e.Attached,
    e.Borrowed,
    e.Late,
    e.StepAdded,
    e.SubstanceAdded,
    *(payload for technique in TECHNIQUES.all for payload in technique.payloads),
)
"""Kinds of entry that stand among the last readings; what only moves the strip on does not."""


CORRECTED = frozenset({"weighed", "taken", "volume-read", "used-instead", "noted", *TECHNIQUE_TITLES} - {"emptied"})
"""Kinds of reading with a form to correct them by; the others are struck through."""


def _shown(standing: Sequence[Line], kinds: Any, most: int = 200) -> list[ReadingShown]:
    """Readings of some kinds, in the order given, each with what was struck through for it."""
    wanted = (line for line in standing if isinstance(line.head.payload, kinds))
    return [_reading(line) for line in itertools.islice(wanted, most)]


def _reading(line: Line) -> ReadingShown:
    struck = describe(line.entries[-2], NO_STEPS) if len(line.entries) > 1 else ""
    return ReadingShown(
        line.head, describe(line.head, NO_STEPS), line.root.id, struck, line.head.payload.kind in CORRECTED
    )


def ink_of(page: Page, line: Line, view: str) -> Ink:
    """What is shown of an entry that was just written, before anything is worked out of it."""
    stands = line.stands and isinstance(line.head.payload, READINGS)
    return Ink(
        reading=_reading(line) if stands else None,
        replaces=line.root.id if len(line.entries) > 1 else None,
        edit=f"{page.address}/edit",
        view=view if view in VIEWS else "",
    )


def working(sheet: RunWorksheet, chosen: StepSeen | None = None, view: str = "record") -> list[WorkingLine]:
    """The arithmetic beside the record; beside a step only that of its portions, and the totals."""
    ledger = sheet.ledger
    portions = list(ledger.portions.values())
    if view != "record" and chosen is not None:
        touched = {n.casefold() for n in (*chosen.step.takes, *chosen.step.gives, chosen.step.on)}
        portions = [p for p in portions if p.name.casefold() in touched]
    return [
        line
        for lines in (
            *(p.working for p in portions),
            ledger.working,
            *(c.working for c in ledger.components),
            *(y.working for y in ledger.yields),
        )
        for line in lines
    ]


def _rows(sheet: RunWorksheet) -> list[PortionRow]:
    rows = []
    for portion in sheet.ledger.portions.values():
        if not portion.nets:
            continue
        for pan in dict.fromkeys(net.on.weighed.pan for net in portion.nets):
            nets = [net for net in portion.nets if net.on.weighed.pan == pan]
            best = next((n for n in reversed(nets) if n.on.weighed.state in ("dried", "as is")), nets[-1])
            tare = best.tare.mass if best.tare is not None else None
            rows.append(
                PortionRow(
                    portion,
                    best.on.weighed.name,
                    shown(tare) if tare is not None else "",
                    best.on.weighed.mass.number if best.on.weighed.way == "gross" else "",
                    shown(best.net) if best.net is not None and best.on.weighed.state != "wet" else "",
                    [n.on.weighed.mass.number for n in nets if n.on.weighed.state == "dried"],
                    _plot([n for n in nets if n.on.weighed.state == "dried" and n.value is not None], portion),
                )
            )
    return rows


def _plot(nets: list[Net], portion: PortionMass) -> PlotShown | None:
    """A drying curve in a box of 116 by 34, the last weighing inside the band of constant mass."""
    if len(nets) < 2 or portion.constancy is None:
        return None
    masses = [net.value for net in nets if net.value is not None]
    times = [net.on.entry.happened.timestamp() for net in nets]
    predicted = portion.constancy.predicted
    low = min([*masses, *([predicted] if predicted else [])])
    span = max(max(masses) - low, portion.constancy.limit or 1e-6) or 1e-6
    length = (times[-1] - times[0]) or 1.0

    def y(mass: float) -> float:
        return round(29 - 24 * (mass - low) / span, 1)

    dots = [(round(5 + 106 * (t - times[0]) / length, 1), y(m)) for t, m in zip(times, masses, strict=True)]
    limit = portion.constancy.limit or 0.0
    height = max(4.0, 24 * limit / span)
    return PlotShown(
        "M" + "L".join(f"{x} {at}" for x, at in dots),
        dots,
        round(y(masses[-1]) - height / 2, 1),
        round(height, 1),
        y(predicted) if predicted else None,
    )


def headlines(sheet: RunWorksheet) -> list[Headline]:
    ledger = sheet.ledger
    heads = []
    for made in ledger.yields:
        if made.percent is not None and made.obtained is not None:
            heads.append(
                Headline(
                    f"yield of {made.portion}", *_percent(made.percent), f"of {shown(made.theoretical)} g theoretical"
                )
            )
    for account in ledger.components:
        mean = account.mean_content
        if mean is not None:
            of = f"mean of {len(account.contents)}" if len(account.contents) > 1 else "of the sample"
            heads.append(Headline(f"{readable(account.component.expressed)} in the sample", *_percent(mean), of))
    if not ledger.reacts and ledger.closure is not None and ledger.sample is not None:
        label = (
            f"recovered of {shown(ledger.sample)} g"
            if ledger.complete
            else f"recovered so far of {shown(ledger.sample)} g"
        )
        heads.append(Headline(label, *_percent(ledger.closure)))
        if ledger.missing is not None and ledger.complete:
            over = ledger.missing.value < 0
            words = "more than went in" if over else "unaccounted for"
            heads.append(Headline(words, shown(Measured(0.0) - ledger.missing if over else ledger.missing), "g"))
    return heads


def _percent(number: Measured) -> tuple[str, str]:
    return shown(number * 100, most=1), "%"
