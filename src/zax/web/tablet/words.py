"""The words of the check-in tablet, in English and Spanish."""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.messages.language import Language
from zax.web.online.words import words_in as online_words

_WORDS: Mapping[str, tuple[str, str]] = {
    "find_me": ("Find me", "Buscarme"),
    "to_check_in": ("to check in", "para registrarse"),
    "welcome": ("Welcome. Let us find your visit.", "Bienvenido. Busquemos su cita."),
    "birth_date": ("Your birth date, month / day / year", "Su fecha de nacimiento, mes / día / año"),
    "letters": ("Your last name begins with", "Su apellido empieza con"),
    "have_text": (
        "Have our text? Hold its square code up to the reader instead.",
        "¿Tiene nuestro mensaje? Acerque su código cuadrado al lector.",
    ),
    "scanned": ("The code that was read", "El código leído"),
    "no_visit": ("I have no visit today", "No tengo cita hoy"),
    "no_visit_more": (
        "Please see the front desk. They help you.",
        "Por favor vaya a recepción. Le ayudarán.",
    ),
    "ask_desk": ("Ask the desk", "Preguntar en recepción"),
    "start_over": ("Start over", "Empezar de nuevo"),
    "details": ("My details", "Mis datos"),
    "minute": ("about a minute", "un minuto"),
    "all_right": ("all right", "correcto"),
    "at_desk": ("at the desk", "en recepción"),
    "cards": ("Insurance card", "Tarjeta de seguro"),
    "sign": ("Sign", "Firmar"),
    "signed": ("signed", "firmado"),
    "copay": ("Copay", "Copago"),
    "paid_thanks": ("paid, thank you", "pagado, gracias"),
    "still_right": ("Is this still right, {name}?", "¿Sigue siendo correcto, {name}?"),
    "parts_only": (
        "Only parts are shown, since others may look on.",
        "Solo se muestra una parte, por si otros miran.",
    ),
    "address": ("Address", "Dirección"),
    "mobile": ("Mobile", "Móvil"),
    "in_emergency": ("In an emergency", "En una emergencia"),
    "insurance": ("Insurance", "Seguro"),
    "nothing_yet": ("nothing yet", "nada aún"),
    "change_details": ("Something changed", "Algo cambió"),
    "yes_right": ("Yes, that is right", "Sí, es correcto"),
    "only_changed": ("Type only what changed.", "Escriba solo lo que cambió."),
    "save_changes": ("Save", "Guardar"),
    "card_photo": ("A photo of your insurance card", "Una foto de su tarjeta de seguro"),
    "use_photos": ("Use these photos", "Usar estas fotos"),
    "pay_copay": ("Your copay is {amount}", "Su copago es {amount}"),
    "at_terminal": (
        "Hold your card to the reader beside this screen.",
        "Acerque su tarjeta al lector junto a la pantalla.",
    ),
    "pay_here": ("Pay {amount} at the reader", "Pagar {amount} en el lector"),
    "pay_card": ("Use my card ending {ending}", "Usar mi tarjeta que termina en {ending}"),
    "checked_in": ("You are checked in.", "Ya está registrado."),
    "call_you": ("{provider} will call you.", "{provider} le llamará."),
    "almost": ("Almost there.", "Casi listo."),
    "desk_does": ("The front desk does the rest with you:", "En recepción terminan con usted:"),
    "done": ("Done", "Listo"),
    "clears": ("This screen clears itself in a few seconds.", "Esta pantalla se borra en unos segundos."),
    "not_set_up": ("This tablet isn’t set up", "Esta tableta no está lista"),
    "sign_and_go": ("Sign, and go on", "Firmar y seguir"),
}


def words_in(language: Language) -> dict[str, str]:
    """All of them in one language, with those of the other patients' pages."""
    which = 1 if language is Language.SPANISH else 0
    return online_words(language) | {name: both[which] for name, both in _WORDS.items()}
