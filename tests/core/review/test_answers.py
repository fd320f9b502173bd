"""Students' own answers: held against their own readings, and the usual mistake that gives a wrong one."""

from dataclasses import replace
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helvor.core.engine.run.work_out import work_out
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.answer import Answered, read_answer
from helvor.core.review import answers, questions, truths
from helvor.core.review.answers import Asked, SheetSettings, mark_answer, of_plate, of_run, summed
from helvor.core.review.common_mistakes import WORDS, explain, pairs
from helvor.core.review.quotient import Factor, Quotient, Term, one
from helvor.core.review.true_masses import right_answer
from helvor.core.techniques.registered import TECHNIQUES
from helvor.demo.crystals import CRYSTALS
from helvor.demo.extraction import LAYERS
from helvor.demo.runs import CHALK, POWDER, SULFATE
from helvor.shelf.procedures import shipped_procedure
from tests.core.plates import Writing
from tests.core.techniques.extraction.test_runs import typed

PLAIN = SheetSettings()


def sheet_of(key, lines):
    return work_out(typed(*lines, procedure=shipped_procedure(key)), None, TECHNIQUES)


SHEETS = [
    ("a-mixed-powder", POWDER[1]),
    ("a-mixed-powder", POWDER[2]),
    ("a-mixed-powder", POWDER[9]),
    ("sulfate-in-garden-salt", SULFATE[1]),
    ("sulfate-in-garden-salt", SULFATE[4]),
    ("chalk-from-two-solutions", CHALK),
    ("three-from-one", LAYERS[1]),
    ("three-from-one", LAYERS[5]),
    ("acetanilide-made-clean", CRYSTALS[1]),
]
WORKED = [sheet_of(*one) for one in SHEETS]


def sums_of(sheet):
    """Question and truth of every question that has one."""
    procedure = sheet.run.procedure
    early = [(q, truths.before(q, procedure)) for q in questions.before(procedure)]
    late = [(q, truths.after(q, sheet)) for q in questions.after(procedure)]
    return [(q, t) for q, t in (*early, *late) if t is not None and t.quotient is not None]


SUMS = [pair for sheet in WORKED for pair in sums_of(sheet)]


@pytest.mark.parametrize("sheet", WORKED, ids=[f"{key}-{i}" for i, (key, _) in enumerate(SHEETS)])
def test_every_sum_gives_what_the_ledger_gives(sheet):
    """Two ways to one number: the sum as a person writes it, and the ledger's own account (Truth 1)."""
    ledger = sheet.ledger
    wanted = {"closure": 100 * ledger.closure.value} if ledger.closure and ledger.complete else {}
    for account in ledger.components:
        if account.recovery is not None:
            wanted[f"recovery {account.component.name}"] = 100 * account.recovery.value
        wanted |= {f"content {name}": 100 * part.value for name, part in account.contents}
    for made in ledger.yields:
        wanted[f"most {made.portion}"] = made.theoretical.value
        if made.percent is not None:
            wanted[f"yield {made.portion}"] = 100 * made.percent.value
    wanted |= {f"net {p.name}": p.mass.value for p in ledger.portions.values() if p.mass is not None}
    wanted |= {f"part {name}": 100 * part.value for name, part in ledger.parts.items()}
    wanted |= {f"moles {s.substance.name}": s.amount.value for s in ledger.substances if s.amount is not None}
    after = [(q, t) for q, t in sums_of(sheet) if q.when == "after"]
    assert after
    for question, truth in after:
        assert truth.value == pytest.approx(wanted[question.key], rel=1e-9), question.key


def test_the_sheet_asks_before_and_after():
    keys = [q.key for q in questions.sheet_of(shipped_procedure("chalk-from-two-solutions"))]
    assert keys == [
        "wanted moles calcium chloride dihydrate",
        "wanted moles sodium carbonate",
        "limiting",
        "wanted most chalk",
        "net chalk",
        "moles calcium chloride dihydrate",
        "moles sodium carbonate",
        "recovery calcium",
        "most chalk",
        "yield chalk",
    ]
    # Where a content is sought, there is no yield: the reagent is in excess.
    assert not any(q.sort == "yield" for q in questions.sheet_of(shipped_procedure("sulfate-in-garden-salt")))


CHALK_SHEET = WORKED[5]
POWDER_SHEET = WORKED[0]


