"""Addresses: the API, and for every other path the application's page."""

from django.urls import path, re_path

from server.api import api
from server.pages import application

urlpatterns = [
    path("api/", api.urls),
    re_path(r"^(?!api/|static/).*$", application),
]
