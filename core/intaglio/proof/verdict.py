"""The verdict on a mesh from a flow that was computed on it, with the evidence."""

import math

import numpy as np

from intaglio.findings import Finding
from intaglio.flow.solve import CONVERGED, Residuals
from intaglio.proof.report import EvidenceRow

# orders by which residuals are to fall for a proof, and for falling
_PROVEN, _FALLING = 2.0, 1.0
# what may be left of the mass balance then
_BALANCED = 1e-2
# iterations that residuals are measured over at the end of a run
_LAST = 5

IN_WORDS = {
    "proven": "proven",
    "falling": "residuals fall",
    "failed": "not proven",
    "running": "running",
}


def fall(history: tuple[Residuals, ...]) -> tuple[float, float]:
    """Orders of magnitude by which momentum and mass residuals fell: from the largest to the median
    of the last few."""
    if not history:
        return 0.0, 0.0
    momentum = np.array([max(r.momentum) for r in history])
    mass = np.array([r.mass for r in history])
    out = []
    for values in (momentum, mass):
        most, now = float(values.max()), float(np.median(values[-_LAST:]))
        out.append(0.0 if most <= 0 else math.log10(most / max(now, 1e-16 * most)))
    return out[0], out[1]


def verdict(
    history: tuple[Residuals, ...],
    imbalance: float,
    cells: int,
    trouble: Finding | None,
    notes: list[str],
) -> tuple[str, str, list[EvidenceRow]]:
    """The verdict's key, its sentence, and the evidence, of a mesh that was found valid when it was
    read; notes: what neither speaks for nor against it."""
    evidence: list[EvidenceRow] = [
        {
            "holds": True,
            "words": f"The exported file was read back: {cells:,} cells, the case, every patch.",
        },
        {"holds": True, "words": "Closed, all volumes positive, every face in its place."},
    ]
    momentum, mass = fall(history)
    done = bool(history) and history[-1].worst < CONVERGED
    orders = min(momentum, mass)
    if trouble is not None:
        evidence.append({"holds": False, "words": trouble.message})
    if history:
        evidence.append({
            "holds": done or orders >= _FALLING,
            "words": f"In {len(history)} iterations the residuals of momentum fell by "
            f"{_orders(momentum)}, those of mass by {_orders(mass)}.",
        })  # fmt: skip
        evidence.append({
            "holds": abs(imbalance) < _BALANCED,
            "words": f"What flows in flows out but for {power(abs(imbalance))} of it.",
        })  # fmt: skip
    evidence += [{"holds": None, "words": words} for words in notes]
    if trouble is not None:
        return "failed", "Not proven: the solver did not get through.", evidence
    if (done or orders >= _PROVEN) and abs(imbalance) < _BALANCED:
        words = "all residuals are settled" if done else f"residuals fell by {_orders(orders)}"
        return "proven", f"Proven: a flow solver takes this mesh, and {words}.", evidence
    if (done or orders >= _FALLING) and abs(imbalance) >= _BALANCED:
        words = (
            "Residuals fall, but what flows in does not flow out yet: go on with more iterations."
        )
        return "falling", words, evidence
    if orders >= _FALLING:
        words = "Residuals fall, by less than two orders so far: go on with more iterations."
        return "falling", words, evidence
    words = "Not proven: residuals do not fall. Look at the worst cells and at the conditions."
    return "failed", words, evidence


def _orders(value: float) -> str:
    return f"{value:.1f} orders"


def power(value: float) -> str:
    """A small share in words: 1.3·10⁻⁷."""
    digits, exponent = f"{value:.1e}".split("e")
    if float(digits) == 0.0:
        return "nothing"
    raised = str(int(exponent)).translate(str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹"))
    return f"{digits}·10{raised}"
