"""What people type, in their own words and order, and what it must mean, ask or refuse: the tables in ``lines``."""

import re
from datetime import timedelta
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helvor.core.engine.run import reading_line as run_line
from helvor.core.engine.run.names import Around, Registered
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.line_help import ANYWHERE
from helvor.core.record.line_help import PLATE as PLATE_LINES
from helvor.core.record.line_help import RUN as RUN_LINES
from helvor.core.record.line_help import TECHNIQUES as TECHNIQUES_LINES
from helvor.core.record.typed_line import NotSure, Typist, pieces_of
from helvor.core.record.vocabulary import SYNONYMS, in_bench_words
from helvor.core.techniques.planar import plate as planar
from helvor.core.techniques.planar import reading_line as plate_line
from helvor.core.techniques.registered import TECHNIQUES
from helvor.shelf.procedures import shipped_procedure
from tests.core.plates import Writing, mm
from tests.core.runs import page_of

LINES = Path(__file__).parent / "lines"
LANES = [
    ("P", "paracetamol", "reference"),
    ("C", "caffeine", "reference"),
    ("T", "tablet extract", "unknown"),
    ("S", "my sample", "unknown"),
]


def plate_page():
    page = Writing(lanes=())
    for number, (label, substance, role) in enumerate(LANES, start=1):
        lane = planar.Lane(at=mm(10 * number), label=label, substance=substance, role=role)
        page.lanes[label] = page.add(lane)
    page.front("80.0")
    page.spot("P", "32.0")
    page.spot("S", "12.0")
    page.spot("S", "41.0")
    page.add(planar.Chamber(level=mm(5), lined=True, lid=True))
    return page.entries


WEIGHED = ("dish 32.514", "take mixed powder 3.02 g", "dish powder 35.520", "beaker + watch glass 61.204")
PAGES = {
    "powder": page_of(*WEIGHED, procedure=shipped_procedure("a-mixed-powder")),
    "fresh": page_of(procedure=shipped_procedure("a-mixed-powder")),
    "iron": page_of(procedure=shipped_procedure("colours-of-iron")),
    "chalk": page_of(procedure=shipped_procedure("chalk-from-two-solutions")),
    "tablet": page_of(procedure=shipped_procedure("inside-the-tablet")),
    "three": page_of(procedure=shipped_procedure("three-from-one")),
    "clean": page_of(procedure=shipped_procedure("acetanilide-made-clean")),
    "blank": page_of(),
}
PLATE = plate_page()


def on_plate(line):
    return plate_line.read_line(line, PLATE)


def in_run(line, page="powder", step=""):
    return run_line.read_line(line, PAGES[page], step, TECHNIQUES)


def in_any(line):
    """Read on the first page that has a step for it."""
    refused = Unreadable(line)
    for page in PAGES:
        try:
            return in_run(line, page)
        except Unreadable as unreadable:
            refused = unreadable
    raise refused


def rows(name):
    """Page, step, what is typed and what comes of it, of every row of a table."""
    page, step = "", ""
    for row in (LINES / name).read_text().splitlines()[2:]:
        if row.startswith("#"):
            page, _, step = row[1:].partition("/")
        elif row.strip():
            mark = next(mark for mark in ("  = ", "  ? ", "  ! ") if mark in row)
            typed, _, comes = row.partition(mark)
            yield page, step, typed.strip(), mark.strip(), comes


ROWS = [(on_plate, typed, mark, comes) for _, _, typed, mark, comes in rows("plate.txt")] + [
    (lambda line, page=page, step=step: in_run(line, page, step), typed, mark, comes)
    for page, step, typed, mark, comes in rows("run.txt")
]


def outcome(read, typed):
    """Mark, words and offered answers of a typed line."""
    try:
        return "=", " · ".join(one.says for one in read(typed)), ()
    except NotSure as asked:
        return "?", str(asked), asked.lines
    except Unreadable as refused:
        return "!", str(refused), ()


@pytest.mark.parametrize(("read", "typed", "mark", "comes"), ROWS, ids=[row[1] for row in ROWS])
def test_a_line_means_what_its_table_says(read, typed, mark, comes):
    found, words, answers = outcome(read, typed)
    assert found == mark, f"{found} {words}"
    if mark == "=":
        assert words == comes
    elif mark == "!" or comes.startswith('"'):
        assert words.startswith(comes.strip('"'))
    else:
        assert comes in answers


ASKED = [(read, typed) for read, typed, mark, _ in ROWS if mark == "?"]


@pytest.mark.parametrize(("read", "typed"), ASKED, ids=[row[1] for row in ASKED])
def test_an_answer_that_is_offered_can_be_typed(read, typed):
    for answer in outcome(read, typed)[2]:
        if "…" not in answer:
            assert outcome(read, answer)[0] in "=?", answer


