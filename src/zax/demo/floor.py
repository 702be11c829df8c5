"""The floor under the measured acts: the same rows by hand-written SQL through the bare driver, from bare
Starlette routes.
"""

from __future__ import annotations

import threading
import uuid
from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

import mariadb
from sqlalchemy import URL
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.routing import Route

from zax.demo import bench_book, bench_followup, bench_money, bench_visit

SEARCH = (
    (
        "SELECT id, first, last, birth, phone, household_id, alert FROM patient WHERE status = 'active' AND"
        " last_key LIKE %s ORDER BY last_key, first_key, id LIMIT 8"
    ),
    (
        "SELECT id, first, last, birth, phone, household_id, alert FROM patient WHERE status = 'active' AND"
        " first_key LIKE %s ORDER BY last_key, first_key, id LIMIT 8"
    ),
)
BOOK = (
    (
        "SELECT v.id, v.site_id, v.patient_id, v.provider_id, v.room_id, v.type_id, v.day, v.start_min,"
        " v.minutes, v.state, v.version, v.note, p.first, p.last, p.phone, p.birth, p.street, p.sex, p.alert"
        " FROM visit v JOIN patient p ON p.id = v.patient_id WHERE v.day = %s AND v.site_id = %s ORDER BY"
        " v.start_min, v.id"
    ),
    (
        "SELECT m.visit_id, m.to_stop, m.at FROM track_move m JOIN visit v ON v.id = m.visit_id WHERE v.day ="
        " %s AND v.site_id = %s AND m.to_stop IN ('here', 'room', 'checkout') ORDER BY m.id"
    ),
    (
        "SELECT s.visit_id, s.provider_id, s.start_min, s.end_min, s.words FROM staff_slot s JOIN visit v ON"
        " v.id = s.visit_id WHERE v.day = %s AND v.site_id = %s AND s.words <> '' AND v.state NOT IN"
        " ('missed', 'canceled') ORDER BY s.start_min"
    ),
    (
        "SELECT v.id, c.member_id, c.checked_at, c.check_state, y.eligibility FROM visit v JOIN visit_type t"
        " ON t.id = v.type_id LEFT JOIN (coverage c JOIN plan p ON p.id = c.plan_id JOIN payer y ON y.id ="
        " p.payer_id) ON c.patient_id = v.patient_id AND p.dental = t.dental AND c.rank = 1 AND (c.to_day IS"
        " NULL OR c.to_day >= v.day) WHERE v.day = %s AND v.site_id = %s AND v.state IN ('held', 'booked',"
        " 'confirmed', 'here', 'room')"
    ),
)
DAY = (
    (
        "SELECT j.visit_id, SUM(j.patient_cents), SUM(j.insurer_cents), SUM(CASE WHEN j.kind = 'charge' OR"
        " (j.kind = 'reversal' AND j.payment_id IS NULL) THEN j.patient_cents + j.insurer_cents ELSE 0 END)"
        " FROM journal j JOIN visit v ON v.id = j.visit_id WHERE v.day = %s AND v.site_id = %s GROUP BY"
        " j.visit_id"
    ),
)
JOBS = (
    "SELECT COUNT(*) FROM claim WHERE state IN ('held_back', 'rejected', 'denied')",
    "SELECT COUNT(*), SUM(paid_cents) FROM remit_claim WHERE outcome IN ('unknown', 'repeated', 'person')",
    "SELECT COUNT(*), SUM(cents) FROM payment WHERE state IN ('asking', 'unknown')",
    "SELECT COUNT(*) FROM x12_file WHERE direction = 'in' AND kind = 'bad'",
    "SELECT COUNT(*) FROM visit WHERE state = 'held' AND site_id = 1",
)
REST = (
    "SELECT v.id, v.patient_id, v.day, p.first, p.last, SUM(j.patient_cents) AS c FROM visit v JOIN patient p"
    " ON p.id = v.patient_id JOIN journal j ON j.visit_id = v.id WHERE v.state = 'left' AND v.site_id = %s"
    " GROUP BY v.id HAVING SUM(j.insurer_cents) = 0 AND c <> 0 ORDER BY v.day DESC, v.id DESC LIMIT 40"
)
SHEET = (
    "SELECT v.*, p.* FROM visit v JOIN patient p ON p.id = v.patient_id WHERE v.id = %s",
    (
        "SELECT m.from_stop, m.to_stop, m.at, m.reason, u.name FROM track_move m LEFT JOIN user u ON u.id ="
        " m.by_id WHERE m.visit_id = %s ORDER BY m.id"
    ),
    (
        "SELECT id, kind, day, patient_cents, insurer_cents, line_id, visit_id, reverses_id FROM journal"
        " WHERE visit_id = %s ORDER BY id"
    ),
    "SELECT * FROM staff_slot WHERE visit_id = %s AND words <> ''",
    "SELECT * FROM charge_line WHERE visit_id = %s AND removed_at IS NULL ORDER BY id",
    (
        "SELECT c.*, p.payer_id, p.name, y.name FROM visit v JOIN coverage c ON c.patient_id = v.patient_id"
        " JOIN plan p ON p.id = c.plan_id JOIN payer y ON y.id = p.payer_id WHERE v.id = %s ORDER BY c.id"
        " DESC LIMIT 1"
    ),
    (
        "SELECT v.day, s.code, s.category, l.tooth, l.area, l.units, l.provider_id, l.deductible_cents,"
        " l.own_cents, l.first_cents, l.second_cents, l.second_deductible_cents, l.second_own_cents,"
        " a.plan_id, b.plan_id, (SELECT COUNT(*) FROM claim_line k JOIN claim c ON c.id = k.claim_id WHERE"
        " k.line_id = l.id AND c.state IN ('closed', 'denied')), (SELECT COALESCE(-SUM(j.insurer_cents), 0)"
        " FROM journal j WHERE j.line_id = l.id AND j.kind = 'insurer') FROM visit w STRAIGHT_JOIN visit v ON"
        " v.patient_id = w.patient_id STRAIGHT_JOIN charge_line l ON l.visit_id = v.id STRAIGHT_JOIN service"
        " s ON s.id = l.service_id LEFT JOIN coverage a ON a.id = l.first_coverage_id LEFT JOIN coverage b"
        " ON b.id = l.second_coverage_id WHERE w.id = %s AND v.id <> w.id AND l.removed_at IS NULL AND"
        " v.state IN ('checkout', 'left', 'settled') ORDER BY v.day, l.id"
    ),
    "SELECT j.patient_cents FROM journal j JOIN visit v ON v.patient_id = j.patient_id WHERE v.id = %s",
    (
        "SELECT d.position, d.code, c.words FROM visit_diagnosis d JOIN diagnosis_code c ON c.code = d.code"
        " WHERE d.visit_id = %s"
    ),
    "SELECT id, number, state, findings FROM claim WHERE visit_id = %s",
    (
        "SELECT w.id, w.day, w.start_min, w.provider_id, w.type_id FROM visit v JOIN visit w ON w.patient_id"
        " = v.patient_id AND w.day > v.day AND w.state IN ('held', 'booked', 'confirmed') WHERE v.id = %s"
        " ORDER BY w.day LIMIT 1"
    ),
    # what heads-ups ask about, and where the patient was
    (
        "SELECT f.flag_id FROM patient_flag f JOIN visit v ON v.patient_id = f.patient_id WHERE v.id = %s AND"
        " f.ended_at IS NULL"
    ),
    (
        "SELECT MAX(v.day) FROM visit w JOIN visit v ON v.patient_id = w.patient_id AND v.day < w.day AND"
        " v.state IN ('checkout', 'left', 'settled') WHERE w.id = %s"
    ),
    (
        "SELECT DISTINCT d.code FROM visit w JOIN visit v ON v.patient_id = w.patient_id JOIN visit_diagnosis"
        " d ON d.visit_id = v.id WHERE w.id = %s"
    ),
    (
        "SELECT f.template_id, MAX(f.at) FROM signed_form f JOIN visit v ON v.patient_id = f.patient_id WHERE"
        " v.id = %s GROUP BY f.template_id"
    ),
    (
        "SELECT MIN(r.due_day) FROM recall r JOIN visit v ON v.patient_id = r.patient_id WHERE v.id = %s AND"
        " r.ended_at IS NULL"
    ),
    (
        "SELECT c.*, p.payer_id, p.dental, y.kind FROM visit v JOIN coverage c ON c.patient_id = v.patient_id"
        " JOIN plan p ON p.id = c.plan_id JOIN payer y ON y.id = p.payer_id WHERE v.id = %s"
    ),
    "SELECT d.headsup_id FROM headsup_dismissal d WHERE d.visit_id = %s AND d.undone_at IS NULL",
    "SELECT w.at, w.room_id, w.stage_id FROM whereabouts w WHERE w.visit_id = %s ORDER BY w.id",
)


