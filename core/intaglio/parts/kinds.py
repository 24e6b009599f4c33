"""Which kind a model is of: the one place that asks."""

from typing import Any

from intaglio.facets.part import FacetPart
from intaglio.parts.cad_kind import CadKind
from intaglio.parts.facet_kind import FacetKind
from intaglio.parts.kind import Kind, Model

CAD = CadKind()
FACETS = FacetKind()
KINDS: dict[str, Kind[Any]] = {k.key: k for k in (CAD, FACETS)}


def kind_of(model: Model) -> Kind[Any]:
    """What can be asked of a model."""
    return FACETS if isinstance(model, FacetPart) else CAD
