"""Progress of long work, and its cancellation."""

from typing import Any

from ..app_context import app_context
from ..routing import Routes
from ..schemas import JobOut, JobPath

routes = Routes("jobs", __name__, url_prefix="/api")


@routes.get("/jobs/<int:job_id>", responses={200: JobOut})
def get_job(path: JobPath) -> dict[str, Any]:
    """How long work stands."""
    context = app_context()
    return context.jobs.find(path.job_id).facts()


@routes.post("/jobs/<int:job_id>/cancel", responses={200: JobOut})
def cancel_job(path: JobPath) -> dict[str, Any]:
    """Stop long work at its next step."""
    context = app_context()
    job = context.jobs.find(path.job_id)
    job.stop.set()
    return job.facts()
