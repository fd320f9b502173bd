"""The JSON interface under whatever can be sent: made from its own description, with a seed. Nothing ends in a 5xx."""

import json
import os
import random
from collections import Counter
from uuid import uuid4

import pytest
from starlette.testclient import TestClient

CALLS = int(os.environ.get("HELVOR_FUZZ", "2000"))
NUMBERS = (
    0,
    -0.0,
    1,
    2,
    0.5,
    10,
    50,
    100.0,
    -1,
    -273.15,
    5e-324,
    1e-320,
    1e-30,
    1e16,
    1e300,
    1.7e308,
    -1.7e308,
    2**31,
    2**63,
    2**70,
)
WORDS = (
    "",
    " ",
    "\x00",
    "a\x00b",
    "\ud800",
    "ä" * 300,
    "1e999 g",
    "5 g",
    "10 mL",
    "1,5 g",
    "NaCl",
    "C7H6O2",
    "water",
    "ether",
    "hexane : ethyl acetate 4 : 1",
    "NaCl + AgNO3 -> AgCl + NaNO3",
    "((((",
    "9" * 400,
    "-5 mm",
    "∞",
    "nan",
    "\u202e",
    "2026-12-01",
)


class Maker:
    """Values after a schema, mostly of its shape, sometimes of none."""

    def __init__(self, description, seed):
        self.parts, self.chance = description["components"]["schemas"], random.Random(seed)

    def value(self, schema, depth=0):
        chance = self.chance
        if "$ref" in schema:
            schema = self.parts[schema["$ref"].rpartition("/")[2]]
        if chance.random() < 0.03:
            return chance.choice([None, True, [], {}, "x", -1, 1e308, [[[]]]])
        for key in ("anyOf", "oneOf", "allOf"):
            if key in schema:
                return self.value(chance.choice(schema[key]), depth)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema and chance.random() < 0.9:
            return chance.choice(schema["enum"])
        if chance.random() < 0.15 and ("default" in schema or schema.get("examples")):
            return chance.choice([schema.get("default"), *schema.get("examples", [])])
        match schema.get("type"):
            case "object":
                return self.object(schema, depth)
            case "array":
                least = schema.get("minItems", 0)
                items = schema.get("items", schema.get("prefixItems", [{}])[0] if schema.get("prefixItems") else {})
                if "prefixItems" in schema:
                    return [self.value(one, depth + 1) for one in schema["prefixItems"]]
                return [
                    self.value(items, depth + 1) for _ in range(least + chance.choice([0, 1, 1, 2, 3]) * (depth < 5))
                ]
            case "integer":
                return chance.choice(
                    [0, 1, 2, 3, 5, 12, -1, 2**31, 2**63, schema.get("minimum", 1), schema.get("maximum", 9)]
                )
            case "number":
                low, high = schema.get("minimum", schema.get("exclusiveMinimum", 0.0)), schema.get("maximum", 100.0)
                inside = low + (high - low) * chance.random()
                return chance.choice([inside, inside, low, high, *chance.sample(NUMBERS, 3)])
            case "boolean":
                return chance.random() < 0.5
            case "null":
                return None
        if schema.get("format") == "uuid":
            return str(uuid4())
        return chance.choice(WORDS)

    def object(self, schema, depth):
        needed = schema.get("required", [])
        made = {
            name: self.value(part, depth + 1)
            for name, part in schema.get("properties", {}).items()
            if name in needed or (depth < 6 and self.chance.random() < 0.6)
        }
        extra = schema.get("additionalProperties")
        if isinstance(extra, dict) and depth < 6:
            made |= {
                self.chance.choice(WORDS)[:20] or "x": self.value(extra, depth + 1)
                for _ in range(self.chance.randrange(3))
            }
        return made


def unraised(client):
    """The same client, to which a fault is an answer of 500, as it is to a browser."""
    return TestClient(
        client.app,
        base_url="http://127.0.0.1",
        raise_server_exceptions=False,
        headers=client.headers,
        cookies=dict(client.cookies),
        follow_redirects=False,
    )


def test_no_made_up_call_of_the_json_interface_ends_in_5xx(school, ida):
    """Ten thousand with HELVOR_FUZZ=10000."""
    client = school.visitors.enter_context(unraised(ida))
    description = ida.get("/api/openapi.json").json()
    maker = Maker(description, 22)
    routes = [(path, verb, what) for path, verbs in description["paths"].items() for verb, what in verbs.items()]
    broken, answered = {}, Counter()
    for number in range(CALLS):
        path, verb, what = routes[number % len(routes)]
        query = {}
        for part in what.get("parameters", []):
            said = maker.value(part["schema"])
            if part["in"] == "path":
                path = path.replace("{" + part["name"] + "}", f"{said}".replace("/", "_").replace("\x00", "") or "x")
            elif part["in"] == "query" and said is not None:
                query[part["name"]] = f"{said}".encode("utf-8", "replace").decode()
        content = what.get("requestBody", {}).get("content", {})
        body = maker.value(content["application/json"]["schema"]) if "application/json" in content else None
        sent = json.dumps(body) if body is not None else None
        path = path.encode("utf-8", "replace").decode()
        answer = client.request(verb, path, params=query, content=sent, headers={"Content-Type": "application/json"})
        answered[answer.status_code] += 1
        if answer.status_code >= 500:
            broken.setdefault((verb, routes[number % len(routes)][0]), (query, sent[:400] if sent else None))
    assert broken == {}
    assert answered[200] > CALLS / 20 and answered[422] > CALLS / 5


@pytest.mark.parametrize(
    ("path", "form"),
    [
        ("/sign-in", {"email": "a\x00b@c.d", "password": "x\x00"}),
        ("/sign-in", {"email": "\x00", "password": ""}),
        ("/join", {"code": "A\x00B", "bench": "1"}),
        ("/join", {"code": "\x00\x00\x00\x00", "bench": "\x00"}),
    ],
)
def test_no_text_of_a_stranger_breaks_a_door(school, path, form):
    door = TestClient(school.visitor().app, raise_server_exceptions=False, base_url="http://127.0.0.1")
    door.get(path)
    assert 200 <= door.post(path, data=form, headers={"Origin": "http://127.0.0.1"}).status_code < 500


def test_a_file_where_words_belong_is_refused(school, ida):
    client = unraised(ida)
    url = f"/classes/{school.ida.class_id}/log"
    sent = client.post(url, files={"entry": ("a.txt", b"x"), "kind": ("b.txt", b"began")})
    assert sent.status_code == 422
