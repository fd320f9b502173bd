"""Drills in the browser: answered by a finger on the drawing or by keys, and told why."""

import re

import pytest
from playwright.sync_api import expect

from helvor.core.practice.drills import TOPICS, drill
from helvor.core.record.house_words import in_trade_words
from tests.browser.conftest import violations

SEED = 77


def at(topic, level=1):
    return f"/practice/drills?topic={topic}&level={level}&seed={SEED}"


@pytest.mark.parametrize("topic", TOPICS)
def test_every_topic_is_accessible_and_has_room_on_a_phone(page, topic):
    page.goto(at(topic, 3))
    assert violations(page) == []
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_a_layer_is_picked_on_the_funnel(page):
    page.goto(at("layer"))
    key = drill("layer", 1, SEED).key
    page.locator(f'rect[data-pick="{key}"]').click()
    expect(page.get_by_role("heading", name="Correct", exact=True)).to_be_visible()
    assert violations(page) == []
    page.reload()
    expect(page.get_by_role("heading", name="Correct", exact=True)).to_be_visible()
    page.get_by_role("link", name="Next drill").click()
    expect(page.get_by_text("You see at once")).to_be_visible()


def test_a_plate_is_read_by_dragging_and_by_keys(page):
    case = drill("read", 1, SEED)
    page.goto(at("read"))
    box = page.locator("#drill-plate").bounding_box()
    scale = min(box["width"] / 84, box["height"] / 108)
    middle = box["x"] + box["width"] / 2

    def height_of(mm):
        return box["y"] + box["height"] / 2 + (100 - mm - 50) * scale

    page.mouse.move(middle, height_of(50))
    page.mouse.down()
    page.mouse.move(middle, height_of(case.front), steps=5)
    page.mouse.up()
    assert float(page.locator("#d-front").input_value()) == pytest.approx(case.front, abs=0.6)
    page.locator("#d-spot").focus()
    for _ in range(round(abs(case.spot - 25) / 0.5)):
        page.keyboard.press("ArrowUp" if case.spot > 25 else "ArrowDown")
    front, spot = (float(page.locator(f"#d-{name}").input_value()) for name in ("front", "spot"))
    expect(page.locator('output[for="d-spot"]')).to_have_text(f"{spot:.1f} mm")
    page.get_by_label("Its Rf").fill("seven")
    page.get_by_role("button", name="Answer").click()
    expect(page.get_by_role("alert")).to_contain_text("Enter the Rf as a number")
    assert float(page.locator("#d-front").input_value()) == front
    page.get_by_label("Its Rf").fill(f"{(spot - 10) / (front - 10):.2f}")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Correct", exact=True)).to_be_visible()
    assert violations(page) == []


def test_tubes_are_picked_on_the_rack_by_a_finger_and_by_keys(page):
    page.goto(at("pool"))
    key = drill("pool", 1, SEED).key
    for number in key[:-1]:
        page.locator(".drill-tube").nth(number - 1).click()
    page.get_by_role("checkbox", name=f"Tube {key[-1]}:").focus()
    page.keyboard.press("Space")
    page.get_by_role("button", name="Pool these").click()
    expect(page.get_by_role("heading", name="Correct", exact=True)).to_be_visible()
    assert page.locator(".drill-tube.in-key").count() == len(key)
    assert violations(page) == []


def test_steps_take_their_place_as_they_are_tapped(page):
    page.goto(at("order"))
    case = drill("order", 1, SEED)
    for number in case.key:
        page.locator(f'[data-order="{number}"] label').click()
    assert [page.locator(f"#place-{number}").input_value() for number in case.key] == ["1", "2", "3"]
    page.get_by_role("button", name="Submit this order").click()
    expect(page.get_by_role("heading", name="Correct", exact=True)).to_be_visible()
    page.goto(at("order"))
    first = in_trade_words(case.shown[0].words, "british")
    page.get_by_label(first).select_option("1")
    page.get_by_role("button", name="Submit this order").click()
    expect(page.get_by_role("alert")).to_contain_text("Give each step one place")
    expect(page.get_by_label(first)).to_have_value("1")


def test_a_step_of_the_strip_and_an_arrow_beside_the_plate_are_answers(page):
    page.goto(at("weigh"))
    page.locator(f'.drill-strip [data-pick="{drill("weigh", 1, SEED).key}"]').click()
    expect(page.get_by_role("heading", name="Correct", exact=True)).to_be_visible()
    page.goto(at("eluent"))
    page.locator('.drill-window [data-pick="stronger"]').click()
    right = drill("eluent", 1, SEED).key == "stronger"
    expect(page.get_by_role("heading", name="Correct" if right else "Wrong", exact=True)).to_be_visible()


def test_an_instructor_gives_drills_to_a_class(page):
    page.goto(at("dry"))
    give = page.locator(".drill-give").first
    give.locator("summary").click()
    give.get_by_label("Order of steps").check()
    give.get_by_label("Correct answers").fill("1")
    give.get_by_role("button", name="Set drills").click()
    expect(page.get_by_text(re.compile(r"Set: Order of steps 0 of \d+ done"))).to_be_visible()
