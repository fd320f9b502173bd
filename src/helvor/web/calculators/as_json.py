"""Every calculator of the pages as JSON: the same fields go in, the same answer comes out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from helvor.core.record.entry import Problem
from helvor.notebook import procedures, shelf_values
from helvor.notebook.page_errors import NotYours
from helvor.web.calculators.answer import Answer, House
from helvor.web.calculators.every import CALCULATOR, CALCULATORS
from helvor.web.forms import FieldErrors
from helvor.web.may import May, may
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter(prefix="/api/calculators", tags=["calculators"])

Text = Annotated[str, Field(max_length=600)]
Value = Text | float | Annotated[list[Text], Field(max_length=12)]
"""What stands in a field: as it is typed, a number, or the keys of what is ticked."""


class CalculatorFieldOut(BaseModel):
    """A field: its unit (empty: none, or written with the value), an example, and the keys to choose from."""

    name: str
    label: str
    hint: str
    unit: str
    usual: str
    choices: dict[str, str]


class CalculatorOut(BaseModel):
    """A calculator and what it asks."""

    key: str
    title: str
    about: str
    fields: list[CalculatorFieldOut]


class AnswerNumberOut(BaseModel):
    """One of the main results."""

    label: str
    value: str
    unit: str
    more: str


class AnswerRemarkOut(BaseModel):
    """Something to know, with its level."""

    level: str
    words: str


class CalculatorAnswerOut(BaseModel):
    """An answer as its page shows it: main results, a table, what to do, remarks, and the arithmetic."""

    says: str
    numbers: list[AnswerNumberOut]
    head: list[str]
    rows: list[list[str]]
    steps: list[str]
    remarks: list[AnswerRemarkOut]
    working: list[tuple[str, str]]

    @classmethod
    def of(cls, answer: Answer) -> CalculatorAnswerOut:
        """The answer without its drawing."""
        return cls(
            says=answer.says,
            numbers=[
                AnswerNumberOut(label=one.label, value=one.value, unit=one.unit, more=one.more) for one in answer.large
            ],
            head=list(answer.head),
            rows=[list(row) for row in answer.rows],
            steps=answer.steps,
            remarks=[AnswerRemarkOut(level=level, words=words) for level, words in answer.remarks],
            working=[(line.what, line.shown) for line in answer.working],
        )


@router.get("")
@may(May.ANYBODY)
def calculators(who: VisitorDep) -> list[CalculatorOut]:
    """Every calculator with its fields."""
    return [
        CalculatorOut(
            key=one.key,
            title=one.title,
            about=one.about,
            fields=[
                CalculatorFieldOut(
                    name=asks.name,
                    label=asks.label,
                    hint=asks.hint,
                    unit=asks.unit,
                    usual=asks.usual,
                    choices=dict(asks.options),
                )
                for asks in one.asks
            ],
        )
        for one in CALCULATORS
    ]


@router.post("/{key}")
@may(May.ANYBODY)
def calculate(request: Request, key: str, who: WriterDep, fields: dict[str, Value]) -> CalculatorAnswerOut:
    """An answer, by the fields of the page with the same name; what is left out is empty."""
    if key not in CALCULATOR:
        raise NotYours
    typed = {name: value if isinstance(value, list) else [str(value)] for name, value in fields.items()}
    with pool(request).connection() as conn:
        house = House(shelf_values.shelf_of(conn, who.account.id), procedures.house_rules_of(conn, who.account.id))
    try:
        return CalculatorAnswerOut.of(CALCULATOR[key].work_out(typed, house))
    except FieldErrors as troubles:
        field, sentence = next(iter(troubles.errors.items()))
        raise Problem(field, sentence) from troubles
