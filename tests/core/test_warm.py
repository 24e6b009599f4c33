"""Compiled kernels of old states of the source do not pile up."""

import os
import time

from intaglio.recipe.warm import KEEP_DAYS, forget_old_kernels


def test_old_kernels_are_forgotten_but_not_what_is_in_use(tmp_path):
    now = time.time()
    ages = {"kernels-own": 99, "kernels-old": KEEP_DAYS + 1, "kernels-new": 1, "other": 99}
    for name, days in ages.items():
        (tmp_path / name).mkdir()
        (tmp_path / name / "index").write_bytes(b"x")
        os.utime(tmp_path / name, (now - days * 86400,) * 2)
    gone = forget_old_kernels(tmp_path / "kernels-own", now)
    assert [p.name for p in gone] == ["kernels-old"]
    assert sorted(p.name for p in tmp_path.iterdir()) == ["kernels-new", "kernels-own", "other"]
    assert forget_old_kernels(tmp_path / "nowhere" / "kernels-x", now) == []
