from django.apps import AppConfig


class StandsConfig(AppConfig):
    name = "server.stands"
    label = "stands"
