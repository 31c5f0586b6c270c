"""The Django application of the API."""

from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "lentra.api"
    label = "api"

    def ready(self) -> None:
        """Have the framework's fields speak plainly."""
        from lentra.api.words import speak_plainly

        speak_plainly()
