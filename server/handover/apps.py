from django.apps import AppConfig


class HandoverConfig(AppConfig):
    name = "server.handover"
    label = "handover"
