"""Which products a run makes, told by their keys before they are there."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from intaglio.recipe.plan import stages_before, states
from intaglio.recipe.proving import FLOW, proof_key
from intaglio.stages.registry import stages_of

Reports = Callable[[str], Mapping[str, Any] | None]


@dataclass(frozen=True)
class Run:
    """A run to a target: name of the file, key of its content, name and settings as the run has
    them."""

    target: str
    file_name: str
    source: str
    name: str
    given: Mapping[str, Mapping[str, Any]]


def is_looked_at(key: str, run: Run, report_of: Reports) -> bool:
    """Whether a run looks at what has this key: its file, products of its settings and of those
    that they are made from, proofs of its hand-over. report_of: of what is there."""
    if key == run.source:
        return True
    stages = stages_of(run.file_name, run.given)
    now = states(run.source, run.name, run.given, report_of, stages=stages)
    case = None
    for stage, state in zip(stages, now, strict=True):
        case = state.key if stage.key == "case" else case
        if state.key == key:
            return True
        if state.settings is None or stage.base(state.settings) == state.settings:
            continue
        others = {**run.given, stage.key: stage.base(state.settings)}
        if any(
            s.key == key for s in states(run.source, run.name, others, report_of, stages=stages)
        ):
            return True
    if run.target != FLOW or case is None:
        return False
    asked = run.given[FLOW]
    if key == asked["before"]:
        return True
    earlier = None if asked["before"] is None else report_of(asked["before"])
    most = asked["iterations"] + (0 if earlier is None else earlier["iterations"])
    # one that was stopped has any number up to that
    return any(key == proof_key(case, count) for count in range(1, most + 1))


def is_expected(
    stage: str, key: str, report: Mapping[str, Any], run: Run, report_of: Reports
) -> bool:
    """Whether a run makes a product of this stage with this key: that of its settings, that of the
    settings it is made from, or a proof of its hand-over. report: the product's own; report_of: of
    what is there."""
    stages = stages_of(run.file_name, run.given)
    now = {s.stage: s for s in states(run.source, run.name, run.given, report_of, stages=stages)}
    if stage == FLOW:
        case = now["case"].key
        count = report.get("iterations")
        return run.target == FLOW and case is not None and isinstance(count, int) and (
            key == proof_key(case, count)
        )  # fmt: skip
    if stage not in stages_before("case" if run.target == FLOW else run.target, stages):
        return False
    state = now[stage]
    if state.key == key:
        return True
    if state.settings is None:
        return False
    base = next(s for s in stages if s.key == stage).base(state.settings)
    others = {**run.given, stage: base}
    after = states(run.source, run.name, others, report_of, stages=stages)
    return any(s.stage == stage and s.key == key for s in after)
