"""Changing the words of one message: a preview with a real visit while they are typed, a new version, back to
the original, and a test to oneself.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, Problems
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language
from zax.core.messages.length import text_length
from zax.core.notices.events import Event
from zax.core.notices.originals import Variant, Words
from zax.core.notices.words import checked, filled
from zax.desk.notices.forecast import foreseen
from zax.desk.notices.rules import WordBook, back_to_original, habits_of, keep_words, rules_of, word_book
from zax.desk.notices.testing import send_test
from zax.store.engine import Connection
from zax.web.notices.cell import Cell, filled_with, needed_cell, shown_with
from zax.web.notices.setup import page_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


def _typed(form: PostedForm) -> Words:
    return Words(form["body"].replace("\r\n", "\n"), form["subject"])


@router.post("/setup/messages/preview")
def preview(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The words as they are typed, with a real visit, how long they are, and what would be refused."""
    ctx = enter(request, "setup")
    cell, words = needed_cell(form), _typed(form)
    problems: Mapping[str, str] = {}
    try:
        checked(words, cell.event, cell.channel, cell.variant)
    except Problems as error:
        problems = error.problems
    with ctx.read() as connection:
        shown = shown_with(connection, ctx, cell)
        longer, ahead = _pushed_over(connection, ctx, cell, words) if cell.channel is Channel.TEXT else (0, 0)
    made = filled_with(words, shown)
    return ctx.page(
        "notices/parts/preview.html",
        cell=cell,
        preview=made,
        length=text_length(made.body if made else words.body),
        longer=longer,
        ahead=ahead,
        wrong=problems,
        habits=habits_of(ctx.clinic),
    )


def _pushed_over(connection: Connection, ctx: RequestContext, cell: Cell, words: Words) -> tuple[int, int]:
    """How many of tomorrow's people these words would cost more than one text, and how many they are."""
    book = word_book(connection)
    trial = _Trial(book.kept, cell, words)
    tomorrow = ctx.today + timedelta(days=1)
    ahead = foreseen(
        connection, ctx.clinic, rules_of(connection), trial, tomorrow, (cell.event, cell.channel)
    )
    going = [each for each in ahead if each.to]
    return sum(each.messages > 1 for each in going), len(going)


@dataclass(frozen=True, slots=True)
class _Trial(WordBook):
    """The clinic's words with those that are being typed among them."""

    cell: Cell
    words: Words

    def exactly(
        self, event: Event, channel: Channel, language: Language, variant: Variant, type_id: int
    ) -> Words | None:
        if (event, channel, language, variant, type_id) == self.cell.key:
            return self.words
        return WordBook.exactly(self, event, channel, language, variant, type_id)


@router.post("/setup/messages/words")
def save_words(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    cell = needed_cell(form)
    try:
        kept = keep_words(ctx.desk, ctx.actor, cell.key, _typed(form))
    except Mendable as error:
        return _again(ctx, cell, error, form)
    said = "Saved."
    if cell.channel is Channel.TEXT:
        with ctx.read() as connection:
            shown = shown_with(connection, ctx, cell)
        length = text_length(filled(kept, shown).body if shown else kept.body)
        if length.messages > 1:
            said = f"Saved. It takes {length.messages} messages, so it costs {length.messages} times as much."
    return ctx.go(cell.address, said)


@router.post("/setup/messages/original")
def original_again(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    cell = needed_cell(form)
    try:
        back_to_original(ctx.desk, ctx.actor, cell.key)
    except Mendable as error:
        return _again(ctx, cell, error, form)
    return ctx.go(cell.address, "Back to the original. Your words are among the versions.")


@router.post("/setup/messages/test")
def test_words(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """What is typed, filled with a real visit, to oneself."""
    ctx = enter(request, "setup")
    cell, words = needed_cell(form), _typed(form)
    try:
        kept = checked(words, cell.event, cell.channel, cell.variant)
        with ctx.read() as connection:
            shown = shown_with(connection, ctx, cell)
        said = filled(kept, shown) if shown else kept
        send_test(ctx.desk, ctx.actor, cell.channel, form["to"], said.subject, said.body, form["once"])
    except Mendable as error:
        return _again(ctx, cell, error, form)
    return ctx.go(f"{cell.address}#tests", "The test is on its way.")


def _again(ctx: RequestContext, cell: Cell, error: Mendable, form: PostedForm) -> Response:
    return page_of(ctx, cell, error.status, problems=error.problems, typed=form)
