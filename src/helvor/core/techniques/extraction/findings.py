"""What is judged of layers, pH, drying and reflux, in a run and in a procedure.

Limits are common practice, no source, unless one stands beside them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.run.account import Ledger, PortionMass
from helvor.core.engine.run.check_run import COVERAGE, Case, join
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Cause
from helvor.core.hazards.care import named
from helvor.core.laws.extraction.acid_base import PKA_CARBONIC, ph_to_move, to_reach
from helvor.core.laws.extraction.distribution import portions_for
from helvor.core.laws.extraction.drying import AGENT, agent_named
from helvor.core.laws.extraction.layers import FILL, REMEDIES
from helvor.core.laws.extraction.reflux import boiled
from helvor.core.quantities.measured import Measured, shown
from helvor.core.quantities.reading import Unreadable, digits
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.extraction.entries import AgentAdded, Boiling, Drained, Emulsion, LayerGone, PhRead, Vented
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Flow,
    Parting,
    follow,
    grams,
    neutral_mass,
    solutes_of,
    takings,
)

MEANT = 0.5
"""A component is meant to go into the extract where at least this part of it does, in all portions."""
LEFT = 0.05
"""Part left from which another portion is worth saying."""
NEAR = 0.5
"""pH units by which a reading may miss what was asked."""
FITS = 0.10
"""Relative difference within which a volume or mass fits a layer; above 2.5 times that it does not."""
WORTH = 0.02
"""Part of a component from which throwing a layer away is worth a question."""
WEAKEST = 11.0
"""pKa up to which hydroxide is meant to take an acid; hydrogencarbonate takes what is stronger than carbonic acid."""
MUCH_GAS = 10.0
HEADSPACE = 0.2
"""mL of carbon dioxide, or a part of the room over the liquid, that want venting at once."""
NEVER_UNVENTED = 45.0
"""°C: what boils lower stands under pressure in a closed funnel from the warmth of a hand."""
HOT_BELOW = 5.0
"""°C below the melting point from which a solid left after evaporating melts onto the glass or sublimes."""

OURS = (*PARTING, "set ph", "dry layer", "reflux")
Rule = Callable[[Case, Flow], Iterator[Finding]]


def concerns(run: Run) -> bool:
    """Whether anything in a run is this technique's."""
    return any(step.kind in OURS for step in run.procedure.steps)


def flow_of(case: Case) -> Flow:
    """Every portion's content in a run."""
    return follow(case.run, case.ledger, case.rules, case.kinds)


def expected_name(run: Run, step_id: str, place: str) -> str:
    """The portion that the upper or lower layer of a step is, by the record, else by density; empty where neither."""
    step = run.procedure.step(step_id)
    if step is None or len(step.gives) != 2:
        return ""
    drained = {said.place: said.portion for _, said in run.of(Drained) if said.step == step_id}
    if place in drained:
        return drained[place]
    other = drained.get("lower" if place == "upper" else "upper", "")
    if other:
        return next((name for name in step.gives if not same(name, other)), "")
    plain = HouseRules(run.procedure.house_rules)
    parting = follow(run, build_ledger(run, plain), plain, {}).partings.get(step_id)
    if parting is None or parting.settled is None:
        return ""
    return step.gives[0] if parting.settled.where(parting.makes) == place else step.gives[1]


def check_run_layers(case: Case) -> Iterator[Finding]:
    """All findings of this technique in a run."""
    if not concerns(case.run):
        return
    flow = flow_of(case)
    for rule in RULES:
        yield from rule(case, flow)


def _numbered(case: Case, kinds: tuple[str, ...]) -> Iterator[tuple[int, Step]]:
    for number, step in enumerate(case.run.procedure.steps, 1):
        if step.kind in kinds:
            yield number, step


def _touched(case: Case, step: Step) -> bool:
    """Whether anything is on record for a step."""
    run = case.run
    return (
        step.id in run.done
        or any(on.taken.step == step.id for on in run.taken)
        or any(getattr(line.head.payload, "step", "") == step.id for line in run.other)
    )


def wrong_layer(case: Case, flow: Flow) -> Iterator[Finding]:
    """A layer drawn from the other place than density puts it, or with a volume that fits the other."""
    for number, step in _numbered(case, PARTING):
        parting = flow.partings.get(step.id)
        settled = parting.settled if parting else None
        if parting is None or settled is None or len(step.gives) != 2:
            continue
        other = "organic" if parting.makes == "aqueous" else "aqueous"
        said = {
            (out.place, out.portion.casefold(), out.volume): out
            for _, out in case.run.of(Drained)
            if out.step == step.id
        }
        told = set[str]()
        for out in said.values():
            makes = parting.makes if same(out.portion, step.gives[0]) else other
            where = settled.where(makes)
            named = any(same(out.portion, name) for name in step.gives)
            if out.place != where and named and out.portion.casefold() not in told:
                told.add(out.portion.casefold())
                yield Finding(
                    "wrong-layer",
                    "caution" if settled.close else "stop",
                    f"Step {number}: {out.portion}: recorded as the {out.place} layer, but by density the "
                    f"{where} "
                    f"one ({digits(settled.apart, 2)} g/mL apart).",
                    "The layers may have been exchanged: the product may be in the other vessel.",
                    "Add a drop of water to each: the one that takes it up is the aqueous layer. Keep both; correct "
                    "the labels.",
                    about=step.id,
                )
            yield from _volume_fits(number, step, parting, out, makes)