# The list to work: sums by need and payer, money by age, and the first rows of each group.
_LIST = (
    " FROM claim c JOIN coverage v ON v.id = c.coverage_id JOIN plan p ON p.id = v.plan_id JOIN payer y ON"
    " y.id = p.payer_id LEFT JOIN payer_norm n ON n.payer_id = y.id"
)
_LATE = "DATEDIFF(%s, c.sent_at) > COALESCE(n.own_days, n.learned_days, 30)"
_ROWS = (
    "SELECT c.*, a.first, a.last, b.day, y.name"
    f"{_LIST} JOIN patient a ON a.id = c.patient_id JOIN visit b ON b.id = c.visit_id WHERE "
)
CLAIMS = (
    (
        f"SELECT c.state, {_LATE}, y.id, COUNT(*), SUM(c.cents){_LIST} WHERE c.state <> 'closed'"
        " GROUP BY 1, 2, 3"
    ),
    (
        f"SELECT {_LATE}, y.id, DATEDIFF(c.made_at, c.sent_at) DIV 10, COUNT(*), SUM(c.cents){_LIST} WHERE"
        " c.state IN ('going', 'sent', 'accepted') GROUP BY 1, 2, 3"
    ),
    f"{_ROWS} c.state IN ('held_back', 'rejected') ORDER BY b.day LIMIT 5",
    f"{_ROWS} c.state = 'denied' ORDER BY c.cents DESC LIMIT 5",
    f"{_ROWS} c.state IN ('going', 'sent', 'accepted') AND {_LATE} ORDER BY c.sent_at LIMIT 5",
)


