"""What can be handed over: each part with how it is written and how it is read back."""

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import yaml
from numpy.typing import NDArray

from intaglio.case.setup import CaseSetup
from intaglio.formats.cgns.surface import surface_differences, write_surface
from intaglio.formats.format import MeshFormat
from intaglio.formats.registry import MESH_FORMATS
from intaglio.formats.stl import patch_differences, write_patches
from intaglio.formats.vtm import vtm_differences, write_vtm
from intaglio.mesh.mesh import Mesh


@dataclass(frozen=True)
class Meant:
    """What is handed over: the mesh, metrics (c,) by name, the case worked out, its document and
    the report of the mesh as plain data, and a text for people."""

    mesh: Mesh
    metrics: Mapping[str, NDArray[Any]]
    case: CaseSetup
    document: Mapping[str, Any]
    report: Mapping[str, Any]
    words: str


@dataclass(frozen=True)
class Part:
    """A part of the whole: key, what it is called in a sentence, its file or folder with a line
    that explains it; how it is written at a path, and what it then says else than was meant; usual:
    whether it goes along where nothing else is said."""

    key: str
    label: str
    file: str
    about: str
    write: Callable[[Meant, Path], None]
    differences: Callable[[Meant, Path], Iterator[str]]
    usual: bool = True


def _of_format(known: MeshFormat, about: str) -> Part:
    file = f"mesh{known.suffixes[0]}"
    return Part(
        known.suffixes[0].removeprefix("."),
        file,
        file,
        about,
        lambda m, path: known.write(m.mesh, path, m.metrics, m.case),
        lambda m, path: known.differences(m.mesh, path, m.metrics, m.case),
    )


_ABOUT = {
    "CGNS": "the mesh with zones, patches, conditions and materials (CGNS standard, HDF5)",
    "VTU": "the same mesh with quality values per cell, for any VTK-based viewer",
}

# those that an analyst chooses from
CHOSEN: tuple[Part, ...] = (
    *(_of_format(f, _ABOUT.get(f.title, f"the mesh as {f.title}")) for f in MESH_FORMATS),
    Part(
        "vtm",
        "zones and patches as VTM",
        "mesh.vtm",
        "the mesh in blocks, one for each zone and patch, for any VTK-based viewer",
        lambda m, path: write_vtm(m.mesh, path, m.metrics),
        lambda m, path: vtm_differences(m.mesh, path, m.metrics),
        usual=False,
    ),
    Part(
        "surface",
        "the surface alone as CGNS",
        "surface.cgns",
        "the faces of the patches alone, a zone for each (CGNS standard, HDF5)",
        lambda m, path: write_surface(m.mesh, path),
        lambda m, path: surface_differences(m.mesh, path),
        usual=False,
    ),
    Part(
        "stl",
        "the patches as STL",
        "patches",
        "the triangles of each patch, NAME.stl, normals out of the fluid, in single precision",
        lambda m, path: write_patches(m.mesh, path),
        lambda m, path: patch_differences(m.mesh, path),
    ),
)


def _plain_differ(told: Any, meant: Any) -> Iterator[str]:
    if told != meant:
        yield "its content"


# those that go along always
ALWAYS: tuple[Part, ...] = (
    Part(
        "case",
        "case.yaml",
        "case.yaml",
        "materials, the condition on each patch and what follows from it, SI units",
        lambda m, path: _text(
            path, yaml.safe_dump(dict(m.document), sort_keys=False, allow_unicode=True)
        ),
        lambda m, path: _plain_differ(yaml.safe_load(path.read_text(encoding="utf-8")), m.document),
    ),
    Part(
        "report",
        "report.json",
        "report.json",
        "counts, patches, quality and checks, for programs",
        lambda m, path: _text(path, json.dumps(m.report, indent=1)),
        lambda m, path: _plain_differ(
            json.loads(path.read_text(encoding="utf-8")), json.loads(json.dumps(m.report))
        ),
    ),
    Part(
        "words",
        "README.txt",
        "README.txt",
        "what is what",
        lambda m, path: _text(path, m.words),
        lambda m, path: _plain_differ(path.read_text(encoding="utf-8"), m.words),
    ),
)


def _text(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8", newline="\n")
