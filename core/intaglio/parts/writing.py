"""Writing geometry of any stage: whole, per body, or per patch, as CAD or facets."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.cad.files import CAD_WRITTEN
from intaglio.errors import FileRejected
from intaglio.facets.part import FacetPart
from intaglio.formats.format import Surface
from intaglio.formats.registry import FACET_FORMATS, FACETS_BY_SUFFIX
from intaglio.mesh.drawing import boundary_triangles
from intaglio.mesh.mesh import Floats, Ints, Patch
from intaglio.mesh.storing import stored_mesh
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, model_of

WRITTEN = (*CAD_WRITTEN, *FACETS_BY_SUFFIX)
PER = ("whole", "body", "patch")


def geometry_bytes(model: Model, suffix: str, title: str, share: float = 2e-4) -> bytes:
    """A model as a file. share: how closely facets follow CAD, of its diagonal. Raises
    FileRejected for a format that cannot hold it."""
    if suffix not in WRITTEN:
        raise FileRejected(
            "unknown-kind", f"“{suffix}” is not written. Known are {', '.join(WRITTEN)}."
        )
    kind = kind_of(model)
    if suffix in CAD_WRITTEN:
        exact = kind.file(model, suffix)
        if exact is None:
            raise FileRejected(
                "facets-to-cad",
                "Facets cannot become CAD surfaces. Write them as "
                f"{', '.join(f.title for f in FACET_FORMATS)}.",
            )
        return bytes(exact)
    part = kind.facets(model, share)
    words = f"{title} in {model.unit}"
    surface = Surface(part.points, part.triangles, part.region, part.region_names, words)
    return FACETS_BY_SUFFIX[suffix].write(surface)


def per_patch(model: Model, patches: Mapping[str, list[int]]) -> dict[str, Model]:
    """The faces of each patch, as sheets. patches: face numbers by name."""
    kind = kind_of(model)
    return {name: kind.sheet(model, name, faces) for name, faces in patches.items() if faces}


def files_of(
    model: Model, suffix: str, per: str, title: str, patches: Mapping[str, list[int]] | None = None
) -> dict[str, bytes]:
    """Files by name: one for the whole, or one for each body or patch."""
    if per == "body":
        return {
            f"{name}{suffix}": geometry_bytes(m, suffix, name)
            for name, m in kind_of(model).per_body(model).items()
        }
    if per == "patch":
        if patches is None:
            raise FileRejected("no-patches", "There are no patches yet to write one by one.")
        return {
            f"{name}{suffix}": geometry_bytes(m, suffix, name)
            for name, m in per_patch(model, patches).items()
        }
    return {f"{title}{suffix}": geometry_bytes(model, suffix, title)}


# what a stage may give that has geometry to be written
GEOMETRY = ("model", "surface", "mesh")


def given_model(gives: Sequence[str], product: Product) -> Model:
    """The geometry of a product of a stage that gives something of GEOMETRY. Raises FileRejected
    where it gives none."""
    if "model" in gives:
        return model_of(product)
    if "mesh" in gives:
        # the names of patches are those of the domain's faces
        names = tuple(product.report.get("faces", ()))
        patches = tuple(Patch(name, "wall") for name in names)
        mesh = stored_mesh(product.arrays, patches, (), product.report["unit"])
        points, triangles, region = boundary_triangles(mesh)
        return _skin(points, triangles, region, product.report["unit"])
    if "surface" in gives:
        a = product.arrays
        return _skin(a["points"], a["triangles"], a["region"], product.report["unit"])
    raise FileRejected("no-geometry", "This stage has no geometry to write.")


def _skin(points: Floats, triangles: Ints, region: Ints, unit: str) -> FacetPart:
    """The triangles of a mesh as one body."""
    names = tuple(f"face_{k + 1}" for k in range(int(region.max(initial=-1)) + 1))
    return FacetPart(
        np.ascontiguousarray(points),
        np.ascontiguousarray(triangles),
        np.ascontiguousarray(region),
        np.zeros(len(region), np.int32),
        names,
        ("fluid",),
        unit,
    )


def patch_faces(report: Mapping[str, Any], domain: Mapping[str, Any]) -> dict[str, list[int]]:
    """Face numbers by patch name, from the reports of Patches and Domain; the two sides of a sheet
    are one face."""
    number = {f["id"]: f.get("back_of", k) for k, f in enumerate(domain["faces"])}
    return {p["name"]: [number[f] for f in p["faces"] if f in number] for p in report["patches"]}


def file_suffix(path: str) -> str:
    return Path(path).suffix.lower()