def _volume_fits(number: int, step: Step, parting: Parting, out: Drained, makes: str) -> Iterator[Finding]:
    if out.volume is None or parting.settled is None:
        return
    pair = [layer for layer in (parting.settled.upper, parting.settled.lower) if layer is not None]
    own = sum(layer.volume for layer in pair if layer.makes == makes)
    other = sum(layer.volume for layer in pair if layer.makes != makes)
    if own <= 0 or other <= 0:
        return
    volume = out.volume.value
    if abs(volume - other) < FITS * other and abs(volume - own) > 2.5 * FITS * own:
        yield Finding(
            "volume-of-the-other",
            "caution",
            f"Step {number}: {out.volume} of {out.portion}, but that layer holds about {digits(own, 2)} mL "
            f"and the other {digits(other, 2)} mL.",
            "The volume fits the other layer.",
            "Test both with a drop of water before you discard anything.",
            about=f"{step.id} {out.portion}",
        )


def volumes_add_up(case: Case, flow: Flow) -> Iterator[Finding]:
    """More out of a funnel than went in; two portions in one vessel that nothing puts together."""
    for number, step in _numbered(case, PARTING):
        yield from _more_out(case, number, step, flow.partings.get(step.id))
    yield from _same_vessel(case)


def _more_out(case: Case, number: int, step: Step, parting: Parting | None) -> Iterator[Finding]:
    """More out of a funnel than went in."""
    volumes = [said.volume for _, said in case.run.of(Drained) if said.step == step.id and said.volume is not None]
    if parting is None or not parting.rounds or not volumes or not parting.feed.liquids:
        return
    poured = sum(
        on.taken.amount.value
        for name in step.adds
        for on in takings(case.run, step, name)
        if on.taken.amount is not None and on.taken.amount.unit == "mL"
    )
    went_in = parting.feed.volume() + (poured or sum(one.portion for one in parting.rounds))
    came_out = sum(volume.value for volume in volumes)
    if came_out > went_in * (1 + FITS) + 3 * sum(volume.resolution for volume in volumes):
        yield Finding(
            "more-out-than-in",
            "caution",
            f"Step {number}: {digits(came_out, 3)} mL drained; only {digits(went_in, 3)} mL was added.",
            "A portion was not recorded, or a volume was misread.",
            "Check the portions of this step.",
            about=step.id,
        )


def _same_vessel(case: Case) -> Iterator[Finding]:
    """Two portions in one vessel that nothing puts together."""
    by_vessel: dict[str, dict[str, str]] = {}
    for _, said in case.run.of(Drained):
        if said.vessel and not said.vessel.casefold().startswith("funnel"):
            by_vessel.setdefault(said.vessel.casefold(), {})[said.portion.casefold()] = said.portion
    for vessel, portions_in in by_vessel.items():
        names = list(portions_in.values())
        apart = [name for name in names if not _joined(case, name, names)]
        if len(names) > 1 and len(apart) > 1:
            yield Finding(
                "same-vessel",
                "caution",
                f"{join(names)}: recorded in the same {vessel}.",
                "The separated layers have been recombined.",
                "If one was poured elsewhere first, record where it is; otherwise treat them as one portion.",
                about=vessel,
            )


def _joined(case: Case, name: str, names: list[str]) -> bool:
    """Whether a step puts a portion together with another of them on purpose, or takes it up before."""
    for step in case.run.procedure.steps:
        taken = [one for one in names if any(same(one, other) for other in step.takes)]
        if name in taken and (len(taken) > 1 or step.id in case.run.done):
            return True
    return False


def solid_in_funnel(case: Case, flow: Flow) -> Iterator[Finding]:
    """A solid goes into the funnel."""
    for number, step in _numbered(case, PARTING):
        for name in solids_added(step, case.run):
            yield Finding(
                "solid-in-funnel",
                "caution",
                f"Step {number} puts {name}, a solid, into the funnel.",
                "A solid blocks the tap.",
                "Dissolve it first, or add it in a beaker.",
                about=f"{step.id} {name}",
            )


def solids_added(step: Step, run: Run) -> list[str]:
    """Substances of a step that are weighed, not measured: solids."""
    return [
        name
        for name in step.adds
        if (substance := run.procedure.substance(name)) is not None
        and substance.amount is not None
        and substance.amount.unit == "g"
    ]


