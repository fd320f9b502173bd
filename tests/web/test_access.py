"""Nobody reads or writes what is not theirs: every route, walked from the application's own list."""

import json
from datetime import UTC, datetime
from uuid import uuid4

import pytest
from fastapi import APIRouter
from fastapi.routing import APIRoute

from helvor.exchange import records
from helvor.notebook import accounts, joining
from helvor.web.app import PARTS
from helvor.web.may import May, NotDeclared, check, declared, may
from helvor.web.security import VisitorDep, visitor
from tests.notebook.people import PASSWORD, POWDER
from tests.web.conftest import small_photograph

WAYS_IN = {
    ("GET", "/sign-in"),
    ("POST", "/sign-in"),
    ("GET", "/join"),
    ("POST", "/join"),
    ("GET", "/invitation/{link}"),
    ("POST", "/invitation/{link}"),
    ("GET", "/reset/{link}"),
    ("POST", "/reset/{link}"),
    ("GET", "/health"),
    ("GET", "/ready"),
    ("GET", "/worker.js"),
    ("GET", "/api"),
}
"""Pages that anybody opens: written down here once more, for what a route says of itself may be wrong."""

OWN = {
    ("POST", "/people/password"),
    ("GET", "/"),
    ("GET", "/find"),
    ("GET", "/practice"),
    ("GET", "/practice/plate"),
    ("POST", "/practice/plate/measure"),
    ("GET", "/practice/drills"),
    ("POST", "/practice/drills"),
    ("GET", "/bring-in"),
    ("POST", "/bring-in/import/files"),
    ("GET", "/search"),
    ("GET", "/api/search"),
    ("POST", "/sign-out"),
    ("GET", "/procedures"),
    ("POST", "/procedures"),
    ("POST", "/procedures/import/files"),
    ("GET", "/procedures/handout"),
    ("POST", "/api/handout"),
    ("GET", "/procedures/library"),
    ("GET", "/procedures/library/{name}"),
    ("POST", "/procedures/library/{name}"),
    ("GET", "/procedures/starts"),
    ("GET", "/procedures/starts/{key}"),
    ("POST", "/procedures/starts/{key}"),
    ("GET", "/starts/{key}/ahead"),
    ("POST", "/procedures/handout/files"),
    ("POST", "/procedures/handout/make/files"),
    ("GET", "/house-rules"),
    ("POST", "/house-rules"),
    ("GET", "/reference-data"),
    ("GET", "/reference-data/find"),
    ("POST", "/reference-data"),
    ("GET", "/reference-data/{kind}.csv"),
    ("POST", "/reference-data/import/files"),
    ("GET", "/calculators"),
    ("GET", "/api/calculators"),
    ("POST", "/api/calculators/{key}"),
    ("GET", "/calculators/outline.svg"),
    ("GET", "/calculators/sheet.svg"),
    ("GET", "/calculators/{key}"),
    ("POST", "/api/planar/photo/files"),
    ("POST", "/api/prep/period"),
    ("GET", "/people"),
    ("POST", "/people/invite"),
    ("POST", "/people/institution"),
    ("POST", "/people/sessions/{session_id}/end"),
    ("GET", "/classes"),
    ("POST", "/classes"),
    ("GET", "/notices"),
    ("GET", "/timers"),
    ("POST", "/api/extraction/layers"),
    ("POST", "/api/extraction/drying-agent"),
    ("POST", "/api/extraction/scheme"),
    ("GET", "/devices"),
    ("GET", "/api/devices"),
    ("GET", "/practice/runs"),
    ("POST", "/practice/runs"),
    ("GET", "/devices/{device}/display"),
    ("POST", "/devices/{device}/do"),
    ("GET", "/api/devices/{device}/reading"),
    ("GET", "/api/devices/{device}/picture.jpg"),
}
"""What shows each person their own."""

LAYERS = {
    "/api/extraction/layers": {"liquids": ["diethyl ether 50 mL", "water 20 mL"]},
    "/api/extraction/drying-agent": {"solvent": "diethyl ether", "ml": 50},
    "/api/extraction/scheme": {"parts": ["cinnamic acid", "biphenyl"], "solvent": "diethyl ether", "ml": 50},
}

