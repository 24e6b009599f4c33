"""Writing geometry of any stage: whole, per body, or per patch, as CAD or facets."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.cad.part import Part
from intaglio.cad.read import compound, sheet_of
from intaglio.cad.topology import explore
from intaglio.cad.write import brep_bytes, step_bytes
from intaglio.errors import FileRejected
from intaglio.facets.part import FacetPart, kept
from intaglio.formats.format import Surface
from intaglio.formats.registry import FACET_FORMATS, FACETS_BY_SUFFIX
from intaglio.parts.model import Model, Product, model_of
from intaglio.parts.taking import facets_of

CAD_WRITTEN = {".step": step_bytes, ".stp": step_bytes, ".brep": brep_bytes}
WRITTEN = (*CAD_WRITTEN, *FACETS_BY_SUFFIX)
PER = ("whole", "body", "patch")


def geometry_bytes(model: Model, suffix: str, title: str, share: float = 2e-4) -> bytes:
    """A model as a file. share: how closely facets follow CAD, of its diagonal. Raises
    FileRejected for a format that cannot hold it."""
    if suffix not in WRITTEN:
        raise FileRejected(
            "unknown-kind", f"“{suffix}” is not written. Known are {', '.join(WRITTEN)}."
        )
    if suffix in CAD_WRITTEN:
        if not isinstance(model, Part):
            raise FileRejected(
                "facets-to-cad",
                "Facets cannot become CAD surfaces. Write them as "
                f"{', '.join(f.title for f in FACET_FORMATS)}.",
            )
        return CAD_WRITTEN[suffix](model)
    part = facets_of(model, share) if isinstance(model, Part) else model
    words = f"{title} in {model.unit}"
    surface = Surface(part.points, part.triangles, part.region, part.region_names, words)
    return FACETS_BY_SUFFIX[suffix].write(surface)


def per_body(model: Model) -> dict[str, Model]:
    """Each body of a model for itself."""
    if isinstance(model, Part):
        return {
            model.body_name(k): Part(compound([b]), model.unit, (model.body_name(k),))
            for k, b in enumerate(model.bodies)
        }
    return {
        name: kept(model, model.body == k)
        for k, name in enumerate(model.body_names)
        if (model.body == k).any()
    }


def per_patch(model: Model, patches: Mapping[str, list[int]]) -> dict[str, Model]:
    """The faces of each patch, as sheets. patches: face numbers by name."""
    out: dict[str, Model] = {}
    for name, numbers in patches.items():
        if not numbers:
            continue
        if isinstance(model, Part):
            faces = [f for n in numbers for f in explore_face(model, n)]
            out[name] = Part(compound([sheet_of(faces)]), model.unit, (name,))
        else:
            out[name] = kept(model, np.isin(model.region, numbers))
    return out


def explore_face(part: Part, number: int) -> list[Any]:
    """The face as it is turned in its body."""
    from OCP.TopAbs import TopAbs_ShapeEnum

    for face in explore(part.shape, TopAbs_ShapeEnum.TopAbs_FACE):
        if part.face_map.FindIndex(face) - 1 == number:
            return [face]
    return []


def files_of(
    model: Model, suffix: str, per: str, title: str, patches: Mapping[str, list[int]] | None = None
) -> dict[str, bytes]:
    """Files by name: one for the whole, or one for each body or patch."""
    if per == "body":
        return {
            f"{name}{suffix}": geometry_bytes(m, suffix, name)
            for name, m in per_body(model).items()
        }
    if per == "patch":
        if patches is None:
            raise FileRejected("no-patches", "There are no patches yet to write one by one.")
        return {
            f"{name}{suffix}": geometry_bytes(m, suffix, name)
            for name, m in per_patch(model, patches).items()
        }
    return {f"{title}{suffix}": geometry_bytes(model, suffix, title)}


def stage_model(stage: str, product: Product) -> Model:
    """The geometry of a stage's product. Raises FileRejected for a stage without one."""
    if stage in ("geometry", "domain"):
        return model_of(product)
    if stage in ("surface", "volume"):
        a = product.arrays
        region = np.ascontiguousarray(a["region"])
        names = tuple(f"face_{k + 1}" for k in range(int(region.max()) + 1))
        return FacetPart(
            np.ascontiguousarray(a["points"]),
            np.ascontiguousarray(a["triangles"]),
            region,
            np.zeros(len(region), np.int32),
            names,
            ("fluid",),
            product.report["unit"],
        )
    raise FileRejected("no-geometry", f"The stage {stage} has no geometry to write.")


def patch_faces(report: Mapping[str, Any], domain: Mapping[str, Any]) -> dict[str, list[int]]:
    """Face numbers by patch name, from the reports of Patches and Domain."""
    number = {f["id"]: k for k, f in enumerate(domain["faces"])}
    return {p["name"]: [number[f] for f in p["faces"] if f in number] for p in report["patches"]}


def file_suffix(path: str) -> str:
    return Path(path).suffix.lower()
