"""What a variant changes on a page without a developer: the kinds of changes, each checked and said in words.

The format is documented in docs/page-changes.md. The script applies them; a browser that runs it trusts what stands here, so
nothing that could run or load anything of its own is taken: no script, no style in HTML, no address of another kind than usual.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from html.parser import HTMLParser
from typing import Annotated, Any, Literal
from urllib.parse import urlsplit

import nh3
import tinycss2
from ninja import Schema
from pydantic import Field, TypeAdapter, ValidationError

from neat_verdict.app.experiments.models import Variant
from neat_verdict.core.checks import InputError
from neat_verdict.core.text.format import plural

MAX_CHANGES = 50
_SCHEMES = {"http", "https", "mailto", "tel"}
_SIDES = ("top", "right", "bottom", "left")
STYLES = frozenset({
    "color", "background-color", "font-size", "font-weight", "font-style", "text-align", "text-decoration", "text-transform",
    "line-height", "letter-spacing", "width", "min-width", "max-width", "height", "min-height", "max-height", "margin", "padding",
    *(f"{what}-{side}" for what in ("margin", "padding") for side in _SIDES), "border", "border-color", "border-width",
    "border-style", "border-radius", "box-shadow", "display", "opacity", "order", "gap", "justify-content", "align-items",
})  # fmt: skip
_TAGS = {
    *("a", "abbr", "article", "aside", "b", "blockquote", "br", "button", "code", "dd", "del", "div", "dl", "dt", "em"),
    *(
        "figcaption",
        "figure",
        "footer",
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "header",
        "hr",
        "i",
        "img",
        "ins",
        "li",
        "mark",
    ),
    *(
        "ol",
        "p",
        "q",
        "s",
        "section",
        "small",
        "span",
        "strong",
        "sub",
        "sup",
        "table",
        "tbody",
        "td",
        "tfoot",
        "th",
        "thead",
    ),
    *("time", "tr", "u", "ul"),
}
_ATTRIBUTES = {
    "*": {"class", "title", "lang", "dir", "role"},
    "a": {"href", "target"},
    "img": {"src", "alt", "width", "height"},
    "td": {"colspan", "rowspan"},
    "th": {"colspan", "rowspan", "scope"},
    "time": {"datetime"},
}
_PREFIXES = ("aria-", "data-")
_LOADING = {"url", "src", "image", "image-set", "-webkit-image-set", "cross-fade", "element", "expression", "paint"}


class Place(Schema):
    """An element of the page: selectors, of which the first that finds exactly one counts; what it says, for where none does; and
    what it is called in words."""

    model_config = {"extra": "forbid"}
    selectors: list[Annotated[str, Field(max_length=300)]] = Field(min_length=1, max_length=5)
    says: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    name: str = Field(min_length=1, max_length=120)

    def check(self, path: str) -> None:
        for number, selector in enumerate(self.selectors):
            if not selector.strip() or any(mark in selector for mark in "{}<;@"):
                raise InputError(
                    f"{path}.selectors.{number}", selector or "empty", "must be a CSS selector, such as #search"
                )


class _Change(Schema):
    """A change that is not ``on`` stays in the list and is not made."""

    model_config = {"extra": "forbid"}
    on: bool = True

    def check(self, path: str) -> None:
        """Raise InputError for what is not taken."""

    def words(self) -> str:
        """The change as a line of the brief."""
        raise NotImplementedError


class _OfElement(_Change):
    find: Place

    def check(self, path: str) -> None:
        self.find.check(f"{path}.find")


class TextChange(_OfElement):
    """Another text, in place of all that the element holds."""

    kind: Literal["text"]
    text: str = Field(max_length=2000)

    def words(self) -> str:
        return f"{self.find.name} says “{self.text}”"


class PictureChange(_OfElement):
    """Another picture, with what it shows in words."""

    kind: Literal["picture"]
    src: str = Field(max_length=2000)
    alt: str = Field(default="", max_length=300)

    def check(self, path: str) -> None:
        super().check(path)
        check_target(f"{path}.src", self.src, {"http", "https"})

    def words(self) -> str:
        return f"{self.find.name} is another picture" + (f": {self.alt}" if self.alt else "")


class LinkChange(_OfElement):
    """Another target of a link."""

    kind: Literal["link"]
    href: str = Field(max_length=2000)

    def check(self, path: str) -> None:
        super().check(path)
        check_target(f"{path}.href", self.href, _SCHEMES)

    def words(self) -> str:
        return f"{self.find.name} leads to {self.href}"


class StyleChange(_OfElement):
    """Colour, size and the like, by name."""

    kind: Literal["style"]
    styles: dict[str, Annotated[str, Field(max_length=200)]] = Field(min_length=1, max_length=20)

    def check(self, path: str) -> None:
        super().check(path)
        for name, value in self.styles.items():
            if name not in STYLES:
                raise InputError(f"{path}.styles", name, f"must be one of {', '.join(sorted(STYLES))}")
            _check_value(f"{path}.styles.{name}", value)

    def words(self) -> str:
        return f"{self.find.name} has {', '.join(f'{name} {value}' for name, value in self.styles.items())}"


class HideChange(_OfElement):
    """Not shown, and no room taken."""

    kind: Literal["hide"]

    def words(self) -> str:
        return f"{self.find.name} is hidden"


class MoveChange(_OfElement):
    """To another place."""

    kind: Literal["move"]
    place: Literal["before", "after"]
    to: Place

    def check(self, path: str) -> None:
        super().check(path)
        self.to.check(f"{path}.to")

    def words(self) -> str:
        return f"{self.find.name} stands {self.place} {self.to.name}"


class InsertChange(_OfElement):
    """A piece of HTML, before or after the element, or as the first or last thing in it."""

    kind: Literal["insert"]
    place: Literal["before", "after", "first", "last"]
    html: str = Field(min_length=1, max_length=20_000)

    def check(self, path: str) -> None:
        super().check(path)
        self.html = clean_html(f"{path}.html", self.html)

    def words(self) -> str:
        where = {"before": "Before", "after": "After", "first": "At the beginning of", "last": "At the end of"}[
            self.place
        ]
        text = " ".join(nh3.clean(self.html, tags=set()).split())
        return f"{where} {self.find.name} stands “{text[:80]}{'…' if len(text) > 80 else ''}”"


class StylesheetChange(_Change):
    """Styles for the page as a whole."""

    kind: Literal["css"]
    css: str = Field(min_length=1, max_length=20_000)

    def check(self, path: str) -> None:
        check_css(f"{path}.css", self.css)

    def words(self) -> str:
        rules = tinycss2.parse_stylesheet(self.css, skip_comments=True, skip_whitespace=True)
        return f"The page has {plural(len(rules), 'rule')} of style of its own"


PageChangeIO = Annotated[
    TextChange | PictureChange | LinkChange | StyleChange | HideChange | MoveChange | InsertChange | StylesheetChange,
    Field(discriminator="kind"),
]
_READ: TypeAdapter[PageChangeIO] = TypeAdapter(PageChangeIO)
_LIST: TypeAdapter[list[PageChangeIO]] = TypeAdapter(Annotated[list[PageChangeIO], Field(max_length=MAX_CHANGES)])


def read_change(line: Mapping[str, Any]) -> PageChangeIO:
    """A change as it is kept."""
    return _READ.validate_python(dict(line))


def read_changes(path: str, content: object) -> list[dict[str, Any]]:
    """Changes from where no schema of the API reads them. Raises InputError, naming the first field that is not as it must be."""
    try:
        return [one.model_dump(exclude_none=True) for one in _LIST.validate_python(content)]
    except ValidationError as refused:
        first = refused.errors()[0]
        # The number of the change, its kind, and the field; the kind is no part of its name.
        place = [str(part) for part in (*first["loc"][:1], *first["loc"][2:])]
        raise InputError(
            ".".join([path, *place]), str(first["input"])[:80], f"is not taken: {first['msg']}"
        ) from refused


def checked_changes(path: str, lines: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Changes as they will be kept. Raises InputError, naming the change by its place and the field, for what is not taken."""
    result = []
    for number, line in enumerate(lines):
        change = read_change(line)
        change.check(f"{path}.{number}")
        result.append(change.model_dump(exclude_none=True))
    return result