def drop_test(case: Case, flow: Flow) -> Iterator[Finding]:
    """A drop of water that joined the layer which the densities do not promise."""
    for number, step in _numbered(case, PARTING):
        parting = flow.partings.get(step.id)
        settled = parting.settled if parting else None
        tried = [t for _, t in case.run.tried if t.step == step.id and t.trial == "drop"]
        if not tried or settled is None:
            continue
        joined = "lower" if tried[-1].passed else "upper"
        if joined != settled.where("aqueous"):
            yield Finding(
                "drop-test-other",
                "caution",
                f"Step {number}: the drop of water joined the {joined} layer; by density the water is the "
                f"{settled.where('aqueous')} one.",
                "Trust the test: the contents differ from the record.",
                "Keep both layers, check what was added, and go by the test.",
                about=step.id,
            )


def in_the_funnel(case: Case, flow: Flow) -> Iterator[Finding]:
    """What stands in a funnel in use: too full, hard to tell apart, one liquid, gas, never vented."""
    for number, step in _numbered(case, PARTING):
        parting = flow.partings.get(step.id)
        if parting is None or not _touched(case, step):
            continue
        if parting.trouble and parting.feed.liquids:
            yield Finding(
                "no-two-layers",
                "caution",
                f"Step {number}: {parting.trouble}",
                "Without two layers nothing is separated.",
                "Check which liquids were recorded in this step; correct a wrong one.",
                about=step.id,
            )
        settled = parting.settled
        if settled is None:
            continue
        most = max(one.settled.volume for one in parting.rounds)
        fill = FILL[case.rules["funnel-fill"].key]
        if step.volume and most > fill * step.volume:
            yield Finding(
                "funnel-full",
                "caution",
                f"Step {number}: {digits(most, 2)} mL in a funnel of {step.volume:g} mL; "
                f"{case.rules['funnel-fill'].words} is {digits(fill * step.volume, 2)} mL.",
                "There is no room to mix and vent.",
                "Use a larger funnel, or smaller portions.",
                about=step.id,
            )
        if settled.close and step.id not in case.run.done:
            yield Finding(
                "close-call",
                "caution",
                f"Step {number}: the layers differ by {digits(settled.apart, 1)} g/mL in density.",
                "With densities this close they separate slowly, and either may be on top.",
                f"Test with a drop of water. {settled.widen}",
                about=step.id,
            )
        for remark in settled.remarks:
            if step.id not in case.run.done:
                yield Finding("shifted-layers", "note", f"Step {number}: {remark}.", about=f"{step.id} {remark[:20]}")
        if step.id not in case.run.done:
            yield from gas_in_funnel(number, step, parting)
        drained = any(said.step == step.id for _, said in case.run.of(Drained))
        vented = any(said.step == step.id for _, said in case.run.of(Vented))
        if drained and not vented:
            yield Finding(
                "never-vented",
                "caution" if _pressure(parting) else "note",
                f"Step {number}: a layer was drained, but no venting is recorded.",
                "Unmixed layers have not reached equilibrium; unvented ones are under pressure.",
                "If it was mixed and vented, record it; otherwise mix and vent now.",
                about=step.id,
            )


def gas_in_funnel(number: int, step: Step, parting: Parting) -> Iterator[Finding]:
    """Carbon dioxide from a carbonate and an acid, in a funnel that is stoppered."""
    gas = sum(one.gas for one in parting.rounds)
    room = step.volume - max(one.settled.volume for one in parting.rounds) if step.volume else None
    if gas >= MUCH_GAS or (room is not None and gas > HEADSPACE * max(room, 1.0)):
        over = f", {digits(gas / room, 2)} times the space above the liquid" if room is not None and room > 0 else ""
        yield Finding(
            "gas-in-funnel",
            "caution",
            f"Step {number}: about {digits(gas, 2)} mL of carbon dioxide forms in the funnel{over}.",
            "The pressure throws out the stopper.",
            "Mix in an open beaker until the foaming stops, then transfer; vent after each swirl, stem into the "
            "hood, away from everybody.",
            about=step.id,
        )


def _pressure(parting: Parting) -> bool:
    """Whether a funnel that is never vented stands under pressure: a low boiler or carbon dioxide in it."""
    if any(one.gas >= 1.0 for one in parting.rounds):
        return True
    cares = [
        care
        for liquid, _ in (*parting.feed.liquids, *parting.extract.liquids, *parting.rest.liquids)
        for care in named(liquid.name)
    ]
    return any(care.boils is not None and care.boils < NEVER_UNVENTED for care in cares) or any(
        "ether" in care.name for care in cares
    )