SAID = {
    (method, route.path): declared(route.endpoint)
    for part in PARTS
    for route in part.router.routes
    if isinstance(route, APIRoute)
    for method in route.methods
}
"""Every route and what it says of who may use it."""
ROUTES = sorted(SAID)
PUBLIC = {route for route, who in SAID.items() if who is May.PUBLIC}
GUARDED = [route for route in ROUTES if route not in PUBLIC]
FOREIGN = [route for route in GUARDED if route not in OWN]


def address(path, school):
    """The route's address with ids of Ida's in it."""
    on_a_run = path.startswith(("/runs", "/api/runs"))
    suffix = "csv" if on_a_run else "json"
    page = school.run if on_a_run else school.tubes_plate if path.endswith(("/tubes", "/answers")) else school.page
    return (
        path.replace("{page_id}", str(page))
        .replace("{class_id}", str(school.ida.class_id))
        .replace("{bench_id}", str(school.ida.bench))
        .replace("{procedure_id}", str(school.procedure))
        .replace("{file_id}", str(school.file))
        .replace("{photo_id}", str(school.photo) if "{photo_id}" in path else "")
        .replace("{device}", "uv-cabinet")
        .replace("{rehearsal_id}", str(school.rehearsal) if "{rehearsal_id}" in path else "")
        .replace("{which}", "shown")
        .replace("{what}", "open")
        .replace("{person_id}", str(school.colleague) if "{person_id}" in path else "")
        .replace("{invitation_id}", str(school.invitation) if "{invitation_id}" in path else "")
        .replace("{session_id}", str(uuid4()))
        .replace("{link}", "nothing")
        .replace("/live", "/live?most=1")
        .replace("edit/{kind}", "edit/noted" if on_a_run else "edit/spot")
        .replace("/find", "/find?q=1" if path == "/find" else "/find")
        .replace("{op}", "head")
        .replace("starts/{key}", "starts/melt")
        .replace("library/{name}", "library/pear-drop-ester")
        .replace("{key}", "paper")
        .replace("{job}", str(school.report) if "{job}" in path else "")
        .replace("{draft}", str(school.draft) if "{draft}" in path else "")
        .replace("{kind}", "paper")
        .replace("{suffix}", suffix)
    )


