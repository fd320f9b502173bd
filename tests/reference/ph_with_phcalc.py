"""Writes ``ph.csv`` and ``charged.csv``: pH of mixtures and charged parts over pH, worked out by ``pHcalc``.

Not a dependency; run where pHcalc 0.2 is installed::

    python tests/reference/ph_with_phcalc.py > tests/reference/ph.csv
    python tests/reference/ph_with_phcalc.py charged > tests/reference/charged.csv

A line is: strong charge (mol/L of cations minus anions); carbonate (mol/L); weak ones as
``acts:pKa:mol/L`` joined by spaces; pH.
"""

import itertools
import sys

WEAK = [
    [("acid", 4.76, 0.1)],
    [("acid", 4.44, 0.15), ("base", 9.25, 0.1)],
    [("base", 2.5, 0.13)],
    [("acid", 9.95, 0.05), ("acid", 4.2, 0.05)],
    [("base", 10.6, 0.2), ("acid", 7.15, 0.02)],
    [("acid", 1.99, 0.1)],
]
STRONG = [-0.5, -0.1, -0.01, 0.0, 0.02, 0.1, 0.2, 1.0]
CARBONATE = [0.0, 0.02]


def main() -> None:
    import numpy as np

    np.cumproduct = np.cumprod  # pHcalc 0.2 calls it by its name before numpy 2
    from pHcalc import Acid, Inert, System

    print("# strong;carbonate;weak;pH, by pHcalc 0.2")
    for weak, strong, carbonate in itertools.product(WEAK, STRONG, CARBONATE):
        if carbonate and strong < 0.02:
            continue  # there it would leave as gas, which pHcalc does not know
        parts = [Acid(pKa=pka, charge=0 if acts == "acid" else 1, conc=conc) for acts, pka, conc in weak]
        if carbonate:
            parts.append(Acid(pKa=[6.35, 10.33], charge=0, conc=carbonate))
        if strong:
            parts.append(Inert(charge=1 if strong > 0 else -1, conc=abs(strong)))
        system = System(*parts)
        system.pHsolve(guess_est=True, tol=1e-12)
        said = " ".join(f"{acts}:{pka}:{conc}" for acts, pka, conc in weak)
        print(f"{strong};{carbonate};{said};{system.pH:.4f}")


def charged() -> None:
    """Part of an acid or base that is charged, at a pH: ``acts;pKa;pH;part``."""
    import numpy as np

    np.cumproduct = np.cumprod
    from pHcalc import Acid

    print("# acts;pKa;pH;charged part, by pHcalc 0.2")
    for acts, pka in (("acid", 4.2), ("acid", 9.95), ("base", 2.5), ("base", 9.25)):
        one = Acid(pKa=pka, charge=0 if acts == "acid" else 1, conc=0.1)
        for ph in np.arange(0, 14.1, 1.0):
            most, least = one.alpha(float(ph))
            print(f"{acts};{pka};{ph:g};{least if acts == 'acid' else most:.10g}")


if __name__ == "__main__":
    charged() if sys.argv[1:] == ["charged"] else main()
