"""What an act works with: the desk, and one running transaction at one moment."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from threading import Lock
from typing import TypeAlias

from zax.clock import Clock, local
from zax.core.acts.row_changes import said
from zax.core.errors import NotAllowed
from zax.core.wording import list_words, use
from zax.desk.acts.actor import Actor
from zax.desk.clinic.clinic import Clinic, load
from zax.store.acts.outbox import put_errand
from zax.store.acts.setup_log import changes_of, keep_change
from zax.store.acts.traces import write_audit, write_feed
from zax.store.clinic import settings
from zax.store.engine import Connection, Engine


@dataclass(slots=True)
class Desk:
    """What every act works with: the database, the clock and the clinic's setup, which is read again when it
    has changed.
    """

    engine: Engine
    clock: Clock
    clinic: Clinic
    _turn: Lock = field(default_factory=Lock, repr=False)

    def __post_init__(self) -> None:
        use(self.clinic.style)

    def read_setup(self) -> None:
        with self.engine.connect() as connection:
            self.adopt(load(connection))

    def adopt(self, clinic: Clinic) -> None:
        """Take the setup as it was just read or written; one that was read before somebody else's change
        comes too late.
        """
        with self._turn:
            if clinic.version >= self.clinic.version:
                self.clinic = clinic
                use(clinic.style)


# Writes many rows of one kind at once.
Write: TypeAlias = Callable[[Connection, list[Mapping[str, object]]], None]


@dataclass(slots=True)
class Transaction:
    """One running act. `now` is UTC and stays the same for the whole act; `books` are the books days it has
    asked for, by site; `queued` are rows that are written together before the act ends, or when somebody
    reads them.
    """

    connection: Connection
    desk: Desk
    actor: Actor
    now: datetime
    changed_clinic: Clinic | None = None
    books: dict[int, date] = field(default_factory=dict)
    queued: dict[Write, list[Mapping[str, object]]] = field(default_factory=dict)

    @property
    def clinic(self) -> Clinic:
        """The setup as this act sees it, its own changes included."""
        return self.changed_clinic or self.desk.clinic

    def at_site(self, site_id: int) -> None:
        """Raises NotAllowed where the actor works at other sites than this one."""
        if self.actor.works_at(site_id):
            return
        named = [each.name for each in self.clinic.sites.values() if each.id in self.actor.site_ids]
        here = self.clinic.sites[site_id].name
        raise NotAllowed(f"You work at {list_words(named)}. Ask someone at {here} to do this.")

    def local_now(self, site_id: int) -> datetime:
        return local(self.now, self.clinic.sites[site_id].timezone)

    def business_day(self, site_id: int) -> date:
        return self.local_now(site_id).date()

    @property
    def clinic_day(self) -> date:
        """The day at the clinic, by the clock of its first site, for what belongs to no site. Never the day
        in UTC, which begins while the clinic is still at work.
        """
        return self.business_day(self.clinic.first_site.id)

    def audit(
        self, act: str, *, patient_id: int | None = None, visit_id: int | None = None, **detail: object
    ) -> None:
        """Who did what, to whom, for good."""
        self.audit_with(act, detail, patient_id, visit_id)

    def audit_with(
        self,
        act: str,
        detail: Mapping[str, object],
        patient_id: int | None = None,
        visit_id: int | None = None,
    ) -> None:
        """The same, where the detail comes as a whole."""
        write_audit(
            self.connection,
            at=self.now,
            by_id=self.actor.id,
            act=act,
            patient_id=patient_id,
            visit_id=visit_id,
            detail=detail,
        )

    def tell(
        self,
        what: str,
        *,
        site_id: int | None = None,
        day: date | None = None,
        visit_id: int | None = None,
        patient_id: int | None = None,
    ) -> None:
        """Let every open screen know that something about this day or patient changed."""
        self.later(
            write_feed,
            at=self.now,
            what=what,
            site_id=site_id,
            day=day,
            visit_id=visit_id,
            patient_id=patient_id,
        )

    def later(self, write: Write, **row: object) -> None:
        """A row that nothing of this act reads again: written with the others of its kind."""
        self.queued.setdefault(write, []).append(row)

    def flush(self) -> None:
        """Write what is queued."""
        queued, self.queued = self.queued, {}
        for write, rows in queued.items():
            write(self.connection, rows)

    def send(
        self, kind: str, key: str, payload: Mapping[str, object], due_at: datetime | None = None
    ) -> None:
        """Put something for the outside into the outbox; the key makes it go out once."""
        put_errand(
            self.connection,
            kind=kind,
            request_key=key,
            payload=payload,
            due_at=due_at or self.now,
            made_at=self.now,
        )

    def change_setup(self, act: str, **detail: object) -> None:
        """Note that the setup changed, once it is written: every process reads it again before its next act,
        every screen soon after.
        """
        settings.set_version(self.connection, self.clinic.version + 1)
        self.audit_with(act, detail)
        changes = changes_of(self.connection)
        if changes:
            words = said(changes)
            keep_change(
                self.connection, at=self.now, by_id=self.actor.id, act=act, words=words, changes=changes
            )
        self.tell("setup")
        self.changed_clinic = load(self.connection)

    def keep_setting(self, name: str, value: object) -> None:
        """One of the clinic's settings; `change_setup` follows once all are kept."""
        settings.keep_setting(self.connection, name, value)