def emulsion(case: Case, flow: Flow) -> Iterator[Finding]:
    """A rag that still stands, with what to try next."""
    for number, step in _numbered(case, PARTING):
        seen = [said for _, said in case.run.of(Emulsion) if said.step == step.id]
        if not seen:
            continue
        tried = {key for said in seen for key in said.tried}
        if seen[-1].gone:
            words = [text.split(":")[0] for key, text in REMEDIES if key in tried]
            how = f" after: {join(words)}" if words else ""
            yield Finding("emulsion-gone", "good", f"Step {number}: the emulsion cleared{how}.", about=step.id)
            continue
        left = next((text for key, text in REMEDIES if key not in tried), "")
        thick = next((said.thick for said in reversed(seen) if said.thick), None)
        yield Finding(
            "emulsion",
            "caution",
            f"Step {number}: {f'{thick} of emulsion' if thick else 'emulsion'} between the layers"
            + (f", {len(tried)} remedies tried." if len(tried) > 1 else "."),
            "An emulsion belongs to neither layer; drained with the organic layer it carries water over.",
            f"Next: {left}." if left else "Keep the emulsion separate and decide later.",
            about=step.id,
        )


def portions(case: Case, flow: Flow) -> Iterator[Finding]:
    """Too few portions for what is wanted, an acid or base that cannot move it, or all well."""
    for number, step in _numbered(case, ("extract",)):
        parting = flow.partings.get(step.id)
        if parting is None or not parting.rounds or step.id not in case.run.done:
            continue
        yield from short_of_reagent(number, step, parting)
        last = parting.rounds[-1]
        for solute in parting.solutes:
            left = last.left.get(solute.name.casefold())
            if left is None or left > 1 - MEANT or _too_little(solute.mol, flow, solute.name):
                continue
            rest_volume, portion = parting.volumes()
            if left > LEFT:
                d = solute.d(last.ph) if parting.makes == "organic" else 1 / max(solute.d(last.ph), 1e-12)
                more = portions_for(d, rest_volume, portion, 1 - LEFT / left)
                yield Finding(
                    "too-few-portions",
                    "caution",
                    f"Step {number}: after {len(parting.rounds)} portion{'s' if len(parting.rounds) > 1 else ''} "
                    f"{digits(100 * left, 2)} % of the {solute.name} is still in the extracted layer.",
                    "It goes wherever the next layer goes.",
                    f"{more} more of {digits(portion, 2)} mL would leave {digits(100 * LEFT, 1)} %."
                    if more
                    else "More portions help little: change the pH or the solvent.",
                    about=f"{step.id} {solute.name}",
                )
            else:
                yield Finding(
                    "enough-portions",
                    "good",
                    f"Step {number}: {'under 0.1' if left < 0.001 else digits(100 * left, 2)} % of the {solute.name} "
                    f"is left after "
                    f"{len(parting.rounds)} portion{'s' if len(parting.rounds) > 1 else ''}.",
                    about=f"{step.id} {solute.name}",
                )


def _too_little(mol: float, flow: Flow, name: str) -> bool:
    """Whether hardly any of a component is in there."""
    return mol < WORTH * flow.taken.get(name.casefold(), 0.0)


def short_of_reagent(number: int, step: Step, parting: Parting) -> Iterator[Finding]:
    """Less base than what it is meant to take, by its strength; an acid too weak for an amine."""
    if parting.makes != "aqueous" or not parting.rounds:
        return
    brought = parting.extract.water.strong + parting.rest.water.strong - parting.feed.water.strong
    if brought > 0:
        yield from _base_short(number, step, parting, brought)
    elif brought < 0:
        yield from _acid_too_weak(number, step, parting, -brought)


def _base_short(number: int, step: Step, parting: Parting, brought: float) -> Iterator[Finding]:
    """Less base (*brought*, mol) than the acids that it is meant to take."""
    acids = [s for s in parting.solutes if s.acts == "acid" and s.mol > 0]
    carbonate = parting.extract.water.carbonate + parting.rest.water.carbonate > parting.feed.water.carbonate
    weakest = PKA_CARBONIC[0] if carbonate else WEAKEST
    meant = [s for s in acids if s.pka is not None and s.pka < weakest]
    needed = sum(s.mol for s in meant) + max(0.0, -parting.feed.water.strong)
    if acids and needed > brought:
        yield Finding(
            "base-short",
            "caution",
            f"Step {number}: {digits(1000 * brought, 3)} mmol of base for {digits(1000 * needed, 3)} mmol of acid"
            + (", including acid left from the step before." if parting.feed.water.strong < 0 else "."),
            "The remaining acid stays in the organic layer.",
            f"Add at least {digits(1000 * (needed - brought) * 1.2, 2)} mmol more.",
            about=step.id,
        )


def _acid_too_weak(number: int, step: Step, parting: Parting, brought: float) -> Iterator[Finding]:
    """Enough acid (*brought*, mol) for a base, but too dilute to hold it in the water."""
    ph = parting.rounds[-1].ph
    organic, portion = parting.volumes()
    for base in parting.solutes:
        if base.acts != "base" or base.mol <= 0 or base.pka is None:
            continue
        once = 1 - base.in_organic(ph, portion, organic)
        wanted = ph_to_move("base", base.pka, base.k, organic, portion, MEANT)
        if wanted is not None and once < MEANT and brought > base.mol:
            yield Finding(
                "acid-too-weak",
                "caution",
                f"Step {number}: at pH {digits(ph, 2)} a portion extracts only {digits(100 * once, 2)} % of the "
                f"{base.name} (pKa {base.pka:g}).",
                "A base this weak is ionized only in strong acid.",
                f"pH {digits(wanted, 2)} would extract half at once: use a stronger acid, or more portions.",
                about=f"{step.id} {base.name}",
            )


