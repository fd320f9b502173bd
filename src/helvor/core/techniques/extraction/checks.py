"""What is looked at before a flask is heated under reflux, when it is taken down, and at a quench."""

from __future__ import annotations

from helvor.core.engine.technique import Check

SET_UP: tuple[Check, ...] = (
    Check("chips", "chips in, before any heat", "added to hot liquid, they make it boil over", safety=True, on="flask"),
    Check(
        "clamped",
        "flask clamped at the neck, condenser held too",
        "its weight strains the joint",
        safety=True,
        on="clamp",
    ),
    Check(
        "seated", "condenser seated, joint greased if the house greases", "vapour escapes at a loose joint", on="joint"
    ),
    Check("open", "open at the top", "a closed system bursts", safety=True, on="top"),
    Check(
        "water",
        "water in at the bottom, out at the top, gentle; seen to flow before any heat",
        "without water, vapour leaves at the top; a strong flow tears the hose off",
        when=("condenser-water", "before-heat"),
        safety=True,
        on="water",
    ),
    Check(
        "water",
        "water in at the bottom, out at the top, gentle; before any heat if it is flammable, otherwise when it boils",
        "without water, vapour leaves at the top",
        when=("condenser-water", "when-boiling"),
        safety=True,
        on="water",
    ),
    Check(
        "heat",
        "heat high until it boils, then down: the vapour's ring in the lower third",
        "above that, vapour escapes",
        on="heater",
    ),
)
TAKE_DOWN: tuple[Check, ...] = (
    Check("heat-off", "heat off and away, hands gloved", "hot glass looks like cold glass", safety=True, on="heater"),
    Check(
        "cooled", "cooled to hand-warm before opening", "hot vapour scalds and can catch fire", safety=True, on="flask"
    ),
    Check("condenser-first", "flask held, condenser off first", "its weight breaks the joint", on="joint"),
    Check("ring", "flask on a cork ring", "a round flask rolls", on="clamp"),
    Check("water-off", "water off last, hoses drained", "a hot condenser needs it", on="water"),
)
QUENCH: tuple[Check, ...] = (
    Check("slowly", "added drop by drop, ice bath under it", "gas and heat are released at once", safety=True),
    Check("open", "open, in the hood, no flame", "hydrides give hydrogen", safety=True),
)