def marked(sheet, key, written, settings=PLAIN):
    procedure = sheet.run.procedure
    question = next(q for q in questions.sheet_of(procedure) if q.key == key)
    truth = truths.before(question, procedure) if question.when == "before" else truths.after(question, sheet)
    answer = Answered(question=key, written=written) if question.choices else read_answer(key, written, question.unit)
    return mark_answer(question, truth, answer, settings)


CASES = [
    # chalk: 73.450 − 72.418 = 1.032 g from 1.512 g of CaCl2·2H2O (147.01), CaCO3 100.09: 100.26 %
    (CHALK_SHEET, "yield chalk", "100.3", "right", ""),
    (CHALK_SHEET, "yield chalk", "100", "right", ""),
    (CHALK_SHEET, "yield chalk", "1.003", "wrong", "percent"),
    (CHALK_SHEET, "yield chalk", "99.74", "wrong", "inverted"),
    (CHALK_SHEET, "yield chalk", "75.69", "wrong", "hydrate"),
    (CHALK_SHEET, "yield chalk", "68.25", "wrong", "on-sample"),
    (CHALK_SHEET, "yield chalk", "83.55", "wrong", "excess"),
    (CHALK_SHEET, "yield chalk", "101.1", "wrong", "target"),
    (CHALK_SHEET, "yield chalk", "105.2", "wrong", "not-last"),
    (CHALK_SHEET, "yield chalk", "61.2", "wrong", "none"),
    # two at once: water of hydration ignored and upside down
    (CHALK_SHEET, "yield chalk", "132.1", "wrong", "hydrate inverted"),
    (CHALK_SHEET, "net chalk", "1.032", "right", ""),
    (CHALK_SHEET, "net chalk", "1.03", "rounding", ""),
    (CHALK_SHEET, "net chalk", "1032 mg", "right", ""),
    (CHALK_SHEET, "net chalk", "73.450", "wrong", "dish-tare"),
    (CHALK_SHEET, "net chalk", "1.083", "wrong", "not-last"),
    (CHALK_SHEET, "moles calcium chloride dihydrate", "10.29 mmol", "right", ""),
    (CHALK_SHEET, "moles calcium chloride dihydrate", "0.01029", "right", ""),
    (CHALK_SHEET, "moles calcium chloride dihydrate", "0.013624", "wrong", "hydrate"),
    (CHALK_SHEET, "moles calcium chloride dihydrate", "97.23", "wrong", "inverted"),
    (CHALK_SHEET, "wanted moles calcium chloride dihydrate", "1.02e-2", "right", ""),
    (CHALK_SHEET, "limiting", "calcium chloride dihydrate", "right", ""),
    (CHALK_SHEET, "limiting", "sodium carbonate", "wrong", "excess"),
    # powder: salt 0.990, beads 0.984, camphor by loss 0.987 of 3.006 g
    (POWDER_SHEET, "closure", "98.5", "right", ""),
    (POWDER_SHEET, "closure", "98.503", "right", ""),
    (POWDER_SHEET, "closure", "98.50299", "rounding", ""),
    (POWDER_SHEET, "closure", "65.67", "wrong", "left-out"),
    (POWDER_SHEET, "closure", "101.5", "wrong", "inverted"),
    (POWDER_SHEET, "part salt", "33.4", "right", ""),  # of the total recovered, and within half a point too
    (POWDER_SHEET, "part salt", "33", "right", ""),
    (POWDER_SHEET, "part salt", "2302", "wrong", "dish-tare"),
    # 3.0 ÷ 3.0, or the weighing before the last: as near, so neither is named
    (POWDER_SHEET, "closure", "100", "wrong", "none"),
]


@pytest.mark.parametrize(("sheet", "key", "written", "verdict", "mistake"), CASES)
def test_an_answer_and_the_mistake_in_it(sheet, key, written, verdict, mistake):
    found = marked(sheet, key, written)
    wanted = [] if mistake in ("", "none") else mistake.split()
    assert (found.verdict, sorted(found.keys)) == (verdict, sorted(wanted)), found.says
    if mistake == "none":
        assert found.says == "no common mistake gives this value"


def test_a_basis_that_is_not_ours_is_right_and_said():
    # Without the blank's change the net is 38 mg lower: a way that many take.
    found = marked(WORKED[3], "net barium sulfate A", "0.262")
    assert (found.verdict, found.remark) == ("right", "without the blank's change")


def test_what_is_not_on_record_stays_open():
    unfinished = sheet_of("a-mixed-powder", POWDER[3])
    found = {m.question.key: m for m in of_run(unfinished, PLAIN)}
    assert found["closure"].verdict == "open" and found["closure"].right == ""


