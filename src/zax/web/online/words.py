"""The words of the patients' own pages, in English and Spanish: short, no jargon, saying what happens
next.
"""

from __future__ import annotations

from zax.core.messages.language import Language
from zax.web.online import register_words

_WORDS: dict[str, tuple[str, str]] = {
    "call": ("Call us", "Llamar"),
    "other": ("Español", "English"),
    "book": ("Book a visit", "Pedir una cita"),
    "what": ("What do you need?", "¿Qué necesita?"),
    "been": ("I have been here", "Ya soy paciente"),
    "new": ("I am new here", "Es mi primera vez"),
    "dental": ("Dental", "Dental"),
    "medical": ("Medical", "Médico"),
    "min": ("min", "min"),
    "at_once": ("Booked at once", "Se confirma al momento"),
    "confirmed_later": ("We confirm by text", "Confirmamos por mensaje"),
    "emergency": ("In an emergency, call 911.", "En una emergencia, llame al 911."),
    "see_times": ("See times", "Ver horas"),
    "nothing": (
        "Nothing can be asked for online right now. Please call us.",
        "Ahora no se puede pedir en línea. Por favor llámenos.",
    ),
    "choose": ("Choose what you need first.", "Primero elija qué necesita."),
    "back": ("Back", "Atrás"),
    "when": ("When works for you?", "¿Cuándo le va bien?"),
    "with": ("With", "Con"),
    "anyone": ("anyone", "cualquiera"),
    "any_time": ("any time", "a cualquier hora"),
    "mornings": ("mornings", "por la mañana"),
    "afternoons": ("afternoons", "por la tarde"),
    "evenings": ("after 5", "después de las 5"),
    "where": ("At", "En"),
    "show": ("Show", "Ver"),
    "soonest": ("Soonest", "Lo antes posible"),
    "take": ("Take it", "Elegir"),
    "open": ("open", "libres"),
    "full": ("full", "lleno"),
    "earlier": ("Earlier", "Antes"),
    "later": ("Later", "Después"),
    "no_times": ("No times this week.", "No hay horas esta semana."),
    "none_work": ("None of these work? Call us at", "¿Ninguna le va bien? Llame al"),
    "go_on": ("Go on", "Seguir"),
    "choose_time": ("Choose a time first.", "Primero elija una hora."),
    "who": ("Who is the visit for?", "¿Para quién es la cita?"),
    "first": ("First name", "Nombre"),
    "last": ("Last name", "Apellido"),
    "birth": ("Birth date, month / day / year", "Fecha de nacimiento, mes / día / año"),
    "phone": ("Mobile phone", "Teléfono móvil"),
    "message": ("Anything we should know? (optional)", "¿Algo que debamos saber? (opcional)"),
    "text_code": ("Text me a code", "Enviarme un código"),
    "why_code": (
        "The code keeps others from booking as you.",
        "El código evita que otros pidan en su nombre.",
    ),
    "type_code": ("Type the 6 digits we just texted you", "Escriba los 6 números que le enviamos"),
    "again": ("Text it again", "Enviarlo otra vez"),
    "sent_again": ("A new code is on its way.", "Va un nuevo código."),
    "ask_for": ("Ask for", "Pedir"),
    "book_it": ("Book", "Reservar"),
    "asked": ("You asked for", "Usted pidió"),
    "booked": ("You are booked", "Tiene cita"),
    "gone": ("Canceled", "Cancelada"),
    "not_then": ("That time didn’t work out", "Esa hora no fue posible"),
    "for": ("For", "Para"),
    "next": ("What happens next", "Qué sigue"),
    "we_confirm": ("We confirm by text", "Confirmamos por mensaje"),
    "we_confirm_more": (
        "If it’s taken by then, we text you the nearest ones.",
        "Si ya no está libre, le escribimos con las más cercanas.",
    ),
    "come": ("Come in", "Venga"),
    "bring": (
        "Bring your insurance card and a photo ID.",
        "Traiga su tarjeta de seguro y una identificación.",
    ),
    "pay_deposit": ("Pay the deposit", "Pagar el depósito"),
    "calendar": ("Add to my calendar", "Añadir a mi calendario"),
    "cancel": ("I can’t come: cancel it", "No puedo ir: cancelarla"),
    "canceled": ("It’s canceled. For another time:", "Queda cancelada. Para otra hora:"),
    "another": ("Book another visit", "Pedir otra cita"),
    "another_time": ("Another time", "Otra hora"),
    "stays": (
        "Your time stays yours until you have the new one.",
        "Su hora es suya hasta tener la nueva.",
    ),
    "move_it": ("Take this time", "Tomar esta hora"),
    "taken": (
        "That time is gone. Please choose another one.",
        "Esa hora ya no está libre. Por favor elija otra.",
    ),
    "change": ("To change it, call", "Para cambiarla, llame al"),
    "lost": ("This page isn’t there anymore. Please call us.", "Esta página ya no está. Por favor llámenos."),
}


def words_in(language: Language) -> dict[str, str]:
    """All of them in one language."""
    which = 1 if language is Language.SPANISH else 0
    return {name: both[which] for name, both in (_WORDS | dict(register_words.WORDS)).items()}