def ph_reached(case: Case, flow: Flow) -> Iterator[Finding]:
    """A pH that was asked for and not reached, not tested, or reached; the gas on the way."""
    for number, step in _numbered(case, ("set ph",)):
        came = flow.came.get(step.id)
        if step.ph is None:
            continue
        down = step.ph < 7
        read = [said for _, said in case.run.of(PhRead) if said.step == step.id]
        if came is not None and came.gas > MUCH_GAS and step.id not in case.run.done and _touched(case, step):
            yield Finding(
                "gas-comes-off",
                "caution",
                f"Step {number}: about {digits(came.gas, 2)} mL of carbon dioxide forms.",
                "Carbonate foams over.",
                "Use a large beaker and small portions; let the foam settle.",
                about=step.id,
            )
        if not read:
            if step.id in case.run.done:
                yield Finding(
                    "ph-untested",
                    "caution",
                    f"Step {number}: adjusted to pH {step.ph:g}, but no pH is recorded.",
                    "Only the neutral form precipitates, and the calculation assumes the recorded amounts.",
                    "Test a drop now, before you filter.",
                    about=step.id,
                )
            continue
        low, high = read[-1].range
        missed = low > step.ph + NEAR if down else high < step.ph - NEAR
        if missed:
            yield Finding(
                "ph-not-reached",
                "caution",
                f"Step {number}: the last test shows pH {_range(low, high)}; the procedure asks for pH {step.ph:g}.",
                "Part of the product is still ionized and stays dissolved.",
                f"Add {_more(case, flow, step, low if down else high)} in small portions; test after each.",
                about=step.id,
            )
        else:
            yield Finding(
                "ph-reached",
                "good",
                f"Step {number}: pH {_range(low, high)}; the procedure asks for {step.ph:g}.",
                about=step.id,
            )


def _range(low: float, high: float) -> str:
    return f"{low:g}" if low == high else f"{max(low, 0):g} to {min(high, 14):g}"


def _more(case: Case, flow: Flow, step: Step, at: float) -> str:
    """How much of the step's acid or base is still needed, in words.

    The record says that the sum was off; what it lacked of the way is scaled to what the paper shows.
    """
    came = flow.came.get(step.id)
    substance = next((s for name in step.adds if (s := case.run.procedure.substance(name)) and s.molar), None)
    what = "acid" if (step.ph or 0) < 7 else "base"
    if came is None or substance is None or substance.molar is None or step.ph is None:
        return f"more {what}"
    solutes = solutes_of(case.run.procedure, came.after.mol)
    try:
        here = to_reach(at, came.before.water, solutes, substance.molar)
        there = to_reach(step.ph, came.before.water, solutes, substance.molar)
    except Unreadable:
        return f"more {what}"
    volume = there.volume - here.volume
    return f"about {digits(volume, 2)} mL more of {substance.name}" if volume > 0.05 else f"more {what}"


def still_wanted(run: Run, ledger: Ledger, flow: Flow, portion: str) -> list[tuple[str, float, float]]:
    """Components of a portion that no product was weighed of, where it is worth a question: name, g in it, g taken."""
    weighed = {p.said.component.casefold() for p in ledger.portions.values() if p.mass and p.said.end == "product"}
    found = []
    for component, mass in grams(flow, run.procedure, portion).items():
        taken = flow.taken.get(component.casefold(), 0.0) * (neutral_mass(run.procedure, component) or 0.0)
        if taken > 0 and mass >= WORTH * taken and component.casefold() not in weighed:
            found.append((component, mass, taken))
    return found


def gone_early(case: Case, flow: Flow) -> Iterator[Finding]:
    """A layer thrown away before the product of what it holds was weighed."""
    steps = {step.id: (number, step) for number, step in enumerate(case.run.procedure.steps, 1)}
    gone: list[tuple[str, str, int]] = []
    for _, said in case.run.of(LayerGone):
        gone.append((said.portion, said.why, steps[said.step][0] if said.step in steps else 0))
    for step_id in case.run.done:
        number, step = steps.get(step_id, (0, None))
        if step is not None and step.kind == "discard":
            gone += [(name, "", number) for name in (*step.takes, *((step.on,) if step.on else ()))]
    for name, why, number in gone:
        for component, mass, taken in still_wanted(case.run, case.ledger, flow, name):
            yield Finding(
                "layer-gone",
                "caution" if mass < 0.2 * taken else "stop",
                f"{name}: discarded at step {number}{f' ({why})' if why else ''}; expected to contain "
                f"{digits(mass, 2)} g of {component}, {digits(100 * mass / taken, 2)} % of it.",
                f"The {component} is not weighed yet and cannot be recovered later.",
                "Recover it from the waste bottle if it can still be separated; otherwise continue with another "
                "bench's portion and record that.",
                about=f"{name} {component}",
            )