def body(path, school):
    """A body that would be written, so that a refusal is about who asks and not about the form."""
    if path.endswith("/photo/files"):
        fields = {"entry": str(uuid4()), "width_mm": "50", "height_mm": "100"}
        return {"data": fields, "files": {"file": ("plate.jpg", small_photograph(), "image/jpeg")}}
    if path == "/api/calculators/{key}":
        return {"json": {"diameter": 110}}
    if path in LAYERS:
        return {"json": LAYERS[path]}
    if path == "/practice/drills":
        return {"data": {"entry": str(uuid4()), "topic": "layer", "level": "1", "seed": "1", "picked": "upper"}}
    if path == "/api/prep/period":
        return {"json": {"procedure": POWDER.model_dump(mode="json"), "benches": 2, "runs": 2}}
    if path == "/api/runs/{page_id}/answers":
        return {"json": {"entry": str(uuid4()), "question": "closure", "answer": "98"}}
    if path == "/api/handout":
        return {"json": {"text": "Dissolve 1.0 g of salt in 10 mL of water. Filter."}}
    if path.startswith("/api/"):
        says = {"kind": "noted", "words": "clear"} if "runs" in path else {"kind": "front", "distance": "70.0 mm"}
        return {"json": {"id": str(uuid4()), "says": says}}
    if path.endswith("/import/files"):
        return {"data": {"entry": str(uuid4()), "code": "Z-9"}, "files": {"file": import_of(path, school)}}
    if "/starts/" in path:
        return {"data": {"entry": str(uuid4()), "solid": "acetanilide"}}
    if path.startswith("/procedures/handout"):
        return {"data": {"entry": str(uuid4()), "text": "Dissolve 1.0 g of salt in 10 mL of water. Filter."}}
    if path.endswith("/files"):
        content = (
            POWDER.model_dump_json()
            if path.startswith("/procedures")
            else "kind,name,property,value,source\npaper,mine,ash,1,me\n"
        )
        return {"data": {"entry": str(uuid4())}, "files": {"file": ("file.csv", content)}}
    fields = {
        "entry": str(uuid4()),
        "page": str(uuid4()),
        "lane": "",
        "distance": "70",
        "what": "front",
        "text": "front 70",
    }
    if path == "/plates/{page_id}/answers":
        spot = school.conn.execute(
            "SELECT id FROM entry WHERE page_id = %s AND kind = 'spot' ORDER BY seq LIMIT 1", [school.tubes_plate]
        ).fetchone()
        return {"data": fields | {"question": f"rf {spot[0]}", "answer": "0.55"}}
    if path.endswith("/answers"):
        fields |= {
            "question": "closure",
            "answer": "98",
            "work": "A mixed powder",
            "asked closure": "yes",
            "asked rf": "yes",
        }
    if path.startswith("/runs"):
        fields |= {"kind": "noted", "words": "clear", "text": "note clear", "step": "s1", "says": "Weigh the dish"}
        if path.endswith("/fraction-plate"):
            fields |= {"first": "2", "last": "5"}
        elif path.endswith("/from-plate"):
            fields |= {"plate": str(school.tubes_plate)}
    elif path.startswith("/procedures"):
        fields |= {"op": "add", "kind": "wait", "start": str(uuid4()), "where": str(school.ida.class_id), "draft": "1"}
    elif path.endswith("/containers"):
        fields |= {"what": "new", "label": fields["entry"][:8], "kind": "dish"}
    elif path.endswith("/prep/done"):
        fields |= {"meeting": "1", "procedure": str(school.procedure), "line": "make water", "done": "true"}
    elif path.endswith("/prep/made"):
        fields |= {
            "meeting": "1",
            "procedure": str(school.procedure),
            "line": "make water",
            "mass": "1",
            "volume": "10",
            "label": fields["entry"][:8],
        }
    elif path.endswith("/prep/kit"):
        fields |= {"name": "balance", "count": "3"}
    elif path.endswith("/log"):
        fields |= {"kind": "broke", "what": "a beaker"}
    elif path.endswith("/set-up"):
        fields |= {"what": "names", "code": "A-1", "title": "A class"}
    elif path.endswith("/unknowns"):
        fields |= {"what": "keep", "series": "Powders", "samples": "1: sand 40 %, salt 60 %"}
    elif path.startswith("/people"):
        fields |= {
            "old": PASSWORD,
            "new": PASSWORD,
            "email": f"{fields['entry'][:8]}@example.org",
            "role": "assistant",
            "name": "Ida's school",
            "time_zone": "Europe/London",
        }
    elif path == "/classes":
        fields |= {"code": fields["entry"][:8], "title": "Another", "benches": "3"}
    elif path.endswith("/import/{draft}"):
        fields |= {"meaning": "bench", "sort": "readings", "work": "A mixed powder", "what": "look"}
    elif path.endswith("/accept"):
        fields |= {"front": "yes"}
    elif path.startswith("/practice/runs"):
        fields |= {"story": "crystals", "decision": "water", "choice": "least"}
    elif path == "/reference-data":
        fields |= {"kind": "paper", "item": "mine", "key": "ash", "value": "1", "source": "the box"}
    else:
        fields["kind"] = "front"
    return {"data": fields}


def import_of(path, school):
    """A file that can come in: a class's record under New class, else a line of readings."""
    if path.startswith(("/procedures", "/reference-data")):
        text = (
            POWDER.model_dump_json()
            if path.startswith("/procedures")
            else "kind,name,property,value,source\npaper,mine,ash,1,me\n"
        )
        return ("file.csv", text)
    if path.startswith("/bring-in"):
        record = records.class_record(school.conn, school.otto.account, school.otto.class_id, datetime.now(UTC))
        return ("class.json", json.dumps(record | {"class": record["class"] | {"id": str(uuid4())}}))
    return ("readings.csv", "bench,note\n1,clear\n")


def ask(client, method, path, school):
    extra = body(path, school) if method == "POST" else {}
    if path == "/people/{person_id}/classes":
        extra["data"]["classes"] = str(school.ida.class_id)
    return client.request(method, address(path, school), **extra)


def test_every_route_is_walked():
    # A router within a router would hide its routes from the list above.
    assert all(isinstance(route, APIRoute) for part in PARTS for route in part.router.routes)
    assert len(ROUTES) == len(set(ROUTES)) > 100


def test_the_lists_name_real_routes():
    assert set(ROUTES) >= PUBLIC | OWN
    assert len(FOREIGN) > 30
    assert {("POST", "/runs/{page_id}/files"), ("GET", "/runs/{page_id}/files/{file_id}")} <= set(FOREIGN)


