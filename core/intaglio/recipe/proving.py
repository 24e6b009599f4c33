"""Proving what a recipe hands over: the flow on it, kept like the product of a stage.

A proof is no stage: it changes nothing that is handed over, and may be gone on with. Its key is
made of the hand-over's and the number of iterations that were computed.
"""

from collections.abc import Callable, Mapping
from typing import Any

from intaglio.parts.model import Product
from intaglio.parts.source import Source
from intaglio.proof.proving import VERSION, prove
from intaglio.recipe.plan import Progress, Show, Store, product_key, run_to
from intaglio.stages.registry import giving, stages_of
from intaglio.stages.volume import volume_mesh

# its name among the stages that a job runs through
FLOW = "flow"

# measured on 200,000 to 1,000,000 tetrahedra: an iteration; reading, checking, placing
_CELLS_PER_SECOND, _CELLS_READ = 300_000.0, 60_000.0


def proof_seconds(reports: Mapping[str, Mapping[str, Any]], iterations: int) -> float:
    """Seconds that a proof is expected to take, from the reports there are."""
    mesh, sizing = reports.get(giving("mesh")), reports.get("sizing")
    cells = mesh["cells"] if mesh else sizing["forecast"]["cells"] if sizing else 600_000.0
    return float(1.0 + cells / _CELLS_READ + iterations * cells / _CELLS_PER_SECOND)


def proof_key(case: str, iterations: int) -> str:
    """Key of a proof of a hand-over."""
    return product_key(FLOW, {"iterations": iterations}, [case], VERSION)


def run_proof(
    source: Source,
    name: str,
    given: Mapping[str, Mapping[str, Any]],
    store: Store,
    iterations: int,
    before: str | None = None,
    progress: Progress = lambda stage, share, doing: None,
    numbers: Mapping[str, float] | None = None,
    show: Show = lambda stage, key, product: None,
    stop: Callable[[], bool] = lambda: False,
) -> dict[str, str]:
    """Run all that is missing up to the hand-over, and so many iterations of its flow; keys by
    stage, that of the proof among them. before: key of the proof to go on with; one of another
    hand-over is not. Raises the core's errors."""
    states = run_to("case", source, name, given, store, progress, numbers, show)
    keys = {s.stage: s.key for s in states if s.key is not None}
    case = keys["case"]
    earlier = None if before is None else store.report(before)
    if earlier is None or earlier["case"] != case:
        before, earlier = None, None
    done = 0 if earlier is None else int(earlier["iterations"])
    wanted = proof_key(case, done + iterations)
    if store.report(wanted) is None:
        meshed = keys[giving("mesh", stages_of(source.name, given))]
        mesh = volume_mesh(store.get(meshed))
        made = prove(
            store.get(case),
            mesh,
            iterations,
            None if before is None else store.get(before),
            lambda share, doing: progress(FLOW, share, doing),
            lambda product: show(FLOW, case, product),
            stop,
        )
        wanted = proof_key(case, made.report["iterations"])
        if store.report(wanted) is None:
            store.put(
                wanted,
                FLOW,
                Product(made.arrays, {**made.report, "case": case, "mesh": meshed}),
            )
    return {**keys, FLOW: wanted}