def exchanged(case: Case, flow: Flow) -> Iterator[Finding]:
    """Two products whose masses fit each other's place."""
    found = []
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or portion.mass is None or not portion.said.component:
            continue
        expected = grams(flow, case.run.procedure, portion.name).get(portion.said.component)
        if expected:
            found.append((portion.name, portion.mass.value, expected))
    for i, (name, mass, wanted) in enumerate(found):
        for other, mass2, wanted2 in found[i + 1 :]:
            apart = abs(wanted - wanted2) > 4 * FITS * max(wanted, wanted2)
            if apart and abs(mass - wanted2) < FITS * wanted2 and abs(mass2 - wanted) < FITS * wanted:
                yield Finding(
                    "products-exchanged",
                    "caution",
                    f"{name}: {digits(mass, 3)} g, {other}: {digits(mass2, 3)} g; expected: "
                    f"{digits(wanted, 3)} and {digits(wanted2, 3)} g.",
                    "Each mass fits the other product.",
                    "Check the melting points and where the layers were labelled.",
                    about=f"{name} {other}",
                )


def wet_product(case: Case, flow: Flow) -> Iterator[Finding]:
    """More than was put in, with no brine or no drying on its way; drying agent still in it; wet for a spectrum."""
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or not portion.said.component:
            continue
        way = case.run.procedure.made_by(portion.name)
        through = [step for step in way if step.id not in case.run.skipped]
        kinds = {step.kind for step in through}
        if kinds.isdisjoint(PARTING) or "evaporate" not in kinds:
            continue
        m = neutral_mass(case.run.procedure, portion.said.component)
        taken = flow.taken.get(portion.said.component.casefold(), 0.0) * (m or 0.0)
        if portion.mass is not None and taken > 0:
            yield from _heavier_than_taken(portion, portion.mass, taken, _lacks(through))
        spectra = [a for _, a in case.run.attached if _is_spectrum(a.name, a.words) and _step_makes(a.step, through)]
        dry = portion.constancy is not None and portion.constancy.state == "constant"
        if spectra and not dry:
            yield Finding(
                "wet-for-ir",
                "note",
                f"{portion.name}: spectrum attached, but not at constant mass.",
                "Water masks the O–H region, 3200 to 3600 cm⁻¹.",
                "Dry it to constant mass, then record the spectrum again.",
                about=portion.name,
            )


def _lacks(through: Sequence[Step]) -> list[str]:
    """What was left out on a layer's way that would have taken its water away."""
    kinds = {step.kind for step in through}
    dried = "dry layer" in kinds
    off = not kinds.isdisjoint(("decant", "gravity filter"))
    brine = any("brine" in name.casefold() for step in through for name in step.adds)
    said = (
        (not brine, "no brine wash"),
        (not dried, "no drying agent"),
        (dried and not off, "the drying agent not removed"),
    )
    return [words for lacking, words in said if lacking]


def _heavier_than_taken(portion: PortionMass, mass: Measured, taken: float, lacks: list[str]) -> Iterator[Finding]:
    """More of a component than was put in (*taken*, g), and what was left out on its way."""
    over = mass.value - taken
    if over > COVERAGE * mass.u and lacks:
        yield Finding(
            "wet-product",
            "caution",
            f"{portion.name}: {shown(mass)} g, {digits(1000 * over, 2)} mg more than was "
            f"put in; during work-up: {join(lacks)}.",
            "Water or salt is counted as product.",
            "Dissolve it in the solvent again, dry, filter and evaporate; or dry it to constant mass.",
            about=portion.name,
        )


def _is_spectrum(name: str, words: str) -> bool:
    said = f"{name} {words}".casefold()
    return name.casefold().endswith((".jdx", ".dx")) or "infrared" in said or " ir " in f" {said} "


def _step_makes(step: str, through: list[Step]) -> bool:
    return not step or any(one.id == step for one in through)


def drying_layer(case: Case, flow: Flow) -> Iterator[Finding]:
    """Drying agent that is still caked, or does not suit what is in the layer."""
    for number, step in _numbered(case, ("dry layer",)):
        added = [said for _, said in case.run.of(AgentAdded) if said.step == step.id]
        if added and not added[-1].flows:
            yield Finding(
                "agent-caked",
                "caution" if step.id in case.run.done else "note",
                f"Step {number}: no grains move freely yet after {len(added)} "
                f"portion{'s' if len(added) > 1 else ''} of {AGENT[added[-1].agent].name}.",
                "Caked means too little drying agent for the water.",
                "If you see water, separate it again; otherwise add a little more, swirl and wait.",
                about=step.id,
            )
        content = flow.before.get(step.id)
        for key in dict.fromkeys(said.agent for said in added):
            for sentence in unsuited(key, case, content.mol if content else {}):
                yield Finding(
                    "agent-unsuited",
                    "caution",
                    f"Step {number}: {sentence}",
                    do="Decant or filter it off, and use another drying agent.",
                    about=f"{step.id} {key}",
                )


