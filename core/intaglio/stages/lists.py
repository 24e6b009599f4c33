"""All that is listed once in the core and shown elsewhere: for the API and the page."""

from dataclasses import asdict
from typing import Any

from intaglio.cad.files import CAD_WRITTEN
from intaglio.formats.registry import FACET_FORMATS, MESH_BY_SUFFIX, MESH_FORMATS
from intaglio.mesh.cells import SHAPES
from intaglio.mesh.mesh import PATCH_KINDS, ZONE_KINDS
from intaglio.parts.source import ACCEPTED
from intaglio.quality.catalogue import METRICS
from intaglio.quality.triangles import SURFACE_METRICS
from intaglio.sizing.spacing import CLUSTERS
from intaglio.stages.sizing.rows import FIELDS
from intaglio.units import MM_PER_UNIT


def _words(listed: dict[str, str]) -> list[dict[str, str]]:
    return [{"key": key, "label": label} for key, label in listed.items()]


def lists() -> dict[str, Any]:
    """Metrics, units, kinds, clusterings, shapes and formats, as plain data."""
    return {
        "metrics": [asdict(m) for m in METRICS],
        "surface_metrics": [asdict(m) for m in SURFACE_METRICS],
        "units": [{"key": unit, "mm": mm} for unit, mm in MM_PER_UNIT.items()],
        "patch_kinds": _words(PATCH_KINDS),
        "zone_kinds": list(ZONE_KINDS),
        "cell_shapes": [{"key": s.name, "label": s.plural} for s in SHAPES],
        "clusterings": _words(CLUSTERS),
        "region_shapes": [{"key": k, "fields": list(v)} for k, v in FIELDS.items()],
        "read": [*ACCEPTED, *MESH_BY_SUFFIX],
        "written": {
            "cad": [s for s in CAD_WRITTEN if s != ".stp"],
            "facets": [f.suffixes[0] for f in FACET_FORMATS],
            "mesh": [f.suffixes[0] for f in MESH_FORMATS],
        },
    }