def shown_in(understood):
    """Whether the preview shows every word and number that would be written."""
    says = understood.says.casefold().replace("*", "")
    hidden = {
        "kind",
        "step",
        "state",
        "lane",
        "unit",
        "written",
        "round",
        "role",
        "swatch",
        "seen",
        "combines",
        "trial",
    }
    hidden |= {"checks", "way", "what", "agent", "then", "outcome", "remedy", "why", "cold", "paper", "tried", "place"}
    for name, value in understood.payload.model_dump(exclude_defaults=True).items():
        texts = value if isinstance(value, tuple) else (value,)
        for text in texts if name not in hidden else ():
            if isinstance(text, str) and text and text != "tared pan":
                assert text.casefold() in says, (name, text, says)
        if isinstance(value, dict) and "value" in value and name not in hidden:
            assert f"{value['value']:g}"[:4] in says.replace(",", ""), (name, value, says)
    return True


WRITTEN = [
    (read, typed) for read, typed, mark, comes in ROWS if mark == "=" and not comes.startswith(("eluent", "orig"))
]


@pytest.mark.parametrize(("read", "typed"), WRITTEN, ids=[row[1] for row in WRITTEN])
def test_the_preview_shows_all_that_would_be_written(read, typed):
    for understood in read(typed):
        if understood.strikes is None:
            assert shown_in(understood)


WORD = st.sampled_from(
    [
        "T",
        "S",
        "P",
        "T2",
        "spot",
        "lane",
        "in",
        "at",
        "front",
        "dish",
        "powder",
        "residue",
        "salt",
        "dried",
        "wet",
        "41",
        "41.0",
        "38-45",
        "0.51",
        "32.514",
        "3",
        "g",
        "mm",
        "mL",
        "cm",
        "purple",
        "blue-green",
        "UV",
        "254",
        "iodine",
        "faint",
        "take",
        "vol",
        "net",
        "done",
        "4",
        "timer",
        "20",
        "h",
        "strike",
        "undo",
        "note",
        "new",
        "+",
        ",",
        ";",
        ":",
        "=",
        "wash",
        "water",
        "5",
        "x",
        "cold",
        "drain",
        "lower",
        "beaker",
        "A",
        "ph",
        "2",
        "melts",
        "crude",
        "temp",
        "74",
        "Schale",
        "leer",
        "frente",
    ]
)


@given(st.lists(WORD, min_size=1, max_size=7).map(" ".join))
@settings(max_examples=300)
def test_any_words_in_any_order_are_shown_asked_or_refused(typed):
    for read in (on_plate, in_run):
        found, words, answers = outcome(read, typed)
        assert words
        assert found == "?" or not answers


@given(st.text(max_size=40))
def test_any_text_is_understood_asked_or_refused(typed):
    for read in (on_plate, in_run):
        assert outcome(read, typed)[1]


def test_an_undo_within_a_minute_asks_nothing_and_later_asks_why():
    page = PAGES["powder"]
    last = page[-1].at
    soon = run_line.read_line("undo", page, "", TECHNIQUES, typist=Typist(last + timedelta(seconds=50), "Ida"))
    assert soon[0].strikes == page[-1].id and soon[0].reason == "undone at once"
    with pytest.raises(NotSure, match="written by Ida"):
        run_line.read_line("undo", page, "", TECHNIQUES, typist=Typist(last + timedelta(seconds=50), "Sunil"))
    with pytest.raises(NotSure, match="more than a minute ago") as asked:
        run_line.read_line("undo", page, "", TECHNIQUES, typist=Typist(last + timedelta(minutes=2)))
    [late] = run_line.read_line(asked.value.lines[0], page, "", TECHNIQUES, typist=Typist(last + timedelta(minutes=2)))
    assert late.reason == "misread"


def test_a_label_that_is_written_on_the_glass_stays_as_it_is_written():
    around = Around(register={"q7kd": Registered("q7kd", "flask2")})
    read = {line: run_line.read_line(line, page_of(), around=around)[0].payload.name for line in FLASKS}
    assert read == {"flask2 33.1": "flask2", "Q7KD 33.1": "flask2", "dish4 33.1": "dish 4"}


FLASKS = ("flask2 33.1", "Q7KD 33.1", "dish4 33.1")


@pytest.mark.parametrize(("mass", "asked"), [("30.012", False), ("30.09", False), ("30.2", True), ("33.1", True)])
def test_where_nobody_can_be_asked_a_full_dish_is_no_empty_one(mass, asked):
    """What a device kept is refused and stays with it; a tare that drifted is written."""
    page = page_of("dish 3 30.000")
    if asked:
        with pytest.raises(NotSure, match="is something in it now"):
            run_line.read_line(f"dish 3 {mass}", page, sure=True)
    else:
        [read] = run_line.read_line(f"dish 3 {mass}", page, sure=True)
        assert read.payload.state == "empty"


