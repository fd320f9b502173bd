"""Dry enough: nets of a dish between dryings, and when drying may stop."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from helvor.core.laws.constant_mass import Weighing, constancy
from helvor.core.practice.drills.case import Verdict, chance_of
from helvor.core.quantities.reading import Unreadable, round_to

STARTED = datetime(2026, 1, 5, 9, 0, tzinfo=UTC)
NOT_YET = "not yet"


@dataclass(frozen=True, slots=True)
class Dry:
    """Nets of a dish between dryings; the first at which drying may stop is asked for, or that none is.

    Attributes:
        nets: g; minutes: when each was weighed; step: of the balance, g; rule: as in drying.
    """

    nets: tuple[float, ...]
    minutes: tuple[float, ...]
    step: float
    rule: str

    @property
    def decimals(self) -> int:
        return 2 if self.step >= 0.01 else 3 if self.step >= 0.001 else 4

    @property
    def key(self) -> str:
        """Number of the weighing, ``2`` or later, or :data:`NOT_YET`."""
        for count in range(2, len(self.nets) + 1):
            if constancy(self._until(count), self.rule).state == "constant":
                return str(count)
        return NOT_YET

    def _until(self, count: int) -> list[Weighing]:
        pairs = zip(self.nets[:count], self.minutes[:count], strict=True)
        return [Weighing(net, self.step, STARTED + timedelta(minutes=at)) for net, at in pairs]

    @property
    def asks(self) -> str:
        if self.rule == "pharmacopoeia":
            rule = "two weighings, the second after a further hour, differ by at most 0.50 mg per gram at the start"
        else:
            rule = f"two weighings in a row agree within twice the balance's {self.step:g} g"
        rule = f"{rule}; three that go on falling, so that more than that is still to come, are still drying"
        return f"Dry enough means: {rule}. Choose the first weighing at which you may stop, or none."

    def marked(self, picked: str) -> Verdict:
        """Judge the weighing that was picked.

        Raises:
            Unreadable: there is no such weighing.
        """
        choices = [*(str(n) for n in range(1, len(self.nets) + 1)), NOT_YET]
        if picked not in choices:
            raise Unreadable("Choose one of the weighings, or “not dry yet”.")
        working = []
        for count in range(2, len(self.nets) + 1):
            now = constancy(self._until(count), self.rule)
            apart = f"{(now.difference or 0) * 1000:+.{max(self.decimals - 3, 0)}f} mg".replace("-", "−")
            limit = f"{(now.limit or 0) * 1000:.{2 if self.rule == 'pharmacopoeia' else max(self.decimals - 3, 0)}f} mg"
            says = {
                "constant": "dry enough",
                "soon": "within the limit, but not after an hour",
                "drying": "still losing",
                "close": "weighed again at once: nothing can have dried in between",
                "gaining": "heavier: it was warm at the last weighing, or it is absorbing moisture",
            }[now.state]
            working.append(f"{count}: {apart}, limit {limit}: {says}")
            if str(count) == self.key:
                break
        if picked == self.key:
            right = (
                "No weighing agrees with the one before it within the limit."
                if self.key == NOT_YET
                else "It agrees with the weighing before it."
            )
            return Verdict(True, right, tuple(working))
        if picked == "1":
            why = "One weighing cannot tell whether it has stopped losing mass: you need two that agree."
        elif self.key == NOT_YET:
            why = f"At weighing {picked} it does not agree with the one before it within the limit."
        elif picked == NOT_YET or int(picked) > int(self.key):
            why = f"You may stop earlier: weighing {self.key} agrees with the one before it."
        else:
            why = f"At weighing {picked} its mass is not yet constant: weighing {self.key} is the first that agrees."
        return Verdict(False, why, tuple(working))


def dry(level: int, seed: int) -> Dry:
    """A case: with a coarse balance, with a fine one and a warm dish, by the rule of the pharmacopoeias."""
    chance = chance_of("dry", level, seed)
    rule = "pharmacopoeia" if level == 3 else "readability"
    step = {1: 0.01, 2: 0.001, 3: 0.0001}[level]
    while True:
        end, wet = chance.uniform(0.6, 2.5), chance.uniform(0.15, 0.6)
        every = {1: 15, 2: 15, 3: chance.choice((30, 60))}[level]
        count = chance.choice((5, 6))
        half = every * chance.uniform(0.2, 0.9 if level == 1 else 0.5)
        minutes = tuple(float(every * n) for n in range(1, count + 1))
        exact = [end + wet * 0.5 ** (at / half) for at in minutes]
        if level == 2 and chance.random() < 0.4:
            # a dish that was weighed warm seems light: the next weighing is heavier
            warm = chance.randrange(1, count - 1)
            exact[warm] -= chance.uniform(0.006, 0.02)
        nets = tuple(float(round_to(value, {0.01: 2, 0.001: 3, 0.0001: 4}[step])) for value in exact)
        case = Dry(nets, minutes, step, rule)
        states = [constancy(case._until(n), rule) for n in range(2, count + 1)]
        clear = all(one.limit is not None and abs(abs(one.difference or 0) - one.limit) > 0.4 * step for one in states)
        if clear and case.key != "2":
            return case