def unsuited(key: str, case: Case, mol: dict[str, float]) -> Iterator[str]:
    """What an agent would take along of what a layer should hold."""
    for component in case.run.procedure.components:
        if mol.get(component.name.casefold(), 0.0) <= 0:
            continue
        if key == "potassium-carbonate" and component.acts == "acid":
            yield f"potassium carbonate forms the salt of {component.name} and removes it."
        if key == "calcium-chloride" and component.acts == "base":
            yield f"calcium chloride binds amines such as {component.name}."


def evaporated_hot(case: Case, flow: Flow) -> Iterator[Finding]:
    """Evaporated hotter than the solid that is left stands."""
    noted = {said.step: said.celsius for _, said in case.run.notes if said.celsius is not None}
    for number, step in _numbered(case, ("evaporate",)):
        celsius = noted.get(step.id, step.celsius if step.id in case.run.done else None)
        if celsius is None:
            continue
        held = flow.before.get(step.id)
        for component in case.run.procedure.components:
            if held is None or _too_little(held.mol.get(component.name.casefold(), 0.0), flow, component.name):
                continue
            melts = next((s.melts for s in case.run.procedure.substances if same(s.component, component.name)), None)
            if melts is not None and held.mol.get(component.name.casefold()) and celsius > melts - HOT_BELOW:
                yield Finding(
                    "evaporated-hot",
                    "caution",
                    f"Step {number}: evaporated at {celsius:g} °C; {component.name} melts at {melts:g} °C.",
                    "It melts onto the glass or is lost with the vapour.",
                    "Use a cooler bath, and stop while a little solvent is left.",
                    about=f"{step.id} {component.name}",
                )


def reflux_time(case: Case, flow: Flow) -> Iterator[Finding]:
    """Boiled for less than asked, or with interruptions."""
    for number, step in _numbered(case, ("reflux",)):
        marks = sorted((line.root.happened, said.boils) for line, said in case.run.of(Boiling) if said.step == step.id)
        if not marks:
            if step.id in case.run.done:
                yield Finding(
                    "reflux-untimed",
                    "note",
                    f"Step {number}: the start of reflux was not recorded.",
                    "Time counts from the first drops that fall back, not from turning on the heat. Record it at "
                    "the step.",
                    about=step.id,
                )
            continue
        clock = boiled(marks)
        if clock.since is None and step.waits and clock.minutes < 0.95 * step.waits and step.id in case.run.done:
            yield Finding(
                "reflux-short",
                "caution",
                f"Step {number}: it boiled {digits(clock.minutes, 2)} min of {step.waits}.",
                "The reaction may be incomplete.",
                "To continue: let it cool, add fresh chips (used chips no longer work), then "
                "heat again; or report it with the yield.",
                about=step.id,
            )
        if clock.stretches > 1:
            yield Finding(
                "reflux-broken",
                "note",
                f"Step {number}: {clock.stretches} periods of boiling; the {digits(clock.broken, 2)} min between "
                "do not count.",
                about=step.id,
            )


RULES: tuple[Rule, ...] = (
    wrong_layer,
    volumes_add_up,
    solid_in_funnel,
    drop_test,
    in_the_funnel,
    emulsion,
    portions,
    ph_reached,
    gone_early,
    exchanged,
    wet_product,
    drying_layer,
    evaporated_hot,
    reflux_time,
)


def stayed_in_layers(case: Case) -> Iterator[Cause]:
    """What of a product's component went into other layers."""
    if not any(step.kind in PARTING for step in case.run.procedure.steps):
        return
    flow = flow_of(case)
    for portion in case.ledger.portions.values():
        if portion.said.end != "product" or not portion.said.component:
            continue
        component = portion.said.component
        m = neutral_mass(case.run.procedure, component)
        taken = flow.taken.get(component.casefold(), 0.0) * (m or 0.0)
        expected = grams(flow, case.run.procedure, portion.name).get(component)
        if not taken or expected is None:
            continue
        elsewhere = {
            name: mass
            for name in case.ledger.ends
            if not same(name, portion.name)
            and (mass := grams(flow, case.run.procedure, name).get(component, 0.0)) > 0.002 * taken
        }
        if elsewhere:
            where = join([f"{name} ({digits(1000 * mass, 2)} mg)" for name, mass in elsewhere.items()])
            yield Cause(
                "in-other-layers",
                "loss",
                f"Some {component} is in other layers.",
                (f"by its distribution: {where}",),
                0.4,
                sum(elsewhere.values()),
                portion=portion.name,
            )
    for _, gone in case.run.of(LayerGone):
        holds = grams(flow, case.run.procedure, gone.portion)
        for component, mass in holds.items():
            product = next(
                (
                    p.name
                    for p in case.ledger.portions.values()
                    if p.said.end == "product" and same(p.said.component, component)
                ),
                "",
            )
            yield Cause(
                "layer-gone",
                "loss",
                f"{gone.portion}: discarded with {component} in it.",
                (gone.why or "recorded",),
                0.9,
                mass,
                portion=product,
            )