@pytest.mark.parametrize(("tolerance", "verdict"), [(None, "wrong"), (2.0, "right")])
def test_an_instructor_sets_the_tolerance(tolerance, verdict):
    settings = SheetSettings(asked={"closure": Asked(tolerance=tolerance)})
    assert marked(POWDER_SHEET, "closure", "99.9", settings).verdict == verdict


def test_what_is_not_asked_is_left_out():
    settings = SheetSettings(asked={"closure": Asked(asked=False)})
    assert "closure" not in [m.question.key for m in of_run(POWDER_SHEET, settings)]
    assert "closure" in [m.question.key for m in of_run(POWDER_SHEET, PLAIN)]


# ── the search for the mistake ──────────────────────────────────────────────────────────────────


def with_slips(quotient, made):
    for single in sorted(made, key=lambda s: s.touches == {"outcome"}):
        quotient = single.does(quotient)
    return quotient.value


@given(st.data())
def test_a_number_made_with_a_mistake_names_that_mistake_or_none(data):
    """Made wrong with one or two mistakes and written with four digits: found again, unless another is as near,
    or fewer mistakes give it too; never another in its place that is farther off (Mistake 3)."""
    _, truth = data.draw(st.sampled_from(SUMS))
    made = data.draw(st.sampled_from([*((s,) for s in truth.mistakes), *pairs(truth.mistakes)]))
    value = with_slips(truth.quotient, made)
    if value is None or value <= 0:
        return
    written = f"{value:.3e}"
    at, step = float(written), 10.0 ** (int(written.split("e")[1]) - 3)
    found = explain(truth.quotient, truth.mistakes, at, step)
    if found is None or sorted(found.keys) == sorted(s.key for s in made):
        return
    assert len(found.mistakes) <= len(made)
    assert abs(found.value - at) <= step / 2 * (1 + 1e-6) + 0.0005 * found.value


@pytest.mark.parametrize(("question", "truth"), SUMS, ids=lambda v: getattr(v, "key", ""))
def test_each_single_mistake_is_found_again_when_no_other_gives_its_number(question, truth):
    values = {}
    for made in truth.mistakes:
        value = with_slips(truth.quotient, (made,))
        if value and value > 0 and abs(value - truth.value) > 1e-6 * truth.value:
            values.setdefault(made.key, []).append(value)
    named = 0
    for key, numbers in values.items():
        for value in numbers:
            rivals = [v for other, vs in values.items() if other != key for v in vs if abs(v - value) < 2e-3 * value]
            if not rivals:
                found = explain(truth.quotient, truth.mistakes, value, 1e-5 * value)
                assert found is not None and found.keys == (key,)
                named += 1
    assert named or not values


def test_two_mistakes_as_near_as_each_other_are_not_guessed_between():
    quotient = Quotient((one("a", 2.0), one("b", 2.0)), (one("c", 8.0),))
    mistakes = [
        truths.mistake("target", lambda q: q.without("a"), "a"),
        truths.mistake("wet", lambda q: q.without("b"), "b"),
    ]
    assert explain(quotient, mistakes, 0.25, 0.01) is None


def test_rounding_on_the_way_is_a_remark_on_digits_not_a_mistake():
    """0.887 ÷ 1.001 g is 88.6 %; 0.9 ÷ 1.0 makes 90 of it."""
    truth = right_answer(Quotient((one("found", 0.887),), (one("taken", 1.001),), 100.0), (), 1)
    question = questions.Question("q", "recovery", "a", "a recovered", "How much?", "%", "after", 0.5)
    found = mark_answer(question, truth, read_answer("q", "90", "%"), PLAIN)
    assert (found.verdict, found.keys, found.right) == ("rounding", ("early",), "88.6 %")
    assert found.mistake.shown == "0.9 ÷ 1"
    assert mark_answer(question, truth, read_answer("q", "90.0", "%"), PLAIN).verdict == "rounding"
    assert mark_answer(question, truth, read_answer("q", "89.8", "%"), PLAIN).verdict == "wrong"


def test_every_mistake_of_the_list_can_be_made():
    made = {s.key for _, truth in SUMS for s in truth.mistakes} | {"from-edge", "front-top", "excess"}
    made |= {
        "parts",
        "wet",
        "ml-as-g",
        "ratio-ignored",
        "ratio-inverted",
        "share",
        "whole-mixture",
        "ml-not-l",
        "reagent-form",
    }
    assert set(WORDS) == made


