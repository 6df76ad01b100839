from django.apps import AppConfig


class JournalConfig(AppConfig):
    name = "server.journal"
    label = "journal"
