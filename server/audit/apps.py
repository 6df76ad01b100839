from django.apps import AppConfig


class AuditConfig(AppConfig):
    name = "server.audit"
    label = "audit"

    def ready(self) -> None:
        from server.audit import recording

        recording.watch_roles()
