"""Repairs of CAD parts: each takes a part and gives a part and how many things it changed."""

from collections.abc import Iterable

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Defeaturing, BRepAlgoAPI_Fuse, BRepAlgoAPI_Splitter
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_Sewing,
    BRepBuilderAPI_Transform,
)
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools_ReShape
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pln, gp_Pnt, gp_Trsf, gp_Vec
from OCP.ShapeFix import ShapeFix_Face, ShapeFix_Shape, ShapeFix_Shell
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Solid
from OCP.TopTools import TopTools_ListOfShape

from intaglio.cad.capping import cap_face
from intaglio.cad.domain import any_inside, contains
from intaglio.cad.duplicates import faces_twice, twin_bodies
from intaglio.cad.face_findings import sliver_faces
from intaglio.cad.features import find_features
from intaglio.cad.findings import turned_faces
from intaglio.cad.measures import area, bounds, centroid, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, loose_bodies, sheet_of
from intaglio.cad.topology import edge_uses, explore, free_uses, gaps_and_holes
from intaglio.errors import StepFailed
from intaglio.facets.part import free_name

Repaired = tuple[Part, int]


def scale_of(part: Part) -> float:
    low, high = bounds(part.shape)
    return float(np.linalg.norm(high - low))


def carried(part: Part, bodies: list[TopoDS_Shape], near: float = 1e-4) -> Part:
    """A part of new bodies; names of bodies, and names and colours of faces, are found again by
    the place and size of faces."""
    plain = Part(compound(bodies), part.unit)
    scale = scale_of(part)
    old = _signs(part.faces)
    new = _signs(plain.faces)
    body_of = {
        part.face_map.FindIndex(f) - 1: k
        for k, body in enumerate(part.bodies)
        for f in explore(body, TopAbs_ShapeEnum.TopAbs_FACE)
    }
    misfit = np.abs(old[None] - new[:, None]).max(axis=2)
    best = misfit.argmin(axis=1)
    same = misfit[np.arange(len(new)), best] < near * scale
    names: list[str] = []
    for body in plain.bodies:
        own = [plain.face_map.FindIndex(f) - 1 for f in explore(body, TopAbs_ShapeEnum.TopAbs_FACE)]
        # the old body that most of its faces lie nearest to
        votes = np.bincount([body_of.get(int(best[n]), 0) for n in own])
        names.append(free_name(part.body_name(int(votes.argmax())), names))
    return Part(
        plain.shape,
        part.unit,
        tuple(names),
        tuple(part.face_name(int(b)) if s else "" for b, s in zip(best, same, strict=True)),
        tuple(part.face_colour(int(b)) if s else "" for b, s in zip(best, same, strict=True)),
    )


def _signs(faces: list[TopoDS_Face]) -> np.ndarray:
    """Place and size (n, 4) by which a face is known again."""
    return np.array([[*centroid(f), np.sqrt(abs(area(f)))] for f in faces]).reshape(-1, 4)


