"""Forms in the clinic's own words. A template is a list of blocks; signing keeps them as they were read, so a
later change of the template leaves what was signed alone.

Blocks: a heading, a text (names in braces are filled from the record), a choice (one of several), a field
(the patient writes; it may be filled beforehand from the record). Signing needs every choice and field that
is marked as needed, a name, and strokes on the pad.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.book.calendar import step_months
from zax.core.errors import ProblemCollector, Refused
from zax.core.json import Json, KeptJson

MOST_BLOCKS = 60
MOST_POINTS = 20_000
LEAST_POINTS = 8
FILLS = {
    "first": "first name",
    "last": "last name",
    "birth": "date of birth",
    "phone": "mobile",
    "email": "email",
    "street": "street",
    "city": "city",
    "zip": "ZIP code",
    "emergency_name": "emergency contact",
    "emergency_phone": "their phone",
    "employer": "employer",
    "today": "today’s date",
    "clinic": "the clinic’s name",
    "payer": "the payer",
}
_BRACES = re.compile(r"\{([a-z0-9_]*)\}")
RELATIONS = ("self", "parent", "guardian", "spouse", "power of attorney")


class BlockKind(StrEnum):
    HEADING = "heading"
    TEXT = "text"
    CHOICE = "choice"
    FIELD = "field"


@dataclass(frozen=True, slots=True)
class Block:
    """`options` belong to a choice; `fills` names what fills a field beforehand; `needed` must be
    answered.
    """

    kind: BlockKind
    words: str
    options: tuple[str, ...] = ()
    fills: str = ""
    needed: bool = False


def blocks_from(kept: Sequence[KeptJson]) -> tuple[Block, ...]:
    return tuple(
        Block(
            BlockKind(b["kind"]),
            b["words"],
            tuple(b.get("options", ())),
            b.get("fills", ""),
            bool(b.get("needed", False)),
        )
        for b in kept
    )


def blocks_to(blocks: Sequence[Block]) -> list[Json]:
    """The reverse of `blocks_from`."""
    return [
        {
            "kind": b.kind.value,
            "words": b.words,
            "options": list(b.options),
            "fills": b.fills,
            "needed": b.needed,
        }
        for b in blocks
    ]


def check_template(
    name: str, rows: Sequence[tuple[str, str, str, bool]], fills: Mapping[str, str] = FILLS
) -> tuple[str, tuple[Block, ...]]:
    """A template as typed: name and rows (kind, words, more, needed). `more` lists a choice's options by
    commas or names what fills a field, one of `fills`.

    Rows without words are left out. Raises Problems beside `name`, `blocks` or `block-N` (N from 1, of the
    rows that count).
    """
    made: list[Block] = []
    with ProblemCollector() as wrong:
        if not name.strip():
            wrong.add("name", "Give the form a name, such as Privacy policy.")
        for kind, words, more, needed in rows:
            if not words.strip():
                continue
            at = f"block-{len(made) + 1}"
            block = _block(kind, words, more, needed)
            made.append(block)
            unknown = [each for each in _BRACES.findall(words) if each not in fills]
            if unknown:
                wrong.add(at, f"“{{{unknown[0]}}}” isn’t on the record. Choose from the list below.")
            elif block.kind == BlockKind.CHOICE and len(block.options) < 2:
                wrong.add(at, "A choice needs at least two answers, with commas between them.")
            elif block.fills and block.fills not in fills:
                wrong.add(at, f"“{block.fills}” isn’t on the record. Choose from the list below.")
        if not made:
            wrong.add("blocks", "Enter the text to be signed.")
        elif len(made) > MOST_BLOCKS:
            wrong.add("blocks", f"A form has at most {MOST_BLOCKS} parts.")
    return name.strip(), tuple(made)


def _block(kind: str, words: str, more: str, needed: bool) -> Block:
    chosen = BlockKind(kind) if kind in set(BlockKind) else BlockKind.TEXT
    options = tuple(dict.fromkeys(each.strip() for each in more.split(",") if each.strip()))
    if chosen == BlockKind.CHOICE:
        return Block(chosen, words.strip(), options, "", needed)
    if chosen == BlockKind.FIELD:
        return Block(chosen, words.strip(), (), more.strip(), needed)
    return Block(chosen, words.strip())


def filled(words: str, record: Mapping[str, str]) -> str:
    """The text with what is on the record; a blank line where it is missing."""
    return _BRACES.sub(lambda found: record.get(found[1], "") or "________", words)


def check_answers(blocks: Sequence[Block], typed: Mapping[str, str]) -> dict[str, str]:
    """What was answered, by the block's number as text from '0'. Raises Problems beside `block-N`."""
    answers: dict[str, str] = {}
    with ProblemCollector() as wrong:
        for number, block in enumerate(blocks):
            if block.kind not in {BlockKind.CHOICE, BlockKind.FIELD}:
                continue
            given = " ".join(typed.get(f"answer-{number}", "").split())[:300]
            if block.needed and not given:
                wrong.add(
                    f"block-{number}",
                    "Choose one." if block.kind == BlockKind.CHOICE else "Fill this in before signing.",
                )
            elif given and block.kind == BlockKind.CHOICE and given not in block.options:
                wrong.add(f"block-{number}", "Choose one of the answers.")
            answers[str(number)] = given
    return answers