POSTING = ("SELECT * FROM remit WHERE id = %s", "SELECT * FROM remit_claim WHERE remit_id = %s LIMIT 400")
TO_PLACE = (
    (
        "SELECT c.*, a.first, a.last, b.day, y.name FROM claim c JOIN visit b ON b.id = c.visit_id"
        " JOIN patient a ON a.id = c.patient_id JOIN coverage v ON v.id = c.coverage_id"
        " JOIN plan p ON p.id = v.plan_id JOIN payer y ON y.id = p.payer_id WHERE y.id = 1"
        " AND c.state IN ('sent', 'accepted') ORDER BY a.last,"
        " a.first, b.day, c.id LIMIT 400"
    ),
)
DENIED = (
    (
        "SELECT s.*, c.number, a.first, a.last, b.day, e.code, y.name FROM shortfall s JOIN claim c ON c.id ="
        " s.claim_id JOIN visit b ON b.id = c.visit_id JOIN patient a ON a.id = c.patient_id"
        " JOIN charge_line l ON l.id = s.line_id JOIN service e ON e.id = l.service_id"
        " JOIN coverage v ON v.id = c.coverage_id"
        " JOIN plan p ON p.id = v.plan_id JOIN payer y ON y.id = p.payer_id WHERE s.state IN ('open',"
        " 'appealed') ORDER BY s.act_by, s.cents DESC, s.id LIMIT 500"
    ),
)


