"""The words that ship, in English and Spanish, by event and channel. None of them says anything about health
or an amount: a text lies open on a table, a mail passes many hands. Texts keep to the phone network's plain
letters.

`AGAIN` are the words of a second try, `SEVERAL` those for one person or phone with several visits that day.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from zax.core.messages.channel import Channel
from zax.core.messages.language import Language
from zax.core.notices.events import Event


class Variant(StrEnum):
    USUAL = ""
    AGAIN = "again"
    SEVERAL = "several"


@dataclass(frozen=True, slots=True)
class Words:
    """A mail has a subject; a call is what is read out."""

    body: str
    subject: str = ""


_EN, _ES = Language.ENGLISH, Language.SPANISH
_TEXT, _EMAIL, _CALL = Channel.TEXT, Channel.EMAIL, Channel.CALL

_SHORT: Mapping[tuple[Event, Variant], tuple[str, str]] = {
    (Event.BOOKED, Variant.USUAL): (
        "Hi {first}, you're booked: {day}, {time} with {provider} at {site}. To change it call {phone}."
        " {clinic}",
        "Hola {first}, su cita: {day}, {time} con {provider} en {site}. Para cambiarla llame al {phone}."
        " {clinic}",
    ),
    (Event.MOVED, Variant.USUAL): (
        "Hi {first}, your visit has moved. It's now {day}, {time} with {provider} at {site}. Questions?"
        " {phone}. {clinic}",
        "Hola {first}, su cita cambia a {day}, {time} con {provider} en {site}. Preguntas? {phone}. {clinic}",
    ),
    (Event.CANCELED, Variant.USUAL): (
        "Hi {first}, your visit {day}, {time} is canceled. To book another time call {phone}. {clinic}",
        "Hola {first}, su cita del {day}, {time} queda cancelada. Para otra hora llame al {phone}. {clinic}",
    ),
    (Event.REMINDER, Variant.USUAL): (
        "Hi {first}, this is {clinic}. See you {day}, {time} with {provider} at {site}. Reply YES to"
        " confirm. To change it call {phone}.",
        "Hola {first}, de {clinic}: le esperamos {day}, {time} con {provider} en {site}. Responda SI para"
        " confirmar. Cambios: {phone}.",
    ),
    (Event.REMINDER, Variant.AGAIN): (
        "{first}, is {day} at {time} still good? Reply YES to confirm. {clinic}, {phone}",
        "{first}, le sigue bien el {day}, {time}? Responda SI para confirmar. {clinic}, {phone}",
    ),
    (Event.REMINDER, Variant.SEVERAL): (
        "This is {clinic}. See you {day}: {visits}. Reply YES to confirm. To change it call {phone}.",
        "De {clinic}: les esperamos {day}: {visits}. Responda SI para confirmar. Cambios: {phone}.",
    ),
    (Event.BOOKED, Variant.SEVERAL): (
        "You're booked {day}: {visits}. To change anything call {phone}. {clinic}",
        "Sus citas del {day}: {visits}. Para cambiarlas llame al {phone}. {clinic}",
    ),
    (Event.MOVED, Variant.SEVERAL): (
        "Some visits have moved. They're now {day}: {visits}. Questions? {phone}. {clinic}",
        "Estas citas cambian al {day}: {visits}. Preguntas? {phone}. {clinic}",
    ),
    (Event.CANCELED, Variant.SEVERAL): (
        "These visits {day} are canceled: {visits}. To book another time call {phone}. {clinic}",
        "Estas citas del {day} quedan canceladas: {visits}. Para otra hora llame al {phone}. {clinic}",
    ),
    (Event.CLOSED, Variant.SEVERAL): (
        "We're closed {day}, so these visits can't be: {visits}. We'll call you to find other times."
        " {clinic}, {phone}",
        "Cerramos el {day}; estas citas no pueden ser: {visits}. Le llamamos para otra hora. {clinic},"
        " {phone}",
    ),
    (Event.UNCONFIRMED, Variant.USUAL): (
        "{first}, we haven't heard from you about {day}, {time}. Reply YES if you're coming, or call"
        " {phone}. {clinic}",
        "{first}, aun no sabemos si viene el {day}, {time}. Responda SI o llame al {phone}. {clinic}",
    ),
    (Event.UNCONFIRMED, Variant.SEVERAL): (
        "We haven't heard from you about {day}: {visits}. Reply YES if you're coming, or call {phone}."
        " {clinic}",
        "Aun no sabemos si vienen el {day}: {visits}. Responda SI o llame al {phone}. {clinic}",
    ),
    (Event.LATE, Variant.USUAL): (
        "Hi {first}, we were expecting you at {time}. Are you on your way? Reply LATE and how many minutes,"
        " or call {phone}. {clinic}",
        "Hola {first}, le esperabamos a las {time}. Viene en camino? Responda TARDE y los minutos, o llame"
        " al {phone}. {clinic}",
    ),
    (Event.FORM, Variant.USUAL): (
        "Hi {first}, there's a form to fill in before your visit {day}, {time}. {forms} {clinic}, {phone}",
        "Hola {first}, hay un formulario por llenar antes de su cita del {day}, {time}. {forms} {clinic},"
        " {phone}",
    ),
    (Event.FORM, Variant.SEVERAL): (
        "There are forms to fill in before these visits {day}: {visits}. Please come 10 minutes early."
        " {clinic}, {phone}",
        "Hay formularios por llenar antes de estas citas del {day}: {visits}. Por favor vengan 10 minutos"
        " antes. {clinic}, {phone}",
    ),
    (Event.RECEIPT, Variant.USUAL): (
        "Hi {first}, thank you for your payment. Your receipt: {paper}. {clinic}, {phone}",
        "Hola {first}, gracias por su pago. Su recibo: {paper}. {clinic}, {phone}",
    ),
    (Event.PAPER, Variant.USUAL): (
        "Hi {first}, we have a paper for you: {paper} Questions? Call {phone}. {clinic}",
        "Hola {first}, tenemos un documento para usted: {paper} Preguntas? {phone}. {clinic}",
    ),
    (Event.THANKS, Variant.USUAL): (
        "Thank you for coming in, {first}. If anything comes up, we're at {phone}. {clinic}",
        "Gracias por su visita, {first}. Si necesita algo, estamos en el {phone}. {clinic}",
    ),
    (Event.REVIEW, Variant.USUAL): (
        "Hi {first}, thank you for your first visit. How did it go? Just reply, we read every answer."
        " {clinic}",
        "Hola {first}, gracias por su primera visita. Que tal fue? Responda aqui, leemos todo. {clinic}",
    ),
    (Event.RECALL, Variant.USUAL): (
        "Hi {first}, it's time for your next visit. Reply YES and we'll find you a time, or call {phone}."
        " {clinic}",
        "Hola {first}, ya le toca su proxima cita. Responda SI y le buscamos hora, o llame al {phone}."
        " {clinic}",
    ),
    (Event.RECALL, Variant.AGAIN): (
        "{first}, your next visit with us isn't booked yet. Reply YES and we'll find you a time. {clinic},"
        " {phone}",
        "{first}, aun no tiene su proxima cita. Responda SI y le buscamos hora. {clinic}, {phone}",
    ),
    (Event.RETURN, Variant.USUAL): (
        "Hi {first}, we asked you to come back and don't have a visit for you yet. Please call us: {phone}."
        " {clinic}",
        "Hola {first}, le pedimos que volviera y aun no tiene cita. Por favor llame al {phone}. {clinic}",
    ),
    (Event.WAITLIST, Variant.USUAL): (
        "Hi {first}, you're on our list. We'll text you when a time opens up. {clinic}, {phone}",
        "Hola {first}, ya esta en nuestra lista. Le avisamos cuando haya una hora. {clinic}, {phone}",
    ),
    (Event.STATEMENT, Variant.USUAL): (
        "Hi {first}, there is a new statement for you. Questions? Call {phone}. {clinic}",
        "Hola {first}, hay un nuevo estado de cuenta para usted. Preguntas? {phone}. {clinic}",
    ),
    (Event.PLAN_DUE, Variant.USUAL): (
        "Hi {first}, the next payment of your plan is on {day}. Questions? Call {phone}. {clinic}",
        "Hola {first}, el proximo pago de su plan es el {day}. Preguntas? {phone}. {clinic}",
    ),
    (Event.CARD_FAILED, Variant.USUAL): (
        "Hi {first}, we couldn't charge your card. Please call us at {phone}. {clinic}",
        "Hola {first}, no pudimos cobrar a su tarjeta. Por favor llame al {phone}. {clinic}",
    ),
    (Event.BIRTHDAY, Variant.USUAL): (
        "Happy birthday, {first}! From all of us at {clinic}",
        "Feliz cumple, {first}! De parte de todos en {clinic}",
    ),
    (Event.CLOSED, Variant.USUAL): (
        "Hi {first}, we're closed on {day}, so your visit at {time} can't be. We'll call you to find another"
        " time. {clinic}, {phone}",
        "Hola {first}, el {day} cerramos y su cita de las {time} no puede ser. Le llamamos para otra hora."
        " {clinic}, {phone}",
    ),
}

_SUBJECTS: Mapping[Event, tuple[str, str]] = {
    Event.BOOKED: ("Your visit on {day}", "Su cita del {day}"),
    Event.MOVED: ("Your visit has moved to {day}", "Su cita cambia al {day}"),
    Event.CANCELED: ("Your visit on {day} is canceled", "Su cita del {day} queda cancelada"),
    Event.REMINDER: ("See you on {day}", "Le esperamos el {day}"),
    Event.UNCONFIRMED: ("Are you coming on {day}?", "Viene usted el {day}?"),
    Event.LATE: ("We were expecting you", "Le esperabamos"),
    Event.THANKS: ("Thank you for coming in", "Gracias por su visita"),
    Event.REVIEW: ("How did it go?", "Que tal fue?"),
    Event.RECALL: ("Time for your next visit", "Ya le toca su proxima cita"),
    Event.RETURN: ("Please come back to see us", "Por favor vuelva a vernos"),
    Event.WAITLIST: ("You’re on our list", "Ya esta en nuestra lista"),
    Event.STATEMENT: ("A new statement", "Un nuevo estado de cuenta"),
    Event.PLAN_DUE: ("Your next payment", "Su proximo pago"),
    Event.CARD_FAILED: ("About your card", "Sobre su tarjeta"),
    Event.BIRTHDAY: ("Happy birthday!", "Feliz cumple!"),
    Event.CLOSED: ("We’re closed on {day}", "Cerramos el {day}"),
    Event.FORM: ("A form before your visit on {day}", "Un formulario antes de su cita del {day}"),
    Event.RECEIPT: ("Your receipt from {clinic}", "Su recibo de {clinic}"),
    Event.PAPER: ("A paper from {clinic}", "Un documento de {clinic}"),
}
# In a mail one can't reply YES: the link does it. Only what asks for a yes has words of its own.
_MAILS: Mapping[tuple[Event, Variant], tuple[str, str]] = {
    (Event.RECEIPT, Variant.USUAL): (
        "Hi {first},\n\nthank you for your payment. Your receipt: {paper}\n\nQuestions? Call"
        " {phone}.\n\n{clinic}",
        "Hola {first}:\n\nGracias por su pago. Su recibo: {paper}\n\nPreguntas? {phone}.\n\n{clinic}",
    ),
    (Event.PAPER, Variant.USUAL): (
        "Hi {first},\n\nwe have a paper for you: {paper}\n\nQuestions? Call {phone}.\n\n{clinic}",
        "Hola {first}:\n\nTenemos un documento para usted: {paper}\n\nPreguntas? {phone}.\n\n{clinic}",
    ),
    (Event.BOOKED, Variant.USUAL): (
        "Hi {first},\n\nyou’re booked: {day}, {time} with {provider}.\n\n{site}, {address}\n{map}\n\nTo"
        " change it call {phone}.\n\n{clinic}",
        "Hola {first}:\n\nSu cita: {day}, {time} con {provider}.\n\n{site}, {address}\n{map}\n\nPara"
        " cambiarla llame al {phone}.\n\n{clinic}",
    ),
    (Event.MOVED, Variant.USUAL): (
        "Hi {first},\n\nyour visit has moved. It’s now {day}, {time} with {provider}.\n\n{site},"
        " {address}\n{map}\n\nIf that doesn’t work, call {phone}.\n\n{clinic}",
        "Hola {first}:\n\nSu cita cambia a {day}, {time} con {provider}.\n\n{site}, {address}\n{map}\n\nSi"
        " no puede, llame al {phone}.\n\n{clinic}",
    ),
    (Event.REMINDER, Variant.USUAL): (
        "Hi {first},\n\nsee you {day}, {time} with {provider}.\n\n{site}, {address}\n{map}\n\nTo confirm or"
        " cancel it: {link}\nTo change it call {phone}.\n\n{clinic}",
        "Hola {first}:\n\nLe esperamos {day}, {time} con {provider}.\n\n{site}, {address}\n{map}\n\nPara"
        " confirmarla o cancelarla: {link}\nPara cambiarla llame al {phone}.\n\n{clinic}",
    ),
    (Event.REMINDER, Variant.SEVERAL): (
        "Hi,\n\nsee you {day}: {visits}.\n\n{site}, {address}\n{map}\n\nTo confirm: {link}\nTo change"
        " anything call {phone}.\n\n{clinic}",
        "Hola:\n\nLes esperamos {day}: {visits}.\n\n{site}, {address}\n{map}\n\nPara confirmar:"
        " {link}\nCambios: {phone}.\n\n{clinic}",
    ),
    (Event.UNCONFIRMED, Variant.USUAL): (
        "Hi {first},\n\nwe haven’t heard from you about {day}, {time} with {provider}. Are you coming?"
        " {link}\n\nOr call {phone}.\n\n{clinic}",
        "Hola {first}:\n\nAun no sabemos si viene el {day}, {time}. Viene? {link}\n\nO llame al"
        " {phone}.\n\n{clinic}",
    ),
    (Event.RECALL, Variant.USUAL): (
        "Hi {first},\n\nit’s time for your next visit with us. Call {phone} and we’ll find a time that suits"
        " you.\n\n{clinic}",
        "Hola {first}:\n\nYa le toca su proxima cita. Llame al {phone} y le buscamos una hora.\n\n{clinic}",
    ),
    (Event.REVIEW, Variant.USUAL): (
        "Hi {first},\n\nthank you for your first visit with us. How did it go? Just reply to this email, we"
        " read every answer.\n\n{clinic}\n{phone}",
        "Hola {first}:\n\nGracias por su primera visita. Que tal fue? Responda a este correo, leemos"
        " todo.\n\n{clinic}\n{phone}",
    ),
    (Event.LATE, Variant.USUAL): (
        "Hi {first},\n\nwe were expecting you at {time}. Please call {phone}.\n\n{clinic}",
        "Hola {first}:\n\nLe esperabamos a las {time}. Por favor llame al {phone}.\n\n{clinic}",
    ),
}
_CALLS: Mapping[tuple[Event, Variant], tuple[str, str]] = {
    (Event.REMINDER, Variant.USUAL): (
        "Hello, this is {clinic} calling for {first}. You have a visit on {day} at {time} with {provider}."
        " To confirm it, press 1. To be called back by us, press 2.",
        "Hola, llamamos de {clinic} para {first}. Tiene una cita el {day} a las {time} con {provider}. Para"
        " confirmar, marque 1. Para que le llamemos, marque 2.",
    ),
    (Event.REMINDER, Variant.SEVERAL): (
        "Hello, this is {clinic}. We expect you on {day}: {visits}. To confirm, press 1. To be called back"
        " by us, press 2.",
        "Hola, llamamos de {clinic}. Les esperamos el {day}: {visits}. Para confirmar, marque 1. Para que le"
        " llamemos, marque 2.",
    ),
}


def original(
    event: Event, channel: Channel, language: Language, variant: Variant = Variant.USUAL
) -> Words | None:
    """The words that ship; None where this event has no such variant."""
    which = 1 if language is _ES else 0
    short = _SHORT.get((event, variant))
    if channel is _TEXT:
        return Words(short[which]) if short else None
    if channel is _EMAIL:
        mail = _MAILS.get((event, variant)) or short
        return Words(mail[which], _SUBJECTS[event][which]) if mail else None
    call = _CALLS.get((event, variant)) or _spoken(short)
    return Words(call[which]) if call else None


def _spoken(short: tuple[str, str] | None) -> tuple[str, str] | None:
    """A text as it is read out: nobody can reply to a call."""
    if short is None:
        return None
    english = (
        short[0]
        .replace(" Reply YES to confirm.", "")
        .replace("Reply YES and we'll find you a time, or call", "Call")
    )
    spanish = (
        short[1]
        .replace(" Responda SI para confirmar.", "")
        .replace("Responda SI y le buscamos hora, o llame", "Llame")
    )
    return (english, spanish)
