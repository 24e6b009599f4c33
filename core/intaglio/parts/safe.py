"""Repairing all that is safe: what moves the surface by less than a tolerance, until nothing is
left of it."""

from typing import Any

import numpy as np

from intaglio.errors import IntaglioError
from intaglio.findings import Finding
from intaglio.parts.acting import apply
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.operations import BY_NAME
from intaglio.parts.rows import ActionRow

# repairs that keep within a length by themselves, and those that change no place at all
_BY_LENGTH = {"sew": "tolerance", "drop_slivers": "thinner"}
_HARMLESS = ("drop_duplicates", "unify_normals", "drop_fins")
_ROUNDS = 12


def findings_of(model: Model) -> tuple[Finding, ...]:
    """The model's findings, whichever kind it is."""
    return kind_of(model).diagnosed(model).findings


def _safe_operation(finding: Finding, tolerance: float) -> dict[str, Any] | None:
    """The first offered repair of a finding that keeps within the tolerance."""
    for offer in finding.repairs:
        operation = dict(offer["operation"])
        do = operation["do"]
        if do in _BY_LENGTH:
            # an offer without a length leaves it to the tolerance
            length = operation.get(_BY_LENGTH[do], tolerance)
            if finding.size <= tolerance and length <= 2 * tolerance:
                return {**operation, _BY_LENGTH[do]: min(length, tolerance)}
        elif do in _HARMLESS:
            return operation
        elif do == "cap" and finding.size <= tolerance:
            return {**operation, "narrower": tolerance}
    return None


def repair_safe(model: Model, tolerance: float) -> tuple[Model, list[ActionRow]]:
    """The model after all safe repairs, and what was done: {do, title, done, volume_change}.

    A repair of a closed model that changes its volume by more than the tolerance times its area is
    taken back and not tried again.
    """
    kind = kind_of(model)
    actions: list[ActionRow] = []
    refused: set[str] = set()
    for _ in range(_ROUNDS):
        for finding in findings_of(model):
            operation = _safe_operation(finding, tolerance)
            if operation is None or finding.code in refused:
                continue
            before = kind.volume(model)
            try:
                out, count = apply(model, operation)
            except IntaglioError:
                refused.add(finding.code)
                continue
            change = kind.volume(out) - before
            settles = operation["do"] in ("unify_normals", "drop_duplicates", "sew", "cap")
            too_much = abs(change) > tolerance * kind.area(model) and not settles
            if too_much or count == 0:
                refused.add(finding.code)
                continue
            model = out
            actions.append(
                {
                    "do": operation["do"],
                    "title": BY_NAME[operation["do"]].title,
                    "done": BY_NAME[operation["do"]].done.format(n=f"{count:,}"),
                    "volume_change": float(np.round(change, 12)),
                }
            )
            break
        else:
            break
    return model, actions