class Floor:
    """A connection a thread, and the routes."""

    def __init__(self, url: URL) -> None:
        self.url = url
        self.own = threading.local()

    def cursor(self) -> Any:
        if not hasattr(self.own, "connection"):
            self.own.connection = mariadb.connect(
                host=self.url.host,
                port=self.url.port,
                user=self.url.username,
                password=self.url.password,
                database=self.url.database,
                ssl_ca=self.url.query["ssl_ca"],
                ssl_verify_cert=True,
                autocommit=True,
            )
        return self.own.connection.cursor()

    def rows(self, statements: Sequence[str], *values: Any) -> list[Any]:
        """All rows of all statements, dates and times as text."""
        cursor, found = self.cursor(), []
        for statement in statements:
            cursor.execute(statement, values[: statement.count("%s")])
            found.append(
                [
                    [str(v) if v is not None and not isinstance(v, (int, str)) else v for v in row]
                    for row in cursor.fetchall()
                ]
            )
        return found

    def app(self) -> Starlette:
        routes = [
            Route(f"/{name}", getattr(self, name), methods=["GET", "POST"])
            for name in (
                "search",
                "day",
                "book",
                "sheet",
                "book_visit",
                "take_payment",
                "week",
                "waitlist",
                "openings",
                "checkout",
                "account",
                "claims",
                "posting",
                "denied",
                "recalls",
                "calls",
            )
        ]
        return Starlette(routes=routes)

    def search(self, request: Request) -> JSONResponse:
        return JSONResponse(self.rows(SEARCH, f"{request.query_params['q']}%"))

    def claims(self, request: Request) -> JSONResponse:
        return JSONResponse(self.rows(CLAIMS, request.query_params["day"]))

    def posting(self, request: Request) -> JSONResponse:
        return JSONResponse([self.rows(POSTING, request.query_params["id"]), self.rows(TO_PLACE)])

    def denied(self, request: Request) -> JSONResponse:
        return JSONResponse(self.rows(DENIED))

    def recalls(self, request: Request) -> JSONResponse:
        day = request.query_params["day"]
        return JSONResponse(self.rows(bench_followup.RECALLS, day, day))

    def calls(self, request: Request) -> JSONResponse:
        """Every reason is read; what goes back is how many there are."""
        day = request.query_params["day"]
        return JSONResponse([len(found) for found in self.rows(bench_followup.CALLS, day, day)])

    def book(self, request: Request) -> JSONResponse:
        return JSONResponse(self.rows(BOOK, request.query_params["day"], request.query_params["site"]))

    def day(self, request: Request) -> JSONResponse:
        day, site = request.query_params["day"], request.query_params["site"]
        return JSONResponse([self.rows((*BOOK, *DAY), day, site), self.rows(JOBS), self.rows((REST,), site)])

    def sheet(self, request: Request) -> JSONResponse:
        return JSONResponse(self.rows(SHEET, request.query_params["id"]))

    def checkout(self, request: Request) -> JSONResponse:
        """The sheet's rows, what is open besides, what is planned and due, and who is busy half a year on."""
        visit, day = request.query_params["id"], date.fromisoformat(request.query_params["day"])
        since = day + timedelta(days=182)
        busy = self.rows(bench_book.SLOTS[:1], 1, 6, since, since + timedelta(days=14))
        return JSONResponse([self.rows(SHEET, visit), self.rows(bench_visit.CHECKOUT, visit), busy])

    def account(self, request: Request) -> JSONResponse:
        return JSONResponse(self.rows(bench_money.ACCOUNT, request.query_params["id"]))

    def week(self, request: Request) -> JSONResponse:
        q = request.query_params
        return JSONResponse(self.rows((bench_book.BOOK,), q["provider"], q["first"], q["last"]))

    def waitlist(self, request: Request) -> JSONResponse:
        """Everybody who waits, their tallies, and who is busy on the three days shown."""
        first = date.fromisoformat(request.query_params["day"])
        busy = self.rows(
            bench_book.SLOTS[:1],
            bench_book.SITE,
            bench_book.SITE + bench_book.PEOPLE,
            first,
            first + timedelta(days=4),
        )
        return JSONResponse([self.rows(bench_book.WAITLIST), busy])

    def openings(self, request: Request) -> JSONResponse:
        """Who and which room is busy in the first four weeks."""
        first, last = request.query_params["first"], request.query_params["last"]
        people = self.rows(
            bench_book.SLOTS[:1], bench_book.SITE, bench_book.SITE + bench_book.PEOPLE, first, last
        )
        return JSONResponse([people, self.rows(bench_book.SLOTS[1:], first, last)])

    def book_visit(self, request: Request) -> JSONResponse:
        """The statements of a booking: look for the key, lock the days, read who is busy, write the visit and
        its parts.
        """
        q = request.query_params
        provider, day, start, patient = (
            int(q["provider"]),
            date.fromisoformat(q["day"]),
            int(q["at"]),
            int(q["patient"]),
        )
        c = self.cursor()
        c.execute("START TRANSACTION")
        c.execute("SELECT id FROM visit WHERE request_key = %s", (q["key"],))
        for table, column, number in (
            ("provider_day", "provider_id", provider),
            ("room_day", "room_id", provider),
        ):
            c.execute(
                f"INSERT INTO {table} ({column}, day, version) VALUES (%s, %s, 1) ON DUPLICATE KEY UPDATE"
                " version = version + 1",
                (number, day),
            )
        c.execute(
            "SELECT provider_id, start_min, end_min FROM staff_slot WHERE provider_id = %s AND day = %s",
            (provider, day),
        )
        c.fetchall()
        c.execute("SELECT room_id, start_min, minutes FROM visit WHERE day = %s AND site_id = 1", (day,))
        c.fetchall()
        c.execute(
            "INSERT INTO visit (site_id, patient_id, provider_id, room_id, type_id, day, start_min, minutes,"
            " state, request_key, made_at, made_by) VALUES (1, %s, %s, %s, 9, %s, %s, 30, 'booked', %s,"
            " NOW(), 1)",
            (patient, provider, provider, day, start, q["key"]),
        )
        visit = c.lastrowid
        c.execute(
            "INSERT INTO staff_slot (visit_id, provider_id, day, start_min, end_min) VALUES (%s, %s, %s,"
            " %s, %s)",
            (visit, provider, day, start, start + 30),
        )
        c.execute(
            "INSERT INTO charge_line (visit_id, service_id, provider_id, fee_cents, entered_at, entered_by)"
            " VALUES (%s, 27, %s, 12800, NOW(), 1)",
            (visit, provider),
        )
        c.execute(
            "INSERT INTO track_move (visit_id, from_stop, to_stop, at, by_id) VALUES (%s, '', 'booked',"
            " NOW(), 1)",
            (visit,),
        )
        self._note(c, visit, patient)
        return JSONResponse({"visit": visit})

    def take_payment(self, request: Request) -> JSONResponse:
        """The statements of a cash payment: lock the visit, read its journal, write payment, entry and
        allocation.
        """
        visit, line, patient, key = (
            int(request.query_params[n]) for n in ("visit", "line", "patient", "key")
        )
        c = self.cursor()
        c.execute("START TRANSACTION")
        c.execute("SELECT id FROM visit WHERE id = %s FOR UPDATE", (visit,))
        c.execute("SELECT id FROM payment WHERE request_key = %s", (uuid.uuid4().hex,))
        for _ in range(2):
            c.execute(
                "SELECT id, patient_cents, insurer_cents, line_id FROM journal WHERE visit_id = %s", (visit,)
            )
            c.fetchall()
        c.execute(
            "SELECT a.credit_id, a.line_id, a.cents FROM allocation a JOIN charge_line l ON l.id = a.line_id"
            " WHERE l.visit_id = %s",
            (visit,),
        )
        c.execute("SELECT closed_day FROM site_books WHERE site_id = 1 LOCK IN SHARE MODE")
        c.execute(
            "SELECT id FROM household WHERE id = (SELECT household_id FROM patient WHERE id = %s) FOR UPDATE",
            (patient,),
        )
        unique = f"floor-{key}-{uuid.uuid4().hex[:12]}"
        c.execute(
            "INSERT INTO receipt (request_key, patient_id, site_id, day, at, by_id) VALUES (%s, %s, 1,"
            " CURDATE(), NOW(), 1)",
            (unique, patient),
        )
        c.execute(
            "INSERT INTO payment (request_key, receipt_id, patient_id, visit_id, site_id, tender, cents,"
            " asked_cents, state, day, at, by_id) VALUES (%s, %s, %s, %s, 1, 'cash', 1, 1, 'taken',"
            " CURDATE(), NOW(), 1)",
            (unique, c.lastrowid, patient, visit),
        )
        payment = c.lastrowid
        c.execute(
            "INSERT INTO payment_part (payment_id, patient_id, visit_id, cents) VALUES (%s, %s, %s, 1)",
            (payment, patient, visit),
        )
        c.execute(
            "INSERT INTO journal (kind, day, at, by_id, site_id, patient_id, visit_id, payment_id,"
            " patient_cents, words) VALUES ('payment', CURDATE(), NOW(), 1, 1, %s, %s, %s, -1, 'paid')",
            (patient, visit, payment),
        )
        c.execute(
            "INSERT INTO allocation (credit_id, line_id, patient_id, cents, at, by_id) VALUES (%s, %s, %s, 1,"
            " NOW(), 1)",
            (c.lastrowid, line, patient),
        )
        self._note(c, visit, patient)
        return JSONResponse({"visit": visit})

    @staticmethod
    def _note(c: Any, visit: int, patient: int) -> None:
        c.execute(
            "INSERT INTO audit (at, by_id, act, patient_id, visit_id, detail) VALUES (NOW(), 1, 'floor', %s,"
            " %s, '{}')",
            (patient, visit),
        )
        c.execute(
            "INSERT INTO feed (at, what, visit_id, patient_id) VALUES (NOW(), 'floor', %s, %s)",
            (visit, patient),
        )
        c.execute("COMMIT")
