"""Reading and writing the clinic's check-in list, its heads-ups and its forms."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass

from sqlalchemy import Connection, func, select

from zax.core.arrivals.conditions import HeadsUp, HeadsUpSetup, compile_condition
from zax.core.arrivals.forms import Block, FormTemplate, blocks_from, blocks_to
from zax.core.arrivals.steps import ArrivalStep, ForWhom, Step, StepKind, for_whom_from
from zax.core.json import KeptJson
from zax.store.arrivals import tables
from zax.store.rows import add, change, keep, put_in_order


def arrival_steps(connection: Connection) -> dict[int, ArrivalStep]:
    table = tables.arrival_step
    return {
        row.id: ArrivalStep(
            Step(
                id=row.id,
                kind=StepKind(row.kind),
                words=row.words,
                note=row.note,
                required=row.required,
                for_whom=for_whom_from(row.for_whom),
                template_id=row.template_id,
            ),
            row.position,
            row.active,
        )
        for row in connection.execute(select(table).order_by(table.c.position, table.c.id))
    }


def heads_ups(connection: Connection) -> dict[int, HeadsUpSetup]:
    table = tables.headsup
    return {
        row.id: HeadsUpSetup(
            HeadsUp(
                id=row.id,
                words=row.words,
                todo=row.todo,
                places=frozenset(row.places),
                holds=compile_condition(row.condition),
                warns=row.warns,
            ),
            row.condition,
            row.active,
            row.version,
        )
        for row in connection.execute(select(table).order_by(table.c.position, table.c.id))
    }


def form_templates(connection: Connection) -> dict[int, FormTemplate]:
    table = tables.form_template
    return {
        row.id: FormTemplate(
            id=row.id,
            name=row.name,
            blocks=blocks_from(row.blocks),
            again_months=row.again_months,
            active=row.active,
            version=row.version,
        )
        for row in connection.execute(select(table).order_by(table.c.id))
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class StepTerms:
    """A step of the list as it is entered."""

    kind: str
    words: str
    note: str
    required: bool
    for_whom: ForWhom
    template_id: int | None
    active: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class HeadsUpTerms:
    """A heads-up as it is entered; `condition` is its tree."""

    words: str
    todo: str
    places: Sequence[str]
    condition: KeptJson
    warns: bool
    active: bool


def save_step(connection: Connection, step_id: int, terms: StepTerms) -> int:
    """A step (0 makes one, at the end of the list); its id."""
    limits = terms.for_whom
    values = {
        "kind": terms.kind,
        "words": terms.words,
        "note": terms.note,
        "required": terms.required,
        "template_id": terms.template_id,
        "active": terms.active,
        "for_whom": {
            "new": limits.new,
            "yearly": limits.yearly,
            "flags": sorted(limits.flags),
            "types": sorted(limits.types),
        },
    }
    if step_id:
        change(connection, tables.arrival_step, step_id, **values)
        return step_id
    last = connection.execute(select(func.coalesce(func.max(tables.arrival_step.c.position), 0))).scalar_one()
    return add(connection, tables.arrival_step, position=int(last) + 1, **values)


def order_steps(connection: Connection, ids: Iterable[int]) -> None:
    put_in_order(connection, tables.arrival_step, ids)


def save_heads_up(connection: Connection, headsup_id: int, version: int, terms: HeadsUpTerms) -> int:
    """A heads-up (0 makes one); its id. Raises NotFound, Stale."""
    return keep(connection, tables.headsup, headsup_id, version, asdict(terms), "heads-up")


def save_template(
    connection: Connection,
    template_id: int,
    version: int,
    *,
    name: str,
    blocks: Sequence[Block],
    again_months: int,
    active: bool,
) -> int:
    """A form (0 makes one); its id. Raises NotFound, Stale."""
    values = {"name": name[:80], "blocks": blocks_to(blocks), "again_months": again_months, "active": active}
    return keep(connection, tables.form_template, template_id, version, values, "form")
