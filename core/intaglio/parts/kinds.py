"""Which kind a model is of: the one place that asks."""

import functools
from typing import Any

from intaglio.facets.part import FacetPart
from intaglio.parts.facet_kind import FacetKind
from intaglio.parts.kind import Kind, Model

FACETS = FacetKind()


@functools.cache
def cad() -> Kind[Any]:
    """Models of CAD. The kernel, which takes longer to load than all else, is loaded for it."""
    from intaglio.parts.cad_kind import CadKind

    return CadKind()


def kind_named(key: str) -> Kind[Any]:
    """The kind that a product's names tell: cad or facets."""
    return cad() if key == "cad" else FACETS


def kind_of(model: Model) -> Kind[Any]:
    """What can be asked of a model."""
    return FACETS if isinstance(model, FacetPart) else cad()
