"""Builds the shelf that ships from the hand-kept files and the reference library.

Every value gets its source: melting and boiling points, logP and densities come through the
``chemicals`` library from the collections it names; what is kept by hand says "from memory"
or "common practice". ``--check`` says whether the shipped files are what would be built.
"""

from __future__ import annotations

import argparse
import csv
import io
import sys
import warnings
from pathlib import Path

import chemicals
from chemicals import safety, volume

HERE = Path(__file__).parent
TARGET = HERE.parent / "src" / "helvor" / "shelf"
CARE = HERE.parent / "src" / "helvor" / "core" / "hazards" / "table.py"
"""What the rules of safety ask of a name, without a file to read: the heart knows none."""
SOURCES = {
    "OPEN_NTBKM": "open melting point collection (chemicals library)",
    "CRC_ORG": "CRC Handbook, organic compounds (chemicals library)",
    "CRC_INORG": "CRC Handbook, inorganic compounds (chemicals library)",
    "COMMON_CHEMISTRY": "CAS Common Chemistry (chemicals library)",
    "WEBBOOK": "NIST Chemistry WebBook (chemicals library)",
    "WIKIDATA": "Wikidata (chemicals library)",
    "YAWS": "Yaws, boiling points (chemicals library)",
    "HEOS": "reference equation of state (chemicals library)",
}
MEMORY = "from memory"
CAUTIONS = "usual cautions, from memory; the bottle's sheet decides"
BLENDS = {"petroleum ether 40–60 °C"}
"""Mixtures sold under one name: no collection holds them, their values are kept by hand."""
SOLUTIONS = {"ammonia"}
"""Substances that stand on the shelf as a solution: what is known of the pure gas is not true of the bottle."""
Row = tuple[str, str, str, str, str]


def read(name: str) -> list[list[str]]:
    lines = (HERE / name).read_text(encoding="utf-8").splitlines()
    return [[cell.strip() for cell in line.split("|")] for line in lines if line.strip() and not line.startswith("#")]


HANDBOOK = ("CRC_INORG", "CRC_ORG")
AGREE_K, AGREE_PART = 2.0, 0.01
"""Two collections agree on a temperature within 2 K, or 1 % of it in K."""
NOTED: dict[tuple[str, str], tuple[str, str]] = {
    ("menthol", "melts"): ("OPEN_NTBKM", "the racemic form; (–)-menthol melts at 41 to 43 °C"),
    ("ferrocene", "melts"): ("CRC_INORG", "collections give 172.5 to 175 °C"),
    ("sucrose", "melts"): ("CRC_ORG", "it decomposes while it melts: collections give 181 to 188 °C"),
    ("potassium hydroxide", "melts"): ("CRC_INORG", "other collections give 380 °C"),
    ("silica gel", "melts"): ("WIKIDATA", "of silica; another collection gives 164.5 °C, which cannot be"),
    ("sodium hydroxide", "boils"): ("CRC_INORG", "another collection gives 1557 °C"),
    ("calcium chloride", "boils"): ("CRC_INORG", "another collection gives 1670 °C"),
    ("succinic acid", "boils"): ("CRC_ORG", "it loses water; another collection gives 318 °C"),
    ("acetanilide", "boils"): ("COMMON_CHEMISTRY", "another collection gives 292 °C"),
}
"""Values on which collections disagree: which of them is taken, and what stands beside it."""
NOT_OF_THE_BOTTLE = {
    ("hydrochloric acid", "melts"): "a solution",
    ("hydrochloric acid", "boils"): "a solution",
    ("hydrogen peroxide", "melts"): "a solution",
    ("hydrogen peroxide", "boils"): "a solution",
    ("salicylic acid", "boils"): "given at a reduced pressure; it sublimes",
    ("malonic acid", "boils"): "it loses carbon dioxide before",
}
"""Values that are left out, and why."""


class Disputed(Exception):
    """Collections disagree on a value, and no note says which is taken."""


def agree(one: float, other: float) -> bool:
    """Whether two temperatures, K, are the same."""
    return abs(one - other) <= max(AGREE_K, AGREE_PART * min(one, other))


