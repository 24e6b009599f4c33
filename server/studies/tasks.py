"""Jobs on the queue: each runs in a child process that can be stopped, and is retried once."""

import logging
from datetime import timedelta
from typing import Any

from asgiref.sync import sync_to_async
from django.db import close_old_connections
from django.utils import timezone
from procrastinate import JobContext, exceptions
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.jobs import Job as QueueJob
from procrastinate.jobs import Status
from procrastinate.manager import JobManager

from sandbox.telling import told
from studies.ending import LOST, OVER, SILENT_SECONDS, end, end_silent
from studies.models import Job

log = logging.getLogger(__name__)

STALLED_SECONDS = 15
LOST_TWICE = (
    "The worker that ran this job was lost, twice. The part may need more memory than there is; "
    "try larger edges."
)


# what an analyst waits for at the screen comes before long work; what nobody asked for comes last
_SOON = ("geometry", "domain", "patches")


def enqueue(job: Job, unasked: bool = False) -> None:
    """Put a saved job on the queue. unasked: of the demo, behind everything else."""
    priority = -10 if unasked else 10 if job.target in _SOON else 0
    # what follows the typing does not wait behind long work
    queue = "live" if job.live else "jobs"
    job.queue_id = run_job.configure(queue=queue, priority=priority).defer(job_id=str(job.id))
    job.save(update_fields=["queue_id"])


@app.task(name="run_job", queue="jobs", pass_context=False)
def run_job(job_id: str) -> None:
    """Run one job to its end; the outcome is on the job, not raised."""
    from studies.runner import run

    run(job_id)


@app.periodic(cron="* * * * * */5")
@app.task(name="find_lost_jobs", queue="watch", queueing_lock="find_lost_jobs", pass_context=True)
async def find_lost_jobs(context: JobContext, timestamp: int) -> None:
    """Give jobs of workers without a heartbeat back to the queue."""
    manager = context.app.job_manager
    await manager.prune_stalled_workers(STALLED_SECONDS)
    for stalled in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
        await take_back(manager, stalled)
    await sync_to_async(end_forgotten)()


def end_forgotten() -> None:
    """End jobs that nobody watches, and those that wait for a place in the queue that is gone."""
    close_old_connections()
    end_silent(Job.objects.all())
    since = timezone.now() - timedelta(seconds=SILENT_SECONDS)
    for job in Job.objects.filter(state=Job.State.WAITING, updated__lt=since):
        kept = ProcrastinateJob.objects.filter(id=job.queue_id, status__in=("todo", "doing"))
        if not kept.exists():
            log.warning("job %s has no place in the queue", job.pk)
            end(job.pk, Job.State.FAILED, told("lost", LOST))


@app.periodic(cron="17 * * * *")
@app.task(name="sweep_products", queue="watch", queueing_lock="sweep_products", pass_context=False)
def sweep_products(timestamp: int) -> None:
    """Once an hour remove what nothing reaches any more."""
    from studies.sweeping import sweep

    log.info("%s products removed", sweep())


async def take_back(manager: JobManager, stalled: QueueJob) -> None:
    """Run a lost job again once; after that, fail it with the reason."""
    if stalled.task_name != "run_job":
        await manager.finish_job(stalled, status=_failed(), delete_job=False)
        return
    job = await Job.objects.filter(queue_id=stalled.id).afirst()
    log.warning("queue job %s lost its worker", stalled.id)
    # what ended meanwhile stays so
    own = Job.objects.none()
    if job is not None:
        own = Job.objects.filter(id=job.id, attempts=job.attempts).exclude(state__in=OVER)
    try:
        if job is None or job.over or job.attempts >= 2 or job.cancel_asked:
            if job is not None and not job.over:
                await own.aupdate(**lost_fields(job), ended=timezone.now(), updated=timezone.now())
            await manager.finish_job(stalled, status=_failed(), delete_job=False)
            return
        given_back = await own.aupdate(
            state=Job.State.WAITING,
            share=0.0,
            doing="its worker was lost; waiting to run again",
            updated=timezone.now(),
        )
        if given_back:
            await manager.retry_job(stalled, retry_at=timezone.now())
        else:
            await manager.finish_job(stalled, status=_failed(), delete_job=False)
    except exceptions.ProcrastinateException:
        log.exception("a lost job could not be taken back")


def lost_fields(job: Job) -> dict[str, Any]:
    """State of a job whose worker was lost twice."""
    if job.cancel_asked:
        return {"state": Job.State.CANCELLED}
    return {
        "state": Job.State.FAILED,
        "problem": told("lost", LOST_TWICE),
    }


def _failed() -> Status:
    return Status.FAILED
