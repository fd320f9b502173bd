"""A handout read, as JSON."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, StringConstraints

from helvor.core.handout.read import NoHandout
from helvor.core.handout.sentences import MOST_CHARACTERS
from helvor.core.record.entry import Problem
from helvor.core.record.procedure import Procedure
from helvor.web.may import May, may
from helvor.web.procedures.handout import read
from helvor.web.security import WriterDep

router = APIRouter(prefix="/api", tags=["procedures"])


class HandoutIn(BaseModel):
    """The text of a handout."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    text: Annotated[str, StringConstraints(max_length=MOST_CHARACTERS)]


class HandoutStepOut(BaseModel):
    """A step by its id in the procedure: its kind, the sentences that it came from, and what is asked about it."""

    id: str
    kind: str
    sentences: list[int]
    doubts: list[str]


class HandoutSubstanceOut(BaseModel):
    """A substance by its name in the procedure: the sentence, the amount as it stands there, and what is asked."""

    name: str
    sentence: int
    written: str
    doubts: list[str]


class SentenceOut(BaseModel):
    """A sentence of the text, and what came of it in words."""

    number: int
    text: str
    fate: str


class HandoutOut(BaseModel):
    """The procedure as proposed, each part with its sentence; questions and blanks of the handout.

    Amounts in the procedure are for one bench, all portions together, in g or mL; temperatures in °C, times in min.
    """

    procedure: Procedure
    steps: list[HandoutStepOut]
    substances: list[HandoutSubstanceOut]
    sentences: list[SentenceOut]
    questions: list[str]
    blanks: list[str]


@router.post("/handout")
@may(May.ANYBODY)
def handout(asked: HandoutIn, who: WriterDep) -> HandoutOut:
    """Read a handout: the procedure that it is, each part beside its sentence. Nothing is kept."""
    try:
        found = read(asked.text)
    except NoHandout as bad:
        raise Problem("text", str(bad)) from bad
    return HandoutOut(
        procedure=found.procedure,
        steps=[
            HandoutStepOut(id=one.step.id, kind=one.step.kind, sentences=list(one.sentences), doubts=list(one.doubts))
            for one in found.steps
        ],
        substances=[
            HandoutSubstanceOut(
                name=one.substance.name, sentence=one.sentence, written=one.written, doubts=list(one.doubts)
            )
            for one in found.substances
        ],
        sentences=[
            SentenceOut(number=one.number, text=one.text, fate=found.fate[one.number]) for one in found.sentences
        ],
        questions=list(found.questions),
        blanks=list(found.blanks),
    )