def test_what_is_public_computes_and_keeps_nothing_or_lets_somebody_in():
    assert {route for route in PUBLIC if not route[1].startswith("/api/")} == WAYS_IN
    assert not [path for _, path in PUBLIC if "_id}" in path or "search" in path or "records" in path]


@pytest.mark.parametrize("who", [None, *May])
@pytest.mark.parametrize("asks", [True, False])
def test_a_route_that_does_not_say_or_does_not_ask_who_does_not_start(who, asks):
    router = APIRouter()

    def asked(who: VisitorDep) -> str:
        return "yes"

    def unasked() -> str:
        return "yes"

    endpoint = asked if asks else unasked
    router.get("/new")(may(who)(endpoint) if who is not None else endpoint)
    if who is not None and (who is not May.PUBLIC) == asks:
        check(router.routes, visitor)
    else:
        with pytest.raises(NotDeclared, match="GET /new"):
            check(router.routes, visitor)


def test_nobody_does_what_a_route_says_is_not_theirs(school):
    """Every route with real ids of the own class, for whoever its declaration leaves out."""
    assistant, tablet = school.visitor(school.assistant), joined(school)
    assert school.file and school.photo and school.procedure and school.tubes_plate and school.rehearsal
    tried, entries = 0, school.entries()
    for (method, path), who in sorted(SAID.items()):
        for client, role, status in ((assistant, "assistant", 403), (tablet, "bench", 404)):
            if not who.role(role):
                answer = ask(client, method, path, school)
                assert answer.status_code == status, (role, method, path, answer.status_code)
                tried += 1
    assert tried > 110 and school.entries() == entries


def joined(school):
    """A tablet of Ida's bench."""
    with school.app.state.pool.connection() as conn:
        code = joining.open_code(conn, school.ida.account, school.ida.class_id).code
    client = school.visitor()
    token = client.get("/join").cookies["helvor_form"]
    assert client.post("/join", data={"code": code, "number": "1", "token": token}).status_code == 303
    client.headers["X-CSRF-Token"] = client.cookies["helvor_csrf"]
    return client


@pytest.mark.parametrize("kind", ["page", "htmx"])
def test_without_a_session_nothing_opens(school, kind):
    client = school.visitor()
    if kind == "htmx":
        client.headers["HX-Request"] = "true"
    for method, path in GUARDED:
        answer = ask(client, method, path, school)
        to_sign_in = answer.status_code == 303 and answer.headers["location"].startswith("/sign-in")
        assert to_sign_in or answer.status_code == 401, (method, path, answer.status_code)


def test_another_instructor_finds_nothing_and_writes_nothing(school):
    otto = school.visitor(school.otto)
    assert school.file and school.tubes_plate and school.rehearsal
    entries, pages = school.entries(), school.conn.execute("SELECT count(*) FROM page").fetchone()
    for method, path in FOREIGN:
        answer = ask(otto, method, path, school)
        assert answer.status_code == 404, (method, path, answer.status_code, answer.text[:200])
        assert "Ada and Bo" not in answer.text
    assert school.entries() == entries
    assert school.conn.execute("SELECT count(*) FROM page").fetchone() == pages
    assert school.conn.execute("SELECT count(*) FROM procedure_draft").fetchone() == (1,)
    for table in ("container", "room_entry", "unknown_sample"):
        assert school.conn.execute(f"SELECT count(*) FROM {table}").fetchone() == (0,), table
    assert school.conn.execute("SELECT role FROM account WHERE id = %s", [school.colleague]).fetchone() == (
        "assistant",
    )


def test_their_owner_may_do_all_of_it(school, ida):
    for method, path in [*FOREIGN, *OWN]:
        if path == "/sign-out":
            continue
        answer = ask(ida, method, path, school)
        assert answer.status_code in (200, 303), (method, path, answer.status_code, answer.text[:300])


