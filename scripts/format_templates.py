"""Formats the templates: one element a line, no line over 110 where it can be helped, and never a space more
or less on the page. `--check` only says which would change.

White space on a page matters between words and inline elements and nowhere else, so a line is broken where
there is white space already, beside block elements, beside Jinja statements (which our environment trims),
and between the attributes of a tag. Everything else stays glued together.
"""

from __future__ import annotations

import re
import sys
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1] / "src" / "zax"
WIDTH = 110
STEP = "  "


def _names(text: str) -> frozenset[str]:
    return frozenset(text.split())


VERBATIM = {"pre", "script", "style"}
STYLE_BLOCK = "{% block style %}"
BLOCK = _names(
    """
    html head body title meta link base main section article aside nav header footer div fieldset
    legend p ul ol li dl dt dd table caption colgroup col thead tbody tfoot tr td th h1 h2 h3 h4 h5 h6
    details summary hr option optgroup template noscript figure figcaption dialog g path rect circle
    line polygon polyline defs pattern use
    """
)
# Their insides are laid out as lines, though they may stand in a line themselves.
NESTS = BLOCK | {"form", "select"}
VOID = _names("meta link base hr br img input col area path rect circle line polygon polyline use")
OPENS = _names("if for block macro call filter with autoescape")
_JINJA = {"{%": "%}", "{{": "}}", "{#": "#}"}


@dataclass(slots=True)
class Atom:
    """A piece that is never broken but at its soft places. `space`: white space stands before it."""

    text: str
    kind: str  # tag, statement or inline
    name: str = ""
    closes: bool = False
    opens: bool = False
    space: bool = False

    @property
    def block(self) -> bool:
        return self.kind == "tag" and self.name in BLOCK

    @property
    def statement(self) -> bool:
        return self.kind == "statement"


def skip_jinja(text: str, at: int) -> int:
    """The end of the Jinja construct that begins here."""
    closing = _JINJA[text[at : at + 2]]
    if closing == "#}":
        return text.index(closing, at) + 2
    quote, at = "", at + 2
    while at < len(text):
        if quote:
            at += 1 if text[at] != "\\" else 2
            quote = "" if text[at - 1] == quote else quote
        elif text.startswith(closing, at):
            return at + 2
        else:
            quote = text[at] if text[at] in "'\"" else ""
            at += 1
    raise ValueError("a Jinja construct is not closed")


def skip_tag(text: str, at: int) -> int:
    """The end of the tag that begins here; Jinja and quoted values inside it are passed over."""
    quote = ""
    while at < len(text):
        if text[at : at + 2] in _JINJA:
            at = skip_jinja(text, at)
        elif quote:
            quote = "" if text[at] == quote else quote
            at += 1
        elif text[at] == ">":
            return at + 1
        else:
            quote = text[at] if text[at] in "'\"" else ""
            at += 1
    raise ValueError("a tag is not closed")


def pieces(text: str) -> list[str]:
    """The template cut into Jinja constructs, tags and runs of text."""
    found: list[str] = []
    at = 0
    while at < len(text):
        if found and found[-1] == STYLE_BLOCK and "{% endblock" in text[at:]:
            end = text.index("{% endblock", at)
        elif text[at : at + 2] in _JINJA:
            end = skip_jinja(text, at)
        elif text.startswith("<!--", at):
            end = text.index("-->", at) + 3
        elif text[at] == "<" and re.match(r"<[/!]?[A-Za-z]", text[at : at + 3]):
            end = skip_tag(text, at)
            name = _tag_name(text[at:end])
            if not text.startswith("</", at) and name in VERBATIM:
                end = text.index(f"</{name}>", end)
        else:
            end = at + 1
            while end < len(text) and text[end] != "<" and text[end : end + 2] not in _JINJA:
                end += 1
        found.append(text[at:end])
        at = end
    return found


