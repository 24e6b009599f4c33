"""Which products a run makes, told by their keys before they are there."""

from collections.abc import Callable, Mapping
from typing import Any

from intaglio.recipe.plan import stages_before, states
from intaglio.recipe.proving import FLOW, proof_key
from intaglio.stages.registry import stages_of

Reports = Callable[[str], Mapping[str, Any] | None]


def is_expected(
    stage: str,
    key: str,
    report: Mapping[str, Any],
    target: str,
    file_name: str,
    source: str,
    name: str,
    given: Mapping[str, Mapping[str, Any]],
    report_of: Reports,
) -> bool:
    """Whether a run to a target makes a product of this stage with this key: that of its settings,
    that of the settings it is made from, or a proof of its hand-over. report: the product's own;
    source: key of the file; given, name: as the run has them; report_of: of what is there."""
    stages = stages_of(file_name, given)
    now = {s.stage: s for s in states(source, name, given, report_of, stages=stages)}
    if stage == FLOW:
        case = now["case"].key
        count = report.get("iterations")
        return target == FLOW and case is not None and isinstance(count, int) and (
            key == proof_key(case, count)
        )  # fmt: skip
    if stage not in stages_before("case" if target == FLOW else target, stages):
        return False
    state = now[stage]
    if state.key == key:
        return True
    if state.settings is None:
        return False
    base = next(s for s in stages if s.key == stage).base(state.settings)
    others = {**given, stage: base}
    after = states(source, name, others, report_of, stages=stages)
    return any(s.stage == stage and s.key == key for s in after)