def test_an_assistant_works_with_the_benches_and_decides_nothing(school):
    """Every route, asked for by an assistant of Ida's class: hers, or refused as an instructor's, never an error."""
    assistant = school.visitor(school.assistant)
    refused = set()
    for method, path in FOREIGN:
        answer = ask(assistant, method, path, school)
        assert answer.status_code in (200, 303, 403, 404), (method, path, answer.status_code, answer.text[:200])
        if answer.status_code == 403:
            refused.add((method, path))
    assert {
        ("POST", "/procedures/{procedure_id}"),
        ("GET", "/classes/{class_id}/unknowns"),
        ("POST", "/classes/{class_id}/unknowns"),
        ("POST", "/classes/{class_id}/set-up"),
        ("POST", "/people/{person_id}/role"),
        ("POST", "/runs/{page_id}/handout"),
        ("POST", "/runs/{page_id}/keep"),
    } - {(m, p) for m, p in refused} <= {("POST", "/procedures/{procedure_id}")}
    assert not refused & {
        ("POST", "/runs/{page_id}/entries"),
        ("GET", "/classes/{class_id}"),
        ("POST", "/classes/{class_id}/log"),
    }
    assert all(
        ask(assistant, method, path, school).status_code == 403
        for method, path in (
            ("POST", "/procedures"),
            ("POST", "/reference-data"),
            ("POST", "/house-rules"),
            ("POST", "/people/invite"),
            ("POST", "/classes"),
        )
    )
    page = assistant.get("/people").text
    assert "Active sign-ins" in page and "Account log" not in page


def test_a_forged_write_is_refused(school, ida):
    assert school.file and school.tubes_plate and school.rehearsal
    token, before = ida.headers.pop("X-CSRF-Token"), school.entries()
    for method, path in GUARDED:
        if method != "POST":
            continue
        for headers in (
            {},
            {"X-CSRF-Token": "guess"},
            {"X-CSRF-Token": token, "Origin": "https://elsewhere.example"},
            {"X-CSRF-Token": token, "Sec-Fetch-Site": "cross-site"},
        ):
            answer = ida.post(address(path, school), headers=headers, **body(path, school))
            assert answer.status_code == 403, (path, headers)
    assert school.entries() == before
    assert ida.get("/").status_code == 200


def test_a_demo_account_has_no_session_off_loopback(school, ida):
    school.conn.execute("UPDATE account SET is_demo = true")
    accounts.sessions_changed()  # the database was changed behind the application's back
    assert ida.get("/").status_code == 200
    object.__setattr__(school.app.state.settings, "loopback", False)
    assert ida.get("/").status_code == 303


def test_only_our_own_host_names_are_answered(school):
    client = school.visitor()
    assert client.get("/sign-in", headers={"Host": "rebound.example"}).status_code == 400


def test_every_answer_carries_the_security_headers(school, ida):
    for path in ("/", "/sign-in", school.url, "/static/helvor.css", "/nowhere"):
        headers = ida.get(path).headers
        assert "script-src 'self'" in headers["content-security-policy"], path
        assert "unsafe" not in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
    assert ida.get(school.url).headers["cache-control"] == "no-store"


def test_the_session_cookie_is_kept_from_scripts(school):
    client = school.visitor()
    token = client.get("/sign-in").cookies["helvor_form"]
    data = {"email": school.ida.email, "password": "correct horse battery", "token": token}
    cookies = client.post("/sign-in", data=data).headers.get_list("set-cookie")
    session = next(c for c in cookies if c.startswith("helvor_session="))
    assert "HttpOnly" in session
    assert "SameSite=lax" in session


@pytest.mark.parametrize(
    ("after", "goes"),
    [
        ("/find?q=1", "/find?q=1"),
        ("https://elsewhere.example/", "/"),
        ("//elsewhere.example", "/"),
        ("/\\elsewhere", "/"),
    ],
)
def test_a_sign_in_leads_only_to_our_own_pages(school, after, goes):
    client = school.visitor()
    token = client.get("/sign-in").cookies["helvor_form"]
    data = {"email": school.ida.email, "password": "correct horse battery", "token": token, "after": after}
    assert client.post("/sign-in", data=data).headers["location"] == goes


def test_a_wrong_password_gets_the_same_words_for_everybody(school):
    client = school.visitor()
    token = client.get("/sign-in").cookies["helvor_form"]
    answers = [
        client.post("/sign-in", data={"email": email, "password": "wrong", "token": token})
        for email in (school.ida.email, "nobody@example.org")
    ]
    assert [answer.status_code for answer in answers] == [422, 422]
    assert answers[0].text.replace(school.ida.email, "") == answers[1].text.replace("nobody@example.org", "")
    for _ in range(8):
        last = client.post("/sign-in", data={"email": school.ida.email, "password": "wrong", "token": token})
    assert last.status_code == 429
    assert client.post("/sign-in", data={"email": "a", "password": "b", "token": "guess"}).status_code == 403
