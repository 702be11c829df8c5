"""The posting desk: every insurer payment that isn't placed yet, a new one by hand, and one payment worked on
claim by claim with its rest always in sight.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from dataclasses import replace
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import NotFound, ProblemCollector, Problems, Refused, ZaxError
from zax.core.money.cents import parse_amount
from zax.core.reading import reference
from zax.core.remits.grid import PLACE_WORDS, Boxes, Place
from zax.desk.claims.colleagues import billers
from zax.desk.remits import by_hand, placing_by_hand
from zax.desk.remits.posting_desk import Grid, GridLine, grid_of, posting_desk, split_boxes
from zax.store.listing import Order
from zax.store.remits import remits, shortfalls
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
BOXES = ("paid", "deductible", "coinsurance", "copay", "off")
BOX_WORDS = {
    "paid": "plan paid",
    "deductible": "deductible",
    "coinsurance": "coinsurance",
    "copay": "copay",
    "off": "write-off",
}
SHOWS = {"open": "To place", "finished": "Finished", "reversed": "Reversed"}


@router.get("/claims/payments")
def show_payments(request: Request, show: str = "open") -> Response:
    """The payments that are open, with who is on each; or those that are done."""
    ctx = enter(request, "claims")
    if show not in SHOWS:
        raise NotFound("There is no such list of payments.")
    wanted = wanted_of(request, Order.OLDEST if show == "open" else Order.NEWEST)
    with ctx.read() as connection:
        listed = remits.listed_remits(connection, show, wanted)
        reading = [each for each in remits.open_remits(connection) if each.state == remits.READING]
        short = shortfalls.count_open(connection)
    return ctx.page(
        "remits/payments.html",
        listed=listed,
        reading=reading,
        show=show,
        shows=SHOWS,
        short=short,
        kinds=by_hand.KINDS,
        screen="claims",
    )


@router.get("/claims/payments/new")
def new_payment(request: Request) -> Response:
    return _new_page(enter(request, "claims"), PostedForm())


def _new_page(ctx: RequestContext, typed: PostedForm, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        last = remits.last_payer(connection)
    typed["key"] = typed["key"] or uuid.uuid4().hex
    if "payer_id" not in typed:
        typed["payer_id"] = str(last or "")
    return ctx.page(
        "remits/new_payment.html", status, typed=typed, kinds=by_hand.KINDS, screen="claims", **more
    )


@router.post("/claims/payments/new")
def start(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    try:
        made = by_hand.start_payment(ctx.desk, ctx.actor, ctx.site_id, form.read(by_hand.PaymentForm))
        if form.content:
            by_hand.add_scan(ctx.desk, ctx.actor, ctx.shared.files, made, form.content)
    except ZaxError as error:
        if not error.problems:
            raise
        return _new_page(ctx, form, error.status, problems=error.problems)
    return ctx.go(_at(made), "Entered. Type a name to find the first claim.")


@router.get("/claims/payments/of/{answer_id}")
def show_payment_of(request: Request, answer_id: int) -> Response:
    """From an amount on an account to its line in the payment that brought it."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        answer = remits.answer_of(connection, answer_id)
    if answer is None:
        raise NotFound("There is no such line of an insurer payment.")
    return ctx.go(f"{_at(answer.remit_id)}#a{answer_id}")


@router.get("/claims/payments/{remit_id}")
def show_payment(request: Request, remit_id: int) -> Response:
    return desk_page(enter(request, "claims"), remit_id)