def temperature(name: str, key: str, found: dict[str, float]) -> tuple[float, str] | None:
    """A melting or boiling point, K, with its source, from what each collection gives.

    The handbook's is taken where it differs from the first collection by more than 2 K.

    Raises:
        Disputed: it agrees with no other collection, and nothing is noted of it.
    """
    if not found or (name, key) in NOT_OF_THE_BOTTLE:
        return None
    noted = NOTED.get((name, key))
    if noted is not None:
        return found[noted[0]], f"{SOURCES[noted[0]]}; {noted[1]}"
    method = next(iter(found))
    book = next((m for m in HANDBOOK if m in found), None)
    if book is not None and abs(found[book] - found[method]) > AGREE_K:
        method = book
    others = [value for m, value in found.items() if m != method]
    if others and not any(agree(found[method], value) for value in others):
        raise Disputed(f"{name}, {key}: {', '.join(f'{m} {v - 273.15:.1f}' for m, v in found.items())}")
    return found[method], SOURCES[method]


def looked_up(kind: str, name: str, cas: str, formula: str = "") -> list[Row]:
    """What the reference library knows of a substance; estimates do not count."""
    rows: list[Row] = []
    for key, value_of, methods_of in (
        ("melts", chemicals.Tm, chemicals.Tm_methods),
        ("boils", chemicals.Tb, chemicals.Tb_methods),
    ):
        values = {m: value_of(cas, method=m) for m in methods_of(cas) if m in SOURCES}
        known = {m: value for m, value in values.items() if value is not None}
        if known and not stands(name, formula, (kind, name, key, f"{next(iter(known.values())) - 273.15:.1f}", "")):
            continue
        if (chosen := temperature(name, key, known)) is not None:
            rows.append((kind, name, key, f"{chosen[0] - 273.15:.1f}", chosen[1]))
    log_p = chemicals.logP(cas)
    if log_p is not None:
        rows.append((kind, name, "log_p", f"{log_p:.2f}", "CRC Handbook and others, logP (chemicals library)"))
    density = liquid_density(cas)
    if cas == "7732-18-5":
        water = chemicals.iapws95_rho(293.15, 101325.0) / 1000
        rows.append((kind, name, "density", f"{water:.4f}", "IAPWS-95 at 20 °C (chemicals library)"))
    elif density is not None:
        source = "Perry's Handbook, 8th ed., liquid density at 20 °C (chemicals library)"
        rows.append((kind, name, "density", f"{density:.3f}", source))
    return rows


FLASH = ("IEC 60079-20-1 (2010)", "NFPA 497 (2008)", "WIKIDATA", "Serat DIPPR (2017)")
"""Collections of flash points, the standard first."""
AGENCY, PROGRAM = (
    "International Agency for Research on Cancer",
    "National Toxicology Program 13th Report on Carcinogens",
)
MEANS_ANOTHER = {"64-17-5": "what is drunk", "7664-93-9": "the mist of strong acid"}
"""Entries of the agency that speak of another thing than the bottle in the lab: CAS number → of what."""


def dangers(kind: str, name: str, cas: str) -> list[Row]:
    """Flash point, ignition temperature, exposure limits and carcinogen entries of the reference library.

    Of several ignition temperatures the lowest counts: who trusts the higher one is burnt.
    """
    rows: list[Row] = []
    flash = next((m for m in FLASH if m in safety.T_flash_methods(cas)), None)
    if flash is not None:
        source = "Wikidata" if flash == "WIKIDATA" else flash
        rows.append(
            (kind, name, "flash", f"{safety.T_flash(cas, method=flash) - 273.15:.0f}", f"{source} (chemicals library)")
        )
    ignites = {m: safety.T_autoignition(cas, method=m) for m in safety.T_autoignition_methods(cas)}
    if ignites:
        method = min(ignites, key=lambda m: ignites[m])
        source = "Wikidata" if method == "WIKIDATA" else method
        rows.append(
            (kind, name, "ignites", f"{ignites[method] - 273.15:.0f}", f"{source}, the lowest (chemicals library)")
        )
    shift, short = safety.TWA(cas), safety.STEL(cas)
    limits = [
        f"{_limit(value, unit, cas)} over {over}"
        for found, over in ((shift, "a shift"), (short, "15 min"))
        if found
        for value, unit in (found,)
    ]
    if limits and safety.TWA_methods(cas):
        rows.append(
            (
                kind,
                name,
                "limit",
                "; ".join(limits),
                "Ontario exposure limits (chemicals library); your country's may differ",
            )
        )
    agency = safety.Carcinogen(cas, method=AGENCY)
    program = safety.Carcinogen(cas, method=PROGRAM)
    listed = []
    if "(1)" in agency or "(2A)" in agency or "(2B)" in agency:
        of = f", of {MEANS_ANOTHER[cas]}" if cas in MEANS_ANOTHER else ""
        listed.append(f"IARC group {agency.rpartition('(')[2].rstrip(')')}{of}")
    if program in ("Known", "Reasonably Anticipated"):
        listed.append(f"NTP: {program.casefold()}{' (as mist)' if cas == '7664-93-9' else ''}")
    if listed:
        rows.append((kind, name, "carcinogen", "; ".join(listed), "IARC and NTP lists (chemicals library)"))
    return rows


