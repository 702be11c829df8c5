"""Reading the clinic's check-in list, its heads-ups and its forms."""

from __future__ import annotations

from sqlalchemy import Connection, select

from zax.core.arrivals.conditions import HeadsUp, HeadsUpSetup, compile_condition
from zax.core.arrivals.forms import FormTemplate, blocks_from
from zax.core.arrivals.steps import ArrivalStep, Step, StepKind, for_whom_from
from zax.store.arrivals import tables


def arrival_steps(connection: Connection) -> dict[int, ArrivalStep]:
    table = tables.arrival_step
    return {
        row.id: ArrivalStep(
            Step(
                row.id,
                StepKind(row.kind),
                row.words,
                row.note,
                row.required,
                for_whom_from(row.for_whom),
                row.template_id,
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
                row.id,
                row.words,
                row.todo,
                frozenset(row.places),
                compile_condition(row.condition),
                row.warns,
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
        row.id: FormTemplate(row.id, row.name, blocks_from(row.blocks), row.again_months, row.active, row.version)
        for row in connection.execute(select(table).order_by(table.c.id))
    }