LISTED = [
    *((on_plate, line) for row in (*PLATE_LINES, *ANYWHERE) for line in row.lines if "dish" not in line),
    *((in_run, line) for row in (*RUN_LINES, *ANYWHERE) for line in row.lines),
    *((in_any, line) for row in TECHNIQUES_LINES for line in row.lines),
]


@pytest.mark.parametrize(("read", "line"), LISTED, ids=[line for _, line in LISTED])
def test_what_is_listed_as_a_line_is_one(read, line):
    found, words, _ = outcome(read, line)
    assert found in "=?" or re.search("this run|This step|no container|already|First record|no earlier", words), words


def test_a_synonym_means_one_thing():
    said = [other for _, others in SYNONYMS for other in others.split("|")]
    assert sorted(said) == sorted(set(said))


@pytest.mark.parametrize(("word", "others"), SYNONYMS)
def test_every_synonym_is_read_as_its_word(word, others):
    for other in others.split("|"):
        assert in_bench_words(f"{other} 3", ()) == f"{word} 3"
        assert in_bench_words(f"{other} 3", [other]) == f"{other} 3", "a page's own name stays"


@pytest.mark.parametrize(
    ("line", "pieces"),
    [
        ("P 30, C 12, T 55", ["P 30", "C 12", "T 55"]),
        ("T 30, 42, 55", ["T 30", "T 42", "T 55"]),
        ("P 30 and C 12; T 55", ["P 30", "C 12", "T 55"]),
        ("dish 3 32,514", ["dish 3 32,514"]),
        ("salt and sand", ["salt and sand"]),
    ],
)
def test_the_readings_of_a_line(line, pieces):
    assert pieces_of(line) == pieces


def test_what_one_reading_of_a_line_writes_the_next_one_knows():
    first, second, third = on_plate("T 30, T 42, T1 31")
    assert first.strikes is None and second.says.startswith("new spot *T2*")
    assert third.strikes is not None and third.says.startswith("spot *T1* at *31 mm*, was 30 mm")


def test_none_of_a_line_is_written_where_one_reading_is_not_clear():
    found, words, _ = outcome(on_plate, "C 12, T forty, S 25")
    assert found in "?!" and "forty" in words


def test_a_portion_that_is_called_new_and_is_known_is_that_portion():
    read = run_line.read_line("dish 3 new salt dried 3 31.516", DRIED, "", TECHNIQUES)[0].payload
    assert (read.name, read.portion) == ("dish 3", "salt")


DRIED = page_of("dish 3 30.000", "dish 3 new salt dried 1 31.618", "dish 3 salt dried 2 31.517")


@pytest.mark.parametrize(
    ("typed", "numbers"),
    [
        ("correct dish 3 salt dried 1 31.520", (1,)),
        ("correct dish 3 salt first drying 31.520", (1,)),
        ("correct dish 3 salt dried 31.520", (2,)),
        ("correct dish 3 salt dried 1 31.520, dish 3 salt dried 2 31.519", (1, 2)),
        ("correct dish 3 salt dried 1 31.520, dried 2 31.519", (1, 2)),
        ("correct dish 3 salt dried 1 31.520; correct dish 3 salt dried 2 31.519", (1, 2)),
    ],
)
def test_the_drying_that_is_numbered_is_corrected_and_two_of_them_together(typed, numbers):
    read = run_line.read_line(typed, DRIED, "", TECHNIQUES)
    assert [one.payload.round for one in read] == list(numbers)
    assert [one.strikes for one in read] == [DRIED[number].id for number in numbers]
    for one, number in zip(read, numbers, strict=True):
        assert f"dried {number}" in one.says and f"in place of {DRIED[number].payload.mass}" in one.says


def test_a_drying_that_is_not_there_is_asked_about_and_one_that_is_there_is_no_new_one():
    with pytest.raises(NotSure, match="no drying 3 of salt") as asked:
        run_line.read_line("correct dish 3 salt dried 3 31.5", DRIED, "", TECHNIQUES)
    assert asked.value.lines == ("correct dish 3 salt dried 2 31.5", "correct dish 3 salt dried 1 31.5")
    with pytest.raises(NotSure, match=r"31\.517 g is there as dried 2 already") as asked:
        run_line.read_line("dish 3 salt dried 2 31.516", DRIED, "", TECHNIQUES)
    assert asked.value.lines == ("correct dish 3 salt dried 2 31.516", "dish 3 salt dried 3 31.516")
    [first] = run_line.read_line(asked.value.lines[0], DRIED, "", TECHNIQUES)
    assert first.strikes == DRIED[2].id
