"""Reading CAD files through the kernel: STEP, IGES, BREP, with names, colours and assemblies."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepTools import BRepTools
from OCP.gp import gp_Pnt, gp_Trsf
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.IGESCAFControl import IGESCAFControl_Reader
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Controller, STEPCAFControl_Reader
from OCP.TCollection import TCollection_ExtendedString
from OCP.TColStd import TColStd_SequenceOfAsciiString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_AttributeIterator, TDF_Label, TDF_LabelSequence
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape
from OCP.XCAFDoc import (
    XCAFDoc_ColorTool,
    XCAFDoc_ColorType,
    XCAFDoc_DocumentTool,
    XCAFDoc_ShapeTool,
)

from intaglio.cad.faults import is_kernel_fault
from intaglio.cad.files import CAD_READ
from intaglio.cad.part import Part
from intaglio.cad.step import check_text, unit_called
from intaglio.errors import FileRejected
from intaglio.units import MM_PER_UNIT

# numbers of length units in the global section of IGES files (IGES 5.3, 2.2.4.3.14)
_IGES_UNITS = {1: "in", 2: "mm", 4: "ft", 6: "m", 9: "µm", 10: "cm"}
_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8, "µm": 1e-3}

# what programs write where nobody gave a name
_NO_NAME = re.compile(
    r"(.*translator.*|=>.*|(compound|solid|shell|face|product|part|none|noname)[\s_\d]*)$", re.I
)


@dataclass(frozen=True)
class _Leaf:
    """A shape of the file in its place, with its name, its colour, and those of its faces."""

    shape: TopoDS_Shape
    name: str
    colour: str
    faces: tuple[tuple[TopoDS_Shape, str, str], ...]


def read_cad(data: bytes, name: str) -> Part:
    """Bodies and sheets of a CAD file in the file's own unit. Raises FileRejected."""
    kind = CAD_READ.get(Path(name).suffix.lower(), "STEP")
    if not data.strip():
        raise FileRejected("empty", f"{name} is empty. Export it again from the CAD program.")
    with TemporaryDirectory() as folder:
        path = Path(folder) / f"part{Path(name).suffix.lower() or '.step'}"
        path.write_bytes(data)
        try:
            if kind == "STEP":
                check_text(name, data)
                return _read_step(path, name)
            if kind == "IGES":
                return _read_iges(path, name, data)
            return _read_brep(path, name, data)
        except Exception as error:
            if not is_kernel_fault(error) and not isinstance(error, RuntimeError):
                raise
            raise FileRejected(
                "damaged",
                f"{name} is damaged: the CAD kernel cannot make a part of it ({error}). Export it "
                "again from the CAD program.",
            ) from error


def _document() -> TDocStd_Document:
    return TDocStd_Document(TCollection_ExtendedString("BinXCAF"))


def _read_step(path: Path, name: str) -> Part:
    # names of faces are read only when asked for; there is nothing to ask before the first use
    STEPCAFControl_Controller.Init_s()
    Interface_Static.SetIVal_s("read.stepcaf.subshapes.name", 1)
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise FileRejected(
            "unreadable", f"{name} looks like a STEP file, but its records cannot be read."
        )
    lengths, angles, solid_angles = (TColStd_SequenceOfAsciiString() for _ in range(3))
    reader.ChangeReader().FileUnits(lengths, angles, solid_angles)
    unit, factor = "mm", 1.0
    if lengths.Length() > 0:
        unit = unit_called(lengths.Value(1).ToCString())
        factor = MM_PER_UNIT[unit]
    document = _document()
    if not reader.Transfer(document):
        raise FileRejected("no-solid", f"{name} holds no geometry. Export at least one solid.")
    return _from_document(document, unit, factor, name)


def _read_iges(path: Path, name: str, data: bytes) -> Part:
    # the 73rd column of each line of 80 says its section: S for the first
    if len(data) < 80 or data[72:73] != b"S":
        raise FileRejected(
            "not-iges", f"{name} is not an IGES file: its first line has no start section."
        )
    reader = IGESCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise FileRejected("unreadable", f"{name}: its IGES records cannot be read.")
    unit = _IGES_UNITS.get(_iges_unit(data), "mm")
    document = _document()
    if not reader.Transfer(document):
        raise FileRejected("no-solid", f"{name} holds no geometry. Export at least one surface.")
    return _from_document(document, unit, _MM[unit], name)


