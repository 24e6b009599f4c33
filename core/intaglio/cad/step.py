"""Reading and writing ISO 10303-21 (STEP) files through the CAD kernel."""

from pathlib import Path

from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.gp import gp_Pnt, gp_Trsf
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.STEPControl import STEPControl_Reader, STEPControl_StepModelType, STEPControl_Writer
from OCP.TColStd import TColStd_SequenceOfAsciiString
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from intaglio.cad.measures import volume
from intaglio.cad.part import Part
from intaglio.errors import FileRejected
from intaglio.units import MM_PER_UNIT

SIZE_LIMIT = 200 * 2**20

# names of length units in the file, and what they are called here
_WORDS = {
    "millimetre": "mm",
    "millimeter": "mm",
    "centimetre": "cm",
    "centimeter": "cm",
    "metre": "m",
    "meter": "m",
    "micrometre": "µm",
    "micrometer": "µm",
    "inch": "in",
    "foot": "ft",
}


def unit_called(word: str) -> str:
    """The unit that a file calls so; mm if it is unknown."""
    return _WORDS.get(word.lower(), "mm")


def check_text(name: str, data: bytes) -> None:
    """Refuse what is plainly not a whole STEP file, before the kernel sees it."""
    if not data.strip():
        raise FileRejected("empty", f"{name} is empty. Export it again from the CAD program.")
    if len(data) > SIZE_LIMIT:
        raise FileRejected(
            "too-large",
            f"{name} has {len(data) / 2**20:,.0f} MiB; the limit is {SIZE_LIMIT / 2**20:,.0f} MiB. "
            "Leave out bodies that the flow never sees and export it again.",
        )
    if not data.lstrip()[:64].startswith(b"ISO-10303-21"):
        raise FileRejected(
            "not-step",
            f"{name} is not a STEP file: it does not begin with ISO-10303-21. "
            "Export the model as STEP (AP203, AP214 or AP242).",
        )
    if b"END-ISO-10303-21" not in data[-4096:]:
        raise FileRejected(
            "cut-short",
            f"{name} is cut short: its closing line END-ISO-10303-21 is missing. "
            "Copy or download it again.",
        )


def read_step(path: Path, name: str | None = None) -> Part:
    """Read solids from a STEP file in the file's own length unit. Raises FileRejected."""
    name = name or path.name
    try:
        data = path.read_bytes()
    except OSError as error:
        raise FileRejected("unreadable", f"{name} cannot be read: {error.strerror}.") from error
    check_text(name, data)
    reader = STEPControl_Reader()
    if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise FileRejected(
            "unreadable", f"{name} looks like a STEP file, but its records cannot be read."
        )
    lengths, angles, solid_angles = (TColStd_SequenceOfAsciiString() for _ in range(3))
    reader.FileUnits(lengths, angles, solid_angles)
    unit, factor = "mm", 1.0
    if lengths.Length() > 0:
        unit = unit_called(lengths.Value(1).ToCString())
        factor = MM_PER_UNIT[unit]
    reader.TransferRoots()
    shape = reader.OneShape()
    if shape is None or shape.IsNull():
        raise FileRejected("no-solid", f"{name} holds no geometry. Export at least one solid.")
    solids = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_ShapeEnum.TopAbs_SOLID, solids)
    bodies = [solids.FindKey(i + 1) for i in range(solids.Extent())]
    if not bodies:
        raise FileRejected(
            "no-solid",
            f"{name} holds no solid, only surfaces or curves. "
            "Join them into a solid in the CAD program and export it again.",
        )
    if not any(volume(body) > 0 for body in bodies):
        raise FileRejected("no-solid", f"{name} holds no solid with a volume.")
    whole = _compound(bodies)
    if factor != 1.0:
        scale = gp_Trsf()
        scale.SetScale(gp_Pnt(0, 0, 0), 1.0 / factor)
        whole = BRepBuilderAPI_Transform(whole, scale, True).Shape()
    names = tuple(f"body_{i + 1}" for i in range(len(bodies)))
    return Part(whole, unit, names)


def _compound(shapes: list[TopoDS_Shape]) -> TopoDS_Compound:
    builder = BRep_Builder()
    out = TopoDS_Compound()
    builder.MakeCompound(out)
    for shape in shapes:
        builder.Add(out, shape)
    return out


def is_sound(shape: TopoDS_Shape) -> bool:
    """Whether the kernel's own analysis finds the shape valid."""
    return bool(BRepCheck_Analyzer(shape, True).IsValid())


def write_step(shape: TopoDS_Shape, path: Path, unit: str = "MM") -> None:
    """Write a shape whose numbers are in mm to a STEP file in the given unit (kernel's name)."""
    Interface_Static.SetCVal_s("write.step.unit", unit)
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_StepModelType.STEPControl_AsIs)
    if writer.Write(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise OSError(f"the CAD kernel could not write {path}")
