"""What is judged of layers, pH, drying and reflux, in a run and in a procedure.

Limits are common practice, no source, unless one stands beside them.
"""

from __future__ import annotations

from collections.abc import Iterator

from helvor.core.engine.run.case import Case, join
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.record import Run
from helvor.core.hazards.care import named
from helvor.core.laws.extraction.distribution import portions_for
from helvor.core.laws.extraction.drying import AGENT
from helvor.core.laws.extraction.layers import FILL, REMEDIES
from helvor.core.laws.extraction.reflux import boiled
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Step, same
from helvor.core.techniques.extraction.case import FITS, HOT_BELOW, MUCH_GAS, OURS, Rule, flow_of, numbered, touched
from helvor.core.techniques.extraction.entries import AgentAdded, Boiling, Drained, Emulsion, LayerGone, Vented
from helvor.core.techniques.extraction.flow import (
    PARTING,
    Flow,
    Parting,
    follow,
    takings,
)
from helvor.core.techniques.extraction.portions import written_once
from helvor.core.techniques.extraction.product_findings import exchanged, wet_product
from helvor.core.techniques.extraction.reagent_findings import (
    MEANT,
    ph_reached,
    short_of_reagent,
    still_wanted,
    too_little,
)

LEFT = 0.05
"""Part left from which another portion is worth saying."""
HEADSPACE = 0.2
"""Part of the room over the liquid from which carbon dioxide wants venting at once."""
NEVER_UNVENTED = 45.0
"""°C: what boils lower stands under pressure in a closed funnel from the warmth of a hand."""


def concerns(run: Run) -> bool:
    """Whether anything in a run is this technique's."""
    return any(step.kind in OURS for step in run.procedure.steps)


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
    extract, rest = parting.names(step)
    return extract if parting.settled.where(parting.makes) == place else rest


def check_run_layers(case: Case) -> Iterator[Finding]:
    """All findings of this technique in a run."""
    if not concerns(case.run):
        return
    flow = flow_of(case)
    for rule in RULES:
        yield from rule(case, flow)


def wrong_layer(case: Case, flow: Flow) -> Iterator[Finding]:
    """A layer drawn from the other place than density puts it, or with a volume that fits the other."""
    for number, step in numbered(case, PARTING):
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
            makes = parting.makes if same(out.portion, parting.names(step)[0]) else other
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
    for number, step in numbered(case, PARTING):
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
    for number, step in numbered(case, PARTING):
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


def whole_written_once(case: Case, flow: Flow) -> Iterator[Finding]:
    """All portions of a liquid stand in one reading: they are counted as they are planned."""
    for number, step in numbered(case, PARTING):
        for name in step.adds:
            substance = case.run.procedure.substance(name)
            planned = (
                substance.amount.value if substance and substance.amount and substance.amount.unit == "mL" else None
            )
            read = [
                on.taken.amount.value
                for on in takings(case.run, step, name)
                if on.taken.amount is not None and on.taken.amount.unit == "mL"
            ]
            if written_once(read, step.times, planned):
                yield Finding(
                    "portions-assumed",
                    "note",
                    f"Step {number}: {digits(read[0], 3)} mL of {name} is one reading; it is counted as {step.times} "
                    f"portions of {digits(read[0] / step.times, 3)} mL, as planned.",
                    "In one portion less is taken out, and the funnel is fuller.",
                    "If it went in otherwise, correct the reading to one portion and record the others.",
                    about=f"{step.id} {name}",
                )


def drop_test(case: Case, flow: Flow) -> Iterator[Finding]:
    """A drop of water that joined the layer which the densities do not promise."""
    for number, step in numbered(case, PARTING):
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
    for number, step in numbered(case, PARTING):
        parting = flow.partings.get(step.id)
        if parting is None or not touched(case, step):
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


def _next_remedy(parting: Parting | None, tried: set[str]) -> str:
    """What to try next; brine makes the water denser, so that it helps only where the water is the lower layer."""
    settled = parting.settled if parting is not None else None
    above = settled is not None and settled.where("aqueous") == "upper"
    return next((text for key, text in REMEDIES if key not in tried and not (above and key == "brine")), "")


def emulsion(case: Case, flow: Flow) -> Iterator[Finding]:
    """A rag that still stands, with what to try next."""
    for number, step in numbered(case, PARTING):
        seen = [said for _, said in case.run.of(Emulsion) if said.step == step.id]
        if not seen:
            continue
        tried = {key for said in seen for key in said.tried}
        if seen[-1].over and len(seen) == 1 and not seen[-1].tried and not seen[-1].gone:
            continue  # 0 mm: there was none
        if seen[-1].over:
            words = [text.split(":")[0] for key, text in REMEDIES if key in tried]
            how = f" after: {join(words)}" if words else ""
            yield Finding("emulsion-gone", "good", f"Step {number}: the emulsion cleared{how}.", about=step.id)
            continue
        left = _next_remedy(flow.partings.get(step.id), tried)
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
    for number, step in numbered(case, ("extract",)):
        parting = flow.partings.get(step.id)
        if parting is None or not parting.rounds or step.id not in case.run.done:
            continue
        yield from short_of_reagent(number, step, parting)
        last = parting.rounds[-1]
        for solute in parting.solutes:
            left = last.left.get(solute.name.casefold())
            if left is None or left > 1 - MEANT or too_little(solute.mol, flow, solute.name):
                continue
            rest_volume, portion = parting.volumes()
            # Where their number was reckoned for this procedure, that much was meant to be left.
            meant = case.rules["portions"].key == "calculated" and len(parting.rounds) >= step.times
            if left > LEFT:
                d = solute.d(last.ph) if parting.makes == "organic" else 1 / max(solute.d(last.ph), 1e-12)
                more = portions_for(d, rest_volume, portion, 1 - LEFT / left)
                yield Finding(
                    "too-few-portions",
                    "note" if meant else "caution",
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


def drying_layer(case: Case, flow: Flow) -> Iterator[Finding]:
    """Drying agent that is still caked, or does not suit what is in the layer."""
    for number, step in numbered(case, ("dry layer",)):
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
    for number, step in numbered(case, ("evaporate",)):
        celsius = noted.get(step.id, step.celsius if step.id in case.run.done else None)
        if celsius is None:
            continue
        held = flow.before.get(step.id)
        for component in case.run.procedure.components:
            if held is None or too_little(held.mol.get(component.name.casefold(), 0.0), flow, component.name):
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
    for number, step in numbered(case, ("reflux",)):
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
    whole_written_once,
    portions,
    ph_reached,
    gone_early,
    exchanged,
    wet_product,
    drying_layer,
    evaporated_hot,
    reflux_time,
)