def test_a_sum_shows_its_numbers():
    quotient = Quotient((Factor("n", (Term("g", 31.82, 1.0, 3), Term("t", 31.062, -1.0, 3))),), (one("s", 1.0),), 100.0)
    assert quotient.shown == "(31.820 − 31.062) ÷ 1.000"
    assert replace(quotient, places=1).shown == "0.8 ÷ 1"
    assert Quotient((one("a", 1),), (one("b", 0),)).value is None


# ── plates ──────────────────────────────────────────────────────────────────────────────────────


def one_spot(**ends):
    """18 mm on a front of 45 mm; the origin 10 mm up a plate of 100 mm."""
    page = Writing()
    page.front("45")
    page.spot("T", "18", **ends)
    return page.sheet


@pytest.mark.parametrize(
    ("written", "verdict", "mistake", "remark"),
    [
        # 18 mm on a front of 45 mm, origin 10 mm up a plate of 100 mm
        ("0.40", "right", (), ""),
        ("0.4", "right", (), ""),
        ("0.41", "right", (), ""),
        ("0.43", "wrong", (), ""),
        ("40", "right", (), "as hRf"),
        ("2.5", "wrong", ("inverted",), ""),
        ("2.50", "wrong", ("inverted",), ""),
        ("0.51", "wrong", ("from-edge",), ""),
        ("0.20", "wrong", ("front-top",), ""),
        ("0.28", "wrong", ("from-edge", "front-top"), ""),
    ],
)
def test_rf_and_the_usual_ways_to_get_it_wrong(written, verdict, mistake, remark):
    sheet = one_spot()
    question = questions.of_plate(sheet)[0]
    answer = read_answer(question.key, written, "")
    found = mark_answer(question, truths.of_spot(sheet.spots[0], sheet), answer, PLAIN)
    assert (found.verdict, sorted(found.keys), found.remark) == (verdict, sorted(mistake), remark)


def test_the_leading_edge_is_a_basis_of_its_own():
    sheet = one_spot(tail="15", head="22.5")
    question = questions.of_plate(sheet)[0]
    found = mark_answer(question, truths.of_spot(sheet.spots[0], sheet), read_answer(question.key, "0.50", ""), PLAIN)
    assert (found.verdict, found.remark) == ("right", "at the leading edge")


def test_answers_stand_on_the_plate_they_are_about():
    sheet = one_spot()
    key = questions.of_plate(sheet)[0].key
    sheet.plate.answers[key] = read_answer(key, "0.40", "")
    assert [m.verdict for m in of_plate(sheet, PLAIN)] == ["right"]
    assert UUID(key.split()[1]) == sheet.spots[0].key


# ── typed answers ───────────────────────────────────────────────────────────────────────────────


@pytest.mark.parametrize(
    ("written", "unit", "value", "resolution"),
    [
        ("89.4", "%", 89.4, 0.1),
        ("89.4 %", "%", 89.4, 0.1),
        ("89,4%", "%", 89.4, 0.1),
        ("0.44", "", 0.44, 0.01),
        ("26.8 mmol", "mol", 0.0268, 1e-4),
        ("0.0268 mol", "mol", 0.0268, 1e-4),
        ("2.68e-2", "mol", 0.0268, 1e-4),
        ("2.68 x 10^-2", "mol", 0.0268, 1e-4),
        ("1310 mg", "g", 1.31, 0.001),
        ("7.6", "mL", 7.6, 0.1),
    ],
)
def test_answers_as_people_type_them(written, unit, value, resolution):
    found = read_answer("q", written, unit)
    assert found.value == pytest.approx(value) and found.resolution == pytest.approx(resolution)


@pytest.mark.parametrize("written", ["", "  ", "about half", "-3", "nan", "12 kg %", "89 mL"])
def test_what_is_no_answer_is_refused(written):
    with pytest.raises(Unreadable):
        read_answer("q", written, "%")


def test_a_class_summed_up():
    marks = [
        (1, [marked(CHALK_SHEET, "yield chalk", "100.3"), marked(CHALK_SHEET, "net chalk", "73.450")]),
        (2, [marked(CHALK_SHEET, "yield chalk", "75.69"), marked(CHALK_SHEET, "net chalk", "73.450")]),
        (3, [mark_answer(questions.after(CHALK_SHEET.run.procedure)[0], None, None, PLAIN)]),
    ]
    found = summed(marks)
    assert (found.counts["right"], found.counts["wrong"], found.missing) == (1, 3, 1)
    assert found.mistakes[0] == ("dish tare forgotten", (1, 2))
    assert answers.total(marks[0][1], PLAIN) == (1.0, 2.0)
