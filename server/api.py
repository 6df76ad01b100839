"""The API: one router for each noun, sentences for errors, OpenAPI at /api/docs."""

import functools
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema
from ninja.security import django_auth

from server import errors
from server.accounts.api import router as accounts
from server.audit.api import router as audit
from server.bodies import router as files
from server.catalogue.list_api import router as level_list
from server.ground.api import router as ground
from server.ground.layers_api import router as ground_layers
from server.ground.masks_api import router as masks
from server.ground.strokes_api import router as ground_strokes
from server.handover.api import router as handover
from server.handover.handovers_api import router as handovers
from server.handover.tokens_api import router as tokens
from server.jobs.api import router as jobs
from server.journal.api import router as journal
from server.pins.api import router as pins
from server.pins.listing_api import router as plant_list
from server.pins.many_api import router as many_plants
from server.shapes.api import router as shapes
from server.sight.api import router as sight
from server.sight.devices_api import router as devices
from server.sight.rebalance_api import router as rebalance
from server.sight.survey_api import router as survey
from server.snapshots.api import router as snapshots
from server.stands.api import router as stands
from server.stands.arranging_api import router as arranging
from server.stands.brush_api import router as brush
from server.stands.conditions_api import router as conditions
from server.stands.mixes_api import router as mixes
from server.stands.painting_api import router as painting
from server.stands.sets_api import router as stand_sets
from server.stock.api import router as stock
from server.stock.bring_api import router as bring
from server.stock.item_api import router as item
from server.surfaces.api import router as surfaces
from server.team.account_api import router as account
from server.team.installation_api import router as installation
from server.team.links_api import router as links
from server.team.members_api import router as members
from server.view.api import router as levels
from server.view.looks_api import router as looks
from server.view.plots_api import router as plots

ERRORS = {
    401: "Not signed in.",
    403: "The role does not allow it.",
    404: "There is no such thing, or one is no member of it.",
    409: "It is locked, overtaken or removed.",
    413: "Too large.",
    422: "What was sent cannot be taken.",
    429: "Too many at once: wait.",
    500: "A failure of the server.",
    503: "The database does not answer: try again.",
}


class Api(NinjaAPI):
    """The API, whose document says of every operation how it may be refused."""

    def get_openapi_schema(self, **options: Any) -> OpenAPISchema:  # type: ignore[override]
        schema = super().get_openapi_schema(**options)
        schema["components"]["schemas"]["Refusal"] = {
            "type": "object",
            "required": ["detail"],
            "properties": {
                "detail": {"type": "string", "description": "a sentence"},
                "fields": {"type": "array", "items": {"type": "string"}},
                "clashes": {"type": "array", "items": {"$ref": "#/components/schemas/Clash"}},
            },
        }
        schema["components"]["schemas"]["Clash"] = {
            "type": "object",
            "description": "a setting that another person has changed since one's own change of it was begun",
            "required": ["stand", "name", "was", "theirs", "yours", "who"],
            "properties": {
                "stand": {"type": "integer"},
                "name": {"type": "string"},
                "was": {},
                "theirs": {},
                "yours": {},
                "who": {"type": "string"},
            },
        }
        refusal = {"application/json": {"schema": {"$ref": "#/components/schemas/Refusal"}}}
        for operations in schema["paths"].values():
            for operation in operations.values():
                for status, what in ERRORS.items():
                    operation["responses"].setdefault(status, {"description": what, "content": refusal})
        return schema


def signed_in(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """A view for people who are signed in."""

    @functools.wraps(view)
    def asked(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            return JsonResponse({"detail": errors.NOT_SIGNED_IN}, status=401)
        return view(request, *args, **kwargs)

    return asked


api = Api(
    title="Knee Thicket",
    version="1",
    auth=django_auth,
    docs_decorator=signed_in,
    description="Lengths in m, angles in degrees, times in ms; x east, y up, z south.",
)
errors.install(api)
for router in (
    accounts,
    levels,
    ground,
    masks,
    ground_strokes,
    ground_layers,
    shapes,
    surfaces,
    stock,
    stands,
    brush,
    painting,
    arranging,
    pins,
    many_plants,
    plant_list,
    snapshots,
    conditions,
    stand_sets,
    mixes,
    sight,
    devices,
    survey,
    rebalance,
    journal,
    handover,
    handovers,
    tokens,
    audit,
    files,
    jobs,
    bring,
    item,
    looks,
    level_list,
    plots,
    members,
    links,
    account,
    installation,
):
    api.add_router("", router)
