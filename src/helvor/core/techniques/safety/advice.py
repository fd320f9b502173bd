"""How the safety rules put their advice."""

from __future__ import annotations

import re

from helvor.core.engine.plan.check_plan import Advice
from helvor.core.engine.plan.matter import Moment
from helvor.core.record.finding import Finding, Level

LOCAL = "Local rules and a qualified person decide."


FUNNELS = ("extract", "wash layer")


_CAUGHT = re.compile(
    r"(?:recover|collect)\w* (?:it|all of it|the (?:solvent|ether|distillate|eluent))\b|condens|distil|rotary"
    r"|evaporator|still head|\ba still\b|cold trap",
    re.IGNORECASE,
)


def at_step(moment: Moment) -> str:
    """How an advice begins."""
    return f"Step {moment.number}"


def advise(moment: Moment, code: str, level: Level, what: str, because: str, do: str, about: str = "") -> Advice:
    """Advice on a step; behind a stop stands who decides."""
    finding = Finding(code, level, what, because, f"{do} {LOCAL}" if level == "stop" else do, about or moment.step.id)
    return Advice(finding, moment.step.id)


def caught(moment: Moment) -> bool:
    """Whether what a step evaporates is collected: by an evaporator, a still, a cold trap."""
    return _CAUGHT.search(f"{moment.words} {' '.join(moment.step.kit)}") is not None
