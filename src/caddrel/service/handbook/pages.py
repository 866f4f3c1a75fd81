"""The pages of the handbook: read from Markdown, made into HTML, searched.

Not here: how they are reached (`routes`).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path, PurePosixPath
from sysconfig import get_path
from urllib.parse import urlsplit

from markdown_it import MarkdownIt
from markdown_it.token import Token

ROOT = "/docs"
_CODE = re.compile(r"[a-z][a-z0-9-]*")
_MOST_HITS = 50
_MOST_WORDS = 8


@dataclass(frozen=True, slots=True)
class Section:
    """A part of a page under one heading: what a search finds."""

    heading: str
    anchor: str
    text: str


@dataclass(frozen=True, slots=True)
class Page:
    """One page: its name is its path without the ending, such as ``lint/no-effect``."""

    name: str
    title: str
    html: str
    sections: tuple[Section, ...]


@dataclass(frozen=True, slots=True)
class Hit:
    """A section that has all words asked for, and the words around the first of them."""

    page: Page
    section: Section
    excerpt: str


def folder() -> Path:
    """Return where the Markdown is: beside the sources, else with the data of what is installed."""
    beside = Path(__file__).parents[4] / "docs"
    return beside if (beside / "reference.md").is_file() else Path(get_path("data")) / "share" / "caddrel" / "docs"


class Handbook:
    """The pages of a folder, read once."""

    def __init__(self, source: Path) -> None:
        self._source = source

    @cached_property
    def pages(self) -> dict[str, Page]:
        """Every page by its name."""
        files = sorted(self._source.rglob("*.md"))
        names = {_name(file.relative_to(self._source)) for file in files}
        found = {}
        for file in files:
            inside = PurePosixPath(file.relative_to(self._source).as_posix())
            found[_name(inside)] = _read(inside, file.read_text(encoding="utf-8"), names)
        return found

    def picture(self, name: str) -> Path | None:
        """Return the file of a picture that pages show, None where there is none."""
        there = {file.name: file for file in (self._source / "screenshots").glob("*.png")}
        return there.get(name)

    def search(self, text: str) -> list[Hit]:
        """Return the sections in which every word occurs, those first that have them in a heading."""
        words = list(dict.fromkeys(text.casefold().split()))[:_MOST_WORDS]
        if not words:
            return []
        found: list[tuple[tuple[int, int], Page, Section]] = []
        for page, section, heading, body in self._folded:
            if all(word in heading or word in body for word in words):
                missing = sum(word not in heading for word in words)
                often = sum(body.count(word) for word in words)
                found.append(((missing, -often), page, section))
        found.sort(key=lambda each: each[0])
        return [Hit(page, section, _excerpt(section.text, words)) for _, page, section in found[:_MOST_HITS]]

    @cached_property
    def _folded(self) -> list[tuple[Page, Section, str, str]]:
        # Anybody may search: what is the same for every search is made once.
        return [
            (page, section, f"{page.title} {section.heading}".casefold(), section.text.casefold())
            for page in self.pages.values()
            for section in page.sections
        ]


def _name(inside: Path | PurePosixPath) -> str:
    """Return the name of a page: a folder's own page goes by the folder's name."""
    plain = inside.with_suffix("").as_posix()
    return plain.removesuffix("/README") if plain.endswith("/README") else plain


def _read(inside: PurePosixPath, text: str, names: set[str]) -> Page:
    # Raw HTML in the Markdown is shown as text: the pages hold none.
    markdown = MarkdownIt("commonmark", {"html": False}).enable("table")
    tokens = markdown.parse(text)
    _anchor(tokens)
    for token in tokens:
        _relink(token.children or [], inside, names)
    sections = tuple(_sections(tokens))
    title = sections[0].heading if sections else inside.stem
    return Page(_name(inside), title, markdown.renderer.render(tokens, markdown.options, {}), sections)


def _anchor(tokens: Sequence[Token]) -> None:
    """Give headings, and rows of tables that begin with a code, an anchor each."""
    taken: set[str] = set()
    row: Token | None = None
    for token, following in zip(tokens, (*tokens[1:], None), strict=True):
        if token.type == "heading_open" and following is not None:
            made = re.sub(r"[^a-z0-9]+", "-", _text(following).casefold()).strip("-") or "section"
            anchor, number = made, 2
            while anchor in taken:
                anchor, number = f"{made}-{number}", number + 1
            taken.add(anchor)
            token.attrSet("id", anchor)
        elif token.type == "tr_open":
            row = token
        elif token.type == "td_open" and row is not None and following is not None:
            for first in (following.children or [])[:1]:
                code = first.content if first.type == "code_inline" else ""
                if _CODE.fullmatch(code) and code not in taken:
                    taken.add(code)
                    row.attrSet("id", code)
            row = None


def _relink(children: Sequence[Token], inside: PurePosixPath, names: set[str]) -> None:
    """Turn links between files into links between pages; what leads out of the folder is not served."""
    for token in children:
        if token.type == "image":
            token.attrSet("src", f"{ROOT}/pictures/{PurePosixPath(str(token.attrGet('src'))).name}")
        if token.type != "link_open":
            continue
        parts = urlsplit(str(token.attrGet("href")))
        if parts.scheme or not parts.path:
            continue
        target = _resolved(inside.parent / parts.path)
        page = _name(PurePosixPath(target)) if target.endswith(".md") else ""
        if page in names:
            token.attrSet("href", f"{ROOT}/{page}" + (f"#{parts.fragment}" if parts.fragment else ""))
        else:
            token.attrs.pop("href")


def _resolved(path: PurePosixPath) -> str:
    parts: list[str] = []
    for part in path.parts:
        if part == "..":
            if not parts:
                return ""
            parts.pop()
        elif part != ".":
            parts.append(part)
    return "/".join(parts)


def _sections(tokens: Sequence[Token]) -> Iterator[Section]:
    heading, anchor = "", ""
    texts: list[str] = []
    opened: Token | None = None
    for token in tokens:
        if token.type == "heading_open":
            if heading or texts:
                yield Section(heading, anchor, " ".join(texts))
            opened, texts = token, []
        elif token.type == "inline":
            if opened is not None:
                heading, anchor, opened = _text(token), str(opened.attrGet("id")), None
            else:
                texts.append(_text(token))
        elif token.type in {"fence", "code_block"}:
            texts.append(token.content)
    if heading or texts:
        yield Section(heading, anchor, " ".join(texts))


def _text(token: Token) -> str:
    """Return the words of inline Markdown."""
    children = token.children or []
    return "".join(each.content if each.type in {"text", "code_inline"} else " " for each in children).strip()


def _excerpt(text: str, words: Sequence[str]) -> str:
    plain = " ".join(text.split())
    at = min((at for at in (plain.casefold().find(word) for word in words) if at >= 0), default=0)
    start = max(0, at - 60)
    cut = plain[start : start + 220]
    return ("…" if start else "") + cut + ("…" if start + 220 < len(plain) else "")
