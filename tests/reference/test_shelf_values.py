"""Melting and boiling points of the shelf against every collection that the ``chemicals`` library carries.

Sources: the collections of the library (CRC Handbook, CAS Common Chemistry, NIST WebBook, an open collection of melting
points, Yaws, Wikidata); its estimates (Joback) do not count.
"""

import chemicals
import pytest

from helvor.shelf.shelf import shipped

LOOKED_UP = [
    (item.name, item.cas, key, value)
    for item in shipped()
    for key, value in item.values.items()
    if key in ("melts", "boils") and "(chemicals library)" in value.source
]


@pytest.mark.parametrize(("name", "cas", "key", "value"), LOOKED_UP, ids=lambda v: v if isinstance(v, str) else "")
def test_a_second_collection_agrees_or_a_note_says_why_not(name, cas, key, value):
    of, methods = {"melts": (chemicals.Tm, chemicals.Tm_methods), "boils": (chemicals.Tb, chemicals.Tb_methods)}[key]
    kelvin = value.number + 273.15
    others = [of(cas, method=m) for m in methods(cas) if m != "JOBACK"]
    near = [other for other in others if other and abs(other - kelvin) <= max(2.0, 0.01 * kelvin)]
    assert len(near) >= 2 or len(others) == 1 or ";" in value.source, (name, key, value.number, others)


@pytest.mark.parametrize(
    ("name", "melts"),
    [
        # CRC Handbook, by way of the library; the last as common knowledge of a lab.
        ("sulfur", 115.2),
        ("sodium chloride", 800.7),
        ("phosphoric acid", 42.4),
        ("sulfuric acid", 10.3),
        ("succinic acid", 185.0),
        ("silica gel", 1710.0),
    ],
)
def test_what_was_wrong_once_is_right(name, melts):
    item = next(one for one in shipped() if one.name == name)
    assert item.number("melts") == pytest.approx(melts, abs=1)


@pytest.mark.parametrize("name", ["hydrochloric acid", "hydrogen peroxide"])
def test_a_solution_has_no_melting_or_boiling_point_of_its_own(name):
    item = next(one for one in shipped() if one.name == name)
    assert item.number("melts") is None and item.number("boils") is None