def desk_page(
    ctx: RequestContext,
    remit_id: int,
    status: int = 200,
    *,
    claim_id: int = 0,
    answer_id: int = 0,
    boxes: Mapping[int, Boxes] | None = None,
    **more: object,
) -> Response:
    """One payment; the address says what is looked for and which claim is open."""
    asked = ctx.request.query_params
    find = asked.get("find", "")
    with ctx.read() as connection:
        shown = posting_desk(
            connection,
            ctx.clinic,
            remit_id,
            find,
            claim_id or reference(asked.get("claim", "")),
            answer_id or reference(asked.get("answer", "")),
        )
        colleagues = [each for each in billers(connection, ctx.clinic) if each.id != shown.remit.worked_by_id]
    if shown.grid is not None and boxes is not None:
        shown = replace(shown, grid=with_boxes(shown.grid, boxes))
    page = ctx.page(
        "remits/posting.html",
        status,
        desk=shown,
        find=find,
        answering=answer_id or reference(asked.get("answer", "")),
        kinds=by_hand.KINDS,
        boxes=BOXES,
        box_words=BOX_WORDS,
        place_words=PLACE_WORDS,
        may_differ=ctx.may("reopen"),
        colleagues=colleagues,
        screen="claims",
        **({"deciding": False, "split": False} | more),
    )
    people = {each.row.patient_id for each in (*shown.placed, *shown.waiting) if each.row.patient_id}
    if shown.grid:
        people.add(shown.grid.claim.patient_id)
    return ctx.looked_at(page, sorted(people), "payment")


def with_boxes(grid: Grid, boxes: Mapping[int, Boxes]) -> Grid:
    """The grid as typed."""
    lines: list[GridLine] = [
        replace(each, boxes=boxes.get(each.line.line_id, each.boxes)) for each in grid.lines
    ]
    return replace(grid, lines=lines)


