"""Where the handbook is reached: `/docs`, its pages, a search. Open to anybody: it says nothing of anybody's data."""

from __future__ import annotations

from pathlib import Path

from flask import Flask, Response, request, send_file
from jinja2 import Template

from caddrel.service.handbook.pages import ROOT, Handbook, Page
from caddrel.service.problems import not_found

_HERE = Path(__file__).parent
_LONGEST_SEARCH = 200
# What somebody looks for, in the order of the day; pages that stand in none of them are about how it is built.
_PARTS = {
    "Using it": (
        "your-own-company", "demo", "rulebook", "language", "rehearsing", "inventory", "publishing", "proving",
        "before-you-enforce", "watching", "reviewing", "log", "logs-from-elsewhere",
    ),
    "Looking it up": ("reference", "diagnostics", "lint", "client-library", "glossary"),
    "Running it": ("operating", "door", "security", "scale", "benchmarks"),
}  # fmt: skip


def serve_handbook(app: Flask, handbook: Handbook) -> None:
    """Add the handbook's routes to an app."""
    template: list[Template] = []

    def shown(status: int = 200, **context: object) -> Response:
        if not template:
            # Compiled once, and only where somebody reads: it takes as long as ten requests.
            template.append(app.jinja_env.from_string((_HERE / "page.html").read_text(encoding="utf-8")))
        text = template[0].render(root=ROOT, parts=_parts(handbook), **context)
        return Response(text, status, mimetype="text/html")

    @app.get(ROOT)
    def handbook_contents() -> Response:
        words = request.args.get("q", "")[:_LONGEST_SEARCH]
        if words.strip():
            return shown(title=f"“{words}” in the docs", asked=words, hits=handbook.search(words))
        return shown(title="Docs", contents=True)

    @app.get(f"{ROOT}/handbook.css")
    def handbook_style() -> Response:
        return send_file(_HERE / "handbook.css", max_age=3_600)

    @app.get(f"{ROOT}/pictures/<name>")
    def handbook_picture(name: str) -> Response:
        file = handbook.picture(name)
        if file is None:
            raise not_found("picture of that name")
        return send_file(file, max_age=3_600)

    @app.get(f"{ROOT}/<path:name>")
    def handbook_page(name: str) -> Response:
        page = handbook.pages.get(name)
        if page is None:
            return shown(404, title="There is no such page", contents=True)
        return shown(title=page.title, page=page)


def _parts(handbook: Handbook) -> list[tuple[str, list[Page]]]:
    """Return the pages by part, each part in its order."""
    pages = handbook.pages
    named = [(part, [pages[name] for name in names if name in pages]) for part, names in _PARTS.items()]
    listed = {page.name for _, part in named for page in part}
    rest = [page for page in pages.values() if page.name not in listed and not page.name.startswith("lint/")]
    return [*named, ("How it is built", rest)]
