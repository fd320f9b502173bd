"""Drawings that leave their page: for a file of their own, or for paper.

A drawing on a page takes its lines and colours from the page's stylesheet. Alone it has none, so the rules that it uses
are put into it, with the colours themselves in the place of their names. One way for every drawing: a page asked with
``?svg=`` and a drawing's class gives that drawing alone.
"""

from __future__ import annotations

import re
from functools import lru_cache
from urllib.parse import parse_qs

from starlette.datastructures import MutableHeaders
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from helvor.web.rendering import STATIC

_DRAWN = ("fill", "stroke", "font", "opacity", "text-anchor", "paint-order", "letter-spacing", "dominant-baseline")
"""Beginnings of the properties that a drawing takes over; sizes and places on the page stay there."""


@lru_cache(maxsize=1)
def _rules() -> tuple[tuple[str, str], ...]:
    """Selectors and declarations of the stylesheet that draw, colours put in."""
    import tinycss2  # noqa: PLC0415  wanted only when a drawing leaves

    text = (STATIC / "helvor.css").read_text(encoding="utf-8")
    names = dict(re.findall(r"(--[\w-]+):([^;}]+)", text))

    def put(value: str) -> str:
        for _ in range(3):
            value = re.sub(r"var\((--[\w-]+)(?:,([^()]*))?\)", lambda m: str(names.get(m[1], m[2] or "")), value)
        return value

    found: list[tuple[str, str]] = []

    def walk(rules: list[object]) -> None:
        for rule in rules:
            if getattr(rule, "type", "") == "qualified-rule":
                kept = [
                    f"{d.lower_name}:{put(tinycss2.serialize(d.value)).strip()}"
                    for d in tinycss2.parse_blocks_contents(rule.content)  # type: ignore[attr-defined]
                    if d.type == "declaration" and d.lower_name.startswith(_DRAWN)
                ]
                # A halo is a stroke drawn first; whoever does not know paint-order would draw it over the letters.
                if any(one.startswith("paint-order") for one in kept):
                    kept = [one for one in kept if not one.startswith(("paint-order", "stroke"))]
                if kept:
                    selectors = tinycss2.serialize(rule.prelude)  # type: ignore[attr-defined]
                    found.extend((one.strip(), ";".join(kept)) for one in selectors.split(","))
            elif getattr(rule, "type", "") == "at-rule" and rule.lower_at_keyword == "layer" and rule.content:  # type: ignore[attr-defined]
                walk(tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True))  # type: ignore[attr-defined]

    walk(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True))
    return tuple(found)


def standalone(svg: str) -> str:
    """A drawing of a page with all that it needs to be looked at alone."""
    classes = {name for names in re.findall(r'class="([^"]*)"', svg) for name in names.split()}
    tags = set(re.findall(r"<([a-z]+)", svg))
    kept = []
    for selector, declarations in _rules():
        wanted = re.findall(r"\.([\w-]+)", selector)
        bare = set(re.findall(r"(?:^|[\s>+~])([a-z]+)", selector))
        if (wanted or bare & tags) and set(wanted) <= classes and bare <= tags and ":" not in selector:
            kept.append(f"{selector}{{{declarations}}}")
    style = 'text{font-family:"Hyperlegible Next",sans-serif;fill:#17242d}' + "".join(kept)
    head, _, rest = svg.partition(">")
    if "xmlns=" not in head:
        head = head.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
    if " width=" not in head and (box := re.search(r'viewBox="[\d.-]+ [\d.-]+ ([\d.]+) ([\d.]+)"', head)):
        head += f' width="{box[1]}" height="{box[2]}"'
    # Links and what only a screen reader or a finger needs stay on the page.
    rest = re.sub(r"</?a\b[^>]*>", "", rest)
    rest = re.sub(r'\s(?:hx-[\w:-]+|data-[\w-]+|tabindex|role|aria-[\w-]+)="[^"]*"', "", rest)
    return f"{head}><style>{style}</style>{rest}".replace("&nbsp;", "\u00a0")


def find_drawing(markup: str, name: str) -> str | None:
    """The first drawing of a page whose class begins with *name*, or None."""
    for match in re.finditer(r'<svg\b[^>]*\bclass="([^"]*)"', markup):
        if match[1].split()[:1] == [name]:
            depth = 0
            for tag in re.finditer(r"<(/?)svg\b", markup[match.start() :]):
                depth += -1 if tag[1] else 1
                if depth == 0:
                    end = markup.index(">", match.start() + tag.start()) + 1
                    return markup[match.start() : end]
    return None


class Drawings:
    """ASGI middleware: a page asked with ``?svg=name`` answers with its drawing of that class alone."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        asked = parse_qs(scope["query_string"].decode("latin-1")).get("svg") if scope["type"] == "http" else None
        if not asked or scope["method"] != "GET":
            await self.app(scope, receive, send)
            return
        start: Message = {}
        body = bytearray()

        async def keep(message: Message) -> None:
            nonlocal start
            if message["type"] == "http.response.start":
                start = message
                return
            body.extend(message.get("body", b""))
            if message.get("more_body"):
                return
            kind = MutableHeaders(scope=start).get("content-type", "")
            if start["status"] != 200 or not kind.startswith("text/html"):
                await send(start)
                await send({"type": "http.response.body", "body": bytes(body)})
                return
            drawing = find_drawing(body.decode(), asked[0])
            if drawing is None:
                answer = Response("This page has no such drawing.", 404, media_type="text/plain")
            else:
                name = re.sub(r"[^a-z0-9-]", "", asked[0]) or "drawing"
                headers = {"Content-Disposition": f'attachment; filename="{name}.svg"'}
                answer = Response(standalone(drawing), media_type="image/svg+xml", headers=headers)
            await answer(scope, receive, send)

        await self.app(scope, receive, keep)
