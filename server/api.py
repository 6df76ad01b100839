"""The API: one router for each noun, sentences for errors, OpenAPI at /api/docs."""

from ninja import NinjaAPI
from ninja.security import django_auth

from server import errors
from server.accounts.api import router as accounts
from server.audit.api import router as audit
from server.ground.api import router as ground
from server.handover.api import router as handover
from server.journal.api import router as journal
from server.levels.api import router as levels
from server.pins.api import router as pins
from server.shapes.api import router as shapes
from server.sight.api import router as sight
from server.snapshots.api import router as snapshots
from server.stands.api import router as stands
from server.stands.arranging_api import router as arranging
from server.stands.brush_api import router as brush
from server.stands.conditions_api import router as conditions
from server.stock.api import router as stock

api = NinjaAPI(title="Knee Thicket", version="1", auth=django_auth,
               description="Lengths in m, angles in degrees, times in ms; x east, y up, z south.")
errors.install(api)
for router in (accounts, levels, ground, shapes, stock, stands, brush, arranging, pins, snapshots, conditions, sight, journal,
               handover, audit):
    api.add_router("", router)
