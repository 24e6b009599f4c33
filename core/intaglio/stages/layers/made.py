"""What Layers made, and other stages may look at: columns that grew on the surface's triangles."""

from dataclasses import dataclass

from intaglio.layers.core import Wanted
from intaglio.layers.grow import Grown
from intaglio.layers.shell import Shell
from intaglio.parts.model import Product
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.layers.shells import grown_of, shells_of
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.surface.made import SurfaceMade


@dataclass(frozen=True)
class LayersMade:
    """A shell for each zone, what grew in it, and what was wanted there."""

    shells: list[Shell]
    grown: list[Grown]
    wanted: list[Wanted]


def layers_made(product: Product, surface: SurfaceMade, domain: Product) -> LayersMade | None:
    """The view of a product of Layers on its surface; None where no layers were asked for."""
    a = product.arrays
    if "row_of_face" not in a:
        return None
    shells, _ = shells_of(
        surface.points,
        surface.triangles,
        surface.region,
        sides_of(domain.report),
        back_faces(domain.report),
        a["row_of_face"],
        a["grows"],
    )
    return LayersMade(shells, *grown_of(a, shells))
