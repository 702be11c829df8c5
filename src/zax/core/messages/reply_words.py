"""The words by which a text reply is understood, English and Spanish, as data: each phrase says one thing.

Phrases are spelled plain: small letters, no accents, no apostrophes. A longer phrase wins over a shorter one
inside it, so that "no problem" is no no.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum


class Says(StrEnum):
    """What one phrase of a reply says. SOFT is a yes that a no beside it turns; KEEP is a no that wants
    the visit there is; NOTHING only fills."""

    YES = "yes"
    SOFT = "soft"
    NO = "no"
    KEEP = "keep"
    CANCEL = "cancel"
    OTHER = "other"
    CHANGE = "change"
    TIME = "time"
    LATE = "late"
    QUESTION = "question"
    STOP = "stop"
    START = "start"
    HELP = "help"
    WRONG = "wrong"
    ALARM = "alarm"
    NOTHING = "nothing"


# A whole text of one of these words is an order to the phone network's rules (CTIA), whatever we asked.
ORDERS: Mapping[str, Says] = {
    **dict.fromkeys(
        [
            "stop",
            "stopall",
            "unsubscribe",
            "quit",
            "end",
            "optout",
            "parar",
            "alto",
            "baja",
            "detener",
            "cancelar_mensajes",
        ],
        Says.STOP,
    ),
    **dict.fromkeys(["start", "unstop", "empezar", "iniciar"], Says.START),
    **dict.fromkeys(["help", "info", "ayuda"], Says.HELP),
}

# A text of these alone is a courtesy: it asks nothing and answers nothing.
_COURTEOUS = "thanks thank you thx ty so much very gracias muchas 🙏 😊 🙂 ❤ 😀"
COURTESIES = frozenset(_COURTEOUS.split())
THANKS = frozenset({"thanks", "thank", "thx", "ty", "gracias", "🙏"})

_LISTS: Mapping[Says, str] = {
    Says.STOP: """
        stop texting; stop sending; stop messaging; stop contacting; stop all; please stop; stop please;
        no more texts; no more messages; dont text; do not text; dont message; quit texting; opt out;
        opt me out; unsubscribe; remove me; remove my number; take me off your list;
        take me off the list; lose my number; leave me alone; delete my number; no me escriban;
        no me escriba; no me manden; no me mande; no mas mensajes; no mas textos; dejen de escribir;
        dejen de mandar; quiteme de la lista; borren mi numero; deje de escribirme
    """,
    Says.START: """
        start sending; start texting; text me again; start again; vuelvan a escribirme
    """,
    Says.WRONG: """
        wrong number; wrong person; old number; not my number; number equivocado; numero equivocado;
        equivocado; this isnt; this is not; not the person; dont know any; no soy; no conozco;
        se equivoco de numero
    """,
    Says.ALARM: """
        bleeding; bleed; wont stop; non stop; toothache; swollen; swelling; emergency; knocked; in pain;
        so much pain; pain; hurts; abscess; fever; died; passed away; fallecio; murio; emergencia;
        sangra; sangrando; dolor; duele; hinchado; hinchada; 911
    """,
    Says.CANCEL: """
        cancel; cancel it; cancel my appointment; cancel my visit; cancel please; please cancel;
        cancelela; cancelen; cancelar; cancele; quiero cancelar; take me off the schedule; cancel me;
        yes cancel it; yes please cancel; si cancelela; si cancele; si cancelen
    """,
    Says.LATE: """
        late; running late; be late; running behind; on my way; stuck in traffic; tarde; voy tarde;
        llego tarde; retrasado; retrasada; en camino; behind
    """,
    Says.CHANGE: """
        reschedule; need to reschedule; have to reschedule; change my appointment; change my visit;
        move my appointment; move my visit; change the time; quiero cambiar; cambiar la cita;
        cambiar mi cita; reprogramar
    """,
    Says.OTHER: """
        but; can we; could we; can i; instead; another time; another day; different time; different day; move
        it; mas tarde; otro dia; otra hora; pero; podria; se puede; puede ser; cambiar; later; earlier;
        sooner; not now; works better; is better; mejor el; after; before; despues
    """,
    Says.TIME: """
        monday; tuesday; wednesday; thursday; friday; saturday; sunday; mon; tue; tues; wed; thu; thur;
        thurs; fri; sat; sun; morning; afternoon; evening; noon; tomorrow; today; january; february;
        march; april; may; june; july; august; september; october; november; december; lunes; martes;
        miercoles; jueves; viernes; sabado; domingo; manana; la tarde; la manana; enero; febrero; marzo;
        abril; mayo; junio; julio; agosto; septiembre; octubre; noviembre; diciembre; next week;
        next month; in the spring; la proxima semana; spring; summer; fall; winter; weekend; am; pm
    """,
    Says.QUESTION: """
        who; what; whats; where; wheres; when; why; how; how much; how long; which; do i; do you; does;
        is it; is the; are you; will it; would it; should i; is dr; cuanto; cuanto dura; cuanto cuesta;
        donde; cuando; quien; que hora; por que; aceptan; tengo que; didnt i; is there
    """,
    Says.YES: """
        yes; y; ye; yep; yeah; yea; yup; yas; yes please; yess; sure thing; absolutely; definitely;
        of course; ill take it; i will take it; take it; i want it; ill be there; i will be there;
        be there; see you then; sounds good; works for me; that works; book it; book me; sign me up;
        confirm; confirmed; i confirm; count me in; no brainer; no problem; no worries; not cancelling;
        not canceling; im not cancelling; dont cancel; do not cancel; please dont cancel; no cancelen;
        no la cancelen; no me la cancelen; no cancele; no la cancele; no me la cancele; be their;
        ill be their; can now make it; i can now make it; si voy; can come after all; cant wait; can make it;
        can come; si; claro; claro que si; por supuesto; confirmo; confirmado; confirmada; ahi estare; alli
        estare; la tomo; lo tomo; la quiero; lo quiero; de acuerdo; perfecto; me sirve; me funciona; si voy;
        yes i can; i can; i do; 👍; ✅; 👌
    """,
    Says.SOFT: """
        ok; okay; k; kk; sure; great; perfect; awesome; good; fine; alright; bueno; vale; dale; bien;
        works; sounds; excellent; oki; okey; cool; got it
    """,
    Says.NO: """
        no; n; nope; nah; no thanks; no thank you; not this time; no gracias; cant; cant make it;
        can not; cannot; wont; wont make it; wont be there; yeah no; i cant; im good; ill pass;
        pass; not interested; no puedo; no need to ask again; no need; hard no; negative; decline;
        unable; working; at work; have to work; busy; out of town; on vacation; too short notice;
        trabajando; ocupado; ocupada; ya tengo; otro dentista; 👎; no quiero; 🙅; ill call you
    """,
    Says.KEEP: """
        keep my; keep mine; ill keep; regular day; my regular day; ill come on my; regular appointment;
        dejo la que tengo; prefiero la mia; me quedo con
    """,
    Says.NOTHING: """
        after all; i am; you all; for my; my;
        thanks; thank you; thx; ty; please; pls; plz; so; lol; haha; hi; hello; hey; hola; gracias;
        por favor; sorry; so sorry; the; a; for; to; it; i; it is; this week; that day; ese dia;
        that one; this one; thank; you; much; very; muchas; and; at; on; that; day; works; im; ill; me;
        that would be; would be; is; dr; mr; doctor; zax; with; appointment; visit; opening; spot; time;
        ask again; call me; en; 🙂; 😊; 🙏; 😀; ❤; me la; la; el; y por favor; when im ready; gladly;
        love to; would love; id love; hard; offer; accept; slot; want; take; then; see; down
    """,
}
PHRASES: Mapping[tuple[str, ...], Says] = {
    tuple(phrase.split()): says
    for says, listed in _LISTS.items()
    for phrase in map(str.strip, listed.split(";"))
}


@dataclass(frozen=True, slots=True)
class Phrases:
    """What phrases say, by their words; `longest` is how many words one has at most."""

    says: Mapping[tuple[str, ...], Says]
    longest: int


SHIPPED = Phrases(PHRASES, max(len(words) for words in PHRASES))
# What a clinic may have words of its own for, as its setup says it.
OWN_SAYS: Mapping[Says, str] = {
    Says.YES: "yes",
    Says.NO: "no",
    Says.CANCEL: "cancel it",
    Says.CHANGE: "another time",
    Says.LATE: "running late",
    Says.QUESTION: "asks something",
    Says.STOP: "no more texts",
    Says.NOTHING: "says nothing",
}


def with_own(own: Mapping[str, Iterable[str]]) -> Phrases:
    """Those that ship and the clinic's own; what ships is never said otherwise."""
    says = {tuple(phrase.split()): Says(said) for said, phrases in own.items() for phrase in phrases}
    return Phrases({**says, **PHRASES}, max([SHIPPED.longest, *(len(words) for words in says)]))
