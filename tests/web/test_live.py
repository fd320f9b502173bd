"""The board's stream: what it says, when, and to whom."""

import threading
import time
from uuid import uuid4

from helvor.core.engine.run.entries import Noted
from helvor.core.techniques.planar import plate as planar
from helvor.notebook import classes, pages
from helvor.notebook.pages import Draft
from tests.notebook.people import mm, write


def stream(client, url, most):
    got = []
    with client.stream("GET", f"{url}?most={most}") as answer:
        assert answer.status_code == 200
        assert answer.headers["content-type"].startswith("text/event-stream")
        got += [(line.removeprefix("data: "), time.monotonic()) for line in answer.iter_lines() if line]
    return got


def test_it_says_at_once_how_much_is_written_and_again_within_a_second(school, ida):
    url = f"/classes/{school.ida.class_id}/live"
    board = ida.get(f"/classes/{school.ida.class_id}").text
    written = []

    def later():
        time.sleep(0.8)
        written.append(time.monotonic())
        write(school.conn, school.ida, school.page, planar.Front(distance=mm(70)))

    thread = threading.Thread(target=later)
    thread.start()
    (first, _), (second, heard) = stream(ida, url, 2)
    thread.join()
    assert f'data-seen="{first}"' in board
    assert first != second
    assert heard - written[0] < 1.5
    assert f'data-seen="{second}"' in ida.get(f"/classes/{school.ida.class_id}").text


def test_it_says_again_when_the_summary_of_what_was_written_has_caught_up(school):
    who, run = school.ida, school.run
    states = [classes.state_of(school.conn, who.account, who.class_id)]
    draft = Draft(uuid4(), Noted(words="clear"))
    written = pages.write(school.conn, who.account, who.name, run, lambda _: [draft])
    states.append(classes.state_of(school.conn, who.account, who.class_id))
    assert pages.keep_up(school.conn, written.page, written.entries)
    states.append(classes.state_of(school.conn, who.account, who.class_id))
    assert len(set(states)) == 3


def test_nobody_elses_class_can_be_followed(school):
    assert school.visitor(school.otto).get(f"/classes/{school.ida.class_id}/live?most=1").status_code == 404
    assert school.visitor().get(f"/classes/{school.ida.class_id}/live?most=1").status_code in (303, 401)
