"""Jobs as the API speaks of them."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from server.jobs.models import Job


class JobOut(Schema):
    """Long work: how far it is, and how it ended."""

    id: UUID
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    step: str
    share: float = Field(description="how much of it is done, 0–1")
    trouble: str


def job_out(job: Job) -> dict:
    """A job for the API."""
    return {name: getattr(job, name) for name in ("id", "state", "step", "share", "trouble")}