def _solid_from(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    """Bodies of a sewn shape: closed shells as solids turned outward, the rest as they are."""
    out: list[TopoDS_Shape] = []
    closed: list[TopoDS_Shape] = []
    for body in loose_bodies(shape):
        if body.ShapeType() == TopAbs_ShapeEnum.TopAbs_SHELL and _is_closed(body):
            closed.append(body)
        elif body.ShapeType() == TopAbs_ShapeEnum.TopAbs_FACE:
            out.append(sheet_of([body]))
        else:
            out.append(body)
    return _hollow_solids(closed) + out


def _hollow_solids(shells: list[TopoDS_Shape]) -> list[TopoDS_Shape]:
    """A solid per closed shell; one that is turned inward and lies in another is its cavity."""
    solids = [_solid_of([s]) for s in shells]
    cavities: dict[int, list[int]] = {}
    for k, shell in enumerate(shells):
        if volume(shell) >= 0:
            continue
        low, high = bounds(shell)
        spot = any_inside(solids[k], 1e-7 * float(np.linalg.norm(high - low)))
        around = [
            j for j in range(len(shells))
            if j != k and spot is not None and volume(shells[j]) > 0
            and contains(solids[j], spot, 1e-9)
        ]  # fmt: skip
        if around:
            host = min(around, key=lambda j: volume(solids[j]))
            cavities.setdefault(host, []).append(k)
    inner = {k for own in cavities.values() for k in own}
    return [
        _solid_of([shells[k], *(shells[c] for c in cavities.get(k, []))])
        for k in range(len(shells))
        if k not in inner
    ]


def _solid_of(shells: list[TopoDS_Shape]) -> TopoDS_Solid:
    """One solid of an outer shell and its cavities, turned outward."""
    solid = TopoDS_Solid()
    builder = BRep_Builder()
    builder.MakeSolid(solid)
    for shell in shells:
        builder.Add(solid, shell)
    BRepLib.OrientClosedSolid_s(solid)
    return solid


def _is_closed(shell: TopoDS_Shape) -> bool:
    own = Part(compound([shell]), "")
    return not free_uses(edge_uses(own))


def sewn(part: Part, tolerance: float, faces: Iterable[TopoDS_Shape] | None = None) -> Repaired:
    """Faces joined along edges within the tolerance; shells that close become solids.

    Solids that are closed already are left as they are, so that neighbours stay apart.
    """
    good, open_faces = [], []
    for body in part.bodies:
        closed = body.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID and _is_closed(body)
        if closed:
            good.append(body)
        else:
            open_faces += explore(body, TopAbs_ShapeEnum.TopAbs_FACE)
    open_faces += list(faces or [])
    if not open_faces:
        return part, 0
    before = len(free_uses(edge_uses(part)))
    tool = BRepBuilderAPI_Sewing(tolerance)
    for face in open_faces:
        tool.Add(face)
    tool.Perform()
    made = _solid_from(tool.SewedShape())
    bodies = good + [m for m in made if m.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID]
    bodies += [m for m in made if m.ShapeType() != TopAbs_ShapeEnum.TopAbs_SOLID]
    out = carried(part, bodies)
    return out, max(0, before - len(free_uses(edge_uses(out))))


def capped(part: Part, shape: str, wider: float, narrower: float) -> Repaired:
    """Loops of free edges with diameters between the limits (0: none) closed by faces."""
    scale = scale_of(part)
    free = free_uses(edge_uses(part))
    _, holes = gaps_and_holes(part, free, scale)
    chosen = [h for h in holes if h.diameter >= wider and (not narrower or h.diameter <= narrower)]
    if not chosen:
        return part, 0
    face_at = {u.edge: u.face for u in free}
    caps = []
    for hole in chosen:
        edges = [part.edges[e] for e in hole.edges]
        beside = [part.faces[face_at[e]] for e in hole.edges] if shape == "smooth" else None
        caps.append(cap_face(edges, beside))
    out, _ = sewn(part, max(1e-6 * scale, 1.01 * _misfit(part)), caps)
    return out, len(chosen)


def _misfit(part: Part) -> float:
    """Largest tolerance of the free edges: how far the kernel lets their ends be apart."""
    from OCP.BRep import BRep_Tool

    free = free_uses(edge_uses(part))
    return max((BRep_Tool.Tolerance_s(part.edges[u.edge]) for u in free), default=0.0)


def removed_faces(part: Part, faces: list[int]) -> Repaired:
    """Faces taken off and their neighbours run on until they meet. Raises StepFailed."""
    if not faces:
        return part, 0
    tool = BRepAlgoAPI_Defeaturing()
    tool.SetShape(part.shape)
    for f in faces:
        tool.AddFaceToRemove(part.faces[f])
    tool.Build()
    done = tool.IsDone() and len(explore(tool.Shape(), TopAbs_ShapeEnum.TopAbs_FACE)) < len(
        part.faces
    )
    if not done or not BRepCheck_Analyzer(tool.Shape(), True).IsValid():
        raise StepFailed(
            "not-removed",
            f"{len(faces)} faces cannot be taken off: their neighbours do not meet without them. "
            "Choose all faces of the feature, or leave it.",
            [centroid(part.faces[f]).tolist() for f in faces[:20]],
        )
    out = carried(part, loose_bodies(tool.Shape()))
    return out, len(faces)


def without_features(part: Part, kind: str, below: float) -> Repaired:
    """All features of a kind up to a size taken off, each for itself, so that one that cannot go
    does not keep the others."""
    total = 0
    chosen = [f for f in find_features(part) if f.kind == kind and f.size <= below]
    try:
        out, _ = removed_faces(part, [n for f in chosen for n in f.faces])
        return out, len(chosen)
    except StepFailed:
        pass
    for _ in range(len(chosen)):
        left = [f for f in find_features(part) if f.kind == kind and f.size <= below]
        for feature in left:
            try:
                part, _ = removed_faces(part, list(feature.faces))
            except StepFailed:
                continue
            total += 1
            break
        else:
            break
    return part, total


def merged_faces(part: Part) -> Repaired:
    """Neighbouring faces on one surface become one face, edges on one curve one edge."""
    before = len(part.faces)
    tool = ShapeUpgrade_UnifySameDomain(part.shape, True, True, False)
    tool.SetLinearTolerance(1e-6 * scale_of(part))
    tool.SetAngularTolerance(1e-4)
    tool.Build()
    out = carried(part, loose_bodies(tool.Shape()))
    return out, before - len(out.faces)


def without_faces(part: Part, faces: set[int]) -> Part:
    """The part with some faces simply gone; bodies that lose all of theirs go too."""
    bodies = []
    for body in part.bodies:
        own = explore(body, TopAbs_ShapeEnum.TopAbs_FACE)
        left = [f for f in own if part.face_map.FindIndex(f) - 1 not in faces]
        if len(left) == len(own):
            bodies.append(body)
        elif left:
            bodies.append(sheet_of(left))
    if not bodies:
        raise StepFailed("nothing-left", "Dropping these faces would leave nothing.")
    return carried(part, bodies)


def without_duplicates(part: Part) -> Repaired:
    """Bodies and faces that lie on an earlier one go; what then closes becomes a solid again."""
    scale = scale_of(part)
    twins = twin_bodies(part, scale)
    if twins:
        bodies = [b for k, b in enumerate(part.bodies) if k not in twins]
        part = carried(part, bodies)
    copies = {b for _, b in faces_twice(part, scale)}
    if not copies:
        return part, len(twins)
    out, _ = sewn(without_faces(part, copies), 1e-6 * scale)
    return out, len(twins) + len(copies)


def without_slivers(part: Part, thinner: float) -> Repaired:
    """Narrow and tiny faces go, and their neighbours are sewn over the place."""
    thin = set(sliver_faces(part, thinner))
    thin |= {f for f, face in enumerate(part.faces) if np.sqrt(max(area(face), 0)) < thinner}
    if not thin:
        return part, 0
    out, _ = sewn(without_faces(part, thin), 2.5 * thinner)
    return out, len(thin)


def unified_normals(part: Part) -> Repaired:
    """Faces of a body agree with each other; closed bodies point outward."""
    turned = np.flatnonzero(turned_faces(part, edge_uses(part)))
    inverted = 0
    bodies = []
    for body in part.bodies:
        own = {part.face_map.FindIndex(f) - 1 for f in explore(body, TopAbs_ShapeEnum.TopAbs_FACE)}
        if not own & set(turned.tolist()) and volume(body) >= 0:
            bodies.append(body)
            continue
        shells: list[TopoDS_Shape] = []
        for shell in explore(body, TopAbs_ShapeEnum.TopAbs_SHELL):
            fix = ShapeFix_Shell(TopoDS.Shell_s(shell))
            fix.FixFaceOrientation(TopoDS.Shell_s(shell))
            shells.append(fix.Shell())
        if body.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID:
            # its cavities stay cavities
            bodies.append(_solid_of(shells))
        else:
            bodies += [_solid_of([s]) if _is_closed(s) else s for s in shells]
        if not own & set(turned.tolist()):
            inverted += 1
    out = carried(part, bodies)
    return out, len(turned) + inverted


def without_bodies(part: Part, names: list[str]) -> Repaired:
    """Named bodies go."""
    known = [part.body_name(k) for k in range(len(part.bodies))]
    left = [k for k, n in enumerate(known) if n not in names]
    if not left:
        raise StepFailed("nothing-left", "Dropping these bodies would leave nothing.")
    out = carried(part, [part.bodies[k] for k in left])
    return out, len(known) - len(left)


def without_sheets(part: Part) -> Repaired:
    """Bodies that are no solid go, if there is a solid."""
    sheets = [
        part.body_name(k)
        for k, b in enumerate(part.bodies)
        if b.ShapeType() != TopAbs_ShapeEnum.TopAbs_SOLID
    ]
    return without_bodies(part, sheets) if sheets else (part, 0)


def united(part: Part) -> Repaired:
    """All solids as one."""
    solids = [b for b in part.bodies if b.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID]
    if len(solids) < 2:
        return part, 0
    one, rest = TopTools_ListOfShape(), TopTools_ListOfShape()
    one.Append(solids[0])
    for solid in solids[1:]:
        rest.Append(solid)
    tool = BRepAlgoAPI_Fuse()
    tool.SetArguments(one)
    tool.SetTools(rest)
    tool.Build()
    if not tool.IsDone():
        raise StepFailed("not-united", "The CAD kernel could not unite the bodies.")
    sheets = [b for b in part.bodies if b.ShapeType() != TopAbs_ShapeEnum.TopAbs_SOLID]
    return carried(part, [*loose_bodies(tool.Shape()), *sheets]), len(solids)


def rebuilt(part: Part, faces: list[int]) -> Repaired:
    """Faces trimmed anew on their surfaces; without a list, the whole part is gone over."""
    if not faces:
        tool = ShapeFix_Shape(part.shape)
        tool.Perform()
        return carried(part, loose_bodies(tool.Shape())), len(part.faces)
    swap = BRepTools_ReShape()
    for f in faces:
        fix = ShapeFix_Face(part.faces[f])
        fix.Perform()
        swap.Replace(part.faces[f], fix.Face())
    return carried(part, loose_bodies(swap.Apply(part.shape))), len(faces)


def split_by_plane(part: Part, at: list[float], normal: list[float], faces: set[int]) -> Repaired:
    """Faces cut in two along a plane; bodies stay whole. No faces given: all that it meets."""
    scale = scale_of(part)
    plane = gp_Pln(gp_Pnt(*at), gp_Dir(*normal))
    knife = BRepBuilderAPI_MakeFace(plane, -2 * scale, 2 * scale, -2 * scale, 2 * scale).Face()
    swap = BRepTools_ReShape()
    before = len(part.faces)
    for f, face in enumerate(part.faces):
        if faces and f not in faces:
            continue
        tool = BRepAlgoAPI_Splitter()
        arguments, tools = TopTools_ListOfShape(), TopTools_ListOfShape()
        arguments.Append(face)
        tools.Append(knife)
        tool.SetArguments(arguments)
        tool.SetTools(tools)
        tool.Build()
        pieces = explore(tool.Shape(), TopAbs_ShapeEnum.TopAbs_FACE)
        if len(pieces) > 1:
            swap.Replace(face, sheet_of(pieces))
    loose = Part(swap.Apply(part.shape), part.unit, part.body_names)
    # the cut edges of neighbouring faces become one again
    out, _ = sewn(_unjoined(loose, part), 1e-6 * scale)
    return out, len(out.faces) - before


def _unjoined(loose: Part, part: Part) -> Part:
    """Every body as a sheet of its faces, to be sewn anew."""
    bodies = [sheet_of(explore(b, TopAbs_ShapeEnum.TopAbs_FACE)) for b in _children(loose.shape)]
    return Part(compound(bodies), part.unit, part.body_names, part.face_names, part.face_colours)


def _children(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    from OCP.TopoDS import TopoDS_Iterator

    out = []
    walk = TopoDS_Iterator(shape)
    while walk.More():
        out.append(walk.Value())
        walk.Next()
    return out


def _moved(part: Part, motion: gp_Trsf) -> Part:
    shape = BRepBuilderAPI_Transform(part.shape, motion, True).Shape()
    return Part(shape, part.unit, part.body_names, part.face_names, part.face_colours)


def scaled(part: Part, factor: float) -> Repaired:
    """Larger by a factor about the origin."""
    motion = gp_Trsf()
    motion.SetScale(gp_Pnt(0, 0, 0), factor)
    return _moved(part, motion), len(part.bodies)


def moved(part: Part, by: list[float]) -> Repaired:
    """Shifted by a vector."""
    motion = gp_Trsf()
    motion.SetTranslation(gp_Vec(*by))
    return _moved(part, motion), len(part.bodies)


def rotated(part: Part, at: list[float], axis: list[float], angle: float) -> Repaired:
    """Turned about an axis through a point by degrees."""
    motion = gp_Trsf()
    motion.SetRotation(gp_Ax1(gp_Pnt(*at), gp_Dir(*axis)), float(np.radians(angle)))
    return _moved(part, motion), len(part.bodies)


def mirrored(part: Part, at: list[float], normal: list[float]) -> Repaired:
    """Mirrored in a plane; bodies stay outward."""
    motion = gp_Trsf()
    motion.SetMirror(gp_Ax2(gp_Pnt(*at), gp_Dir(*normal)))
    return _moved(part, motion), len(part.bodies)