Strokes = tuple[tuple[tuple[int, int], ...], ...]


def parse_signature(text: str, width: int = 640, height: int = 200) -> Strokes:
    """Strokes as the pad sends them: JSON lists of [x, y] in a field of `width` by `height`. Refused beside
    `signature` for an empty or unreadable one.

    A dot or a slip is not a signature: it takes LEAST_POINTS points that cover some room.
    """
    try:
        kept = json.loads(text) if text.strip() else []
        strokes = tuple(tuple((round(float(x)), round(float(y))) for x, y in stroke) for stroke in kept)
    except (ValueError, TypeError) as error:
        raise Refused("The signature couldn’t be read. Clear it and sign again.", "signature") from error
    points = [point for stroke in strokes for point in stroke]
    if len(points) > MOST_POINTS or any(not (0 <= x <= width and 0 <= y <= height) for x, y in points):
        raise Refused("The signature couldn’t be read. Clear it and sign again.", "signature")
    if not points:
        raise Refused("Not signed yet. Sign in the box with a pen, finger or mouse.", "signature")
    wide = max(x for x, _ in points) - min(x for x, _ in points)
    high = max(y for _, y in points) - min(y for _, y in points)
    if len(points) < LEAST_POINTS or wide + high < 30:
        raise Refused("That’s only a dot. Please sign the full name.", "signature")
    return strokes


def check_strokes_or_name(strokes: str, typed_name: str) -> tuple[Strokes, str]:
    """A drawn signature, or a name that was typed to stand for one (15 USC 7006(5): any mark adopted with the
    intent to sign). Refused beside `signature` where there is neither.
    """
    name = " ".join(typed_name.split())[:80]
    if not name or strokes.strip():
        return parse_signature(strokes), ""
    if len(name) < 2 or not any(ch.isalpha() for ch in name):
        raise Refused("Type the full name to sign with it.", "signature")
    return (), name


def stroke_paths(strokes: Strokes) -> list[str]:
    """Each stroke as the `d` of an SVG path."""
    return ["M" + " L".join(f"{x} {y}" for x, y in stroke) for stroke in strokes if stroke]


def is_due(last_signed: date | None, again_months: int, today: date) -> bool:
    """Whether the form must be signed (again). `again_months` of 0: once is enough."""
    if last_signed is None:
        return True
    return again_months > 0 and step_months(last_signed, again_months) <= today


@dataclass(frozen=True, slots=True, kw_only=True)
class FormTemplate:
    """A form as it is signed now; `again_months` of 0: once is enough."""

    id: int
    name: str
    blocks: tuple[Block, ...]
    again_months: int
    active: bool
    version: int
