"""Fitting the chance of not coming on the clinic's own past, with statsmodels' logistic regression (a
binomial GLM)
and a light pull toward zero, so that a feature that happened seldom says little.

The last fifth of the visits in time is kept apart: what the fit of the others says about them, against what
happened, decides whether the chance is shown at all. Then all of them are fitted.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from zax.core.followup.missing import (
    FEATURES,
    Case,
    Model,
    brier_of,
    calibration,
    chance_of,
    features,
    log_odds,
)

# Fewer than these teach nothing.
LEAST_VISITS, LEAST_MISSED = 400, 30
PULL = 1e-4


def fit(cases: Sequence[Case], missed: Sequence[bool], today: date) -> Model | None:
    """The model of these visits, in the order of time; None where there are too few."""
    apart = len(cases) - len(cases) // 5
    if apart < LEAST_VISITS or sum(missed[:apart]) < LEAST_MISSED or not any(missed[apart:]):
        return None
    first = _fitted(cases[:apart], missed[:apart], today)
    said = [chance_of(first, case) for case in cases[apart:]]
    happened = missed[apart:]
    whole = _fitted(cases, missed, today)
    return Model(
        fitted_on=today,
        base=whole.base,
        intercept=whole.intercept,
        weights=whole.weights,
        fitted=len(cases),
        tested=len(said),
        brier=brier_of(said, happened),
        brier_base=brier_of([first.base] * len(said), happened),
        bins=calibration(said, happened),
    )


def _fitted(cases: Sequence[Case], missed: Sequence[bool], today: date) -> Model:
    # Loaded here: it takes a second and much memory, and only the nightly fit needs it.
    import numpy as np
    from statsmodels.genmod.families import Binomial
    from statsmodels.genmod.generalized_linear_model import GLM

    base = sum(missed) / len(missed)
    rows = np.array([(1.0, *features(case, base)) for case in cases])
    happened = np.array(missed, dtype=float)
    pull = np.array([0.0] + [PULL] * len(FEATURES))
    start = np.array([log_odds(base)] + [0.0] * len(FEATURES))
    found = GLM(happened, rows, family=Binomial()).fit_regularized(
        alpha=pull, L1_wt=0.0, start_params=start, maxiter=200
    )
    intercept, *weights = (float(each) for each in found.params)
    return Model(
        fitted_on=today,
        base=base,
        intercept=intercept,
        weights=tuple(weights),
        fitted=len(cases),
        tested=0,
        brier=0.0,
        brier_base=0.0,
    )
