from django.apps import AppConfig


class GroundConfig(AppConfig):
    name = "server.ground"
    label = "ground"
