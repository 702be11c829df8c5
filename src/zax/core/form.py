"""The shape of what a page sends: a `Form` is a Pydantic model whose fields are read by core/reading and
core/money/cents, one kind of field one way everywhere.

Rule: a form that exists has its right shape, its days are days and its money is cents; every wrong field is
told at once, beside it, in people's words. Whether what it asks for may be done is the act's to say.

FastAPI's own `Form()` parameter answers before the page knows what was typed, so pages read the same models
from the posted fields (`PostedForm.read` in web/shell/request_context) where they can show the page again.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from typing import Annotated, Self, TypeAlias

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, ValidationInfo
from pydantic_core import PydanticCustomError

from zax.core.errors import Problems, Refused, ZaxError
from zax.core.money.cents import parse_amount
from zax.core.reading import needed_day, needed_number, parse_clock, reference

LONGEST_KEY = 40
_NO_REFERENCE = "We don’t recognize this number. Reload the page and try again."
_NO_CHOICE = "We don’t recognize this choice. Reload the page and try again."


class Form(BaseModel):
    """What a page sends, or an act is asked for. Building one raises Problems, field by field."""

    model_config = ConfigDict(frozen=True, populate_by_name=True)

    def __init__(self, **given: object) -> None:
        try:
            super().__init__(**given)
        except ValidationError as error:
            raise Problems(
                {str(each["loc"][0]): each["msg"] for each in reversed(error.errors(include_url=False))}
            ) from None

    def but(self, **changes: object) -> Self:
        """The same with some fields changed."""
        return type(self)(**(dict(self) | changes))


def typed(read: Callable[[str, str], object]) -> BeforeValidator:
    """A kind of field: what was typed, and the field's name for its message, go to `read`. A value that is no
    text was put there by our own code and is checked by its type alone.
    """

    def check(given: object, info: ValidationInfo) -> object:
        if not isinstance(given, str):
            return given
        try:
            return read(given, info.field_name or "")
        except ZaxError as error:
            raise PydanticCustomError("typed", "{words}", {"words": error.message}) from None

    return BeforeValidator(check)


def _or_none(read: Callable[[str, str], object]) -> Callable[[str, str], object]:
    return lambda text, field: read(text, field) if text.strip() else None


def _reference(text: str, field: str) -> int:
    if not reference(text) and text.strip().strip("0"):
        raise Refused(_NO_REFERENCE, field)
    return reference(text)


def _minutes(text: str, field: str) -> int:
    return needed_number(text, field, 1, 99_999, "Enter the length in minutes, such as 30.")


def _references(given: object) -> object:
    if isinstance(given, str) or not isinstance(given, Iterable):
        return given
    texts = [text for each in given if (text := str(each).strip())]
    if not all(reference(text) for text in texts):
        raise PydanticCustomError("typed", "{words}", {"words": _NO_CHOICE})
    return tuple(reference(text) for text in texts)


def _texts(given: object) -> object:
    if isinstance(given, str) or not isinstance(given, Iterable):
        return given
    return tuple(text for each in given if (text := str(each).strip()))


# The number of a row as a choice carries it: 0 for none.
Reference: TypeAlias = Annotated[int, typed(_reference)]
# A choice of a list where nothing chosen is for the act to say: 0 too for what is no number.
Choice: TypeAlias = Annotated[int, typed(lambda text, _: reference(text))]
# The same where an empty field means that nothing was asked: a version, a patient yet to be found.
ReferenceOrNone: TypeAlias = Annotated[int | None, typed(lambda text, field: _reference(text, field) or None)]
# The key a page made for its form, so that pressed twice it is done once.
Key: TypeAlias = Annotated[str, typed(lambda text, _: text[:LONGEST_KEY])]
# Every value of a field that comes several times, as it was sent.
Texts: TypeAlias = Annotated[tuple[str, ...], BeforeValidator(_texts)]
# Ticks: every value of a field that comes several times.
References: TypeAlias = Annotated[tuple[int, ...], BeforeValidator(_references)]
Tick: TypeAlias = Annotated[bool, typed(lambda text, _: text.strip() not in {"", "0", "no"})]
Cents: TypeAlias = Annotated[int, typed(parse_amount)]
CentsOrNone: TypeAlias = Annotated[int | None, typed(_or_none(parse_amount))]
# A length in minutes, None for an empty field; whether a visit can be that long is the act's to say.
Minutes: TypeAlias = Annotated[int | None, typed(_or_none(_minutes))]
# Minutes from midnight.
Clock: TypeAlias = Annotated[int, typed(parse_clock)]
ClockOrNone: TypeAlias = Annotated[int | None, typed(_or_none(parse_clock))]


def a_day(words: str) -> BeforeValidator:
    """A day of the calendar; `words` is the message for nothing and for what is no day."""
    return typed(lambda text, field: needed_day(text, field, words))


def a_day_or_none(words: str) -> BeforeValidator:
    """A day, None for an empty field."""
    return typed(_or_none(lambda text, field: needed_day(text, field, words)))


def a_number(least: int, most: int, words: str = "") -> BeforeValidator:
    """A whole number between two limits."""
    return typed(lambda text, field: needed_number(text, field, least, most, words))


def a_number_or(usual: int | None, least: int, most: int, words: str = "") -> BeforeValidator:
    """A whole number between two limits, `usual` for an empty field."""
    return typed(
        lambda text, field: needed_number(text, field, least, most, words) if text.strip() else usual
    )


def some_text(words: str) -> BeforeValidator:
    """A text; `words` is the message for an empty field."""

    def check(text: str, field: str) -> str:
        if not text.strip():
            raise Refused(words, field)
        return text

    return typed(check)


def one_of(choices: Collection[str], words: str) -> BeforeValidator:
    """One of the choices; `words` is the message for anything else."""

    def check(text: str, field: str) -> str:
        if text not in choices:
            raise Refused(words, field)
        return text

    return typed(check)


class OfVersion(Form):
    """A form that says which version its page was shown from; None asks for no comparison."""

    version: ReferenceOrNone = None
