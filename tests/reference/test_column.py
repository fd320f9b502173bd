"""A column against the published table, a plate-by-plate simulation, numerical integration and SciPy."""

import numpy as np
import pytest
from scipy import integrate, stats

from helvor.core.laws.column.model import Compound, bands, column_volume, elution, emg, found_band, in_tubes
from helvor.core.laws.column.sizing import FLASH, draft, suitability


@pytest.mark.parametrize(
    ("diameter", "eluent", "easy", "hard", "fraction"),
    [
        (10, 100, 100, 40, 5),
        (20, 200, 400, 160, 10),
        (30, 400, 900, 360, 20),
        (40, 600, 1600, 600, 30),
        (50, 1000, 2500, 1000, 50),
    ],
)
def test_the_published_table(diameter, eluent, easy, hard, fraction):
    """W. C. Still, M. Kahn, A. Mitra, J. Org. Chem. 1978, 43, 2923."""
    assert (diameter, eluent, easy, hard, fraction) in FLASH
    for sample, fit in ((easy, suitability(0.42, 0.20)), (hard, suitability(0.35, 0.25))):
        plan = draft(sample, fit)
        assert (plan.diameter, plan.fraction) == (diameter, fraction)


@pytest.mark.parametrize(("rf", "volumes"), [(0.5, 2.0), (0.35, 2.86), (0.25, 4.0), (0.1, 10.0)])
def test_column_volumes_are_one_over_rf(rf, volumes):
    """Common practice, no source; in every table of column volumes against Rf."""
    v_m = column_volume(20, 150)
    assert elution([100.0], [rf], v_m)[0] / v_m == pytest.approx(volumes, rel=0.002)


def craig(rf, plates, v_m, tubes, volume):
    """Plate by plate: each holds an equal part of the liquid, and each transfer carries the part Rf of what is there.

    Shares nothing with the model: no Gaussian, no retention formula.
    """
    here = np.zeros(plates)
    here[0] = 1.0
    cell = v_m / plates
    out, passed = np.zeros(tubes), 0.0
    while passed < tubes * volume - 1e-9:
        moving = here * rf
        here = here - moving
        here[1:] += moving[:-1]
        passed += cell
        out[min(int((passed - 1e-9) // volume), tubes - 1)] += moving[-1]
    return out


@pytest.mark.parametrize("rf", [0.2, 0.35, 0.6])
def test_tubes_agree_with_a_plate_by_plate_simulation(rf):
    """n cells of an equilibrium cascade make N = n/(1 − Rf) plates: its variance is n(1 − Rf)/Rf² cells."""
    v_m, cells, volume, tubes = 20.0, 120, 4.0, 60
    out = craig(rf, cells, v_m, tubes, volume)
    [band] = bands([Compound("x", 1.0, (rf,))], [100.0], v_m, plates=cells / (1 - rf))
    ends = [volume * (i + 1) for i in range(tubes)]
    model = in_tubes(band, ends)
    assert sum(abs(a - b) for a, b in zip(out, model, strict=True)) < 0.06
    found = found_band(ends, list(out))
    assert found.mean == pytest.approx(band.volume, rel=0.01)
    assert found.plates == pytest.approx(cells / (1 - rf), rel=0.05)


def craig_with_step(first, rfs, plates, v_m, tubes, volume):
    """The same with a second eluent that enters after *first* mL; a cell has the Rf of the liquid that is in it."""
    here = np.zeros(plates)
    here[0] = 1.0
    cell = v_m / plates
    liquid = np.zeros(plates, dtype=int)
    out, passed = np.zeros(tubes), 0.0
    while passed < tubes * volume - 1e-9:
        moving = here * np.where(liquid == 0, rfs[0], rfs[1])
        here = here - moving
        here[1:] += moving[:-1]
        liquid[1:] = liquid[:-1]
        liquid[0] = 0 if passed < first else 1
        passed += cell
        out[min(int((passed - 1e-9) // volume), tubes - 1)] += moving[-1]
    return out


@pytest.mark.parametrize(("first", "rfs"), [(30.0, (0.05, 0.4)), (50.0, (0.15, 0.5)), (20.0, (0.02, 0.3))])
def test_a_step_agrees_with_the_same_simulation(first, rfs):
    """Where the band comes, with the front of the new eluent catching up on its way."""
    v_m, volume, tubes = 20.0, 4.0, 60
    out = craig_with_step(first, rfs, 400, v_m, tubes, volume)
    ends = [volume * (i + 1) for i in range(tubes)]
    expected, _ = elution([first, 200.0], list(rfs), v_m)
    assert found_band(ends, list(out)).mean == pytest.approx(expected, rel=0.02)


@pytest.mark.parametrize(("sigma", "tail"), [(2.0, 1.0), (3.0, 9.0), (1.0, 20.0)])
def test_a_tailing_band_against_scipy(sigma, tail):
    """``scipy.stats.exponnorm``, and integration of its density tube by tube."""
    law = stats.exponnorm(tail / sigma, loc=50.0, scale=sigma)
    for at in (40.0, 50.0, 55.0, 70.0, 110.0):
        assert emg(at, 50.0, sigma, tail) == pytest.approx(law.cdf(at), abs=1e-6)
    part = emg(60.0, 50.0, sigma, tail) - emg(55.0, 50.0, sigma, tail)
    assert part == pytest.approx(integrate.quad(law.pdf, 55.0, 60.0)[0], abs=1e-6)
    assert law.mean() == pytest.approx(50.0 + tail)
