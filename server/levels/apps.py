from django.apps import AppConfig


class LevelsConfig(AppConfig):
    name = "server.levels"
    label = "levels"
