"""The mesh of a volume product."""

import numpy as np

from intaglio.mesh.building import with_patches
from intaglio.mesh.mesh import Mesh, Patch, Zone
from intaglio.mesh.storing import stored_mesh
from intaglio.parts.model import Product
from intaglio.stages.patches.made import patch_of_face


def volume_mesh(product: Product) -> Mesh:
    """The mesh of a volume product, its patches being the faces of the domain."""
    zones = tuple(Zone(name, z["kind"]) for name, z in product.report["zones"].items())
    patches = tuple(Patch(name, "wall") for name in product.report.get("faces", []))
    return stored_mesh(product.arrays, patches, zones, product.report["unit"])


def named_mesh(volume_product: Product, patches: Product) -> Mesh:
    """The volume mesh with the patches' names on its boundary."""
    mesh = volume_mesh(volume_product)
    of_face = patch_of_face(patches)
    patch = np.where(mesh.patch >= 0, of_face[mesh.patch], -1).astype(np.int32)
    named = tuple(Patch(p["name"], p["kind"]) for p in patches.report["patches"])
    return with_patches(mesh, patch, named)