def _iges_unit(data: bytes) -> int:
    """Unit flag: the 14th parameter of the global section."""
    lines = [line for line in data.splitlines() if line[72:73] == b"G"]
    text = b"".join(line[:72] for line in lines).decode("latin-1")
    values: list[str] = []
    at = 0
    separator = text[2] if text.startswith("1H") else ","
    while at < len(text) and len(values) < 14:
        rest = text[at:]
        digits = rest[: rest.find("H")].strip() if "H" in rest[:8] else ""
        if digits.isdigit():
            start = at + rest.find("H") + 1
            end = start + int(digits)
            values.append(text[start:end])
            at = text.find(separator, end) + 1
        else:
            end = text.find(separator, at)
            if end < 0:
                break
            values.append(text[at:end].strip())
            at = end + 1
        if at == 0:
            break
    try:
        return int(values[13])
    except (IndexError, ValueError):
        return 2


def _read_brep(path: Path, name: str, data: bytes) -> Part:
    if b"Topology" not in data[:200]:
        raise FileRejected("not-brep", f"{name} is not a BREP file: its first lines do not say so.")
    shape = TopoDS_Shape()
    if not BRepTools.Read_s(shape, str(path), BRep_Builder()) or shape.IsNull():
        raise FileRejected("unreadable", f"{name}: its BREP records cannot be read.")
    leaves = [_Leaf(s, "", "", ()) for s in loose_bodies(shape)]
    return _assembled(leaves, "mm", 1.0, name)


def _from_document(document: TDocStd_Document, unit: str, factor: float, name: str) -> Part:
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    free = TDF_LabelSequence()
    shapes.GetFreeShapes(free)
    leaves: list[_Leaf] = []
    for i in range(free.Length()):
        _walk(free.Value(i + 1), TopLoc_Location(), "", colours, leaves)
    return _assembled(leaves, unit, factor, name)


def _label_name(label: TDF_Label) -> str:
    """The name that a person gave; an empty text for what a program put in its place."""
    # walked, not looked up: the binding's look-up leaves a handle behind that is freed twice
    walk = TDF_AttributeIterator(label, True)
    words = ""
    while walk.More():
        attribute = walk.Value()
        if isinstance(attribute, TDataStd_Name):
            words = str(attribute.Get().ToExtString()).strip()
        walk.Next()
    return "" if _NO_NAME.match(words) else words


def _colour(of: Callable[[XCAFDoc_ColorType, Quantity_Color], bool]) -> str:
    """#rrggbb of a colour of surfaces or of everything, or an empty text."""
    got = Quantity_Color()
    for kind in (XCAFDoc_ColorType.XCAFDoc_ColorSurf, XCAFDoc_ColorType.XCAFDoc_ColorGen):
        if of(kind, got):
            rgb = got.Values(Quantity_TypeOfColor.Quantity_TOC_sRGB)
            return "#" + "".join(f"{round(255 * v):02x}" for v in rgb)
    return ""


def _walk(
    label: TDF_Label,
    place: TopLoc_Location,
    name: str,
    colours: XCAFDoc_ColorTool,
    out: list[_Leaf],
) -> None:
    """The leaves of an assembly, each in its place."""
    tool = XCAFDoc_ShapeTool
    if tool.IsReference_s(label):
        referred = TDF_Label()
        tool.GetReferredShape_s(label, referred)
        own = place.Multiplied(tool.GetLocation_s(label))
        _walk(referred, own, _label_name(referred) or _label_name(label) or name, colours, out)
        return
    if tool.IsAssembly_s(label):
        parts = TDF_LabelSequence()
        tool.GetComponents_s(label, parts)
        for i in range(parts.Length()):
            _walk(parts.Value(i + 1), place, "", colours, out)
        return
    shape = tool.GetShape_s(label)
    if shape.IsNull():
        return

    def of_label(at: TDF_Label) -> str:
        return _colour(lambda kind, got: XCAFDoc_ColorTool.GetColor_s(at, kind, got))

    faces = []
    subs = TDF_LabelSequence()
    tool.GetSubShapes_s(label, subs)
    for i in range(subs.Length()):
        sub = subs.Value(i + 1)
        faces.append((tool.GetShape_s(sub).Moved(place), _label_name(sub), of_label(sub)))
    out.append(_Leaf(shape.Moved(place), name or _label_name(label), of_label(label), tuple(faces)))


