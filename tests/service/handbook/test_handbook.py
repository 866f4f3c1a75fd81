"""The handbook: every page is served, every link leads somewhere, what is looked for is found, nothing is markup."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

import httpx
from tests.conftest import PATIENCE, Live

from caddrel.service.handbook.pages import ROOT, Handbook, folder


class _Links(HTMLParser):
    def __init__(self, html: str) -> None:
        super().__init__()
        self.links: list[str] = []
        self.ids: list[str] = []
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        del tag
        self.links += [value for name, value in attrs if name in {"href", "src"} and value]
        self.ids += [value for name, value in attrs if name == "id" and value]


def test_every_link_leads_to_a_page_and_to_a_place_on_it() -> None:
    handbook = Handbook(folder())
    read = {name: _Links(page.html) for name, page in handbook.pages.items()}
    assert len(read) > 50
    for name, page in read.items():
        assert len(page.ids) == len(set(page.ids)), name
        for link in page.links:
            path, _, anchor = link.partition("#")
            if path.startswith(f"{ROOT}/pictures/"):
                assert handbook.picture(path.rpartition("/")[2]) is not None, (name, link)
            elif not path.startswith("https:"):
                target = path.removeprefix(f"{ROOT}/") or name
                assert target in read, (name, link)
                assert not anchor or anchor in read[target].ids, (name, link)


def test_every_code_can_be_linked_to() -> None:
    source = folder() / "diagnostics.md"
    codes = set(re.findall(r"^\| `([a-z-]+)` \|", source.read_text(encoding="utf-8"), re.M))
    assert codes <= set(_Links(Handbook(folder()).pages["diagnostics"].html).ids)


def test_words_are_found_in_headings_first_and_only_together() -> None:
    handbook = Handbook(folder())
    hits = handbook.search("Forty days of SHADOW")
    assert hits == []
    hits = handbook.search("shadow policies")
    assert hits
    assert all("shadow" in f"{h.page.title} {h.section.heading} {h.section.text}".casefold() for h in hits)
    assert handbook.search("   ") == []


def test_what_a_page_holds_is_text(tmp_path: Path) -> None:
    (tmp_path / "page.md").write_text(
        "# A <b>title</b>\n\n<script>alert(1)</script>\n\n"
        "[x](javascript:alert(1)) [y](../../etc/passwd) [z](page.md#a)\n\n"
        "## Same\n\n## Same\n",
        encoding="utf-8",
    )
    page = Handbook(tmp_path).pages["page"]
    assert "<script>" not in page.html
    assert "<b>" not in page.html
    assert "javascript:" not in "".join(_Links(page.html).links)
    assert _Links(page.html).links == ["/docs/page#a"]
    assert {"same", "same-2"} <= set(_Links(page.html).ids)


def test_it_is_served_to_anybody_and_errors_lead_to_it(vacant: Live) -> None:
    with httpx.Client(base_url=vacant.url, verify=False, timeout=PATIENCE) as anybody:
        contents = anybody.get("/docs")
        assert contents.status_code == 200
        assert "default-src 'none'" in contents.headers["Content-Security-Policy"]
        for page in ("reference", "lint", "lint/no-effect", "adr"):
            assert anybody.get(f"/docs/{page}").status_code == 200
        missing = anybody.get("/docs/no/such/page")
        assert (missing.status_code, "There is no such page" in missing.text) == (404, True)
        asked = anybody.get("/docs", params={"q": "<script>alert(1)</script>"})
        assert "<script>" not in asked.text
        assert anybody.get("/docs/pictures/..%2f..%2fpyproject.toml").status_code == 404
        assert anybody.get("/docs/handbook.css").headers["Content-Type"].startswith("text/css")
        problem = anybody.get("/api/v1/rulebook").json()
        page, _, anchor = problem["type"].partition("#")
        assert f'id="{anchor}"' in anybody.get(page).text
