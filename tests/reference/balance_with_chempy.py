"""Writes ``balanced.csv``: reactions balanced by ``chempy``, for the tests to hold ours against.

Not a dependency, for it brings some ninety packages; run where it is installed::

    python tests/reference/balance_with_chempy.py > tests/reference/balanced.csv

The reactions are common textbook ones, from memory; only their formulas are given here.
"""

REACTIONS = """
BaCl2 + Na2SO4 -> BaSO4 + NaCl
AgNO3 + CaCl2 -> AgCl + Ca(NO3)2
Pb(NO3)2 + KI -> PbI2 + KNO3
CaCl2 + Na3PO4 -> Ca3(PO4)2 + NaCl
FeCl3 + NaOH -> Fe(OH)3 + NaCl
CuSO4 + NaOH -> Cu(OH)2 + Na2SO4
Al2(SO4)3 + NH3 + H2O -> Al(OH)3 + (NH4)2SO4
MgCl2 + Na2CO3 -> MgCO3 + NaCl
K2CrO4 + AgNO3 -> Ag2CrO4 + KNO3
Ca(OH)2 + H3PO4 -> Ca3(PO4)2 + H2O
Bi(NO3)3 + H2S -> Bi2S3 + HNO3
NiCl2 + K3PO4 -> Ni3(PO4)2 + KCl
NaHCO3 -> Na2CO3 + H2O + CO2
CaCO3 + HCl -> CaCl2 + H2O + CO2
Fe + O2 -> Fe2O3
Fe2O3 + CO -> Fe + CO2
Fe3O4 + H2 -> Fe + H2O
Al + HCl -> AlCl3 + H2
Al + Fe2O3 -> Al2O3 + Fe
Mg + N2 -> Mg3N2
P4 + O2 -> P4O10
P4O10 + H2O -> H3PO4
C3H8 + O2 -> CO2 + H2O
C2H6O + O2 -> CO2 + H2O
C6H12O6 + O2 -> CO2 + H2O
C8H18 + O2 -> CO2 + H2O
NH3 + O2 -> NO + H2O
NH3 + O2 -> N2 + H2O
Cu + HNO3 -> Cu(NO3)2 + NO + H2O
Cu + HNO3 -> Cu(NO3)2 + NO2 + H2O
Zn + HNO3 -> Zn(NO3)2 + NH4NO3 + H2O
KMnO4 + HCl -> KCl + MnCl2 + H2O + Cl2
K2Cr2O7 + HCl -> KCl + CrCl3 + H2O + Cl2
KClO3 -> KCl + O2
NH4NO3 -> N2O + H2O
(NH4)2Cr2O7 -> Cr2O3 + N2 + H2O
Ca3(PO4)2 + SiO2 + C -> CaSiO3 + CO + P4
Na2S2O3 + I2 -> Na2S4O6 + NaI
FeS2 + O2 -> Fe2O3 + SO2
Cl2 + NaOH -> NaCl + NaClO3 + H2O
I2 + HNO3 -> HIO3 + NO2 + H2O
KMnO4 + H2C2O4 + H2SO4 -> MnSO4 + K2SO4 + CO2 + H2O
Fe4(Fe(CN)6)3 + KOH -> Fe(OH)3 + K4Fe(CN)6
MnO4- + Fe+2 + H+ -> Mn+2 + Fe+3 + H2O
Cr2O7-2 + Fe+2 + H+ -> Cr+3 + Fe+3 + H2O
Ba+2 + SO4-2 -> BaSO4
Ag+ + CrO4-2 -> Ag2CrO4
CO3-2 + H+ -> CO2 + H2O
Al+3 + OH- -> Al(OH)4-
S2O3-2 + I2 -> S4O6-2 + I-
IO3- + I- + H+ -> I2 + H2O
"""


def main() -> None:
    from chempy import balance_stoichiometry

    print("# balanced by chempy; written by balance_with_chempy.py")
    print("unbalanced;left;right")
    for line in REACTIONS.split("\n"):
        if line:
            left, right = (set(side.split(" + ")) for side in line.split(" -> "))
            before, after = balance_stoichiometry(left, right)
            sides = [" ".join(f"{int(n)}*{f}" for f, n in sorted(side.items())) for side in (before, after)]
            print(";".join((line, *sides)))


if __name__ == "__main__":
    main()