def atoms(text: str) -> list[Atom]:
    """The pieces as atoms, with the white space that reaches the page written down before each."""
    made: list[Atom] = []
    pending = ""
    for piece in pieces(text):
        if made and made[-1].text == STYLE_BLOCK and not piece.startswith("{%"):
            made.append(Atom(piece.strip(), "inline"))
        elif piece.startswith("{%") or piece.startswith("{#"):
            made.append(_statement(piece, _reaches(made, pending, before_statement=True)))
        elif piece.startswith("<") and len(piece) > 1 and not piece.startswith("<!--"):
            name = _tag_name(piece)
            closes = piece.startswith("</")
            opens = not closes and name not in VOID and not piece.endswith("/>") and name in NESTS
            whole = piece if name in VERBATIM else _one_line(piece)
            space = _reaches(made, pending)
            made.append(Atom(whole, "tag", name, closes and name in NESTS, opens, space))
        elif piece.startswith("{{"):
            made.append(Atom(_one_line(piece), "inline", space=_reaches(made, pending)))
        else:
            words = re.split(r"(\s+)", pending + piece)
            pending = ""
            for word in words:
                if not word:
                    continue
                if not word.strip():
                    pending = word
                else:
                    made.append(Atom(word, "inline", space=_reaches(made, pending)))
                    pending = ""
            continue
        pending = ""
    return made


def _reaches(made: list[Atom], white: str, before_statement: bool = False) -> bool:
    """Whether white space reaches the page: Jinja takes a line's end after a statement and the indent
    before one.
    """
    if made and made[-1].statement:
        had_line = white.startswith("\n")
        white = white.removeprefix("\n")
        if before_statement and (had_line or "\n" in white):
            return "\n" in white
    return bool(white)


def _statement(piece: str, space: bool) -> Atom:
    words = re.findall(r"\w+", piece)
    name = words[0] if piece.startswith("{%") and words else ""
    opens = name in OPENS or (name == "set" and "=" not in piece)
    text = _one_line(piece) if piece.startswith("{%") else " ".join(piece.split())
    return Atom(text, "statement", name, name.startswith("end"), opens, space)


def _tag_name(piece: str) -> str:
    found = re.match(r"</?!?([A-Za-z0-9]+)", piece)
    return found[1].lower() if found else ""


def _one_line(piece: str) -> str:
    return " ".join(part.strip() for part in soft_parts(piece) if part.strip())


def soft_parts(piece: str) -> list[str]:
    """A tag or a Jinja construct cut where white space does not count: between attributes, and inside Jinja
    outside of its strings.
    """
    parts, at, start = [], 0, 0
    quote = inside = jinja_quote = ""
    while at < len(piece):
        two = piece[at : at + 2]
        if inside and jinja_quote:
            jinja_quote = "" if piece[at] == jinja_quote else jinja_quote
        elif inside and two == inside:
            inside, at = "", at + 1
        elif inside and piece[at] in "'\"":
            jinja_quote = piece[at]
        elif not inside and two in _JINJA:
            inside, at = _JINJA[two], at + 1
        elif not inside and quote:
            quote = "" if piece[at] == quote else quote
        elif not inside and piece[at] in "'\"":
            quote = piece[at]
        elif piece[at].isspace():
            parts.append(piece[start:at])
            start = at + 1
        at += 1
    return [*parts, piece[start:]]


def may_break(before: Atom, after: Atom, indent: int) -> bool:
    """Whether a line may end between two atoms without a space more or less on the page."""
    if before.statement:
        if after.statement:
            return not after.space
        return after.block or (after.space and indent > 0)
    if after.statement:
        return before.block or after.space
    return before.block or after.block or after.space


def flat(run: list[Atom]) -> str:
    """The atoms in one line."""
    out = ""
    for number, atom in enumerate(run):
        glue = " " if atom.space and out and not _free(run[number - 1], atom) else ""
        out += glue + atom.text
    return out


def _free(before: Atom, after: Atom) -> bool:
    """Whether white space between the two would not show anyway."""
    return (
        (before.block and not before.statement)
        or (after.block and not before.statement)
        or (before.statement and after.block)
    )


def closing_of(run: list[Atom], start: int) -> int | None:
    """Where what opens here closes."""
    depth, opener = 0, run[start]
    for at in range(start, len(run)):
        atom = run[at]
        if atom.kind != opener.kind:
            continue
        if opener.statement or atom.name == opener.name:
            depth += atom.opens - atom.closes
        if depth == 0:
            return at
    return None


