"""CGNS files (AIAA R-101A) in HDF5: one base, one unstructured zone per mesh zone.

Only this package knows the standard's spellings.
"""

from intaglio.formats.cgns.reading import read_cgns
from intaglio.formats.cgns.writing import cgns_bytes, write_cgns
from intaglio.formats.format import MeshFormat

FORMAT = MeshFormat(
    "CGNS", (".cgns",), read_cgns, lambda mesh, metrics, case=None: cgns_bytes(mesh, case)
)

__all__ = ["FORMAT", "cgns_bytes", "read_cgns", "write_cgns"]
