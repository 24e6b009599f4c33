"""The ways of making the mesh. A new one is a module with a WAY, and a line here."""

from collections.abc import Mapping
from typing import Any

from intaglio.stages.volume.tetrahedra import WAY as TETRAHEDRA
from intaglio.stages.volume.way import Way

WAYS: tuple[Way, ...] = (TETRAHEDRA,)


def way_called(key: Any) -> Way:
    """The way of that word; where there is none, or none is given, the first."""
    return next((way for way in WAYS if way.key == key), WAYS[0])


def way_of(given: Mapping[str, Mapping[str, Any]]) -> Way:
    """The way that settings by stage, as far as they are given by hand, ask for."""
    return way_called(given.get("volume", {}).get("cells"))
