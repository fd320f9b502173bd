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
from chemicals import volume

HERE = Path(__file__).parent
TARGET = HERE.parent / "src" / "helvor" / "shelf"
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
Row = tuple[str, str, str, str, str]


def read(name: str) -> list[list[str]]:
    lines = (HERE / name).read_text(encoding="utf-8").splitlines()
    return [[cell.strip() for cell in line.split("|")] for line in lines if line.strip() and not line.startswith("#")]


def looked_up(kind: str, name: str, cas: str) -> list[Row]:
    """What the reference library knows of a substance: the first collection that is no estimate."""
    rows: list[Row] = []
    for key, value_of, methods_of in (
        ("melts", chemicals.Tm, chemicals.Tm_methods),
        ("boils", chemicals.Tb, chemicals.Tb_methods),
    ):
        method = next((m for m in methods_of(cas) if m in SOURCES), None)
        value = value_of(cas, method=method) if method else None
        if value is not None:
            rows.append((kind, name, key, f"{value - 273.15:.1f}", SOURCES[method]))
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


DECOMPOSES = {
    "sodium bicarbonate", "calcium carbonate", "potassium permanganate", "ammonium chloride", "calcium sulfate",
    "activated charcoal", "copper(II) sulfate", "lead(II) nitrate",
}  # fmt: skip
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


def build() -> dict[str, str]:
    """File name → its text."""
    names: list[tuple[str, str, str, str, str]] = []
    values: list[Row] = []
    for name, also, cas, rank, mixes, takes_up, hazard, waste in read("solvents.txt"):
        formula = chemicals.search_chemical(cas).formula if cas != "7732-18-5" else "H2O"
        names.append(("solvent", name, also, cas, formula))
        values += looked_up("solvent", name, cas)
        for key, value, source in (
            ("eluotropic_rank", rank, "eluotropic series on silica; order from memory"),
            ("mixes_with_water", mixes, MEMORY),
            ("takes_up_water", takes_up, MEMORY),
            ("hazard", hazard, "usual cautions, from memory; the bottle's sheet decides"),
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
            values += [row for row in looked_up("substance", name, cas) if stands(name, formula, row)]
        for key, value, source in (
            ("pka", pka.removesuffix("+").removesuffix(" 2nd"), pka_source(pka)),
            ("solubility", solubility, MEMORY),
            ("hazard", hazard, "usual cautions, from memory; the bottle's sheet decides"),
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
        "names.csv": text(("kind", "name", "also", "cas", "formula"), names),
        "values.csv": text(("kind", "name", "property", "value", "source"), values),
    }


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
    for name, content in built.items():
        path = TARGET / name
        if options.check:
            if path.read_text(encoding="utf-8") != content:
                print(f"{name} is not what ./helvor shelf builds: run it and commit the result.", file=sys.stderr)
                return 1
        else:
            path.write_text(content, encoding="utf-8")
    print("The shelf is current." if options.check else "The shelf is built.")
    return 0


if __name__ == "__main__":
    sys.exit(main())
