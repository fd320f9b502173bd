"""Timers and temperatures as people type them."""

from __future__ import annotations

import re

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Techniques
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.typed_line import (
    NotSure,
    Understood,
    built,
)


def read_temperature(words: list[str], run: Run, step: str, techniques: Techniques) -> Understood:
    """What a thermometer showed: a technique's own reading where its step is there, else a note of the degrees."""
    said = [word for word in words if word.casefold() not in ("is", "was", "at", "=", ":", "now")]
    own = techniques.commands.get("temp")
    if own is not None:
        try:
            return own(said, run, step)
        except Unreadable:
            if not said or (run.procedure.step(step) is None and not re.match(r"[-−+]?\d", said[0])):
                raise
    degrees = re.fullmatch(r"([-−+]?\d+(?:[.,]\d+)?)(?:°?C)?", said[0]) if said else None
    about_it = re.fullmatch(r"(\d+(?:[.,]\d+)?)([±–-])(\d+(?:[.,]\d+)?)(?:°?C)?", said[0]) if said else None
    if about_it is not None:
        low, high = (float(about_it[n].replace(",", ".")) for n in (1, 3))
        middle = low if about_it[2] == "±" else (low + high) / 2
        raise NotSure("Enter one temperature, and the rest in words.", [f"temp {middle:g} {said[0]}"])
    if degrees is None:
        raise Unreadable("Enter the temperature in °C, for example: temp 45, or temp 45 in the oven.")
    celsius = float(degrees[1].replace(",", ".").replace("−", "-"))
    about = " ".join(word for word in said[1:] if word not in ("°C", "C"))
    payload = built(e.Noted, words=about, celsius=celsius, step=step)
    return Understood(payload, f"noted: *{celsius:g} °C*{f', {about}' if about else ''}")


_TIME = re.compile(
    r"(?<!\S)(?:(?P<clock>\d{1,2}:\d{2})|(?P<number>\d+(?:[.,]\d+)?)\s*"
    r"(?P<unit>m|min(?:s|utes?)?|h(?:ours?|rs?)?|s(?:ec(?:s|onds?)?)?|d(?:ays?)?|stunden?|heures?|horas?|)(?!\S))",
    re.IGNORECASE,
)


def read_timer(words: list[str], run: Run, step: str) -> Understood:
    """A timer: its time, in minutes where no unit stands, and what it is for.

    Raises:
        Unreadable: there is no time, or there are several; NotSure with each of a range.
    """
    line = re.sub(r"(?<!\S)(\d+)\s*h(?:ours?)?\s*(\d{2})(?:\s*min)?(?!\S)", r"\1:\2", " ".join(words))
    line = re.sub(r"\bhalf (?:an )?hour\b", "30 min", line, flags=re.IGNORECASE)
    line = re.sub(r"\b(?:a )?quarter of an hour\b", "15 min", line, flags=re.IGNORECASE)
    line = re.sub(r"\b(an?|one) (hour|minute)\b", r"1 \2", line, flags=re.IGNORECASE)
    line = re.sub(r"(?<=\w)[:,](?=\s)", "", line)
    if "stop" in line.casefold().split():
        raise Unreadable("Press Stop beside the timer to stop it.")
    said = _TIME.search(line)
    if said is None:
        either = re.search(r"(?<!\S)(\d+)\s?[–-]\s?(\d+)(?:min)?(?!\S)", line)
        sentence = "Enter the minutes, for example: timer 20 oven, or timer 1.5 h."
        if either is not None:
            raise NotSure(sentence, [f"timer {line.replace(either[0], minutes)}" for minutes in either.groups()])
        raise Unreadable(sentence)
    if said["clock"]:
        hours, minutes_ = said["clock"].split(":")
        minutes = 60.0 * int(hours) + int(minutes_)
    else:
        unit = {"h": 60.0, "s": 1 / 60, "d": 1440.0}.get((said["unit"] or "")[:1].lower(), 1.0)
        minutes = float(said["number"].replace(",", ".")) * unit
    label = f"{line[: said.start()].strip()} {line[said.end() :].strip()}".strip()
    label = label.removeprefix("for ").removesuffix(" for").removesuffix(" of").lstrip(":, ")
    if re.search(r"\d", label) and _TIME.search(label):
        raise Unreadable("Enter one time, for example: timer 90 oven, or timer 1.5 h.")
    payload = built(e.TimerSet, minutes=minutes, label=label, step=step)
    return Understood(payload, f"timer of *{minutes:g} min*{f' for {label}' if label else ''}")
