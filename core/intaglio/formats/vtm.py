"""A mesh in blocks, in the Visualization Toolkit's open XML format (.vtm): a file of cells for each
zone and one of faces for each patch, and an index that names them."""

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray

from intaglio.formats.vtk_xml import Named, VtkData, vtk_differences, write_vtk
from intaglio.formats.vtu import cells_of
from intaglio.mesh.mesh import Mesh, rows
from intaglio.mesh.zones import zone_alone

Metrics = Mapping[str, NDArray[Any]]


def write_vtm(mesh: Mesh, path: Path, metrics: Metrics) -> None:
    """Write the index and, in a folder of its name, the files that it names."""
    folder = path.with_suffix("")
    lines = [
        '<?xml version="1.0"?>',
        '<VTKFile type="vtkMultiBlockDataSet" version="1.0" byte_order="LittleEndian" '
        'header_type="UInt64"><vtkMultiBlockDataSet>',
    ]
    for number, (group, blocks) in enumerate(_blocks(mesh).items()):
        lines.append(f'<Block index="{number}" name="{group}">')
        lines += [
            f'<DataSet index="{k}" name={quoteattr(name)} file="{folder.name}/{file}"/>'
            for k, (name, file) in enumerate(blocks)
        ]
        lines.append("</Block>")
    lines.append("</vtkMultiBlockDataSet></VTKFile>\n")
    for file, data in _files(mesh, metrics):
        (folder / file).parent.mkdir(parents=True, exist_ok=True)
        write_vtk(folder / file, data)
    path.write_text("\n".join(lines), encoding="utf-8")


def vtm_differences(mesh: Mesh, path: Path, metrics: Metrics) -> Iterator[str]:
    """What the files say else than the mesh and its metrics, in words."""
    root = ElementTree.parse(path).getroot()
    told = {
        group.get("name"): [(d.get("name"), d.get("file")) for d in group.findall("DataSet")]
        for group in root.findall(".//Block")
    }
    folder = path.with_suffix("")
    meant = {
        group: [(name, f"{folder.name}/{file}") for name, file in blocks]
        for group, blocks in _blocks(mesh).items()
    }
    if told != meant:
        yield "the names of its blocks"
        return
    for file, data in _files(mesh, metrics):
        for what in vtk_differences(folder / file, data):
            yield f"{what} of {file}"


def _blocks(mesh: Mesh) -> dict[str, list[tuple[str, str]]]:
    """Name and file of each block. Files of zones are numbered: a zone may be called anything."""
    return {
        "zones": [(zone.name, f"zone_{k + 1}.vtu") for k, zone in enumerate(mesh.zones)],
        "patches": [(p.name, f"patch_{k + 1}.vtp") for k, p in enumerate(mesh.patches)],
    }


def _files(mesh: Mesh, metrics: Metrics) -> Iterator[tuple[str, VtkData]]:
    """Every file of the blocks, one at a time."""
    blocks = _blocks(mesh)
    for k, (_, file) in enumerate(blocks["zones"]):
        if len(mesh.zones) == 1:
            yield file, cells_of(mesh, metrics)
        else:
            own = zone_alone(mesh, k)
            cells = np.flatnonzero(mesh.zone == k)
            yield file, cells_of(own, {name: values[cells] for name, values in metrics.items()})
    for k, (_, file) in enumerate(blocks["patches"]):
        yield file, _faces(mesh, k)


def _faces(mesh: Mesh, patch: int) -> VtkData:
    """The faces of a patch, with the number of the cell that each belongs to."""
    faces = np.flatnonzero(mesh.patch == patch)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    used, local = np.unique(nodes, return_inverse=True)
    return VtkData(
        "PolyData",
        {"NumberOfPoints": len(used), "NumberOfPolys": len(faces)},
        {
            "Points": [Named("Points", "Float64", mesh.points[used], 3)],
            "Polys": [
                Named("connectivity", "Int64", local.ravel()),
                Named("offsets", "Int64", start[1:]),
            ],
            "CellData": [Named("cell", "Int32", mesh.owner[faces])],
        },
    )