def loose_bodies(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    """Solids, then shells in no solid, then faces in no shell."""
    out: list[TopoDS_Shape] = []
    kinds = (
        (TopAbs_ShapeEnum.TopAbs_SOLID, TopAbs_ShapeEnum.TopAbs_SHAPE),
        (TopAbs_ShapeEnum.TopAbs_SHELL, TopAbs_ShapeEnum.TopAbs_SOLID),
        (TopAbs_ShapeEnum.TopAbs_FACE, TopAbs_ShapeEnum.TopAbs_SHELL),
    )
    for kind, avoid in kinds:
        walk = TopExp_Explorer(shape, kind, avoid)
        while walk.More():
            out.append(walk.Current())
            walk.Next()
    return out


def compound(shapes: list[TopoDS_Shape]) -> TopoDS_Compound:
    builder = BRep_Builder()
    out = TopoDS_Compound()
    builder.MakeCompound(out)
    for shape in shapes:
        builder.Add(out, shape)
    return out


def scaled(shape: TopoDS_Shape, factor: float) -> TopoDS_Shape:
    """A copy of the shape, larger by a factor about the origin."""
    scale = gp_Trsf()
    scale.SetScale(gp_Pnt(0, 0, 0), factor)
    return BRepBuilderAPI_Transform(shape, scale, True).Shape()


def _assembled(leaves: list[_Leaf], unit: str, factor: float, name: str) -> Part:
    """One part of all bodies; names of bodies unique, names and colours of faces kept."""
    bodies: list[TopoDS_Shape] = []
    names: list[str] = []
    face_names: list[tuple[TopoDS_Shape, str, str]] = []
    for leaf in leaves:
        own = loose_bodies(leaf.shape)
        # loose faces of one leaf are one sheet, as they were drawn together
        faces = [s for s in own if s.ShapeType() == TopAbs_ShapeEnum.TopAbs_FACE]
        own = [s for s in own if s.ShapeType() != TopAbs_ShapeEnum.TopAbs_FACE]
        if faces:
            own.append(sheet_of(faces))
        for body in own:
            bodies.append(body)
            names.append(leaf.name or f"body_{len(bodies)}")
        if leaf.colour:
            walk = TopExp_Explorer(leaf.shape, TopAbs_ShapeEnum.TopAbs_FACE)
            while walk.More():
                face_names.append((walk.Current(), "", leaf.colour))
                walk.Next()
        face_names += list(leaf.faces)
    if not bodies:
        raise FileRejected(
            "no-solid", f"{name} holds no body and no surface. Export at least one solid."
        )
    plain = Part(compound(bodies), unit)
    cad_name: dict[int, str] = {}
    colour: dict[int, str] = {}
    for shape, words, paint in face_names:
        walk = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
        while walk.More():
            k = plain.face_map.FindIndex(walk.Current()) - 1
            if k >= 0:
                if words and shape.ShapeType() == TopAbs_ShapeEnum.TopAbs_FACE:
                    cad_name[k] = words
                if paint:
                    colour[k] = paint
            walk.Next()
    shape = plain.shape if factor == 1.0 else scaled(plain.shape, 1.0 / factor)
    count = len(plain.faces)
    return Part(
        shape,
        unit,
        _unique(names),
        tuple(cad_name.get(k, "") for k in range(count)),
        tuple(colour.get(k, "") for k in range(count)),
    )


def sheet_of(faces: list[TopoDS_Shape]) -> TopoDS_Shape:
    """A shell of faces, joined or not."""
    from OCP.TopoDS import TopoDS_Shell

    builder = BRep_Builder()
    shell = TopoDS_Shell()
    builder.MakeShell(shell)
    for face in faces:
        builder.Add(shell, face)
    shell.Closed(BRep_Tool.IsClosed_s(shell))
    return shell


def _unique(names: list[str]) -> tuple[str, ...]:
    out: list[str] = []
    for name in names:
        clean = "_".join(name.split()) or "body"
        free, n = clean, 1
        while free in out:
            n += 1
            free = f"{clean}_{n}"
        out.append(free)
    return tuple(out)
