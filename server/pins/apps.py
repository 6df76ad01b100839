from django.apps import AppConfig


class PinsConfig(AppConfig):
    name = "server.pins"
    label = "pins"
