"""The board's stream: what it says, when, and to whom."""

import threading
import time

from helvor.bench.planar import plate as planar
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


def test_nobody_elses_class_can_be_followed(school):
    assert school.visitor(school.otto).get(f"/classes/{school.ida.class_id}/live?most=1").status_code == 404
    assert school.visitor().get(f"/classes/{school.ida.class_id}/live?most=1").status_code in (303, 401)
