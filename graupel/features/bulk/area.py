"""What bulk edits register."""

from graupel.features.bulk import jobs, service
from graupel.features.prepared import providers
from graupel.features.prepared.providers import Provider
from graupel.jobs import handler


def register(language: str) -> None:
    """Their job, and that they can be prepared."""
    handler("bulk.apply")(jobs.apply)
    providers.register(
        "bulk",
        Provider(
            "Bulk edit",
            lambda number: f"/products/bulk/{number}",
            lambda ctx, who, number, _: service.request_apply(ctx, who, number),
        ),
    )