def check_plan_layers(plan: Plan) -> Iterator[Advice]:
    """What can be said of an extraction before anybody starts."""
    procedure = plan.procedure
    if not any(step.kind in OURS for step in procedure.steps):
        return
    run = Run(procedure=procedure)
    kinds = {moment.step.kind: moment.kind for moment in plan.moments if moment.kind is not None}
    flow = follow(run, build_ledger(run, plan.rules), plan.rules, kinds)
    for number, step in enumerate(procedure.steps, 1):
        parting = flow.partings.get(step.id)
        found = list[Finding]()
        if step.kind in PARTING:
            found += _solid_in_funnel(number, step, run)
            if parting is not None:
                found += _planned_parting(number, step, parting, plan)
        elif step.kind == "dry layer":
            found += _planned_drying(number, step, plan, flow)
        elif step.kind == "evaporate":
            found += _planned_evaporation(number, step, plan, flow)
        for finding in found:
            yield Advice(finding, step.id)


def _solid_in_funnel(number: int, step: Step, run: Run) -> Iterator[Finding]:
    """A solid goes into the funnel."""
    if solids := solids_added(step, run):
        yield Finding(
            "solid-in-funnel",
            "caution",
            f"Step {number} puts {join(solids)}, a solid, into the funnel.",
            "A solid blocks the tap.",
            "Dissolve it first, or add it in a beaker.",
        )


def _planned_parting(number: int, step: Step, parting: Parting, plan: Plan) -> Iterator[Finding]:
    """The layers of a step as planned: whether there are two, whether they fit, which is on top, what is added."""
    if parting.trouble:
        yield Finding(
            "no-two-layers",
            "caution",
            f"Step {number}: {parting.trouble}",
            "Without two layers nothing is separated.",
            "Enter for each liquid which layer it forms, and its density.",
        )
        return
    most = max(one.settled.volume for one in parting.rounds)
    if step.volume and most > FILL[plan.rules["funnel-fill"].key] * step.volume:
        yield Finding(
            "funnel-full",
            "caution",
            f"Step {number}: {digits(most, 2)} mL in a funnel of {step.volume:g} mL.",
            f"{plan.rules['funnel-fill'].words.capitalize()} leaves room to mix and vent.",
            "Use a larger funnel, or smaller portions.",
        )
    if parting.settled is not None and parting.settled.close:
        yield Finding(
            "close-call",
            "caution",
            f"Step {number}: the layers differ by {digits(parting.settled.apart, 1)} g/mL in density.",
            "With densities this close they separate slowly, and either may be on top.",
            f"{parting.settled.widen} Keep the water-drop test in the instruction.",
        )
    yield from short_of_reagent(number, step, parting)
    yield from gas_in_funnel(number, step, parting)


def _planned_drying(number: int, step: Step, plan: Plan, flow: Flow) -> Iterator[Finding]:
    """A drying agent that does not suit how it is taken off; no brine before it."""
    agent = next((a for name in step.adds if (a := agent_named(name))), None)
    if agent is not None and agent.off == "filter" and plan.rules["off-drying-agent"].key == "decant":
        yield Finding(
            "fine-agent",
            "note",
            f"Step {number}: {agent.name} is fine and does not settle.",
            "If you decant, it comes over with the product.",
            "Filter it off.",
        )
    content = flow.before.get(step.id)
    if content is not None and not content.brined and content.volume("organic") > 0:
        yield Finding(
            "no-brine",
            "note",
            f"Step {number}: no brine wash before drying.",
            "Brine removes most of the water; without it you need more drying agent, which holds product.",
        )


def _planned_evaporation(number: int, step: Step, plan: Plan, flow: Flow) -> Iterator[Finding]:
    """A bath that is as hot as what stays behind melts."""
    held = flow.before.get(step.id)
    if held is None or step.celsius is None:
        return
    for substance in plan.procedure.substances:
        key = substance.component.casefold()
        if substance.melts is None or key not in held.mol or _too_little(held.mol[key], flow, key):
            continue
        if step.celsius > substance.melts - HOT_BELOW:
            yield Finding(
                "evaporated-hot",
                "caution",
                f"Step {number}: {step.celsius:g} °C; {substance.name} melts at {substance.melts:g} °C.",
                "It melts onto the glass or is lost with the vapour.",
                "Use a cooler bath.",
            )