def _limit(value: float, unit: str, cas: str) -> str:
    """An exposure limit as it was set: dusts in mg/m³, which the library turns into ppm that nobody wrote down."""
    if unit == "ppm" and abs(value - float(f"{value:.2g}")) > 1e-9:
        value, unit = float(f"{chemicals.safety.ppmv_to_mgm3(value, chemicals.MW(cas)):.2g}"), "mg/m^3"
    return f"{value:g} {unit.replace('^3', '³')}"


DECOMPOSES = {
    "sodium bicarbonate",
    "calcium carbonate",
    "potassium permanganate",
    "ammonium chloride",
    "calcium sulfate",
    "activated charcoal",
    "copper(II) sulfate",
    "lead(II) nitrate",
}
"""Substances that decompose or sublime before they melt: what the collections call melting is something else."""
HIGHEST_ORGANIC_BOILING = 320.0
"""°C; what is given for organic substances above this is mostly worked out: they decompose before."""


def stands(name: str, formula: str, row: Row) -> bool:
    """Whether a looked-up value means what it says: hydrates lose water, some substances decompose."""
    _, _, key, value, _ = row
    if key not in ("melts", "boils"):
        return True
    if "·" in formula or name in DECOMPOSES:
        return False
    carbon = formula.startswith("C") and not formula.startswith(("Ca", "Cu", "Co", "Cr", "Cl"))
    return key == "melts" or not carbon or float(value) <= HIGHEST_ORGANIC_BOILING


def pka_source(pka: str) -> str:
    if pka.endswith("+"):
        return f"{MEMORY}; of its conjugate acid"
    return f"{MEMORY}; second step" if pka.endswith("2nd") else MEMORY


def liquid_density(cas: str) -> float | None:
    """g/mL at 20 °C from the DIPPR 105 equation with Perry's constants, where it is a liquid."""
    table = volume.rho_data_Perry_8E_105_l
    if cas not in table.index:
        return None
    c1, c2, c3, c4 = (float(table.loc[cas, c]) for c in ("C1", "C2", "C3", "C4"))
    low, high = float(table.loc[cas, "Tmin"]), float(table.loc[cas, "Tmax"])
    if not low - 1 <= 293.15 <= high:
        return None
    moles = c1 / c2 ** (1 + (1 - 293.15 / c3) ** c4)
    return moles * chemicals.MW(cas) * 1e-6


