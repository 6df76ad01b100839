from django.apps import AppConfig


class SurfacesConfig(AppConfig):
    name = "server.surfaces"
    label = "surfaces"
