"""Reading, welding and diagnosing a scan of a million triangles, against trimesh on the same file.

`python -m bench.facets [--triangles N] [--json]`. Figures: ratio_read, of reading and welding;
ratio_checks, of reading and the checks that trimesh has too (watertight, winding, duplicate and
flat faces, bodies, volume): trimesh's time over ours. full_over_same says what all our checks cost
over those.
"""

import argparse
import io
import json
import resource
import time

import numpy as np
import trimesh

from intaglio.facets.diagnosis import diagnose
from intaglio.facets.faults import extra_copies, flat_triangles
from intaglio.facets.part import FacetPart, scale_of
from intaglio.facets.pieces import find_pieces, turned_triangles
from intaglio.facets.welding import welded
from intaglio.formats.stl import read_stl, stl_bytes
from intaglio.triangles.edges import edge_table


def scan(triangles: int) -> bytes:
    """A torus of so many triangles with a hole and some faces turned over, as binary STL."""
    across = int(np.sqrt(triangles / 4))
    mesh = trimesh.creation.torus(10.0, 3.0, major_sections=2 * across, minor_sections=across)
    faces = np.asarray(mesh.faces, np.int32)[200:].copy()
    faces[1000:1050] = faces[1000:1050, ::-1]
    return stl_bytes(np.asarray(mesh.vertices), faces, "torus")


def ours_read(data: bytes) -> FacetPart:
    raw = read_stl(data, "scan.stl")
    return welded(
        FacetPart(
            raw.points, raw.triangles, raw.group, raw.group.copy(), ("scan",), ("scan",), "mm"
        )
    )


def ours_checks(part: FacetPart) -> tuple:
    table = edge_table(part.triangles)
    groups = find_pieces(part, table)
    turned, _ = turned_triangles(part.triangles, table, groups.piece)
    return (
        int((table.uses == 1).sum()),
        int(turned.sum()),
        int(extra_copies(part.triangles).sum()),
        int(flat_triangles(part, scale_of(part.points)).sum()),
        len(groups.closed),
        groups.volume.sum(),
    )


def theirs_checks(mesh: trimesh.Trimesh) -> tuple:
    return (
        mesh.is_watertight,
        mesh.is_winding_consistent,
        len(mesh.faces) - int(mesh.unique_faces().sum()),
        len(mesh.faces) - int(mesh.nondegenerate_faces().sum()),
        mesh.body_count,
        mesh.volume,
    )


def timed(act, *given):
    start = time.perf_counter()
    out = act(*given)
    return out, time.perf_counter() - start


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--triangles", type=int, default=1_000_000)
    parser.add_argument("--json", action="store_true")
    args = parser.parse_args()
    small = scan(4000)
    diagnose(ours_read(small))  # compiled code is loaded outside the timing
    data = scan(args.triangles)
    mesh, their_read = timed(lambda: trimesh.load(io.BytesIO(data), file_type="stl"))
    _, their_checks = timed(theirs_checks, mesh)
    del mesh
    part, our_read = timed(ours_read, data)
    told, our_checks = timed(ours_checks, part)
    found, our_full = timed(diagnose, part)
    codes = {f.code for f in found.findings}
    assert told[1] == 50 and "mixed-normals" in codes and codes & {"holes", "gaps"}
    figures = {
        "triangles": len(part.triangles),
        "ratio_read": round(their_read / our_read, 2),
        "ratio_checks": round((their_read + their_checks) / (our_read + our_checks), 2),
        "full_over_same": round(our_full / our_checks, 2),
        "full_triangles_per_second": round(len(part.triangles) / (our_read + our_full)),
        "peak_bytes_per_triangle": round(
            resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 / len(part.triangles)
        ),
    }
    if args.json:
        print(json.dumps(figures))
        return
    print("| figure | value |\n| --- | --- |")
    for name, value in figures.items():
        print(f"| {name} | {value:,} |")


if __name__ == "__main__":
    main()