def build() -> dict[Path, str]:
    """File → its text."""
    names: list[tuple[str, str, str, str, str]] = []
    values: list[Row] = []
    for name, also, cas, rank, mixes, takes_up, hazard, waste in read("solvents.txt"):
        pure = name not in BLENDS
        formula = "" if not pure else chemicals.search_chemical(cas).formula if cas != "7732-18-5" else "H2O"
        names.append(("solvent", name, also, cas, formula))
        if pure:
            values += looked_up("solvent", name, cas) + dangers("solvent", name, cas)
        for key, value, source in (
            ("eluotropic_rank", rank, "eluotropic series on silica; order from memory"),
            ("mixes_with_water", mixes, MEMORY),
            ("takes_up_water", takes_up, MEMORY),
            ("hazard", hazard, CAUTIONS),
            ("waste", waste, "common practice; local rules decide"),
        ):
            if value:
                values.append(("solvent", name, key, value, source))
    for name, also, cas, formula, pka, solubility, hazard, waste in read("substances.txt"):
        names.append(("substance", name, also, cas, formula))
        try:
            chemicals.search_chemical(cas)
        except ValueError:
            pass
        else:
            values += [row for row in looked_up("substance", name, cas, formula) if stands(name, formula, row)]
            values += [row for row in dangers("substance", name, cas) if row[2] != "flash" or name not in SOLUTIONS]
        for key, value, source in (
            ("pka", pka.removesuffix("+").removesuffix(" 2nd"), pka_source(pka)),
            ("solubility", solubility, MEMORY),
            ("hazard", hazard, CAUTIONS),
            ("waste", waste, "common practice; local rules decide"),
        ):
            if value:
                values.append(("substance", name, key, value, source))
    with (HERE / "things.csv").open(encoding="utf-8", newline="") as kept:
        things = list(csv.DictReader(kept))
    known = {(kind, name) for kind, name, *_ in names}
    for kind, name in dict.fromkeys((row["kind"], row["name"]) for row in things):
        if (kind, name) in known:
            continue
        formula = next((r["value"] for r in things if r["property"] == "formula" and r["name"] == name), "")
        names.append((kind, name, "", "", formula))
    values += [
        (row["kind"], row["name"], row["property"], row["value"], row["source"])
        for row in things
        if row["property"] != "formula"
    ]
    return {
        TARGET / "names.csv": text(("kind", "name", "also", "cas", "formula"), names),
        TARGET / "values.csv": text(("kind", "name", "property", "value", "source"), values),
        CARE: care_table(names, values),
    }


def care_table(names: list[tuple[str, str, str, str, str]], values: list[Row]) -> str:
    """What the heart has to know of a name to warn of it, as Python."""
    known: dict[tuple[str, str], dict[str, str]] = {}
    for kind, name, key, value, _ in values:
        known.setdefault((kind, name), {}).setdefault(key, value)
    lines = [
        '"""What the rules of safety know of substances and hazards. Built by ``./helvor shelf`` from the shelf; every',
        "value stands there with its source.",
        '"""',
        "",
        "# ruff: noqa: E501",
        "# fmt: off",
        "from __future__ import annotations",
        "",
        "Number = float | None",
        "Row = tuple[str, str, tuple[str, ...], str, Number, Number, Number, str, tuple[str, ...], str, str]",
        '"""kind, name, other names, formula, boils, flash point, ignites (°C), mixes with water (yes, no), hazards,',
        'waste stream, what comes before it."""',
        "",
        "ROWS: tuple[Row, ...] = (",
    ]
    for kind, name, also, _, formula in names:
        if kind not in ("solvent", "substance", "precipitate"):
            continue
        of = known.get((kind, name), {})
        number = {key: float(of[key]) if key in of else None for key in ("boils", "flash", "ignites")}
        row = (
            kind,
            name,
            _parts(also),
            formula,
            number["boils"],
            number["flash"],
            number["ignites"],
            of.get("mixes_with_water", ""),
            _parts(of.get("hazard", "")),
            of.get("waste", ""),
            of.get("waste_first", ""),
        )
        lines.append(f"    {row!r},")
    lines += [")", "", "HAZARDS: dict[str, tuple[str, str]] = {"]
    lines += [
        f"    {name!r}: ({of.get('signal', '')!r}, {of.get('caution', '')!r}),"
        for (kind, name), of in known.items()
        if kind == "hazard"
    ]
    lines += [
        "}",
        '"""Hazard as it is worded → signal word of a label, usual caution; the longer wording first."""',
        "",
    ]
    return "\n".join(lines)


def _parts(said: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in said.split(";") if part.strip())


def text(columns: tuple[str, ...], rows: list[tuple[str, ...]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(rows)
    return out.getvalue()


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true")
    options = parser.parse_args()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        built = build()
    for path, content in built.items():
        if options.check:
            if path.read_text(encoding="utf-8") != content:
                print(f"{path.name} is not what ./helvor shelf builds: run it and commit the result.", file=sys.stderr)
                return 1
        else:
            path.write_text(content, encoding="utf-8")
    print("The shelf is current." if options.check else "The shelf is built.")
    return 0


if __name__ == "__main__":
    sys.exit(main())
