from django.apps import AppConfig


class TeamConfig(AppConfig):
    name = "server.team"
    label = "team"

    def ready(self) -> None:
        from server.team.sessions import note_sign_ins

        note_sign_ins()
