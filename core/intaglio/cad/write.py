"""Writing CAD files through the kernel: STEP with the names of bodies, and BREP."""

from pathlib import Path
from tempfile import TemporaryDirectory

from OCP.BRepTools import BRepTools
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Controller, STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS_Shape
from OCP.XCAFDoc import (
    XCAFDoc_ColorTool,
    XCAFDoc_ColorType,
    XCAFDoc_DocumentTool,
    XCAFDoc_ShapeTool,
)

from intaglio.cad.part import Part
from intaglio.cad.read import scaled
from intaglio.cad.topology import explore
from intaglio.units import MM_PER_UNIT

_STEP_UNIT = {"mm": "MM", "cm": "CM", "m": "M", "in": "INCH", "ft": "FT", "µm": "UM"}


def step_bytes(part: Part) -> bytes:
    """A STEP file of the part's bodies by name, in the part's unit."""
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    for k, body in enumerate(part.bodies):
        # the writer takes millimetres and converts
        label = tool.AddShape(scaled(body, MM_PER_UNIT[part.unit]), False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(part.body_name(k), True))
        _mark_faces(tool, colours, label, body, part)
    # names of faces are written only when asked for; there is nothing to ask before the first use
    STEPCAFControl_Controller.Init_s()
    Interface_Static.SetIVal_s("write.stepcaf.subshapes.name", 1)
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.unit", _STEP_UNIT[part.unit])
    writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "part.step"
        if writer.Write(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
            raise OSError("the CAD kernel could not write the STEP file")
        return path.read_bytes()


def _mark_faces(
    tool: XCAFDoc_ShapeTool,
    colours: XCAFDoc_ColorTool,
    label: TDF_Label,
    body: TopoDS_Shape,
    part: Part,
) -> None:
    """Names and colours of a body's faces onto the copy that is written."""
    numbers = [part.face_map.FindIndex(f) - 1 for f in explore(body, TopAbs_ShapeEnum.TopAbs_FACE)]
    if not any(part.face_name(n) or part.face_colour(n) for n in numbers):
        return
    copies = explore(XCAFDoc_ShapeTool.GetShape_s(label), TopAbs_ShapeEnum.TopAbs_FACE)
    for n, copy in zip(numbers, copies, strict=True):
        if not part.face_name(n) and not part.face_colour(n):
            continue
        sub = tool.AddSubShape(label, copy)
        if part.face_name(n):
            TDataStd_Name.Set_s(sub, TCollection_ExtendedString(part.face_name(n), True))
        if part.face_colour(n):
            rgb = [int(part.face_colour(n)[i : i + 2], 16) / 255 for i in (1, 3, 5)]
            paint = Quantity_Color(*rgb, Quantity_TypeOfColor.Quantity_TOC_sRGB)
            colours.SetColor(sub, paint, XCAFDoc_ColorType.XCAFDoc_ColorSurf)


def brep_bytes(part: Part) -> bytes:
    """A BREP file of the part; the format has no unit and no names."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "part.brep"
        BRepTools.Clean_s(part.shape)
        if not BRepTools.Write_s(part.shape, str(path)):
            raise OSError("the CAD kernel could not write the BREP file")
        return path.read_bytes()
