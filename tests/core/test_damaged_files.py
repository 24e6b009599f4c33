"""Damaged files of every format that once ended in a fault of ours; `bench/damaged.py` has
thousands."""

import contextlib

import pytest

from intaglio.errors import IntaglioError
from intaglio.parts.source import Source, together
from intaglio.recipe.plan import MemoryStore, run_to
from intaglio.stages.finished import is_finished
from tests.damaging import damaged, originals

REFUSED = (
    371, 561, 610, 822, 951, 1031, 1092, 1320, 1472, 1751, 1760, 1782, 2291, 2322, 2467, 2721,
    2751, 3041, 3481, 3941, 3981, 4111, 4481, 4631, 4681, 4831, 4897,
)  # fmt: skip
READ = (1290,)


def taken(name, data):
    source = together([(name, data)])
    target = "volume" if is_finished(source.name) else "geometry"
    run_to(target, Source(source.name, source.data), "damaged", {}, MemoryStore())


@pytest.mark.slow
@pytest.mark.parametrize("seed", REFUSED)
def test_what_cannot_be_read_is_refused_in_words(seed):
    name, _, data = damaged(seed)
    if name.endswith(".iges"):
        # whether the kernel makes a part of it may depend on what it read before
        with contextlib.suppress(IntaglioError):
            taken(name, data)
        return
    with pytest.raises(IntaglioError) as refused:
        taken(name, data)
    assert refused.value.message.endswith(".") and len(refused.value.message) < 1000


@pytest.mark.slow
@pytest.mark.parametrize("seed", READ)
def test_what_can_be_read_is(seed):
    name, _, data = damaged(seed)
    taken(name, data)


@pytest.mark.slow
def test_the_same_files_undamaged_are_read():
    for name, data in originals():
        taken(name, data)