def lay_out(run: list[Atom]) -> list[str]:
    """The atoms as lines."""
    lines: list[str] = []
    line: list[Atom] = []
    depth = 0
    line_depth = 0

    def end_line() -> None:
        nonlocal line
        if line:
            lines.extend(_wrapped(line, line_depth))
        line = []

    at = 0
    while at < len(run):
        atom = run[at]
        group = [atom]
        if atom.opens:
            close = closing_of(run, at)
            if close is not None and _stays_flat(run[at : close + 1], depth):
                group = run[at : close + 1]
        middle = atom.statement and atom.name in {"else", "elif"}
        if len(group) == 1 and (atom.closes or middle):
            depth = max(0, depth - 1)
        own_line = bool(
            group[0].opens or group[0].block or group[0].statement or (line and _ends_line(line[-1]))
        )
        empty = len(group) == 1 and atom.closes and len(line) == 1 and line[0].opens
        if line and own_line and not empty and may_break(line[-1], atom, depth):
            end_line()
        if not line:
            line_depth = depth
        line.extend(group)
        if len(group) == 1 and (atom.opens or middle):
            depth += 1
        at += len(group)
    end_line()
    return lines


def _ends_line(atom: Atom) -> bool:
    return atom.block or atom.statement


def _stays_flat(group: list[Atom], depth: int) -> bool:
    inner = sum(1 for atom in group[1:] if atom.opens)
    return inner <= 1 and len(flat(group)) + depth * len(STEP) <= WIDTH and "\n" not in flat(group)


def _wrapped(line: list[Atom], depth: int) -> list[str]:
    """One line, or several where it is too long: first at white space of the page, then inside tags."""
    indent = STEP * depth
    whole = indent + flat(line)
    if len(whole) <= WIDTH or "\n" in whole:
        return [whole]
    units: list[list[Atom]] = [[line[0]]]
    for before, atom in zip(line, line[1:], strict=False):
        if may_break(before, atom, depth + 1):
            units.append([atom])
        else:
            units[-1].append(atom)
    lines, now = [], indent
    for number, unit in enumerate(units):
        glue = (
            " "
            if number and unit[0].space and now.strip() and not _free(units[number - 1][-1], unit[0])
            else ""
        )
        text = flat(unit)
        if now.strip() and len(now + glue + text) > WIDTH:
            lines.append(now)
            now, glue = indent + STEP, ""
        if len(now + glue + text) <= WIDTH:
            now += glue + text
            continue
        for part_number, part in enumerate(_parts(unit)):
            between = glue if not part_number else " "
            if now.strip() and part_number and len(now + between + part) > WIDTH:
                lines.append(now)
                now, between = indent + STEP * 2, ""
            now += between + part
    return [*lines, now]


def _parts(unit: list[Atom]) -> list[str]:
    """A unit cut at the soft places of its tags and Jinja constructs."""
    parts: list[str] = [""]
    for number, atom in enumerate(unit):
        glue = " " if number and atom.space and not _free(unit[number - 1], atom) else ""
        own = soft_parts(atom.text) if atom.kind != "inline" or atom.text.startswith("{{") else [atom.text]
        parts[-1] += glue + own[0]
        parts.extend(own[1:])
    return [part for part in parts if part]


def formatted(text: str) -> str:
    return "\n".join(lay_out(atoms(text))) + "\n"


def main() -> int:
    changed = []
    for path in sorted(ROOT.rglob("*.html")):
        text = path.read_text(encoding="utf-8")
        new = formatted(text)
        if new != text:
            changed.append(path)
            if "--check" not in sys.argv:
                path.write_text(new, encoding="utf-8")
    for path in changed:
        print(
            f"{'would format' if '--check' in sys.argv else 'formatted'} {path.relative_to(ROOT.parents[1])}"
        )
    return 1 if changed and "--check" in sys.argv else 0


if __name__ == "__main__":
    sys.exit(main())
