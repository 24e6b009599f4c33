"""What comes in is kept or named, and what is called anything is never a path."""

import io
import struct
import zipfile

import numpy as np
import pytest

from intaglio.errors import FileRejected
from intaglio.formats.file_names import distinct, file_name, inner_path
from intaglio.formats.stl import patch_differences, read_stl, stl_bytes, write_patches
from intaglio.mesh.mesh import Patch
from intaglio.parts.source import together
from tests.core import any_cells

TRIANGLE = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]])


def test_a_head_that_tells_fewer_triangles_than_there_are_is_said():
    data = bytearray(stl_bytes(TRIANGLE, np.array([[0, 1, 2], [0, 1, 3], [0, 2, 3]]), "three"))
    struct.pack_into("<I", data, 80, 1)
    read = read_stl(bytes(data), "part.stl")
    assert len(read.triangles) == 1
    (problem,) = read.problems
    assert problem[0] == "more-than-told" and "2 more" in problem[1]
    assert read_stl(stl_bytes(TRIANGLE, np.array([[0, 1, 2]]), "one"), "one.stl").problems == ()


def test_a_zip_that_unpacks_to_much_is_refused_before_it_is():
    """Zeros of a gigabyte in a megabyte, and a long list of empty files."""
    large, many = io.BytesIO(), io.BytesIO()
    with zipfile.ZipFile(large, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("zeros.stl", bytes(10_000_000))
    with zipfile.ZipFile(many, "w") as archive:
        for k in range(50_000):
            archive.writestr(f"a folder of some name/another/of more letters/{k}.stl", b"")
    assert len(large.getvalue()) < 100_000
    for data in (large, many):
        with pytest.raises(FileRejected, match="more"):
            together([("one.stl", b"1"), ("more.zip", data.getvalue())], most=5_000_000)
    # what several hold counts together
    with pytest.raises(FileRejected, match="unpacks to more"):
        together([(f"{k}.zip", large.getvalue()) for k in range(3)], most=25_000_000)
    held = together([(f"{k}.zip", large.getvalue()) for k in range(2)], most=25_000_000)
    assert [len(data) for _, data in held.files()] == [10_000_000] * 2


def test_a_zip_beside_other_files_is_unpacked():
    inner = io.BytesIO()
    with zipfile.ZipFile(inner, "w") as archive:
        archive.writestr("deep/two.stl", b"2")
        archive.writestr("three.stl", b"3")
    held = together([("one.stl", b"1"), ("more.zip", inner.getvalue())]).files()
    assert [name for name, _ in held] == ["one.stl", "two.stl", "three.stl"]
    assert [data for _, data in held] == [b"1", b"2", b"3"]


@pytest.mark.parametrize(
    ("words", "name"),
    [
        ("wall", "wall"),
        ("Einlaß é", "Einlaß é"),
        ("../../etc/passwd", "_.._etc_passwd"),
        ("..", "_"),
        ("", "_"),
        (".hidden", "hidden"),
        ("a\x00b\\c:d", "a_b_c_d"),
        ("CON", "_CON"),
        ("nul.stl", "_nul.stl"),
        ("x" * 500, "x" * 120),
        ("\ud800", "_"),
    ],
)
def test_names_are_names_of_files(words, name):
    assert file_name(words) == name


def test_paths_stay_within_an_archive():
    assert inner_path("a/../../b/./c.stl") == "a/b/c.stl"
    assert inner_path("/etc/passwd") == "etc/passwd" and inner_path("..") == "_"
    names = distinct(["in", "IN", "in", "../in", "..\\in"])
    assert len({n.lower() for n in names}) == 5 and names[0] == "in"


def test_patches_called_like_paths_are_written_into_their_folder(tmp_path):
    mesh = any_cells.hexahedra((2, 2, 2))
    odd = ("../../up", "..\\up", "WALL", "wall", "a/b", "con")
    patches = tuple(Patch(n, p.kind) for n, p in zip(odd, mesh.patches, strict=False))
    from dataclasses import replace

    mesh = replace(mesh, patches=patches + mesh.patches[len(odd) :])
    write_patches(mesh, tmp_path / "deep" / "surfaces")
    found = sorted(p.relative_to(tmp_path) for p in tmp_path.rglob("*") if p.is_file())
    assert len(found) == len(mesh.patches)
    assert all(p.parent.as_posix() == "deep/surfaces" for p in found)
    assert list(patch_differences(mesh, tmp_path / "deep" / "surfaces")) == []
