"""What requests about results share: the products that a variant shows, kept at hand; numbers."""

import functools
from typing import Any

import numpy as np
from django.http import Http404, HttpResponse
from numpy.typing import NDArray
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request

from intaglio.mesh.mesh import Mesh
from intaglio.mesh.pack import pack, unpack
from intaglio.parts.model import Product as CoreProduct
from intaglio.quality.catalogue import METRICS
from intaglio.quality.values import Values
from intaglio.stages.volume import volume_mesh
from studies.api.variants import product_shown, variant_states
from studies.api.weighed import Weighed
from studies.looks import look_at
from studies.models import Product, Variant
from studies.problems import Conflict
from studies.store import load_bytes

# what cells are coloured by that is no metric, but which of a few kinds they are
KINDS = ("zone", "shape", "layer")
# no place and no plane of a model lies farther out
_LARGEST = 1e15


# memory that products at hand may take, and cells of meshes with their metrics
_MOST_BYTES, _MOST_CELLS = 4 * 2**30, 12_000_000


def _load_arrays(key: str) -> tuple[dict[str, NDArray[Any]], dict[str, Any]]:
    return unpack(load_bytes(key))


def _bytes_of(held: tuple[dict[str, NDArray[Any]], dict[str, Any]]) -> float:
    return float(sum(a.nbytes for a in held[0].values()))


product_arrays = Weighed(_load_arrays, _bytes_of, _MOST_BYTES)


def _load_values(key: str) -> Values:
    """The mesh of a Volume product with its metrics, which are computed when they are asked for."""
    arrays, report = product_arrays(key)
    mesh = volume_mesh(CoreProduct(arrays, report))
    ratio = arrays.get("size_ratio")
    return Values(mesh, size_ratio=None if ratio is None else ratio.astype(np.float64))


product_values = Weighed(_load_values, lambda values: float(values.mesh.cells), _MOST_CELLS)


def product_mesh(key: str) -> Mesh:
    return product_values(key).mesh


def layer_of(key: str) -> NDArray[Any]:
    """Layer (c,) of each cell of a Volume product, 0 in the core."""
    arrays, _ = product_arrays(key)
    return arrays.get("layer", np.zeros(product_mesh(key).cells, np.int32))


@functools.lru_cache(maxsize=8)
def cell_colours(key: str, by: str) -> NDArray[np.float32]:
    """What each cell (c,) of a Volume product is coloured by: a metric or one of KINDS."""
    mesh = product_mesh(key)
    if by == "zone":
        return mesh.zone.astype(np.float32)
    if by == "shape":
        return mesh.shape.astype(np.float32)
    if by == "layer":
        return layer_of(key).astype(np.float32)
    return product_values(key).of_cells(by).astype(np.float32)


def coloured_by(request: Request, key: str) -> NDArray[np.float32]:
    """The same as a request asks for it. Raises ValidationError."""
    by = request.query_params.get("metric", METRICS[0].key)
    if by not in KINDS:
        by = asked_metric(request, key)
    return cell_colours(key, by)


def asked_metric(request: Request, key: str) -> str:
    """The metric that a request names, which the mesh has. Raises ValidationError."""
    metric = request.query_params.get("metric", METRICS[0].key)
    if metric not in product_values(key).known():
        raise ValidationError({"detail": f"This mesh has no metric called {metric}."})
    return metric


def shown_product(variant: Variant, stage: str, whole: bool = True) -> str:
    """Key of what the variant shows for a stage; whole: it must be all that the stage makes. Raises
    Http404 if it has nothing yet, Conflict while it is not whole."""
    look = look_at(variant)
    for state in variant_states(variant):
        if state.stage == stage:
            condition, key = product_shown(variant, state, look)
            if condition == "looking" and whole:
                raise Conflict("The part is still being looked at. Try again when that is done.")
            if key is not None and Product.objects.filter(key=key).exists():
                return key
    raise Http404("This stage has no result yet.")


def binary(arrays: dict[str, NDArray[Any]], meta: Any = None) -> HttpResponse:
    return HttpResponse(pack(arrays, meta), content_type="application/octet-stream")


def number(request: Request, name: str, default: float | None = None) -> float:
    raw = request.query_params.get(name)
    if raw is None and default is not None:
        return default
    try:
        value = float(raw or "")
    except (TypeError, ValueError) as error:
        raise ValidationError({"detail": f"{name} needs a number."}) from error
    if not abs(value) <= _LARGEST:
        raise ValidationError({"detail": f"{name} needs a number up to {_LARGEST:g}."})
    return value


def whole_number(request: Request, name: str, default: int, least: int, most: int) -> int:
    value = number(request, name, default)
    if value != int(value) or not least <= value <= most:
        raise ValidationError({"detail": f"{name} needs a whole number from {least} to {most}."})
    return int(value)
