"""A claim is checked before it leaves: every check that is for its form is asked, stops first.

The checks stand by subject in `checks/`; each registers itself when its module is loaded, which happens here.
"""

from __future__ import annotations

from zax.core.claims.checks import (
    amounts,
    coverage,
    days,
    diagnoses,
    history,
    other_plans,
    payer,
    people,
    providers,
    services,
    stays,
    teeth,
)
from zax.core.claims.checks.registry import CHECKS, Check
from zax.core.claims.claim import Claim, Form
from zax.core.claims.finding import Finding, Strength
from zax.core.claims.situation import Situation

# In the order in which a person fixes things: who, whose plan, who did it, what, when.
SUBJECTS = {
    "People": people,
    "Coverage": coverage,
    "Other plans": other_plans,
    "Providers": providers,
    "Days": days,
    "Amounts and papers": amounts,
    "Diagnoses": diagnoses,
    "Medical services": services,
    "Teeth": teeth,
    "Institutional": stays,
    "Earlier services": history,
    "The payer’s own": payer,
}
_MODULES = {module.__name__: at for at, module in enumerate(SUBJECTS.values())}


def checks_of(form: Form) -> list[Check]:
    """The checks of a form, stops first, then by subject."""
    return _BY_FORM[form]


def _ordered(form: Form) -> list[Check]:
    own = [each for each in CHECKS if form in each.forms]
    return sorted(own, key=lambda c: (c.strength is Strength.ODD, _MODULES[c.look.__module__]))


_BY_FORM = {form: _ordered(form) for form in Form}


def check_claim(claim: Claim, situation: Situation) -> list[Finding]:
    """Everything that stops the claim or looks odd about it; empty when it may leave as it is."""
    return [
        Finding(each.id, each.strength, found.about, found.message, found.remedy)
        for each in checks_of(claim.form)
        for found in each.look(claim, situation)
    ]
