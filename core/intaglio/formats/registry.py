"""The formats there are: whatever modules of this package expose as FORMAT, by name."""

import importlib
import pkgutil
from pathlib import Path

import intaglio.formats as formats
from intaglio.errors import FileRejected
from intaglio.formats.format import FacetFormat, MeshFormat
from intaglio.mesh.mesh import Mesh


def _found() -> list[FacetFormat | MeshFormat]:
    names = sorted(info.name for info in pkgutil.iter_modules(formats.__path__))
    modules = [importlib.import_module(f"{formats.__name__}.{name}") for name in names]
    return [module.FORMAT for module in modules if hasattr(module, "FORMAT")]


FACET_FORMATS: tuple[FacetFormat, ...] = tuple(
    sorted(
        (f for f in _found() if isinstance(f, FacetFormat)),
        # the usual one first
        key=lambda f: (f.suffixes[0] != ".stl", f.suffixes[0]),
    )
)
MESH_FORMATS: tuple[MeshFormat, ...] = tuple(f for f in _found() if isinstance(f, MeshFormat))

FACETS_BY_SUFFIX = {suffix: f for f in FACET_FORMATS for suffix in f.suffixes}
MESH_BY_SUFFIX = {suffix: f for f in MESH_FORMATS for suffix in f.suffixes}


def mesh_format(path: Path) -> MeshFormat:
    """The format of meshes that a file's suffix stands for. Raises FileRejected."""
    known = MESH_BY_SUFFIX.get(path.suffix.lower())
    if known is None:
        raise FileRejected(
            "unknown-kind",
            f"{path.name} is of no kind of mesh that is read. "
            f"Known are {', '.join(MESH_BY_SUFFIX)}.",
        )
    return known


def read_mesh(path: Path) -> Mesh:
    """A finished mesh from a file, by its suffix. Raises FileRejected."""
    return mesh_format(path).read(path)
