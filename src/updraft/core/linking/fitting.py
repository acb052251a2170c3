"""Logistic regression whose weights are never below nothing."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_PENALTY = 2.0  # ridge; what never differs in what is known would weigh without bounds
_STEPS = 25
_NEAR = 1e-5


def fitted(values: NDArray[np.float64], known: NDArray[np.float64]) -> list[float]:
    """Weights ≥ 0 of the columns of `values` (rows × columns) that tell rows that are 1 in `known` from those
    that are 0.

    Maximum likelihood with a ridge penalty by Newton's method; columns that would weigh less than nothing are
    left out, and the rest fitted again.
    """
    columns = list(range(values.shape[1]))
    while columns:
        weights = _newton(values[:, columns], known)
        kept = [column for column, weight in zip(columns, weights, strict=True) if weight > 0]
        if len(kept) == len(columns):
            break
        columns = kept
    found = [0.0] * values.shape[1]
    for column, weight in zip(columns, weights if columns else [], strict=True):
        found[column] = float(weight)
    return found


def _newton(values: NDArray[np.float64], known: NDArray[np.float64]) -> NDArray[np.float64]:
    with_base = np.column_stack([values, np.ones(len(values))])
    penalty = np.full(with_base.shape[1], _PENALTY)
    penalty[-1] = 1e-6  # the base line is free
    weights = np.zeros(with_base.shape[1])
    for _ in range(_STEPS):
        likely = 1 / (1 + np.exp(-np.clip(with_base @ weights, -30, 30)))
        slope = with_base.T @ (known - likely) - penalty * weights
        bend = (with_base * (likely * (1 - likely))[:, None]).T @ with_base + np.diag(penalty)
        step = np.linalg.solve(bend, slope)
        weights += step
        if np.abs(step).max() < _NEAR:
            break
    return weights[:-1]
