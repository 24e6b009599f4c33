"""CGNS files (AIAA R-101A) in HDF5: one base, one unstructured zone per mesh zone.

Only this package knows the standard's spellings.
"""

from intaglio.formats.cgns.case_reading import read_case
from intaglio.formats.cgns.comparing import cgns_differences
from intaglio.formats.cgns.reading import read_cgns
from intaglio.formats.cgns.writing import write_cgns
from intaglio.formats.format import MeshFormat

FORMAT = MeshFormat(
    "CGNS",
    (".cgns",),
    read_cgns,
    lambda mesh, path, metrics, case=None: write_cgns(mesh, path, case=case),
    lambda mesh, path, metrics, case=None: cgns_differences(mesh, path, case),
)

__all__ = ["FORMAT", "cgns_differences", "read_case", "read_cgns", "write_cgns"]
