"""Damaged files of every format, brought as an analyst brings them: a part, a mesh or words, and
nothing else. `bench/damaged.py` does the same with thousands."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from studies.models import Job, Study
from tests.damaging import DAMAGE, damaged, originals

# among them files on which the CAD kernel crashes, and one that it reads for ever
SEEDS = (*range(24), 32, 90, 110, 130, 160, 282)


@pytest.mark.slow
def test_damaged_files_end_in_words_or_in_a_study(ada, work, settings):
    settings.READ_SECONDS, settings.JOBS_MOST = 20, 100
    brought = {}
    for seed in SEEDS:
        name, damage, data = damaged(seed)
        answer = ada.post("/api/studies", {"file": SimpleUploadedFile(name, data)})
        if answer.status_code == 202:
            brought[answer.json()["id"]] = (seed, name, damage)
        else:
            assert answer.status_code == 400 and answer.data["message"], (seed, name, damage)
    work()
    codes = set()
    for job in Job.objects.all():
        told = (*brought[str(job.id)], job.state, job.problem)
        assert job.state in ("done", "failed"), told
        if job.state == "failed":
            assert job.problem["message"], told
            codes.add(job.problem["code"])
            assert job.problem["code"] not in ("unexpected", "died", "lost"), told
    done = Job.objects.filter(state="done").count()
    assert 3 < done < len(SEEDS) and Study.objects.count() == done
    assert "crashed" in codes
    assert len(ada.get("/api/studies").json()) == done


def test_damage_is_the_same_for_a_seed_and_reaches_all_formats():
    assert damaged(7) == damaged(7)
    made = [damaged(seed) for seed in range(200)]
    assert {name for name, _, _ in made} == {name for name, _ in originals()}
    assert {kind for _, kind, _ in made} == set(DAMAGE)
    good = dict(originals())
    assert sum(data != good[name] for name, _, data in made) > 190
