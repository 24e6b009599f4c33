"""Progress of a run as bars, in a terminal or in a notebook, whichever it is."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

Tell = Callable[[str, float, str], None]


@contextmanager
def bars(quiet: bool = False) -> Iterator[Tell]:
    """A function (stage, share, doing) that draws a bar for each stage; quiet: it draws nothing."""
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (
        TextColumn("{task.fields[stage]:<9}"),
        BarColumn(),
        TextColumn("{task.percentage:>3.0f} %"),
        TimeRemainingColumn(),
        TextColumn("{task.fields[doing]}"),
    )
    with Progress(*columns, disable=quiet) as drawn:
        tasks: dict[str, Any] = {}

        def tell(stage: str, share: float, doing: str) -> None:
            if stage not in tasks:
                tasks[stage] = drawn.add_task(stage, total=1.0, stage=stage, doing=doing)
            drawn.update(tasks[stage], completed=share, doing=doing)

        yield tell
