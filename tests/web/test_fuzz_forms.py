"""Every form of every page, filled with whatever can be typed or sent, with a seed: nothing ends in a 5xx."""

import os
import random
import re
from collections import Counter
from html.parser import HTMLParser
from urllib.parse import parse_qsl, urlencode, urljoin, urlsplit
from uuid import uuid4

import pytest
from starlette.testclient import TestClient

from helvor import demo
from helvor.notebook import joining
from tests.web.conftest import over
from tests.web.test_fuzz import WORDS

TYPED = (
    *WORDS,
    "0",
    "-1",
    "1e308",
    "1e-320",
    "99999999999999999999",
    "32.514",
    "32,514",
    "3 x 5 mL",
    "5 mg",
    "250 mL",
    "T 41.0",
    "dish 3 32.514",
    "yes",
    "on",
    "other",
    "<b>",
    "'",
    '"; --',
    "50 %",
    "1.5 h",
    "00:00",
    "2026-02-31",
    "9" * 100_000,
)
LEFT_ALONE = ("/sign-out", "/people/sessions", "/static", "/api")
SEED, PER_FORM, MOST_PAGES = 22, min(8, int(os.environ.get("HELVOR_FUZZ", "2000")) // 500), 260


class Forms(HTMLParser):
    """Links and forms of a page; a form is its method, its address, whether it takes files, and its fields."""

    def __init__(self, base):
        super().__init__()
        self.base, self.links, self.forms, self.form, self.choices = base, [], [], None, None

    def handle_starttag(self, tag, attributes):
        has = dict(attributes)
        if tag == "a" and has.get("href"):
            self.links.append(urljoin(self.base, has["href"]).partition("#")[0])
        for asked in ("hx-get",):
            if has.get(asked):
                self.links.append(urljoin(self.base, has[asked]))
        if tag == "form":
            self.form = {
                "method": has.get("method", "get"),
                "action": urljoin(self.base, has.get("action") or self.base),
                "files": "multipart" in (has.get("enctype") or ""),
                "fields": [],
            }
            self.forms.append(self.form)
        elif tag in ("input", "textarea", "select", "button") and has.get("name") and self.form is not None:
            self.choices = [has.get("value") or ""]
            self.form["fields"].append((has["name"], has.get("type", tag), self.choices))
        elif tag == "option" and self.choices is not None and has.get("value"):
            self.choices.append(has["value"])

    def handle_endtag(self, tag):
        if tag == "form":
            self.form = None


def shape(address):
    """An address without what tells one page from another of its kind."""
    parts = urlsplit(address)
    path = re.sub(r"[0-9a-f]{8}-[0-9a-f-]{27}", "*", parts.path)
    path = re.sub(r"/\d+(?=/|$|\.)", "/*", path)
    return path + "?" + "&".join(sorted({name for name, _ in parse_qsl(parts.query)}))


def forms_of(client):
    """Every kind of form that is met on the way through every kind of page, and links that are asked for."""
    seen, forms, waiting, pages = set(), {}, ["/"], 0
    while waiting and pages < MOST_PAGES:
        address = waiting.pop(0)
        if shape(address) in seen or address.startswith(LEFT_ALONE):
            continue
        seen.add(shape(address))
        answer = client.get(address)
        pages += 1
        assert answer.status_code < 500, address
        if answer.status_code == 303:
            waiting.append(answer.headers["location"])
        if "text/html" not in answer.headers.get("content-type", ""):
            continue
        page = Forms(address)
        page.feed(answer.text)
        waiting += [link for link in page.links if link.startswith("/")]
        for form in page.forms:
            kind = next((values[0] for name, _, values in form["fields"] if name in ("kind", "what", "action")), "")
            key = (form["method"], shape(form["action"]), kind, tuple(sorted({name for name, _, _ in form["fields"]})))
            if not form["action"].startswith(LEFT_ALONE):
                forms.setdefault(key, form)
    return list(forms.values())


def filled(form, chance, csrf):
    """The form's fields: some as they are, some out of their choices, some with anything at all, some left out."""
    fields, files = [], {}
    for name, kind, choices in form["fields"]:
        luck = chance.random()
        if kind == "file":
            content = chance.choice(
                [b"", b"\x00" * 50, b"bench,mass\n1,2\n", b"\xff\xd8\xff\xe0broken", b"PK\x03\x04", b"{}"]
            )
            files[name] = (chance.choice(["a.csv", "a.png", "\x00.jpg", "x" * 300]), content)
        elif name == "csrf":
            fields.append((name, csrf))
        elif name in ("entry", "key", "page", "edit") and luck < 0.8:
            fields.append((name, str(uuid4())))
        elif luck < 0.6:
            fields.append((name, chance.choice(choices)))
        elif luck < 0.92:
            fields.append((name, chance.choice(TYPED)))
        if chance.random() < 0.03:
            fields.append((name, chance.choice(TYPED)))
    if form["method"] == "post" and chance.random() < 0.06:
        files[chance.choice(form["fields"])[0] if form["fields"] else "entry"] = ("a.txt", b"not words")
    return fields, files


def join(client, app):
    """As a tablet of the demo class's bench 3."""
    with app.state.pool.connection() as conn:
        teacher, class_id = conn.execute(
            "SELECT t.account_id, c.id FROM class c JOIN instructor_of t ON t.class_id = c.id"
            " WHERE c.archived_at IS NULL ORDER BY (SELECT count(*) FROM bench WHERE class_id = c.id) DESC LIMIT 1"
        ).fetchone()
        code = joining.open_code(conn, teacher, class_id).code
    token = client.get("/join").cookies["helvor_form"]
    assert client.post("/join", data={"code": code, "number": "3", "token": token}).status_code == 303


@pytest.fixture(params=[("instructor", 150), ("bench", 25)], ids=["instructor", "bench"])
def client(request, demo_url, server, application):
    identity, request.node.forms = request.param
    with (
        over(application, server, demo_url) as app,
        TestClient(app, base_url="http://127.0.0.1", follow_redirects=False, raise_server_exceptions=False) as client,
    ):
        if identity == "bench":
            join(client, app)
        else:
            token = client.get("/sign-in").cookies["helvor_form"]
            client.post("/sign-in", data={"email": demo.EMAIL, "password": demo.PASSWORD, "token": token})
        yield client


def test_no_form_breaks_the_server(client, request):
    forms = forms_of(client)
    assert len(forms) > request.node.forms
    chance, met, broken = random.Random(SEED), Counter(), {}
    csrf = client.cookies["helvor_csrf"]
    for _ in range(PER_FORM):
        for form in forms:
            fields, files = filled(form, chance, csrf)
            fields = [(name, value.encode("utf-8", "surrogatepass")) for name, value in fields]
            headers = {"HX-Request": "true"} if chance.random() < 0.5 else {}
            if form["method"] == "get":
                asked = urlencode([(name, value[:300]) for name, value in fields])
                answer = client.get(f"{form['action'].partition('?')[0]}?{asked}", headers=headers)
            elif files or form["files"]:
                data = dict(fields)
                answer = client.post(form["action"], data=data, files=files or {"x": ("", b"")}, headers=headers)
            else:
                headers |= {"content-type": "application/x-www-form-urlencoded"}
                answer = client.post(form["action"], content=urlencode(fields).encode(), headers=headers)
            met[answer.status_code] += 1
            if answer.status_code >= 500:
                broken.setdefault((shape(form["action"]), answer.status_code), (form["action"], fields, files))
    assert broken == {}
    assert met[422] > 7 * PER_FORM and met[200] + met[303] > 5 * PER_FORM, met
