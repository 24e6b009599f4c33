"""The core's store as a child has it: what it needs it asks of the worker, products go by files in
a folder of the job's own. Models stay at hand, with all that steps find out about them."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from intaglio.mesh.pack import pack, unpack
from intaglio.parts.model import Product
from sandbox.line import Line, Message

# models that a store keeps at hand: a part and its fluid
_MODELS = 2


class Refused(Exception):
    """The worker could not give or keep something; problem: as it is told."""

    def __init__(self, problem: dict[str, Any]) -> None:
        super().__init__(problem["message"])
        self.problem = problem


class LineStore:
    """Reports and products over a line; folder: where files go to and fro; kept: models at hand, by
    key, which outlive the job."""

    def __init__(self, line: Line, folder: Path, kept: dict[str, Product]) -> None:
        self._line, self._folder, self._kept = line, folder, kept
        self._told: dict[str, Mapping[str, Any]] = {}
        self._number = 0

    def _ask(self, message: Message) -> Message:
        answer = self._line.ask(message)
        if answer.get("problem") is not None:
            raise Refused(answer["problem"])
        return answer

    def report(self, key: str) -> Mapping[str, Any] | None:
        # asked for again before every stage of a run
        if key not in self._told:
            found = self._ask({"kind": "report", "key": key})["report"]
            if found is None:
                return None
            self._told[key] = found
        return self._told[key]

    def bytes_of(self, key: str) -> bytes:
        """A source's bytes. Raises Refused."""
        return bytes(self._read(key))

    def _read(self, key: str) -> bytearray:
        path = self._folder / self._ask({"kind": "get", "key": key})["file"]
        try:
            data = bytearray(path.stat().st_size)
            with path.open("rb") as file:
                file.readinto(data)
            return data
        finally:
            path.unlink()

    def get(self, key: str) -> Product:
        if key in self._kept:
            return self._kept[key]
        # of bytes that may be written, as arrays are that were just made: compiled code for others
        # is other code, which no one has compiled
        product = Product(*unpack(self._read(key)))
        self._keep(key, product)
        return product

    def _keep(self, key: str, product: Product) -> None:
        if "model" in product.report:
            self._kept.pop(key, None)
            self._kept[key] = product
            for old in list(self._kept)[:-_MODELS]:
                del self._kept[old]

    def put(self, key: str, stage: str, product: Product) -> None:
        self._keep(key, product)
        file = self.written(pack(product.arrays, product.report))
        self._ask(
            {"kind": "put", "key": key, "stage": stage, "file": file, "report": product.report}
        )

    def show(self, stage: str, key: str, product: Product, first: bool) -> None:
        """Let there be seen what there is of a product; of later looks only the report is new."""
        file = self.written(pack(product.arrays, {})) if first else None
        message = {"kind": "look", "stage": stage, "key": key, "file": file}
        self._ask({**message, "report": product.report})

    def written(self, data: bytes) -> str:
        """The name of a file that the worker takes."""
        self._number += 1
        name = f"put-{self._number}"
        (self._folder / name).write_bytes(data)
        return name
