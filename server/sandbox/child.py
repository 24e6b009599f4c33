"""The child process of a job: it reads foreign files and computes, and has nothing but a line to
its worker and a folder. Importing this module loads no server."""

import logging
import tempfile
import time
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import intaglio.recipe.plan  # noqa: F401
from intaglio.errors import IntaglioError
from intaglio.parts.model import Product
from intaglio.parts.source import Source
from intaglio.recipe.plan import run_to, stages_before
from intaglio.recipe.proving import FLOW, run_proof
from intaglio.stages.registry import stages_of
from sandbox.confine import Limits, Unconfined, confine
from sandbox.line import Line, Message, say
from sandbox.store import LineStore, Refused
from sandbox.telling import (
    NO_MEMORY,
    NO_ROOM,
    UNCONFINED,
    UNEXPECTED,
    disk_is_full,
    problem_of,
    told,
)

# seconds between two words of how far it is: each is written, sent and drawn
_OFTEN = 0.5
# seconds between two looks at what is not done yet
_LOOKS = 0.7
# seconds after which a process that keeps models at hand gives the memory back
IDLE = 900.0


def compute(there: Connection, folder: str, limits: Limits) -> None:
    """Do one order: progress and looks at what there is, then `done` with keys or `failed` with the
    problem. folder: where files may be. `stop` asks it to end with what there is."""
    line = begun(there, folder, limits)
    order = line.order()
    if order is not None:
        work(line, Path(folder), order, {})


def compute_many(there: Connection, folder: str, limits: Limits) -> None:
    """Do orders, one after the other, and keep the models at hand. Ends when nothing came for
    long."""
    line = begun(there, folder, limits)
    kept: dict[str, Product] = {}
    while (order := line.order(IDLE)) is not None:
        work(line, Path(folder), order, kept)


def begun(there: Connection, folder: str, limits: Limits) -> Line:
    """A child's end of its line, after it gave all up that it may not have."""
    tempfile.tempdir = folder
    try:
        confine(limits, Path(folder), there.fileno())
    except Unconfined as error:
        with suppress(OSError):
            say(there, {"kind": "failed", "problem": told("unconfined", UNCONFINED.format(error))})
        raise SystemExit(1) from error
    return Line(there)


def work(line: Line, folder: Path, order: Message, kept: dict[str, Product]) -> None:
    """Do one order, whatever it is and whatever happens."""
    attempt(line, lambda: {"keys": compute_order(line, folder, order, kept)}, order.get("job"))


def attempt(line: Line, act: Callable[[], dict[str, Any]], name: Any) -> None:
    """Say `done` with what `act` gives, or `failed` with the problem. name: of what was asked, for
    the log."""
    try:
        line.say({"kind": "done", **act()})
    except IntaglioError as error:
        line.say({"kind": "failed", "problem": problem_of(error)})
    except Refused as error:
        line.say({"kind": "failed", "problem": error.problem})
    except MemoryError:
        line.say({"kind": "failed", "problem": told("memory", NO_MEMORY)})
    except Exception as error:
        if disk_is_full(error):
            line.say({"kind": "failed", "problem": told("no-room", NO_ROOM)})
            return
        logging.getLogger(__name__).exception("%s failed", name)
        text = UNEXPECTED.format(type(error).__name__)
        line.say({"kind": "failed", "problem": told("unexpected", text)})


def compute_order(
    line: Line, folder: Path, order: Message, kept: dict[str, Product]
) -> dict[str, str]:
    """Run an order's stages; keys of the products by stage."""
    told_at, told_of = 0.0, ""

    def tell(stage: str, share: float, doing: str) -> None:
        nonlocal told_at, told_of
        now = time.monotonic()
        if stage != told_of or now - told_at > _OFTEN:
            told_at, told_of = now, stage
            line.say({"kind": "progress", "stage": stage, "share": share, "doing": doing})

    shown_at, shown_of = 0.0, ""

    def show(stage: str, key: str, product: Product) -> None:
        nonlocal shown_at, shown_of
        now = time.monotonic()
        if key != shown_of or now - shown_at > _LOOKS:
            store.show(stage, key, product, first=key != shown_of)
            shown_at, shown_of = time.monotonic(), key

    store = LineStore(line, folder, kept)
    source = Source(order["file_name"], store.bytes_of(order["source"]))
    name, given, target = order["name"], order["settings"], order["target"]
    if target == FLOW:
        asked = given[FLOW]
        return run_proof(
            source, name, given, store, asked["iterations"], asked["before"], tell,
            show=show, stop=line.stop.is_set,
        )  # fmt: skip
    made = run_to(target, source, name, given, store, tell, show=show)
    wanted = stages_before(target, stages_of(source.name, given))
    return {s.stage: s.key for s in made if s.key and s.report is not None and s.stage in wanted}


def order_of(job: str, **what: Any) -> Message:
    """An order: file_name, source, name, settings, target."""
    return {"kind": "order", "job": job, **what}
