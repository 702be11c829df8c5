"""Patients from a list, as CSV, vCards or FHIR. A row whose name and birth date are on file is known and left
alone; one that only looks like somebody is taken in and appears among the likely pairs.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import date

from zax.core.coverage.member import member_key
from zax.core.errors import Refused, ZaxError
from zax.core.moving.job import Outcome
from zax.core.moving.patients import Row, columns_with, read_row
from zax.core.moving.sheet import Sheet, SheetRow, read_sheet
from zax.core.record.card import read_vcards
from zax.core.record.fhir import read_bundle
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.balances import WORDS, bring_balances
from zax.desk.moving.taking import ListIn
from zax.desk.patients.details import name_keys
from zax.store.moving import imports as stored
from zax.store.moving.imports import ImportJob, ImportRow


def patient_sheet(content: bytes, clinic: Clinic) -> Sheet:
    """The table in a CSV, vCard or FHIR file; Refused when it is none of them."""
    start = content.lstrip(b"\xef\xbb\xbf \r\n\t")[:20]
    if start[:1] == b"{" or start.upper().startswith(b"BEGIN:VCARD"):
        try:
            cards = (
                read_bundle(content.decode("utf-8-sig"))
                if start[:1] == b"{"
                else read_vcards(content.decode("utf-8-sig"))
            )
        except (ValueError, LookupError, AttributeError) as error:
            raise Refused(f"The file can’t be read: {str(error).splitlines()[0][:120]}.", "file") from error
        heading = tuple(columns_with(clinic.own_fields.values()).words)
        rows = tuple(
            (n, tuple(_sound_text(card.values.get(name, "")) for name in heading))
            for n, card in enumerate(cards, 1)
        )
        if not rows:
            raise Refused("The file holds no patient.", "file")
        return Sheet(heading, rows)
    return read_sheet(content)


def _sound_text(text: str) -> str:
    """JSON may hold half of a character (a lone surrogate), which no database keeps."""
    return text.encode(errors="replace").decode()


@dataclass(slots=True)
class _Part:
    """One step's rows on their way in."""

    tx: Transaction
    job: ImportJob
    part: Sequence[SheetRow]

    def take_in(self) -> list[ImportRow]:
        """What came of each row."""
        today = self.tx.clinic_day
        good: list[tuple[int, Row]] = []
        results: list[ImportRow] = []
        columns = {name: int(place) for name, place in self.job.columns.items()}
        own = list(self.tx.clinic.own_fields.values())
        for line, cells in self.part:
            try:
                row = read_row(cells, columns, today, own)
                _plan_of(self.tx.clinic, row)
            except ZaxError as error:
                results.append(ImportRow(line, Outcome.REFUSED, columns_with(own).why(error), None))
            else:
                good.append((line, row))
        fresh = self._sort_out(good, results)
        if fresh:
            results += (
                self._keep(fresh, today)
                if not self.job.dry
                else [ImportRow(line, Outcome.MADE, "", None) for line, _ in fresh]
            )
        return results

    def _sort_out(self, good: list[tuple[int, Row]], results: list[ImportRow]) -> list[tuple[int, Row]]:
        """Those not on file yet: neither by number nor by name and birth date, nor twice among these rows."""
        keys = {line: self._key(row) for line, row in good}
        found = stored.patients_named(self.tx.connection, [key[:2] for key in keys.values()])
        on_file = {(each.last_key, each.first_key, each.birth): each.id for each in found}
        charts = stored.patients_numbered(self.tx.connection, [row.chart for _, row in good if row.chart])
        fresh: list[tuple[int, Row]] = []
        seen: set[tuple[object, ...]] = set()
        for line, row in good:
            key = keys[line]
            other = on_file.get(key)
            if other is not None:
                results.append(
                    ImportRow(line, Outcome.KNOWN, "the same name and birth date are on file", other)
                )
            elif row.chart and row.chart in charts:
                results.append(
                    ImportRow(
                        line,
                        Outcome.REFUSED,
                        f"Number {row.chart} belongs to someone else on file.",
                        charts[row.chart],
                    )
                )
            elif key in seen or (row.chart and ("chart", row.chart) in seen):
                results.append(
                    ImportRow(line, Outcome.KNOWN, "the same person is listed earlier in this file", None)
                )
            else:
                seen |= {key, ("chart", row.chart)}
                fresh.append((line, row))
        return fresh

    @staticmethod
    def _key(row: Row) -> tuple[str, str, date | None]:
        keys = asdict(name_keys(row.values["first"], row.values["last"]))
        return keys["last_key"], keys["first_key"], row.values["birth"]

    def _keep(self, fresh: list[tuple[int, Row]], today: date) -> list[ImportRow]:
        homes = self._households(fresh)
        first_of_home = {home: n for n, home in reversed(list(enumerate(homes)))}
        joined = stored.households_with_payer(self.tx.connection, set(homes))
        rows = [
            {
                **row.values,
                **asdict(name_keys(row.values["first"], row.values["last"])),
                "chart": row.chart or None,
                "status": row.status,
                "household_id": homes[n],
                "guarantor": first_of_home[homes[n]] == n and homes[n] not in joined,
                "made_at": self.tx.now,
            }
            for n, (_, row) in enumerate(fresh)
        ]
        ids = stored.add_patients(self.tx.connection, rows)
        covers = [
            {
                "patient_id": number,
                "subscriber_id": number,
                "plan_id": plan,
                "member_id": row.member_id,
                "member_key": member_key(row.member_id),
                "group_number": row.group_number,
                "from_day": date(today.year, 1, 1),
            }
            for number, (_, row) in zip(ids, fresh, strict=True)
            if (plan := _plan_of(self.tx.clinic, row))
        ]
        stored.add_coverages(self.tx.connection, covers)
        bring_balances(
            self.tx,
            [
                (number, row.balance, WORDS)
                for number, (_, row) in zip(ids, fresh, strict=True)
                if row.balance
            ],
        )
        stored.audit_imported(self.tx.connection, ids, self.job.id, self.tx.now, self.tx.actor.id)
        return [
            ImportRow(line, Outcome.MADE, "", number) for number, (line, _) in zip(ids, fresh, strict=True)
        ]

    def _households(self, fresh: list[tuple[int, Row]]) -> list[int]:
        """A household for each row: shared by rows of one text in this file (also of earlier steps), else
        their own.
        """
        mark = hashlib.sha256(f"import-{self.job.id}".encode()).hexdigest()[:10]
        wanted = {row.household: f"{mark} {row.household}"[:80] for _, row in fresh if row.household}
        known = stored.households_named(self.tx.connection, wanted.values()) if wanted else {}
        new = [name for name in dict.fromkeys(wanted.values()) if name not in known]
        lonely = [row.values["last"] for _, row in fresh if not row.household]
        ids = stored.add_households(self.tx.connection, [*new, *lonely])
        known |= dict(zip(new, ids, strict=False))
        alone = iter(ids[len(new) :])
        return [known[wanted[row.household]] if row.household else next(alone) for _, row in fresh]


def _plan_of(clinic: Clinic, row: Row) -> int:
    """The plan a row names, by its name or that of its payer and itself; 0 for none, Refused for one the
    clinic does not have.
    """
    if not row.plan:
        return 0
    wanted = " ".join(row.plan.lower().split())
    found = [
        p.id
        for p in clinic.plans.values()
        if p.active and wanted in {p.name.lower(), f"{p.payer_name} {p.name}".lower()}
    ]
    if len(found) != 1:
        raise Refused(f"The clinic has no plan “{row.plan[:40]}”. Enter it first, or fix its name.", "plan")
    return found[0]


PATIENT_LIST = ListIn(
    key="patients",
    words="Patients",
    things="patients",
    hint="CSV with a header row, vCards, or a FHIR R4 bundle",
    right="merge",
    columns=lambda clinic: columns_with(clinic.own_fields.values()),
    take=lambda step, rows: _Part(step.tx, step.job, rows).take_in(),
    sheet=patient_sheet,
    rows_at_once=500,
    rehearses=True,
)
