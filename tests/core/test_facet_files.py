"""STL, OBJ and PLY against another reader and writer, and files that are cut or nonsense."""

import io
import struct

import numpy as np
import pytest
import trimesh

from intaglio.errors import FileRejected
from intaglio.formats.obj import obj_bytes, read_obj
from intaglio.formats.ply import ply_bytes, read_ply
from intaglio.formats.stl import read_stl, stl_bytes
from intaglio.parts.source import Source, together
from intaglio.parts.taking import take_in
from tests.core.scans import as_trimesh, sphere

READERS = {"stl": read_stl, "obj": read_obj, "ply": read_ply}


def _written(kind: str, **options) -> bytes:
    data = as_trimesh(sphere()).export(file_type=kind, **options)
    return data.encode() if isinstance(data, str) else data


@pytest.mark.parametrize(
    "kind, options",
    [
        ("stl", {}),
        ("stl_ascii", {}),
        ("obj", {}),
        ("ply", {"encoding": "binary"}),
        ("ply", {"encoding": "ascii"}),
    ],
)
def test_files_of_another_writer_are_read(kind, options):
    read = READERS[kind.split("_")[0]](_written(kind, **options), "ball")
    assert read.problems == ()
    again = trimesh.Trimesh(read.points, read.triangles)
    assert len(again.faces) == len(sphere().triangles)
    assert again.is_watertight
    assert again.volume == pytest.approx(as_trimesh(sphere()).volume, rel=1e-6)


@pytest.mark.parametrize("kind", ["stl", "obj", "ply"])
def test_another_reader_takes_our_files(kind):
    part = sphere()
    data = {
        "stl": lambda: stl_bytes(part.points, part.triangles, "ball"),
        "obj": lambda: obj_bytes(part.points, part.triangles, part.region, ("ball",), "ball"),
        "ply": lambda: ply_bytes(part.points, part.triangles, "ball"),
    }[kind]()
    again = trimesh.load(io.BytesIO(data), file_type=kind)
    assert again.is_watertight
    exact = 1e-6 if kind == "stl" else 1e-14
    assert again.volume == pytest.approx(as_trimesh(part).volume, rel=exact)


def test_polygons_are_fanned_and_groups_keep_their_names():
    text = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\ng floor\nf 1 2 3 4\ng tip\nf -1/2/3 -2 -3\n"
    read = read_obj(text, "square.obj")
    assert read.triangles.tolist() == [[0, 1, 2], [0, 2, 3], [3, 2, 1]]
    assert read.names == ("floor", "tip") and read.group.tolist() == [0, 0, 1]
    quad = (
        b"ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\n"
        b"property float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
        b"0 0 0\n1 0 0\n1 1 0\n0 1 0\n4 0 1 2 3\n"
    )
    assert read_ply(quad, "q.ply").triangles.tolist() == [[0, 1, 2], [0, 2, 3]]


def test_solids_of_a_text_file_are_groups():
    one = _written("stl_ascii").replace(b"solid ", b"solid lid", 1)
    read = read_stl(one + b"\n" + _written("stl_ascii"), "two.stl")
    assert len(read.names) == 2
    assert np.bincount(read.group).tolist() == [len(sphere().triangles)] * 2


@pytest.mark.parametrize("kind", ["stl", "stl_ascii", "ply"])
@pytest.mark.parametrize("share", [0.3, 0.77])
def test_what_is_left_of_a_cut_file_is_read_and_told(kind, share):
    data = _written(kind)
    if kind == "ply" and share < 0.5:  # not all points, so no face at all
        with pytest.raises(FileRejected) as caught:
            read_ply(data[: int(share * len(data))], "ball")
        assert caught.value.code == "cut-short"
        return
    read = READERS[kind.split("_")[0]](data[: int(share * len(data))], "ball")
    assert "cut-short" in [code for code, _ in read.problems]
    assert 0 < len(read.triangles) < len(sphere().triangles)


def test_triangles_without_a_finite_place_are_dropped_and_told():
    data = bytearray(_written("stl"))
    struct.pack_into("<f", data, 84 + 12, float("nan"))
    struct.pack_into("<f", data, 84 + 50 + 12, float("inf"))
    read = read_stl(bytes(data), "ball")
    assert len(read.triangles) == len(sphere().triangles) - 2
    assert [code for code, _ in read.problems] == ["not-finite"]
    wild = read_obj(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\nf 1 2 9\n", "w")
    assert len(wild.triangles) == 1 and wild.problems[0][0] == "unknown-points"


@pytest.mark.parametrize(
    "name, data",
    [
        ("a.stl", b"hello"),
        ("a.stl", b"solid nothing\nendsolid\n"),
        ("a.stl", b"solid x\nfacet normal a b c\nendsolid"),
        ("a.obj", b"v 1 2\nf 1 1 1"),
        ("a.obj", b"# nothing"),
        ("a.obj", b"v 0 0 0\nf one two three"),
        ("a.ply", b"plain text"),
        ("a.ply", b"ply\nformat odd 1.0\nend_header\n"),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex x\nend_header\n"),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nend_header\n1\n"),
        ("a.zip", b"PK no zip"),
        ("a.docx", b"words"),
        ("a.stl", b""),
        ("a.iges", b"nothing of the kind"),
        ("a.brep", b"nothing of the kind"),
    ],
)
def test_what_is_no_geometry_is_refused_by_name(name, data):
    with pytest.raises(FileRejected) as caught:
        take_in(Source(name, data), "file")
    assert "a" in caught.value.message and caught.value.message.endswith(".")


def test_several_files_are_one_model():
    ball = _written("stl")
    source = together([("lid.stl", ball), ("lid.stl", ball), ("tub.ply", _written("ply"))])
    taken = take_in(source, "cm")
    assert taken.model.body_names == ("lid", "lid_2", "tub")
    assert len(taken.model.triangles) == 3 * len(sphere().triangles)
    assert taken.model.unit == "cm" and not taken.unit_known
    # the same files are the same source
    again = together([("lid.stl", ball), ("lid.stl", ball), ("tub.ply", _written("ply"))])
    assert again.data == source.data
