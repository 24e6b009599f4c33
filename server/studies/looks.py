"""What a running job shows before a stage is done: kept as a product of its own while it runs.

A stage that takes long in looking for something draws the model first. What there is is kept
under a key that belongs to the job, so that nothing takes it for the stage's result.
"""

import hashlib
from collections.abc import Mapping
from typing import Any

from studies.models import Job, Product, Variant
from studies.storable import bounded
from studies.store import save_bytes


def keep_look(job: Job, stage: str, key: str, report: Mapping[str, Any], data: bytes | None) -> str:
    """Keep what there is so far of the product with this key; the key of the look. Of a second
    look only the report is new."""
    own = hashlib.sha256(f"{job.id} {key}".encode()).hexdigest()
    changed = Product.objects.filter(key=own).update(report=bounded(report))
    if not changed and data is not None:
        save_bytes(own, stage, report, data, live=True)
    return own


def look_at(variant: Variant) -> Job | None:
    """The job that shows something of this variant before it is done, if there is one."""
    running = (Job.State.WAITING, Job.State.RUNNING)
    return variant.jobs.filter(state__in=running).exclude(look="").last()
