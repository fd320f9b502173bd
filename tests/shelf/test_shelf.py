"""The shelf: enough on it, a source on every value, own values laid over."""

import pytest

from helvor.core.record.entry import Problem
from helvor.core.record.step_kinds import WASTE, WRONG_BOTTLES
from helvor.exchange.shelf import BadShelf, read_shelf, shelf_csv
from helvor.notebook.shelf_values import checked
from helvor.shelf.shelf import KINDS, PROPERTIES, OwnValue, find, shipped, with_own
from helvor.shelf.solvents import eluotropic_rank


def test_there_is_enough_on_it():
    count = {kind: sum(item.kind == kind for item in shipped()) for kind in KINDS}
    assert count["substance"] >= 80
    assert count["solvent"] >= 30
    assert min(count.values()) >= 5


@pytest.mark.parametrize("item", shipped(), ids=lambda i: i.name)
def test_every_value_has_its_source_and_can_be(item):
    assert item.values
    for key, value in item.values.items():
        assert value.source, (item.name, key)
        checked(item.kind, item.name, key, value.text, value.source)
    assert item.text("waste") in ("", *WASTE)
    if item.formula:
        assert 1 < item.molar_mass < 700


def test_waste_on_the_shelf_is_what_the_plan_judges_by():
    """Streams and pairs that never meet are said twice: for people here, for the plan in the heart."""
    streams = {item.name: item for item in shipped() if item.kind == "waste"}
    assert set(streams) == set(WASTE)
    said = {(a, b.strip()) for a, item in streams.items() for b in item.text("never_with").split(",") if b.strip()}
    assert said == {(row.bottle, row.matter) for row in WRONG_BOTTLES if row.level == "stop"}


def test_hot_water_dissolves_more_than_cold():
    hot = [item for item in shipped() if item.number("solubility_hot")]
    assert len(hot) >= 6
    assert all(item.number("solubility_hot") > item.number("solubility") for item in hot)


def test_what_decomposes_has_no_melting_point():
    for item in shipped():
        if item.kind == "substance" and (
            "·" in item.formula or item.name in ("sodium bicarbonate", "calcium carbonate")
        ):
            assert "melts" not in item.values, item.name


def test_a_base_has_its_conjugate_acids_pka_and_says_so():
    aniline = next(item for item in shipped() if item.name == "aniline").values["pka"]
    assert (aniline.text, aniline.source) == ("4.6", "from memory; of its conjugate acid")


def test_names_are_told_apart():
    for kind in KINDS:
        names = [name.casefold() for item in shipped() if item.kind == kind for name in (item.name, *item.also)]
        assert len(names) == len(set(names)), kind


def test_the_series_runs_from_weak_to_strong():
    rank = eluotropic_rank()
    order = ["pentane", "toluene", "diethyl ether", "ethyl acetate", "acetone", "methanol", "water"]
    assert sorted(order, key=rank.get) == order
    assert rank["etoac"] == rank["ethyl acetate"]


@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("dcm", "dichloromethane"),
        ("ethyl ac", "ethyl acetate"),
        ("141-78-6", "ethyl acetate"),
        ("KCl", "potassium chloride"),
        ("chalk", "calcium carbonate"),
        ("  EPSOM   salt ", "magnesium sulfate heptahydrate"),
    ],
)
def test_it_is_found_by_typing(text, first):
    assert find(shipped(), text, ["solvent", "substance"])[0].name == first


def test_own_values_cover_and_keep_what_they_cover():
    own = [
        OwnValue("solvent", "Ethyl Acetate", "density", "0.898", "weighed, 10 mL", "Ida"),
        OwnValue("solvent", "ethyl acetate", "density", "0.897", "weighed again", "Ida"),
        OwnValue("substance", "our dye", "formula", "C10H8", "the bottle", "Ida"),
    ]
    items = with_own(own)
    density = next(i for i in items if i.name == "ethyl acetate").values["density"]
    assert (density.text, density.mark, density.covers.text) == ("0.897", "own", "0.899")
    assert find(items, "our dye")[0].molar_mass == pytest.approx(128.17, abs=0.01)
    assert next(i for i in shipped() if i.name == "ethyl acetate").values["density"].text == "0.899"


def test_out_and_in_again_it_is_the_same():
    values = read_shelf(shelf_csv(shipped()).encode())
    again = {(v.kind, v.item, v.key): v.text for v in values}
    for item in shipped():
        for key, value in item.values.items():
            assert again[item.kind, item.name, key] == value.text


HEAD = "kind,name,property,value,source\n"


@pytest.mark.parametrize(
    ("content", "place", "says"),
    [
        (b"\xff\xfe", "file", "UTF-8"),
        (b"a,b\n", "line 1", "kind is missing"),
        (HEAD.encode(), "file", "no value"),
        ((HEAD + "gas,air,melts,1,me me\n").encode(), "line 2", "not a table of the reference data"),
        ((HEAD + "solvent,x,melts,warm,me me\n").encode(), "line 2", "is not a number"),
        ((HEAD + "solvent,x,melts,1,\n").encode(), "line 2", "Enter the source of the value"),
        ((HEAD + "solvent,x,density,900,me me\n").encode(), "line 2", "outside the possible range of density"),
        ((HEAD + "solvent,x,colour,red,me me\n").encode(), "line 2", "not a property"),
        ((HEAD + "solvent,x,density,nan,me me\n").encode(), "line 2", "outside the possible range of density"),
    ],
)
def test_a_bad_file_gets_what_is_wrong_by_line(content, place, says):
    with pytest.raises(BadShelf) as bad:
        read_shelf(content)
    assert any(p == place and says in s for p, s in bad.value.troubles), bad.value.troubles


def test_a_formula_is_read_before_it_is_kept():
    with pytest.raises(Problem, match="is not a formula"):
        checked("substance", "x", "formula", "salt", "me me")
    assert set(PROPERTIES) >= {"density", "melts", "tolerance"}
