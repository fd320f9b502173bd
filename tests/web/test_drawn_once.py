"""What is drawn once and sent often: never an old state, never one form's id twice."""

import re
from dataclasses import dataclass

import pytest

from helvor.notebook import classes
from helvor.notebook.database import connect
from helvor.web.rendering import FRESH_ID, drawn_once, with_fresh_ids
from tests.notebook.people import run_of, type_in
from tests.web.conftest import HTMX

ENTRY = re.compile(r'name="entry" value="([^"]*)"')


@dataclass
class At:
    ink: list
    view: str


def drawing(most=8):
    calls = []

    @drawn_once(most, ink=lambda at: at.ink, about=lambda at: at.view)
    def draw(at):
        calls.append((list(at.ink), at.view))
        return f"{at.ink} {at.view}"

    return draw, calls


def test_the_very_same_ink_is_drawn_once_and_equal_ink_is_drawn_anew():
    draw, calls = drawing()
    ink = [1]
    assert draw(At(ink, "a")) == draw(At(ink, "a")) == "[1] a"
    assert draw(At(ink, "b")) == "[1] b"
    assert draw(At([1], "a")) == "[1] a"
    assert calls == [([1], "a"), ([1], "b"), ([1], "a")]


def test_only_so_many_are_kept_and_a_new_object_at_an_old_address_is_not_taken_for_the_old():
    draw, calls = drawing(most=2)
    for n in range(50):
        assert draw(At([n], "a")) == f"[{n}] a"
    assert len(calls) == 50


@pytest.mark.parametrize("forms", [0, 1, 3])
def test_every_form_that_leaves_has_an_id_of_its_own(forms):
    drawn = "<p>".join([f'name="entry" value="{FRESH_ID}"'] * forms) + "tail"
    first, second = ENTRY.findall(with_fresh_ids(drawn)), ENTRY.findall(with_fresh_ids(drawn))
    assert len({*first, *second}) == 2 * forms
    assert with_fresh_ids(drawn).endswith("tail") and FRESH_ID not in with_fresh_ids(drawn)


def test_two_tablets_on_one_plate_never_send_the_same_entry(school, ida):
    other = school.visitor(school.ida)
    seen = [ENTRY.findall(who.get(school.url).text) for who in (ida, other, ida)]
    everything = [key for page in seen for key in page]
    assert all(seen) and len(set(everything)) == len(everything)


def test_a_plate_shows_what_was_just_written_and_only_the_asker_s_own_token(school, ida):
    before = ida.get(school.url, headers=HTMX).text
    other = school.visitor(school.assistant)
    their = other.get(school.url, headers=HTMX).text
    assert re.findall(r'name="csrf" value="([^"]+)"', before) and not set(
        re.findall(r'name="csrf" value="([^"]+)"', before)
    ) & set(re.findall(r'name="csrf" value="([^"]+)"', their))
    ida.post(f"{school.url}/read", data={"entry": ENTRY.findall(before)[-1], "text": "T 41.0"}, headers=HTMX)
    for who in (ida, other):
        assert "41.0" in who.get(school.url, headers=HTMX).text


def test_a_board_that_was_read_before_sees_whatever_another_process_changed(school, empty_url):
    who = school.ida

    def read():
        return classes.read_class(school.conn, who.account, who.class_id)

    first = read()
    assert read().benches is first.benches, "nothing was written, so nothing is read again"
    with connect(empty_url) as elsewhere:
        run = run_of(elsewhere, who)
        started = read()
        assert [page.id for page in started.benches[0].pages][-1] == run
        type_in(elsewhere, who, run, "dish 32.514")
        written = read()
        assert written.benches[0].pages[-1].entries == started.benches[0].pages[-1].entries + 1
        assert written.last is not None and written.last.at >= first.last.at
        classes.set_benches(elsewhere, who.account, who.class_id, ["Ada and Bo", "Cy and Eve"])
        assert [bench.pair for bench in read().benches] == ["Ada and Bo", "Cy and Eve"]
    assert classes.read_class(school.conn, school.otto.account, who.class_id) is None
