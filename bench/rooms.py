"""Rooms and passages of a dirty model, over reading and diagnosing the same file in the same run.

The model: a crate of thick walls with a round hole and a lid that stands off, and fifty balls in it
or around it, in so many facets. Balls of a share of its diagonal and more are followed.

    python -m bench.rooms [--facets N] [--share S] [--json]
"""

import argparse
import json
import resource
import time

import numpy as np
import trimesh

from intaglio.parts.kinds import kind_of
from intaglio.parts.reaching import rooms_in
from intaglio.parts.source import Source
from intaglio.parts.taking import take_in

FACETS = 1_000_000
SHARE = 1e-3
HOLE, GAP = 0.2, 0.01


def crate(facets: int) -> trimesh.Trimesh:
    """The model in about so many facets."""
    outer = trimesh.creation.box((1, 1, 1))
    inner = trimesh.creation.box((0.9, 0.9, 0.9))
    bore = trimesh.creation.cylinder(HOLE / 2, 0.3, sections=96).apply_translation([0, 0, 0.5])
    shell = trimesh.boolean.difference([outer, inner, bore], engine="manifold")
    lid = trimesh.creation.box((1.1, 1.1, 0.05)).apply_translation([0, 0, 0.525 + GAP])
    rng = np.random.default_rng(3)
    balls = [
        trimesh.creation.icosphere(2, 0.03).apply_translation(at)
        for at in rng.uniform(-0.4, 0.4, (40, 3)).tolist() + rng.uniform(0.7, 1.2, (10, 3)).tolist()
    ]
    whole = trimesh.util.concatenate([shell, lid, *balls])
    edge = np.sqrt(2.3 * whole.area / facets)
    points, triangles = trimesh.remesh.subdivide_to_size(whole.vertices, whole.faces, edge, 30)
    return trimesh.Trimesh(points, triangles, process=False)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--facets", type=int, default=FACETS)
    parser.add_argument("--share", type=float, default=SHARE)
    parser.add_argument("--json", action="store_true")
    args = parser.parse_args()
    small = take_in(Source("crate.stl", crate(2000).export(file_type="stl")), "m").model
    rooms_in(small, 0.05)  # loads the compiled code
    file = Source("crate.stl", crate(args.facets).export(file_type="stl"))
    started = time.perf_counter()
    model = take_in(file, "m").model
    kind_of(model).diagnosed(model)
    peer = time.perf_counter() - started
    scale = kind_of(model).scale(model)
    started = time.perf_counter()
    _, rooms = rooms_in(model, args.share * scale)
    own = time.perf_counter() - started
    told = {
        "facets": kind_of(model).triangles(model),
        "points": len(rooms.around.space.points),
        "rooms": own,
        "reading and diagnosis": peer,
        "ratio": own / peer,
        "peak GiB": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20,
        # the way in is the gap under the lid
        "way in": [float(x) for x in rooms.through[1:3]],
        "untouched": int((rooms.touched == 0.0).sum()),
    }
    if args.json:
        print(json.dumps(told))
        return
    for name, value in told.items():
        print(f"{name:<24}{value}")


if __name__ == "__main__":
    main()
