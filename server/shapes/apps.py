from django.apps import AppConfig


class ShapesConfig(AppConfig):
    name = "server.shapes"
    label = "shapes"