def changes_made(variant: Variant) -> list[dict[str, Any]]:
    """Those that are on, for the script."""
    return [line for line in variant.page_changes if line["on"]]


def changes_of(variant: Variant) -> list[str]:
    """All that a variant changes, in words: as it was written, and on the page."""
    return [*variant.changes, *(read_change(line).words() for line in changes_made(variant))]


def check_target(field: str, text: str, schemes: set[str]) -> None:
    """Raises InputError for an address that is not of these schemes, or not of the page's own site."""
    try:
        parts = urlsplit(text)
    except ValueError:
        parts = urlsplit("")
        text = ""
    own = not parts.scheme and text[:1] in ("/", "#", "?")
    if any(ord(character) <= 0x20 for character in text) or not (own or parts.scheme.lower() in schemes):
        raise InputError(
            field, text[:80] or "empty", f"must begin with /, #, ? or {', '.join(sorted(f'{s}:' for s in schemes))}"
        )


def clean_html(field: str, html: str) -> str:
    """The same, as a browser will read it. Raises InputError, naming it, for what is not taken; nothing is left out silently."""
    found = _Found()
    found.feed(html)
    found.close()
    if found.refused:
        raise InputError(
            field,
            found.refused[0],
            "is not taken: only texts, pictures, links, lists and tables are",
        )
    for address, schemes in found.addresses:
        check_target(field, address, schemes)
    return nh3.clean(
        html, tags=_TAGS, attributes={tag: set(names) for tag, names in _ATTRIBUTES.items()},
        generic_attribute_prefixes=set(_PREFIXES), url_schemes=_SCHEMES, link_rel="noopener",
    )  # fmt: skip


