"""What a running job shows before a stage is done: kept as a product of its own while it runs.

A stage that takes long in looking for something draws the model first. The child keeps what there
is under a key that belongs to the job, so that nothing takes it for the stage's result.
"""

import hashlib

from intaglio.mesh.pack import pack
from intaglio.parts.model import Product as CoreProduct
from studies.models import Job, Product, Variant
from studies.storable import bounded
from studies.store import save_bytes


def keep_look(job: Job, stage: str, key: str, product: CoreProduct) -> str:
    """Keep what there is so far of the product with this key; the key of the look. Of a second
    look only the report is new."""
    own = hashlib.sha256(f"{job.id} {key}".encode()).hexdigest()
    if not Product.objects.filter(key=own).update(report=bounded(product.report)):
        save_bytes(own, stage, product.report, pack(product.arrays, {}), live=True)
    return own


def look_at(variant: Variant) -> Job | None:
    """The job that shows something of this variant before it is done, if there is one."""
    running = (Job.State.WAITING, Job.State.RUNNING)
    return variant.jobs.filter(state__in=running).exclude(look="").last()
