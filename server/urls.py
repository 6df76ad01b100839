"""Addresses: the API, and for every other path the application's page."""

from django.urls import path, re_path

from server import health
from server.api import api
from server.pages import application

handler400 = "server.errors.unreadable"
handler500 = "server.errors.failed"

urlpatterns = [
    path("health", health.health),
    path("ready", health.ready),
    path("api/", api.urls),
    re_path(r"^(?!api/|static/).*$", application),
]