class _Found(HTMLParser):
    """What a piece of HTML holds that is not taken, and where it leads."""

    def __init__(self) -> None:
        super().__init__()
        self.refused: list[str] = []
        self.addresses: list[tuple[str, set[str]]] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag not in _TAGS:
            self.refused.append(f"<{tag}>")
        for name, value in attrs:
            if name in ("href", "src"):
                self.addresses.append((value or "", _SCHEMES if name == "href" else {"http", "https"}))
            known = name in _ATTRIBUTES["*"] | _ATTRIBUTES.get(tag, set()) or name.startswith(_PREFIXES)
            if not known and not (tag == "a" and name == "rel"):
                self.refused.append(name)

    def handle_comment(self, data: str) -> None:
        self.refused.append(f"<!--{data[:20]}-->")

    def handle_decl(self, decl: str) -> None:
        self.refused.append(f"<!{decl[:20]}>")

    def handle_pi(self, data: str) -> None:
        self.refused.append(f"<?{data[:20]}>")

    def unknown_decl(self, data: str) -> None:
        self.refused.append(f"<![{data[:20]}]>")


def _check_value(field: str, value: str) -> None:
    """Raises InputError for a value of a style that loads something, or is none."""
    tokens = tinycss2.parse_component_value_list(value, skip_comments=True)
    if not value.strip() or any(one.type in ("{} block", "at-keyword") or one == ";" or one == "!" for one in tokens):
        raise InputError(field, value or "empty", "must be a value, such as #1b6aa5 or 18px")
    _check_tokens(field, tokens)


def check_css(field: str, css: str) -> None:
    """Raises InputError for styles that cannot be read, and for those that load something."""
    _check_rules(field, tinycss2.parse_stylesheet(css, skip_comments=True, skip_whitespace=True))


def _check_rules(field: str, rules: list[Any]) -> None:
    for rule in rules:
        if rule.type == "error":
            raise InputError(field, f"line {rule.source_line}", f"cannot be read as styles: {rule.message}")
        if rule.type == "at-rule":
            if rule.lower_at_keyword not in ("media", "supports") or rule.content is None:
                raise InputError(field, f"@{rule.at_keyword}", "is not taken: only @media and @supports are")
            _check_rules(field, tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True))
        else:
            _check_tokens(field, [*rule.prelude, *rule.content])


def _check_tokens(field: str, tokens: Iterable[Any]) -> None:
    for one in tokens:
        if one.type == "error":
            raise InputError(field, f"line {one.source_line}", f"cannot be read as styles: {one.message}")
        if one.type == "url" or (one.type == "function" and one.lower_name in _LOADING):
            raise InputError(field, one.serialize()[:60], "is not taken: styles load nothing")
        inside = getattr(one, "arguments", None) or getattr(one, "content", None)
        if inside:
            _check_tokens(field, inside)
