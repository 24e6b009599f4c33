"""Unstructured grids of the Visualization Toolkit's open XML format (.vtu), raw appended data."""

import struct

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Mesh

_TET = 10


def vtu_bytes(mesh: Mesh, cell_data: dict[str, NDArray[np.float64]]) -> bytes:
    """The mesh's cells with named cell data (c,), in double precision."""
    cells = len(mesh.tets)
    blocks: list[bytes] = []
    offset = 0

    def array(name: str, kind: str, data: NDArray, components: int = 1) -> str:
        nonlocal offset
        raw = np.ascontiguousarray(data).tobytes()
        blocks.append(struct.pack("<Q", len(raw)) + raw)
        text = (
            f'<DataArray type="{kind}" Name="{name}" NumberOfComponents="{components}" '
            f'format="appended" offset="{offset}"/>'
        )
        offset += len(raw) + 8
        return text

    head = [
        '<?xml version="1.0"?>',
        '<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian" '
        'header_type="UInt64"><UnstructuredGrid>',
        f'<Piece NumberOfPoints="{len(mesh.points)}" NumberOfCells="{cells}">',
        "<Points>",
        array("Points", "Float64", mesh.points.astype("<f8"), 3),
        "</Points><Cells>",
        array("connectivity", "Int64", mesh.tets.astype("<i8")),
        array("offsets", "Int64", np.arange(4, 4 * cells + 1, 4, dtype="<i8")),
        array("types", "UInt8", np.full(cells, _TET, np.uint8)),
        "</Cells><CellData>",
        array("zone", "Int32", mesh.zone.astype("<i4")),
        *(array(name, "Float64", data.astype("<f8")) for name, data in cell_data.items()),
        "</CellData></Piece></UnstructuredGrid>",
        '<AppendedData encoding="raw">_',
    ]
    return "\n".join(head).encode() + b"".join(blocks) + b"\n</AppendedData></VTKFile>\n"
