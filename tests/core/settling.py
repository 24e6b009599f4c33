"""A flow computed until it has plainly settled."""

from intaglio.flow.run import Flow, run_flow
from intaglio.proof.verdict import fall

# two orders are asked for; what has fallen a little further does not come back
_PLAINLY = 2.2


def settled(folder, most) -> Flow:
    """The flow of an export after so many iterations, or as soon as its residuals fell plainly."""
    told = []
    return run_flow(
        folder,
        most,
        lambda number, left, field: told.append(left),
        lambda: min(fall(tuple(told))) >= _PLAINLY,
    )
