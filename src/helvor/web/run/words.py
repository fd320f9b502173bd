"""Entries of a run in bench words, for its history and its last readings."""

from __future__ import annotations

from helvor.bench.entry import Acknowledged, Entry, Payload, Struck
from helvor.bench.run import entries as e
from helvor.bench.techniques import CRAFTS


def describe(entry: Entry) -> str:
    """An entry in bench words."""
    return describe_payload(entry.payload)


def describe_payload(payload: Payload) -> str:
    """What an entry says, in bench words."""
    match payload:
        case e.Following() as f:
            scaled = f", × {f.factor:g}" if f.factor != 1 else ""
            return f"follows “{f.procedure.title}”, version {f.version}{scaled}"
        case e.Weighed() as w:
            what = f" with {w.portion}" if w.portion else ""
            state = f"{e.STATES[w.state]}{f' {w.round}' if w.round else ''}"
            hot = ", warm" if w.hot else ""
            way = ", tare button" if w.way == "net" else ""
            return f"{w.name}{what}, {state}: {w.mass}{way}{hot}{', estimated' if w.estimated else ''}"
        case e.Taken() as t:
            how = f"{t.before} to {t.after}" if t.before else str(t.amount)
            instead = f", {t.instead} instead" if t.instead else ""
            bottle = f", bottle {t.bottle.code}" if t.bottle else ""
            return f"took {how} of {t.substance}{instead}{bottle}{', estimated' if t.estimated else ''}"
        case e.VolumeRead() as v:
            return f"{v.portion}: {v.volume}{f' by {v.glass}' if v.glass else ''}"
        case e.Marked() as m:
            return f"step {m.step} done" if m.how == "done" else f"step {m.step} left out: {m.why}"
        case e.Noted() as n:
            degrees = f"{n.celsius:g} °C" if n.celsius is not None else ""
            return "noted: " + ", ".join(part for part in (n.words, *n.picks, degrees) if part)
        case e.Checked() as c:
            return f"set-up seen to: {', '.join(c.checks) or 'nothing yet'}"
        case e.Tried() as t:
            trial = next((one for kind in CRAFTS.kinds for one in CRAFTS.trials(kind) if one.key == t.trial), None)
            outcome = (trial.passed if t.passed else trial.failed) if trial else "passed" if t.passed else "failed"
            return f"tried: {outcome}{f', {t.words}' if t.words else ''}"
        case e.Answered() as a:
            return f"answered “{a.question}”: {a.written}"
        case e.TimerSet() as t:
            return f"timer of {t.minutes:g} min{f' for {t.label}' if t.label else ''}"
        case e.TimerStopped():
            return "timer stopped"
        case e.Attached() as a:
            return f"attached {a.name}{f': {a.words}' if a.words else ''}"
        case e.HandoutCorrected() as h:
            return f"handout corrected, step {h.step}: {h.says}"
        case e.Borrowed() as b:
            return f"goes on with {b.portion} from {b.source}{f': {b.why}' if b.why else ''}"
        case e.UsedInstead() as u:
            return f"used {u.instead} instead of {u.kit}{f': {u.why}' if u.why else ''}"
        case e.Late() as late:
            return f"late: {late.words}{f'; made up on {late.make_up}' if late.make_up else ''}"
        case e.StepAdded(step=step):
            return f"step added: {step.says or step.kind}"
        case e.SubstanceAdded(substance=substance):
            return f"substance added: {substance.name}"
        case e.PortionSaid(portion=portion):
            return f"portion {portion.name}: {portion.formula or portion.component or portion.end or 'named'}"
        case Acknowledged() as seen:
            return f"went on with “{seen.what}”: {seen.why}"
        case Struck():
            return "taken back"
        case other:
            return CRAFTS.describe(other)
