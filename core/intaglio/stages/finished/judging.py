"""Judging a mesh that was read: its checks, metrics and worst cells, whether it is valid or not."""

from intaglio.parts.model import Product
from intaglio.quality.report import mesh_findings
from intaglio.quality.values import Values
from intaglio.stages.finished.reading import read_product
from intaglio.stages.stage import Progress
from intaglio.stages.volume.step import volume_product


def judging_step(domain: Product, progress: Progress) -> Product:
    """The product of Volume for a mesh that was read; what is wrong is told, not refused."""
    progress(0.1, "checking every cell")
    mesh = read_product(domain)
    values = Values(mesh)
    found = mesh_findings(mesh, values.measured)
    progress(0.6, "measuring every cell")
    return volume_product(values, found, [face["id"] for face in domain.report["faces"]])
