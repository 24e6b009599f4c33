"""The child that answers questions about a study's models: the ruler, and geometry as files.

Models come of foreign files, and the CAD kernel crashes on some: it does so here, alone.
"""

from collections.abc import Sequence
from functools import partial
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from intaglio.parts.measure import measure
from intaglio.parts.model import model_of
from intaglio.parts.writing import files_of, given_model
from sandbox.child import IDLE, attempt, begun
from sandbox.confine import Limits
from sandbox.line import Message
from sandbox.store import LineStore


def answer_many(there: Connection, folder: str, limits: Limits) -> None:
    """Answer questions, one after the other, and keep the models at hand. Ends when nothing came
    for long."""
    line = begun(there, folder, limits)
    store = LineStore(line, Path(folder), {})
    while (question := line.order(IDLE)) is not None:
        attempt(line, partial(_answer, store, question), question["about"])


def _answer(store: LineStore, question: Message) -> dict[str, Any]:
    product = store.get(question["key"])
    if question["about"] == "places":
        return {"found": measure(model_of(product), question["first"], question["second"])}
    model = given_model(question["gives"], product)
    files = files_of(
        model, question["suffix"], question["per"], question["title"], question["patches"]
    )
    return {"files": [[name, store.written(data)] for name, data in files.items()]}


def places(key: str, first: Any, second: Any) -> Message:
    """The question of the ruler: what lies between places of a product's model."""
    return {"kind": "order", "about": "places", "key": key, "first": first, "second": second}


def files(
    key: str,
    gives: Sequence[str],
    suffix: str,
    per: str,
    title: str,
    patches: dict[str, list[int]] | None,
) -> Message:
    """The question for files of a product's geometry, by name; gives: what its stage does."""
    what = {"gives": list(gives), "suffix": suffix, "per": per, "title": title, "patches": patches}
    return {"kind": "order", "about": "files", "key": key, **what}