@router.post("/claims/payments/{remit_id}/place")
def place(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Place the open claim as typed. Where something of it is left, the page asks where that goes first."""
    ctx = enter(request, "claims")
    claim_id, answer_id = reference(form["claim_id"]), reference(form["answer_id"])
    split = form["split"] == "yes"
    typed: Mapping[int, Boxes] = {}
    try:
        grid = grid_asked_for(ctx, form)
        typed = boxes_typed(grid, form)
        split = split or bool(form["total"].strip())
        if not with_boxes(grid, typed).agrees and not form["place"]:
            return desk_page(
                ctx,
                remit_id,
                claim_id=claim_id,
                answer_id=answer_id,
                boxes=typed,
                deciding=True,
                split=split,
            )
        placing_by_hand.place_claim(
            ctx.desk,
            ctx.actor,
            remit_id,
            claim_id,
            typed,
            answer_id,
            split,
            reference(form["seen"]),
        )
    except ZaxError as error:
        if not error.problems:
            raise
        return desk_page(
            ctx,
            remit_id,
            error.status,
            claim_id=claim_id,
            answer_id=answer_id,
            boxes=typed,
            split=split,
            problems=error.problems,
            typed=form,
        )
    return ctx.go(_at(remit_id), "Placed.")


def grid_asked_for(ctx: RequestContext, form: PostedForm) -> Grid:
    """Of the claim that the form is about; NotFound for none."""
    with ctx.read() as connection:
        grid = grid_of(connection, ctx.clinic, reference(form["claim_id"]))
    if grid is None:
        raise NotFound("There is no such claim of a visit.")
    return grid


def boxes_typed(grid: Grid, form: PostedForm) -> Mapping[int, Boxes]:
    """The grid's boxes, or one sum for the claim shared out over them; raises Problems or Refused beside what
    is no amount.
    """
    if form["total"].strip():
        return split_boxes(grid, parse_amount(form["total"], "total"))
    return _each_box(form, [each.line.line_id for each in grid.lines])


def _each_box(form: PostedForm, line_ids: list[int]) -> dict[int, Boxes]:
    wrong = ProblemCollector()
    found = {}
    for line_id in line_ids:
        cents = {name: wrong.take(_cents, form[f"{name}-{line_id}"], f"{name}-{line_id}") for name in BOXES}
        place = form[f"place-{line_id}"] or form["place"] or Place.WORK
        if place not in set(Place):
            wrong.add(f"place-{line_id}", "Choose where it goes.")
            place = Place.WORK
        found[line_id] = Boxes(
            **{name: value or 0 for name, value in cents.items()},
            reason=form[f"reason-{line_id}"].strip()[:8],
            place=Place(place),
        )
    wrong.raise_if_any()
    return found


def _cents(text: str, field: str) -> int:
    """An amount; empty and zero are nothing."""
    return parse_amount(text, field) if text.strip().strip("0.,") else 0


@router.post("/claims/payments/{remit_id}/paper-claim")
def paper_claim(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """A visit that nobody billed: its claim counts as sent on paper, and opens."""
    ctx = enter(request, "claims")
    claim_id = placing_by_hand.note_sent_on_paper(ctx.desk, ctx.actor, reference(form["visit_id"]))
    return ctx.go(f"{_at(remit_id)}?{urlencode({'claim': claim_id})}", "Noted as sent on paper.")


@router.post("/claims/payments/{remit_id}/take-out")
def take_out(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    placing_by_hand.take_out(ctx.desk, ctx.actor, reference(form["answer_id"]))
    return ctx.go(_at(remit_id), "Taken out. Place it again, here or in another payment.")


@router.post("/claims/payments/{remit_id}/aside")
def aside(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        placing_by_hand.set_aside_answer(ctx.desk, ctx.actor, reference(form["answer_id"]), form["why"])

    return _done(request, remit_id, act, form, "Noted.")


@router.post("/claims/payments/{remit_id}/take")
def take_over(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    by_hand.work_on(ctx.desk, ctx.actor, remit_id)
    return ctx.go(_at(remit_id), "You’re on it now.")


@router.post("/claims/payments/{remit_id}/hand")
def hand(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    try:
        name = by_hand.hand_over(ctx.desk, ctx.actor, remit_id, reference(form["user_id"]))
    except Refused as error:
        return desk_page(ctx, remit_id, error.status, problems=error.problems, typed=form)
    return ctx.go("/claims/payments", f"Handed to {name}.")


@router.post("/claims/payments/{remit_id}/scan")
def scan(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        by_hand.add_scan(ctx.desk, ctx.actor, ctx.shared.files, remit_id, form.content)

    return _done(request, remit_id, act, form, "Saved.")


@router.get("/claims/payments/{remit_id}/scan")
def show_scan(request: Request, remit_id: int) -> Response:
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        row = remits.remit_of(connection, remit_id)
        people = [each.patient_id for each in remits.answers_of(connection, remit_id) if each.patient_id]
    if row is None or not row.scan:
        raise NotFound("No paper was scanned for this payment.")
    answer = Response(
        ctx.shared.files.get(row.scan),
        media_type=row.scan_type,
        headers={"Content-Disposition": "inline", "Content-Security-Policy": "sandbox"},
    )
    return ctx.looked_at(answer, people, "payment")


@router.post("/claims/payments/{remit_id}/finish")
def finish(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        by_hand.finish_payment(ctx.desk, ctx.actor, remit_id, form["why"])

    return _done(request, remit_id, act, form, "Finished: every cent is placed.", "/claims/payments")


@router.post("/claims/payments/{remit_id}/reopen")
def reopen(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    by_hand.open_again(ctx.desk, ctx.actor, remit_id)
    return ctx.go(_at(remit_id), "Open again.")


@router.post("/claims/payments/{remit_id}/reverse")
def reverse(request: Request, remit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        by_hand.reverse_payment(ctx.desk, ctx.actor, remit_id, form["why"])

    return _done(request, remit_id, act, form, "Reversed. Its claims wait for the payer again.")


def _done(
    request: Request,
    remit_id: int,
    act: Callable[[RequestContext], None],
    form: PostedForm,
    said: str,
    to: str = "",
) -> Response:
    """Do it; what is wrong is said on the payment's page, with what was typed."""
    ctx = enter(request, "claims")
    try:
        act(ctx)
    except (Problems, Refused) as error:
        return desk_page(
            ctx,
            remit_id,
            error.status,
            answer_id=reference(form["answer_id"]),
            problems=error.problems,
            typed=form,
        )
    return ctx.go(to or _at(remit_id), said)


def _at(remit_id: int) -> str:
    return f"/claims/payments/{remit_id}"
